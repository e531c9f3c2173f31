"""Trials and their probes as tables: CSV (RFC 4180), or JSON Lines with the names of `trial --json`."""

import csv
import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import IO, Any, Final

from pale_heron.core.frames import SECOND
from pale_heron.core.link.json_object import trial_object
from pale_heron.core.link.probe_log import ProbeLog
from pale_heron.core.link.trial import TrialSnapshot
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import iso
from pale_heron.files.whole import written_whole

Row = Mapping[str, Any]
Writer = Callable[[Sequence[str], Iterable[Row], IO[str]], int]

TIMES: Final = ("samples", "min", "median", "p95", "max")
COUNTS: Final = (
    *("sent", "delivered", "lost", "twice", "out_of_order", "damaged", "late", "foreign_bytes", "loss_share"),
    *("payload_bytes", "payload_bit_s", "ceiling_bit_s", "ceiling_share"),
    *("bytes_changed", "bytes_missing", "bytes_added"),
)
ROUNDS: Final = ("rounds", "right", "wrong", "unanswered")
TRIAL_HEADS: Final = (
    *("trial", "kind", "begin", "end", "wiring", "row", "column", "from", "to", "verdict", "why"),
    *COUNTS,
    *("loss_95_low", "loss_95_high", *ROUNDS),
    *(f"latency_ms_{name}" for name in TIMES),
)
PROBE_HEADS: Final = ("trial", "kind", "from", "to", "number", "in_a_row", "sent", "result", "came", "latency_ms")


def trial_rows(trials: Sequence[TrialSnapshot]) -> Iterator[Row]:
    """One row for each direction of each trial, and one for an exchange."""
    for place, trial in enumerate(trials, 1):
        whole = trial_object(trial)
        cell = whole["cell"] or (None, None)
        common = {
            **{name: whole[name] for name in ("kind", "begin", "end", "wiring", "verdict", "why")},
            **{"trial": place, "row": cell[0], "column": cell[1]},
        }
        exchange = whole["exchange"]
        if exchange is not None:
            lane = trial.described.lanes[0]
            rounds = {name: exchange[name] for name in ROUNDS}
            yield {**common, "from": lane, "to": lane, **rounds, **_latency(exchange["round_trip_ms"])}
        for way in whole["directions"]:
            low, high = way["loss_95"] or (None, None)
            yield {
                **common,
                **{name: way[name] for name in ("from", "to", *COUNTS)},
                **{"loss_95_low": low, "loss_95_high": high},
                **_latency(way["latency_ms"]),
            }


def _latency(times: Row | None) -> Row:
    return {f"latency_ms_{name}": times[name] for name in TIMES} if times else {}


def probe_rows(trials: Sequence[TrialSnapshot], probes: ProbeLog) -> Iterator[Row]:
    """One row for each probe, round or sentence; where `in_a_row` is more than 1, for that many from this one on."""
    for place, trial, each in probes.rows(trials):
        yield {
            "trial": place,
            "kind": trial.described.kind,
            "from": each.sender,
            "to": each.receiver,
            "number": each.number,
            "in_a_row": each.in_a_row,
            "sent": iso(each.sent),
            "result": each.result,
            "came": None if each.came is None else iso(each.came),
            "latency_ms": None if each.came is None else round(1000 * (each.came - each.sent) / SECOND, 3),
        }


def _csv(heads: Sequence[str], rows: Iterable[Row], out: IO[str]) -> int:
    writer, count = csv.writer(out), 0
    writer.writerow(heads)
    for row in rows:
        values = (row.get(name) for name in heads)
        writer.writerow(["" if value is None else value for value in values])
        count += 1
    return count


def _jsonl(_: Sequence[str], rows: Iterable[Row], out: IO[str]) -> int:
    count = 0
    for row in rows:
        out.write(json.dumps(row, ensure_ascii=False) + "\n")
        count += 1
    return count


WRITERS: Final[dict[str, Writer]] = {"csv": _csv, "jsonl": _jsonl}


def write_results(what: str, form: str, trials: Sequence[TrialSnapshot], probes: ProbeLog, path: Path) -> int:
    """Write a file whole or not at all; gives the number of rows. Raises Trouble where it cannot be written.

    Trials as JSON Lines are the whole objects of `trial --json`, one a line.
    """
    heads = TRIAL_HEADS if what == "trials" else PROBE_HEADS
    rows: Iterable[Row] = trial_rows(trials) if what == "trials" else probe_rows(trials, probes)
    if what == "trials" and form == "jsonl":
        rows = map(trial_object, trials)
    try:
        with written_whole(path) as fresh:
            with fresh.open("w", encoding="utf-8", newline="") as out:
                count = WRITERS[form](heads, rows, out)
            if not count:
                fresh.unlink()
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Choose another place") from None
    return count
