"""Which satellites are seen and which are used, from GSV and GSA.

A list of satellites comes in parts, one set of parts for each talker and signal. Only a complete set counts; the same
satellite on two signals is one satellite. Sentences are kept as they came and read when a snapshot is asked for; for
every epoch only the C/N0 fields are looked at, and once a minute the directions, for the trails.
"""

from bisect import bisect_right
from collections.abc import Collection, Sequence
from operator import attrgetter
from typing import TYPE_CHECKING, Final, NamedTuple

from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.gnss.satellites.names import SatelliteName, satellite_name, system_of
from pale_heron.core.gnss.satellites.signals import Series, SignalLog
from pale_heron.core.nmea.raw import fields_of, whole
from pale_heron.core.nmea.sentence import groups_end, parse, values
from pale_heron.core.utc import moved

if TYPE_CHECKING:
    from pale_heron.core.gnss.batches.lists import SatelliteLists
    from pale_heron.core.gnss.batches.sky import KnownList, KnownStrongest, Strongest
    from pale_heron.core.wire.sentence_batch import Flags, SentenceBatch

FRESH_NS = 12 * SECOND
"""A list older than this, or than three of its own intervals if that is more, is no longer the sky."""

MOST_LISTS = 64
MOST_PARTS = 8
TRAIL_STEP_NS: Final = 60 * SECOND
TRAIL_NS: Final = 3600 * SECOND
NEVER: Final = 2**63 - 1
BEST: Final = 4
"""So many satellites make a position: the C/N0 of the best four says how good reception is."""


class SkyPosition(NamedTuple):
    """Where a satellite stood at a time; degrees."""

    time: int
    elevation_deg: int
    azimuth_deg: int


class Satellite(NamedTuple):
    """One satellite; None where the receiver gave nothing. `cn0_dbhz` is that of its strongest signal."""

    name: SatelliteName
    elevation_deg: int | None
    azimuth_deg: int | None
    cn0_dbhz: int | None
    used: bool
    signals: tuple[tuple[str, int | None], ...] = ()
    """C/N0 by signal id, as the receiver numbers them; empty ids where it names none."""


class Sky(NamedTuple):
    """All satellites now seen or used, by name; `seen_time` is that of the newest list."""

    satellites: tuple[Satellite, ...]
    heard: bool
    """Any list came so far; without one nothing is known of satellites, which is not none."""
    seen_time: int | None
    incomplete_lists: int
    incomplete_now: tuple[str, ...]
    """Types whose newest list came without all of its parts: what is shown of them is the list before."""
    signals: dict[SatelliteName, Series]
    """C/N0 over the whole session, of every satellite that was seen."""
    trails: dict[SatelliteName, tuple[SkyPosition, ...]]
    """Where each stood in the last hour, a place a minute."""

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


class _LatestList:
    """The newest complete list under one key, and the time between it and the one before."""

    __slots__ = ("_strengths", "frames", "interval", "time")

    def __init__(self, frames: tuple[Frame, ...]) -> None:
        self.frames = frames
        self.time = frames[-1].time
        self.interval = 0
        self._strengths: dict[bytes, int] | None = None

    def hear(self, frames: tuple[Frame, ...]) -> None:
        """Take a newer one."""
        self.frames = frames
        time = frames[-1].time
        if time is not None and self.time is not None:
            self.interval = time - self.time
        self.time = time
        self._strengths = None

    @property
    def ends(self) -> int | None:
        """Until when it counts; None where no times are known."""
        return None if self.time is None else self.time + max(FRESH_NS, 3 * self.interval)

    def fresh(self, now: int | None) -> bool:
        ends = self.ends
        return now is None or ends is None or now <= ends

    @property
    def strengths(self) -> dict[bytes, int]:
        """C/N0 by raw satellite number; 0 where it is not followed."""
        if self._strengths is None:
            self._strengths = {}
            for frame in self.frames:
                fields = fields_of(frame.data)
                for number, strength in zip(fields[4:-3:4], fields[7::4], strict=False):
                    self._strengths[number] = int(strength) if strength.isdigit() and len(strength) <= 2 else 0
        return self._strengths


class SkyTracker:
    """Feed it GSV and GSA frames."""

    def __init__(self) -> None:
        self._parts: dict[str, list[Frame]] = {}
        self._seen: dict[tuple[str, bytes], _LatestList] = {}
        self._used: dict[tuple[str, bytes], _LatestList] = {}
        self._used_now: set[tuple[str, bytes]] = set()
        """The lists that came in this epoch."""
        self._incomplete = 0
        self._incomplete_now: set[str] = set()
        self._trails: dict[SatelliteName, tuple[SkyPosition, ...]] = {}
        self._trailed: dict[tuple[str, bytes], int] = {}
        self._signals = SignalLog()
        self._reception: tuple[int | None, float | None] | None = None
        self._reception_until = NEVER
        self._by_kind: dict[str, list[_LatestList]] = {}
        self._strongest: dict[str, tuple[int, int, list[int]]] = {}

    def feed_gsv(self, frame: Frame) -> bool:
        """Take one part of a list; True where it names at least one satellite."""
        fields = frame.data.split(b",", 4)
        if len(fields) < 4:
            return False
        if fields[2] == b"1":
            if frame.type in self._parts:
                self._miss(frame)
            self._parts[frame.type] = [frame]
        else:
            parts = self._parts.get(frame.type)
            if parts is None or fields[2] != b"%d" % (len(parts) + 1):
                self._miss(frame)
                self._parts.pop(frame.type, None)
                return len(fields) > 4
            parts.append(frame)
        if fields[1] == fields[2]:
            self._complete(frame.type, tuple(self._parts.pop(frame.type)))
        return frame.data.count(b",") >= 7

    def _miss(self, frame: Frame) -> None:
        self._incomplete += 1
        self._incomplete_now.add(frame.type)

    def _complete(self, kind: str, frames: tuple[Frame, ...]) -> None:
        self._incomplete_now.discard(kind)
        key = kind, _signal(frames[-1].data)
        before = self._seen.get(key)
        self._keep(self._seen, key, frames)
        if before is None and key in self._seen:
            self._by_kind.setdefault(kind, []).append(self._seen[key])
        if key in self._seen:
            self._note_strongest(kind)
        time = frames[-1].time
        if time is not None and self._signals.is_due(key, time) and key in self._seen:
            self._signals.take(key, self._seen[key].strengths.items(), time)
        if time is not None and time - self._trailed.get(key, time - TRAIL_STEP_NS) >= TRAIL_STEP_NS:
            self._trailed[key] = time
            self._trail(frames, time)

    def _trail(self, frames: tuple[Frame, ...], time: int) -> None:
        """Note where each satellite stands."""
        for name, elevation, azimuth in (each for frame in frames for each in _directions(frame)):
            before = self._trails.get(name, ())
            if not before or time - before[-1].time >= TRAIL_STEP_NS:
                # Places stand in the order of their times.
                old = bisect_right(before, time - TRAIL_NS, key=attrgetter("time"))
                self._trails[name] = (*before[old:], SkyPosition(time, elevation, azimuth))

    @property
    def between_lists(self) -> bool:
        """Whether no list is under way."""
        return not self._parts

    def knows(self, lists: "SatelliteLists", names: Sequence[str]) -> "Flags":
        """Which of these lists have been heard before: of their type, on their signal."""
        known = {_key(names.index(kind), signal) for kind, signal in self._seen if kind in names}
        from numpy import isin

        return isin(lists.key, list(known))

    def miss_parts(self, batch: "SentenceBatch", lists: "SatelliteLists", begin: int, end: int) -> None:
        """Count what shows, between two rows, that a list has come without all of its parts."""
        missed = lists.missed(batch, begin, end).tolist()
        self._incomplete += len(missed)
        for kind in set(missed):
            if lists.last_missed(batch, begin, end, kind):
                self._incomplete_now.add(batch.names[kind])

    def feed_lists(
        self, batch: "SentenceBatch", lists: "SatelliteLists", begin: int, end: int
    ) -> "list[tuple[Strongest, KnownStrongest | None]]":
        """Take whole lists from one to before another, all of known keys; gives what is received of each type."""
        from pale_heron.core.gnss.batches.sky import KnownStrongest, no_lists, strongest

        found = []
        for kind in list(self._by_kind):
            before = self._strongest.get(kind)
            known = None if before is None else KnownStrongest(*before)
            number = batch.names.index(kind) if kind in batch.names else -1
            if number in lists.type[begin:end]:
                received = strongest(lists, begin, end, number, self._known(kind, number), FRESH_NS)
                found.append((received, known))
                self._strongest[kind] = received.last()
                self._incomplete_now.discard(kind)
            else:
                found.append((no_lists(), known))
        self._reception = None
        self._log_lists(batch, lists, begin, end)
        self._hear_lists(batch, lists, begin, end)
        return found

    def _known(self, kind: str, number: int) -> "list[KnownList]":
        from pale_heron.core.gnss.batches.sky import KnownList, satellites_of

        own = [(signal, heard) for (name, signal), heard in self._seen.items() if name == kind]
        return [
            KnownList(_key(number, signal), heard.time or 0, heard.ends or 0, satellites_of(heard.strengths))
            for signal, heard in own
        ]

    def _log_lists(self, batch: "SentenceBatch", lists: "SatelliteLists", begin: int, end: int) -> None:
        """C/N0 and directions, as often as they are kept."""
        from pale_heron.core.gnss.batches.lists import due
        from pale_heron.core.gnss.batches.signal_points import take_lists

        take_lists(self._signals, batch.names, lists, begin, end)
        trailed: list[int] = []
        for key, places in lists.of_keys(batch.names, begin, end).items():
            mine = places[due(lists.time[places], self._trailed.get(key), TRAIL_STEP_NS)].tolist()
            if mine:
                self._trailed[key] = int(lists.time[mine[-1]])
                trailed += mine
        for place in sorted(trailed):
            self._trail(tuple(batch.frame(row) for row in lists.parts_of(place)), int(lists.time[place]))

    def _hear_lists(self, batch: "SentenceBatch", lists: "SatelliteLists", begin: int, end: int) -> None:
        """Of each key the last list counts, and the one before for the time between them."""
        for key, places in lists.of_keys(batch.names, begin, end).items():
            for place in places[-2:].tolist():
                self._seen[key].hear(tuple(batch.frame(row) for row in lists.parts_of(place)))

    def feed_gsa(self, frame: Frame, first: bytes, system: bytes, *, again: bool = False) -> None:
        """Take the used satellites of one system; `first` and `system` are the raw fields that keep the lists apart.

        `again` where another GSA of the same epoch came before: one holds twelve satellites, more stand in the next.
        """
        if not again:
            self._used_now.clear()
        key = frame.type, system or _range_of(first)
        before = self._used[key].frames if key in self._used_now and key in self._used else ()
        self._used_now.add(key)
        self._keep(self._used, key, (*before, frame)[-MOST_PARTS:])

    def clock_stepped(self, by: int) -> None:
        """What counts now came by another clock, which was so many nanoseconds behind."""
        for heard in (*self._seen.values(), *self._used.values()):
            heard.time = moved(heard.time, by)
        self._strongest = {
            kind: (until if until == NEVER else until + by, seen, best)
            for kind, (until, seen, best) in self._strongest.items()
        }
        self._reception = None

    def _keep(
        self, lists: dict[tuple[str, bytes], _LatestList], key: tuple[str, bytes], frames: tuple[Frame, ...]
    ) -> None:
        heard = lists.get(key)
        if heard is not None:
            heard.hear(frames)
        elif len(lists) < MOST_LISTS:
            lists[key] = _LatestList(frames)

    def reception(self, now: int | None) -> tuple[int | None, float | None]:
        """Satellites seen, and the mean C/N0 of the best four; None while no list is fresh. Cheap."""
        if self._reception is None or (now is not None and now > self._reception_until):
            fresh = {kind: value for kind, value in self._strongest.items() if now is None or now <= value[0]}
            self._reception_until = min((value[0] for value in fresh.values()), default=NEVER)
            four = sorted((strength for _, _, best in fresh.values() for strength in best), reverse=True)[:BEST]
            seen = sum(count for _, count, _ in fresh.values())
            self._reception = seen if fresh else None, sum(four) / len(four) if four else None
        return self._reception

    def _note_strongest(self, kind: str) -> None:
        """What one talker's lists add to reception: until when, how many satellites, the strongest of them."""
        lists = self._by_kind[kind]
        newest = lists[0] if len(lists) == 1 else max(lists, key=lambda heard: heard.time or 0)
        strengths = newest.strengths
        for heard in lists:
            if heard is not newest and heard.fresh(newest.time):
                # Another signal of the same satellites: the stronger one counts.
                both = strengths | heard.strengths
                strengths = {number: max(each, strengths.get(number, 0)) for number, each in both.items()}
        best = sorted(strengths.values(), reverse=True)[:BEST]
        until = newest.ends
        self._strongest[kind] = NEVER if until is None else until, len(strengths), [each for each in best if each]
        self._reception = None

    def snapshot(self, now: int | None) -> Sky:
        """The sky as of `now`."""
        found: dict[SatelliteName, Satellite] = {}
        fresh = [(signal.decode("latin-1"), heard) for (_, signal), heard in self._seen.items() if heard.fresh(now)]
        for signal, heard in fresh:
            for frame in heard.frames:
                for satellite in _satellites(frame):
                    other = found.get(satellite.name)
                    signals = (*(other.signals if other else ()), (signal, satellite.cn0_dbhz))
                    strongest = satellite
                    if other is not None and (satellite.cn0_dbhz or 0) <= (other.cn0_dbhz or 0):
                        strongest = other
                    found[satellite.name] = strongest._replace(signals=signals)
        lists = [frame for heard in self._used.values() if heard.fresh(now) for frame in heard.frames]
        for name in {name for frame in lists for name in _used_names(frame, found)}:
            found[name] = found.get(name, Satellite(name, None, None, None, True))._replace(used=True)
        return Sky(
            satellites=tuple(found[name] for name in sorted(found)),
            heard=bool(self._seen or self._used),
            seen_time=max((heard.time for _, heard in fresh if heard.time is not None), default=None),
            incomplete_lists=self._incomplete,
            incomplete_now=tuple(sorted(self._incomplete_now)),
            signals=self._signals.series(),
            trails={name: trail for name, trail in self._trails.items() if name in found},
        )


def _key(number: int, signal: bytes) -> int:
    """A type of sentence by its number, and a signal, as `SatelliteLists.key` has them; -1 for what none there has."""
    return number << 8 | ord(signal or b"\0") if len(signal) <= 1 else -1


def _signal(data: bytes) -> bytes:
    """The raw signal id behind the last group (version 4.10 and later); empty where there is none."""
    return fields_of(data)[-1] if data.count(b",") % 4 == 0 else b""


def _range_of(first: bytes) -> bytes:
    """The system letter of the first satellite of a GSA that names no system."""
    return satellite_name(None, int(first)).system.encode() if first.isdigit() else b""


def _satellites(frame: Frame) -> list[Satellite]:
    sentence = parse(frame.data)
    system = system_of(sentence.talker)
    found = []
    for item in values(sentence)["satellites"]:
        if item["id"] is not None:
            name = satellite_name(system, item["id"])
            found.append(Satellite(name, item["elevation_deg"], item["azimuth_deg"], item["cn0_dbhz"], False))
    return found


def _directions(frame: Frame) -> list[tuple[SatelliteName, int, int]]:
    """Where satellites stand, as `_satellites` has them, for those of which it is said: quickly."""
    fields = fields_of(frame.data)
    system = system_of(frame.type[:2])
    end, found = groups_end(4, len(fields), 4), []
    # The last group may lack its last fields.
    fields = [*fields, b"", b""]
    for at in range(4, end, 4):
        number, elevation, azimuth = whole(fields[at]), whole(fields[at + 1]), whole(fields[at + 2])
        if number is not None and elevation is not None and azimuth is not None:
            found.append((satellite_name(system, number), elevation, azimuth))
    return found


def _used_names(frame: Frame, seen: Collection[SatelliteName]) -> list[SatelliteName]:
    """Where a GSA names no system, it is the one of which most of its numbers are `seen`, else that of their range."""
    sentence = parse(frame.data)
    fields = values(sentence)
    numbers, system = fields["satellites"] or (), system_of(sentence.talker, fields["system_id"])
    systems = (system,) if system else (None, *sorted({name.system for name in seen}))
    each = [[satellite_name(one, number) for number in numbers] for one in systems]
    return max(each, key=lambda names: sum(name in seen for name in names))
