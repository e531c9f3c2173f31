"""Which satellites are seen and which are used, from GSV and GSA.

A list of satellites comes in parts, one set of parts for each talker and signal. Only a complete set counts; the same
satellite on two signals is one satellite. Sentences are kept as they came and read when a snapshot is asked for.
"""

from dataclasses import dataclass
from typing import NamedTuple

from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.gnss.satellites import SatelliteName, satellite_name, system_of
from pale_heron.core.nmea.sentence import parse, values

FRESH_NS = 12 * SECOND
"""A list older than this, or than three of its own intervals if that is more, is no longer the sky."""

MOST_LISTS = 64


class Satellite(NamedTuple):
    """One satellite; None where the receiver gave nothing."""

    name: SatelliteName
    elevation_deg: int | None
    azimuth_deg: int | None
    cn0_dbhz: int | None
    used: bool


@dataclass(frozen=True, slots=True)
class Sky:
    """All satellites now seen or used, by name; `seen_time` is that of the newest list."""

    satellites: tuple[Satellite, ...]
    seen_time: int | None
    incomplete_lists: int

    @property
    def used(self) -> int:
        return sum(satellite.used for satellite in self.satellites)

    @property
    def by_system(self) -> dict[str, tuple[int, int]]:
        """Seen and used, for each system letter."""
        counts: dict[str, tuple[int, int]] = {}
        for satellite in self.satellites:
            seen, used = counts.get(satellite.name.system, (0, 0))
            counts[satellite.name.system] = seen + 1, used + satellite.used
        return counts


class _Heard:
    """The newest complete list under one key, and the time between it and the one before."""

    __slots__ = ("frames", "interval", "time")

    def __init__(self, frames: tuple[Frame, ...]) -> None:
        self.frames = frames
        self.time = frames[-1].time
        self.interval = 0

    def hear(self, frames: tuple[Frame, ...]) -> None:
        """Take a newer one."""
        self.frames = frames
        time = frames[-1].time
        if time is not None and self.time is not None:
            self.interval = time - self.time
        self.time = time

    def fresh(self, now: int | None) -> bool:
        return now is None or self.time is None or now - self.time <= max(FRESH_NS, 3 * self.interval)


class SkyTracker:
    """Feed it GSV and GSA frames."""

    def __init__(self) -> None:
        self._parts: dict[str, list[Frame]] = {}
        self._seen: dict[tuple[str, bytes], _Heard] = {}
        self._used: dict[tuple[str, bytes], _Heard] = {}
        self._incomplete = 0

    def feed_gsv(self, frame: Frame) -> bool:
        """Take one part of a list; True where it names at least one satellite."""
        fields = frame.data.split(b",", 4)
        if len(fields) < 4:
            return False
        if fields[2] == b"1":
            self._incomplete += frame.type in self._parts
            self._parts[frame.type] = [frame]
        else:
            parts = self._parts.get(frame.type)
            if parts is None or fields[2] != b"%d" % (len(parts) + 1):
                self._incomplete += 1
                self._parts.pop(frame.type, None)
                return len(fields) > 4
            parts.append(frame)
        if fields[1] == fields[2]:
            whole = tuple(self._parts.pop(frame.type))
            self._keep(self._seen, (frame.type, _signal(frame.data)), whole)
        return frame.data.count(b",") >= 7

    def feed_gsa(self, frame: Frame, first: bytes, system: bytes) -> None:
        """Take the used satellites of one system; `first` and `system` are the raw fields that tell the lists apart."""
        self._keep(self._used, (frame.type, system or _range_of(first)), (frame,))

    def _keep(self, lists: dict[tuple[str, bytes], _Heard], key: tuple[str, bytes], frames: tuple[Frame, ...]) -> None:
        heard = lists.get(key)
        if heard is not None:
            heard.hear(frames)
        elif len(lists) < MOST_LISTS:
            lists[key] = _Heard(frames)

    def snapshot(self, now: int | None) -> Sky:
        """The sky as of `now`."""
        used = {name for heard in self._used.values() if heard.fresh(now) for name in _used_names(heard.frames[0])}
        found: dict[SatelliteName, Satellite] = {}
        fresh = [heard for heard in self._seen.values() if heard.fresh(now)]
        for heard in fresh:
            for frame in heard.frames:
                for satellite in _satellites(frame, used):
                    other = found.get(satellite.name)
                    if other is None or (satellite.cn0_dbhz or 0) > (other.cn0_dbhz or 0):
                        found[satellite.name] = satellite
        for name in used - found.keys():
            found[name] = Satellite(name, None, None, None, True)
        return Sky(
            satellites=tuple(found[name] for name in sorted(found)),
            seen_time=max((heard.time for heard in fresh if heard.time is not None), default=None),
            incomplete_lists=self._incomplete,
        )


def _signal(data: bytes) -> bytes:
    """The raw signal id behind the last group (version 4.10 and later); empty where there is none."""
    if data.count(b",") % 4 != 0:
        return b""
    return data[data.rfind(b",") + 1 : data.rfind(b"*")]


def _range_of(first: bytes) -> bytes:
    """The system letter of the first satellite of a GSA that names no system."""
    return satellite_name(None, int(first)).system.encode() if first.isdigit() else b""


def _satellites(frame: Frame, used: set[SatelliteName]) -> list[Satellite]:
    sentence = parse(frame.data)
    system = system_of(sentence.talker)
    found = []
    for item in values(sentence)["satellites"]:
        if item["id"] is not None:
            name = satellite_name(system, item["id"])
            found.append(Satellite(name, item["elevation_deg"], item["azimuth_deg"], item["cn0_dbhz"], name in used))
    return found


def _used_names(frame: Frame) -> list[SatelliteName]:
    sentence = parse(frame.data)
    fields = values(sentence)
    system = system_of(sentence.talker, fields["system_id"])
    return [satellite_name(system, number) for number in fields["satellites"] or ()]
