"""Hours of five receivers, as fast as they can be decoded: how much memory that takes, and whether it levels off.

Recorder and screen are left out: what grows is what decoding keeps, and the places from which lines are read back.
"""

import os
import tempfile
from collections.abc import Iterator
from pathlib import Path

import psutil

from benchmarks.traffic import epochs
from pale_heron.bench.model import Model
from pale_heron.bench.scrollback.checkpoints import CheckpointPlacer
from pale_heron.bench.scrollback.read_back import ReadBack
from pale_heron.core.frames import SECOND, Chunk, Direction
from pale_heron.sim.marsh import BEGIN_UTC

LANES = tuple(f"receiver{place}" for place in range(5))
HOURS = int(os.environ.get("SOAK_HOURS", "12"))
LEAP_S = 7
"""The lanes say the same, so many seconds apart: their lines differ at any moment."""

PICTURE_S = 5
SETTLED_HOURS = 5
"""At an epoch a second nearly all that is bounded is full by then: docs/decisions/memory.md."""

HELD_MB = 3


def run() -> Iterator[str]:
    said = epochs(3600)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "none.pcapng"
        model, history, position = Model(), ReadBack(lambda: path, lambda: ()), 0
        placer, process = CheckpointPlacer(model), psutil.Process()
        before, settled = 0.0, 0.0
        for second in range(HOURS * 3600):
            now = (BEGIN_UTC + second) * SECOND
            place = placer.before(position, now)
            if place is not None:
                history.note(place)
            for number, lane in enumerate(LANES):
                data = said[(second + LEAP_S * number) % len(said)]
                position += len(data) + 64
                model.feed(Chunk(lane, Direction.IN, now + number, data))
            model.tick(now)
            if second % PICTURE_S == 0:
                model.publish(now)
            if (second + 1) % 3600 == 0:
                used = process.memory_info().rss / 1e6
                grown = f", {used - before:+.1f} MB in the last hour" if before else ""
                yield f"after {(second + 1) // 3600:2d} h: {used:.0f} MB{grown}"
                before = used
                settled = used if second < SETTLED_HOURS * 3600 else settled
        yield f"from hour {SETTLED_HOURS} on: {before - settled:+.1f} MB (to hold: {HELD_MB} MB)"
