"""What can be set at Curlew, and the versions of the standard that it can keep to."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final, NamedTuple

SENTENCES = ("RMC", "GGA", "GSA", "GSV", "GLL", "VTG", "ZDA", "GST", "TXT")

WAIT, LEAVE = "WAIT", "LEAVE"
FULL_LINE: Final = {
    WAIT: "an epoch waits until the one before it is out",
    LEAVE: "sentences that find no room are left out",
}
"""What it does when it has more to say than the line carries. Either way a sentence is sent whole, or not."""


class NmeaVersion(NamedTuple):
    """What differs in the sentences of one version of NMEA 0183."""

    systems: str
    """The satellite systems for which it has talkers and numbers."""
    with_ids: bool
    """Whether GSA ends with the system, GSV with the signal, and RMC with the navigational status (from 4.1 on)."""
    modes: Mapping[int, str]
    """The mode letter of each GGA quality: letters for RTK came later than those of 2.3."""


VERSIONS: Final = {
    "4.11": NmeaVersion("GREC", with_ids=True, modes={1: "A", 2: "D", 4: "R", 5: "F"}),
    "2.30": NmeaVersion("GR", with_ids=False, modes={1: "A", 2: "D", 4: "D", 5: "D"}),
}
NEWEST: Final = "4.11"


@dataclass(frozen=True, slots=True)
class CurlewSetup:
    """Line rate, time between epochs, systems, and every how many epochs a sentence comes (0: never)."""

    rate: int = 9600
    every_ms: int = 1000
    systems: str = "GREC"
    intervals: dict[str, int] = field(default_factory=lambda: dict.fromkeys(SENTENCES, 1) | {"GSV": 4, "TXT": 60})
    nmea: str = NEWEST
    full_line: str = LEAVE

    @property
    def version(self) -> NmeaVersion:
        return VERSIONS[self.nmea]


def fitting(data: bytes, room: int) -> bytes:
    """The whole sentences of `data`, in their order, for which there is room."""
    taken: list[bytes] = []
    for sentence in data.splitlines(keepends=True):
        if len(sentence) <= room:
            taken.append(sentence)
            room -= len(sentence)
    return b"".join(taken)
