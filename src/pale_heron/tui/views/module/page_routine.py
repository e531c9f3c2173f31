"""The page `routine` of Module: the steps, how each stands, how long it took, and what was seen."""

from typing import Final

from pale_heron.bench.config.routine_files import known_routines, routine_of_text
from pale_heron.bench.operations.routine import (
    DOING,
    ELSEWHERE,
    FAILED,
    LEFT_OUT,
    PASSED,
    WAITING,
    RoutineRun,
    StepStatus,
)
from pale_heron.core import figures
from pale_heron.core.device.schema.routine import Routine
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import BLANK, Line, Span, cut, ends, fitted, line, padded, wrapped

_SIGNS: Final = {
    WAITING: ("○", "faint"),
    DOING: ("◐", "amber"),
    PASSED: ("●", "reed"),
    FAILED: ("✕", "coral"),
    ELSEWHERE: ("↳", "amber"),
    LEFT_OUT: ("○", "faint"),
}
BAR: Final = 24


def paint_none(width: int) -> list[Line]:
    """What can be chosen."""
    rows: list[Line] = [line(("No routine is chosen. ", "text"), ("T", "amber"), (" chooses one of", "text")), BLANK]
    for name, text in known_routines().items():
        title = routine_of_text(text)[0].title
        rows += wrapped(line((f"  {name:<18}", "heron"), (safe_label(title), "quiet")), width)
    return rows


def paint(routine: Routine, lanes: list[str], run: RoutineRun | None, width: int, room: int) -> list[Line]:
    """The steps, those that are done now in the middle."""
    proposed = {name: each.value for name, each in routine.variables.items() if each.value}
    statuses = (
        run.statuses
        if run
        else tuple(StepStatus(each, each.words(proposed, routine.secrets)) for each in routine.steps)
    )
    named = [
        f"{own}: {lane}" if own else f"on {lane}" for own, lane in zip(routine.lanes or ("",), lanes, strict=False)
    ]
    title = line((safe_label(routine.title or routine.name), "*text"), (f"   {safe_label(', '.join(named))}", "quiet"))
    rows = [[*_step(each, index, len(lanes) > 1, width)] for index, each in enumerate(statuses, 1)]
    at = next((index for index, each in enumerate(statuses) if each.outcome in (DOING, FAILED)), None)
    head = [cut(title, width), _verdict(run, statuses), BLANK]
    left = room - len(head)
    flat = [row for each in rows for row in each]
    if len(flat) > left and at is not None:
        before = sum(len(each) for each in rows[:at])
        begin = max(0, min(len(flat) - left, before - left // 2))
        flat = flat[begin:]
    return [*head, *flat[:left]]


def _verdict(run: RoutineRun | None, statuses: tuple[StepStatus, ...]) -> Line:
    done = sum(each.outcome == PASSED for each in statuses)
    filled = round(BAR * done / max(1, len(statuses)))
    bar = (Span("━" * filled, "tide"), Span("─" * (BAR - filled), "faint"))
    count = f"  {done} of {figures.several(len(statuses), 'step')}  "
    if run is None:
        return line(*bar, (count, "quiet"), ("enter runs it, space does one step, T another", "quiet"))
    if run.succeeded is None:
        words = "held: space does the next step, enter all that are left" if run.held else "under way: x gives it up"
        return line(*bar, (count, "quiet"), (words, "amber"))
    words, role = ("passed", "reed") if run.succeeded else ("failed", "coral")
    return line(*bar, (count, "quiet"), (words, f"*{role}"), ("   enter runs it again", "quiet"))


def _step(status: StepStatus, index: int, several: bool, width: int) -> list[Line]:
    sign, role = _SIGNS[status.outcome]
    took = "" if status.seconds is None else f"{status.seconds:.2f} s"
    lane = fitted(safe_label(status.step.lane), 6) + " " if several else ""
    quiet = "faint" if status.outcome in (WAITING, LEFT_OUT) else "text"
    head = line((f"{index:>3} ", "quiet"), (f"{sign} ", role), (lane, "heron"), (safe_label(status.words), quiet))
    rows = [padded(ends(head, line((f"{took:>9}", "quiet")), min(width, 96)), width)]
    if status.seen:
        seen_role = "coral" if status.outcome == FAILED else "quiet"
        indent = 6 + len(lane)
        seen = wrapped(line((safe_label(status.seen), seen_role)), width - indent)
        rows += [line((" " * indent, "text"), *row) for row in seen]
    return rows


def verdict(run: RoutineRun) -> tuple[str, str]:
    """How a run stands, for the answer of the view."""
    statuses = run.statuses
    done = sum(each.outcome == PASSED for each in statuses)
    name = safe_label(run.routine.name)
    if run.succeeded is None:
        return "amber", f"The routine {name} is under way: {done} of {figures.several(len(statuses), 'step')} passed."
    if run.succeeded:
        return "reed", f"The routine {name} passed: {figures.several(len(statuses), 'step')}."
    index = next((at for at, each in enumerate(statuses, 1) if each.outcome != PASSED), len(statuses))
    return "coral", f"The routine {name} failed at step {index} of {len(statuses)}."
