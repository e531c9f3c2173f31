"""Whole epochs as columns: what `Epoch` says of one, a column for each, NaN or the log's own number for unknown."""

from array import array
from collections.abc import Iterator
from dataclasses import dataclass, fields
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from pale_heron.core.gnss.epochs.log import UNKNOWN_COUNT, UNKNOWN_TIME, Epoch
from pale_heron.core.gnss.epochs.outages import Reception
from pale_heron.core.gnss.epochs.strip import NO_COUNT
from pale_heron.core.nmea.columns import Numbers
from pale_heron.core.wire.sentence_batch import Flags, Places

_UNKNOWN: Final = {"utc": UNKNOWN_TIME, "used": UNKNOWN_COUNT, "seen": UNKNOWN_COUNT}
_TYPES: Final = {"q": np.int64, "b": np.int8, "h": np.int16, "d": np.float64, "f": np.float32}


@dataclass(frozen=True)
class EpochRows:
    """Epochs of one state, one after the other; the columns have the names and units of `Epoch`."""

    arrived: Places
    utc: Places
    of_day: Places
    level: int
    made: int
    latitude: Numbers
    longitude: Numbers
    altitude_m: Numbers
    separation_m: Numbers
    used: Places
    seen: Places
    hdop: Numbers
    cn0: Numbers
    speed_knots: Numbers
    course_deg: Numbers
    error_m: Numbers

    def __len__(self) -> int:
        return len(self.arrived)

    @property
    def positioned(self) -> Flags:
        """Which have a position."""
        return ~np.isnan(self.latitude)

    def epochs(self, rows: Places) -> list[Epoch]:
        """Some of them."""
        columns: list[list[Any]] = []
        for each in fields(self):
            value, unknown = getattr(self, each.name), _UNKNOWN.get(each.name)
            listed = [value] * len(rows) if isinstance(value, int) else value[rows].tolist()
            # What is no number differs from itself.
            columns.append([None if one != one or one == unknown else one for one in listed])
        return list(map(Epoch, *columns))

    def epoch(self, row: int) -> Epoch:
        """One of them."""
        return self.epochs(np.array([row]))[0]

    def least(self) -> tuple[Places, int, Places, Numbers]:
        """When each came, the level of all, how many each used, and its C/N0; NO_COUNT and infinity for the unknown."""
        used = np.where(self.used == UNKNOWN_COUNT, NO_COUNT, self.used)
        return self.arrived, self.level, used, np.where(np.isnan(self.cn0), np.inf, self.cn0)

    def worst(self) -> Reception:
        """The least used, and the weakest C/N0."""
        used = self.used[self.used != UNKNOWN_COUNT]
        cn0 = self.cn0[~np.isnan(self.cn0)]
        return Reception(int(used.min()) if len(used) else None, float(cn0.min()) if len(cn0) else None)

    def columns(self, codes: dict[str, str]) -> "Iterator[tuple[str, array[Any]]]":
        """Each by its name, as the log keeps it."""
        for name, code in codes.items():
            value = getattr(self, name)
            filled: NDArray[Any] = np.full(len(self), value) if isinstance(value, int) else value
            yield name, array(code, np.ascontiguousarray(filled, _TYPES[code]).tobytes())
