"""Whether GGA and RMC, the two sentences that carry most, say the same of one epoch: each other, and each its own."""

from collections.abc import Sequence
from math import hypot
from typing import Final

from pale_heron.core.gnss.earth.geodesy import offset_m
from pale_heron.core.gnss.epochs.plausibility import PlausibilityChecks
from pale_heron.core.gnss.epochs.tracker import OpenEpoch
from pale_heron.core.nmea.raw import is_near, unpacked

BURST_SHARE: Final = 0.35
"""What comes within so much of the usual time between epochs is of one burst."""


OTHER_SOLUTION_M: Final = 20.0
"""As far apart may be what one system alone gives, and all of them together."""

SPEED_KNOTS, SPEED_SHARE = 0.5, 0.1
"""So much, or this share if that is more, two speeds of one epoch may differ."""


class Agreement:
    """Compares them, and reports to `plausibility`."""

    def __init__(self, plausibility: PlausibilityChecks) -> None:
        self._plausibility = plausibility
        self.last: dict[str, tuple[int, int]] = {}
        """The time of day that each gave last, and when it came."""

    def times(self, formatter: str, other: str, told: int | None, arrived: int | None, usual: int) -> None:
        """They give one time in one burst, which is short against the `usual` time between epochs."""
        if told is None or arrived is None:
            self.last.pop(formatter, None)
            return
        self.last[formatter] = told, arrived
        other_told, before = self.last.get(other, (None, 0))
        if other_told is not None and 0 <= arrived - before < BURST_SHARE * usual:
            self._plausibility.compared("time", other_told == told)

    def speeds(self, by_rmc: float | None, by_vtg: float | None) -> None:
        """RMC and VTG give one speed of an epoch, knots."""
        if by_rmc is not None and by_vtg is not None:
            agree = abs(by_rmc - by_vtg) <= max(SPEED_KNOTS, SPEED_SHARE * max(by_rmc, by_vtg))
            self._plausibility.compared("speed", agree)

    def again(self, before: Sequence[bytes], now: Sequence[bytes], least_m: float = 0.0) -> None:
        """Two sentences of one kind give a place of one epoch, or none (no fields); as far apart they are the same."""
        if bool(before) != bool(now):
            self._plausibility.contradicted += 1
        here, there = unpacked(tuple(before)), unpacked(tuple(now))
        if here is not None and there is not None and not is_near(tuple(before), tuple(now)):
            apart = hypot(*offset_m(*here, *there))
            if apart > least_m:
                self._plausibility.apart(apart)

    def epoch(self, whole: OpenEpoch) -> None:
        """They give one validity and one position of an epoch, which is whole."""
        if whole.fixed_by_gga is None or whole.fixed_by_rmc is None:
            return
        self._plausibility.compared("validity", whole.fixed_by_gga == whole.fixed_by_rmc)
        if whole.where and whole.where_by_rmc:
            alike = whole.where == whole.where_by_rmc or is_near(whole.where, whole.where_by_rmc)
            self._plausibility.compared("position", alike)
