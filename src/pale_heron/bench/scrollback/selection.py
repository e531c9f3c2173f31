"""Which lines are shown: by lane, direction, type, trouble, and text."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Protocol

from pale_heron.core.frames import Direction, Event, Frame
from pale_heron.core.proof.marks import MARK
from pale_heron.core.runs import Entry, FrameRun

TROUBLE_EVENTS = frozenset(
    {"lost", "refused", "dropped", "skipped", "clock-step", "settings-refused", "not-sent", "not-recorded"}
)
EVENT_TYPE = "event"


def is_trouble(entry: Entry) -> bool:
    """Damaged, or an event that something went wrong."""
    return entry.name in TROUBLE_EVENTS if isinstance(entry, Event) else entry.bad


def is_mark(entry: Entry) -> bool:
    return isinstance(entry, Event) and entry.name == MARK


def type_of(entry: Entry) -> str:
    """What it is counted under in the list of types."""
    return EVENT_TYPE if isinstance(entry, Event) else entry.type


class TextMatcher(Protocol):
    """Whether a line holds a text."""

    def __call__(self, entry: Entry) -> bool: ...

    def places(self, run: FrameRun) -> Sequence[int]:
        """Of which frames of a run that is true."""
        ...


class _Literal:
    def __init__(self, text: str) -> None:
        self._pattern = re.compile(re.escape(text.encode("utf-8")), re.IGNORECASE)
        self._spans_lines = "\r" in text or "\n" in text

    def __call__(self, entry: Entry) -> bool:
        return self._pattern.search(_bytes_of(entry)) is not None

    def places(self, run: FrameRun) -> Sequence[int]:
        return () if self._spans_lines else run.with_text(self._pattern)


class _Expression:
    def __init__(self, text: str) -> None:
        # Slow to load, and rarely asked for.
        from pale_heron.core.patterns import Broken, Pattern

        self._text = text
        try:
            self._pattern = Pattern(text[1:-1].encode("utf-8"), ignore_case=True)
        except Broken as problem:
            raise ValueError(f"the regular expression {text} is broken: {problem}") from None

    def __call__(self, entry: Entry) -> bool:
        found = self._pattern.search(_bytes_of(entry)) is not None
        if self._pattern.slow:
            raise PatternTooSlow(f"the regular expression {self._text} takes too long: write it more simply")
        return found

    def places(self, run: FrameRun) -> Sequence[int]:
        return [place for place, frame in enumerate(run) if self(frame)]


def text_matcher(text: str) -> TextMatcher:
    """Whether a line holds `text`, whatever their case; `/…/` is a regular expression, ValueError if broken.

    What it gives raises PatternTooSlow where an expression takes too long.
    """
    return _Expression(text) if is_expression(text) else _Literal(text)


def is_expression(text: str) -> bool:
    """Whether a text stands between two slashes."""
    return len(text) > 2 and text[0] == text[-1] == "/"


class PatternTooSlow(Exception):
    """A regular expression takes too long; says so in words."""


def _bytes_of(entry: Entry) -> bytes:
    if isinstance(entry, Event):
        return " ".join([entry.name, *map(str, entry.details.values())]).encode("utf-8", "replace")
    return entry.data.strip(b"\r\n")


@dataclass(frozen=True)
class Selection:
    """Empty sets hide nothing. Raises ValueError for a broken regular expression."""

    hidden_lanes: frozenset[str] = frozenset()
    hidden_types: frozenset[str] = frozenset()
    only_types: frozenset[str] | None = None
    """Where given, no other type is shown, also none that comes later."""
    direction: Direction | None = None
    trouble_only: bool = False
    text: str = ""
    _text: TextMatcher | None = field(init=False, default=None, compare=False, repr=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "_text", text_matcher(self.text) if self.text else None)

    @property
    def shows_all(self) -> bool:
        return self == Selection()

    def shows_type(self, kind: str) -> bool:
        """Whether lines of a type are shown, as far as that hangs on their type."""
        return kind not in self.hidden_types if self.only_types is None else kind in self.only_types

    def switched(self, kind: str) -> "Selection":
        """The same with a type shown that was not, or not shown that was."""
        if self.only_types is None:
            return replace(self, hidden_types=self.hidden_types ^ {kind})
        return replace(self, only_types=self.only_types ^ {kind})

    def matches(self, entry: Entry) -> bool:
        """Whether a line is shown."""
        if entry.lane in self.hidden_lanes or not self.shows_type(type_of(entry)):
            return False
        if self.direction is not None and isinstance(entry, Frame) and entry.direction is not self.direction:
            return False
        if self.trouble_only and not is_trouble(entry):
            return False
        return self._text is None or self._text(entry)

    def places(self, run: FrameRun) -> Sequence[int]:
        """Which frames of a run are shown: those that match, without making each."""
        if self.trouble_only or self.direction is Direction.OUT or run.lane in self.hidden_lanes:
            return ()
        shown = run.of_types(self.shows_type)
        if self._text is None or not shown:
            return shown
        found = self._text.places(run)
        return found if len(shown) == len(run) else sorted(set(shown).intersection(found))

    def words(self) -> str:
        """What is shown, in a few words."""
        parts = []
        if self.trouble_only:
            parts.append("trouble only")
        if self.direction is not None:
            parts.append("received only" if self.direction is Direction.IN else "sent only")
        if self.hidden_lanes:
            parts.append(f"without {', '.join(sorted(self.hidden_lanes))}")
        if self.only_types is not None:
            parts.append(f"only {', '.join(sorted(self.only_types)) or 'no type'}")
        elif self.hidden_types:
            parts.append(f"{len(self.hidden_types)} types hidden")
        if self.text:
            parts.append(f"with {self.text!r}")
        return ", ".join(parts) or "everything"
