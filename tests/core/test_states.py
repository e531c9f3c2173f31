"""What the digits and letters of the standard say of a fix (NMEA 0183: GGA, GNS, RMC, GLL), one by one."""

import itertools

import pytest

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.states import held_ns, kind_of_modes, kind_of_quality, kind_of_status

QUALITIES = {
    "0": "", "1": "single", "2": "differential", "3": "precise service", "4": "RTK fixed", "5": "RTK float",
    "6": "estimated", "7": "manual", "8": "simulated", "9": "", "": "", "A": "", "-1": "", "12": "",
    "01": "single", "+1": "single", "+04": "RTK fixed", "00": "", "+": "", "0A": "", "1 ": "",
}  # fmt: skip


@pytest.mark.parametrize(("quality", "kind"), QUALITIES.items())
def test_the_quality_of_a_position(quality: str, kind: str) -> None:
    assert kind_of_quality(quality) == kind


LETTERS = {
    "R": "RTK fixed", "F": "RTK float", "D": "differential", "P": "precise", "A": "single", "E": "estimated",
    "M": "manual", "S": "simulated",
}  # fmt: skip
"""The best first: of several systems the best one makes the position."""


def test_the_modes_of_several_systems() -> None:
    for better, worse in itertools.combinations(LETTERS, 2):
        assert kind_of_modes(better + worse) == kind_of_modes(worse + "N" + better) == LETTERS[better]
    for letter in LETTERS:
        assert kind_of_modes("N" + letter) == LETTERS[letter]
    assert kind_of_modes("") == kind_of_modes("NNN") == kind_of_modes("xyz") == ""


def test_the_status_and_the_mode_beside_it() -> None:
    assert kind_of_status("A", "") == "single", "before version 2.3 there was no mode"
    assert kind_of_status("V", "") == kind_of_status("", "") == kind_of_status("X", "A") == ""
    for mode, kind in LETTERS.items():
        assert kind_of_status("A", mode) == kind
        assert kind_of_status("V", mode) == (kind if mode in "EMS" else ""), mode
    for mode in ("N", "x", "1", "4"):
        assert kind_of_status("A", mode) == kind_of_status("V", mode) == "", mode


@pytest.mark.parametrize(("interval_s", "held_s"), [(0, 2), (0.1, 2), (0.8, 2), (1, 2.5), (4, 10), (8, 20), (60, 20)])
def test_a_word_holds_two_and_a_half_of_its_intervals_within_bounds(interval_s: float, held_s: float) -> None:
    assert held_ns(round(interval_s * SECOND)) == round(held_s * SECOND)
