"""Lines of coloured text as plain data, and the few ways to put them together.

Every panel is a pure function from a snapshot and a width to lines; a test needs no screen to see what it says. A role
names what a piece of text is (`text`, `quiet`, `amber`, ...); the theme turns roles into colours. `*` before a role
makes it bold, `/` italic, `role@ground` puts it on another ground. Text is never parsed as markup.
"""

import itertools
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from rich.cells import cell_len, set_cell_size

from pale_heron.answers.answer import ViewAnswer
from pale_heron.tui.acts import Act


class Span(NamedTuple):
    """A piece of text in one role; `action` is run when it is clicked."""

    text: str
    role: str = "text"
    action: Act | None = None


Line = tuple[Span, ...]
BLANK: Line = ()


def line(*parts: str | Span | tuple[str, str]) -> Line:
    """A line out of plain strings, (text, role) pairs and spans; empty ones are left out."""
    spans = (part if isinstance(part, Span) else Span(part) if isinstance(part, str) else Span(*part) for part in parts)
    return tuple(span for span in spans if span.text)


def width_of(row: Line) -> int:
    """Columns that a line takes."""
    return sum(cells(span.text) for span in row)


def cells(text: str) -> int:
    """Columns that a text takes: a wide letter takes two, a mark that sits on the letter before it none."""
    return len(text) if text.isascii() else cell_len(text)


def fitted(text: str, width: int) -> str:
    """A text cut or padded to so many columns; what is cut off is shown by `…`."""
    if cells(text) > width:
        text = set_cell_size(text, max(0, width - 1)) + "…"[:width]
    return set_cell_size(text, width)


def plain(rows: Iterable[Line]) -> str:
    """The text alone, for tests."""
    return "\n".join("".join(span.text for span in row) for row in rows)


def cut(row: Line, width: int) -> Line:
    """The line no longer than `width`; what is cut off is shown by `…`."""
    if width_of(row) <= width:
        return row
    if width <= 0:
        return ()
    out: list[Span] = []
    left = width - 1
    for span in row:
        if cells(span.text) >= left:
            out.append(span._replace(text=set_cell_size(span.text, left) + "…"))
            break
        out.append(span)
        left -= cells(span.text)
    return tuple(out)


def padded(row: Line, width: int, role: str = "text") -> Line:
    """The line exactly `width` columns long."""
    row = cut(row, width)
    missing = width - width_of(row)
    return (*row, Span(" " * missing, role)) if missing > 0 else row


def ends(left: Line, right: Line, width: int) -> Line:
    """`left` at the left edge and `right` at the right one; if they overlap, the left one is cut, with a gap."""
    room = width - width_of(right)
    if room <= 0:
        return cut(right, width)
    return (*padded(left if width_of(left) <= room else cut(left, room - 1), room), *right)


def beside(blocks: Sequence[tuple[Sequence[Line], int]], gap: int = 2) -> list[Line]:
    """Blocks of lines side by side, each in its width."""
    rows = itertools.zip_longest(*(block for block, _ in blocks), fillvalue=BLANK)
    out = []
    for row in rows:
        joined: list[Span] = []
        for index, (piece, (_, width)) in enumerate(zip(row, blocks, strict=True)):
            last = index == len(blocks) - 1
            joined += cut(piece, width) if last else (*padded(piece, width), Span(" " * gap))
        out.append(tuple(joined))
    return out


def wrapped(row: Line, width: int) -> list[Line]:
    """The line broken at spaces into lines of at most `width`; a longer word is cut."""
    lines: list[Line] = []
    now: list[Span] = []
    used = 0
    for span in row:
        for index, word in enumerate(span.text.split(" ")):
            joined = index == 0
            need = cells(word) + (0 if joined or not used else 1)
            if used + need > width and used and not (joined and not word):
                lines.append(tuple(now))
                now, used, joined = [], 0, True
            text = word if joined or not used else " " + word
            if text:
                text = text if cells(text) <= width else set_cell_size(text, max(0, width))
                now.append(span._replace(text=text))
                used += cells(text)
    if now:
        lines.append(tuple(now))
    return lines or [BLANK]


def labelled(label: Span, row: Line, width: int, indent: int) -> list[Line]:
    """A line behind its label, wrapped under itself."""
    rows = wrapped(row, max(1, width - indent))
    first = (label._replace(text=fitted(label.text, indent)), *rows[0])
    return [first, *((Span(" " * indent), *each) for each in rows[1:])]


def titled(title: str, rows: Iterable[Line], note: str = "") -> list[Line]:
    """A block under its title."""
    return [line((title, "quiet"), ("  " + note if note else "", "quiet")), *rows]


def headline(question: str, answer: ViewAnswer, width: int) -> list[Line]:
    """The head of every view: question, then the answer beside a bar in the colour of its role, then a blank."""
    rows = wrapped(line(*answer.parts), width - 3)
    return [
        line((question, "/quiet")),
        *(line(("▌ ", answer.role), *row) for row in rows),
        BLANK,
    ]
