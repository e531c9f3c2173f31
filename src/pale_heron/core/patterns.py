"""Regular expressions that people write, matched within a limit.

Some expressions take for ever on some lines (`(a|a)*b` on a row of a), and what a device says is not ours to choose. An
expression that has taken too long is passed over from then on, and says so: nothing that anybody typed stops a lane or
a screen. The matching itself is done by the `regex` package, which has a time limit and reads the usual syntax.
"""

import re
from functools import lru_cache, partial
from time import thread_time
from typing import Any, AnyStr, Final, Generic

import regex

LIMITS_S: Final = (0.02, 0.2, 2.0)
"""For one text, one after the other: time in which the machine did something else does not count."""

WORKED_S: Final = 0.015
"""Time of this thread's own that is too much for one text."""

SPENT_S: Final = 0.25
FAIR_S: Final = 0.0005
"""An expression that has taken SPENT_S in all is too slow where it takes more than this for a text on average."""

DEEPEST: Final = 50
MOST_PARTS: Final = 100_000
"""Deeper nested, or written out longer, no expression is that anybody means; to compile such a one takes for ever."""

Match = regex.Match
Broken = regex.error
"""What is raised where an expression is broken."""


class Pattern(Generic[AnyStr]):
    """One expression. Raises Broken where it is not one."""

    __slots__ = ("_count", "_head", "_pattern", "_spent", "slow")

    def __init__(self, pattern: AnyStr, *, ignore_case: bool = False) -> None:
        _check_size(pattern if isinstance(pattern, str) else pattern.decode("latin-1"))
        self._pattern: Any = regex.compile(pattern, regex.IGNORECASE if ignore_case else 0)
        plain = not self._pattern.flags & (regex.IGNORECASE | regex.VERBOSE)
        self._head: AnyStr = _literal_head(pattern) if plain else pattern[:0]
        self._count = 0
        self._spent = 0.0
        self.slow = False
        """Whether it took too long, and matches nothing any more."""

    @property
    def pattern(self) -> AnyStr:
        """As it was written."""
        written: AnyStr = self._pattern.pattern
        return written

    @property
    def head(self) -> AnyStr:
        """What every text begins with that it matches as a whole, as far as that is easily seen."""
        return self._head

    @property
    def groupindex(self) -> dict[str, int]:
        """Its named groups."""
        return dict(self._pattern.groupindex)

    def fullmatch(self, text: AnyStr) -> "regex.Match[AnyStr] | None":
        """The match of the whole text; None where there is none, or it would take too long."""
        # Many times faster than matching: what a device says begins otherwise than most expressions.
        return self._within(self._pattern.fullmatch, text) if text.startswith(self._head) else None

    def search(self, text: AnyStr) -> "regex.Match[AnyStr] | None":
        """The first match in a text; None where there is none, or it would take too long."""
        return self._within(self._pattern.search, text)

    def every(self, text: AnyStr) -> "list[regex.Match[AnyStr]]":
        """All matches in a text, one behind the other; those behind one that takes too long are left out."""
        found, at = [], 0
        while (match := self._within(partial(self._pattern.search, pos=at), text)) is not None:
            found.append(match)
            at = max(match.end(), at + 1)
        return found

    def _within(self, match: Any, text: AnyStr) -> "regex.Match[AnyStr] | None":
        if self.slow:
            return None
        begin = thread_time()
        for patience in LIMITS_S:
            try:
                found: regex.Match[AnyStr] | None = match(text, timeout=patience)
            except TimeoutError:
                if thread_time() - begin >= WORKED_S:
                    self.slow = True
                    return None
                # The machine did other things meanwhile: that is no fault of the expression.
                continue
            self._count += 1
            self._spent += thread_time() - begin
            self.slow = self._spent > SPENT_S and self._spent > FAIR_S * self._count
            return found
        return None

    def __repr__(self) -> str:
        return f"Pattern({self.pattern!r})"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Pattern) and self._text == other._text

    def __hash__(self) -> int:
        return hash(self._text)

    @property
    def _text(self) -> tuple[AnyStr, int]:
        """What it is equal by. The library's own are equal only while it remembers that it has compiled them."""
        return self.pattern, self._pattern.flags

    def __reduce__(self) -> tuple[Any, ...]:
        return partial(Pattern, ignore_case=bool(self._pattern.flags & regex.IGNORECASE)), (self._pattern.pattern,)


_PIECE: Final = re.compile(
    r"(?P<open>\()|(?P<close>\))|\{(?P<least>\d*),?(?P<most>\d*)\}|\\.|\[\^?\]?(?:\\.|[^\]\\])*\]|.", re.DOTALL
)
"""A bracket, a count of repetitions, or one part: an escaped letter, a class, a letter."""


def _check_size(pattern: str) -> None:
    """Broken where an expression is nested too deep, or would be too long with all its repetitions written out."""
    sums, last = [0], 0
    for piece in _PIECE.finditer(pattern):
        if piece["open"]:
            sums.append(0)
            last = 0
        elif piece["close"]:
            last = max(1, sums.pop()) if len(sums) > 1 else 1
            sums[-1] += last
        elif piece["least"] is not None:
            times = int((piece["most"] or piece["least"] or "1")[:9])
            sums[-1] += last * (times - 1)
            last *= times
        else:
            last = 1
            sums[-1] += 1
        if len(sums) > DEEPEST or sums[-1] > MOST_PARTS:
            raise Broken("it is nested too deep, or repeats too often")


_LETTER = re.compile(r"(?:\\([^a-zA-Z0-9])|([^\\.^$*+?{}\[\]|()]))(?![*?{])", re.DOTALL)
"""A letter that stands for itself, and is not left out."""


def _literal_head(pattern: AnyStr) -> AnyStr:
    """What every text begins with that an expression matches as a whole; as far as that is easily seen."""
    written = pattern if isinstance(pattern, str) else pattern.decode("latin-1")
    head, at = "", 0
    while "|" not in written and (letter := _LETTER.match(written, at)):
        head += letter[1] or letter[2]
        at = letter.end()
    return head if isinstance(pattern, str) else head.encode("latin-1")


@lru_cache(maxsize=256)
def limited(pattern: str) -> Pattern[str]:
    """An expression that is put together again and again, the same object for the same text."""
    return Pattern(pattern)
