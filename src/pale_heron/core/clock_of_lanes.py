"""What a bench, or a capture, knows of time: the picture of its lanes and of its clocks."""

from collections.abc import Iterable

from pale_heron.core.clock.clock_object import ClockPicture, picture_of
from pale_heron.core.clock.tracker import ClockSnapshot
from pale_heron.core.lane import LaneSnapshot


def clock_of(lanes: Iterable[LaneSnapshot], known: ClockSnapshot) -> ClockPicture:
    """All of it."""
    every = tuple(lanes)
    standing = {each.name: _standing(each) for each in every if each.lag.counted}
    return picture_of(((each.name, each.lag) for each in every), known)._replace(receivers=standing)


def _standing(lane: LaneSnapshot) -> str:
    used = lane.fix.fresh("satellites_used")
    satellites = f", {used} satellites" if used is not None else ""
    return f"{lane.fix.state.state}{satellites}" if lane.fix.facts else ""
