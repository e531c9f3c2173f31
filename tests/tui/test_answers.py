"""The sentence with which a view begins."""

import pytest
from tests.painted import snapshot
from tests.streams import BEGIN, chunk, sentences

from pale_heron.answers.traffic import traffic_answer
from pale_heron.core.frames import SECOND
from pale_heron.core.lane import Lane


@pytest.mark.parametrize(
    ("every_s", "told"),
    [(0.1, "10 lines a second of 1 type."), (1.0, "1 line a second of 1 type."), (4.0, "15 lines in the last minute.")],
)
def test_what_comes_seldom_is_not_told_as_none_a_second(every_s: float, told: str) -> None:
    lane, count = Lane("curlew"), round(60 / every_s)
    for place in range(count):
        moment = BEGIN + round(place * every_s * SECOND)
        lane.feed(chunk(sentences(f"GNZDA,{place % 24:02d}0000.00,04,05,2031,00,00"), moment))
    assert told in traffic_answer(snapshot(lane, now=BEGIN + 60 * SECOND - SECOND // 20)).text
