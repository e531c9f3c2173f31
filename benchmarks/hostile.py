"""Ten million random, mutated and cut bytes: no exception, nothing unprintable, and at what speed."""

import random
import time
from collections.abc import Iterator

from benchmarks.traffic import epochs
from pale_heron.bench.decoded import decoded
from pale_heron.core.frames import Chunk, Direction
from pale_heron.core.lane import Lane
from pale_heron.tui.painting.paint import plain
from pale_heron.tui.views.traffic.traffic import ListStyle, row_of

TOTAL = 10_000_000
ESCAPES = (b"\x1b[2J", b"\x1b]0;x\x07", b"\x9b6n", b"[/b]", b"[b]", b"\xe2\x80\xae", b"\xd3\x00\xd3\x00", b"$GPGSV,")


def stream(chance: random.Random) -> bytes:
    """A few kilobytes: sentences that are damaged, escape sequences and noise among each other."""
    data = bytearray(b"".join(chance.choices(epochs(60), k=4)))
    for _ in range(chance.randrange(60)):
        at = chance.randrange(len(data))
        what = chance.randrange(4)
        if what == 0:
            data[at] = chance.randrange(256)
        elif what == 1:
            data[at:at] = chance.choice(ESCAPES)
        elif what == 2:
            data[at:at] = chance.randbytes(chance.randrange(80))
        else:
            del data[at : at + chance.randrange(200)]
    return bytes(data)


def run() -> Iterator[str]:
    chance, lane, fed, frames, begin = random.Random(1), Lane("hostile"), 0, 0, time.perf_counter()
    while fed < TOTAL:
        data = stream(chance) if chance.random() < 0.8 else chance.randbytes(4000)
        for frame in lane.feed(Chunk("hostile", Direction.IN, fed * 1000, data)):
            frames += 1
            if frames % 20 == 0:
                assert plain([row_of(frame, None, ListStyle(lanes=2), 140, True, False)]).isprintable()
                assert all(text.isprintable() for text in decoded(frame).values() if isinstance(text, str))
        fed += len(data)
        lane.snapshot(fed * 1000)
    seconds = time.perf_counter() - begin
    speed = fed / seconds / 1e6
    yield f"{fed} bytes in {frames} frames: no exception, nothing unprintable; {speed:.2f} MB/s with snapshots"
    worst = b"\xd3\x00" * 500_000
    begin = time.perf_counter()
    Lane("hostile").feed(Chunk("hostile", Direction.IN, 0, worst[:100_000]))
    yield f"the worst stream for the framer, preambles of RTCM 3 only: {0.1 / (time.perf_counter() - begin):.2f} MB/s"
