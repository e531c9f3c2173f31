"""Two captures side by side: what is called more than chance is so, in nineteen of twenty at least."""

import random
from pathlib import Path

import pytest
from tests.core.test_proof import evident

from pale_heron.core.proof.comparing import (
    CHANCE,
    JUDGES,
    NOT_JUDGED,
    compare_captures,
    compared_object,
    compared_words,
    means_differ,
    rates_differ,
)
from pale_heron.core.proof.names import NAMES

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
    ],
)
def test_rates_of_events(one: int, seconds: float, other: int, others: float, differ: bool | None) -> None:
    assert rates_differ(one, seconds, other, others) is differ


@pytest.mark.parametrize("blocks", [5, 8, 30])
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
    assert means_differ([40.0] * 4, [44.0] * 30) is None, "four minutes say nothing"


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
