"""Writes traffic to a pseudo-terminal at a given rate: `python -m benchmarks.feeder BYTES_PER_S SECONDS OUT`.

Prints the path to open, waits for a line on standard input, writes, and prints the bytes written and the seconds it
took. OUT gets a copy of what will be written. When the other side does not read, writing waits: how long the whole took
tells whether it kept up.
"""

import os
import sys
import time
import tty
from pathlib import Path

from benchmarks.traffic import epochs

PIECE_S = 0.005


def main() -> None:
    rate, seconds, out = int(sys.argv[1]), float(sys.argv[2]), Path(sys.argv[3])
    data = b"".join(epochs(2000))
    own, other = os.openpty()
    tty.setraw(other)
    piece = int(rate * PIECE_S)
    count = int(seconds / PIECE_S)
    data *= -(-piece * count // len(data))
    out.write_bytes(data[: piece * count])
    print(os.ttyname(other), flush=True)
    sys.stdin.readline()
    begin = time.perf_counter()
    for number in range(count):
        view = memoryview(data)[number * piece : (number + 1) * piece]
        while view:
            view = view[os.write(own, view) :]
        time.sleep(max(0.0, begin + (number + 1) * PIECE_S - time.perf_counter()))
    taken = time.perf_counter() - begin
    print(f"{piece * count} {taken}", flush=True)
    sys.stdin.readline()


if __name__ == "__main__":
    main()
