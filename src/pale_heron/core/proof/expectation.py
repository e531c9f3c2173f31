"""An expectation, and how it stands: passed, failed, or not shown where the evidence is too thin."""

from collections.abc import Sequence
from typing import Any, Final, NamedTuple

from pale_heron.core.proof.measured import NOTHING, Evident, Measured, Value
from pale_heron.core.proof.names import measured, named

PASSED, FAILED, NOT_SHOWN = "passed", "failed", "not-shown"
CONDITIONS: Final = ("at_least", "at_most", "between", "equals", "one_of")
SHARE: Final = "0 to 1"
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

    @property
    def words(self) -> str:
        """How it stands, in a line."""
        if self.value is None:
            return "nothing to say yet"
        unit = f" {self.unit}" if self.unit and self.unit != SHARE else ""
        value = _percent(self.value) if self.unit == SHARE and isinstance(self.value, float) else written(self.value)
        found = f"{value}{unit}, of {self.samples}"
        if self.outcome == NOT_SHOWN:
            enough = self.samples >= self.expectation.samples
            return f"{found}: more are wanted" if enough else f"{found}: {self.expectation.samples} are wanted"
        return found


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
    found = measured(*row, about, expectation.lane, expectation.trial) if about is not None else NOTHING
    return Judged(expectation, row[0].unit, found.value, found.samples, _outcome(expectation, found))


def _outcome(expectation: Expectation, found: Measured) -> str:
    if found.value is None or found.samples < expectation.samples:
        return NOT_SHOWN
    if _holds(found.value, expectation):
        return PASSED
    return NOT_SHOWN if found.at_best is not None and _holds(found.at_best, expectation) else FAILED


def _holds(value: Value, expectation: Expectation) -> bool:
    bounds = expectation.bounds
    if expectation.condition in ("equals", "one_of"):
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


def expectations_object(title: str, judged: Sequence[Judged]) -> dict[str, Any]:
    """As `expect --json` prints it."""
    counts = {outcome: sum(each.outcome == outcome for each in judged) for outcome in (PASSED, FAILED, NOT_SHOWN)}
    return {
        "title": title,
        "passed": counts[PASSED],
        "failed": counts[FAILED],
        "not_shown": counts[NOT_SHOWN],
        "expectations": [
            {
                "what": each.expectation.what,
                "lane": each.expectation.lane or None,
                "trial": each.expectation.trial or None,
                "part": each.expectation.part or None,
                "that": each.expectation.that,
                "value": each.value,
                "unit": each.unit,
                "samples": each.samples,
                "wanted": each.expectation.wanted,
                "outcome": each.outcome,
            }
            for each in judged
        ],
    }
