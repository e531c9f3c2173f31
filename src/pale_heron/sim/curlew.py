"""Curlew, a simulated GNSS receiver: what it says each epoch, and how it obeys.

It has no clock and no port of its own: it is given the seconds since power came, and hands out bytes.
Its own sentences, all answered by `$PCURLEW,DONE,...` or `$PCURLEW,REFUSED,reason`:

    $PCURLEW,WHO                  answered by $PCURLEW,IAM,name,version,seed
    $PCURLEW,START,COLD|WARM|HOT  forget so much and look for the sky again
    $PCURLEW,SEND,GSV,4           a sentence every so many epochs, 0 for never
    $PCURLEW,EVERY,200            milliseconds between epochs, 100 to 1000
    $PCURLEW,LINE,38400           the line rate, from the next epoch on
    $PCURLEW,USE,GE               the satellite systems that it uses, of G R E C
    $PCURLEW,NMEA,2.30            the version of NMEA 0183 that its sentences keep to, 4.11 or 2.30
    $PCURLEW,FULL,WAIT|LEAVE      epochs wait while the line is full, or sentences without room are left out
    $PCURLEW,STORE                keep all this over a restart
    $PCURLEW,RESTART              as if power came again
"""

import random
import re
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from pale_heron.core.frames import SECOND
from pale_heron.core.nmea.degrees import pack
from pale_heron.core.nmea.sentence import encode, parse, sealed
from pale_heron.core.utc import DAY, clock, iso, midnight
from pale_heron.sim import marsh
from pale_heron.sim.constellations import Constellations, InSky
from pale_heron.sim.curlew_setup import FULL_LINE, SENTENCES, VERSIONS, CurlewSetup, NmeaVersion
from pale_heron.sim.scenes import RATES, START_TIMES, Scene, SceneStage
from pale_heron.sim.solution import Errors, dilution
from pale_heron.sim.start_clock import StartClock

VERSION = "1.4"
TALKERS = {"G": ("GP", 1), "R": ("GL", 2), "E": ("GA", 3), "C": ("GB", 4)}
CHANNELS = 24
"""The most satellites it follows at a time."""

USABLE_DBHZ = 33
WEAKER_UNDER_BRIDGE_DB = 17.0
WEAKER_IN_REEDS_DB = 15.0
DEFAULT_DATE = "1980-01-06"
"""The day on which GPS began to count."""

FINE_FROM = 4
"""The GGA quality from which on positions have the decimals of RTK."""

MOST_IN_GSA = 12
SIGNALS = {"G": 1, "R": 1, "E": 7, "C": 1}
"""The signal that it receives of each system: L1 C/A, G1 C/A, L1-BC, B1I (NMEA 0183 4.11, table 20)."""

KNOTS = 1.943844


class Curlew:
    """One receiver in one scene. `begin_ns` is UTC when power comes."""

    def __init__(self, scene: Scene, seed: int = 7, begin_ns: int = marsh.BEGIN_UTC * SECOND) -> None:
        self.setup = CurlewSetup(every_ms=scene.every_ms)
        if scene.all_each_epoch:
            self.setup = replace(self.setup, intervals=self.setup.intervals | {"GSV": 1})
        self._stored = self.setup
        self._scene = scene
        self._seed = seed
        self._begin_ns = begin_ns
        self._chance = random.Random(f"curlew {seed}")
        self._constellations = Constellations(seed)
        self._errors = Errors(seed)
        self._mode = scene.start
        self._started = 0.0
        self._epoch = 0
        self._banner = True
        self.fixed = False
        """Whether the last epoch had a position."""

    def configure(self, *, rate: int | None = None, every_ms: int | None = None, nmea: str = "") -> None:
        """Set and store before power comes; what is not given stays."""
        before = self.setup
        self.setup = replace(
            before, rate=rate or before.rate, every_ms=every_ms or before.every_ms, nmea=nmea or before.nmea
        )
        self._stored = self.setup

    def epoch(self, seconds: float) -> bytes:
        """Everything it says at one epoch, `seconds` after power came."""
        banner = [self._text(f"Curlew {VERSION}, a simulated receiver"), self._text("start " + self._mode)]
        sentences = banner if self._banner else []
        self._banner = False
        sentences += self._report(seconds)
        self._epoch += 1
        return b"".join(self._perhaps_damaged(sentence) for sentence in sentences)

    def obey(self, line: bytes, seconds: float) -> bytes:
        """The answer to one line received; what is no sentence of its own is passed over in silence."""
        sentence = parse(line)
        if sentence.talker != "P" or sentence.formatter != "CURLEW" or sealed(_covered(line)).strip() != line.strip():
            return b""
        verb, *arguments = [*sentence.raw, ""]
        answer = self._carry_out(verb, arguments[:-1] if arguments else [], seconds)
        return sealed(f"PCURLEW,{answer}")

    def _carry_out(self, verb: str, arguments: list[str], seconds: float) -> str:
        first, second = [*arguments, "", ""][:2]
        if verb == "WHO":
            return f"IAM,Curlew,{VERSION},{self._seed}"
        if verb == "START" and first.lower() in START_TIMES:
            self._start(first.lower(), seconds)
        elif verb == "SEND" and first in SENTENCES and second.isdecimal() and int(second) <= 255:
            self.setup = replace(self.setup, intervals=self.setup.intervals | {first: int(second)})
        elif verb == "EVERY" and first.isdecimal() and 100 <= int(first) <= 1000:
            self.setup = replace(self.setup, every_ms=int(first))
        elif verb == "LINE" and first.isdecimal() and int(first) in RATES:
            self.setup = replace(self.setup, rate=int(first))
        elif verb == "USE" and first and set(first) <= set(TALKERS) and len(set(first)) == len(first):
            self.setup = replace(self.setup, systems=first)
        elif verb == "NMEA" and first in VERSIONS:
            self.setup = replace(self.setup, nmea=first)
        elif verb == "FULL" and first in FULL_LINE:
            self.setup = replace(self.setup, full_line=first)
        elif verb == "STORE":
            self._stored = self.setup
        elif verb == "RESTART":
            self.setup = self._stored
            self._start("warm", seconds)
        else:
            return f"REFUSED,{verb} with these values"
        return ",".join(["DONE", verb, *arguments])

    def _start(self, mode: str, seconds: float) -> None:
        self._mode, self._started, self._banner = mode, seconds, True

    def _perhaps_damaged(self, sentence: bytes) -> bytes:
        if self._chance.random() >= self._scene.damaged_share:
            return sentence
        at = self._chance.randrange(8, len(sentence) - 5)
        return sentence[:at] + bytes([sentence[at] ^ 0x04]) + sentence[at + 1 :]

    def _text(self, text: str) -> bytes:
        return encode("GN", "TXT", {"messages": 1, "message_number": 1, "identifier": "02", "text": text})

    def _report(self, seconds: float) -> list[bytes]:
        known = StartClock(START_TIMES[self._mode], (seconds - self._started) * self._scene.quick)
        scene = self._scene
        place = marsh.antenna(scene.place, scene.lever_m, seconds)
        sky = self._sky(seconds, place, known)
        used = self._used(sky, seconds, known)
        dops = dilution([(satellite.elevation, satellite.azimuth) for satellite in used])
        solved = len(used) >= (4 if known.three_d else 3) and known.two_d and dops is not None
        dimension = (3 if known.three_d else 2) if solved else 1
        stage = scene.stage(seconds)
        state = _SaidEpoch(self._begin_ns + round(seconds * SECOND), known, place, dimension, stage, self.setup.version)
        if scene.default_date and dimension == 1:
            state.date = DEFAULT_DATE
        elif scene.weeks_off and state.date is not None:
            state.date = iso(midnight(state.date) + scene.weeks_off * 7 * DAY)[:10]
        self.fixed = solved
        if solved and dops is not None:
            state.solve(self._errors, dops)
        state.used = used
        makers: dict[str, Callable[[], list[bytes]]] = {
            "RMC": lambda: [state.rmc()],
            "GGA": lambda: [state.gga()],
            "GSA": state.gsa,
            "GSV": lambda: state.gsv(sky, self._turn("GSV")),
            "GLL": lambda: [state.gll()],
            "VTG": lambda: [state.vtg()],
            "ZDA": lambda: [state.zda()],
            "GST": lambda: [state.gst()],
            "TXT": lambda: [self._text("Curlew, antenna ok")],
        }
        return [sentence for name in SENTENCES if self._is_due(name) for sentence in makers[name]()]

    def _is_due(self, name: str) -> bool:
        """GSV takes turns: with an interval of as many epochs as there are systems, each epoch covers one system."""
        interval = self.setup.intervals[name]
        if name == "GSV":
            return interval > 0 and self._epoch % interval < len(TALKERS)
        return interval > 0 and self._epoch % interval == 0

    def _turn(self, name: str) -> list[str]:
        """The systems whose satellites are listed this time."""
        interval = self.setup.intervals[name]
        return list(TALKERS) if interval < len(TALKERS) else [list(TALKERS)[self._epoch % interval]]

    def _sky(self, seconds: float, place: marsh.MarshPlace, known: StartClock) -> list[InSky]:
        """What it sees: after a start one satellite after the other is found."""
        if not known.seen:
            return []
        above = self._constellations.above(place.latitude, place.longitude, seconds)
        weaker = WEAKER_UNDER_BRIDGE_DB if self._scene.under_bridge(seconds) else 0.0
        followed = min(CHANNELS, known.satellites_found)
        found = sorted(above, key=_order_of_search)[:followed]
        heard = [
            satellite._replace(
                cn0=satellite.cn0
                - weaker
                - (WEAKER_IN_REEDS_DB if self._scene.hidden(seconds, satellite.elevation, satellite.azimuth) else 0.0)
                + self._chance.gauss(0, 0.8)
            )
            for satellite in found
            if satellite.system in self.setup.systems and satellite.system in self.setup.version.systems
        ]
        return sorted(satellite for satellite in heard if satellite.cn0 > 12)

    def _used(self, sky: list[InSky], seconds: float, known: StartClock) -> list[InSky]:
        if not known.used or self._scene.under_bridge(seconds):
            return []
        strong = [satellite for satellite in sky if satellite.cn0 >= USABLE_DBHZ and satellite.elevation >= 8]
        strongest = sorted(strong, key=lambda satellite: -satellite.cn0)[: known.satellites_usable]
        return sorted(strongest)


class _SaidEpoch:
    """The values of one epoch, and the sentences that say them."""

    def __init__(
        self,
        now_ns: int,
        known: StartClock,
        place: marsh.MarshPlace,
        dimension: int,
        stage: SceneStage,
        version: NmeaVersion,
    ) -> None:
        self._stage = stage
        self._version = version
        self._place = place
        self._dimension = dimension
        self._fixed = dimension > 1
        self._time = clock(now_ns, 2) if known.time else None
        self.date = iso(now_ns)[:10] if known.date else None
        self._latitude: float | None = None
        self._longitude: float | None = None
        self._altitude: float | None = None
        self._errors_m = (0.0, 0.0, 0.0)
        self._dops = (99.9, 99.9, 99.9)
        self.used: list[InSky] = []

    def solve(self, errors: Errors, dops: tuple[float, float, float]) -> None:
        """Fill in the position as the receiver finds it: the truth and its error."""
        self._dops = dops
        self._latitude, self._longitude, self._altitude, self._errors_m = errors.found(
            self._place, dops, self._stage.errors
        )

    @property
    def _mode(self) -> str:
        return self._version.modes[self._stage.quality] if self._fixed else "N"

    @property
    def _where(self) -> dict[str, Any]:
        if self._stage.quality < FINE_FROM or self._latitude is None or self._longitude is None:
            return {"time": self._time, "latitude": self._latitude, "longitude": self._longitude}
        # Two millimetres: with one digit more a sentence would be longer than 82 characters (NMEA 0183, 5.3).
        fine = {"latitude": tuple(pack(self._latitude, "NS", 6)), "longitude": tuple(pack(self._longitude, "EW", 6))}
        return {"time": self._time, **fine}

    @property
    def _speed(self) -> float | None:
        return self._place.speed_m_s * KNOTS if self._fixed else None

    @property
    def _course(self) -> float | None:
        return self._place.course_deg if self._fixed else None

    def rmc(self) -> bytes:
        said: dict[str, Any] = {
            "status": "A" if self._fixed else "V",
            "speed_knots": self._speed,
            "course_deg": self._course,
        }
        said |= {"date": self.date, "mode": self._mode}
        if self._version.with_ids:
            said["navigational_status"] = "V"
        return encode("GN", "RMC", self._where | said)

    def gga(self) -> bytes:
        said: dict[str, Any] = {
            "quality": self._stage.quality if self._fixed else 0,
            "satellites_used": min(99, len(self.used)),
            "hdop": self._dops[1],
        }
        altitude: Any = self._altitude
        if altitude is not None and self._stage.quality >= FINE_FROM:
            altitude = f"{altitude:.2f}", "M"
        corrected = self._fixed and self._stage.quality > 1
        said |= {"altitude_m": altitude, "differential_age_s": 1.0 if corrected else None}
        said |= {"differential_station": "0012" if corrected else None}
        said |= {"geoid_separation_m": marsh.GEOID_SEPARATION_M if self._fixed else None}
        return encode("GN", "GGA", self._where | said)

    def gsa(self) -> list[bytes]:
        pdop, hdop, vdop = self._dops
        dops = {"selection_mode": "A", "fix_mode": self._dimension, "pdop": pdop, "hdop": hdop, "vdop": vdop}
        numbers = {letter: [_id(each) for each in self.used if each.system == letter] for letter in TALKERS}
        return [
            encode("GN", "GSA", dops | {"satellites": numbers[letter][:MOST_IN_GSA]} | self._of("system_id", system))
            for letter, (_, system) in TALKERS.items()
            if letter in self._version.systems
        ]

    def gsv(self, sky: list[InSky], letters: list[str]) -> list[bytes]:
        return [
            part
            for letter in letters
            if letter in self._version.systems
            for part in _view(
                letter, [each for each in sky if each.system == letter], self._of("signal_id", SIGNALS[letter])
            )
        ]

    def _of(self, key: str, number: int) -> dict[str, int]:
        """A field that earlier versions do not have."""
        return {key: number} if self._version.with_ids else {}

    def gll(self) -> bytes:
        return encode("GN", "GLL", self._where | {"status": "A" if self._fixed else "V", "mode": self._mode})

    def vtg(self) -> bytes:
        speed = self._speed
        said: dict[str, Any] = {"course_true_deg": self._course, "course_magnetic_deg": None, "speed_knots": speed}
        said |= {"speed_kmh": None if speed is None else speed * 1.852, "mode": self._mode}
        return encode("GN", "VTG", said)

    def zda(self) -> bytes:
        said: dict[str, Any] = {"time": self._time, "date": self.date, "local_zone_hours": 0, "local_zone_minutes": 0}
        return encode("GN", "ZDA", said)

    def gst(self) -> bytes:
        keys = ("latitude_error_m", "longitude_error_m", "altitude_error_m")
        said: dict[str, Any] = dict.fromkeys((*keys,)) | {"time": self._time}
        if self._fixed:
            said |= {key: (f"{error:.3f}",) for key, error in zip(keys, self._errors_m, strict=True)} | {"rms_m": 3.1}
        return encode("GN", "GST", said)


def _order_of_search(satellite: InSky) -> int:
    """Mixed, but always the same: neither the strongest first nor one system after the other."""
    return (satellite.number * 37 + ord(satellite.system) * 11) % 101


def _id(satellite: InSky) -> int:
    """Its number in sentences, the same in GSA and GSV: of GLONASS from 65 on (NMEA 0183 4.11, 8.3.47)."""
    return satellite.number + (64 if satellite.system == "R" else 0)


def _view(letter: str, seen: list[InSky], signal: dict[str, int]) -> list[bytes]:
    """The parts of one system's list of satellites, four in each."""
    talker, _ = TALKERS[letter]
    parts = [seen[at : at + 4] for at in range(0, len(seen), 4)] or [[]]
    return [
        encode(
            talker,
            "GSV",
            {
                "messages": len(parts),
                "message_number": number,
                "satellites_in_view": len(seen),
                "satellites": [
                    {
                        "id": _id(each),
                        "elevation_deg": round(each.elevation),
                        "azimuth_deg": round(each.azimuth) % 360,
                        "cn0_dbhz": max(0, round(each.cn0)),
                    }
                    for each in part
                ],
            }
            | signal,
        )
        for number, part in enumerate(parts, 1)
    ]


def _covered(line: bytes) -> str:
    """Address and fields of a sentence, without start, checksum and line end."""
    text = line.decode("latin-1").strip()
    return re.sub(r"\*[0-9A-Fa-f]{2}$", "", text)[1:]
