"""One table as one file: CSV (RFC 4180) or JSON Lines."""

import csv
import json
from collections.abc import Iterable, Mapping, Sequence
from typing import IO, Any, Final

from pale_heron.bench.decoded import decoded
from pale_heron.core.frames import Frame

Row = Mapping[str, Any]

FRAME_HEADS: Final = (
    *("arrived_utc", "lane", "direction", "offset", "length", "kind", "status", "reason"),
    *("talker", "sentence", "checksum_expected", "checksum_found", "message", "text"),
)
"""The columns of frames in CSV; JSON Lines have their fields too."""


class TableFile:
    """Rows under their heads, that may be written in one format."""

    def __init__(self, heads: Sequence[str], form: str, out: IO[str]) -> None:
        self.rows = 0
        self._heads = heads
        self._out = out
        self.is_flat = form == "csv"
        self._csv = csv.writer(out) if self.is_flat else None
        self._json = json.JSONEncoder(ensure_ascii=False, default=str).encode
        if self._csv is not None:
            self._csv.writerow(heads)

    def write(self, row: Row) -> None:
        """One row; CSV leaves out what has no column."""
        self.rows += 1
        if self._csv is None:
            self._out.write(self._json(row) + "\n")
            return
        values = (row.get(name) for name in self._heads)
        self._csv.writerow([_cell(value) for value in values])


def _cell(value: object) -> object:
    """What has parts of its own is one text in a cell."""
    if isinstance(value, Mapping | list | tuple):
        return json.dumps(value, ensure_ascii=False, default=str)
    return "" if value is None else value


def write_rows(files: Sequence[TableFile], rows: Iterable[Row]) -> None:
    """Each row into each file."""
    for row in rows:
        for file in files:
            file.write(row)


def write_frames(files: Sequence[TableFile], frames: Iterable[Frame], *, timed: bool) -> None:
    """Frames as rows."""
    for frame in frames:
        row = decoded(frame, timed)
        write_rows(files, ({"arrived_utc": row.pop("time"), **row},))
