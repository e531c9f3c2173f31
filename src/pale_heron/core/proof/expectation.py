"""An expectation, and how it stands: passed, failed, or not shown where the evidence is too thin."""

import math
from collections.abc import Sequence
from typing import Any, Final, NamedTuple

from pale_heron.core.line.settings import nearest_words
from pale_heron.core.proof.measured import Evident, Measured, Value
from pale_heron.core.proof.names import EXACT, measured, named, not_there

PASSED, FAILED, NOT_SHOWN = "passed", "failed", "not-shown"
CONDITIONS: Final = ("at_least", "at_most", "between", "equals", "one_of")
SHARE: Final = "0 to 1"
INTERVAL, POINT = "interval", "point"
CERTAINTIES: Final = (INTERVAL, POINT)
FIGURES: Final = 6
"""So many figures of a number are shown."""

SMALLEST: Final = 1e-7
"""Nothing here is measured so finely: what is less is a remainder of computing."""


class Expectation(NamedTuple):
    """`bounds` are the values of the condition: one, two of between, or as many as one_of has."""

    what: str
    that: str
    condition: str
    bounds: tuple[Value, ...]
    lane: str = ""
    trial: int = 0
    """Which trial, counted from 1; 0 for the last one."""
    samples: int = 1
    """Fewer show nothing."""
    part: str = ""
    """The measured part that it is about; empty for all of the record."""
    certainty: str = INTERVAL
    """Whether all of the interval of a figure must fulfil it, or the figure alone."""

    @property
    def place(self) -> str:
        """What it is about, where that is not all of the record: `curlew, trial 2, the far bank`; else empty."""
        trial = f"trial {self.trial}" if self.trial else ""
        return ", ".join(filter(None, (self.lane, trial, self.part)))

    @property
    def wanted(self) -> str:
        """`at most 60`."""
        shown = [written(each) for each in self.bounds]
        if self.condition == "between":
            return f"between {shown[0]} and {shown[1]}"
        if self.condition == "one_of":
            return f"one of {', '.join(shown)}"
        return f"{self.condition.replace('_', ' ')} {shown[0]}"


class Judged(NamedTuple):
    """An expectation with what was measured."""

    expectation: Expectation
    unit: str
    value: Value
    samples: int
    outcome: str
    interval: tuple[float, float] | None = None
    why: str = ""
    """Why nothing is known of it; empty where something is, or may be yet."""

    @property
    def words(self) -> str:
        """How it stands, in a line."""
        if self.value is None:
            return f"not known: {self.why}" if self.why else "nothing to say yet"
        found = f"{self._shown(self.value)}, of {self.samples}{self._range}"
        if self.outcome == NOT_SHOWN:
            enough = self.samples >= self.expectation.samples
            return f"{found}: more are wanted" if enough else f"{found}: {self.expectation.samples} are wanted"
        return found

    @property
    def _range(self) -> str:
        if self.expectation.certainty == POINT:
            return ", taken as it is"
        if self.interval is None:
            return ""
        low, high = (self._shown(each) if math.isfinite(each) else "" for each in self.interval)
        if not low and not high:
            return ", within no bounds yet"
        # The unit stands once, behind both.
        begin = low.removesuffix(" %").removesuffix(f" {self.unit}")
        return f" ({begin} to {high})" if low and high else f" ({low} or more)" if low else f" (up to {high})"

    def _shown(self, value: Value) -> str:
        """With as many digits as its interval leaves sure."""
        if isinstance(value, float) and self.interval is not None:
            value = _sure(value, (self.interval[1] - self.interval[0]) / 2)
        if self.unit == SHARE and isinstance(value, float):
            return _percent(value)
        return f"{written(value)} {self.unit}" if self.unit and self.unit != SHARE else written(value)


def _sure(value: float, half: float) -> float:
    """Two figures of what it is unsure by count; never rounded to all, or to nothing."""
    if not math.isfinite(half) or half <= 0:
        return value
    rounded = round(value, 1 - math.floor(math.log10(half)))
    return value if rounded in (0, 1) else rounded


def _percent(share: float) -> str:
    """With so many figures that what is not all, or not nothing, is never rounded to it."""
    text = f"{100 * share:.4g}"
    return f"{100 * share:.{FIGURES + 4}g} %" if text in ("100", "0") and share not in (0, 1) else f"{text} %"


def written(value: Value) -> str:
    """As people read it, and as TOML has it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if not isinstance(value, float):
        return str(value)
    if abs(value) < SMALLEST:
        return "0"
    return f"{value:.0f}" if abs(value) >= 10**FIGURES else f"{value:.{FIGURES}g}"


def judge(expectation: Expectation, known: Evident) -> Judged:
    """Hold it against what there is. Its name is one of the table."""
    row = named(expectation.that)
    assert row is not None, "names are looked at when a file is read"
    about = known.part(expectation.part) if expectation.part else known
    if about is None:
        parts = known.record.parts
        why = f"no measured part is called {expectation.part!r}{nearest_words(expectation.part, parts)}"
        return Judged(expectation, row[0].unit, None, 0, NOT_SHOWN, None, why)
    found = measured(*row, about, expectation.lane, expectation.trial)
    if found.value is None:
        why = not_there(*row, about, expectation.lane, expectation.trial)
        return Judged(expectation, row[0].unit, None, found.samples, NOT_SHOWN, None, why)
    if not _takes_an_interval(expectation, row[0].unit):
        found = found._replace(interval=None)
    return Judged(expectation, row[0].unit, found.value, found.samples, _outcome(expectation, found), found.interval)


def _takes_an_interval(expectation: Expectation, unit: str) -> bool:
    """Whether all of what may be so is meant: not where the figure itself is, or where none or all were to be so."""
    if expectation.certainty == POINT or expectation.condition in EXACT:
        return False
    low, high = _range(expectation)
    return unit != SHARE or not (high == 0 or low == 1)


def _outcome(expectation: Expectation, found: Measured) -> str:
    if found.value is None or found.samples < expectation.samples:
        return NOT_SHOWN
    if found.interval is not None:
        low, high = found.interval
        least, most = _range(expectation)
        return PASSED if least <= low and high <= most else FAILED if high < least or low > most else NOT_SHOWN
    if _holds(found.value, expectation):
        return PASSED
    return NOT_SHOWN if found.at_best is not None and _holds(found.at_best, expectation) else FAILED


def _holds(value: Value, expectation: Expectation) -> bool:
    bounds = expectation.bounds
    if expectation.condition in EXACT:
        return any(_same(value, each) for each in bounds)
    if isinstance(value, str | bool) or value is None:
        return False
    low, high = _range(expectation)
    return low <= value <= high


def _same(value: Value, wanted: Value) -> bool:
    """A number is not the truth of it, and a text not the number in it."""
    return isinstance(value, bool) is isinstance(wanted, bool) and value == wanted


def _range(expectation: Expectation) -> tuple[float, float]:
    numbers = [float(each) for each in expectation.bounds if isinstance(each, int | float)]
    if expectation.condition == "between":
        return numbers[0], numbers[1]
    return (numbers[0], float("inf")) if expectation.condition == "at_least" else (float("-inf"), numbers[0])


def _finite(interval: tuple[float, float] | None) -> list[float | None] | None:
    """An end that is open is null."""
    return None if interval is None else [each if math.isfinite(each) else None for each in interval]


def expectations_object(title: str, judged: Sequence[Judged]) -> dict[str, Any]:
    """As `expect --json` prints it."""
    counts = {outcome: sum(each.outcome == outcome for each in judged) for outcome in (PASSED, FAILED, NOT_SHOWN)}
    return {
        "title": title,
        "passed": counts[PASSED],
        "failed": counts[FAILED],
        "not_shown": counts[NOT_SHOWN],
        "expectations": [expectation_object(each) for each in judged],
    }


def expectation_object(judged: Judged) -> dict[str, Any]:
    """One of them."""
    expectation = judged.expectation
    return {
        "what": expectation.what,
        "lane": expectation.lane or None,
        "trial": expectation.trial or None,
        "part": expectation.part or None,
        "that": expectation.that,
        "value": judged.value,
        "unit": judged.unit,
        "samples": judged.samples,
        "interval_95": _finite(judged.interval),
        "certainty": expectation.certainty,
        "wanted": expectation.wanted,
        "outcome": judged.outcome,
        "why": judged.why or None,
    }
