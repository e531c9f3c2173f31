"""A trial as people ask for one, in a command or in a plan: words checked, and what is left out filled in.

Both use the same names; a plan's have `_` where a command's have `-`.
"""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, Final

from pale_heron.core.gnss.earth.notation import position_typed
from pale_heron.core.line.settings import ENDINGS_OUT, did_you_mean
from pale_heron.core.link.content import CONTENTS
from pale_heron.core.link.description import (
    BEACON,
    DELIVERY,
    EXCHANGE,
    FAR_ENDS,
    FOLLOWED,
    KINDS,
    SENTENCES,
    THROUGHPUT,
    WIRINGS,
    TrialDescription,
    block_size,
    sizes,
)
from pale_heron.core.link.rules import Rule, parse_rule
from pale_heron.core.moments import byte_rate, seconds, share
from pale_heron.core.patterns import Broken, Pattern
from pale_heron.core.trouble import Trouble
from pale_heron.files.toml_file import read_tables
from pale_heron.ports.address import LaneSpec

MOST_PROBES: Final = 10**9
BULK_S: Final = "10s"
LEAST_BEACON_S: Final = 0.01
FAR: Final = tuple(FAR_ENDS)[1:]
ONLY_FOR: Final = {
    "count": (DELIVERY, THROUGHPUT),
    "rounds": (EXCHANGE,),
    "for": (DELIVERY, THROUGHPUT, *FOLLOWED),
    "wait": (DELIVERY, EXCHANGE, THROUGHPUT),
    "ignore": (EXCHANGE,),
    "size": (DELIVERY, THROUGHPUT),
    "every": (DELIVERY, EXCHANGE, BEACON),
    "line": (BEACON,),
    "stream": (BEACON,),
    "content": (THROUGHPUT,),
    "at_least": (THROUGHPUT,),
    "rule": (EXCHANGE,),
    "message": (EXCHANGE,),
    "ending": (DELIVERY, EXCHANGE),
    "one_way": (DELIVERY, THROUGHPUT),
    "far": (DELIVERY, THROUGHPUT),
    "through": (DELIVERY,),
    "at_most_lost": (DELIVERY, THROUGHPUT, *FOLLOWED),
    "position": (DELIVERY, *FOLLOWED),
    "place": (DELIVERY, *FOLLOWED),
    "strength": (DELIVERY, *FOLLOWED),
}
"""Options that not every kind takes; the others are for all."""


def described(
    kind: str, specs: Sequence[LaneSpec], options: Mapping[str, Any], known: Sequence[str]
) -> TrialDescription:
    """What is asked for. `specs` are the ends, `known` all lanes that are open. Trouble says what is wrong."""
    _one_of(kind, KINDS, "trial", "There are")
    for name in options:
        if kind not in ONLY_FOR.get(name, KINDS):
            shown = f"--{name.replace('_', '-')}"
            raise Trouble(f"{kind} takes no {shown}", f"It is for {' and '.join(ONLY_FOR[name])}")
    probes = _count(kind, options)
    through = tuple(spec.name for spec in specs) if options.get("through") else ()
    position, place, place_lane = _places(options, known)
    return TrialDescription(
        kind=kind,
        trial=0,
        lanes=tuple(spec.name for spec in specs),
        far=_far_end(kind, len(specs), options.get("far")),
        one_way=bool(options.get("one_way")),
        probes=probes,
        every_s=_every_s(kind, options) if "every" in options else 0.2 if kind == DELIVERY else 0.0,
        size=_size(kind, options.get("size"), probes, specs),
        limit_s=max(0.001, seconds(str(options.get("limit", _usual_limit(kind, options))))),
        at_most_lost=share(str(options.get("at_most_lost", "0%"))),
        rule=rule_typed(str(options.get("rule", "echo"))),
        content=_one_of(str(options.get("content", "random")), tuple(CONTENTS), "content", "There are"),
        for_s=_for_s(kind, options),
        at_least=byte_rate(str(options["at_least"])) if "at_least" in options else 0.0,
        position=position,
        place=place,
        place_lane=place_lane,
        strength=_strength(str(options.get("strength", "")), known),
        through=through,
        wiring=_one_of(str(options.get("wiring", "")), ("", *WIRINGS), "wiring", "It is"),
        ending=_one_of(str(options.get("ending", "")), ("", *ENDINGS_OUT), "line end", "There are"),
        wait_s=seconds(str(options.get("wait", "10s"))),
        stream=bool(options.get("stream")),
        line=_expression(str(options.get("line", "")), "--line"),
        ignore=_expression(str(options.get("ignore", "")), "--ignore"),
    )


def _one_of(value: str, known: Sequence[str], noun: str, are: str) -> str:
    if value not in known:
        nearest = did_you_mean(value, filter(None, known))
        raise Trouble(f"There is no {noun} {value!r}{nearest}", f"{are}: {', '.join(each for each in known if each)}")
    return value


def _far_end(kind: str, lanes: int, far: str | None) -> str:
    """Where the other end is."""
    if far is not None and far not in FAR:
        raise Trouble(f"There is no far end {far!r}", f"There are: {', '.join(FAR)}")
    if lanes > 2 or (lanes == 2 and (far is not None or kind in (EXCHANGE, BEACON))):
        raise Trouble(f"{lanes} lanes are too many for this", "Name one lane; two where both ends are here")
    return "lane" if lanes == 2 or kind in FOLLOWED else far or "answer"


def _count(kind: str, options: Mapping[str, Any]) -> int:
    """How many probes, rounds or blocks; 0 without an end of their own."""
    count = options.get("rounds" if kind == EXCHANGE else "count")
    if kind == THROUGHPUT:
        if count and "for" in options:
            raise Trouble("--count and --for both say when it ends", "Give one of them")
        return 0 if count is None else _within(count, 1, MOST_PROBES, "--count")
    if kind in FOLLOWED:
        return 0
    if kind == DELIVERY and "for" in options:
        if count:
            raise Trouble("--count and --for both say when it ends", "Give one of them")
        return 0
    usual = 100 if kind == DELIVERY else 20
    return usual if count is None else _within(count, 0, MOST_PROBES, "--count" if kind == DELIVERY else "--rounds")


def _for_s(kind: str, options: Mapping[str, Any]) -> float:
    """How long blocks are sent, or sentences followed; 0 where something else ends it."""
    if "for" in options:
        return seconds(str(options["for"]))
    return seconds(BULK_S) if kind == THROUGHPUT and "count" not in options else 0.0


def _size(kind: str, size: Any, probes: int, specs: Sequence[LaneSpec]) -> int:
    """Bytes of a probe, or of a block: one that is not given takes a tenth of a second on the slowest line."""
    least, most = sizes(kind)
    if kind != THROUGHPUT:
        # The highest number must fit in.
        return _within(32 if size is None else size, least - 1 + len(str(probes or MOST_PROBES)), most, "--size")
    if size is None:
        return block_size(spec.settings.bytes_per_s for spec in specs if not spec.networked)
    return _within(size, least, most, "--size")


def _every_s(kind: str, options: Mapping[str, Any]) -> float:
    """The time between two; a line that comes more often than a hundred times a second is a stream."""
    every = seconds(str(options["every"]))
    if kind == BEACON and every < LEAST_BEACON_S:
        raise Trouble(f"--every {options['every']} is too short for a beacon", f"At least {LEAST_BEACON_S:g} s")
    return every


def _usual_limit(kind: str, options: Mapping[str, Any]) -> str:
    """Of a beacon two and a half of its intervals: silence beyond that is an outage."""
    if kind == BEACON:
        return f"{2.5 * seconds(str(options['every'])):g}s" if "every" in options else "5s"
    return "10s" if kind == SENTENCES else "2s"


def _expression(text: str, name: str) -> str:
    """A regular expression that is one, or nothing."""
    try:
        return Pattern(text).pattern
    except Broken as problem:
        raise Trouble(f"{name} {text!r} is no regular expression: {problem}", f"Such as {name} '^TEMP '") from None


def _within(value: Any, least: int, most: int, name: str) -> int:
    if type(value) is not int or not least <= value <= most:
        raise Trouble(f"{name} {value} is not {least} to {most}", "Choose one within")
    return value


def _places(options: Mapping[str, Any], known: Sequence[str]) -> tuple[str, tuple[float, ...], str]:
    """Who says where the moving end is, and the point or the lane from which distance is counted."""
    position, place = str(options.get("position", "")), str(options.get("place", ""))
    if not position:
        if place:
            raise Trouble("Distance needs a lane that says where the moving end is", "Add --position LANE")
        return "", (), ""
    _one_of(position, known, "lane", "There are")
    if not place:
        raise Trouble("From where is the distance counted?", 'Add --place "46.117 S 67.306 W", or a lane: --place LANE')
    if place in known:
        return position, (), place
    try:
        point = position_typed(place)
    except ValueError as problem:
        raise Trouble(f"--place {place!r}: {problem}", "Write a position in a usual notation, or name a lane") from None
    return position, (point.latitude, point.longitude), ""


def _strength(text: str, known: Sequence[str]) -> tuple[str, ...]:
    """A lane and a reading of its module, as `hide/signal`."""
    if not text:
        return ()
    lane, slash, reading = text.rpartition("/")
    if not slash or not reading:
        raise Trouble(f"--strength {text!r} names no reading", "Write lane/reading, such as hide/signal")
    return _one_of(lane, known, "lane", "There are"), reading


def rule_typed(text: str) -> Rule:
    """A rule as it is typed; the pairs of a table are read from its file. Trouble says what is wrong."""
    kind, _, value = text.strip().partition(" ")
    pairs: dict[str, str] = {}
    if kind == "table" and value:
        _, table = read_tables(Path(value.strip()))
        pairs = {key: str(answer) for key, answer in table.items() if isinstance(answer, str | int | float)}
    try:
        return parse_rule(text, pairs)
    except ValueError as problem:
        raise Trouble(str(problem), "Rules: echo, plus N, text T, matches REGEX, table FILE.toml") from None
