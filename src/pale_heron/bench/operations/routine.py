"""Runs a routine: one step after the other, each passed or failed with what was seen; stops where one fails.

waiting ─▶ doing ─▶ passed          under way until the last has passed, or one has failed
              ├───▶ failed ─▶ the rest is left out
              └───▶ elsewhere: it failed, and says with which step it goes on then
"""

import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Protocol

from pale_heron.bench.config.dialects import named_dialect
from pale_heron.bench.config.trial_options import described as described_trial
from pale_heron.bench.operations.acknowledged import AcknowledgedSettings
from pale_heron.bench.operations.command_client import CommandClient
from pale_heron.bench.operations.line_change import LineChange, changing_line
from pale_heron.bench.operations.module import answered, escaping, restart_now, writing
from pale_heron.bench.operations.order import order
from pale_heron.bench.operations.orders import named_action, ordering, values_in_order
from pale_heron.bench.operations.receiver import ReceiverBench, SteppedOperation, Work
from pale_heron.bench.operations.registry import Operation, OperationFailed
from pale_heron.bench.operations.trial import Trial
from pale_heron.bench.operations.trial_lanes import TrialBench
from pale_heron.core.device.dialogue.exchanges import Exchange, ReceivedLine, Unsolicited
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot
from pale_heron.core.device.schema import routine as steps
from pale_heron.core.device.schema.commands import SET
from pale_heron.core.device.schema.fields import MASK
from pale_heron.core.device.schema.notices import ERROR, NO_ANSWER, OK
from pale_heron.core.device.schema.routine import ANY, Routine, RoutineStep, filled
from pale_heron.core.line.typed import is_sentence_like
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.findings import HOLDS
from pale_heron.core.link.verdict import verdict
from pale_heron.core.patterns import limited
from pale_heron.core.sharing.masking import without
from pale_heron.core.trouble import Trouble, fault_words
from pale_heron.core.wire.visible import safe_text
from pale_heron.ports.address import LaneSpec

SHIPPED: Final = "pale_heron.routines"
WAITING, DOING, PASSED, FAILED, LEFT_OUT = "waiting", "doing", "passed", "failed", "left out"
ELSEWHERE: Final = "elsewhere"
"""It failed, and the routine went on with the step that this one names."""

LOOK_S: Final = 0.05
BACK_TRIES: Final = 8


class RoutineBench(ReceiverBench, TrialBench, Protocol):
    """What a routine needs of a live bench."""

    def mark(self, text: str) -> None: ...


@dataclass(frozen=True, slots=True)
class StepStatus:
    """How one step stands: what was seen, and how long it took."""

    step: RoutineStep
    words: str
    outcome: str = WAITING
    seen: str = ""
    seconds: float | None = None


class _TooOften(OperationFailed):
    """A step that leads back has done so as often as it may."""


class RoutineRun(Operation):
    """One run. `lanes` are those of the bench, in the order of the routine's own.

    `question` is set while a person is asked; `answer` answers it. Raises Trouble where lanes or values are missing.
    """

    def __init__(
        self,
        routine: Routine,
        bench: RoutineBench,
        lanes: Sequence[str],
        values: Mapping[str, str],
        *,
        by_step: bool = False,
    ) -> None:
        wanted = routine.lanes or ("",)
        if len(lanes) < len(wanted):
            raise Trouble(
                f"The routine {routine.name} runs on {len(wanted)} lanes: {', '.join(wanted)}", "Name as many lanes"
            )
        missing = [name for name, each in routine.variables.items() if not (values.get(name) or each.value)]
        if missing:
            raise Trouble(f"No value for {', '.join(missing)}", f"Give one: --set {missing[0]}=VALUE")
        super().__init__(f"routine {routine.name}", lanes[: len(wanted)])
        self.routine = routine
        self._bench = bench
        self._lane_of = dict(zip(wanted, lanes, strict=False))
        self._values = {name: values.get(name) or each.value for name, each in routine.variables.items()}
        secrets = routine.secrets
        self._secret_values = {self._values[name] for name in secrets}
        self._stands = [StepStatus(step, step.words(self._values, secrets)) for step in routine.steps]
        self.done: list[tuple[int, StepStatus]] = []
        """What was done, in its order, each with the place of its step from 0: a step may be done several times."""
        self._go = threading.Semaphore(0)
        self._by_step = by_step
        self._answer: bool | None = None
        self.question = ""
        self._since: dict[str, int] = {}
        self._stale: dict[str, int] = {}
        """By lane, up to which item what was said may not hold any more: something was written, or it restarted."""
        for step in routine.steps:
            if step.do == steps.TRIAL:
                # What is wrong with it is said before anything is done.
                self._described(step)

    @property
    def statuses(self) -> tuple[StepStatus, ...]:
        return tuple(self._stands)

    @property
    def held(self) -> bool:
        """Whether it waits for somebody to let it do the next step."""
        return self._by_step and not self.over and not any(each.outcome == DOING for each in self._stands)

    def stop(self) -> None:
        """Give up at the next moment to do so."""
        super().stop()
        self._go.release()

    def next_step(self) -> None:
        """Let it do one step."""
        self._go.release()

    def run_on(self) -> None:
        """Let it do all that is left."""
        self._by_step = False
        self._go.release()

    def answer(self, yes: bool) -> None:
        """Answer the question."""
        self._answer = yes

    def work(self) -> None:
        """Do the steps, as each leads to the next; stops where one fails that leads nowhere then."""
        places = {step.name: at for at, step in enumerate(self.routine.steps) if step.name}
        place, ended = 0, len(self._stands)
        while place < ended:
            if self._by_step:
                self._go.acquire()
            self.token.check()
            target = self._step(place)
            place = ended if target == steps.END else places[target] if target else place + 1

    def _step(self, place: int) -> str:
        """Do one; gives the name of the step with which it goes on, empty for the next."""
        step, words = self._stands[place].step, self._stands[place].words
        self._stands[place] = StepStatus(step, words, DOING)
        begin, before = time.monotonic(), sum(at == place for at, _ in self.done)
        target = step.then
        try:
            if step.at_most and before >= step.at_most:
                raise _TooOften(f"done {step.at_most} times, and that is the most that it may be")
            seen, outcome = self._do(step), PASSED
        except Exception as failure:
            # Of whatever kind: the step says it, and the run ends with it, unless it leads elsewhere.
            known = isinstance(failure, OperationFailed | Trouble | ValueError)
            seen, outcome = str(failure) if known else fault_words(failure), FAILED
            stops = not known or self.token.stopped or isinstance(failure, _TooOften)
            if step.otherwise and not stops:
                target, outcome = step.otherwise, ELSEWHERE
            elif any(each in seen for each in self._secret_values):
                raise OperationFailed(without(seen, self._secret_values)) from None
            else:
                raise
        finally:
            shown = without(seen, self._secret_values)
            shown += f" (time {before + 1})" if before else ""
            self._stands[place] = StepStatus(step, words, outcome, shown.strip(), time.monotonic() - begin)
            self.done.append((place, self._stands[place]))
        return target

    def report(self, failure: str) -> None:
        """What was not done is left out; all of it goes into the record."""
        self._stands = [
            StepStatus(each.step, each.words, LEFT_OUT) if each.outcome == WAITING else each for each in self._stands
        ]
        ended = [each for _, each in self.done] + [each for each in self._stands if each.outcome == LEFT_OUT]
        steps = [f"{each.words}: {each.outcome}{': ' + each.seen if each.seen else ''}" for each in ended]
        self._bench.note(self.lanes[0], "told", {"what": self.title, "done": not failure, "steps": steps})

    def _do(self, step: RoutineStep) -> str:
        """Do one step; gives what was seen. Raises Failed where it is not as it should be."""
        return self._doers[step.do](self, step, self._lane_of[step.lane])

    def _client(self, lane: str) -> CommandClient:
        return CommandClient(self._bench, lane, lambda: self.token.stopped, self._secret_values)

    def _module(self, lane: str) -> ModuleSnapshot:
        module = self._bench.module_of(lane)
        if module is None:
            raise OperationFailed(f"{lane} was never spoken to")
        return module

    def _send(self, step: RoutineStep, lane: str) -> str:
        module = self._bench.module_of(lane)
        self._since[lane] = module.count if module else 0
        text = filled(step.line, self._values)
        if is_sentence_like(text.encode("latin-1", "replace")):
            return self._send_sentence(step, lane, text)
        payload = None if step.payload is None else filled(step.payload, self._values).encode("utf-8")
        if module is not None and any(each.form == SET for each in module.dialect.spoken(text)):
            self._outdate(lane)
        exchange = self._client(lane).run(text, payload)
        if step.expect not in (ANY, exchange.status):
            raise OperationFailed(f"{answered(exchange)}; expected {step.expect}")
        return answered(exchange)

    def _outdate(self, lane: str) -> None:
        """What was said up to now may not hold any more."""
        module = self._bench.module_of(lane)
        self._stale[lane] = module.count if module else 0

    def _send_sentence(self, step: RoutineStep, lane: str, text: str) -> str:
        """A sentence to a receiver, and what it answers."""
        found = order(self._bench, lane, text, within_s=step.within_s, stopped=lambda: self.token.stopped)
        status = NO_ANSWER if not found.replies else ERROR if found.refused else OK
        if step.expect not in (ANY, status):
            raise OperationFailed(f"{'; '.join(found.replies) or 'nothing acknowledged it'}; expected {step.expect}")
        return "; ".join(found.replies) or "nothing acknowledged it"

    def _order(self, step: RoutineStep, lane: str) -> str:
        """An order of a receiver's dialect, which the routine names."""
        if not self.routine.dialect:
            raise OperationFailed("the routine names no dialect: an order is one of its words")
        dialect = named_dialect(self.routine.dialect)
        action = named_action(dialect, step.order)
        values = values_in_order(action, [filled(each, self._values) for each in step.texts])
        return self._perform(lane, ordering(dialect, step.order, values))

    def _check(self, step: RoutineStep, lane: str) -> str:
        """Look at a field in the last reply, else at the last reading."""
        module = self._module(lane)
        raw = _last_field(module, step.field, self._stale.get(lane, 0))
        field = module.dialect.field_of(step.field)
        since = " since it was written or restarted" if lane in self._stale else ""
        shown = f"not reported{since}" if raw is None else field.in_words(raw)
        if not step.condition.holds(raw, field.value(raw) if raw is not None else None):
            raise OperationFailed(f"{step.field} is {shown}, wanted {step.condition.words}")
        return f"{step.field} is {shown}"

    def _poll(self, step: RoutineStep, lane: str) -> str:
        end, asked, last = time.monotonic() + step.within_s, 0, ""
        while True:
            asked += 1
            exchange = self._client(lane).run(filled(step.line, self._values))
            last = answered(exchange)
            if exchange.status == OK:
                try:
                    return f"{self._check(step, lane)}, asked {asked} times"
                except OperationFailed as failure:
                    last = str(failure)
            left = end - time.monotonic()
            if left <= 0:
                raise OperationFailed(f"not within {step.within_s:g} s, asked {asked} times: {last}")
            self._rest(min(step.every_s, left))

    def _wait(self, step: RoutineStep, lane: str) -> str:
        """Wait for a notice or a line; one that came since the last command counts too."""
        module = self._module(lane)
        since = self._since.get(lane, module.count)
        end = time.monotonic() + step.within_s
        wanted = limited(filled(step.text, self._values)) if step.text else None
        over = False
        while not over:
            # What came while this program could not look came in time: there is one look more at the end.
            over = time.monotonic() >= end
            for heard in _heard_since(self._module(lane), since):
                line = safe_text(heard.data)
                if (step.notice and heard.name == step.notice) or (wanted and wanted.search(line)):
                    return line
            self.token.check()
            self._bench.wait_for_news(LOOK_S)
        raise OperationFailed(f"nothing of that kind came within {step.within_s:g} s")

    def _set(self, step: RoutineStep, lane: str) -> str:
        value = filled(step.value, self._values)
        setting = self._module(lane).dialect.settings.get(step.setting)
        if setting is None:
            raise OperationFailed(f"the dialect {self._module(lane).dialect.name} has no setting {step.setting!r}")
        self._outdate(lane)
        self._perform(lane, writing({step.setting: value}))
        return f"{step.setting} is {MASK if setting.secret else value}"

    def _perform(self, lane: str, work: Work) -> str:
        """Do it as a part of this run, which has the lane and stops it with its own token."""
        operation = SteppedOperation(self.routine.name, self._bench, lane, AcknowledgedSettings(), work, self.token)
        operation.hidden = frozenset(self._secret_values)
        operation.work()
        return operation.steps[-1].seen if operation.steps else ""

    def _restart(self, _step: RoutineStep, lane: str) -> str:
        self._outdate(lane)
        self._perform(lane, restart_now)
        for _ in range(BACK_TRIES):
            if self._client(lane).attention().status != NO_ANSWER:
                return "it answers again"
        raise OperationFailed("it does not answer any more")

    def _change_line(self, step: RoutineStep, lane: str) -> str:
        return self._perform(lane, changing_line(LineChange(step.rate, step.flow)))

    def _ask(self, step: RoutineStep, _lane: str) -> str:
        self._answer = None
        self.question = without(filled(step.question, self._values), self._secret_values)
        try:
            while self._answer is None:
                self._rest(LOOK_S)
        finally:
            self.question = ""
        if not self._answer:
            raise OperationFailed("answered no")
        return "answered yes"

    def _mark(self, step: RoutineStep, _lane: str) -> str:
        text = without(filled(step.text, self._values), self._secret_values)
        self._bench.mark(text)
        return ""

    def _described(self, step: RoutineStep) -> TrialDescription:
        """The trial of a step, on the lanes of the bench. Raises Trouble where it is none."""
        lanes = [self._lane_of[end] for end in step.ends or (step.lane,)]
        specs = [LaneSpec(lane, "", self._bench.settings_of(lane)) for lane in lanes]
        known = [each.name for each in self._bench.seen.lanes]
        found = described_trial(step.kind, specs, dict(step.options), known)
        if not found.ends_by_itself:
            raise Trouble("A trial in a routine needs an end", "Give its options a count, rounds or a time (for)")
        return found

    def _trial(self, step: RoutineStep, _lane: str) -> str:
        """Made as a part of this run, which has the lanes and stops it with its own token; passed where it holds.

        Whoever wrote the routine has led its modules to where they are.
        """
        trial = Trial(
            self._bench, self._described(step), step.options.get("message", ()), anyway=True, token=self.token
        )
        failure = ""
        try:
            trial.work()
        except (OperationFailed, Trouble, ValueError) as problem:
            failure = str(problem)
            raise
        finally:
            trial.report(failure)
        found = verdict(trial.result) if trial.result is not None else None
        if found is None or found.result != HOLDS:
            raise OperationFailed(found.why if found is not None else "nothing was counted")
        return found.why

    def _pause(self, step: RoutineStep, _lane: str) -> str:
        self._rest(step.seconds)
        return ""

    def _escape(self, _step: RoutineStep, lane: str) -> str:
        return self._perform(lane, escaping())

    def _rest(self, seconds: float) -> None:
        self.token.rest(seconds)

    _doers: Final[Mapping[str, Callable[["RoutineRun", RoutineStep, str], str]]] = {
        steps.SEND: _send,
        steps.WAIT: _wait,
        steps.CHECK: _check,
        steps.SET: _set,
        steps.PAUSE: _pause,
        steps.POLL: _poll,
        steps.RESTART: _restart,
        steps.ESCAPE: _escape,
        steps.LINE: _change_line,
        steps.ASK: _ask,
        steps.MARK: _mark,
        steps.ORDER: _order,
        steps.TRIAL: _trial,
    }


def _last_field(module: ModuleSnapshot, name: str, since: int) -> str | None:
    """The newest that was reported under a name in replies or notices, in the items behind a number."""
    for item in reversed(module.items):
        newer = isinstance(item, Exchange | Unsolicited) and item.number > since
        heard = item.heard if isinstance(item, Exchange | Unsolicited) and newer else ()
        for each in reversed(heard):
            for field, raw in each.fields:
                if field == name:
                    return raw
    return None


def _heard_since(module: ModuleSnapshot, number: int) -> list[ReceivedLine]:
    """All lines of the items that are newer than a number."""
    return [
        heard
        for item in module.items
        if isinstance(item, Exchange | Unsolicited) and item.number > number
        for heard in item.heard
    ]
