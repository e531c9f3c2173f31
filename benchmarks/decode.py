"""Framing, checksum, decoding and trackers against a loop that only splits lines and fields and XORs each byte."""

import timeit
from collections.abc import Iterator, Sequence
from typing import cast

from benchmarks.traffic import chunks, epochs
from pale_heron.bench.lane_pipeline import GATHERED_BYTES
from pale_heron.bench.sources import batches
from pale_heron.core.frames import SECOND, Chunk, Direction, Frame
from pale_heron.core.gnss.fix import FixTracker
from pale_heron.core.lane import Lane
from pale_heron.core.nmea.sentence import parse, values
from pale_heron.core.wire.framer import Framer
from pale_heron.sim.marsh import BEGIN_UTC

BYTES_PER_S = 1_200_000
SNAPSHOT_EVERY = 30
"""Chunks between two snapshots: ten a second at 1.2 MB/s."""


def floor(data: bytes) -> None:
    for line in data.split(b"\r\n"):
        check = 0
        for byte in line:
            check ^= byte
        line.split(b",")


def frames_only(pieces: list[bytes]) -> None:
    framer = Framer("curlew", Direction.IN)
    for place, piece in enumerate(pieces):
        framer.feed(Chunk("curlew", Direction.IN, place, piece))


def whole_lane(pieces: list[bytes]) -> Lane:
    """As the program does it: fields are decoded where a tracker or a snapshot asks for them."""
    lane = Lane("curlew")
    step = SECOND * len(pieces[0]) // BYTES_PER_S
    for place, piece in enumerate(pieces):
        lane.feed(Chunk("curlew", Direction.IN, place * step, piece))
        if place % SNAPSHOT_EVERY == 0:
            lane.snapshot(place * step)
    return lane


def whole_lane_in_batches(said: Sequence[bytes]) -> Lane:
    """As a file is gone through where nobody wants its lines: one chunk an epoch, as they were said."""
    lane = Lane("curlew")
    timed = [Chunk("curlew", Direction.IN, (BEGIN_UTC + at) * SECOND, each) for at, each in enumerate(said)]
    for batch in batches(timed, len(timed), GATHERED_BYTES):
        lane.feed_many(cast("list[Chunk]", batch))
        lane.snapshot(batch[-1].time)
    return lane


def epochs_only(frames: list[Frame]) -> None:
    """Epochs, state, satellites, starts, outages, plausibility: the tracker of the fix alone."""
    tracker = FixTracker()
    for frame in frames:
        tracker.feed(frame)


def every_field(pieces: list[bytes]) -> None:
    """As `decode --json` does it: every field of every sentence."""
    framer = Framer("curlew", Direction.IN)
    for place, piece in enumerate(pieces):
        for frame in framer.feed(Chunk("curlew", Direction.IN, place, piece)):
            values(parse(frame.data))


def run() -> Iterator[str]:
    data = b"".join(epochs(3000))
    pieces = chunks(data)
    sentences = data.count(b"\n")
    step = SECOND * len(pieces[0]) // BYTES_PER_S
    framer = Framer("curlew", Direction.IN)
    timed = [Chunk("curlew", Direction.IN, place * step, piece) for place, piece in enumerate(pieces)]
    frames = [frame for chunk in timed for frame in framer.feed(chunk)]
    lowest = {}
    for name, work in (
        ("floor", lambda: floor(data)),
        ("framing and checksum", lambda: frames_only(pieces)),
        ("epoch tracking alone", lambda: epochs_only(frames)),
        ("with trackers and snapshots", lambda: whole_lane(pieces)),
        ("the same from a file, in batches", lambda: whole_lane_in_batches(epochs(3000))),
        ("with every field decoded", lambda: every_field(pieces)),
    ):
        lowest[name] = min(timeit.repeat(work, number=1, repeat=5))
    assert whole_lane(pieces).snapshot(None).line.frames == sentences
    for name, seconds in lowest.items():
        yield (
            f"{name:<33} {1e6 * seconds / sentences:6.2f} µs a sentence   {len(data) / seconds / 1e6:6.1f} MB/s   "
            f"{seconds / lowest['floor']:5.2f} × the floor"
        )
    yield "to hold: with trackers at most 3 × the floor; from a file, in batches, 1 ×"
