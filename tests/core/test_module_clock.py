"""The clock of a module: read with its zone, and held against this computer's with the cause that fits."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.clock.module_clock import clock_words, module_clock
from pale_heron.core.frames import SECOND
from pale_heron.core.utc import from_iso, iso

NOON = from_iso("2031-05-04T12:00:00Z")


@pytest.mark.parametrize(
    ("text", "utc"),
    [
        ("31/05/04,09:00:00-12", "2031-05-04T12:00:00"),
        ("31/05/04,13:00:00+04", "2031-05-04T12:00:00"),
        ("2031/05/04,17:45:00+23", "2031-05-04T12:00:00"),
        ("31/05/04,12:00:00", "2031-05-04T12:00:00"),
        ("31/02/30,12:00:00+00", ""),
        ("31/05/04,25:00:00+00", ""),
        ("31/05/04 12:00:00", ""),
        ("٣١/05/04,12:00:00", ""),
        ("", ""),
    ],
)
def test_it_is_read_with_its_zone(text: str, utc: str) -> None:
    found = module_clock(text, NOON)
    assert (iso(found.utc)[:19] if found else "") == utc


@pytest.mark.parametrize(
    ("text", "late_s", "words"),
    [
        ("31/05/04,09:00:00-12", 0.4, "UTC-03:00, asked 1 min 00 s ago: the same as this computer"),
        ("31/05/04,12:00:00-12", 0.4, "behind it: as much as its zone"),
        ("31/05/04,09:00:00-12", 30.0, "this computer is 29 s ahead of it"),
        ("80/01/06,00:00:00+00", 0.0, "nobody has set it"),
        ("04/01/01,00:02:11+00", 0.0, "nobody has set it"),
        ("31/05/04,12:00:00", 0.0, "no zone"),
    ],
)
def test_it_is_held_against_this_computer(text: str, late_s: float, words: str) -> None:
    told = NOON + round(late_s * SECOND)
    found = module_clock(text, told)
    assert found is not None and words in clock_words(found, told + 60 * SECOND), clock_words(found, told)


@given(st.text(max_size=30))
def test_any_text_is_borne(text: str) -> None:
    found = module_clock(text, NOON)
    assert found is None or clock_words(found, NOON)
