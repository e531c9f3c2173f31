"""Durations and moments as people type them."""

import pytest
from tests.streams import BEGIN

from pale_heron.core.frames import SECOND
from pale_heron.core.moments import moment, seconds
from pale_heron.core.trouble import Trouble


@pytest.mark.parametrize(
    ("text", "expected"), [("60s", 60), ("1.5min", 90), ("2h", 7200), ("90", 90), ("500ms", 0.5), (" 3 s ", 3)]
)
def test_durations(text: str, expected: float) -> None:
    assert seconds(text) == expected


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("+90s", BEGIN + 90 * SECOND),
        ("09:41:07", BEGIN + 67 * SECOND),
        ("09:39", BEGIN + 86_340 * SECOND),
        ("2031-05-04T09:41:07Z", BEGIN + 67 * SECOND),
    ],
)
def test_moments(text: str, expected: int) -> None:
    assert moment(text, BEGIN) == expected


@pytest.mark.parametrize("text", ["", "soon", "25:00:00", "2031-13-01", "+x"])
def test_what_is_no_moment_is_told(text: str) -> None:
    with pytest.raises(Trouble):
        moment(text, BEGIN)
