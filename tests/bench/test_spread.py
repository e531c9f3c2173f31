"""Work that other processes do: the same as if it were done here, whatever becomes of them."""

import os
from collections.abc import Iterator
from contextlib import closing
from functools import partial

import pytest

from pale_heron.bench.spread import AHEAD, spread


def doubled(number: int) -> int:
    return 2 * number


def fallen(number: int, here: int) -> int:
    """Ends the process it is done in, unless that is the one that asked."""
    if number == 7 and os.getpid() != here:
        os._exit(3)
    return 2 * number


def wrong(number: int) -> int:
    if number == 5:
        raise ValueError(f"{number} cannot be done")
    return number


def test_it_comes_in_order_and_no_more_is_read_ahead_than_is_worked_on() -> None:
    read = []

    def pieces() -> Iterator[int]:
        for number in range(40):
            read.append(number)
            yield number

    made = []
    for each in spread(doubled, pieces(), 2):
        made.append(each)
        assert len(read) - len(made) <= AHEAD * 2
    assert made == [2 * number for number in range(40)]


def test_what_ended_with_its_process_is_done_here() -> None:
    assert list(spread(partial(fallen, here=os.getpid()), range(30), 2)) == [2 * number for number in range(30)]


@pytest.mark.parametrize("fault", [OSError(38, "Function not implemented"), ImportError("no semaphores")])
def test_where_no_process_can_be_had_all_is_done_here(fault: Exception, monkeypatch: pytest.MonkeyPatch) -> None:
    def refused(*_: object) -> None:
        raise fault

    monkeypatch.setattr("pale_heron.bench.spread.ProcessPoolExecutor", refused)
    assert list(spread(doubled, range(5), 2)) == [0, 2, 4, 6, 8]


def test_what_goes_wrong_is_told_in_its_place() -> None:
    made = []
    with pytest.raises(ValueError, match="5 cannot be done"):
        made.extend(spread(wrong, range(10), 1))
    with closing(spread(wrong, range(10), 1)) as found:
        assert [next(found) for _ in range(5)] == list(range(5))
        with pytest.raises(ValueError, match="5 cannot be done"):
            next(found)


def test_nothing_at_all() -> None:
    assert list(spread(doubled, (), 1)) == []
