"""Orders to the device of a lane, by its dialect; and what becomes of them, step by step."""

from collections.abc import Callable, Mapping
from typing import Any, Final, Protocol

from pale_heron.bench.operations.orders import ordering
from pale_heron.bench.operations.receiver import (
    ReceiverBench,
    SteppedOperation,
    Work,
    choosing_sentences,
    sending,
    storing,
)
from pale_heron.bench.operations.registry import Operations
from pale_heron.core.device.schema.actions import DeviceAction
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.sentence_plan import CurrentSentence
from pale_heron.core.frames import NMEA, SECOND
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.trouble import Trouble
from pale_heron.files.pages import page
from pale_heron.tui.painting.paint import Line
from pale_heron.tui.screens.panel import AskLine, Choice, Panel
from pale_heron.tui.screens.sentences import INTERVALS, SentencesPanel
from pale_heron.tui.views.panels import orders
from pale_heron.tui.views.panels.orders import OrderRow, OrdersMemory

STOPPED_S: Final = 3.0
_GUARDED: Final = ("sentence", "line-rate", "store")
"""Actions that take more than sending their line: each has a row of its own."""


class OperatedBench(ReceiverBench, Protocol):
    """A bench with its registry of operations."""

    operations: Operations


class OrdersPanel(Panel[None]):
    """`lane` gives the lane as it is now; `memory` remembers over the panel's end."""

    ABOUT = (
        "What the device can be told, in the words of its dialect. Enter does it, and what loses something "
        "or changes the line asks first. Whether it was acknowledged stands below the rows."
    )

    def __init__(
        self,
        bench: OperatedBench,
        lane: Callable[[], LaneSnapshot | None],
        memory: OrdersMemory,
        dialects: Mapping[str, Dialect],
    ) -> None:
        super().__init__()
        self._bench = bench
        self._lane = lane
        self._memory = memory
        self._dialects = dialects
        first = lane()
        self._lane_name = first.name if first else ""

    @property
    def count(self) -> int:
        return max(1, len(self._rows()))

    def _rows(self) -> list[OrderRow]:
        """Everything that can be done, the guarded operations first."""
        dialect = self._memory.dialect
        if dialect is None:
            return []
        rows = []
        actions = dialect.actions
        if "sentence" in actions:
            rows.append(OrderRow("choose sentences", "which come, how often, and what that means", "", self._sentences))
        if "line-rate" in actions:
            rows.append(OrderRow("change the line rate", "and go back by itself if nothing is legible", "", self._rate))
        if "store" in actions and "restart" in actions:
            restart = actions["restart"]
            words = "store, restart, and see whether it lasted"
            rows.append(OrderRow("store and verify", words, restart.risk or "it restarts", self._store))
        rows += [
            OrderRow(name, action.meaning, action.risk, self._teller(action))
            for name, action in actions.items()
            if name not in _GUARDED or (name == "store" and "restart" not in actions)
        ]
        return rows

    def paint(self, width: int) -> list[Line]:
        lane = self._lane()
        if lane is not None and lane.name == self._lane_name:
            self._memory.notice(lane)
        return orders.paint(self._lane_name, self._memory, self._rows(), self._dialects, self.chosen, width)

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

        choices = (("n", "no, leave it"), ("y", "yes, send it"))
        self.app.push_screen(Choice(f"{risk[0].upper()}{risk[1:]}. Send it?", choices), take)

    def _begin(self, title: str, work: Work) -> None:
        try:
            operation = SteppedOperation(title, self._bench, self._lane_name, self._memory.acknowledged, work)
            self._bench.operations.begin(operation)
        except Trouble as trouble:
            self.notify(str(trouble), severity="error", markup=False)
            return
        self._memory.operation = operation
        self.draw()

    def _teller(self, action: DeviceAction) -> Callable[[], None]:
        return lambda: self._ask_values(action, {}, lambda values: self._begin(action.name, sending(action, values)))

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
        dialect, lane = self._memory.dialect, self._lane()
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
        dialect = self._memory.dialect
        if dialect is None:
            return
        action = dialect.actions["line-rate"]

        def then(values: dict[str, str]) -> None:
            try:
                self._begin("change the line rate", ordering(dialect, action.name, values))
            except Trouble as trouble:
                self.notify(str(trouble), markup=False)

        self._ask_values(action, {}, then)

    def _store(self) -> None:
        dialect = self._memory.dialect
        if dialect is None:
            return
        rates = tuple(int(rate) for rate in (self._memory.acknowledged.stored.get("line-rate"), "9600") if rate)
        self._begin("store and verify", storing(dialect, rates))

    def _choose_dialect(self) -> None:
        if not self._dialects:
            self.notify(f"There is no dialect at all: {page('dialects.md')} says how to write one", markup=False)
            return
        names = list(self._dialects)

        def take(key: str | None) -> None:
            if key is not None:
                self._memory.dialect, self._memory.recognised = self._dialects[names[int(key) - 1]], ""

        choices = [(str(index), f"{name}: {self._dialects[name].title}") for index, name in enumerate(names, 1)]
        self.app.push_screen(Choice("Which dialect does it speak?", choices), take)


def current_sentences(lane: LaneSnapshot | None) -> dict[str, CurrentSentence]:
    """What comes now, by formatter, all talkers together; what has stopped is left out, though its mean still falls."""
    found: dict[str, CurrentSentence] = {}
    newest = max((each.last or 0 for each in lane.line.types), default=0) if lane else 0
    for each in lane.line.types if lane else ():
        if each.kind is not NMEA or len(each.type) != 5 or each.type[0] == "P" or not each.hz:
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
