"""The satellite systems: their letters in RINEX 3, their names, their system ids and talkers in NMEA 0183 4.11."""

from collections.abc import Mapping
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
MODES_OF: Final = "GRECJI"
"""Whose the letters of GNS are, in their order (8.3.46)."""

SIGNALS: Final[Mapping[str, Mapping[int, str]]] = {
    "G": dict(enumerate(("L1 C/A", "L1 P(Y)", "L1 M", "L2 P(Y)", "L2C-M", "L2C-L", "L5-I", "L5-Q"), 1)),
    "R": dict(enumerate(("G1 C/A", "G1 P", "G2 C/A", "G2 P"), 1)),
    "E": dict(enumerate(("E5a", "E5b", "E5a+b", "E6-A", "E6-BC", "L1-A", "L1-BC"), 1)),
    "C": dict(enumerate(("B1I", "B1Q", "B1C", "B1A", "B2-a", "B2-b", "B2 a+b", "B3I", "B3Q", "B3A", "B2I", "B2Q"), 1)),
    "J": dict(enumerate(("L1 C/A", "L1C (D)", "L1C (P)", "LIS", "L2C-M", "L2C-L", "L5-I", "L5-Q", "L6D", "L6E"), 1)),
    "I": dict(enumerate(("L5-SPS", "S-SPS", "L5-RS", "S-RS", "L1-SPS"), 1)),
}
"""Signals by the system and their number (table 20 of 4.11)."""

BY_ID: Final = {number: letter for letter, system in SYSTEMS.items() for number in system.ids}
BY_TALKER: Final = {talker: letter for letter, system in SYSTEMS.items() for talker in system.talkers}
TALKERS: Final = {
    **{talker: SYSTEMS[letter].name for talker, letter in BY_TALKER.items()},
    "GN": "several systems together",
    "P": "proprietary",
}
"""Who speaks, in words."""
