"""What a trial is: written into the record when it begins, so that a capture gives the same results again."""

import math
from collections.abc import Iterable, Mapping
from typing import Any, Final, NamedTuple

from pale_heron.core.link.content import CONTENTS, LONGEST_BLOCK, SHORTEST_BLOCK
from pale_heron.core.link.rules import Rule, parse_rule
from pale_heron.core.patterns import Broken, Pattern
from pale_heron.core.wire.probe import LONGEST, SHORTEST

DELIVERY, EXCHANGE, THROUGHPUT, SENTENCES = "delivery", "exchange", "throughput", "sentences"
BEACON: Final = "beacon"
KINDS: Final = (DELIVERY, EXCHANGE, THROUGHPUT, SENTENCES, BEACON)
FOLLOWED: Final = (SENTENCES, BEACON)
"""Kinds in which nothing is sent: what is said anyway is followed."""

FAR_ENDS: Final = {
    "lane": "the other end is a lane here too",
    "answer": "the other end answers each probe, and says what it got",
    "echo": "the other end sends back what it gets",
}
LETTERS: Final = ("A", "B")
WIRINGS: Final = {
    "direct": "by a cable, end to end",
    "bridge": "through a bridge or a network",
    "loop": "a loop: what is sent comes back at once",
    "air": "over the air",
}
"""How a test is wired, as a person says."""


class TrialDescription(NamedTuple):
    """`probes` is how many each way, or rounds, or blocks; 0 goes on until it is stopped. Times in seconds."""

    kind: str
    trial: int
    """Its number, 0 to 65535, which every probe carries."""
    lanes: tuple[str, ...]
    """The lane that sends first, then the other one where both ends are here."""
    far: str = "lane"
    one_way: bool = False
    probes: int = 100
    every_s: float = 0.2
    size: int = 32
    limit_s: float = 2.0
    at_most_lost: float = 0.0
    """The share that may be lost or damaged, 0 to 1."""
    rule: Rule = Rule("echo")
    left_before: Mapping[str, int] = {}
    """Bytes that were waiting on each lane before the first probe, and were taken out."""
    content: str = "random"
    """What blocks are filled with."""
    for_s: float = 0.0
    """How long blocks are sent; 0 where their number says that."""
    ceilings: Mapping[str, float] = {}
    """Bytes a second that each lane carries at most by its rate and its frame format; without those that have none."""
    at_least: float = 0.0
    """Payload bytes a second that are claimed; 0 for no claim."""
    position: str = ""
    """The lane of the receiver that says where the moving end is; empty where distance is of no interest."""
    place: tuple[float, ...] = ()
    """Latitude and longitude, signed degrees, from which distance is counted."""
    place_lane: str = ""
    """Or the lane of the receiver there."""
    strength: tuple[str, ...] = ()
    """A lane, and the name of the reading with which its module says how strong a frame came."""
    through: tuple[str, ...] = ()
    """Lanes on which probes go through the module's own payload command, and arrive as its notice."""
    wiring: str = ""
    """One of WIRINGS; empty where nobody said."""
    cell: tuple[str, ...] = ()
    """Row and column in the matrix of a plan."""
    wait_s: float = 0.0
    """So long the first sign of a far end is waited for, or of a client; 0 for not at all."""
    line: str = ""
    """A regular expression: the line that a beacon says again and again; empty where it is to be found."""
    stream: bool = False
    """Of a beacon: whatever comes counts, once an interval."""
    ignore: str = ""
    """A regular expression: lines of an exchange that match it are passed over."""
    ending: str = ""
    """The line end that is sent, where it is another one than the lane's."""

    @property
    def ends_by_itself(self) -> bool:
        """Whether a number or a time ends it, and not somebody who stops it."""
        return self.probes > 0 or self.for_s > 0

    @property
    def asked(self) -> int | None:
        """How many are to be sent each way, or rounds; None where a time, or somebody, ends it."""
        return self.probes or None

    @property
    def wanted_lanes(self) -> tuple[str, ...]:
        """All that have to be open for it: its ends, and those that say where they are and how strong it came."""
        others = (self.position, self.place_lane, *self.strength[:1])
        return tuple(dict.fromkeys((*self.lanes, *(each for each in others if each))))

    def details(self) -> dict[str, Any]:
        """What stands in the event."""
        return {
            **self._asdict(),
            "lanes": list(self.lanes),
            "rule": str(self.rule),
            "pairs": dict(self.rule.pairs),
            "left_before": dict(self.left_before),
            "ceilings": dict(self.ceilings),
            **{name: list(getattr(self, name)) for name in ("place", "strength", "through", "cell")},
        }


def description_of(details: Mapping[str, Any]) -> TrialDescription | None:
    """A trial as its event describes it; None where that is not to be believed (a capture may say anything)."""
    try:
        lanes = tuple(str(lane) for lane in details["lanes"])
        pairs = {str(key): str(value) for key, value in dict(details.get("pairs", {})).items()}
        found = TrialDescription(
            kind=str(details["kind"]),
            trial=_whole(details["trial"], 0, 0xFFFF),
            lanes=lanes,
            far=str(details["far"]),
            one_way=details["one_way"] is True,
            probes=_whole(details["probes"], 0, 10**9),
            every_s=_number(details["every_s"], 0, 86_400),
            size=_whole(details["size"], *sizes(str(details["kind"]))),
            limit_s=_number(details["limit_s"], 0.001, 86_400),
            at_most_lost=_number(details["at_most_lost"], 0, 1),
            rule=parse_rule(str(details["rule"]), pairs),
            left_before={str(lane): _whole(count, 0, 10**15) for lane, count in dict(details["left_before"]).items()},
            content=str(details.get("content", "random")),
            for_s=_number(details.get("for_s", 0), 0, 10**9),
            ceilings={
                str(lane): _number(value, 0, 10**12) for lane, value in dict(details.get("ceilings", {})).items()
            },
            at_least=_number(details.get("at_least", 0), 0, 10**12),
            position=str(details.get("position", "")),
            place=_place(details.get("place", ())),
            place_lane=str(details.get("place_lane", "")),
            strength=_words(details.get("strength", ()), (0, 2)),
            through=_words(details.get("through", ()), (0, 1, 2)),
            wiring=str(details.get("wiring", "")),
            cell=_words(details.get("cell", ()), (0, 2)),
            wait_s=_number(details.get("wait_s", 0), 0, 86_400),
            line=_expression(details.get("line", "")),
            stream=details.get("stream") is True,
            ignore=_expression(details.get("ignore", "")),
            ending=str(details.get("ending", "")),
        )
    except (KeyError, TypeError, ValueError):
        return None
    known = found.kind in KINDS and found.far in FAR_ENDS and found.content in CONTENTS
    ends = {2} if found.far == "lane" else {1}
    ends = {SENTENCES: {1, 2}, BEACON: {1}}.get(found.kind, ends)
    fits = known and len(lanes) in ends
    return found if fits and len(set(lanes)) == len(lanes) else None


def sizes(kind: str) -> tuple[int, int]:
    """How short and how long a probe, or a block, may be."""
    return (SHORTEST_BLOCK, LONGEST_BLOCK) if kind == THROUGHPUT else (SHORTEST, LONGEST)


def block_size(bytes_per_s: Iterable[float]) -> int:
    """The usual length of a block: a tenth of a second on the slowest of the lines that have a rate, within reason."""
    return int(max(128, min(1024, min(bytes_per_s, default=math.inf) / 10)))


def _expression(value: Any) -> str:
    """A regular expression that is one."""
    try:
        return str(Pattern(str(value)).pattern)
    except Broken as problem:
        raise ValueError(f"{value!r} is no regular expression: {problem}") from None


def _place(value: Any) -> tuple[float, ...]:
    if not value:
        return ()
    latitude, longitude = value
    return _number(latitude, -90, 90), _number(longitude, -180, 180)


def _words(value: Any, counts: tuple[int, ...]) -> tuple[str, ...]:
    found = tuple(str(each) for each in value)
    if len(found) not in counts:
        raise ValueError(f"{value!r} has not the right length")
    return found


def _whole(value: Any, least: int, most: int) -> int:
    if type(value) is not int or not least <= value <= most:
        raise ValueError(f"{value!r} is not a whole number from {least} to {most}")
    return value


def _number(value: Any, least: float, most: float) -> float:
    if type(value) not in (int, float) or not math.isfinite(value) or not least <= value <= most:
        raise ValueError(f"{value!r} is not a number from {least} to {most}")
    return float(value)
