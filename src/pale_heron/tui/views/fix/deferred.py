"""The figures of Fix that take a moment to compute."""

from pale_heron.bench.distance import distance_and_bearing
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.comparison import compare
from pale_heron.core.gnss.earth.notation import misread
from pale_heron.core.gnss.earth.points import Point
from pale_heron.core.gnss.epochs.log import Epochs
from pale_heron.core.gnss.scatter import Scatter, scatter

__all__ = ["compare", "distance", "scattered", "warning"]


def scattered(track: Epochs, span_s: int, reference: Point | None) -> Scatter | None:
    """The scatter of the last `span_s` seconds, of all that is kept where that is 0."""
    newest = track[-1].arrived if len(track) else None
    if span_s and newest is not None:
        track = track.since(newest - span_s * SECOND)
    return scatter(track, reference)


def distance(reference: Point | None, here: tuple[float, ...]) -> tuple[float, float] | None:
    """Metres and degrees from the reference to a position; None where either is missing."""
    if reference is None or len(here) != 2:
        return None
    return distance_and_bearing(reference.latitude, reference.longitude, *here)


def warning(reference: Point | None, here: tuple[float, ...]) -> str:
    """What is suspicious of a reference: it lies near only when its decimals are read as packed minutes."""
    meant = misread(reference, *here) if reference is not None and len(here) == 2 else None
    if meant is None:
        return ""
    return (
        f"Packed minutes taken for decimals? Read as degrees and minutes it is {meant.latitude:.5f} "
        f"{meant.longitude:.5f}, which is here."
    )
