"""A routine: a list of steps to run against a module, as people write it in TOML (docs/bringing-up-a-module.md).

    name = "register"
    [variables]
    pin = { ask = "PIN of the SIM", secret = true }

    [[step]]
    do = "send"
    line = "AT+CPIN?"
    [[step]]
    do = "check"
    field = "sim"
    one-of = ["READY"]
    [[step]]
    do = "poll"
    line = "AT+CREG?"
    field = "registration"
    one-of = ["1", "5"]
    within-s = 60

A step stops the routine where it fails, unless its `else` names the step with which it goes on; `then` does where it
passes, `end` is the end of the routine. Whoever goes back says how often at most. `repeat` is not a step of its own: it
has the steps before it done again.
"""

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Final, NamedTuple

from pale_heron.core.device.schema.fields import MASK
from pale_heron.core.device.schema.notices import ERROR, NO_ANSWER, OK
from pale_heron.core.device.schema.toml_table import PLACEHOLDER, TableProblem, TomlTable, is_name
from pale_heron.core.line.settings import nearest_words
from pale_heron.core.patterns import limited

SEND, WAIT, CHECK, SET, PAUSE, POLL, RESTART, ESCAPE, LINE, ASK, MARK, TRIAL, ORDER, REPEAT = (
    "send", "wait", "check", "set", "pause", "poll", "restart", "escape", "change-line", "ask", "mark", "trial",
    "order", "repeat",
)  # fmt: skip
ANY: Final = "any"
EXPECTED: Final = (OK, ERROR, NO_ANSWER, ANY)
MOST_STEPS: Final = 2_000
END: Final = "end"
"""Where a step can lead to that is not a step."""

MOST_S: Final = 86_400.0
WITHIN_S: Final = 30.0
EVERY_S: Final = 1.0

NEEDED: Final[Mapping[str, tuple[str, ...]]] = {
    SEND: ("line",),
    WAIT: (),
    CHECK: ("field",),
    SET: ("setting", "value"),
    PAUSE: ("seconds",),
    POLL: ("line", "field"),
    RESTART: (),
    ESCAPE: (),
    LINE: (),
    ASK: ("question",),
    MARK: ("text",),
    ORDER: ("order",),
    TRIAL: ("kind",),
    REPEAT: ("times",),
}
"""What can be done, with the keys that each must have."""


class Condition(NamedTuple):
    """What a value must be. Of several, all must hold."""

    one_of: tuple[str, ...] = ()
    least: float | None = None
    most: float | None = None
    matches: str = ""

    @property
    def empty(self) -> bool:
        return not (self.one_of or self.matches) and self.least is None and self.most is None

    def holds(self, raw: str | None, value: object) -> bool:
        """Whether a raw text, and the value that it stands for, are as wanted."""
        if raw is None:
            return False
        if self.one_of and raw not in self.one_of:
            return False
        if self.matches and not limited(self.matches).search(raw):
            return False
        if self.least is None and self.most is None:
            return True
        if not isinstance(value, int | float):
            return False
        return (self.least is None or value >= self.least) and (self.most is None or value <= self.most)

    @property
    def words(self) -> str:
        """What is wanted."""
        written = [" or ".join(self.one_of)] if self.one_of else []
        written += [f"matching {self.matches}"] if self.matches else []
        written += [f"at least {self.least:g}"] if self.least is not None else []
        written += [f"at most {self.most:g}"] if self.most is not None else []
        return ", ".join(written) or "there"


NOTHING: Final = Condition()


@dataclass(frozen=True, slots=True)
class RoutineStep:
    """One step. `lane` is one of the routine's lanes; texts may hold variables as `{name}`."""

    do: str
    lane: str = ""
    line: str = ""
    payload: str | None = None
    expect: str = OK
    field: str = ""
    condition: Condition = NOTHING
    setting: str = ""
    value: str = ""
    seconds: float = 0.0
    within_s: float = WITHIN_S
    every_s: float = EVERY_S
    notice: str = ""
    question: str = ""
    text: str = ""
    rate: int | None = None
    flow: str | None = None
    kind: str = ""
    ends: tuple[str, ...] = ()
    order: str = ""
    texts: tuple[str, ...] = ()
    """The values of an order to a receiver, in their order."""
    options: Mapping[str, Any] = dataclasses.field(default_factory=dict)
    """Of a trial of the link: its kind, the lanes of the routine between which, and how, as in a plan of trials."""
    round: str = ""
    """Which time it is done, where it is repeated."""
    name: str = ""
    then: str = ""
    """The name of the step with which it goes on where this one has passed; empty for the next."""
    otherwise: str = ""
    """And where it has failed; empty: the routine fails with it."""
    at_most: int = 0
    """So often it may be done; 0 where nothing leads back to it."""

    def words(self, values: Mapping[str, str], secrets: frozenset[str]) -> str:
        """What it does, in a few words; secrets stay masked."""
        shown = {name: MASK if name in secrets else value for name, value in values.items()}
        written = {
            SEND: f"send {self.line}",
            WAIT: f"wait for {self.notice or self.text}",
            CHECK: f"check that {self.field} is {self.condition.words}",
            SET: f"set {self.setting} to {self.value}, read back",
            PAUSE: f"pause {self.seconds:g} s",
            POLL: f"{self.line} until {self.field} is {self.condition.words}",
            RESTART: "restart, until it answers again",
            ESCAPE: "bring it back to command mode",
            LINE: f"change the line to {self.rate or ''} {self.flow or ''}".rstrip(),
            ASK: f"ask: {self.question}",
            MARK: f"mark: {self.text}",
            ORDER: f"order {' '.join((self.order, *self.texts))}",
            TRIAL: f"a trial of {self.kind}{' between ' if self.ends else ''}{' and '.join(self.ends)}",
        }[self.do]
        return filled(written, shown) + (f" ({self.round})" if self.round else "")


class Variable(NamedTuple):
    """A value that steps use. With `ask` a person is asked for it, with `value` proposed."""

    value: str
    ask: str = ""
    secret: bool = False


@dataclass(frozen=True, slots=True)
class Routine:
    """`lanes` are names of its own for the lanes that it runs on, in their order; a routine for one needs none."""

    name: str
    title: str = ""
    dialect: str = ""
    lanes: tuple[str, ...] = ()
    variables: Mapping[str, Variable] = dataclasses.field(default_factory=dict)
    steps: tuple[RoutineStep, ...] = ()

    @property
    def secrets(self) -> frozenset[str]:
        """Names of variables that must not be shown."""
        return frozenset(name for name, each in self.variables.items() if each.secret)


def filled(text: str, values: Mapping[str, str]) -> str:
    """A text with its variables; one that has no value stays as it is written."""
    return PLACEHOLDER.sub(lambda place: values.get(place[1], place[0]), text)


def read_routine(written: Mapping[str, Any]) -> tuple[Routine, list[TableProblem]]:
    """The routine of a TOML file that was read, and all that is wrong with it; where that is nothing it can be run."""
    problems: list[TableProblem] = []
    top = TomlTable(written, (), problems)
    name = top.text("name", needed=True)
    lanes = top.texts("lanes")
    variables = {key: _variable(value, key, problems) for key, value in top.values("variables")}
    for key in variables:
        if not is_name(key):
            top.wrong("variables", f"{key!r} is not lower-case letters, digits and -")
    steps: list[RoutineStep] = []
    for table in top.rows("step"):
        step, times, back = _step(table, lanes)
        if step.do == REPEAT:
            again = steps[-back:] if back else list(steps)
            if any(each.name or each.then or each.otherwise for each in again):
                table.wrong("do", "steps that lead elsewhere are not repeated: let one lead back, with at-most")
            if back > len(steps):
                table.wrong("steps", f"there are only {len(steps)} steps before it")
            steps = steps[: len(steps) - len(again)]
            steps += [replace(each, round=f"{at} of {times}") for at in range(1, times + 1) for each in again]
            if len(steps) > MOST_STEPS:
                table.wrong("times", f"that would be {len(steps)} steps; {MOST_STEPS} are the most")
                steps = steps[:MOST_STEPS]
        else:
            steps.append(step)
        for used in _variables_used(step):
            if used not in variables:
                table.wrong("do", f"{{{used}}} is not a variable of this routine{nearest_words(used, variables)}")
    problems += _astray(steps)
    routine = Routine(name, top.text("title"), top.text("dialect"), lanes, variables, tuple(steps))
    top.end()
    if not steps and not problems:
        problems.append(TableProblem((), "there is no step: write at least one [[step]]"))
    return routine, problems


def _astray(steps: list[RoutineStep]) -> list[TableProblem]:
    """Where steps lead to that is not there, or back without a limit."""
    places = {step.name: at for at, step in enumerate(steps) if step.name}
    known = (*places, END)
    problems = []
    for at, step in enumerate(steps):
        keys = ("step", str(at + 1))
        if step.name and places[step.name] != at:
            problems.append(TableProblem((*keys, "name"), f"{step.name!r} is another step too"))
        for key, target in (("then", step.then), ("else", step.otherwise)):
            if target and target not in known:
                words = f"{target!r} is not the name of a step{nearest_words(target, dict.fromkeys(known))}"
                problems.append(TableProblem((*keys, key), words))
            elif target and target != END and places[target] <= at and not step.at_most:
                problems.append(TableProblem((*keys, key), "it leads back: at-most says how often this step is done"))
    return problems


def _variables_used(step: RoutineStep) -> list[str]:
    texts = (step.line, step.payload or "", step.value, step.question, step.text, *step.texts)
    return [used for text in texts for used in PLACEHOLDER.findall(text)]


def _variable(written: object, name: str, problems: list[TableProblem]) -> Variable:
    if isinstance(written, Mapping):
        table = TomlTable(written, ("variables", name), problems)
        found = Variable(table.text("value"), table.text("ask"), table.flag("secret"))
        table.end()
        return found
    return Variable(str(written))


def _step(table: TomlTable, lanes: tuple[str, ...]) -> tuple[RoutineStep, int, int]:
    """A step, and for a repetition how many times and how many steps back."""
    do = table.one_of("do", NEEDED)
    for key in NEEDED.get(do, ()):
        if not table.has(key):
            table.wrong("do", f"{do!r} needs {key}")
    if not do and not table.has("do"):
        table.wrong("do", f"do is missing: one of {', '.join(NEEDED)}")
    condition = Condition(table.texts("one-of"), table.limit("least"), table.limit("most"), table.pattern("matches"))
    rate = table.limit("rate")
    step = RoutineStep(
        do=do or PAUSE,
        lane=table.one_of("lane", lanes, lanes[0] if lanes else ""),
        line=table.text("line"),
        payload=table.text("payload") if table.has("payload") else None,
        expect=table.one_of("expect", EXPECTED, OK),
        field=table.text("field"),
        condition=condition,
        setting=table.text("setting"),
        value=table.text("value"),
        seconds=table.number("seconds", 0.0, 0.0, MOST_S),
        within_s=table.number("within-s", WITHIN_S, 0.05, MOST_S),
        every_s=table.number("every-s", EVERY_S, 0.0, MOST_S),
        notice=table.text("notice"),
        question=table.text("question"),
        text=table.text("text"),
        rate=None if rate is None else int(rate),
        flow=table.one_of("flow", ("none", "xonxoff", "rtscts")) or None,
        kind=table.text("kind"),
        ends=table.texts("ends"),
        order=table.text("order"),
        texts=table.texts("values"),
        options=dict(table.values("options")),
        name=table.text("name"),
        then=table.text("then"),
        otherwise=table.text("else"),
        at_most=int(table.number("at-most", 0, 1, MOST_STEPS)),
    )
    if step.name == END:
        table.wrong("name", f"{END!r} is the end of the routine")
    if do == WAIT and not (step.notice or step.text):
        table.wrong("do", "'wait' needs a notice, or a text (a regular expression for the line)")
    if do in (CHECK, POLL) and condition.empty:
        table.wrong("do", f"{do!r} needs one-of, least, most or matches")
    for end in step.ends:
        if end not in lanes:
            table.wrong("ends", f"{end!r} is no lane of this routine{nearest_words(end, dict.fromkeys(lanes))}")
    if do == LINE and not (step.rate or step.flow):
        table.wrong("do", "'change-line' needs a rate or a flow")
    times, back = int(table.number("times", 1, 1, MOST_STEPS)), int(table.number("steps", 0, 0, MOST_STEPS))
    table.end()
    return step, times, back
