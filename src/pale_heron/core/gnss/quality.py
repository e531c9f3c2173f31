"""Figures of quality in plain words, with the limits that the words go by."""

from typing import Final, NamedTuple


class Grade(NamedTuple):
    """`below` is the upper limit of what a word stands for; `holds` whether it is good enough to rely on."""

    below: float
    word: str
    holds: bool


DILUTION: Final = (
    Grade(1.0, "ideal", True),
    Grade(2.0, "excellent", True),
    Grade(5.0, "good", True),
    Grade(10.0, "moderate", False),
    Grade(20.0, "poor", False),
    Grade(float("inf"), "of no use", False),
)
"""HDOP, VDOP and PDOP. The words are usual in the trade; no standard sets their limits."""

STRENGTH: Final = (
    Grade(25.0, "too weak to use", False),
    Grade(35.0, "weak", False),
    Grade(42.0, "fair", True),
    Grade(float("inf"), "strong", True),
)
"""C/N0 in dB-Hz, of the usual civil signals."""


def graded(value: float, grades: tuple[Grade, ...]) -> Grade:
    """The first grade whose limit lies above the value."""
    return next(grade for grade in grades if value < grade.below or grade is grades[-1])
