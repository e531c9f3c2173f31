"""What was chosen in Fix, and what its pages have in common."""

from dataclasses import dataclass
from typing import Final

from pale_heron.core.gnss.comparison import Comparison
from pale_heron.core.gnss.earth.points import Point
from pale_heron.core.gnss.scatter import Scatter
from pale_heron.core.lane import LaneSnapshot

PAGES: Final = {
    "now": "now",
    "satellites": "satellites",
    "scatter": "scatter",
    "session": "session",
    "pair": "two receivers",
}
SPANS_S: Final = (180, 900, 3600, 0)
"""How much of the last positions the scatter takes, in seconds; 0 for all that are kept."""


@dataclass(frozen=True, slots=True)
class FixChoices:
    """What was chosen in this view, and the figures that take a moment to compute."""

    page: str = "now"
    first: int = 0
    """The first row of the page that is shown, where not all of them have room."""
    moment: int | None = None
    """A moment of the ribbon."""
    reference: Point | None = None
    reference_from: str = ""
    span_s: int = SPANS_S[0]
    scatter: Scatter | None = None
    other: LaneSnapshot | None = None
    """The lane that the chosen one is compared with."""
    comparison: Comparison | None = None
    distance: tuple[float, float] | None = None
    """Metres and degrees from the reference to the position now, over the ellipsoid."""
    warning: str = ""
    """What is suspicious of the reference."""
