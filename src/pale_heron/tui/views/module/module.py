"""Module: does it obey, and is it set as intended? The answer, and the pages of evidence."""

from typing import Final

from pale_heron.answers.module import module_answer
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import BLANK, Line, Span, headline, line
from pale_heron.tui.views.module import page_exchanges, page_settings, page_state
from pale_heron.tui.views.module.choices import PAGES, ModuleChoices
from pale_heron.tui.views.table import VIEWS

QUESTION: Final = VIEWS["module"].question
HELP = (
    "Each command stands with what it means, the fields of its reply, its result and how long it took. ● was done, ✕ "
    "was refused or not answered, ◐ waits, ◂ came unasked, ≋ is data mode, in which everything goes to the far end. An "
    "error proves the wire as well as an OK does.",
    ": opens the entry line: it completes commands of the dialect (▸ takes the completion), checks values against "
    "their range, and asks before what erases, costs, transmits, restarts or changes the line. At a prompt it takes "
    "the text.",
    "↑ ↓ choose an exchange or a setting, end follows the newest. R asks for all that the page shows.",
    "State has the last value of all that the dialect calls a reading, with its age, and the milestones of this run.",
    "Settings compare what is intended with what was read. Running is in force, stored outlives a restart, pending "
    "comes into force with the next one. L changes the line on both sides, verifies, and goes back by itself.",
    "Two modules must agree in some settings and differ in others: the dialect has the rules, and says what breaks.",
    "A routine is a list of steps in a file: T chooses one, enter runs it, space does one step.",
)


def paint(snapshot: BenchSnapshot, lane: LaneSnapshot, look: ModuleChoices, width: int, height: int) -> list[Line]:
    """The whole view."""
    answer = module_answer(lane, look.intended, look.other if look.page == "pair" else None, look.verdict)
    head = [*headline(QUESTION, answer, width)[:-1], _tabs(look.page), BLANK]
    return [*head, *_body(snapshot, lane, look, width, max(1, height - len(head)))]


def _body(snapshot: BenchSnapshot, lane: LaneSnapshot, look: ModuleChoices, width: int, room: int) -> list[Line]:
    module = lane.module
    if look.page == "routine":
        return list(look.routine)[:room]
    if module is None:
        return _unspoken(lane, look)
    if look.page == "exchanges":
        return page_exchanges.paint(module, look, width, room)
    if look.page == "state":
        return page_state.paint(snapshot, lane, module, look, width, room)[:room]
    if look.page == "settings":
        return page_settings.paint(snapshot, module, look, width, room)[:room]
    return page_settings.paint_pair(lane, module, look, width, room)[:room]


def _unspoken(lane: LaneSnapshot, look: ModuleChoices) -> list[Line]:
    if not look.live:
        return [line(("Nothing that answers commands was spoken to on this lane.", "quiet"))]
    rows = [line((f"Nobody has spoken to a module on {safe_label(lane.name)} yet.", "text")), BLANK]
    for key, words in ((":", "opens the entry line; AT is the first thing to say"), ("D", "chooses a dialect")):
        rows.append(line((f"  {key:<4}", "amber"), words))
    return rows


def _tabs(page: str) -> Line:
    spans = [Span("v ", "amber", act(acts.next_module_page))]
    for name, title in PAGES.items():
        spans.append(Span(f" {title} ", "*heron@select" if name == page else "quiet", act(acts.show_module_page, name)))
        spans.append(Span(" "))
    return tuple(spans)
