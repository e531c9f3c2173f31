"""What a trial claims is true, whatever the link does, however it ends, and whoever goes away meanwhile."""

import random
from collections import Counter
from statistics import fmean

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.link_model import ENDINGS, EVERY, LINKS, MS, Link

from pale_heron.core.frames import SECOND
from pale_heron.core.link.fates import AWAY, BAD, CUT, DAMAGED, DELIVERED, LATE, LOST, NOT_KNOWN, RESTARTED
from pale_heron.core.link.figures import more_than_chance
from pale_heron.core.link.judging import completeness, judged, more_needed
from pale_heron.core.link.ledger import Ledger
from pale_heron.core.link.verdict import verdict


@given(
    st.sampled_from(sorted(LINKS)),
    st.sampled_from(ENDINGS),
    st.integers(0, 10**6),
    st.floats(0.02, 1.0),
    st.lists(st.tuples(st.integers(1, 60), st.integers(1, 12)), max_size=2),
)
def test_what_was_watched_is_told_exactly_and_nothing_else(
    kind: str, ending: str, seed: int, share: float, away: list[tuple[int, int]]
) -> None:
    """Kinds of link, ways of ending, lanes that come and go: each fate against the truth."""
    periods, free = [], 0
    for begin, length in sorted(away):
        begin = max(begin, free + 1)
        free = begin + length
        periods.append((begin * EVERY + 7 * MS, free * EVERY + 3 * MS))
    link = Link(kind, seed, away=tuple(periods))
    found, stopped, end = link.play(ending, share)
    (way,) = found.directions
    numbers = [number for number, sent in link.sends.items() if sent <= stopped and sent < end]
    wanted = Counter(link.fate(number, end) for number in numbers)
    told = Counter({DELIVERED: way.delivered, LOST: way.lost, DAMAGED: way.damaged, LATE: way.late, None: way.unknown})
    assert +told == +wanted
    assert way.sent == len(numbers) == way.settled + way.unknown and not way.under_way
    assert set(dict(way.not_known)) <= {AWAY, CUT}
    known, said = completeness(found), verdict(found)
    assert known.complete == (ending == ENDINGS[0] and not wanted[None])
    if said.result == "holds":
        assert known.complete and not any(wanted[fate] for fate in BAD)
    if not known.complete:
        assert said.result != "holds" and "Not complete" in said.why
    if any(wanted[fate] for fate in BAD):
        assert said.result == "fails"


@pytest.mark.parametrize("ending", ENDINGS)
@pytest.mark.parametrize("kind", ["loses", "late now and then", "jitters and reorders"])
def test_where_it_ends_makes_no_share_larger_or_smaller(kind: str, ending: str) -> None:
    """Cut anywhere, many times: the mean of what is told is the truth, to four standard errors."""
    shares, truths = [], []
    for seed in range(100):
        link = Link(kind, seed)
        found, _, _ = link.play(ending, random.Random(seed).uniform(0.3, 1.0))
        (way,) = found.directions
        if way.share is not None:
            shares.append(way.share)
            # Had it been watched for ever.
            fates = Counter(link.fate(number, 10**15) for number in link.sends)
            truths.append(sum(fates[fate] for fate in BAD) / link.count)
    error = (fmean((each - fmean(shares)) ** 2 for each in shares) / len(shares)) ** 0.5
    assert abs(fmean(shares) - fmean(truths)) < 4 * error


def test_a_dead_link_is_no_good_one_however_it_ends() -> None:
    """A link that dies in the middle: what is told before its limit is over is not known, and never that it holds."""
    for ending in ENDINGS:
        for share in (0.5, 0.55, 0.8, 1.0):
            found, _, _ = Link("dies half way", 1).play(ending, share)
            said = verdict(found)
            assert said.result != "holds"
            assert said.result == "fails" or not completeness(found).complete


def test_the_strip_shows_the_newest_whatever_is_unsettled() -> None:
    ledger = Ledger("a", "b", SECOND)
    for number in range(1, 11):
        ledger.send(number, number * MS)
        if number != 1:
            ledger.deliver(number, number * MS + 1)
    found = ledger.snapshot()
    assert found.strip == ("under-way", *9 * (DELIVERED,))
    assert (found.settled, found.under_way, found.awaited) == (0, 10, 1)


def test_damaged_and_then_whole_is_delivered_and_no_double() -> None:
    ledger = Ledger("a", "b", SECOND)
    ledger.send(1, 0)
    ledger.spoil(1)
    ledger.deliver(1, SECOND // 2)
    ledger.finish(3 * SECOND, listened=True)
    found = ledger.snapshot()
    assert (found.delivered, found.damaged, found.twice) == (1, 0, 0)


def test_an_arrival_that_is_handed_over_late_is_not_late() -> None:
    """Two readers: a chunk of another lane may have said that the limit is over before this one is looked at."""
    ledger = Ledger("a", "b", SECOND)
    ledger.send(1, 0)
    ledger.advance(SECOND + 5 * MS)
    assert ledger.snapshot().lost == 1
    ledger.deliver(1, SECOND - MS)
    found = ledger.snapshot()
    assert (found.delivered, found.lost, found.late) == (1, 0, 0)
    ledger.deliver(1, 2 * SECOND)
    assert ledger.snapshot().twice == 1


def test_in_a_stream_what_comes_settles_what_was_sent_before() -> None:
    ledger = Ledger("a", "b", 10 * SECOND, in_order=True)
    for number in range(1, 6):
        ledger.send(number, number)
    ledger.deliver(4, 9)
    found = ledger.snapshot()
    assert (found.delivered, found.lost, found.under_way) == (1, 3, 1)
    ledger.deliver(2, 10)
    found = ledger.snapshot()
    assert (found.delivered, found.lost, found.out_of_order) == (2, 2, 1)
    assert found.strip[:4] == (LOST, DELIVERED, LOST, DELIVERED)


def test_what_is_excused_is_no_loss_and_no_outage() -> None:
    ledger = Ledger("a", "b", SECOND)
    for number in range(1, 31):
        ledger.send(number, number * SECOND)
        if not 10 <= number <= 15:
            ledger.deliver(number, number * SECOND + 1)
        ledger.advance(number * SECOND + SECOND // 2)
        if number == 17:
            assert ledger.snapshot().lost == 6
            ledger.excuse(10, 15, RESTARTED)
    ledger.finish(40 * SECOND, listened=True)
    found = ledger.snapshot()
    assert (found.lost, found.delivered, found.not_known) == (0, 24, ((RESTARTED, 6),))
    assert found.strip.count(NOT_KNOWN) == 6


@pytest.mark.parametrize(
    ("bad", "of", "allowed", "result"),
    [
        (0, 0, 0.0, "inconclusive"),
        (0, 10, 0.0, "holds"),
        (1, 10**6, 0.0, "fails"),
        (0, 20, 0.05, "inconclusive"),
        (0, 100, 0.05, "holds"),
        (4, 100, 0.05, "inconclusive"),
        (40, 1000, 0.05, "inconclusive"),
        (60, 2000, 0.05, "holds"),
        (20, 100, 0.05, "fails"),
    ],
)
def test_a_verdict_is_what_the_interval_carries(bad: int, of: int, allowed: float, result: str) -> None:
    assert judged(bad, of, allowed) == result


@given(st.integers(0, 200), st.integers(1, 2000), st.floats(0.001, 0.5))
def test_what_would_decide_it_decides_it(bad: int, of: int, allowed: float) -> None:
    bad = min(bad, of)
    more = more_needed(bad, of, allowed)
    if more is not None:
        count = of + more
        assert judged(round(bad / of * count), count, allowed) != "inconclusive"


def test_few_are_told_wrong_by_a_verdict_with_an_allowance() -> None:
    """Links that lose just what is allowed: of many trials hardly any is said to hold, or to fail, beyond its 2.5 %."""
    chance = random.Random(5)
    for share in (0.02, 0.05, 0.2):
        results = Counter(judged(sum(chance.random() < share for _ in range(400)), 400, share) for _ in range(2000))
        assert results["holds"] < 0.045 * 2000 and results["fails"] < 0.045 * 2000


def test_runs_that_chance_makes_are_no_outages() -> None:
    """Independent losses: in about one trial of twenty a run is called more than chance; a true outage always."""
    chance = random.Random(11)
    for share in (0.02, 0.1, 0.4):
        wrong = found = 0
        for _ in range(200):
            fates = [chance.random() < share for _ in range(500)]
            wrong += any(more_than_chance(run, sum(fates), 500) for run in runs(fates))
            fates[200:225] = [True] * 25
            found += more_than_chance(max(runs(fates)), sum(fates), 500)
        assert wrong < 0.09 * 200 and found > 0.99 * 200


def runs(fates: list[bool]) -> list[int]:
    lengths, length = [0], 0
    for bad in [*fates, False]:
        if bad:
            length += 1
        elif length:
            lengths.append(length)
            length = 0
    return lengths
