"""Tells a device things and watches what becomes of it: one thread for one operation, step after step.

Every operation ends with what was *seen*: an answer, sentences that come or do not, a line that is legible at its
new rate. What was asked and what came of it is an event in the record.
"""

import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from itertools import chain
from typing import Any, Final, NamedTuple, Protocol

from pale_heron.bench.operations.acknowledged import AcknowledgedSettings
from pale_heron.bench.operations.registry import Operation, OperationFailed, StopToken
from pale_heron.core.device.dialogue.framed import FrameCutter
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot
from pale_heron.core.device.schema import actions
from pale_heron.core.device.schema.actions import DeviceAction
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.frames import IN, NMEA, OK, SECOND, Frame
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.line.typed import compose
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_text
from pale_heron.ports.sender import SendJob

LOOK_S = 0.02
SETTLE_S = 0.3
SET_WITHIN_S: Final = 2.0
"""A driver that takes longer to set its line is not waited for."""

ENOUGH_VALID: Final = 3
LEGIBLE_WITHIN_S: Final = 6.0
BACK_WITHIN_S: Final = 15.0
LONGEST_LISTEN_S: Final = 90.0
DOING, DONE, FAILED = "doing", "done", "failed"
Work = Callable[["SteppedOperation"], None]
"""Does steps of an operation. Raises Failed where it cannot go on."""


class ReceiverBench(Protocol):
    """What an operation needs of a live bench."""

    def send(self, lane: str, job: SendJob) -> None: ...

    def change(self, lane: str, settings: LineSettings) -> None: ...

    def is_open(self, lane: str) -> bool: ...

    def settings_of(self, lane: str) -> LineSettings: ...

    def note(self, lane: str, name: str, details: Mapping[str, Any]) -> None: ...

    def listen(self, lane: str) -> "FrameListener": ...

    def leave(self, ear: Any) -> None: ...

    def module_of(self, lane: str) -> ModuleSnapshot | None: ...

    def recognising(self, lane: str) -> bool: ...

    def wait_for_news(self, seconds: float) -> None: ...


class FrameListener(Protocol):
    """Hears the frames of a lane as they become whole."""

    def take(self) -> list[Frame]: ...


class OperationStep(NamedTuple):
    """One thing done: what, how it stands, and what was seen."""

    words: str
    outcome: str
    seen: str = ""


class SteppedOperation(Operation):
    """Does `work` on one lane; `steps`, `over` and `succeeded` may be asked at any time."""

    def __init__(
        self,
        title: str,
        bench: ReceiverBench,
        lane: str,
        acknowledged: AcknowledgedSettings,
        work: Work,
        token: StopToken | None = None,
    ) -> None:
        """With a `token` it stops when that does. Raises Trouble for a lane that only listens."""
        super().__init__(title, (lane,), token)
        if bench.settings_of(lane).listen_only:
            raise Trouble(f"{lane} only listens: nothing is sent", "Change that in its settings (s)")
        self.bench = bench
        self.lane = lane
        self._work = work
        self._acknowledged = acknowledged
        self._steps: list[OperationStep] = []
        self._ear: FrameListener | None = None
        self.hidden: frozenset[str] = frozenset()
        """Values that are shown nowhere."""

    @property
    def steps(self) -> tuple[OperationStep, ...]:
        return tuple(self._steps)

    @property
    def given_up(self) -> bool:
        """Whether somebody asked it to stop."""
        return self.token.stopped

    def rest(self, seconds: float) -> None:
        """Wait. Raises Failed where it is given up meanwhile."""
        self.token.rest(seconds)

    def failed(self, seen: str) -> None:
        """The step did not succeed; the operation goes on."""
        self._end_step(FAILED, seen)

    def work(self) -> None:
        """Do it, with an ear on the lane from the start on."""
        self._ear = ear = self.bench.listen(self.lane)
        try:
            self._work(self)
        finally:
            self._ear = None
            self.bench.leave(ear)
        if self._steps and self._steps[-1].outcome == DOING:
            self._end_step(DONE, "")

    def report(self, failure: str) -> None:
        """Keep in the record what was asked and what came of it."""
        if failure:
            self._end_step(FAILED, failure)
        steps = [f"{step.words}: {step.seen or step.outcome}" for step in self._steps]
        self.bench.note(self.lane, "told", {"what": self.title, "done": not failure, "steps": steps})

    def begin(self, words: str) -> None:
        """A step begins; the one before, if nothing was said of it, is done."""
        if self._steps and self._steps[-1].outcome == DOING:
            self._end_step(DONE, "")
        self._steps.append(OperationStep(words, DOING))

    def done(self, seen: str) -> None:
        self._end_step(DONE, seen)

    def _end_step(self, outcome: str, seen: str) -> None:
        if self._steps:
            self._steps[-1] = self._steps[-1]._replace(outcome=outcome, seen=seen)
        else:
            self._steps.append(OperationStep(self.title, outcome, seen))

    def frames(self, within_s: float) -> Iterator[Frame]:
        """What comes in on the lane from the last look on, until so many seconds have passed."""
        assert self._ear is not None, "heard only while it is done"
        end = time.monotonic() + within_s
        over = False
        while not over:
            self.token.check()
            # What came while this program could not look was heard in time: there is one look more at the end.
            over = time.monotonic() >= end
            yield from (frame for frame in self._ear.take() if frame.direction is IN)
            if not over:
                self.token.rest(LOOK_S)

    def perform(self, action: DeviceAction, values: Mapping[str, str]) -> bool:
        """Tell one thing and wait for its answer. False where nothing answers; raises Failed where it refuses."""
        try:
            text = action.text(values)
        except ValueError as wrong:
            raise OperationFailed(str(wrong)) from None
        settings = self.bench.settings_of(self.lane)
        ending = {actions.NMEA: b"\r\n", actions.HEX: b"", actions.FRAME: b""}.get(action.form, settings.line_end)
        self.begin(f"send {text}")
        if action.starts:
            self.bench.note(self.lane, "start", {"mode": action.starts})
        job = SendJob(compose(text, ending).data)
        begin = time.monotonic()
        self.bench.send(self.lane, job)
        if not action.answered:
            self.done("sent; nothing acknowledges it")
        elif not self._is_answered(action, values, begin):
            return False
        if action.stores:
            self._acknowledged.stored = dict(self._acknowledged.running)
        elif action.restarts:
            self._acknowledged.restarted()
        for name, value in _settings_named(action, values):
            self._acknowledged.take(name, value)
        return True

    def _is_answered(self, action: DeviceAction, values: Mapping[str, str], begin: float) -> bool:
        for line in self._lines(action):
            verdict = action.answers(values, line)
            if verdict is not None:
                passed = 1000 * (time.monotonic() - begin)
                if not verdict:
                    raise OperationFailed(f"it refuses: {line.strip()}")
                self.done(f"acknowledged after {passed:.0f} ms")
                return True
        self._end_step(FAILED, f"no answer within {action.within_s:g} s")
        return False

    def _lines(self, action: DeviceAction) -> Iterator[str]:
        """What comes, line by line, while an answer is waited for; out of frames where it speaks in such."""
        frames = self.frames(action.within_s)
        if action.frame is None:
            yield from (safe_text(frame.data) for frame in frames)
            return
        cutter = FrameCutter(action.frame)
        pieces = (cutter.feed(frame.data, frame.time, 0) for frame in frames)
        # What looks like the head of a longer frame hides the answer, until time is over.
        for body, _, _ in chain(chain.from_iterable(pieces), cutter.rest()):
            lines = action.frame.lines_said(body) if body is not None else ()
            yield from (safe_text(line.encode("latin-1", "replace")) for line in lines)

    def must(self, action: DeviceAction, values: Mapping[str, str]) -> None:
        """Tell one thing; without an answer the operation ends."""
        if not self.perform(action, values):
            raise OperationFailed(f"no answer within {action.within_s:g} s")

    def hears_valid(self, within_s: float) -> float | None:
        """Seconds until some sentences were valid; None where they never were."""
        begin, valid = time.monotonic(), 0
        for frame in self.frames(within_s):
            valid += frame.kind is NMEA and frame.status is OK
            if valid >= ENOUGH_VALID:
                return time.monotonic() - begin
        return None

    def hears_sentences(self) -> frozenset[str]:
        """The formatters that come; TXT comes when it likes and is left out."""
        return frozenset(
            frame.type[2:]
            for frame in self.frames(LEGIBLE_WITHIN_S)
            if frame.kind is NMEA and frame.status is OK and frame.type[0] != "P"
        ) - {"TXT"}

    def set_line(self, settings: LineSettings) -> None:
        """Set our side of the line, also where it was given up: it is led back all the same."""
        self.bench.change(self.lane, settings)
        end = time.monotonic() + SET_WITHIN_S
        while self.bench.settings_of(self.lane) != settings and time.monotonic() < end:
            time.sleep(LOOK_S)
        time.sleep(SETTLE_S)

    def must_be_open(self) -> None:
        """Raises Failed where the lane went meanwhile: nothing can be said of a device that is not there."""
        if not self.bench.is_open(self.lane):
            raise OperationFailed(
                f"{self.lane} was lost meanwhile: its rate is not known now, and r finds it when it is back"
            )

    def reopen(self, rate: int) -> None:
        """Set our side of the line to a rate; what was heard at the one before is forgotten."""
        self.set_line(replace(self.bench.settings_of(self.lane), rate=rate))
        if self._ear is not None:
            self._ear.take()

    @property
    def rate(self) -> int:
        return self.bench.settings_of(self.lane).rate


def _settings_named(action: DeviceAction, values: Mapping[str, str]) -> list[tuple[str, str]]:
    """What an action sets: under its name, and for each choice of a first parameter where it has two."""
    names = [parameter.name for parameter in action.parameters]
    if not names:
        return []
    if len(names) == 1:
        return [(action.name, values[names[0]])]
    return [(f"{action.name} {values[names[0]]}", " ".join(values[name] for name in names[1:]))]


def sending(action: DeviceAction, values: Mapping[str, str]) -> Work:
    """Tell one thing."""
    return lambda self: self.must(action, values)


def choosing_sentences(dialect: Dialect, wanted: Mapping[str, int], epochs_per_s: float) -> Work:
    """Set the interval of each sentence, then listen until the wanted ones came and the unwanted ones stay away."""
    action = dialect.actions["sentence"]

    def work(self: SteppedOperation) -> None:
        for name, interval in wanted.items():
            self.must(action, {"sentence": name, "interval": str(interval)})
        self.begin("listen: " + ", ".join(f"{name} {'gone' if not each else 'there'}" for name, each in wanted.items()))
        slowest = max([1, *wanted.values()]) / max(epochs_per_s, 0.01)
        limit = min(LONGEST_LISTEN_S, max(6.0, 2.5 * slowest))
        quiet_ns = int(SECOND * min(limit - 1.0, max(3.0, 1.5 / max(epochs_per_s, 0.01))))
        missing = {name for name, interval in wanted.items() if interval}
        unwanted = {name for name, interval in wanted.items() if not interval}
        # Judged by when sentences came, not by when they were looked at: a busy machine makes no sentence vanish.
        first = newest = 0
        last: dict[str, int] = {}
        looked = time.monotonic()
        for frame in self.frames(limit):
            looked, newest = time.monotonic(), frame.time or newest
            first = first or newest
            formatter = frame.type[2:] if frame.kind is NMEA and frame.status is OK else ""
            missing.discard(formatter)
            if formatter in unwanted:
                last[formatter] = newest
            if not missing and newest - max(last.values(), default=first) >= quiet_ns:
                break
        silent_ns = int(SECOND * (time.monotonic() - looked))
        stayed = sorted(name for name in last if newest + silent_ns - last[name] < quiet_ns)
        if stayed or missing:
            reasons = [f"still coming: {', '.join(stayed)}"] if stayed else []
            reasons += [f"not there: {', '.join(sorted(missing))}"] if missing else []
            raise OperationFailed(f"{'; '.join(reasons)}, after {(newest + silent_ns - first) / SECOND:.0f} s")
        if unwanted and silent_ns >= quiet_ns:
            self.done("nothing at all comes any more")
        elif unwanted:
            gone = (max(last.values(), default=first) - first) / SECOND
            self.done(f"verified: the last unwanted one came after {gone:.1f} s")
        else:
            self.done("verified: all are there")

    return work


def changing_rate(dialect: Dialect, rate: int) -> Work:
    """Set the rate, open at it, believe it when sentences are valid; else go back to the rate of before."""
    action = dialect.actions["line-rate"]

    def work(self: SteppedOperation) -> None:
        before = self.rate
        answered = self.perform(action, {action.changes_rate or "rate": str(rate)})
        if not answered:
            self.must_be_open()
            self.begin(f"listen at {before}: did the answer get lost?")
            if self.hears_valid(LEGIBLE_WITHIN_S / 2) is not None:
                raise OperationFailed(f"nothing has changed: it goes on at {before} baud")
            self.done(f"not legible at {before} any more")
        self.begin(f"open at {rate} baud and listen")
        self.reopen(rate)
        took = self.hears_valid(LEGIBLE_WITHIN_S)
        if took is not None:
            self.done(f"valid sentences after {took:.1f} s")
            return
        self.must_be_open()
        self._end_step(FAILED, f"nothing valid within {LEGIBLE_WITHIN_S:g} s")
        self.begin(f"go back to {before} baud")
        self.reopen(before)
        took = self.hears_valid(LEGIBLE_WITHIN_S)
        self._acknowledged.running.pop(action.name, None)
        if took is None:
            self.must_be_open()
            raise OperationFailed(f"nothing valid at {before} either: r finds the rate by listening")
        self.done(f"valid sentences at {before} after {took:.1f} s")
        self.begin("the rate")
        raise OperationFailed(f"it did not change; the line is at {before} baud as before")

    return work


def storing(dialect: Dialect, rates: tuple[int, ...]) -> Work:
    """Store, restart, and verify that it lasted: the rate, and the sentences that came before.

    `rates` are those at which it may come back where the one of now was not kept.
    """

    def work(self: SteppedOperation) -> None:
        self.begin("listen to what comes now")
        before = self.hears_sentences()
        self.done(", ".join(sorted(before)) or "nothing valid")
        self.must(dialect.actions["store"], {})
        rate = self.rate
        self.perform(dialect.actions["restart"], {})
        self.begin(f"wait for it at {rate} baud")
        took = self.hears_valid(BACK_WITHIN_S)
        if took is None:
            _look_elsewhere(self, rate, rates)
            return
        self.done(f"valid sentences after {took:.1f} s")
        self.begin("compare what comes with what came before")
        now = self.hears_sentences()
        lost, added = sorted(before - now), sorted(now - before)
        if lost or added:
            changes = [f"gone: {', '.join(lost)}"] if lost else []
            changes += [f"back: {', '.join(added)}"] if added else []
            self._acknowledged.stored.clear()
            raise OperationFailed("it did not last: " + "; ".join(changes))
        self.done(f"it lasted: {', '.join(sorted(now))} at {rate} baud")

    return work


def _look_elsewhere(self: SteppedOperation, rate: int, rates: tuple[int, ...]) -> None:
    """It came back at another rate than the one it was stored with, or not at all."""
    for other in rates:
        if other != rate:
            self.begin(f"look for it at {other} baud")
            self.reopen(other)
            if self.hears_valid(LEGIBLE_WITHIN_S) is not None:
                raise OperationFailed(f"the rate did not last: it is back at {other} baud, and so is the line")
            self._end_step(FAILED, "nothing valid")
    self.reopen(rate)
    raise OperationFailed(f"it did not come back within {BACK_WITHIN_S:g} s: r finds the rate by listening")
