"""All that a capture holds as tables: CSV (RFC 4180) or JSON Lines, written as it goes by.

frames      each frame, as `decode --json` has it (CSV: without its fields)
epochs      each epoch of a receiver, also those without a position
exchanges   each command with its reply, notices and stretches of data
events      what is no line data: lanes lost and back, settings, orders, marks
pulses      each pulse of a source
marks       what was noted, as it stands
trials      a row for each direction (JSON Lines: the object of `trial --json`)
probes      a row for each probe, round or sentence
"""

import csv
import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any, Final

from pale_heron.bench.decoded import decoded
from pale_heron.bench.sources import Source
from pale_heron.core.frames import Event, Frame
from pale_heron.core.gnss.states import MADE
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.json_object import trial_object
from pale_heron.core.link.probe_log import ProbeLog
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import iso
from pale_heron.core.wire.visible import safe_text, starred
from pale_heron.files.whole import written_whole
from pale_heron.report.results import PROBE_HEADS, TRIAL_HEADS, probe_rows, trial_rows

if TYPE_CHECKING:
    from pale_heron.core.device.dialogue.exchanges import Item

Row = Mapping[str, Any]
PassOver = Callable[[Source, ProbeLog, "Tables"], Sequence[LaneSnapshot]]
"""Goes through a source once, and gives its lanes."""

HEADS: Final[Mapping[str, tuple[str, ...]]] = {
    "frames": (
        *("time", "lane", "direction", "offset", "length", "kind", "status", "reason"),
        *("talker", "sentence", "checksum_expected", "checksum_found", "message", "text"),
    ),
    "epochs": (
        *("lane", "arrived", "utc", "fix", "made", "latitude_deg", "longitude_deg", "altitude_m"),
        *("geoid_separation_m", "satellites_used", "satellites_seen", "hdop", "cn0_best4_dbhz"),
        *("speed_knots", "course_deg", "expected_error_m"),
    ),
    "exchanges": (
        *("lane", "number", "what", "begun", "ended", "seconds", "sent", "status", "result", "meaning"),
        *("received", "bytes_in", "bytes_out"),
    ),
    "events": ("time", "lane", "event", "details"),
    "pulses": ("time", "source", "sequence"),
    "marks": ("time", "kind", "text"),
    "trials": TRIAL_HEADS,
    "probes": PROBE_HEADS,
}
PASSING: Final = ("frames", "exchanges", "events", "pulses")
"""Written as they go by; the others once all was gone through."""

EPOCH_VALUES: Final = (
    *("latitude", "longitude", "altitude_m", "separation_m", "used", "seen", "hdop", "cn0"),
    *("speed_knots", "course_deg", "error_m"),
)


class TableFile:
    """One table as one file, that may be written in one format."""

    def __init__(self, what: str, form: str, out: IO[str]) -> None:
        self.rows = 0
        self._heads = HEADS[what]
        self._out = out
        self.is_flat = form == "csv"
        self._csv = csv.writer(out) if self.is_flat else None
        if self._csv is not None:
            self._csv.writerow(self._heads)

    def write(self, row: Row) -> None:
        """One row; CSV leaves out what has no column."""
        self.rows += 1
        if self._csv is None:
            self._out.write(json.dumps(row, ensure_ascii=False, default=str) + "\n")
            return
        values = (row.get(name) for name in self._heads)
        self._csv.writerow(["" if value is None else value for value in values])


class Tables:
    """Several tables, each in several formats, filled while a file is gone through: a `PassListener`."""

    def __init__(self, files: Mapping[str, Sequence[TableFile]], *, timed: bool = True) -> None:
        """`timed` is False for a raw file, whose bytes nobody saw coming."""
        self._files = files
        self._timed = timed

    def wants(self, what: str) -> bool:
        """Whether somebody reads that."""
        return bool(self._files.get(what))

    def add(self, what: str, rows: Iterable[Row]) -> None:
        """Rows of one table."""
        files = self._files.get(what, ())
        for row in rows:
            for file in files:
                file.write(row)

    def line(self, line: Frame | Event) -> None:
        """A line of traffic."""
        if isinstance(line, Event):
            if self.wants("events"):
                self.add("events", [_event_row(line)])
        elif self.wants("frames"):
            self.add("frames", [decoded(line, self._timed)])

    def pulse(self, event: Event) -> None:
        """A pulse."""
        details = event.details
        row = {"time": iso(event.time), "source": details.get("source"), "sequence": details.get("sequence")}
        self.add("pulses", [row])

    def item(self, lane: str, item: "Item", secrets: frozenset[str]) -> None:
        """What was said between us and a module."""
        if self.wants("exchanges"):
            self.add("exchanges", [{"lane": lane, **_item_row(item, secrets)}])

    def end(self, source: Source, lanes: Sequence[LaneSnapshot], probes: ProbeLog) -> None:
        """What is known once all was gone through."""
        for lane in lanes:
            self.add("epochs", _epoch_rows(lane, dated=source.dated))
        self.add("marks", ({"time": iso(each.moment), "kind": each.kind, "text": each.text} for each in source.marks))
        for file in self._files.get("trials", ()):
            for row in trial_rows(source.trials) if file.is_flat else map(trial_object, source.trials):
                file.write(row)
        self.add("probes", probe_rows(source.trials, probes))


def _event_row(event: Event) -> Row:
    details = json.dumps(event.details, ensure_ascii=False, default=str)
    return {"time": iso(event.time), "lane": event.lane, "event": event.name, "details": details}


def _item_row(item: "Item", secrets: frozenset[str]) -> Row:
    from pale_heron.core.device.dialogue.exchanges import DataStretch, Exchange

    def shown(data: bytes) -> str:
        return safe_text(starred(data, secrets).strip(b"\r\n"))

    begun = item.begun
    row: dict[str, Any] = {"number": item.number, "begun": None if begun is None else iso(begun)}
    if isinstance(item, DataStretch):
        return row | {"what": "data", "ended": _iso(item.ended), "bytes_in": item.bytes_in, "bytes_out": item.bytes_out}
    heard = " | ".join(shown(each.data) for each in item.heard)
    if not isinstance(item, Exchange):
        return row | {"what": "unasked", "received": heard}
    return row | {
        "what": "command",
        "ended": _iso(item.ended),
        "seconds": item.seconds,
        "sent": shown(item.sent),
        "status": item.status,
        "result": item.result,
        "meaning": item.meaning,
        "received": heard,
    }


def _epoch_rows(lane: LaneSnapshot, *, dated: bool) -> Iterator[Row]:
    names = HEADS["epochs"][5:]
    for epoch in lane.fix.track:
        values = (getattr(epoch, name) for name in EPOCH_VALUES)
        yield {
            "lane": lane.name,
            "arrived": _iso(epoch.arrived) if dated else None,
            "utc": _iso(epoch.utc) if dated else None,
            "fix": epoch.state,
            "made": MADE[epoch.made] or None,
            **{
                name: round(value, 9) if isinstance(value, float) else value
                for name, value in zip(names, values, strict=True)
            },
        }


def _iso(moment: int | None) -> str | None:
    return None if moment is None else iso(moment)


def write_tables(
    source: Source, wanted: Mapping[str, tuple[str, str]], folder: Path, pass_over: PassOver
) -> dict[str, int]:
    """Write tables as files of `folder`: `wanted` gives for each file name what, and as csv or jsonl.

    `pass_over` goes through the source and gives its lanes; gives the rows of each file. A file of no rows is not
    kept; all are there whole, or none. Trouble where one cannot be written.
    """
    probes = ProbeLog()
    try:
        with ExitStack() as stack:
            files: dict[str, list[TableFile]] = {}
            named: dict[str, tuple[TableFile, Path]] = {}
            for name, (what, form) in wanted.items():
                fresh = stack.enter_context(written_whole(folder / name))
                out = stack.enter_context(fresh.open("w", encoding="utf-8", newline=""))
                file = TableFile(what, form, out)
                files.setdefault(what, []).append(file)
                named[name] = file, fresh
            tables = Tables(files, timed=source.is_capture)
            tables.end(source, pass_over(source, probes, tables), probes)
            for file, fresh in named.values():
                if not file.rows:
                    fresh.unlink()
            return {name: file.rows for name, (file, _) in named.items()}
    except OSError as problem:
        raise Trouble(f"{folder} cannot be written to: {problem.strerror}", "Choose another place") from None
