"""Sentences of one type that tell different things: parts of a list of satellites, and satellite systems."""

from collections.abc import Callable, Mapping
from typing import Final, NamedTuple

from pale_heron.core.frames import Frame


class TypePart(NamedTuple):
    """One of them, with how many there were and the last two."""

    label: str
    lines: int
    before: Frame | None
    latest: Frame


def _of_view(fields: list[bytes]) -> str:
    """Which part of how many, and behind whole groups of four the signal (NMEA 0183 4.11, 8.3.40)."""
    signal = f" signal {fields[-1].decode('ascii')}" if (len(fields) - 4) % 4 == 1 and fields[-1] else ""
    return f"{int(fields[2])}/{int(fields[1])}{signal}"


def _of_active(fields: list[bytes]) -> str:
    """The system, behind the dilutions (8.3.39)."""
    return f"system {fields[18].decode('ascii')}" if len(fields) > 18 and fields[18] else ""


PARTED: Final[Mapping[str, Callable[[list[bytes]], str]]] = {"GSV": _of_view, "GSA": _of_active}
"""By their formatters."""


def part_label(frame: Frame) -> str:
    """What tells it apart from others of its type, a few letters; empty where nothing does, or it cannot be read."""
    try:
        return PARTED[frame.type[-3:]](frame.data.partition(b"*")[0].split(b","))[:24]
    except (KeyError, ValueError, IndexError):
        return ""
