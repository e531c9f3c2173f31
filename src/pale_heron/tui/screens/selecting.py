"""Which lines Traffic shows: lanes, directions, types with their counts, trouble only, text."""

from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

from pale_heron.bench.scrollback.selection import EVENT_TYPE, Selection, text_matcher
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import Direction
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import BLANK, Line, line
from pale_heron.tui.screens.panel import AskLine, Panel
from pale_heron.tui.views.panels.rows import keys_lines, selectable

_NEXT_DIRECTION = {None: Direction.IN, Direction.IN: Direction.OUT, Direction.OUT: None}
_DIRECTION_WORDS = {None: "both", Direction.IN: "received only", Direction.OUT: "sent only"}


class SelectionRow(NamedTuple):
    """What is shown of one choice, and what choosing it makes of the selection (None: the text is asked for)."""

    words: Line
    changed: Selection | None
    head: str = ""
    type: str = ""
    """The type that it is about, where it is one."""


class SelectionPanel(Panel[None]):
    """`snapshot` and `selection` are asked again for every picture; `change` gets each change at once."""

    ABOUT = (
        "What Traffic shows. A change holds at once; what is not shown is still recorded, counted and "
        "judged. Space switches the chosen row, o shows it alone, a shows all again."
    )

    def __init__(
        self,
        snapshot: Callable[[], BenchSnapshot],
        selection: Callable[[], Selection],
        change: Callable[[Selection], None],
    ) -> None:
        super().__init__()
        self._snapshot = snapshot
        self._selection = selection
        self._change = change
        self._order: dict[str, None] = {}
        """Types in the order in which they stand: nothing moves under the cursor while the list is open."""

    @property
    def count(self) -> int:
        return len(self._rows())

    def paint(self, width: int) -> list[Line]:
        rows = [line(("Show only", "*heron"), (f"   now: {safe_label(self._selection().words())}", "quiet")), BLANK]
        for index, row in enumerate(self._rows()):
            if row.head:
                rows += [BLANK, line((row.head, "quiet"))]
            rows.append(selectable(row.words, index, self.chosen, width))
        keys = (("↑↓", "choose"), ("space", "switch"), ("o", "only this"), ("a", "show all"), ("escape", "close"))
        return [*rows, BLANK, *keys_lines(keys, width)]

    def _rows(self) -> list[SelectionRow]:
        now = self._selection()
        text = safe_label(now.text) or "any"
        rows = [
            SelectionRow(
                _switch("trouble only", now.trouble_only, ""), replace(now, trouble_only=not now.trouble_only)
            ),
            SelectionRow(
                line(("direction   ", "quiet"), _DIRECTION_WORDS[now.direction]),
                replace(now, direction=_NEXT_DIRECTION[now.direction]),
            ),
            SelectionRow(line(("text        ", "quiet"), text), None),
        ]
        lanes = self._snapshot().lanes
        for index, lane in enumerate(lanes if len(lanes) > 1 else ()):
            hidden = now.hidden_lanes ^ {lane.name}
            words = _switch(safe_label(lane.name), lane.name not in now.hidden_lanes, "")
            rows.append(SelectionRow(words, replace(now, hidden_lanes=hidden), "" if index else "LANES"))
        for index, (kind, count) in enumerate(self._types()):
            words = _switch(safe_label(kind), now.shows_type(kind), figures.count(count) if count else "")
            head = "" if index else "TYPES, both directions"
            rows.append(SelectionRow(words, now.switched(kind), head, kind))
        return rows

    def _types(self) -> list[tuple[str, int]]:
        counts: dict[str, int] = {}
        for lane in self._snapshot().lanes:
            for each in (*lane.line.types, *lane.line.sent_types):
                counts[each.type] = counts.get(each.type, 0) + each.count
        for name, _ in sorted(counts.items(), key=lambda pair: (-pair[1], pair[0])):
            self._order.setdefault(name)
        return [*((each, counts.get(each, 0)) for each in self._order), (EVENT_TYPE, 0)]

    def pressed(self, key: str) -> bool:
        rows = self._rows()
        row = rows[self.chosen]
        if key in ("space", "enter"):
            if row.changed is None:
                question = "Lines that hold this text, or /regular expression/; empty: any"
                self.app.push_screen(AskLine(question, self._selection().text, _wrong_text), self._take_text)
            else:
                self._change(row.changed)
        elif key == "a":
            self._change(Selection())
        elif key == "o":
            self._only(row)
        else:
            return False
        return True

    def _only(self, row: SelectionRow) -> None:
        """Hide all others of the same kind: of types also those that come later, which nobody has asked for."""
        now, changed = self._selection(), row.changed
        if changed is None:
            return
        if row.type:
            self._change(replace(now, hidden_types=frozenset(), only_types=frozenset({row.type})))
        elif changed.hidden_lanes != now.hidden_lanes:
            (own,) = changed.hidden_lanes ^ now.hidden_lanes
            others = frozenset(lane.name for lane in self._snapshot().lanes if lane.name != own)
            self._change(replace(now, hidden_lanes=others))

    def _take_text(self, text: str | None) -> None:
        if text is not None:
            self._change(replace(self._selection(), text=text))


def _switch(words: str, on: bool, note: str) -> Line:
    return line(("● " if on else "○ ", "reed" if on else "faint"), (f"{words:<18}", "text" if on else "quiet"), note)


def _wrong_text(text: str) -> str:
    try:
        text_matcher(text) if text else None
    except ValueError as problem:
        return str(problem)
    return ""
