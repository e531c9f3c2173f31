"""Durations, shares, speeds and moments as people type them."""

import re
from datetime import UTC, datetime

from pale_heron.core.frames import SECOND
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import from_iso

_DURATION = re.compile(r"(\d+(?:\.\d+)?)\s*(ms|s|min|h|)").fullmatch
_SHARE = re.compile(r"(\d+(?:\.\d+)?)\s*(%?)").fullmatch
_RATE = re.compile(r"(\d+(?:\.\d+)?)\s*(k|M|)(B|byte|bit)(?:/s)?").fullmatch
_SECONDS = {"ms": 0.001, "s": 1.0, "": 1.0, "min": 60.0, "h": 3600.0}
_CLOCK = re.compile(r"(\d{1,2}):(\d{2})(?::(\d{2}))?").fullmatch


def seconds(text: str) -> float:
    """Seconds of `60s`, `1.5min`, `2h` or `90`. Trouble where it is not one of these."""
    parts = _DURATION(text.strip())
    if parts is None:
        raise Trouble(f"{text!r} is not a duration", "Write 500ms, 60s, 5min or 2h")
    return float(parts[1]) * _SECONDS[parts[2]]


def share(text: str) -> float:
    """A share, 0 to 1, of `5%` or `0.05`. Trouble where it is not one of these."""
    parts = _SHARE(text.strip())
    value = float(parts[1]) * (0.01 if parts[2] else 1.0) if parts else 2.0
    if not 0 <= value <= 1:
        raise Trouble(f"{text!r} is not a share", "Write 5% or 0.05")
    return value


def byte_rate(text: str) -> float:
    """Bytes a second of `50kB/s`, `92kbit/s` or `1.2MB/s`. Trouble where it is not one of these."""
    parts = _RATE(text.strip())
    value = float(parts[1]) * {"": 1, "k": 1e3, "M": 1e6}[parts[2]] / (8 if parts[3] == "bit" else 1) if parts else 0.0
    if value <= 0:
        raise Trouble(f"{text!r} is not a throughput", "Write 50kB/s, 92kbit/s or 1.2MB/s")
    return value


def moment(text: str, begin: int) -> int:
    """Nanoseconds UTC of an ISO 8601 time, of a time of day at or after `begin`, or of `+90s` after it."""
    if text.startswith("+"):
        return begin + int(seconds(text[1:]) * SECOND)
    clock = _CLOCK(text)
    try:
        if clock:
            day = datetime.fromtimestamp(begin // SECOND, UTC)
            asked = day.replace(hour=int(clock[1]), minute=int(clock[2]), second=int(clock[3] or 0))
            time = int(asked.timestamp()) * SECOND
            return time if time >= begin - SECOND else time + 86_400 * SECOND
        return from_iso(text)
    except ValueError:
        raise Trouble(
            f"{text!r} is not a time", "Write 09:41:07, 2031-05-04T09:41:07Z (both UTC) or +90s from the start"
        ) from None
