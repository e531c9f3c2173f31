"""A device goes and comes back a hundred times: opened again each time, the gap recorded, nothing else lost."""

import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path

from benchmarks.traffic import epochs
from pale_heron.bench.live.session import Session
from pale_heron.capture.reader import CaptureReader
from pale_heron.core.frames import Chunk, Event
from pale_heron.ports.address import LaneSpec
from pale_heron.sim.terminal import Terminal

TIMES = 100


def until(done: Callable[[], bool]) -> None:
    limit = time.monotonic() + 20
    while not done():
        assert time.monotonic() < limit, "it was not opened again"
        time.sleep(0.002)


def run() -> Iterator[str]:
    said = epochs(TIMES)
    with tempfile.TemporaryDirectory() as folder:
        link, path = Path(folder) / "curlew", Path(folder) / "a.pcapng"
        session = Session("bench", [LaneSpec("curlew", str(link))], path)
        session.start()
        begin, away = time.monotonic(), []
        for count in range(TIMES):
            terminal = Terminal(9600, link)
            plugged = time.monotonic()
            until(lambda: session.snapshot().lanes[0].opening == "open")
            away.append(time.monotonic() - plugged)
            terminal.send(said[count])
            while terminal.queued:
                terminal.work(0.05)
                time.sleep(0.001)
            wanted = sum(map(len, said[: count + 1]))
            until(lambda wanted=wanted: session.snapshot().lanes[0].line.bytes_in >= wanted)  # type: ignore[misc]
            terminal.close()
            until(lambda: session.snapshot().lanes[0].opening == "lost")
        session.stop()
        records = list(CaptureReader(path).records())
    events = Counter(record.name for record in records if isinstance(record, Event))
    got = b"".join(record.data for record in records if isinstance(record, Chunk))
    yield (
        f"{TIMES} times in {time.monotonic() - begin:.0f} s: opened again within {max(away):.2f} s, "
        f"{events['lost']} losses and {events['returned']} returns recorded, "
        f"{'every byte kept' if got == b''.join(said) else 'bytes lost'}"
    )
