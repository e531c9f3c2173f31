"""The answer for somebody in a hurry: each question, how it stands, and a sentence."""

import re
from collections.abc import Iterable, Sequence
from typing import Final

from pale_heron.answers.answer import QUESTIONS, ViewAnswer, answered
from pale_heron.answers.clock import clock_answer
from pale_heron.answers.fix import fix_answer
from pale_heron.answers.line import line_answer
from pale_heron.answers.link import link_answer
from pale_heron.answers.module import module_answer
from pale_heron.core import figures
from pale_heron.core.gnss.scatter import scatter
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.proof.expectation import FAILED, NOT_SHOWN, PASSED
from pale_heron.core.wire.visible import safe_label
from pale_heron.report.report import ReportMatter, ShortAnswer

BADLY: Final = ("coral", "amber", "quiet", "reed")
"""What is told of several: the worst."""

_KEY: Final = re.compile(r" \((?:[a-zA-Z]|[a-zA-Z] in the list)\)")


def printed(text: str) -> str:
    """Words of the screen on paper: without the keys that do there what is advised."""
    return _KEY.sub("", text.replace("\u00a0", " "))


def in_short(matter: ReportMatter) -> tuple[ShortAnswer, ...]:
    """One sentence for each of the seven questions; what nothing was recorded of says so."""
    shown = matter.shown
    lanes = shown.lanes
    receivers = [lane for lane in lanes if lane.fix.facts or lane.fix.sky.satellites]
    modules = [lane for lane in lanes if lane.module is not None and lane.module.exchanges]
    clock = matter.known.clock
    told = {
        "line": _worst((lane.name, line_answer(shown, lane)) for lane in lanes),
        "traffic": _said(lanes),
        "fix": _worst((lane.name, fix_answer(shown, lane, scatter(lane.fix.track))) for lane in receivers),
        "clock": clock_answer(clock) if clock.tells and matter.timed else None,
        "module": _worst((lane.name, module_answer(lane, {})) for lane in modules),
        "link": _worst((f"trial {number}", link_answer(trial)) for number, trial in matter.known.numbered_trials()),
        "proof": _held(matter),
    }
    return tuple(
        ShortAnswer(QUESTIONS[name], answer.role, printed(answer.text))
        if answer is not None
        else ShortAnswer(QUESTIONS[name], "quiet", NOTHING[name])
        for name, answer in told.items()
    )


NOTHING: Final = {
    "line": "Nothing was recorded.",
    "traffic": "No line was recorded.",
    "fix": "No receiver was recorded.",
    "clock": "Not known: nothing here tells when a time arrived.",
    "module": "No module was spoken to.",
    "link": "No trial was run.",
    "proof": "Nothing was expected of it.",
}


def _worst(answers: Iterable[tuple[str, ViewAnswer]]) -> ViewAnswer | None:
    """Of several subjects the one that stands worst, and how many there are besides."""
    found = list(answers)
    if not found:
        return None
    name, answer = min(found, key=lambda each: BADLY.index(each[1].role) if each[1].role in BADLY else len(BADLY))
    if len(found) == 1:
        return answer
    better = [other for other, each in found if each.role == "reed" and other != name]
    rest = f" Well: {', '.join(map(safe_label, better))}." if better else ""
    return answered(answer.role, f"{safe_label(name)}: {answer.text}{rest}")


def _said(lanes: Sequence[LaneSnapshot]) -> ViewAnswer | None:
    """What was said over all of the record."""
    types = {each.type for lane in lanes for each in lane.line.types}
    count = sum(each.count for lane in lanes for each in lane.line.types)
    bad = sum(lane.line.damaged for lane in lanes)
    if not count:
        return None
    words = f"{figures.several(count, 'line')} of {figures.several(len(types), 'type')} on "
    words += f"{figures.several(sum(bool(lane.line.frames) for lane in lanes), 'lane')}, {bad} damaged."
    return answered("coral" if bad else "reed", words)


def _held(matter: ReportMatter) -> ViewAnswer | None:
    if not matter.judged:
        return None
    counts = {
        outcome: sum(each.outcome == outcome for each in matter.judged) for outcome in (PASSED, FAILED, NOT_SHOWN)
    }
    role = "coral" if counts[FAILED] else "amber" if counts[NOT_SHOWN] else "reed"
    words = (
        f"Of {figures.several(len(matter.judged), 'expectation')} {counts[PASSED]} passed, {counts[FAILED]} failed, "
    )
    return answered(role, f"{words}{counts[NOT_SHOWN]} not shown.")
