"""What blocks are filled with: it follows from a seed, so no copy is needed to know it (docs/probe-format.md)."""

from collections.abc import Callable
from functools import lru_cache
from typing import Final

import numpy as np

SHORTEST_BLOCK: Final = 64
LONGEST_BLOCK: Final = 16384
"""Of a whole block, header and payload."""

_MULTIPLIER, _INCREMENT = 1664525, 1013904223
"""x · 1664525 + 1013904223, modulo 2³²: the same steps as the filler of a text probe."""

_LETTERS: Final = np.frombuffer(b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-.", np.uint8)


def _random(seed: int, length: int) -> bytes:
    """Two bytes of each step: its highest, then the next one. The low ones repeat too soon."""
    factors, offsets = _steps()
    count = (length + 1) // 2
    states = factors[:count] * np.uint32(seed) + offsets[:count]
    return np.stack((states >> 24, states >> 16), axis=1).astype(np.uint8).tobytes()[:length]


def _text(seed: int, length: int) -> bytes:
    """The same, as letters and digits: six bits of each byte."""
    return bytes(_LETTERS[np.frombuffer(_random(seed, length), np.uint8) & 63])


def _all_values(seed: int, length: int) -> bytes:
    """Every value in turn, from one that changes with the block."""
    first = seed & 255
    return (bytes(range(256)) * (length // 256 + 2))[first : first + length]


def _alternating(_seed: int, length: int) -> bytes:
    """0x55: on the line every bit differs from the one before."""
    return b"U" * length


CONTENTS: Final[dict[str, tuple[str, Callable[[int, int], bytes]]]] = {
    "random": ("R", _random),
    "text": ("T", _text),
    "all-values": ("A", _all_values),
    "55": ("5", _alternating),
}
"""What blocks are filled with: the letter in the header, and how."""

BY_LETTER: Final = dict(CONTENTS.values())


@lru_cache(maxsize=1)
def _steps() -> tuple["np.ndarray[tuple[int], np.dtype[np.uint32]]", "np.ndarray[tuple[int], np.dtype[np.uint32]]"]:
    """Factor and offset of each step, counted from the seed."""
    count = LONGEST_BLOCK // 2 + 1
    factors = np.multiply.accumulate(np.full(count, _MULTIPLIER, np.uint32), dtype=np.uint32)
    before = np.concatenate((np.ones(1, np.uint32), factors[:-1]))
    return factors, np.add.accumulate(before, dtype=np.uint32) * np.uint32(_INCREMENT)
