"""Independent values are counted right in processes of known memory, many times."""

from collections.abc import Callable
from typing import Any, Final

import numpy as np
import pytest
from numpy.typing import NDArray

from pale_heron.core.independent import MOST_VALUES, independent_samples

Values = NDArray[np.float64]


def wandering(memory: float, noise: float = 0.0) -> Callable[[Any, int], Values]:
    """Deviation 1, forgotten after `memory` values; with white noise on top."""

    def made(chance: Any, count: int) -> Values:
        keep = np.exp(-1 / memory)
        new = chance.standard_normal(count) * np.sqrt(1 - keep**2)
        found = np.empty(count)
        last = chance.standard_normal()
        for place in range(count):
            last = keep * last + new[place]
            found[place] = last
        return found + noise * chance.standard_normal(count)

    return made


def bursts(chance: Any, count: int) -> Values:
    """Mostly quiet, now and then something for thirty values."""
    found = np.zeros(count)
    for begin in np.flatnonzero(chance.random(count) < 0.01):
        found[begin : begin + 30] = 1.0
    return found


PROCESSES: Final[dict[str, tuple[Callable[[Any, int], Values], int]]] = {
    "white": (lambda chance, count: chance.standard_normal(count), 600),
    "forgets after 3": (wandering(3), 600),
    "forgets after 30": (wandering(30), 3600),
    "forgets after 30, with noise": (wandering(30, 1.0), 3600),
    "ten minutes in an hour, and a third of noise": (wandering(600, 0.3), 3600),
    "ten minutes in three hours": (wandering(600), 10_800),
    "bursts": (bursts, 3600),
    "longer than is looked at value by value": (wandering(300, 0.5), 3 * MOST_VALUES),
}


@pytest.mark.parametrize("name", PROCESSES)
def test_as_many_as_the_spread_of_means_says(name: str) -> None:
    made, count = PROCESSES[name]
    times = 24 if count > MOST_VALUES else 150
    records = [made(np.random.default_rng(seed), count) for seed in range(times)]
    variance = np.mean([each.var() for each in records]) + np.var([each.mean() for each in records])
    truth = variance / np.var([each.mean() for each in records])
    told = np.array([independent_samples(each) for each in records])
    # Of a record that is few times as long as its memory less is seen of it.
    few = truth < 10
    assert 1 / 1.6 < np.exp(np.mean(np.log(told))) / truth < (3.3 if few else 1.6)
    assert np.quantile(told, 0.9) < (6.5 if few else 2.5) * truth, "seldom is much more claimed"


def test_what_is_always_the_same_says_one_thing() -> None:
    assert independent_samples(np.full(100, 3.0)) == 1.0
    assert (independent_samples(np.empty(0)), independent_samples(np.ones(1))) == (0.0, 1.0)
    assert independent_samples(np.arange(1000.0)) < 4, "a drift over the whole record"


def test_parts_are_taken_together() -> None:
    chance = np.random.default_rng(5)
    east, north = wandering(30)(chance, 3600), wandering(30)(chance, 3600)
    both = independent_samples(np.column_stack((east, north)))
    assert both == pytest.approx((independent_samples(east) + independent_samples(north)) / 2, rel=0.5)
