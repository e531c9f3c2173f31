"""Whether the far end is up: a trial that begins before it would count what nobody could have answered.

Probes of a trial of their own are sent, or the first message of an exchange, until something answers; none of that is
counted.
"""

import threading
import time
from collections.abc import Callable
from typing import Final, Protocol

from pale_heron.bench.operations.registry import StopToken
from pale_heron.core.frames import IN, Chunk
from pale_heron.core.link.lines import LineCutter
from pale_heron.core.wire.probe import PROBE, Probe, ProbeFinder, encode

EVERY_S: Final = 0.5
LOOK_S: Final = 0.02
NOBODY: Final = 0
"""The number of a probe that only asks whether somebody is there: it is answered, and not counted."""

ANOTHER: Final = 0x8000
"""What makes its number another one than that of the trial."""


class SignBench(Protocol):
    """What it needs of a live bench."""

    def tap(self, lane: str, listener: Callable[[Chunk], None]) -> Callable[[], None]: ...


def await_probe(
    bench: SignBench, lane: str, trial: int, send: Callable[[bytes], None], within_s: float, token: StopToken
) -> float | None:
    """Seconds until a probe came back, answered or as it was; None where none did. Raises where it is stopped."""
    finder, asked = ProbeFinder(), trial ^ ANOTHER

    def is_sign(chunk: Chunk) -> bool:
        found = finder.feed(chunk.time, chunk.data)
        return any(each.probe is not None and each.probe.trial == asked for each in found)

    data = encode(Probe(PROBE, asked, "A", NOBODY))
    return _await(bench, lane, lambda: send(data), is_sign, within_s, EVERY_S, token)


def await_line(
    bench: SignBench,
    lane: str,
    message: str,
    send: Callable[[bytes], None],
    within_s: float,
    limit_s: float,
    token: StopToken,
) -> float | None:
    """The same with a message: seconds until any line came, or so much without an end; asked again after the limit."""
    cutter = LineCutter()

    def is_sign(chunk: Chunk) -> bool:
        lines = cutter.feed(0, chunk.data)
        held = cutter.advance(1 << 62)
        return any(line.text[:1] not in ("$", "!") for line in (*lines, *([held] if held else [])))

    return _await(bench, lane, lambda: send(message.encode("utf-8")), is_sign, within_s, max(EVERY_S, limit_s), token)


def _await(
    bench: SignBench,
    lane: str,
    send: Callable[[], None],
    is_sign: Callable[[Chunk], bool],
    within_s: float,
    every_s: float,
    token: StopToken,
) -> float | None:
    seen = threading.Event()

    def listen(chunk: Chunk) -> None:
        if chunk.direction is IN and is_sign(chunk):
            seen.set()

    leave = bench.tap(lane, listen)
    begin = asked = time.monotonic()
    try:
        send()
        while not seen.is_set():
            now = time.monotonic()
            if now - begin >= within_s:
                return None
            if now - asked >= every_s:
                asked = now
                send()
            token.rest(LOOK_S)
        return time.monotonic() - begin
    finally:
        leave()
