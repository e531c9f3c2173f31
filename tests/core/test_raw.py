"""Fields that a tracker reads from the raw digits are read just as the table of sentences reads them."""

from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core import utc
from pale_heron.core.nmea import raw
from pale_heron.core.nmea.codecs import COUNT, NUMBER, TIME, Codec

TEXTS = st.one_of(
    st.from_regex(r"[0-9]{6}(\.[0-9]{0,12})?", fullmatch=True),
    st.from_regex(r"[+-]?[0-9]{0,14}\.?[0-9]{0,4}", fullmatch=True),
    st.text("0123456789.+-eE_ \n", max_size=9),
    st.sampled_from(["1e2", "1_0.5", "996199.00", "235960", "235960.5", "24", "000000.", "1234567890123", "٣"]),
)
READERS: list[tuple[Callable[[bytes], Any], Codec, Callable[[Any], Any]]] = [
    (raw.time_of_day, TIME, utc.time_of_day),
    (raw.number, NUMBER, float),
    (raw.count, COUNT, int),
]


@pytest.mark.parametrize(("quick", "codec", "as_number"), READERS)
@given(text=TEXTS)
def test_a_raw_field_is_what_its_table_says(
    quick: Callable[[bytes], Any], codec: Codec, as_number: Callable[[Any], Any], text: str
) -> None:
    try:
        told = codec.read((text,), 0)
    except ValueError:
        told = None
    assert quick(text.encode()) == (None if told is None else as_number(told))
