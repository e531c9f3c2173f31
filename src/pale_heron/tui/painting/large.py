"""Words three rows high, to be read from where one stands."""

from collections.abc import Mapping
from typing import Final

_PIXELS: Final = {
    " ": ("  ", "  ", "  ", "  ", "  "),
    "-": ("....", "....", "####", "....", "...."),
    "2": ("###.", "...#", ".##.", "#...", "####"),
    "3": ("###.", "...#", ".##.", "...#", "###."),
    "D": ("###.", "#..#", "#..#", "#..#", "###."),
    "E": ("####", "#...", "###.", "#...", "####"),
    "F": ("####", "#...", "###.", "#...", "#..."),
    "I": ("#", "#", "#", "#", "#"),
    "L": ("#...", "#...", "#...", "#...", "####"),
    "M": ("#...#", "##.##", "#.#.#", "#...#", "#...#"),
    "N": ("#..#", "##.#", "#.##", "#..#", "#..#"),
    "O": (".##.", "#..#", "#..#", "#..#", ".##."),
    "S": (".###", "#...", ".##.", "...#", "###."),
    "T": ("###", ".#.", ".#.", ".#.", ".#."),
    "X": ("#..#", "#..#", ".##.", "#..#", "#..#"),
    "Y": ("#.#", "#.#", ".#.", ".#.", ".#."),
}
_DIGITS: Final = {
    "0": ("###", "#.#", "#.#", "#.#", "###"),
    "1": (".#.", "##.", ".#.", ".#.", "###"),
    "2": ("###", "..#", "###", "#..", "###"),
    "3": ("###", "..#", ".##", "..#", "###"),
    "4": ("#.#", "#.#", "###", "..#", "..#"),
    "5": ("###", "#..", "###", "..#", "###"),
    "6": ("###", "#..", "###", "#.#", "###"),
    "7": ("###", "..#", "..#", ".#.", ".#."),
    "8": ("###", "#.#", "###", "#.#", "###"),
    "9": ("###", "#.#", "###", "..#", "###"),
    ".": (".", ".", ".", ".", "#"),
    "-": ("...", "...", "###", "...", "..."),
    " ": (".", ".", ".", ".", "."),
    "N": ("#..#", "##.#", "#.##", "#..#", "#..#"),
    "S": ("###", "#..", "###", "..#", "###"),
    "E": ("###", "#..", "##.", "#..", "###"),
    "W": ("#...#", "#...#", "#.#.#", "##.##", "#...#"),
}
"""Narrower, for figures."""
_HALVES: Final = {(False, False): " ", (True, False): "▀", (False, True): "▄", (True, True): "█"}


def large(text: str) -> tuple[str, str, str]:
    """Three rows of half blocks; letters that are not drawn are left out."""
    return _drawn(text, _PIXELS, "  ")


def large_figure(text: str) -> tuple[str, str, str]:
    """The same for digits and the letters of the sides, narrower."""
    return _drawn(text, _DIGITS, " ")


def _drawn(text: str, pixels: Mapping[str, tuple[str, ...]], gap: str) -> tuple[str, str, str]:
    letters = [pixels[letter] for letter in text.upper() if letter in pixels]
    rows = [gap.join(letter[row] for letter in letters) for row in range(5)] + [""]
    return (_half(rows[0], rows[1]), _half(rows[2], rows[3]), _half(rows[4], rows[5]))


def _half(upper: str, lower: str) -> str:
    lower = lower.ljust(len(upper))
    return "".join(_HALVES[above == "#", below == "#"] for above, below in zip(upper, lower, strict=True))
