"""A rack of devices under test: lanes on a live bench, recorded, and what a test says and asks of them.

What comes is read in its order: a sentence or a text that was waited for, and all before it, was taken and is not found
again; what came before anybody waited is found.
"""

import re
import time
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

from pale_heron.bench.config.bench_file import lanes_of
from pale_heron.bench.config.expectation_file import expectation_of, read_expectations
from pale_heron.bench.config.trial_options import described
from pale_heron.bench.decoded import decoded, printable
from pale_heron.bench.evident import evident_now, parts_in
from pale_heron.bench.live.session import Session
from pale_heron.bench.operations.command_client import CommandClient
from pale_heron.bench.operations.trial import Trial
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.device.dialogue.exchanges import Exchange
from pale_heron.core.device.schema.notices import OK
from pale_heron.core.frames import IN, NMEA, Frame
from pale_heron.core.link.findings import HOLDS
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.proof.expectation import PASSED, Judged, judge
from pale_heron.core.proof.marks import BEGIN, END
from pale_heron.core.proof.measured import Value
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_text, starred
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.sender import SendJob
from pale_heron.rack.failure import RackFailure

LOOK_S: Final = 0.05
OPEN_WITHIN_S: Final = 10.0
LAST_LINES: Final = 12
WAITING_MOST: Final = 20_000


@dataclass(frozen=True)
class RackReply:
    """What a module answered to one command; secrets have stars."""

    sent: str
    ok: bool
    result: str
    """The result code as a word; empty where none came in time."""
    fields: dict[str, str]
    lines: tuple[str, ...]
    """The information that came before the result."""
    seconds: float | None


class Rack:
    """`specs` are the lanes; everything is recorded in `capture`, which must not be there yet."""

    def __init__(self, specs: Sequence[LaneSpec], capture: Path, name: str = "rack") -> None:
        self.capture = capture
        self.missing: list[str] = []
        """What was waited for and did not come."""
        self._specs = {spec.name: spec for spec in specs}
        self._session = Session(name, list(specs), capture)
        self._taps = {spec.name: self._session.listen(spec.name) for spec in specs}
        self._waiting: dict[str, deque[Frame]] = {spec.name: deque(maxlen=WAITING_MOST) for spec in specs}
        self._last: dict[str, deque[Frame]] = {spec.name: deque(maxlen=LAST_LINES) for spec in specs}

    # Opening and ending

    def start(self, within: float = OPEN_WITHIN_S) -> None:
        """Open all lanes. RackFailure where one cannot be opened within so many seconds."""
        self._session.start()
        self._until(
            lambda: all(self._session.is_open(name) for name in self._specs),
            within,
            lambda: f"not all lanes could be opened: {self._not_open()}",
        )

    def stop(self) -> None:
        """End the lanes and the record."""
        self._session.stop()

    def _not_open(self) -> str:
        closed = [name for name in self._specs if not self._session.is_open(name)]
        reasons = {lane.name: lane.open_error for lane in self._session.snapshot().lanes}
        return ", ".join(f"{name} ({reasons.get(name) or 'no reason is known'})" for name in closed)

    @property
    def snapshot(self) -> BenchSnapshot:
        """Everything that is known now."""
        return self._session.fresh_snapshot()

    # Waiting

    def wait_for(self, that: str, *, within: float, lane: str = "", **condition: Any) -> Value:
        """Wait until a name of the expectations holds, as in a file of them; gives its value.

        `rack.wait_for("fix.seconds_to_first_fix", at_most=60, within=90)`; `samples` and `trial` are as there.
        RackFailure where it does not hold in time; Trouble where the name or the condition is none.
        """
        wanted = expectation_of("the test", {"that": that, "lane": self._lane(lane) if lane else "", **condition})
        judged: list[Judged] = []

        def holds() -> bool:
            judged[:] = [judge(wanted, evident_now(self._session.snapshot()))]
            return judged[0].outcome == PASSED

        self._until(holds, within, lambda: f"{that} {wanted.wanted} {_on(lane)}: {judged[0].words}")
        return judged[0].value

    def wait_sentence(self, kind: str, *, within: float = 10.0, lane: str = "") -> dict[str, Any]:
        """Wait for a whole sentence of a type, such as `GNGGA` or `GGA`; gives it as `decode --json` does."""
        found = self._wait_frame(
            lambda frame: frame.kind is NMEA and not frame.bad and frame.type in (kind, frame.type[:2] + kind),
            self._lane(lane),
            within,
            f"a sentence {kind} {_on(lane)}",
        )
        return decoded(found)

    def wait_text(self, pattern: str, *, within: float = 10.0, lane: str = "") -> str:
        """Wait for a received line in which a regular expression is found: a notice, a banner; gives the line."""
        matches = re.compile(pattern).search
        found = self._wait_frame(
            lambda frame: matches(printable(frame) or "") is not None,
            self._lane(lane),
            within,
            f"a line with /{pattern}/ {_on(lane)}",
        )
        return printable(found) or ""

    def _wait_frame(self, fits: Callable[[Frame], bool], lane: str, within: float, wanted: str) -> Frame:
        found: list[Frame] = []

        def came() -> bool:
            self._take()
            waiting = self._waiting[lane]
            while waiting and not found:
                frame = waiting.popleft()
                if frame.direction is IN and fits(frame):
                    found.append(frame)
            return bool(found)

        self._until(came, within, lambda: wanted)
        return found[0]

    def _take(self) -> None:
        for name, tap in self._taps.items():
            frames = tap.take()
            self._waiting[name].extend(frames)
            self._last[name].extend(frames)

    def _until(self, holds: Callable[[], bool], within: float, wanted: Callable[[], str]) -> None:
        end = time.monotonic() + within
        while True:
            self._session.look()
            if holds():
                return
            if time.monotonic() > end:
                self.fail(f"{wanted()}, within {within:g} s")
            time.sleep(LOOK_S)

    def fail(self, what: str) -> None:
        """End with what did not hold."""
        self.missing.append(what)
        raise RackFailure(f"{what}\n{self.told()}")

    # Doing

    def send(self, text: str, *, lane: str = "") -> None:
        """Send a line, with the line end of its lane."""
        name = self._lane(lane)
        ending = self._specs[name].settings.line_end
        self._session.send(name, SendJob(text.encode("latin-1", "replace") + ending, text))

    def command(self, text: str, *, lane: str = "", payload: bytes | None = None) -> RackReply:
        """Tell a module one command and wait for its result, at most as long as its dialect gives it."""
        name = self._lane(lane)
        client = CommandClient(self._session, name)
        exchange = client.run(text, payload)
        return _reply(exchange, client.secrets)

    def trial(self, kind: str, *lanes: str, **options: Any) -> TrialSnapshot:
        """Make a counted test of the link, with the options of `pale-heron trial`; gives its result.

        RackFailure where its verdict is not that it holds.
        """
        names = [self._lane(lane) for lane in lanes] or [self._lane("")]
        asked = described(kind, [self._specs[name] for name in names], options, list(self._specs))
        trial = Trial(self._session, asked)
        trial.run()
        if trial.failure and trial.result is None:
            self.fail(f"the {kind} trial on {' and '.join(names)} was not made: {trial.failure}")
        result: list[TrialSnapshot] = []

        def known() -> bool:
            found = trial.result
            result[:] = [found] if found is not None and found.end is not None else []
            return bool(result)

        self._until(known, OPEN_WITHIN_S, lambda: f"the {kind} trial to be counted")
        found = verdict(result[0])
        if found.result != HOLDS:
            self.fail(f"the {kind} trial {found.result}: {found.why}")
        return result[0]

    def mark(self, text: str) -> None:
        """Note something in the record."""
        self._session.mark(text)

    @contextmanager
    def part(self, name: str) -> Iterator[None]:
        """Measure a part of the record off: figures can be asked of it alone."""
        self._session.mark(name, BEGIN)
        try:
            yield
        finally:
            self._session.mark(name, END)

    def hold(self, expectations: Path | str) -> list[Judged]:
        """Hold what was recorded so far against a file of expectations. RackFailure where one does not pass."""
        wanted = read_expectations(Path(expectations))
        known = evident_now(self.snapshot)
        if wanted.parts:
            known = known._replace(parts=parts_in(self.capture, wanted.parts))
        judged = [judge(each, known) for each in wanted.expectations]
        bad = [each for each in judged if each.outcome != PASSED]
        if bad:
            told = [f"{each.expectation.what}: {each.outcome}, {each.words}" for each in bad]
            self.fail("; ".join(told))
        return judged

    # Telling

    def told(self) -> str:
        """The capture, and the last lines of each lane."""
        self._take()
        rows = [f"capture: {self.capture}"]
        for name, frames in self._last.items():
            secrets = next((lane.secrets for lane in self._session.snapshot().lanes if lane.name == name), frozenset())
            rows.append(f"last on {name}:" if frames else f"nothing came on {name}")
            rows += [f"  {_shown(frame, secrets)}" for frame in frames]
        return "\n".join(rows)

    def _lane(self, name: str) -> str:
        """That lane, or the only one. Trouble for a name that is not open, or without a name where several are."""
        if name in self._specs:
            return name
        known = ", ".join(self._specs)
        if name:
            raise Trouble(f"There is no lane {name!r}", f"There are: {known}")
        if len(self._specs) != 1:
            raise Trouble("Several lanes are open: which one is meant?", f"lane=NAME, of {known}")
        return next(iter(self._specs))


def _on(lane: str) -> str:
    return f"on {lane}" if lane else "on the lane"


def _shown(frame: Frame, secrets: frozenset[str]) -> str:
    sign = "◂" if frame.direction is IN else "▸"
    when = clock(frame.time) if frame.time is not None else ""
    return f"{when} {sign} {safe_text(starred(frame.data[:200], secrets).strip())}"


def _reply(exchange: Exchange, secrets: frozenset[str]) -> RackReply:
    def text(data: bytes) -> str:
        return safe_text(starred(data, secrets).strip())

    fields = {name: "*" * len(raw) if raw in secrets else raw for name, raw in exchange.fields.items()}
    lines = tuple(text(each.data) for each in exchange.information)
    return RackReply(text(exchange.sent), exchange.status == OK, exchange.result, fields, lines, exchange.seconds)


@contextmanager
def open_rack(*lanes: str, capture: Path | str, bench: Path | str | None = None, name: str = "rack") -> Iterator[Rack]:
    """Open lanes, as `pale-heron record` takes them, record all of it, and end it with the block."""
    specs = lanes_of(lanes, Path(bench) if bench is not None else None)
    if not specs:
        raise Trouble("No lane is named", "curlew=/dev/ttyUSB0@9600, or a bench file")
    rack = Rack(specs, Path(capture), name)
    try:
        rack.start()
        yield rack
    finally:
        rack.stop()
