"""All that a capture holds as tables: CSV (RFC 4180) or JSON Lines, written as it goes by.

frames      each frame, as `decode --json` has it (CSV: without its fields)
epochs      each epoch of a receiver, also those without a position
exchanges   each command with its reply, notices and stretches of data
lags        each sentence that tells the time: how long after that it came
events      what is no line data: lanes lost and back, settings, orders, marks
pulses      each pulse of a source
marks       what was noted, as it stands
trials      a row for each direction (JSON Lines: the object of `trial --json`)
probes      a row for each probe, round or sentence

In all of them `arrived_utc` is a moment by this computer's clock, `gnss_utc` one that a receiver told.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

from pale_heron.bench.sources import Source
from pale_heron.core.frames import OUT, SECOND, Event, Frame, Status
from pale_heron.core.gnss.epochs.log import SINGLE
from pale_heron.core.gnss.saying import time_told
from pale_heron.core.gnss.states import MADE
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.settings import did_you_mean
from pale_heron.core.link.json_object import trial_object
from pale_heron.core.link.probe_log import ProbeLog
from pale_heron.core.nmea.raw import TIME_FIELD
from pale_heron.core.proof.marks import Mark
from pale_heron.core.sharing.masking import without
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import clock, iso, turned
from pale_heron.core.wire.visible import safe_text, starred
from pale_heron.files.whole import written_whole
from pale_heron.report.frame_writers import frame_writer
from pale_heron.report.results import PROBE_HEADS, TRIAL_HEADS, probe_rows, trial_rows
from pale_heron.report.table_file import FRAME_HEADS, Row, TableFile, write_rows

if TYPE_CHECKING:
    from pale_heron.core.device.dialogue.exchanges import Item

PassOver = Callable[[Source, ProbeLog, "Tables"], Sequence[LaneSnapshot]]
"""Goes through a source once, and gives its lanes."""

HEADS: Final[Mapping[str, tuple[str, ...]]] = {
    "frames": FRAME_HEADS,
    "epochs": (
        *("lane", "arrived_utc", "gnss_utc", "fix", "made", "latitude_deg", "longitude_deg", "altitude_m"),
        *("geoid_separation_m", "satellites_used", "satellites_seen", "hdop", "cn0_best4_dbhz"),
        *("speed_knots", "course_deg", "expected_error_m"),
    ),
    "exchanges": (
        *("lane", "number", "what", "begun", "ended", "seconds", "sent", "status", "result", "meaning"),
        *("received", "bytes_in", "bytes_out"),
    ),
    "lags": ("lane", "sentence", "arrived_utc", "time_told", "lag_ms"),
    "events": ("arrived_utc", "lane", "event", "details"),
    "pulses": ("arrived_utc", "source", "sequence"),
    "marks": ("arrived_utc", "number", "kind", "text"),
    "trials": TRIAL_HEADS,
    "probes": PROBE_HEADS,
}
FRAMES: Final = "frames"
MS: Final = SECOND // 1000

EPOCH_VALUES: Final = (
    *("latitude", "longitude", "altitude_m", "separation_m", "used", "seen", "hdop", "cn0"),
    *("speed_knots", "course_deg", "error_m"),
)


class Tables:
    """Several tables, each in several formats, filled while a file is gone through: a `PassListener`."""

    def __init__(
        self,
        files: Mapping[str, Sequence[TableFile]],
        write_frames: Callable[[Sequence[Frame]], None] = lambda _: None,
        lane: str = "",
    ) -> None:
        """Frames have a way of their own. Of one `lane` alone, where one is named: what is of others is left out."""
        self._files = files
        self._lane = lane
        self._write_frames = write_frames

    def wants(self, what: str) -> bool:
        """Whether somebody reads that."""
        return bool(self._files.get(what))

    def add(self, what: str, rows: Iterable[Row]) -> None:
        """Rows of one table."""
        write_rows(self._files.get(what, ()), rows)

    def lines(self, lines: Sequence[Frame | Event]) -> None:
        """Lines of traffic."""
        if self._lane:
            lines = [line for line in lines if line.lane == self._lane]
        frames = [line for line in lines if isinstance(line, Frame)]
        if self.wants("events"):
            self.add("events", (_event_row(line) for line in lines if isinstance(line, Event)))
        if self.wants("lags"):
            self.add("lags", _lag_rows(frames))
        self._write_frames(frames)

    def pulse(self, event: Event) -> None:
        """A pulse."""
        details = event.details
        # A source is named by its kind, then its lane.
        if self._lane and self._lane not in str(details.get("source", "")).split(":")[1:2]:
            return
        row = {"arrived_utc": iso(event.time), "source": details.get("source"), "sequence": details.get("sequence")}
        self.add("pulses", [row])

    def item(self, lane: str, item: "Item", secrets: frozenset[str]) -> None:
        """What was said between us and a module."""
        if self.wants("exchanges") and self._lane in ("", lane):
            self.add("exchanges", [{"lane": lane, **_item_row(item, secrets)}])

    def end(self, source: Source, lanes: Sequence[LaneSnapshot], probes: ProbeLog) -> None:
        """What is known once all was gone through. Raises Trouble where there is no such lane."""
        names = {each.name: 0 for each in lanes}
        if self._lane and self._lane not in names:
            nearest = did_you_mean(self._lane, names)
            raise Trouble(f"There is no lane {self._lane!r}{nearest}", f"There are: {', '.join(names) or 'none'}")
        for lane in lanes:
            if self._lane in ("", lane.name):
                self.add("epochs", _epoch_rows(lane, dated=source.dated))
        # Marks are of the whole bench: they may say anything of the others.
        marks = source.marks if not self._lane else ()
        self.add("marks", map(_mark_row, marks))
        trials = [each for each in source.trials if not self._lane or self._lane in each.described.lanes]
        for file in self._files.get("trials", ()):
            for row in trial_rows(trials) if file.is_flat else map(trial_object, trials):
                file.write(row)
        self.add("probes", probe_rows(trials, probes))


def _event_row(event: Event) -> Row:
    return {"arrived_utc": iso(event.time), "lane": event.lane, "event": event.name, "details": event.details}


def _mark_row(mark: Mark) -> Row:
    return {"arrived_utc": iso(mark.moment), "number": mark.number, "kind": mark.kind, "text": mark.text}


def _lag_rows(frames: Iterable[Frame]) -> Iterator[Row]:
    for frame in frames:
        formatter = frame.type[-3:]
        if frame.time is None or frame.direction is OUT or frame.status is not Status.OK or formatter not in TIME_FIELD:
            continue
        told = time_told(formatter, frame)
        if told is not None:
            yield {
                "lane": frame.lane,
                "sentence": frame.type,
                "arrived_utc": iso(frame.time),
                "time_told": clock(told, 3),
                "lag_ms": round(turned(frame.time - told) / MS, 6),
            }


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
        "meaning": without(item.meaning, secrets),
        "received": heard,
    }


def _epoch_rows(lane: LaneSnapshot, *, dated: bool) -> Iterator[Row]:
    names = HEADS["epochs"][5:]
    for epoch in lane.fix.track:
        values = (_as_said(name, getattr(epoch, name)) for name in EPOCH_VALUES)
        yield {
            "lane": lane.name,
            "arrived_utc": _iso(epoch.arrived) if dated else None,
            "gnss_utc": _iso(epoch.utc) if dated else None,
            "fix": epoch.state,
            "made": MADE[epoch.made] or None,
            **dict(zip(names, values, strict=True)),
        }


def _as_said(name: str, value: float | None) -> float | None:
    """With the digits that the receiver gave, and none that come of keeping it."""
    if not isinstance(value, float):
        return value
    return float(f"{value:.7g}") if name in SINGLE else round(value, 9)


def _iso(moment: int | None) -> str | None:
    return None if moment is None else iso(moment)


def write_tables(
    source: Source, wanted: Mapping[str, tuple[str, str]], folder: Path, pass_over: PassOver, lane: str = ""
) -> dict[str, int]:
    """Write tables as files of `folder`: `wanted` gives for each file name what, and as csv or jsonl.

    Of one `lane` alone, where one is named.

    `pass_over` goes through the source and gives its lanes; gives the rows of each file. A file of no rows is not
    kept; all are there whole, or none. Trouble where one cannot be written.
    """
    probes = ProbeLog()
    try:
        with ExitStack() as stack:
            fresh = {name: stack.enter_context(written_whole(folder / name)) for name in wanted}
            files: dict[str, dict[str, TableFile]] = {}
            for name, (what, form) in wanted.items():
                if what != FRAMES:
                    out = stack.enter_context(fresh[name].open("w", encoding="utf-8", newline=""))
                    files.setdefault(what, {})[name] = TableFile(HEADS[what], form, out)
            frames = [(fresh[name], form) for name, (what, form) in wanted.items() if what == FRAMES]
            writer = stack.enter_context(frame_writer(frames, source.size, timed=source.is_capture))
            tables = Tables({what: tuple(each.values()) for what, each in files.items()}, writer.write, lane)
            tables.end(source, pass_over(source, probes, tables), probes)
            many = writer.end()
            rows = {name: many if what == FRAMES else files[what][name].rows for name, (what, _) in wanted.items()}
            for name, count in rows.items():
                if not count:
                    fresh[name].unlink()
            return rows
    except OSError as problem:
        raise Trouble(f"{folder} cannot be written to: {problem.strerror}", "Choose another place") from None
