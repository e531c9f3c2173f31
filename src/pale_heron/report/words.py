"""Words that stand on charts: spans of time, lengths, counts."""

from datetime import UTC, datetime

from pale_heron.core.figures import duration
from pale_heron.core.frames import SECOND


def span_words(begin: int | None, end: int | None, *, dated: bool = True) -> str:
    """`2031-05-04 09:40:00 to 09:44:12 UTC (4 min 12 s)`; without the day where nobody knows it."""
    if begin is None or end is None:
        return "times unknown"
    first, last = (datetime.fromtimestamp(moment // SECOND, UTC) for moment in (begin, end))
    passed = duration((end - begin) / SECOND)
    if not dated:
        return f"{first:%H:%M:%S} to {last:%H:%M:%S}, of a day that is not known ({passed})"
    later = f"{last:%H:%M:%S}" if first.date() == last.date() else f"{last:%Y-%m-%d %H:%M:%S}"
    return f"{first:%Y-%m-%d %H:%M:%S} to {later} UTC ({passed})"


def metres(value: float) -> str:
    """Three figures that count, down to a millimetre."""
    return "0.000 m" if abs(value) < 0.0005 else f"{value:.3g} m"


def positions(count: int) -> str:
    """`1 position`, `127 positions`."""
    return f"{count} position{'' if count == 1 else 's'}"
