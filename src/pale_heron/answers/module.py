"""Does the module obey, and is it set as intended?"""

from collections.abc import Mapping

from pale_heron.answers.answer import ViewAnswer, answered
from pale_heron.bench.config.intended_settings import compared, rows_of
from pale_heron.core import figures
from pale_heron.core.device.dialogue.exchanges import Exchange
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot
from pale_heron.core.device.schema.notices import NO_ANSWER, UNCLEAR
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.diagnosis.stages import LaneOpening
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label


def module_answer(
    lane: LaneSnapshot,
    intended: Mapping[str, str],
    other: LaneSnapshot | None = None,
    routine: tuple[str, str] = ("", ""),
) -> ViewAnswer:
    """How it stands, in a sentence or two.

    `other` is the lane of a module that it is compared with, `routine` how a routine stands: its role and words.
    """
    module = lane.module
    name = safe_label(lane.name)
    role, words = _obeys(lane, module) if module is not None else ("amber", f"Nothing has been sent to {name} yet.")
    if routine[0]:
        return answered(routine[0], f"{routine[1]} {words}")
    if module is None:
        return answered(role, words)
    if other is not None and other.module is not None:
        more_role, more_words = _pair(module, other)
    else:
        more_role, more_words = _set(module, intended)
    return answered(more_role if role == "reed" else role, f"{words} {more_words}")


def _obeys(lane: LaneSnapshot, module: ModuleSnapshot) -> tuple[str, str]:
    """Whether it answers, from its last exchanges."""
    ended = [each for each in module.items if isinstance(each, Exchange) and each.status]
    if lane.opening is LaneOpening.LOST:
        said = f", {module.exchanges - module.unanswered} of {figures.several(module.exchanges, 'command')} answered"
        return "coral", f"Unknown now: {safe_label(lane.name)} is gone{said if module.exchanges else ''}."
    if lane.opening is LaneOpening.LET_GO:
        return "amber", f"{safe_label(lane.name)} is closed here, for others to have its port."
    if module.mode == "data":
        return "amber", f"It is in data mode ({module.mode_why}): what is sent goes to the far end."
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
    if all(each.status == UNCLEAR for each in ended[-2:]):
        words = "It answers, with no result that is known: A says how its replies end, and D which dialect it speaks."
        return "amber", words
    done = module.exchanges - module.refused - module.unanswered - module.unclear
    parts = [f"{done} of {figures.several(module.exchanges, 'command')} done"]
    parts += [f"{module.refused} refused"] if module.refused else []
    parts += [f"{module.unanswered} unanswered"] if module.unanswered else []
    parts += [f"{module.unclear} with no result that is known"] if module.unclear else []
    slow = module.dialect.slow
    if slow:
        passed = f"A pattern of its dialect takes too long and is passed over: {safe_label(slow[0])[:60]}"
        return "amber", f"It obeys: {', '.join(parts)}. {passed}."
    return "reed", f"It obeys: {', '.join(parts)}."


def _set(module: ModuleSnapshot, intended: Mapping[str, str]) -> tuple[str, str]:
    """Whether it is set as intended."""
    rows = [each for each in rows_of(module, intended) if each.intended]
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
