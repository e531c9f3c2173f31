"""The log of epochs: rows in columns, the old ones packed."""

import math
import pickle
from array import array

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.streams import BEGIN

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.epochs import log
from pale_heron.core.gnss.epochs.log import Epoch, EpochLog
from pale_heron.core.gnss.epochs.packed import pack, unpack
from pale_heron.core.gnss.states import LEVELS, MADE

rows = st.lists(
    st.tuples(
        *([st.none() | st.integers(-(2**62), 2**62)] * 3),
        st.integers(0, len(LEVELS) - 1),
        st.integers(0, len(MADE) - 1),
        *([st.none() | st.floats(-1e6, 1e6)] * 4),
        *([st.none() | st.integers(0, 999)] * 2),
        st.none() | st.floats(0, 99),
        *([st.none() | st.floats(0, 99, width=32)] * 4),
    ),
    max_size=60,
)


@given(rows, st.integers(1, 20), st.integers(1, 20))
def test_the_log_gives_back_what_it_took_but_the_oldest(
    taken: list[tuple[float | None, ...]], kept: int, packed: int
) -> None:
    all_of_them, some, views = EpochLog(), EpochLog(kept), []
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(log, "PACKED_ROWS", packed)
        for row in taken:
            all_of_them.append(Epoch._make(row))
            some.append(Epoch._make(row))
            views += [(each.view(), list(each.view())) for each in (some, all_of_them)]
            some, all_of_them = pickle.loads(pickle.dumps((some, all_of_them)))
    assert list(all_of_them.view()) == [Epoch._make(row) for row in taken]
    plain = EpochLog()
    for row in taken:
        plain.append(Epoch._make(row))
    assert all_of_them.view().last(kept) == plain.view().last(kept)
    assert list(all_of_them.view().part(kept, kept + packed)) == list(plain.view())[kept : kept + packed]
    assert list(some.view()) == [Epoch._make(row) for row in taken[-kept:]]
    assert all(list(view) == then for view, then in views), "a view never changes"
    assert some.total == len(taken) and some.with_position == sum(Epoch._make(row).has_position for row in taken)
    assert list(all_of_them.view().last(3)) == [Epoch._make(row) for row in taken[-3:]]


@given(st.lists(st.integers(-(2**63), 2**63 - 1), max_size=30), st.lists(st.floats(width=32), max_size=30))
def test_columns_come_back_as_they_were_packed_to_the_bit(whole: list[int], fractions: list[float]) -> None:
    columns = array("q", whole), array("d", fractions), array("f", fractions), array("b", [n % 99 for n in whole])
    for column in columns:
        back = unpack(pack(column), column.typecode)
        assert (back.typecode, back.tobytes()) == (column.typecode, column.tobytes())


def test_old_rows_take_a_fraction_of_their_room() -> None:
    taken, count = EpochLog(), 3 * log.PACKED_ROWS
    still = Epoch(0, 0, 0, 3, 0, 0.0, -67.3, 3.4, 11.2, 9, 12, 0.8, 41.5, 0.4, 212.0, 1.6)
    for place in range(count):
        time, north = BEGIN + place * SECOND, 46.1 + math.sin(place / 300) * 1e-4
        taken.append(still._replace(arrived=time, utc=time, of_day=place * SECOND, latitude=north))
    assert len(pickle.dumps(taken)) < 12 * count
    assert taken.view()[count // 2].of_day == count // 2 * SECOND
    assert len(taken.view().since(BEGIN + 10 * SECOND)) == count - 10
