"""Trials and their probes as rows of tables."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Final

from pale_heron.core.frames import SECOND
from pale_heron.core.link.json_object import trial_object
from pale_heron.core.link.probe_log import ProbeLog
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.utc import iso

Row = Mapping[str, Any]

TIMES: Final = ("samples", "min", "median", "p95", "max")
COUNTS: Final = (
    *("sent", "delivered", "lost", "damaged", "late", "not_known", "twice", "out_of_order", "foreign_bytes"),
    *("loss_share", "not_delivered_share"),
    *("payload_bytes", "payload_bit_s", "ceiling_bit_s", "ceiling_share"),
    *("bytes_changed", "bytes_missing", "bytes_added"),
)
ROUNDS: Final = ("rounds", "right", "wrong", "unanswered", "late", "not_known")
COMMON: Final = ("kind", "begin", "end", "wiring", "verdict", "why", "asked", "complete", "ended")
TRIAL_HEADS: Final = (
    *("trial", "kind", "begin", "end", "wiring", "row", "column", "from", "to", "verdict", "why"),
    *("asked", "complete", "ended"),
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
            **{name: whole[name] for name in COMMON},
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
