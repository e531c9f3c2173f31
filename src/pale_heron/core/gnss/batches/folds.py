"""What epochs and sentences that come many at a time add to the checks that look at each with the one before."""

from collections.abc import Sequence
from typing import Final

import numpy as np

from pale_heron.core.gnss.batches.rows import EpochRows
from pale_heron.core.gnss.epochs.log import UNKNOWN_TIME, Epoch
from pale_heron.core.gnss.epochs.plausibility import (
    DAY_NS,
    GEOID_LEAST_M,
    GEOID_MOST_M,
    NEAR_DEG,
    UNHELD,
    PlausibilityChecks,
)
from pale_heron.core.wire.sentence_batch import Flags, Places, steps

_NO: Final = -1


def check(checks: PlausibilityChecks, before: Epoch, rows: EpochRows) -> None:
    """As `PlausibilityChecks.epoch` for one epoch after the other; `before` is the one before the first."""
    _check_heights(checks, rows)
    _check_times(checks, before, rows)
    _check_places(checks, before, rows)


def _check_heights(checks: PlausibilityChecks, rows: EpochRows) -> None:
    separation = rows.separation_m
    wild = np.flatnonzero((separation < GEOID_LEAST_M) | (separation > GEOID_MOST_M))
    flat = ((separation == 0) & ~np.isnan(rows.altitude_m))[rows.positioned]
    origin = (rows.latitude == 0) & (rows.longitude == 0)
    checks.heights(float(separation[wild[-1]]) if len(wild) else None, _at_the_end(flat), len(flat), int(origin.sum()))


def _at_the_end(flags: Flags) -> int:
    """How many in a row are set at the end."""
    unset = np.flatnonzero(~flags)
    return len(flags) - 1 - int(unset[-1]) if len(unset) else len(flags)


def _check_times(checks: PlausibilityChecks, before: Epoch, rows: EpochRows) -> None:
    of_day = np.concatenate(([_NO if before.of_day is None else before.of_day], rows.of_day))
    later = np.diff(of_day)
    checks.went_back(int(((later > -DAY_NS // 2) & (later < 0) & (of_day[:-1] != _NO)).sum()))
    utc = np.concatenate(([UNKNOWN_TIME if before.utc is None else before.utc], rows.utc))
    known = (utc[1:] != UNKNOWN_TIME) & (utc[:-1] != UNKNOWN_TIME)
    passed = steps(rows.arrived, int(rows.arrived[0]) if before.arrived is None else before.arrived)
    jumps = np.flatnonzero(known & (np.abs(np.where(known, np.diff(utc), 0) - passed) > DAY_NS))
    if len(jumps):
        checks.date_jumped(int(utc[jumps[0]]), int(utc[jumps[0] + 1]))


def _check_places(checks: PlausibilityChecks, before: Epoch, rows: EpochRows) -> None:
    latitude = np.concatenate(([np.nan if before.latitude is None else before.latitude], rows.latitude))
    longitude = np.concatenate(([np.nan if before.longitude is None else before.longitude], rows.longitude))
    arrived = np.concatenate(([UNKNOWN_TIME if before.arrived is None else before.arrived], rows.arrived))
    equal = (latitude[1:] == latitude[:-1]) & (longitude[1:] == longitude[:-1])
    moved = ~equal & ~np.isnan(latitude[1:]) & ~np.isnan(latitude[:-1])
    with np.errstate(invalid="ignore"):
        far = moved & ~((np.abs(np.diff(latitude)) < NEAR_DEG) & (np.abs(np.diff(longitude)) < NEAR_DEG))
    jumped = np.flatnonzero(far)
    if len(jumped):
        behind = rows.epochs(jumped)
        ahead = rows.epochs(np.maximum(jumped - 1, 0))
        ahead[:1] = ahead[:1] if jumped[0] else [before]
        for one, other in zip(ahead, behind, strict=True):
            checks.take_jump(one, other)
    _check_held(checks, equal, arrived, rows)


def _check_held(checks: PlausibilityChecks, equal: Flags, arrived: Places, rows: EpochRows) -> None:
    """How long the position stayed the same to the last digit: from the epoch before each run of equal ones."""
    if not equal.any():
        checks.held(None, 0)
        return
    edges = np.diff(np.concatenate(([False], equal, [False])).astype(np.int8))
    begins, ends = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1) - 1
    since = arrived[begins]
    if begins[0] == 0 and checks.held_since is not None:
        since[0] = checks.held_since
    longest = int((arrived[ends + 1] - since).max()) if rows.epoch(0).state not in UNHELD else 0
    checks.held(int(since[-1]) if equal[-1] else None, longest)


def runs_of_disagreement(agree: Flags, row_before: int) -> tuple[int, int, int]:
    """How many in a row disagree at the end, the most in a row, and all; `row_before` did so in front of the first."""
    if agree.all():
        return 0, 0, 0
    edges = np.diff(np.concatenate(([False], ~agree, [False])).astype(np.int8))
    begins, ends = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1)
    lengths = ends - begins
    if begins[0] == 0:
        lengths[0] += row_before
    last = int(lengths[-1]) if not agree[-1] else 0
    return last, int(lengths.max()), int((~agree).sum())


def first_disagreement(rows: Places, agree: Flags) -> int:
    """The row of the first; beyond all where there is none."""
    at = np.flatnonzero(~agree)
    return int(rows[at[0]]) if len(at) else 2**62


def usual_gaps(before: tuple[int, int], last: int, arrived: Places) -> tuple[Places, Sequence[int]]:
    """What `Cadence.usual` is behind each epoch, the one before the first included, and the last two gaps."""
    gaps = steps(arrived, last)
    positive = gaps > 0
    every = np.concatenate((before, gaps[positive]))
    count = np.concatenate(([0], np.cumsum(positive)))
    return np.minimum(every[count], every[count + 1]), every[-2:].tolist()
