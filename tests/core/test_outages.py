"""Outages follow from the epochs: what had a position, or corrections, and has them no longer."""

import itertools
from typing import Final

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_epochs import fix_of, gsa, nothing, whole
from tests.core.test_fix import sentences
from tests.streams import BEGIN, chunk

from pale_heron.core.frames import SECOND
from pale_heron.core.lane import Lane

UNTIMED: Final = sentences("GNGGA,,,,,,0,00,99.9,,M,,M,,", "GNRMC,,V,,,,,,,,,,N,V")
CORRECTED: Final = "245"


def told(second: int, quality: str) -> bytes:
    """What a receiver says in a second: a digit of GGA, or `-` where it knows not even the time."""
    return UNTIMED if quality == "-" else nothing(second) if quality == "0" else whole(second, int(quality))


def expected(qualities: str) -> list[tuple[str, int, int | None]]:
    """What is lost, and from which second to which, walked second by second."""
    found: list[tuple[str, int, int | None]] = []
    for second, (before, now) in enumerate(itertools.pairwise(qualities), 1):
        kind, begin, end = found[-1] if found else ("", 0, 0)
        fixed, corrected = now not in "06-", now in CORRECTED
        lost = "satellites" if before not in "06-" and not fixed else ""
        lost = lost or ("differential" if before in CORRECTED and not corrected and fixed else "")
        if end is None and (lost or (fixed if kind == "satellites" else corrected)):
            found[-1] = kind, begin, second
        if lost:
            found.append((lost, second, None))
    return found


@given(st.text("012456-", min_size=2, max_size=40))
def test_outages_are_what_a_walk_through_the_seconds_gives(qualities: str) -> None:
    outages = fix_of([told(second, quality) for second, quality in enumerate(qualities)]).history.outages
    seconds = [
        (each.lost, (each.begin - BEGIN) // SECOND, None if each.end is None else (each.end - BEGIN) // SECOND)
        for each in outages
    ]
    assert seconds == expected(qualities)


def test_a_lost_fix_is_told_before_its_epoch_is_whole() -> None:
    lane = Lane("curlew")
    for second in range(5):
        lane.feed(chunk(whole(second) if second < 4 else nothing(second), BEGIN + second * SECOND))
    (outage,) = lane.snapshot(BEGIN + 4 * SECOND).fix.history.outages
    assert (outage.lost, outage.begin, outage.end) == ("satellites", BEGIN + 4 * SECOND, None)


def test_from_fixed_to_float_no_corrections_are_lost() -> None:
    assert fix_of([whole(second, 4 if second < 5 else 5) for second in range(10)]).history.outages == ()


@pytest.mark.parametrize("first", [gsa(3), gsa(2)])
def test_a_word_that_is_taken_back_within_its_epoch_is_no_outage(first: str) -> None:
    """What counts is how things stand at the end of an epoch: the sentences of one come one after the other."""
    lane = Lane("curlew")
    for second in range(10):
        burst = sentences(gsa(1)) + whole(second) + sentences(first, gsa())
        for place, line in enumerate(burst.splitlines(keepends=True)):
            lane.feed(chunk(line, BEGIN + second * SECOND + place * SECOND // 20))
    lane.finish()
    assert lane.snapshot(BEGIN + 10 * SECOND).fix.history.outages == ()


def test_three_kinds_of_outage_with_what_was_lost() -> None:
    told = [whole(second, 2) for second in range(10)]
    told += [whole(second) for second in range(10, 15)]
    told += [whole(second, 2) for second in range(15, 20)]
    told += [nothing(second) for second in range(20, 24)]
    told += [whole(second, 2) for second in range(24, 30)] + [b""] * 8 + [whole(second, 2) for second in range(38, 42)]
    outages = fix_of(told).history.outages
    assert [(each.lost, (each.begin - BEGIN) // SECOND, each.seconds) for each in outages] == [
        ("differential", 10, 5.0),
        ("satellites", 20, 4.0),
        ("bytes", 29, 9.0),
    ]
    assert (outages[1].before.used, outages[1].worst.used) == (11, 3)


def test_a_receiver_that_died_has_an_outage_that_lasts() -> None:
    fix = fix_of([whole(second) for second in range(10)], wait_s=20)
    (outage,) = fix.history.outages
    assert (outage.lost, outage.end, (outage.begin - BEGIN) // SECOND) == ("bytes", None, 9)
