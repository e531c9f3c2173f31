"""What a choice of sentences would mean, before anything is sent: bytes a second, how full the line, facts that vanish.

A sentence is named by its formatter, whatever the talkers: GSV stands for the lists of all systems.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Final, NamedTuple

from pale_heron.core.gnss.facts_lost import facts_carried

TYPICAL_BYTES: Final = {
    "RMC": 76,
    "GGA": 80,
    "GNS": 80,
    "GSA": 240,
    "GSV": 560,
    "GLL": 52,
    "VTG": 42,
    "ZDA": 38,
    "GST": 55,
    "TXT": 50,
}
"""What one saying takes where it was not heard yet, of a receiver with four systems; an estimate."""


class CurrentSentence(NamedTuple):
    """A formatter as it comes now, all talkers and parts together."""

    per_s: float
    bytes_per_s: float


@dataclass(frozen=True, slots=True)
class PlannedSentence:
    """One row of the choice. `wanted` is every how many epochs; None leaves it as it is."""

    name: str
    heard: CurrentSentence | None
    wanted: int | None
    bytes_per_s: float
    """As it would be; about, since the length of lists changes with the sky."""


@dataclass(frozen=True, slots=True)
class SentencePlan:
    """All rows, what they add up to, and what would no longer be known."""

    rows: tuple[PlannedSentence, ...]
    bytes_now: float
    bytes_then: float
    facts_lost: tuple[str, ...]
    appearing: tuple[str, ...]

    @property
    def changes(self) -> dict[str, int]:
        """What would be sent: the interval of each sentence that is to change."""
        return {row.name: row.wanted for row in self.rows if row.wanted is not None}


def plan(
    heard: Mapping[str, CurrentSentence], choices: Iterable[str], wanted: Mapping[str, int], epochs_per_s: float
) -> SentencePlan:
    """The plan for `wanted` intervals of the sentences that can be chosen, beside those that come anyway."""
    names = [*choices, *(name for name in heard if name not in set(choices))]
    rows = tuple(_row(name, heard.get(name), wanted.get(name), epochs_per_s) for name in names)
    before = list(heard)
    after = [row.name for row in rows if row.bytes_per_s > 0]
    known_before, known_after = facts_carried(before), facts_carried(after)
    return SentencePlan(
        rows,
        sum(each.bytes_per_s for each in heard.values()),
        sum(row.bytes_per_s for row in rows),
        tuple(fact for fact in known_before if fact not in known_after),
        tuple(fact for fact in known_after if fact not in known_before),
    )


def _row(name: str, heard: CurrentSentence | None, wanted: int | None, epochs_per_s: float) -> PlannedSentence:
    if wanted is None:
        return PlannedSentence(name, heard, None, heard.bytes_per_s if heard else 0.0)
    if wanted == 0:
        return PlannedSentence(name, heard, 0, 0.0)
    return PlannedSentence(name, heard, wanted, _bytes_a_saying(name, heard, epochs_per_s) * epochs_per_s / wanted)


def _bytes_a_saying(name: str, heard: CurrentSentence | None, epochs_per_s: float) -> float:
    """What comes in an epoch in which it is said."""
    if heard is None or not heard.per_s:
        return TYPICAL_BYTES.get(name, 60)
    # Said more rarely than epochs come, each of its sentences is one saying.
    return heard.bytes_per_s / min(heard.per_s, epochs_per_s)
