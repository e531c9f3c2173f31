"""What RTCM 3 messages say, as far as a rover's user asks: which station, where, with what, which satellites.

    1005, 1006   the place of the reference station's antenna (RTCM 10403.3, 3.5.4)
    1007, 1008, 1033   antenna and receiver of the station (3.5.5, 3.5.11)
    1019, 1020, 1041 to 1046   orbits of one satellite (3.5.6, 3.5.13)
    1230   code and phase biases of GLONASS (3.5.16)
    MSM: 1071 to 1137   measurements of one system: station, time, satellites, signals (3.5.16)

Bits are counted from the front; whole numbers with a sign are two's complement.
"""

import math
from collections.abc import Callable, Iterator
from typing import Final, NamedTuple

from pale_heron.core.wire import rtcm3

AXIS_M, FLATTENING = 6_378_137.0, 1 / 298.257_223_563
"""Of WGS 84, near enough to the frames that stations are given in."""

SYSTEMS: Final = {
    107: ("GPS", "G"),
    108: ("GLONASS", "R"),
    109: ("Galileo", "E"),
    110: ("SBAS", "S"),
    111: ("QZSS", "J"),
    112: ("BeiDou", "C"),
    113: ("NavIC", "I"),
}
"""Of MSM, by the number without its last digit."""

ORBITS: Final = {
    1019: ("G", 6),
    1020: ("R", 6),
    1041: ("I", 6),
    1042: ("C", 6),
    1044: ("J", 4),
    1045: ("E", 6),
    1046: ("E", 6),
}
"""Of which system, and how many bits its number has."""

SBAS_FIRST: Final = 19
"""MSM counts these satellites from 120 on as 1 (3.5.16); in RINEX 3 that one is S20."""

MSM_KINDS: Final = range(1, 8)
NAMED: Final = ("system", "satellite", "receiver", "antenna")
"""What a message in a few words is named by."""

BIASES: Final = ("L1 C/A", "L1 P", "L2 C/A", "L2 P")


class MessageField(NamedTuple):
    """One thing that a message says; `value` is a number, a text, or several of them."""

    key: str
    label: str
    value: "int | float | str | list[str]"
    unit: str = ""


class _Bits:
    """Reads numbers off the front; ValueError behind the end."""

    def __init__(self, data: bytes) -> None:
        self._number = int.from_bytes(data, "big")
        self._left = 8 * len(data)

    def take(self, count: int) -> int:
        if count > self._left:
            raise ValueError("the message is too short")
        self._left -= count
        return self._number >> self._left & (1 << count) - 1

    def signed(self, count: int) -> int:
        value = self.take(count)
        return value - (1 << count) if value >> count - 1 else value

    def text(self) -> str:
        return bytes(self.take(8) for _ in range(self.take(8))).decode("latin-1")


def message_fields(data: bytes) -> tuple[MessageField, ...]:
    """What a whole message says; nothing of one that is not known here, or is shorter than it should be."""
    number = rtcm3.message_number(data)
    read = _reader(number)
    if number is None or read is None:
        return ()
    bits = _Bits(data[rtcm3.HEADER_BYTES : -rtcm3.CRC_BYTES])
    bits.take(12)
    try:
        return tuple(read(number, bits))
    except ValueError:
        return ()


def _reader(number: int | None) -> "Callable[[int, _Bits], Iterator[MessageField]] | None":
    if number is None:
        return None
    if number // 10 in SYSTEMS and number % 10 in MSM_KINDS:
        return _measurements
    return _orbit if number in ORBITS else READERS.get(number)


def _station(bits: _Bits) -> MessageField:
    return MessageField("station", "reference station", bits.take(12))


def _place(number: int, bits: _Bits) -> Iterator[MessageField]:
    yield _station(bits)
    bits.take(6)
    serves = [name for name in ("GPS", "GLONASS", "Galileo") if bits.take(1)]
    yield MessageField("systems", "serves", serves)
    bits.take(1)
    x = bits.signed(38) / 10_000
    bits.take(2)
    y = bits.signed(38) / 10_000
    bits.take(2)
    z = bits.signed(38) / 10_000
    for name, value in (("x_m", x), ("y_m", y), ("z_m", z)):
        yield MessageField(name, f"antenna, {name[0].upper()} from the centre of the Earth", value, "m")
    if math.hypot(x, y, z) > AXIS_M / 2:
        latitude, longitude, height = geodetic(x, y, z)
        yield MessageField("latitude", "latitude", round(latitude, 9), "°")
        yield MessageField("longitude", "longitude", round(longitude, 9), "°")
        yield MessageField("ellipsoid_height_m", "height above the ellipsoid", round(height, 4), "m")
    if number == 1006:
        yield MessageField("antenna_height_m", "height of the antenna over its mark", bits.take(16) / 10_000, "m")


def _equipment(number: int, bits: _Bits) -> Iterator[MessageField]:
    yield _station(bits)
    yield MessageField("antenna", "antenna", bits.text())
    bits.take(8)
    if number >= 1008:
        yield MessageField("antenna_serial", "serial number of the antenna", bits.text())
    if number == 1033:
        yield MessageField("receiver", "receiver", bits.text())
        yield MessageField("firmware", "version of its program", bits.text())
        yield MessageField("receiver_serial", "serial number of the receiver", bits.text())


def _biases(_: int, bits: _Bits) -> Iterator[MessageField]:
    yield _station(bits)
    yield MessageField("aligned", "code and phase aligned", "yes" if bits.take(1) else "no")
    bits.take(3)
    there = [name for name in BIASES if bits.take(1)]
    for name in there:
        yield MessageField(
            f"bias_{name.replace(' ', '_').replace('/', '')}", f"bias of {name}", bits.signed(16) / 50, "m"
        )


def _orbit(number: int, bits: _Bits) -> Iterator[MessageField]:
    letter, width = ORBITS[number]
    yield MessageField("satellite", "orbit of satellite", f"{letter}{bits.take(width):02d}")


def _measurements(number: int, bits: _Bits) -> Iterator[MessageField]:
    """The head of an MSM; one message in several parts says so."""
    name, letter = SYSTEMS[number // 10]
    yield _station(bits)
    yield MessageField("system", "system", name)
    if letter == "R":
        # Day of the week, and the time of the day of Moscow (DF416, DF034).
        yield MessageField("day_of_week", "day of the week", bits.take(3))
        yield MessageField("time_of_day_s", "time of the day, UTC + 3 h", bits.take(27) / 1000, "s")
    else:
        yield MessageField("time_of_week_s", f"time of the week of {name}", bits.take(30) / 1000, "s")
    more = bits.take(1)
    bits.take(3 + 7 + 2 + 2 + 1 + 3)
    satellites = [place for place in range(1, 65) if bits.take(1)]
    signals = [place for place in range(1, 33) if bits.take(1)]
    cells = len(satellites) * len(signals)
    measured = sum(bits.take(1) for _ in range(cells)) if cells <= 64 else 0
    first = SBAS_FIRST if letter == "S" else 0
    yield MessageField("satellites", "satellites", [f"{letter}{each + first:02d}" for each in satellites])
    yield MessageField("signals", "numbers of its signals", [str(each) for each in signals])
    yield MessageField("measured", "measured signals of satellites", measured)
    yield MessageField("more", "more parts of this moment follow", "yes" if more else "no")


READERS: Final[dict[int, Callable[[int, _Bits], Iterator[MessageField]]]] = {
    1005: _place,
    1006: _place,
    1007: _equipment,
    1008: _equipment,
    1033: _equipment,
    1230: _biases,
}


def geodetic(x: float, y: float, z: float) -> tuple[float, float, float]:
    """Latitude and longitude in degrees, height above the ellipsoid in metres, of metres from the Earth's centre.

    By iteration; to a tenth of a millimetre near the surface.
    """
    squared = FLATTENING * (2 - FLATTENING)
    flat = math.hypot(x, y)
    latitude = math.atan2(z, flat * (1 - squared))
    curvature = AXIS_M
    for _ in range(8):
        curvature = AXIS_M / math.sqrt(1 - squared * math.sin(latitude) ** 2)
        latitude = math.atan2(z + squared * curvature * math.sin(latitude), flat)
    sine, cosine = math.sin(latitude), math.cos(latitude)
    height = flat * cosine + z * sine - AXIS_M * math.sqrt(1 - squared * sine**2)
    return math.degrees(latitude), math.degrees(math.atan2(y, x)), height


def message_words(data: bytes) -> str:
    """A message in a few words, for a line of a list; empty where nothing is known of it."""
    said = {each.key: each for each in message_fields(data)}
    parts = [f"station {said['station'].value}"] if "station" in said else []
    parts += [str(said[key].value) for key in NAMED if key in said and said[key].value]
    if "satellites" in said and isinstance(said["satellites"].value, list):
        parts.append(f"{len(said['satellites'].value)} satellites")
    if "latitude" in said:
        parts.append(f"{said['latitude'].value:.7f}° {said['longitude'].value:.7f}°")
    return ", ".join(parts)
