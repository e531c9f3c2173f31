"""Two captures side by side: what is called more than chance is so, in nineteen of twenty at least."""

import random
from pathlib import Path

import numpy as np
import pytest
from tests.core.test_independent import wandering
from tests.core.test_proof import evident
from tests.streams import BEGIN, chunk, framed

from pale_heron.core.frames import BAD_CHECKSUM, SECOND
from pale_heron.core.line.snapshot import LineSnapshot
from pale_heron.core.line.tracker import LineTracker
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.proof.comparing import (
    CHANCE,
    JUDGES,
    NOT_JUDGED,
    bad_share_differs,
    clustering,
    compare_captures,
    compared_object,
    compared_words,
    means_differ,
    rates_differ,
)
from pale_heron.core.proof.expectation import written
from pale_heron.core.proof.names import NAMES
from pale_heron.core.strips import NO_COLUMNS

ROUNDS = 400


@pytest.mark.parametrize(
    ("one", "seconds", "other", "others", "differ"),
    [
        (0, 60.0, 0, 60.0, False),
        (1, 60.0, 2, 60.0, False),
        (2, 600.0, 12, 600.0, True),
        (10, 600.0, 10, 60.0, True),
        (10, 600.0, 1, 60.0, False),
        (3, 0.0, 4, 60.0, None),
        (5_000, 600.0, 5_080, 600.0, False),
        (50_000, 600.0, 51_000, 600.0, True),
    ],
)
def test_rates_of_events(one: int, seconds: float, other: int, others: float, differ: bool | None) -> None:
    assert rates_differ(one, seconds, other, others) is differ


@pytest.mark.parametrize("blocks", [8, 15, 30])
def test_equal_means_are_seldom_told_apart_and_other_ones_mostly(blocks: int) -> None:
    chance = random.Random(7)

    def told(apart: float) -> int:
        return sum(
            bool(
                means_differ(
                    [chance.gauss(40, 1) for _ in range(blocks)], [chance.gauss(40 + apart, 1) for _ in range(blocks)]
                )
            )
            for _ in range(ROUNDS)
        )

    assert told(0.0) / ROUNDS < 0.075, "one in twenty, as far as so many rounds tell"
    assert told(4.0) / ROUNDS > 0.9
    assert means_differ([40.0, 41.0] * 3, [44.0] * 30) is None, "six minutes say nothing"


def test_the_same_capture_does_not_differ_from_itself() -> None:
    known = evident()
    rows = compare_captures(known, known, [("curlew", "curlew"), ("hide", "hide")])
    assert rows and all(each.one == each.other for each in rows)
    assert {each.judged for each in rows} <= {CHANCE, NOT_JUDGED}
    assert {compared_words(each)[3] for each in rows} == {"the same"}


def test_what_is_known_of_one_alone_is_shown_and_not_judged() -> None:
    rows = compare_captures(evident(), evident(8), [("curlew", "curlew"), ("nobody", "curlew")])
    named = {each.name: each for each in rows}
    first = named["fix.seconds_to_first_fix"]
    assert first.other.value is None and first.judged == NOT_JUDGED and compared_words(first)[2] == "–"
    assert compared_object(named["line.bytes_in"])["difference"] < 0  # type: ignore[operator]
    assert named["record.duration_s"].lanes == ("", "")
    assert set(JUDGES) <= {each.name for each in NAMES}


def test_at_the_prompt(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    from tests.bench.test_joining import SECOND, capture

    from pale_heron.cli.compare import compare
    from pale_heron.core.trouble import Trouble

    first, second = (capture(tmp_path / f"{name}.pcapng", ahead * SECOND) for name, ahead in (("a", 0), ("b", 3)))
    compare.main([str(first), str(second)], standalone_mode=False)
    text = capsys.readouterr().out
    assert "clock.lag_ms.GNRMC" in text and "+3000 ms" in text and "more figures are the same" in text
    with pytest.raises(Trouble, match="no lane 'curlw'"):
        compare.main([str(first), str(second), "--lanes", "curlw"], standalone_mode=False)


def line_of(chance: random.Random, share: float, burst: int, *, count: int = 3600) -> LineSnapshot:
    """An hour of sentences, of which a share is damaged, so many together."""
    tracker, left = LineTracker(), 0
    good = framed([sealed("GPTXT,01,01,02,ok")])[0]
    bad = good._replace(status=BAD_CHECKSUM)
    for second in range(count):
        left = burst if not left and chance.random() < share / burst else left
        moment = BEGIN + second * SECOND
        tracker.feed_chunk(chunk(good.data, moment))
        tracker.feed((bad if left else good)._replace(time=moment))
        left = max(0, left - 1)
    return tracker.snapshot(moment)


@pytest.mark.parametrize("burst", [1, 5, 40])
def test_damage_in_bursts_is_no_difference_of_lines(burst: int) -> None:
    """Of forty pairs of one line few are told apart; five times as much damage is found."""

    def told(share: float) -> int:
        chance = random.Random(burst)
        pairs = ((line_of(chance, 0.03, burst), line_of(chance, share, burst)) for _ in range(40))
        return sum(bool(bad_share_differs(one, other)) for one, other in pairs)

    assert told(0.03) <= 4
    assert told(0.15) >= 20
    assert 0.5 * burst < clustering(line_of(random.Random(9), 0.05, burst)) < 2.5 * burst + 1


@pytest.mark.parametrize(("memory", "hours", "found"), [(0.01, 1, 36), (30, 1, 30), (600, 1, 4), (600, 3, 12)])
def test_what_wanders_is_no_difference_of_receivers(memory: float, hours: int, found: int) -> None:
    """C/N0 that forgets after ten minutes has few independent values in an hour, and is mostly not judged."""

    def told(apart: float) -> int:
        count = 0
        for seed in range(40):
            chance = np.random.default_rng(seed)
            made = wandering(memory, 0.5)
            one, other = (
                made(chance, 3600 * hours).reshape(-1, 60).mean(axis=1) + each for each in (40.0, 40.0 + apart)
            )
            count += bool(means_differ(one.tolist(), other.tolist()))
        return count

    assert told(0.0) <= 4
    assert told(3.0) >= found


@pytest.mark.parametrize(
    ("value", "words"),
    [(6.31152e8, "631152000"), (4.05751e-9, "0"), (0.0215, "0.0215"), (123456.7, "123457"), (-3e-9, "0")],
)
def test_figures_are_written_as_people_read_them(value: float, words: str) -> None:
    assert written(value) == words


def test_damage_in_a_record_that_claims_centuries_or_no_times_is_compared_all_the_same() -> None:
    line = line_of(random.Random(3), 0.05, 5, count=600)
    far = line._replace(last_byte=BEGIN + 200 * 365 * 86_400 * SECOND)
    assert 1.0 <= clustering(far) < len(line.damage.counts)
    assert clustering(line._replace(damage=NO_COLUMNS)) == 1.0
