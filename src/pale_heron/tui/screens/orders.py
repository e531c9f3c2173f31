"""What the device of a lane can be told, by its dialect; and what becomes of it, step by step."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Final, NamedTuple, Protocol

from pale_heron.bench.operations.receiver import (
    DOING,
    DONE,
    FAILED,
    AcknowledgedSettings,
    ReceiverBench,
    SteppedOperation,
    Work,
    changing_rate,
    choosing_sentences,
    storing,
    telling,
)
from pale_heron.bench.operations.registry import Operations
from pale_heron.core.device.schema.actions import DeviceAction
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.sentence_plan import CurrentSentence
from pale_heron.core.frames import NMEA, SECOND, TEXT, Event, Frame
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label, safe_text
from pale_heron.tui.painting.paint import BLANK, Line, line, titled, wrapped
from pale_heron.tui.screens.panel import AskLine, Choice, Panel, keys_lines, selectable
from pale_heron.tui.screens.sentences import INTERVALS, SentencesPanel

_SIGNS: Final = {DOING: ("◐", "amber"), DONE: ("●", "reed"), FAILED: ("✕", "coral")}
STOPPED_S: Final = 3.0
_GUARDED: Final = ("sentence", "line-rate", "store")
"""Actions that are done with more care than telling them: each has a row of its own."""


class OperatedBench(ReceiverBench, Protocol):
    """A bench with its registry of operations."""

    operations: Operations


@dataclass
class OrdersMemory:
    """What a lane's device was told in this session; kept while the panel is closed."""

    dialect: Dialect | None = None
    recognised: str = ""
    """The line by which the dialect was recognised."""
    acknowledged: AcknowledgedSettings = field(default_factory=AcknowledgedSettings)
    operation: SteppedOperation | None = None


class _OrderRow(NamedTuple):
    """One thing to do: its name, what it means, why it asks first, and what does it."""

    name: str
    meaning: str
    risk: str
    do: Callable[[], None]


def recognised(
    entries: Iterable[Frame | Event], lane: str, dialects: Mapping[str, Dialect]
) -> tuple[Dialect, str] | None:
    """The dialect by what the device said of itself, and the line that tells it; the newest counts."""
    for entry in reversed(list(entries)):
        if not isinstance(entry, Frame) or entry.lane != lane:
            continue
        if entry.kind is TEXT or (entry.kind is NMEA and (entry.type[:1] == "P" or entry.type[-3:] == "TXT")):
            said = safe_text(entry.data.strip())
            for dialect in dialects.values():
                if dialect.recognises(said):
                    return dialect, said
    return None


class OrdersPanel(Panel[None]):
    """`lane` gives the lane as it is now; `told` remembers over the panel's end."""

    def __init__(
        self,
        bench: OperatedBench,
        lane: Callable[[], LaneSnapshot | None],
        told: OrdersMemory,
        dialects: Mapping[str, Dialect],
    ) -> None:
        super().__init__()
        self._bench = bench
        self._lane = lane
        self._told = told
        self._dialects = dialects
        first = lane()
        self._lane_name = first.name if first else ""

    @property
    def count(self) -> int:
        return max(1, len(self._rows()))

    def _rows(self) -> list[_OrderRow]:
        """Everything that can be done, the guarded operations first."""
        dialect = self._told.dialect
        if dialect is None:
            return []
        rows = []
        actions = dialect.actions
        if "sentence" in actions:
            rows.append(
                _OrderRow("choose sentences", "which come, how often, and what that means", "", self._sentences)
            )
        if "line-rate" in actions:
            rows.append(
                _OrderRow("change the line rate", "and go back by itself if nothing is legible", "", self._rate)
            )
        if "store" in actions and "restart" in actions:
            restart = actions["restart"]
            words = "store, restart, and see whether it lasted"
            rows.append(_OrderRow("store and verify", words, restart.risk or "it restarts", self._store))
        rows += [
            _OrderRow(name, action.meaning, action.risk, self._teller(action))
            for name, action in actions.items()
            if name not in _GUARDED or (name == "store" and "restart" not in actions)
        ]
        return rows

    def paint(self, width: int) -> list[Line]:
        dialect, told = self._told.dialect, self._told
        if dialect is None:
            known = ", ".join(self._dialects) or "none"
            words = f"It has not told what it is. d chooses a dialect; known are: {known}."
            head = line((f"{safe_label(self._lane_name)}: what it can be told", "*heron"))
            return [head, BLANK, *wrapped(line((words, "amber")), width), BLANK, *keys_lines(_KEYS[1:], width)]
        title = f"{safe_label(self._lane_name)}: what it can be told"
        rows = [line((title, "*heron"), (f"   dialect {dialect.name}", "quiet"))]
        if told.recognised:
            rows.append(line((f"recognised by: {told.recognised}"[:width], "faint")))
        rows.append(BLANK)
        for index, row in enumerate(self._rows()):
            asks = ("  asks first", "amber") if row.risk else ("", "quiet")
            rows.append(selectable(line(f"{row.name:<22}", (row.meaning, "quiet"), asks), index, self.chosen, width))
        rows += [BLANK, *self._progress(width), *self._acknowledged(width), *keys_lines(_KEYS, width)]
        return rows

    def _progress(self, width: int) -> list[Line]:
        operation = self._told.operation
        if operation is None:
            return []
        verdict = {None: ("under way", "amber"), True: ("done", "reed"), False: ("failed", "coral")}
        words, role = verdict[operation.succeeded]
        rows = [line((operation.title.upper(), "quiet"), ("  " + words, f"*{role}"))]
        for step in operation.steps[-12:]:
            sign, sign_role = _SIGNS[step.outcome]
            seen = f": {step.seen}" if step.seen else ""
            rows += wrapped(line((f"{sign} ", sign_role), safe_label(step.words), (safe_label(seen), "quiet")), width)
        return [*rows, BLANK]

    def _acknowledged(self, width: int) -> list[Line]:
        """What was told and acknowledged: running, stored."""
        acknowledged = self._told.acknowledged
        names = sorted({*acknowledged.running, *acknowledged.stored})
        rows = [
            line(
                (f"{name:<20}", "quiet"),
                f"{safe_label(acknowledged.running.get(name, acknowledged.stored.get(name, ''))):<12}",
                (acknowledged.words(name), "amber" if acknowledged.words(name).endswith("not stored") else "reed"),
            )
            for name in names
        ]
        return [*titled("TOLD AND ACKNOWLEDGED", rows[:10]), BLANK] if rows and width else []

    def pressed(self, key: str) -> bool:
        rows = self._rows()
        if key == "enter" and rows:
            row = rows[min(self.chosen, len(rows) - 1)]
            self._confirmed(row.risk, row.do)
        elif key == "d":
            self._choose_dialect()
        elif key == "x" and (operation := self._bench.operations.on(self._lane_name)) is not None:
            operation.stop()
        else:
            return False
        return True

    def _confirmed(self, risk: str, do: Callable[[], None]) -> None:
        """Do it at once, or after a yes where something is lost."""
        if not risk:
            do()
            return

        def take(key: str | None) -> None:
            if key == "y":
                do()

        choices = (("n", "no, leave it"), ("y", "yes, tell it"))
        self.app.push_screen(Choice(f"{risk[0].upper()}{risk[1:]}. Tell it?", choices), take)

    def _begin(self, title: str, work: Work) -> None:
        try:
            operation = SteppedOperation(title, self._bench, self._lane_name, self._told.acknowledged, work)
            self._bench.operations.begin(operation)
        except Trouble as trouble:
            self.notify(str(trouble), severity="error", markup=False)
            return
        self._told.operation = operation
        self.draw()

    def _teller(self, action: DeviceAction) -> Callable[[], None]:
        return lambda: self._ask_values(action, {}, lambda values: self._begin(action.name, telling(action, values)))

    def _ask_values(self, action: DeviceAction, values: dict[str, str], then: Callable[[dict[str, str]], None]) -> None:
        """Ask for one parameter after the other; each is checked as it is typed."""
        missing = [parameter for parameter in action.parameters if parameter.name not in values]
        if not missing:
            then(values)
            return
        parameter = missing[0]

        def take(text: str | None) -> None:
            if text is not None:
                self._ask_values(action, values | {parameter.name: text.strip()}, then)

        meaning = f" ({parameter.meaning})" if parameter.meaning else ""
        question = f"{parameter.name}{meaning}: {parameter.legal}"
        self.app.push_screen(AskLine(question, "", lambda text: parameter.check(text.strip())), take)

    def _sentences(self) -> None:
        dialect, lane = self._told.dialect, self._lane()
        if dialect is None or lane is None:
            return
        parameters = {each.name: each for each in dialect.actions["sentence"].parameters}
        choices = tuple(parameters["sentence"].choices or sorted(current_sentences(lane)))
        intervals = tuple(each for each in INTERVALS if each is None or not parameters["interval"].check(str(each)))
        per_s = epochs_per_s(lane)

        def take(wanted: dict[str, int] | None) -> None:
            if wanted:
                self._begin("choose sentences", choosing_sentences(dialect, wanted, per_s))

        panel = SentencesPanel(
            self._lane_name, lambda: current_sentences(self._lane()), choices, intervals, per_s, lane.settings
        )
        self.app.push_screen(panel, take)

    def _rate(self) -> None:
        dialect = self._told.dialect
        if dialect is None:
            return
        action = dialect.actions["line-rate"]
        name = action.changes_rate or "rate"

        def then(values: dict[str, str]) -> None:
            if values[name].isdecimal():
                self._begin("change the line rate", changing_rate(dialect, int(values[name])))
            else:
                self.notify(f"{values[name]!r} is no line rate: a whole number is wanted", markup=False)

        self._ask_values(action, {}, then)

    def _store(self) -> None:
        dialect = self._told.dialect
        if dialect is None:
            return
        rates = tuple(int(rate) for rate in (self._told.acknowledged.stored.get("line-rate"), "9600") if rate)
        self._begin("store and verify", storing(dialect, rates))

    def _choose_dialect(self) -> None:
        if not self._dialects:
            self.notify("There is no dialect at all: docs/dialects.md tells how to write one", markup=False)
            return
        names = list(self._dialects)

        def take(key: str | None) -> None:
            if key is not None:
                self._told.dialect, self._told.recognised = self._dialects[names[int(key) - 1]], ""

        choices = [(str(index), f"{name}: {self._dialects[name].title}") for index, name in enumerate(names, 1)]
        self.app.push_screen(Choice("Which dialect does it speak?", choices), take)


_KEYS: Final = (
    ("↑↓ enter", "tell it"),
    ("d", "another dialect"),
    ("x", "give up what is under way"),
    ("escape", "close; what is under way goes on"),
)


def current_sentences(lane: LaneSnapshot | None) -> dict[str, CurrentSentence]:
    """What comes now, by formatter, all talkers together; what has stopped is left out, though its mean still falls."""
    found: dict[str, CurrentSentence] = {}
    newest = max((each.last or 0 for each in lane.line.types), default=0) if lane else 0
    for each in lane.line.types if lane else ():
        if len(each.type) != 5 or each.type[0] == "P" or not each.hz:
            continue
        if newest - (each.last or 0) > max(STOPPED_S, 3 / each.hz) * SECOND:
            continue
        before = found.get(each.type[2:], CurrentSentence(0.0, 0.0))
        bytes_per_s = before.bytes_per_s + (each.bytes_per_s or 0.0)
        found[each.type[2:]] = CurrentSentence(before.per_s + each.hz, bytes_per_s)
    return found


def epochs_per_s(lane: LaneSnapshot) -> float:
    """From the arrival of the last epochs; 1 where that is unknown."""
    last: Any = lane.fix.track.last(10)
    times = [epoch.arrived for epoch in last if epoch.arrived is not None]
    if len(times) < 2 or times[-1] == times[0]:
        return 1.0
    return float((len(times) - 1) / ((times[-1] - times[0]) / 1e9))
