"""Names of satellites as in RINEX 3: a letter for the system and the number within it.

Sentences number satellites in several ways: with the talker or the system id naming the system, or by ranges within one
list (NMEA 0183 4.11, tables 20 and 21). The same satellite must get the same name from each.
"""

from functools import lru_cache
from typing import Final, NamedTuple

from pale_heron.core.nmea.systems import BY_ID, BY_TALKER

_RANGES: Final = (
    (1, 32, "G", 0),
    (33, 64, "S", 13),
    (65, 99, "R", 64),
    (120, 158, "S", 100),
    (193, 202, "J", 192),
    (201, 264, "C", 200),
    (301, 336, "E", 300),
    (401, 463, "C", 400),
)
"""From, to, system and what is taken off the number, where the system is not named."""

_OWN_RANGES: Final = {
    "G": ((1, 32, "G", 0), (33, 64, "S", 13), (120, 158, "S", 100), (193, 202, "J", 192)),
    "R": ((1, 32, "R", 0), (33, 64, "S", 13), (65, 99, "R", 64)),
    "E": ((1, 36, "E", 0), (301, 336, "E", 300)),
    "C": ((1, 64, "C", 0), (201, 264, "C", 200), (401, 464, "C", 400)),
    "J": ((1, 10, "J", 0), (193, 202, "J", 192)),
}


class SatelliteName(NamedTuple):
    """System letter and number, as in G07."""

    system: str
    number: int

    def __str__(self) -> str:
        return f"{self.system}{self.number:02d}"


def system_of(talker: str, system_id: int | None = None) -> str | None:
    """The system letter that a talker or a system id names; None where neither does."""
    return BY_ID.get(system_id or 0) or BY_TALKER.get(talker)


@lru_cache(maxsize=1024)
def satellite_name(system: str | None, number: int) -> SatelliteName:
    """The name of satellite `number` of a sentence for `system`, or for several systems (None)."""
    ranges = _RANGES if system is None else _OWN_RANGES.get(system, ())
    for low, high, letter, less in ranges:
        if low <= number <= high:
            return SatelliteName(letter, number - less)
    return SatelliteName(system or "?", number)
