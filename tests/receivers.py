"""What receivers may say, made by chance: steady for long stretches, with all the oddities that devices have."""

import random
from collections.abc import Iterator, Sequence

import pytest

from pale_heron.core import utc
from pale_heron.core.frames import SECOND, Chunk
from tests.streams import BEGIN, chunk, sentences

MS = 1_000_000


@pytest.fixture(scope="module", autouse=True)
def little_is_enough() -> Iterator[None]:
    """Short streams are taken many at a time too, where a test imports this."""
    with pytest.MonkeyPatch.context() as patch:
        for module in ("core.lane", "bench.lane_pipeline"):
            patch.setattr(f"pale_heron.{module}.FEW_BYTES", 3000)
        yield


FULL = ("RMC", "GGA", "GSA", "GSV", "GLL", "VTG", "ZDA", "GST")
SAID = {
    "all of it": FULL,
    "ZDA first": ("ZDA", *FULL[:-2], "GST"),
    "position alone": ("GGA",),
    "RMC and the sky": ("RMC", "GSV"),
    "GGA before RMC": ("GGA", "RMC", "GSA", "GSV"),
    "without a date": ("GGA", "GSA", "GSV", "VTG"),
    "with GNS": ("GNS", "RMC", "GSV"),
    "GLL alone": ("GLL",),
}
"""Which sentences make up an epoch, in which order."""

QUIET = {"change": 0.004}
LIVELY = {
    **QUIET,
    "gap": 0.003,
    "repeat": 0.003,
    "held": 0.05,
    "jump": 0.004,
    "lost": 0.01,
    "apart": 0.004,
    "other": 0.004,
}
WILD = {
    **LIVELY,
    "stop": 0.006,
    "system": 0.004,
    "both": 0.2,
    "slow": 0.3,
    "undated": 0.01,
    "shuffled": 0.01,
    "short": 0.003,
    "noise": 0.004,
    "text": 0.004,
    "flat": 0.01,
}
"""How probable oddities are in one epoch."""

OTHERS = (
    "GPGGA,010203,4607.0,S,06718.0,W,1,05,1,1,M,1,M,,",
    "PXYZQ,ready,1",
    "GNTXT,01,01,02,warm start",
    "GNDTM,W72,,0,N,0,E,0,W84",
)


class _Epoch:
    """One epoch as sentences."""

    def __init__(
        self, chance: random.Random, talker: str, moment: int, where: str, quality: int, dimension: int
    ) -> None:
        self._chance, self._talker, self._where, self._quality = chance, talker, where, quality
        self._dimension = dimension
        self.time = utc.clock(moment, 2).replace(":", "")
        self.year, self.month, self.day = utc.iso(moment)[:10].split("-")
        self.date = f"{self.day}{self.month}{self.year[2:]}"

    def said(self, kind: str, signals: Sequence[str]) -> list[str]:
        """The sentences of one kind."""
        chance, fixed, time = self._chance, self._quality > 0, self.time
        status, mode = ("A", {2: "D", 4: "R"}.get(self._quality, "A")) if fixed else ("V", "N")
        used = f"{chance.randrange(4, 20):02d}"
        modes = (self._dimension, 1)
        bodies = {
            "RMC": [f"RMC,{time},{status},{self._where},0.42,226.1,{self.date},,,{mode},V"],
            "GGA": [f"GGA,{time},{self._where},{self._quality},{used},0.8,4.{chance.randrange(10)},M,11.2,M,,"],
            "GNS": [f"GNS,{time},{self._where},{'AAN' if fixed else 'NNN'},11,0.8,3.4,11.2,,,V"],
            "GSA": [
                f"GSA,A,{modes[each]},{3 + each:02d},{9 + each:02d},,,,,,,,,,,1.6,0.8,1.5,{each + 1}" for each in (0, 1)
            ],
            "GLL": [f"GLL,{self._where},{time},{status},{mode}"],
            "VTG": [f"VTG,226.1,T,,M,0.42,N,0.78,K,{mode}"],
            "ZDA": [f"ZDA,{time},{self.day},{self.month},{self.year},00,00"],
            "GST": [f"GST,{time},3.1,,,,1.204,{chance.random():.3f},2.642"],
        }
        return list(_sky(chance, signals)) if kind == "GSV" else [self._talker + body for body in bodies[kind]]


def receiver(
    chance: random.Random, *, epochs: int, kinds: Sequence[str], hertz: int = 1, **odd: float
) -> Iterator[bytes]:
    """What it says in each epoch; `odd` gives how probable each oddity is in one of them."""
    talker, moment = chance.choice(("GN", "GN", "GP")), BEGIN + chance.randrange(86_400) * SECOND
    signals = chance.choice((("",), ("1", "8")))
    quality, north, east = 1, 3800.0, 40_000.0
    stopped, epoch_talker = "", talker

    def happens(name: str) -> bool:
        return chance.random() < odd.get(name, 0.0)

    both = chance.choice((1, 2)) if talker == "GN" and happens("both") else 0
    slow = chance.choice((2, 5)) if happens("slow") else 1
    for number in range(epochs):
        passed = 0 if happens("repeat") else chance.randrange(2, 30) if happens("gap") else 1
        moment += passed * SECOND // hertz
        quality = chance.choice((0, 1, 1, 2, 4, 5)) if happens("change") else quality
        if not happens("held"):
            north, east = north + chance.gauss(0, 2), east + chance.gauss(0, 3)
        north += 9000 * happens("jump")
        where = f"{4607 + north / 1e5:010.5f},S,{6718 + east / 1e5:011.5f},W" if quality else ",,,"
        epoch = _Epoch(
            chance, epoch_talker, moment, where, quality, 1 + (quality > 0) + (quality > 0 and not happens("flat"))
        )
        # Somebody switches a sentence off, and on again; GSA comes every few epochs only.
        if happens("stop"):
            stopped = chance.choice((*kinds, ""))
        wanted = [kind for kind in kinds if kind != "GSV" or number % hertz == 0]
        wanted = [kind for kind in wanted if kind != stopped and (kind != "GSA" or number % slow == 0)]
        if happens("system"):
            epoch_talker = chance.choice((talker, "GP"))
        bodies = [body for kind in wanted for body in epoch.said(kind, signals)]
        if both:
            # What one system says, before or behind what all say together.
            alone = [f"GP{body[2:]}" for body in bodies if body[:2] == "GN" and body[2:5] in ("GGA", "RMC", "VTG")]
            bodies = [*bodies, *alone] if both > 1 else [*alone, *bodies]
        if happens("apart"):
            later = utc.clock(moment + SECOND, 2).replace(":", "")
            bodies = [body.replace(epoch.time, later) if "RMC" in body else body for body in bodies]
        if happens("undated"):
            bodies = [body.replace(f",{epoch.date},", ",,") for body in bodies if "ZDA" not in body]
        if happens("shuffled"):
            chance.shuffle(bodies)
        if happens("short"):
            bodies = [",".join(body.split(",")[: chance.randrange(2, 20)]) for body in bodies]
        if happens("lost") and bodies:
            bodies.pop(chance.randrange(len(bodies)))
        if happens("other"):
            bodies.append(chance.choice(OTHERS))
        data = sentences(*bodies)
        if happens("noise"):
            data = data.replace(b",A,", b"\x00A,", 1)
        yield data + b"hello, this is no sentence\r\n" if happens("text") else data


def _sky(chance: random.Random, signals: Sequence[str]) -> Iterator[str]:
    """Lists of satellites of two systems, on each signal."""
    for talker, signal in ((talker, signal) for talker in ("GP", "GA") for signal in signals):
        seen = chance.randrange(1, 13)
        parts = -(-seen // 4)
        for part in range(1, parts + 1):
            groups = "".join(
                f",{each + 1:02d},{10 + each:02d},{each * 25:03d},{chance.choice(('', chance.randrange(10, 50)))}"
                for each in range(4 * part - 4, min(4 * part, seen))
            )
            yield f"{talker}GSV,{parts},{part},{seen:02d}{groups}{',' + signal if signal else ''}"


def cut(chance: random.Random, data: Sequence[bytes], hertz: int, lane: str = "curlew") -> list[Chunk]:
    """The stream as it may arrive: an epoch at a time, in pieces, or much faster than it was said."""
    how, step = chance.choice(("epochs", "epochs", "pieces", "late", "fast")), SECOND // hertz
    if how == "epochs":
        return [chunk(each, BEGIN + place * step + chance.randrange(30 * MS), lane) for place, each in enumerate(data)]
    if how == "pieces":
        found = []
        for place, each in enumerate(data):
            edges = sorted(chance.sample(range(len(each)), min(3, len(each))))
            for at, (begin, end) in enumerate(zip([0, *edges], [*edges, len(each)], strict=True)):
                found.append(chunk(each[begin:end], BEGIN + place * step + at * step // 8, lane))
        return found
    whole, size = b"".join(data), chance.choice((700, 4096, 30_000))
    pace = MS if how == "fast" else chance.choice((step // 500, 4 * MS))
    return [chunk(whole[at : at + size], BEGIN + at * pace, lane) for at in range(0, len(whole), size)]
