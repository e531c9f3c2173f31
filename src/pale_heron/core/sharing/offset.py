"""By what the positions of a capture are moved."""

from typing import Final, NamedTuple

UNITS: Final = 10**7
"""Of a minute: finer than any receiver says."""


class PlaceOffset(NamedTuple):
    """What is added to latitude and longitude, in ten millionths of a minute."""

    latitude: int
    longitude: int
