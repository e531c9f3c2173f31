"""What was chosen in Module, and what the painters of its pages share."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final

from pale_heron.bench.operations.receiver import DOING, DONE, FAILED, OperationStep
from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import Line, line, wrapped

PAGES: Final = {
    "exchanges": "exchanges",
    "state": "state",
    "settings": "settings",
    "pair": "two modules",
    "routine": "routine",
}
SIGNS: Final = {DOING: ("◐", "amber"), DONE: ("●", "reed"), FAILED: ("✕", "coral")}


@dataclass(frozen=True, slots=True)
class CurrentOperation:
    """The operation under way, or the last one."""

    title: str
    steps: tuple[OperationStep, ...]
    succeeded: bool | None


@dataclass(frozen=True, slots=True)
class ModuleChoices:
    """`chosen` is the number of an exchange, None for the newest; `row` that of a settings table."""

    page: str = "exchanges"
    chosen: int | None = None
    row: int = 0
    opened: int | None = None
    """The first line of the chosen exchange that is shown over the whole page; None while it stands beside the list."""
    live: bool = True
    other: LaneSnapshot | None = None
    intended: Mapping[str, str] = field(default_factory=dict)
    doing: CurrentOperation | None = None
    routine: tuple[Line, ...] = ()
    """What the routine page shows, painted by its own painter."""
    verdict: tuple[str, str] = ("", "")
    """How the routine stands: its role and words; empty where none was run."""


def age(now: int, time: int | None) -> str:
    """`0.4 s ago`."""
    return figures.age(None if time is None else max(0.0, (now - time) / SECOND))


def progress(doing: CurrentOperation | None, width: int, rows: int) -> list[Line]:
    """The last steps of the operation, the newest last."""
    if doing is None or rows < 2:
        return []
    words, role = {None: ("under way", "amber"), True: ("done", "reed"), False: ("failed", "coral")}[doing.succeeded]
    out: list[Line] = []
    for step in doing.steps:
        sign, sign_role = SIGNS[step.outcome]
        seen = f": {step.seen}" if step.seen else ""
        row = line((f"{sign} ", sign_role), safe_label(step.words), (safe_label(seen), "quiet"))
        out += wrapped(row, width)
    keys = "   x gives it up" if doing.succeeded is None else ""
    head = line((doing.title.upper(), "quiet"), (f"  {words}", f"*{role}"), (keys, "quiet"))
    return [head, *out[-(rows - 1) :]]
