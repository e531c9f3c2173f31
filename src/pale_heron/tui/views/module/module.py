"""Module: does it obey, and is it set as intended? The answer, and the pages of evidence."""

from typing import Final

from pale_heron.bench.config.intended_settings import compared, rows_of
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.device.dialogue.exchanges import Exchange
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot
from pale_heron.core.device.schema.notices import NO_ANSWER
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting import figures
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
    role, answer = answer_of(lane, look)
    head = [*headline(QUESTION, role, answer, width)[:-1], _tabs(look.page), BLANK]
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


def answer_of(lane: LaneSnapshot, look: ModuleChoices) -> tuple[str, Line]:
    """The role of the verdict, and the answer in a sentence or two."""
    module = lane.module
    name = safe_label(lane.name)
    role, words = _obeys(lane, module) if module is not None else ("amber", f"Nothing has been sent to {name} yet.")
    if look.verdict[0]:
        return look.verdict[0], line(f"{look.verdict[1]} {words}")
    if module is None:
        return role, line(words)
    if look.page == "pair" and look.other is not None and look.other.module is not None:
        pair_role, pair_words = _pair(module, look.other)
        return (pair_role if role == "reed" else role), line(f"{words} {pair_words}")
    set_role, set_words = _set(module, look)
    return (set_role if role == "reed" else role), line(f"{words} {set_words}")


def _obeys(lane: LaneSnapshot, module: ModuleSnapshot) -> tuple[str, str]:
    """Whether it answers, from its last exchanges."""
    ended = [each for each in module.items if isinstance(each, Exchange) and each.status]
    if module.mode == "data":
        return "amber", "It is in data mode: what is sent goes to the far end."
    if not ended:
        return "amber", "Nothing has been answered yet." if module.busy else "Nothing has been sent yet."
    silent = 0
    for each in reversed(ended):
        if each.status != NO_ANSWER:
            break
        silent += 1
    if silent:
        commands = "command" if silent == 1 else f"{silent} commands"
        return "coral", f"No answer to the last {commands} at {lane.settings}."
    done = module.exchanges - module.refused - module.unanswered
    parts = [f"{done} of {figures.several(module.exchanges, 'command')} done"]
    parts += [f"{module.refused} refused"] if module.refused else []
    parts += [f"{module.unanswered} unanswered"] if module.unanswered else []
    slow = module.dialect.slow
    if slow:
        passed = f"A pattern of its dialect takes too long and is passed over: {safe_label(slow[0])[:60]}"
        return "amber", f"It obeys: {', '.join(parts)}. {passed}."
    return "reed", f"It obeys: {', '.join(parts)}."


def _set(module: ModuleSnapshot, look: ModuleChoices) -> tuple[str, str]:
    """Whether it is set as intended."""
    rows = [each for each in rows_of(module, look.intended) if each.intended]
    if not rows:
        return "reed", ""
    differ = [each.setting.name for each in rows if each.differs]
    unread = sum(each.differs is None for each in rows)
    if differ:
        return "amber", f"{len(differ)} of {len(rows)} intended settings differ: {', '.join(differ[:5])}."
    if unread:
        return "amber", f"{unread} of {len(rows)} intended settings have not been read yet."
    return "reed", f"All {len(rows)} intended settings are as intended."


def _pair(module: ModuleSnapshot, other: LaneSnapshot) -> tuple[str, str]:
    assert other.module is not None, "asked only of a module"
    try:
        rules = compared(module, other.module)
    except Trouble as trouble:
        return "amber", str(trouble)
    broken = [each.setting.name for each in rules if each.holds is False]
    unread = sum(each.holds is None for each in rules)
    name = safe_label(other.name)
    if broken:
        return "coral", f"Against {name} {len(broken)} of {len(rules)} rules are broken: {', '.join(broken)}."
    if unread:
        return "amber", f"Against {name} {unread} of {len(rules)} rules cannot be judged yet."
    return "reed", f"Against {name} all {len(rules)} rules hold."
