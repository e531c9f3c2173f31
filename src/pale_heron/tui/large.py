"""Words three rows high, to be read from where one stands."""

from typing import Final

_PIXELS: Final = {
    " ": ("  ", "  ", "  ", "  ", "  "),
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
_HALVES: Final = {(False, False): " ", (True, False): "▀", (False, True): "▄", (True, True): "█"}


def large(text: str) -> tuple[str, str, str]:
    """Three rows of half blocks; letters that are not drawn are left out."""
    letters = [_PIXELS[letter] for letter in text.upper() if letter in _PIXELS]
    rows = ["  ".join(letter[row] for letter in letters) for row in range(5)] + [""]
    return (_half(rows[0], rows[1]), _half(rows[2], rows[3]), _half(rows[4], rows[5]))


def _half(upper: str, lower: str) -> str:
    lower = lower.ljust(len(upper))
    return "".join(_HALVES[above == "#", below == "#"] for above, below in zip(upper, lower, strict=True))
