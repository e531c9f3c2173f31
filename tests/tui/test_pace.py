"""How often pictures are drawn."""

import pytest

from pale_heron.tui.pace import ATTENTIVE_S, PicturePace

TICKS = [tick / 10 for tick in range(1, 101)]


@pytest.mark.parametrize(
    ("keys", "lively", "least", "most"),
    [
        ([], True, 98, 100),
        ([], False, 42, 48),  # three seconds closely after the start, then twice a second
        ([5.05], False, 65, 75),
        ([second + 0.05 for second in range(0, 10, 2)], False, 98, 100),
    ],
)
def test_pictures_in_ten_seconds(keys: list[float], lively: bool, least: int, most: int) -> None:
    pace, drawn, waiting = PicturePace(0.0), 0, list(keys)
    for now in TICKS:
        while waiting and waiting[0] <= now:
            pace.touched(waiting.pop(0))
        drawn += pace.is_due(now, lively=lively)
    assert least <= drawn <= most


def test_the_first_key_after_a_quiet_time_is_told() -> None:
    pace = PicturePace(0.0)
    assert not pace.touched(1.0)
    assert pace.touched(1.0 + ATTENTIVE_S + 0.1)
    assert not pace.touched(1.0 + ATTENTIVE_S + 0.2)


def test_a_picture_that_is_there_is_not_drawn_again_until_it_has_stood_for_long() -> None:
    pace = PicturePace(0.0)
    drawn = [now for now in TICKS if pace.is_new(now, int(5 * now))]
    assert len(drawn) == 51, "five moments a second"
    resting = [now for now in TICKS if pace.is_new(10.0 + now, 50)]
    assert len(resting) == 20, "twice a second"
