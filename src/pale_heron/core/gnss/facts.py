"""What the receiver says, each fact with its sentence and its age.

A fact may come from several sentences; the first in its row that is as fresh as the freshest is taken: no older than
that one's own interval, and a second at most. Four ways of not
having a value are kept apart: *empty* (the field is there and holds nothing), *zero* (digits that are all zero in a
sentence that says there is no fix), *invalid* (a value in a sentence that says there is no fix) and *stale* (nothing
new for three of its own intervals). With each of them the last believed value stays, with its age.
"""

from collections.abc import Mapping
from typing import Any, Final, NamedTuple

from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.gnss.reported import MODULE, ReportedPosition
from pale_heron.core.gnss.states import kind_of_modes, kind_of_quality, kind_of_status
from pale_heron.core.nmea.sentence import parse, values

GOOD: Final = "good"
STALE: Final = "stale"
EMPTY: Final = "empty"
ZERO: Final = "zero"
INVALID: Final = "invalid"

STALE_INTERVALS = 3
SHORTEST_STALE_NS = SECOND // 2
"""Pictures and hand-overs take their time too."""

UNKNOWN_INTERVAL_STALE_NS = 3 * SECOND
"""Where only one sentence came, so that its interval is unknown."""

SOURCES: Final[Mapping[str, tuple[tuple[str, str], ...]]] = {
    "latitude": tuple((formatter, "latitude") for formatter in ("GGA", "GNS", "RMC", "GLL", MODULE)),
    "longitude": tuple((formatter, "longitude") for formatter in ("GGA", "GNS", "RMC", "GLL", MODULE)),
    "altitude_m": (("GGA", "altitude_m"), ("GNS", "altitude_m"), (MODULE, "altitude_m")),
    "geoid_separation_m": (("GGA", "geoid_separation_m"), ("GNS", "geoid_separation_m")),
    "quality": (("GGA", "quality"),),
    "satellites_used": (("GGA", "satellites_used"), ("GNS", "satellites_used"), (MODULE, "satellites_used")),
    "heading_deg": (("THS", "heading_true_deg"), ("HDT", "heading_true_deg")),
    "speed_knots": (("RMC", "speed_knots"), ("VTG", "speed_knots"), (MODULE, "speed_knots")),
    "course_deg": (("RMC", "course_deg"), ("VTG", "course_true_deg"), (MODULE, "course_deg")),
    "time": tuple((formatter, "time") for formatter in ("GGA", "RMC", "GNS", "ZDA", "GLL", MODULE)),
    "date": (("RMC", "date"), ("ZDA", "date"), (MODULE, "date")),
    "hdop": (("GGA", "hdop"), ("GNS", "hdop"), ("GSA", "hdop"), (MODULE, "hdop")),
    "pdop": (("GSA", "pdop"),),
    "vdop": (("GSA", "vdop"),),
    "latitude_error_m": (("GST", "latitude_error_m"),),
    "longitude_error_m": (("GST", "longitude_error_m"),),
    "altitude_error_m": (("GST", "altitude_error_m"),),
    "fix_mode": (("GSA", "fix_mode"),),
    "status": (("RMC", "status"), ("GLL", "status")),
}
"""Where each fact stands, the preferred sentence first."""

Saying = Frame | ReportedPosition
"""What facts are read from."""

NEEDS_FIX: Final = frozenset(
    {"latitude", "longitude", "altitude_m", "geoid_separation_m", "speed_knots", "course_deg"}
    | {"hdop", "pdop", "vdop", "latitude_error_m", "longitude_error_m", "altitude_error_m"}
)
"""Facts that mean something only in a sentence that says there is a fix."""


SAME_SAYING_NS = SECOND // 2
"""Of a receiver that knows no time, sentences of one formatter that are closer together are one saying."""


class LatestSentence:
    """The newest saying of one formatter, and the time between it and the one before (0 where unknown)."""

    __slots__ = ("_begun", "_epoch", "frame", "interval")

    def __init__(self, frame: Saying, epoch: int) -> None:
        self.frame = frame
        self.interval = 0
        self._begun = frame.time
        self._epoch = epoch

    @property
    def begun(self) -> int | None:
        """When the saying began that the interval counts from."""
        return self._begun

    @property
    def epoch(self) -> int:
        """Of which epoch the saying is that the interval counts from."""
        return self._epoch

    def hear(self, frame: Saying, epoch: int) -> None:
        """Take a newer one, which is of the `epoch`th epoch; several of one epoch are one saying."""
        self.frame = frame
        if frame.time is not None:
            self.note(frame.time, epoch)

    def note(self, time: int, epoch: int) -> None:
        """One came at that time, which is of the `epoch`th epoch."""
        if self._begun is None:
            return
        passed = time - self._begun
        if passed > SAME_SAYING_NS or (epoch != self._epoch and passed > 0):
            self.interval, self._begun, self._epoch = passed, time, epoch


class Fact(NamedTuple):
    """The last believed value, the type and time of its sentence, its raw digits, and how things stand now."""

    value: Any
    source: str
    time: int | None
    raw: str
    condition: str

    def age_s(self, now: int | None) -> float | None:
        """Seconds since the sentence came; None where either time is unknown."""
        return None if now is None or self.time is None else max(0.0, (now - self.time) / SECOND)


def says_fix(formatter: str, fields: Mapping[str, Any]) -> bool:
    """Whether a saying stands by its own position, speed and figures: those that decide by the words that decide."""
    if formatter == "GGA":
        return bool(kind_of_quality(str(fields.get("quality"))))
    if formatter == "GNS":
        return bool(kind_of_modes(fields.get("modes") or ""))
    if formatter == MODULE:
        return fields.get("latitude") is not None
    if formatter in ("RMC", "GLL"):
        return bool(kind_of_status(fields.get("status") or "", fields.get("mode") or ""))
    if formatter == "GSA":
        return (fields.get("fix_mode") or 1) > 1
    return fields.get("mode") != "N"


def is_stale(heard: LatestSentence, now: int | None) -> bool:
    """Nothing new for three intervals of the sentence."""
    if now is None or heard.frame.time is None:
        return False
    limit = max(STALE_INTERVALS * heard.interval, SHORTEST_STALE_NS) if heard.interval else UNKNOWN_INTERVAL_STALE_NS
    return now - heard.frame.time > limit


def facts(latest: Mapping[str, LatestSentence], believed: Mapping[str, Saying], now: int | None) -> dict[str, Fact]:
    """All facts by name, from the newest sentence of each formatter and the newest of each that said there is a fix.

    A fact whose sentences were never heard is missing.
    """
    decoded = {formatter: read(heard.frame) for formatter, heard in latest.items()}
    found: dict[str, Fact] = {}
    for name, sources in SOURCES.items():
        heard_sources = [(formatter, key) for formatter, key in sources if formatter in latest]
        if heard_sources:
            found[name] = _fact(name, heard_sources, latest, believed, decoded, now)
    return found


def _fact(
    name: str,
    sources: list[tuple[str, str]],
    latest: Mapping[str, LatestSentence],
    believed: Mapping[str, Saying],
    decoded: Mapping[str, Mapping[str, Any]],
    now: int | None,
) -> Fact:
    newest = max((latest[formatter] for formatter, _ in sources), key=lambda each: each.frame.time or 0)
    oldest = (newest.frame.time or 0) - min(newest.interval or SECOND, SECOND)
    near = [(formatter, key) for formatter, key in sources if (latest[formatter].frame.time or 0) > oldest]
    near = near or [(formatter, key) for formatter, key in sources if latest[formatter] is newest]
    formatter, key = next(
        ((formatter, key) for formatter, key in near if decoded[formatter].get(key) is not None), near[0]
    )
    heard, fields = latest[formatter], decoded[formatter]
    condition = _condition(name, formatter, fields, key)
    if condition == GOOD:
        stale = is_stale(heard, now)
        return Fact(fields[key], heard.frame.type, heard.frame.time, raw_of(heard.frame, key), STALE if stale else GOOD)
    for other, other_key in sources:
        last = believed.get(other)
        if last is not None:
            value = read(last).get(other_key)
            if value is not None:
                return Fact(value, last.type, last.time, raw_of(last, other_key), condition)
    return Fact(None, heard.frame.type, heard.frame.time, raw_of(heard.frame, key), condition)


def _condition(name: str, formatter: str, fields: Mapping[str, Any], key: str) -> str:
    value = fields.get(key)
    if value is None:
        return EMPTY
    if name not in NEEDS_FIX or says_fix(formatter, fields):
        return GOOD
    return ZERO if value == 0 else INVALID


def read(said: Saying) -> Mapping[str, Any]:
    """What it says, by the keys of its table."""
    return said.values if isinstance(said, ReportedPosition) else values(parse(said.data))


def raw_of(frame: Saying, key: str) -> str:
    """The raw digits of one field, with the letter that belongs to them."""
    if isinstance(frame, ReportedPosition):
        return frame.raw.get(key, "")
    sentence = parse(frame.data)
    at = 0
    for column in sentence.layout.columns if sentence.layout else ():
        if column.key == key:
            return ",".join(sentence.raw[at : at + column.codec.width])
        at += column.codec.width
    return ""
