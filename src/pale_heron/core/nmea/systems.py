"""The satellite systems: their letters in RINEX 3, their names, their system ids and talkers in NMEA 0183 4.11."""

from typing import Final, NamedTuple


class System(NamedTuple):
    """`ids` are those of table 20, `talkers` those of table 2 and the ones that came into use before it."""

    name: str
    ids: tuple[int, ...] = ()
    talkers: tuple[str, ...] = ()


SYSTEMS: Final = {
    "G": System("GPS", (1,), ("GP",)),
    "R": System("GLONASS", (2,), ("GL",)),
    "E": System("Galileo", (3,), ("GA",)),
    "C": System("BeiDou", (4,), ("GB", "BD")),
    "J": System("QZSS", (5,), ("GQ", "QZ")),
    "I": System("NavIC", (6,), ("GI",)),
    "S": System("SBAS"),
    "?": System("unknown"),
}
BY_ID: Final = {number: letter for letter, system in SYSTEMS.items() for number in system.ids}
BY_TALKER: Final = {talker: letter for letter, system in SYSTEMS.items() for talker in system.talkers}
TALKERS: Final = {
    **{talker: SYSTEMS[letter].name for talker, letter in BY_TALKER.items()},
    "GN": "several systems together",
    "P": "proprietary",
}
"""Who speaks, in words."""
