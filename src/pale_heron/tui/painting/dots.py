"""A drawing of dots, two across and four down in every character, with words written over it."""

import math
from collections.abc import Iterable

from pale_heron.tui.painting.paint import Line, Span

_BITS = ((0x01, 0x08), (0x02, 0x10), (0x04, 0x20), (0x40, 0x80))


class Dots:
    """`columns` by `rows` characters. Dots count from the top left; a later dot gives its character its role."""

    def __init__(self, columns: int, rows: int) -> None:
        self.columns = columns
        self.rows = rows
        self._bits = [[0] * columns for _ in range(rows)]
        self._roles = [["faint"] * columns for _ in range(rows)]
        self._words: dict[tuple[int, int], tuple[str, str]] = {}

    @property
    def size(self) -> tuple[int, int]:
        """Dots across and down."""
        return 2 * self.columns, 4 * self.rows

    def dot(self, x: float, y: float, role: str) -> None:
        """Set one dot; what lies outside is left out."""
        across, down = int(x), int(y)
        if 0 <= across < 2 * self.columns and 0 <= down < 4 * self.rows:
            row, column = down // 4, across // 2
            self._bits[row][column] |= _BITS[down % 4][across % 2]
            self._roles[row][column] = role

    def ring(self, x: float, y: float, radius: float, role: str, gap: float = 1.0) -> None:
        """A circle of dots, `gap` dots apart."""
        steps = max(8, int(2 * math.pi * radius / gap))
        for step in range(steps):
            turn = 2 * math.pi * step / steps
            self.dot(x + radius * math.sin(turn), y - radius * math.cos(turn), role)

    def line(self, x: float, y: float, to_x: float, to_y: float, role: str, gap: float = 1.0) -> None:
        """A straight line of dots."""
        steps = max(1, int(math.hypot(to_x - x, to_y - y) / gap))
        for step in range(steps + 1):
            self.dot(x + (to_x - x) * step / steps, y + (to_y - y) * step / steps, role)

    def word(self, x: float, y: float, text: str, role: str) -> None:
        """Write over the drawing, beginning in the character that holds the dot."""
        row, column = int(y) // 4, int(x) // 2
        for index, letter in enumerate(text):
            if 0 <= row < self.rows and 0 <= column + index < self.columns:
                self._words[row, column + index] = letter, role

    def is_free(self, x: float, y: float, length: int) -> bool:
        """Whether no word stands where one of this length would."""
        row, column = int(y) // 4, int(x) // 2
        return all((row, column + index) not in self._words for index in range(length))

    def lines(self) -> list[Line]:
        """The drawing as painted lines."""
        return [tuple(self._spans(row)) for row in range(self.rows)]

    def _spans(self, row: int) -> Iterable[Span]:
        text, role = "", ""
        for column in range(self.columns):
            bits = self._bits[row][column]
            letter, own = self._words.get(
                (row, column), (chr(0x2800 + bits) if bits else " ", self._roles[row][column])
            )
            if own != role and text:
                yield Span(text, role)
                text = ""
            text, role = text + letter, own
        if text:
            yield Span(text, role)
