"""The table of sentences: for each formatter its fields in order (NMEA 0183, versions 2.1 to 4.11, clause 8.3).

Later versions add fields at the end; a sentence that stops early has None there. GSV alone repeats a group of fields as
often as it has satellites, with one field more behind the last group since version 4.10.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from itertools import accumulate
from typing import Final, NamedTuple

from pale_heron.core.nmea.codecs import (
    COUNT,
    DATE,
    DAY_MONTH_YEAR,
    HEX,
    TEXT,
    TIME,
    ZONE_MINUTES,
    Codec,
    Reader,
    angle,
    letter,
    listed,
    number,
    whole,
    with_sign,
    with_unit,
)

QUALITY: Final = {
    "0": "no fix",
    "1": "single",
    "2": "differential",
    "3": "precise service",
    "4": "RTK fixed",
    "5": "RTK float",
    "6": "estimated (dead reckoning)",
    "7": "manual input",
    "8": "simulated",
}
MODE: Final = {
    "A": "single",
    "D": "differential",
    "E": "estimated (dead reckoning)",
    "F": "RTK float",
    "M": "manual input",
    "N": "no fix",
    "P": "precise",
    "R": "RTK fixed",
    "S": "simulated",
}
HEADING_MODE: Final = {
    "A": "found by itself",
    "E": "estimated (dead reckoning)",
    "M": "manual input",
    "S": "simulated",
    "V": "not valid",
}
"""Of THS (8.3.90): other letters than those of a position."""

ZONE: Final = "local_zone_hours"
STATUS: Final = {"A": "valid", "V": "not valid"}
NAVIGATIONAL_STATUS: Final = {"S": "safe", "C": "caution", "U": "unsafe", "V": "not given"}
SELECTION: Final = {"M": "2D or 3D forced", "A": "2D or 3D chosen by the receiver"}
FIX_MODE: Final = {"1": "no fix", "2": "2D", "3": "3D"}


class SentenceColumn(NamedTuple):
    """One value of a sentence: its key in decoded form, what it is called, its unit, and how it is written."""

    key: str
    codec: Codec
    label: str
    unit: str = ""


@dataclass(frozen=True, slots=True)
class Layout:
    """A formatter: what the sentence says in words, and its columns."""

    title: str
    columns: tuple[SentenceColumn, ...]
    group: tuple[SentenceColumn, ...] = ()
    after_group: tuple[SentenceColumn, ...] = ()
    old: "Layout | None" = None
    """As versions before 2.00 have it: without unit letters, in half as many fields."""
    places: tuple[tuple[str, Reader, int], ...] = field(init=False)
    """Of each column its key, what reads it, and where: worked out once, since every field of every line asks."""
    width: int = field(init=False)
    """So many fields its columns take."""

    def __post_init__(self) -> None:
        ends = list(accumulate(column.codec.width for column in self.columns))
        begins = [0, *ends][: len(ends)]
        places = tuple((column.key, column.codec.read, at) for column, at in zip(self.columns, begins, strict=True))
        object.__setattr__(self, "places", places)
        object.__setattr__(self, "width", ends[-1] if ends else 0)


def _column(key: str, codec: Codec, label: str = "", unit: str = "") -> SentenceColumn:
    return SentenceColumn(key, codec, label or key.replace("_", " "), unit)


_TIME = _column("time", TIME, unit="UTC")
_LATITUDE = _column("latitude", angle("NS"))
_LONGITUDE = _column("longitude", angle("EW"))
_STATUS = _column("status", letter(STATUS))
_MODE = _column("mode", letter(MODE))
_USED = _column("satellites_used", COUNT, "satellites used")
_HDOP = _column("hdop", number(1), "HDOP")
_ALTITUDE = _column("altitude_m", with_unit("M", 1), "altitude above sea level", "m")
_SEPARATION = _column("geoid_separation_m", with_unit("M", 1), "geoid separation", "m")
_NAVIGATIONAL = _column("navigational_status", letter(NAVIGATIONAL_STATUS))
_DIFFERENTIAL_AGE = _column("differential_age_s", number(1), "age of corrections", "s")
_DIFFERENTIAL_STATION = _column("differential_station", TEXT, "reference station")
_SYSTEM = _column("system_id", HEX, "satellite system")
_SIGNAL = _column("signal_id", HEX, "signal")
_ERRORS = (
    _column("latitude_error_m", number(1), "latitude error", "m"),
    _column("longitude_error_m", number(1), "longitude error", "m"),
    _column("altitude_error_m", number(1), "altitude error", "m"),
)

_VTG: Final = "course and speed over ground"

LAYOUTS: Final[Mapping[str, Layout]] = {
    "GGA": Layout(
        "position, height and quality of the fix; carries no date",
        (
            _TIME,
            _LATITUDE,
            _LONGITUDE,
            _column("quality", whole(codes=QUALITY), "fix quality"),
            _USED,
            _HDOP,
            _ALTITUDE,
            _SEPARATION,
            _DIFFERENTIAL_AGE,
            _DIFFERENTIAL_STATION,
        ),
    ),
    "GNS": Layout(
        "position and height from several satellite systems",
        (
            _TIME,
            _LATITUDE,
            _LONGITUDE,
            _column("modes", letter(MODE), "mode of each system"),
            _USED,
            _HDOP,
            _column("altitude_m", number(1), "altitude above sea level", "m"),
            _column("geoid_separation_m", number(1), "geoid separation", "m"),
            _DIFFERENTIAL_AGE,
            _DIFFERENTIAL_STATION,
            _NAVIGATIONAL,
        ),
    ),
    "RMC": Layout(
        "the least that navigation needs: time, date, position, speed and course",
        (
            _TIME,
            _STATUS,
            _LATITUDE,
            _LONGITUDE,
            _column("speed_knots", number(2), "speed over ground", "kn"),
            _column("course_deg", number(2), "course over ground", "°"),
            _column("date", DATE, unit="UTC"),
            _column("magnetic_variation_deg", with_sign("E", "W", 1), "magnetic variation", "°"),
            _MODE,
            _NAVIGATIONAL,
        ),
    ),
    "GLL": Layout("position and its time", (_LATITUDE, _LONGITUDE, _TIME, _STATUS, _MODE)),
    "GSA": Layout(
        "2D or 3D, the satellites used, and the dilution of precision",
        (
            _column("selection_mode", letter(SELECTION)),
            _column("fix_mode", whole(codes=FIX_MODE)),
            _column("satellites", listed(whole(2), 12), "satellites used"),
            _column("pdop", number(1), "PDOP"),
            _HDOP,
            _column("vdop", number(1), "VDOP"),
            _SYSTEM,
        ),
    ),
    "GSV": Layout(
        "satellites in view, in several parts",
        (
            _column("messages", whole(), "parts in all"),
            _column("message_number", whole(), "this part"),
            _column("satellites_in_view", whole(2)),
        ),
        group=(
            _column("id", whole(2), "satellite"),
            _column("elevation_deg", whole(2), "elevation", "°"),
            _column("azimuth_deg", whole(3), "azimuth", "°"),
            _column("cn0_dbhz", whole(2), "C/N0", "dB-Hz"),
        ),
        after_group=(_SIGNAL,),
    ),
    "VTG": Layout(
        _VTG,
        (
            _column("course_true_deg", with_unit("T", 2), "course, true", "°"),
            _column("course_magnetic_deg", with_unit("M", 2), "course, magnetic", "°"),
            _column("speed_knots", with_unit("N", 2), "speed over ground", "kn"),
            _column("speed_kmh", with_unit("K", 2), "speed over ground", "km/h"),
            _MODE,
        ),
        old=Layout(
            _VTG,
            (
                _column("course_true_deg", number(2), "course, true", "°"),
                _column("course_magnetic_deg", number(2), "course, magnetic", "°"),
                _column("speed_knots", number(2), "speed over ground", "kn"),
                _column("speed_kmh", number(2), "speed over ground", "km/h"),
            ),
        ),
    ),
    "ZDA": Layout(
        "time, date and local zone",
        (
            _TIME,
            _column("date", DAY_MONTH_YEAR, unit="UTC"),
            _column(ZONE, whole(2), "local zone", "h"),
            _column("local_zone_minutes", ZONE_MINUTES, "local zone", "min"),
        ),
    ),
    "GST": Layout(
        "expected errors of the position",
        (
            _TIME,
            _column("rms_m", number(1), "RMS of the ranges", "m"),
            _column("semi_major_m", number(1), "error ellipse, long half axis", "m"),
            _column("semi_minor_m", number(1), "error ellipse, short half axis", "m"),
            _column("orientation_deg", number(1), "error ellipse, direction", "°"),
            *_ERRORS,
        ),
    ),
    "GBS": Layout(
        "search for a failed satellite",
        (
            _TIME,
            *_ERRORS,
            _column("failed_satellite", whole(2)),
            _column("missed_detection_probability", number(2), "chance of a miss"),
            _column("bias_m", number(1), "bias", "m"),
            _column("bias_deviation_m", number(1), "deviation of the bias", "m"),
            _SYSTEM,
            _SIGNAL,
        ),
    ),
    "GRS": Layout(
        "residuals of the ranges",
        (
            _TIME,
            _column("residuals_mode", whole(codes={"0": "used in this GGA", "1": "computed after it"})),
            _column("residuals_m", listed(number(1), 12, by_place=True), "residuals", "m"),
            _SYSTEM,
            _SIGNAL,
        ),
    ),
    "DTM": Layout(
        "the datum of the positions",
        (
            _column("datum", TEXT),
            _column("subdivision", TEXT),
            _column("latitude_offset_min", with_sign("N", "S", 4), "latitude offset", "′"),
            _column("longitude_offset_min", with_sign("E", "W", 4), "longitude offset", "′"),
            _column("altitude_offset_m", number(1), "altitude offset", "m"),
            _column("reference", TEXT, "reference datum"),
        ),
    ),
    "HDT": Layout("heading, true", (_column("heading_true_deg", with_unit("T", 2), "heading, true", "°"),)),
    "THS": Layout(
        "heading, true, and its mode",
        (_column("heading_true_deg", number(2), "heading, true", "°"), _column("mode", letter(HEADING_MODE))),
    ),
    "HDG": Layout(
        "heading of a magnetic compass, with its deviation and the variation of the place",
        (
            _column("heading_magnetic_deg", number(1), "heading of the sensor", "°"),
            _column("deviation_deg", with_sign("E", "W", 1), "deviation", "°"),
            _column("magnetic_variation_deg", with_sign("E", "W", 1), "magnetic variation", "°"),
        ),
    ),
    "VHW": Layout(
        "heading, and speed through the water",
        (
            _column("heading_true_deg", with_unit("T", 1), "heading, true", "°"),
            _column("heading_magnetic_deg", with_unit("M", 1), "heading, magnetic", "°"),
            _column("water_speed_knots", with_unit("N", 1), "speed through the water", "kn"),
            _column("water_speed_kmh", with_unit("K", 1), "speed through the water", "km/h"),
        ),
    ),
    "GFA": Layout(
        "how exact the fix is, and how far it can be trusted",
        (
            _TIME,
            _column("horizontal_protection_m", number(1), "horizontal protection level", "m"),
            _column("vertical_protection_m", number(1), "vertical protection level", "m"),
            _column("semi_major_m", number(1), "error ellipse, long half axis", "m"),
            _column("semi_minor_m", number(1), "error ellipse, short half axis", "m"),
            _column("orientation_deg", number(1), "error ellipse, direction", "°"),
            _column("altitude_error_m", number(1), "altitude error", "m"),
            _column("wanted_accuracy_m", number(1), "accuracy that is wanted", "m"),
            _column("integrity", letter(NAVIGATIONAL_STATUS), "integrity"),
        ),
    ),
    "RLM": Layout(
        "a message back to a distress beacon",
        (
            _column("beacon", TEXT),
            _TIME,
            _column("message_code", HEX, "kind of message"),
            _column("message", TEXT),
        ),
    ),
    "ROT": Layout(
        "rate of turn",
        (_column("rate_of_turn_deg_per_min", number(1), "rate of turn, to starboard", "°/min"), _STATUS),
    ),
    "TXT": Layout(
        "a message in words",
        (
            _column("messages", whole(2), "parts in all"),
            _column("message_number", whole(2), "this part"),
            _column("identifier", TEXT),
            _column("text", TEXT),
        ),
    ),
}
