"""Streams, sentences and lanes that several tests use."""

from collections.abc import Iterable

from hypothesis import strategies as st

from pale_heron.core import utc
from pale_heron.core.frames import SECOND, Chunk, Direction, Frame
from pale_heron.core.gnss.epochs.log import Epoch, EpochLog, Epochs
from pale_heron.core.gnss.states import LEVELS, MADE
from pale_heron.core.lane import Lane
from pale_heron.core.nmea.sentence import encode, sealed
from pale_heron.core.wire import rtcm3
from pale_heron.core.wire.framer import Framer
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.scenes import SCENES, Scene

BEGIN = 1_935_654_000 * SECOND
GGA = encode(
    "GN",
    "GGA",
    {
        "time": "09:41:07.00",
        "latitude": -46.1173,
        "longitude": -67.3066666667,
        "quality": 1,
        "satellites_used": 11,
        "hdop": 0.8,
        "altitude_m": 3.4,
        "geoid_separation_m": 11.2,
        "differential_station": None,
    },
)


HERE = "4607.03800,S,06718.40000,W"


def gga(second: float, where: str = HERE, quality: int = 1, rest: str = "11,0.8,3.4,M,11.2,M,,") -> str:
    """The body of a position sentence so many seconds after BEGIN, which is 09:40:00."""
    return f"GNGGA,{utc.clock(BEGIN + round(second * SECOND), 2).replace(':', '')},{where},{quality},{rest}"


RTCM = rtcm3.encode(bytes.fromhex("43d0000102d30003"))

HOSTILE = (
    b"\x1b]0;owned\x07\x1b[2J\x1b[6n\x1bP$q\x1b\\"  # title, clear, where is the cursor, ask for a setting
    b"\x9b2J\x9d0;c1\x9c"  # the same in C1
    + "\u202e\u2066\u200b\ufeff".encode()  # turns of direction, invisible ones
    + b"[b]bold[/b][/][link=file:///]x[/link][@click=app.quit]q[/]\r\n"
)
"""A line that tries to act on the terminal and on markup."""


def chunk(data: bytes, time: int | None = 0, lane: str = "curlew", direction: Direction = Direction.IN) -> Chunk:
    return Chunk(lane, direction, time, data)


def framed(pieces: Iterable[bytes], time: int | None = 0, ending: str = "auto") -> list[Frame]:
    """The frames of a stream that comes in these pieces."""
    framer = Framer("curlew", Direction.IN, ending=ending)
    found = [frame for piece in pieces for frame in framer.feed(chunk(piece, time))]
    return found + framer.finish()


def sentences(*bodies: str) -> bytes:
    """Sentences with their checksums, one after the other."""
    return b"".join(sealed(body) for body in bodies)


def said(seconds: int, scene: Scene | None = None, seed: int = 7) -> list[bytes]:
    """What a simulated receiver says in each of so many seconds."""
    curlew = Curlew(scene or SCENES["open-sky"], seed)
    return [curlew.epoch(float(second)) for second in range(seconds)]


def track(points: Iterable[tuple[float, float]], **columns: float) -> Epochs:
    """Epochs with a fix at these places, one a second from BEGIN on; `columns` give what is the same in all."""
    log = EpochLog()
    blank = Epoch(*(None,) * len(Epoch._fields))._replace(
        level=LEVELS.index("single"), made=MADE.index("single"), **columns
    )
    for second, (latitude, longitude) in enumerate(points):
        moment = BEGIN + second * SECOND
        log.append(blank._replace(arrived=moment, utc=moment, latitude=latitude, longitude=longitude))
    return log.view()


def fed(epochs: Iterable[bytes], name: str = "curlew") -> Lane:
    """A lane that heard these epochs, one a second from BEGIN on."""
    lane = Lane(name)
    for second, data in enumerate(epochs):
        lane.feed(chunk(data, BEGIN + second * SECOND, name))
    return lane


MEASURED = rtcm3.encode(b"\x43\xd0" + bytes(range(40)))
"""A message with line ends in it."""

pieces_of_streams = st.lists(
    st.one_of(
        st.just(GGA),
        st.just(RTCM),
        st.just(RTCM[:-1]),
        st.sampled_from([MEASURED, MEASURED[:20], MEASURED[:-1], MEASURED[:7]]),
        st.just(RTCM[:5] + bytes([RTCM[5] ^ 1]) + RTCM[6:]),
        st.just(GGA[:-1]),
        st.just(GGA[:40]),
        st.just(GGA.replace(b"4607", b"4608")),
        st.sampled_from([b"OK\r\n", b"\r\n", b"\r", b"\n", b"> ", b"+RING: 1\r\n", b"$", b"!", b"\xd3", b"\xd3\x00"]),
        st.sampled_from([b"$GPTXT*", b"$P", b"price $5!", b"\xd3\x03\xff", HOSTILE]),
        st.binary(max_size=40),
    ),
    max_size=12,
)
"""Ingredients of streams, from well formed to malicious."""
