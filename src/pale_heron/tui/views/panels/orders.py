"""Orders to a receiver: the list, what is under way, and what was acknowledged."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import Final, NamedTuple

from pale_heron.bench.operations.acknowledged import AcknowledgedSettings
from pale_heron.bench.operations.receiver import DOING, DONE, FAILED, SteppedOperation
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import BLANK, Line, line, titled, wrapped
from pale_heron.tui.views.panels.rows import keys_lines, selectable

_SIGNS: Final = {DOING: ("◐", "amber"), DONE: ("●", "reed"), FAILED: ("✕", "coral")}

_KEYS: Final = (
    ("↑↓ enter", "send it"),
    ("d", "another dialect"),
    ("x", "give up what is under way"),
    ("escape", "close; what is under way goes on"),
)


@dataclass
class OrdersMemory:
    """The orders to a lane's device in this session; kept while the panel is closed."""

    dialect: Dialect | None = None
    recognised: str = ""
    """The line by which the dialect was recognised."""
    acknowledged: AcknowledgedSettings = field(default_factory=AcknowledgedSettings)
    operation: SteppedOperation | None = None
    seen: tuple[int, int] | None = None
    """How often the lane had come back, and the device had started again, when it was looked at last."""

    def notice(self, lane: LaneSnapshot) -> None:
        """What happened to the lane since it was looked at last changes what is known of the device."""
        now = lane.returns, len(lane.dialogue.restarts)
        if self.seen is not None and now[1] > self.seen[1]:
            self.acknowledged.restarted()
        elif self.seen is not None and now[0] > self.seen[0]:
            self.acknowledged.was_away()
        self.seen = now


class OrderRow(NamedTuple):
    """One thing to do: its name, what it means, why it asks first, and what does it."""

    name: str
    meaning: str
    risk: str
    do: Callable[[], None]


def paint(
    lane: str, memory: OrdersMemory, orders: Sequence[OrderRow], dialects: Iterable[str], chosen: int, width: int
) -> list[Line]:
    """Without a dialect there are no orders: `dialects` are those that there are."""
    dialect = memory.dialect
    if dialect is None:
        known = ", ".join(dialects) or "none"
        words = f"It has not said what it is. d chooses a dialect; known are: {known}."
        head = line((f"{safe_label(lane)}: orders", "*heron"))
        return [head, BLANK, *wrapped(line((words, "amber")), width), BLANK, *keys_lines(_KEYS[1:], width)]
    title = f"{safe_label(lane)}: orders"
    rows = [line((title, "*heron"), (f"   dialect {dialect.name}", "quiet"))]
    if memory.recognised:
        rows.append(line((f"recognised by: {memory.recognised}"[:width], "faint")))
    rows.append(BLANK)
    for index, row in enumerate(orders):
        asks = ("  asks first", "amber") if row.risk else ("", "quiet")
        rows.append(selectable(line(f"{row.name:<22}", (row.meaning, "quiet"), asks), index, chosen, width))
    rows += [BLANK, *_progress(memory.operation, width), *_acknowledged(memory.acknowledged), *keys_lines(_KEYS, width)]
    return rows


def _progress(operation: SteppedOperation | None, width: int) -> list[Line]:
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


def _acknowledged(acknowledged: AcknowledgedSettings) -> list[Line]:
    """What was ordered and acknowledged: running, stored."""
    names = sorted({*acknowledged.running, *acknowledged.stored})
    rows = [
        line(
            (f"{name:<20}", "quiet"),
            f"{safe_label(acknowledged.running.get(name, acknowledged.stored.get(name, ''))):<12}",
            (acknowledged.words(name), "amber" if "not stored" in acknowledged.words(name) else "reed"),
        )
        for name in names
    ]
    return [*titled("ORDERED AND ACKNOWLEDGED", rows[:10]), BLANK] if rows else []
