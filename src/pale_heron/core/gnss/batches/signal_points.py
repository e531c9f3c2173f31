"""C/N0 of many lists of satellites at once, by the rules of `SignalLog`."""

from collections.abc import Sequence
from itertools import pairwise
from typing import Final, NamedTuple

import numpy as np

from pale_heron.core.gnss.batches.lists import SatelliteLists, due, unpacked_number
from pale_heron.core.gnss.satellites.signals import MOST_SATELLITES, SignalLog
from pale_heron.core.wire.sentence_batch import Flags, Places, steps

LONG_AGO: Final = -(2**62)
FEW_LISTS: Final = 40
"""So few are taken as fast one by one."""

_NUMBER_BITS: Final = 24


class _SatelliteRows(NamedTuple):
    """What due lists say, satellite after satellite; a row each. `first` are the rows with which satellites begin."""

    satellite: Places
    time: Places
    strength: Places
    first: Places
    came: Places
    """Where each satellite stood among all when it first came."""


class _Points(NamedTuple):
    """The rows with which points begin, and those with which a satellite goes on in the point that it had."""

    begins: Flags
    bounds: Places
    """Where either is the case."""


def take_lists(log: SignalLog, names: Sequence[str], lists: SatelliteLists, begin: int, end: int) -> None:
    """Take the lists from one to before another."""
    taken, wanted = dict(log.taken), np.zeros(end - begin, np.bool_)
    for key, places in lists.of_keys(names, begin, end).items():
        mine = places[due(lists.time[places], taken.get(key), log.spacing)]
        if len(mine):
            wanted[mine - begin], taken[key] = True, int(lists.time[mine[-1]])
    if _extend(log, names, _rows(lists, begin, end, wanted)):
        log.taken.update(taken)
    elif end - begin > FEW_LISTS:
        # Somewhere among them a satellite has too many points, or its lists come at another pace.
        middle = (begin + end) // 2
        take_lists(log, names, lists, begin, middle)
        take_lists(log, names, lists, middle, end)
    else:
        strengths = lists.satellites(begin, end).each()
        for place, (key, time) in enumerate(lists.keys(names, begin, end)):
            if log.is_due(key, time):
                log.take(key, strengths(place), time)


def _rows(lists: SatelliteLists, begin: int, end: int, wanted: Flags) -> _SatelliteRows:
    found = lists.satellites(begin, end)
    rows = np.flatnonzero(wanted[found.owner])
    owner = found.owner[rows]
    satellite = lists.type[begin:end][owner] << _NUMBER_BITS | found.number[rows]
    order = np.argsort(satellite, kind="stable")
    satellite = satellite[order]
    first = np.flatnonzero(steps(satellite, -1))
    return _SatelliteRows(
        satellite, lists.time[begin:end][owner][order], found.strength[rows][order], first, order[first]
    )


def _extend(log: SignalLog, names: Sequence[str], rows: _SatelliteRows) -> bool:
    """Add the points of all rows; False, and nothing is done, where they have to be taken one by one."""
    satellites = rows.satellite[rows.first].tolist()
    places = [(names[each >> _NUMBER_BITS], unpacked_number(each & (1 << _NUMBER_BITS) - 1)) for each in satellites]
    known = [log.columns.get(place) for place in places]
    last = np.array([columns[0][-1] if columns else LONG_AGO for columns in known], np.int64)
    points = _points(rows, last, log.spacing)
    if points is None or len(log.columns) + known.count(None) > MOST_SATELLITES:
        return False
    edges = np.searchsorted(points.bounds, np.append(rows.first, len(rows.time))).tolist()
    longest = max((len(columns[0]) for columns in known if columns), default=0)
    if longest + max((after - at for at, after in pairwise(edges)), default=0) >= 2 * log.most:
        return False
    times = rows.time[points.bounds]
    best = np.maximum.reduceat(rows.strength, points.bounds).astype(np.int8) if len(times) else rows.strength
    goes_on = (~points.begins[rows.first]).tolist()
    for each in np.argsort(rows.came).tolist():
        at, after = edges[each], edges[each + 1]
        own_times, own_values = log.columns_of(places[each])
        if goes_on[each]:
            own_values[-1] = max(own_values[-1], int(best[at]))
            at += 1
        own_times.frombytes(times[at:after].tobytes())
        own_values.frombytes(best[at:after].tobytes())
    return True


def _points(rows: _SatelliteRows, last: Places, spacing: int) -> _Points | None:
    """What stands together in a point; `last` is the time of the newest point of each satellite. None where unclear."""
    time, first = rows.time, rows.first
    before = np.repeat(last, np.diff(first, append=len(time)))
    gap = steps(time, 0)
    gap[first] = time[first] - last
    # Several signals of a satellite are told of together, and the next time is far from that.
    begins: Flags = gap >= (spacing + 1) // 2
    either = begins.copy()
    either[first] = True
    bounds = np.flatnonzero(either)
    latest = np.maximum.accumulate(np.where(either, np.arange(len(time)), 0))
    point = np.where(begins[latest], time[latest], before)
    point_before = np.concatenate((before[:1], point[:-1]))
    point_before[first] = last
    holds = (time - point < spacing) & (~begins | (time - point_before >= spacing))
    return _Points(begins, bounds) if holds.all() else None
