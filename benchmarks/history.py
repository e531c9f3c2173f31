"""A capture of 1 GB: how long until its first and any other line can be shown again, and what that costs in memory."""

import os
import random
import statistics
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import psutil

from benchmarks.traffic import epochs
from pale_heron.bench.model import Model
from pale_heron.bench.scrollback.checkpoints import CheckpointPlacer
from pale_heron.bench.scrollback.lines import Lines
from pale_heron.bench.scrollback.read_back import ReadBack
from pale_heron.bench.scrollback.search import Search
from pale_heron.bench.scrollback.selection import is_mark
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Direction, Event
from pale_heron.sim.marsh import BEGIN_UTC

BYTES = int(float(os.environ.get("HISTORY_GB", "1")) * 1e9)
JUMPS = 200


def run() -> Iterator[str]:
    with tempfile.TemporaryDirectory() as folder:
        writer = CaptureWriter(Path(folder) / "a.pcapng")
        writer.add_lane("curlew", "/dev/ttyUSB0", None)
        model = Model()
        history = ReadBack(lambda: writer.path, lambda: writer.described)
        lines = Lines(model.log, history)
        said, now, placer, second = epochs(3600), BEGIN_UTC * SECOND, CheckpointPlacer(model), 0
        process, before = psutil.Process(), 0
        begin = time.perf_counter()
        while writer.size < BYTES:
            place = placer.before(writer.size, now)
            if place is not None:
                history.note(place)
            if second == 0:
                mark = Event(now, "", "mark", {"text": "the start"})
                writer.event(mark)
                model.feed(mark)
            record = Chunk("curlew", Direction.IN, now, said[second % 3600])
            writer.chunk(record)
            model.feed(record)
            second += 1
            now += SECOND // 10
            if not before and writer.size > BYTES // 10:
                before = process.memory_info().rss
        took = time.perf_counter() - begin
        grown = process.memory_info().rss / before
        places = len(history._checkpoints) * (120 + len(history._checkpoints[-1].state))
        yield f"{writer.size / 1e9:.2f} GB, {lines.end} lines, recorded and decoded in {took:.0f} s"
        yield f"memory from a tenth of it to all of it: {grown:.2f} x (to hold: 1.3 x); places {places / 1e6:.1f} MB"
        chance, delays = random.Random(1), []
        for number in [0, *(chance.randrange(lines.end) for _ in range(JUMPS))]:
            begin = time.perf_counter()
            while lines.get(number) is None:
                time.sleep(0.001)
            delays.append(time.perf_counter() - begin)
        yield (
            f"the first line after {1000 * delays[0]:.0f} ms; {JUMPS} others anywhere: median "
            f"{1000 * statistics.median(delays):.0f} ms, longest {1000 * max(delays):.0f} ms (to hold: 200 ms)"
        )
        begin = time.perf_counter()
        search = Search(lines, lines.end - 1, -1, is_mark)
        search.wait(600)
        took = time.perf_counter() - begin
        yield f"looking backwards through all of it for the one mark at its start: {took:.0f} s, with progress shown"
        assert len(search.found) == 1
        writer.close()
