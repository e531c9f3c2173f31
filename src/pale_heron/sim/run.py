"""Runs one simulated receiver in real time behind its pseudo-terminal."""

import time
from collections.abc import Callable

from pale_heron.sim.curlew import Curlew
from pale_heron.sim.terminal import Terminal

TICK_S = 0.01


def wait_for_second() -> int:
    """Wait until the host's clock begins a second; that second, UTC since 1970."""
    now = time.time()
    second = int(now) + 1
    time.sleep(second - now)
    return second


def run_curlew(device: Curlew, terminal: Terminal, ended: Callable[[], bool]) -> None:
    """Until `ended` says so. A new line rate takes hold once what was queued before it is out."""
    begin = last = time.monotonic()
    next_epoch = 0.0
    while not ended():
        time.sleep(TICK_S)
        now = time.monotonic()
        for line in terminal.work(now - last):
            terminal.send(device.obey(line, now - begin))
        last = now
        if terminal.rate != device.setup.rate and not terminal.queued:
            terminal.rate = device.setup.rate
        if now - begin >= next_epoch and terminal.rate == device.setup.rate:
            terminal.send(device.epoch(next_epoch))
            next_epoch += device.setup.every_ms / 1000
            if now - begin - next_epoch > 1.0:
                # The machine slept: go on from now instead of saying all that was missed.
                next_epoch = now - begin
