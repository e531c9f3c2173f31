"""One table of a TOML file that people write: hands out its values, and notes what is wrong.

Reading never stops at the first mistake; each is reported with the keys where it stands.
"""

import re
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, Final, NamedTuple

from pale_heron.core.line.settings import did_you_mean, nearest_words
from pale_heron.core.patterns import Broken, Pattern

LARGEST: Final = 1e15
"""No number in a file is larger; inf and nan are none."""

PLACEHOLDER: Final = re.compile(r"\{([a-z][a-z0-9_-]*)\}")
"""Where a parameter stands in a text."""

is_name = re.compile(r"[a-z][a-z0-9_-]*").fullmatch


class TableProblem(NamedTuple):
    """What is wrong, and at which keys, from the outermost inwards."""

    keys: tuple[str, ...]
    words: str


class TomlTable:
    """One table of the file: hands out its values, notes what is wrong, and at the end what nobody asked for."""

    def __init__(self, given: Any, keys: tuple[str, ...], problems: list[TableProblem]) -> None:
        self._given = given if isinstance(given, Mapping) else {}
        self._keys = keys
        self._problems = problems
        self._known: dict[str, None] = {}
        if not isinstance(given, Mapping):
            problems.append(TableProblem(keys, "a table is wanted here"))

    def wrong(self, key: str, words: str) -> None:
        self._problems.append(TableProblem((*self._keys, key), words))

    def _take(self, key: str, kind: type | tuple[type, ...], words: str) -> Any:
        self._known[key] = None
        value = self._given.get(key)
        if value is None:
            return None
        if not isinstance(value, kind) or (isinstance(value, bool) and kind is not bool):
            self.wrong(key, f"{key} = {value!r}: {words} is wanted")
            return None
        return value

    def text(self, key: str, usual: str = "", *, needed: bool = False) -> str:
        value = self._take(key, str, "text in quotes")
        if needed and not value:
            self.wrong(key, f"{key} is missing")
        return usual if value is None else str(value)

    def flag(self, key: str) -> bool:
        return bool(self._take(key, bool, "true or false"))

    def limit(self, key: str) -> float | None:
        value = self._take(key, (int, float), "a number")
        if value is None or -LARGEST <= value <= LARGEST:
            return None if value is None else float(value)
        self.wrong(key, f"{key} is no number that anybody means: {LARGEST:g} is the largest")
        return None

    def number(self, key: str, usual: float, least: float, most: float) -> float:
        value = self.limit(key)
        if value is not None and not least <= value <= most:
            self.wrong(key, f"{key} = {value:g} is not {least:g} to {most:g}")
        return usual if value is None else value

    def pattern(self, key: str) -> str:
        value = self.text(key)
        self._compile(key, value)
        return value

    def patterns(self, key: str) -> tuple[str, ...]:
        found = self._take(key, list, "a list of texts") or []
        for each in found:
            if isinstance(each, str):
                self._compile(key, each)
            else:
                self.wrong(key, f"{each!r} is no text in quotes")
        return tuple(each for each in found if isinstance(each, str))

    def _compile(self, key: str, pattern: str) -> None:
        try:
            Pattern(PLACEHOLDER.sub("x", pattern))
        except Broken as problem:
            self.wrong(key, f"{pattern!r} is not a regular expression: {problem}")

    def choices(self, key: str) -> dict[str, str]:
        """What may be chosen, with what each means: of a list, or of a table."""
        found = self._take(key, (list, Mapping), "a list or a table") or {}
        if isinstance(found, Mapping):
            return {str(name): str(meaning) for name, meaning in found.items()}
        return {str(each): "" for each in found}

    def texts(self, key: str) -> tuple[str, ...]:
        """One text, or a list of them."""
        found = self._take(key, (str, list), "text in quotes, or a list of them") or []
        given = [found] if isinstance(found, str) else found
        for each in given:
            if not isinstance(each, str):
                self.wrong(key, f"{each!r} is no text in quotes")
        return tuple(each for each in given if isinstance(each, str))

    def compiled(self, key: str) -> tuple[Pattern[str], ...]:
        """Regular expressions: one, or a list of them."""
        found = []
        for each in self.texts(key):
            try:
                found.append(Pattern(each))
            except Broken as problem:
                self.wrong(key, f"{each!r} is not a regular expression: {problem}")
        return tuple(found)

    def grades(self, key: str) -> tuple[tuple[float, str], ...]:
        """Pairs of a figure and a word, from the largest figure down."""
        found = []
        for pair in self._take(key, list, "a list of [figure, word]") or []:
            match pair:
                case [int() | float() as least, str(word)]:
                    found.append((float(least), word))
                case _:
                    self.wrong(key, f"{pair!r} is not a pair of a figure and a word")
        if found != sorted(found, reverse=True):
            self.wrong(key, "the figures must go down")
        return tuple(found)

    def one_of(self, key: str, known: Iterable[str], usual: str = "") -> str:
        """A word that must be among the known ones."""
        return next(iter(self.some_of(key, known)), usual)

    def some_of(self, key: str, known: Iterable[str]) -> tuple[str, ...]:
        """Words of which each must be among the known ones."""
        names = dict.fromkeys(known)
        given = self.texts(key)
        for each in given:
            if each not in names:
                self.wrong(key, f"{each!r} is not one of {', '.join(names)}{did_you_mean(each, names)}")
        return tuple(each for each in given if each in names)

    def table(self, key: str) -> "TomlTable":
        self._known[key] = None
        return TomlTable(self._given.get(key, {}), (*self._keys, key), self._problems)

    def tables(self, key: str) -> Iterator[tuple[str, "TomlTable"]]:
        inner = self.table(key)
        for name in inner._given:
            inner._known[name] = None
            yield str(name), inner.table(name)

    @property
    def empty(self) -> bool:
        """Whether nothing stands in it."""
        return not self._given

    def whole_numbers(self) -> Iterator[tuple[str, int]]:
        """Its names, each with a whole number."""
        for name in self._given:
            number = self._take(str(name), int, "a whole number")
            if number is not None:
                yield str(name), number

    def has(self, key: str) -> bool:
        """Whether the key is there at all."""
        return key in self._given

    def values(self, key: str) -> Iterator[tuple[str, Any]]:
        """Names and whatever stands under them."""
        inner = self.table(key)
        for name, value in inner._given.items():
            yield str(name), value

    def rows(self, key: str) -> Iterator["TomlTable"]:
        """The tables of a list of tables, each known by its place from 1."""
        for place, given in enumerate(self._take(key, list, "a list of tables") or [], 1):
            yield TomlTable(given, (*self._keys, key, str(place)), self._problems)

    def end(self) -> None:
        """Note the keys that mean nothing."""
        for key in self._given:
            if key not in self._known:
                self.wrong(str(key), f"{key!r} is not a key here{nearest_words(str(key), self._known)}")
