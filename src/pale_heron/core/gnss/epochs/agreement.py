"""Whether GGA and RMC, the two sentences that carry most, say the same of one epoch."""

from typing import Final

from pale_heron.core.gnss.epochs.plausibility import PlausibilityChecks
from pale_heron.core.gnss.epochs.tracker import OpenEpoch
from pale_heron.core.nmea.raw import is_near

BURST_SHARE: Final = 0.35
"""What comes within so much of the usual time between epochs is of one burst."""


class Agreement:
    """Compares them, and reports to `plausibility`."""

    def __init__(self, plausibility: PlausibilityChecks) -> None:
        self._plausibility = plausibility
        self._times: dict[str, tuple[bytes, int | None]] = {}
        """The time that each gave last, and when it came."""

    def times(self, formatter: str, other: str, time: bytes, arrived: int | None, usual: int) -> None:
        """They give one time in one burst, which is short against the `usual` time between epochs."""
        self._times[formatter] = time, arrived
        other_time, before = self._times.get(other, (b"", None))
        if (
            other_time
            and time
            and before is not None
            and arrived is not None
            and 0 <= arrived - before < BURST_SHARE * usual
        ):
            self._plausibility.compared("time", other_time == time)

    def last_times(self) -> dict[str, tuple[bytes, int | None]]:
        """The time that each gave last, and when it came."""
        return dict(self._times)

    def leap(self, formatter: str, time: bytes, arrived: int) -> None:
        """Many were compared elsewhere (`batches.folds`); this is the last of them."""
        self._times[formatter] = time, arrived

    def epoch(self, whole: OpenEpoch) -> None:
        """They give one validity and one position of an epoch, which is whole."""
        if whole.fixed_by_gga is None or whole.fixed_by_rmc is None:
            return
        self._plausibility.compared("validity", whole.fixed_by_gga == whole.fixed_by_rmc)
        if whole.where and whole.where_by_rmc:
            alike = whole.where == whole.where_by_rmc or is_near(whole.where, whole.where_by_rmc)
            self._plausibility.compared("position", alike)
