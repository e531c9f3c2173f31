"""C/N0 of many lists of satellites at once, by the rules of `SignalLog`."""

from collections.abc import Sequence
from itertools import pairwise
from typing import Final, NamedTuple

import numpy as np

from pale_heron.core.gnss.batches.lists import SatelliteLists, unpacked_number
from pale_heron.core.gnss.satellites.signals import MOST_SATELLITES, SignalLog
from pale_heron.core.wire.sentence_batch import Flags, Places, steps

NEVER: Final = -(2**62)
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


def take_lists(log: SignalLog, names: Sequence[str], lists: SatelliteLists, begin: int, end: int) -> None:
    """Take the lists from one to before another."""
    taken, wanted = dict(log.taken), np.zeros(end - begin, np.bool_)
    for key, places in lists.of_keys(names, begin, end).items():
        stretch, last = lists.time[places] // log.spacing, taken.get(key)
        mine = places[steps(stretch, NEVER if last is None else last // log.spacing) != 0]
        if len(mine):
            wanted[mine - begin], taken[key] = True, int(lists.time[mine[-1]])
    if _extend(log, names, _rows(lists, begin, end, wanted)):
        log.taken.update(taken)
    elif end - begin > FEW_LISTS:
        # Somewhere among them a satellite has too many points.
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
    stretch = rows.time // log.spacing
    last = np.array([columns[0][-1] // log.spacing if columns else NEVER for columns in known], np.int64)
    begins = steps(stretch, 0) != 0
    begins[rows.first] = stretch[rows.first] != last
    either = begins.copy()
    either[rows.first] = True
    bounds = np.flatnonzero(either)
    if len(log.columns) + known.count(None) > MOST_SATELLITES:
        return False
    edges = np.searchsorted(bounds, np.append(rows.first, len(rows.time))).tolist()
    longest = max((len(columns[0]) for columns in known if columns), default=0)
    if longest + max((after - at for at, after in pairwise(edges)), default=0) >= 2 * log.most:
        return False
    times = rows.time[bounds]
    best = np.maximum.reduceat(rows.strength, bounds).astype(np.int8) if len(times) else rows.strength
    goes_on = (~begins[rows.first]).tolist()
    for each in np.argsort(rows.came).tolist():
        at, after = edges[each], edges[each + 1]
        own_times, own_values = log.columns_of(places[each])
        if goes_on[each]:
            own_values[-1] = max(own_values[-1], int(best[at]))
            at += 1
        own_times.frombytes(times[at:after].tobytes())
        own_values.frombytes(best[at:after].tobytes())
    return True
