"""How far a link reaches, in words."""

from typing import Final

from pale_heron.core.link.certainty import certainty
from pale_heron.core.link.findings import LinkFinding
from pale_heron.core.link.reach import RangeBin, RangeSnapshot, Strength
from pale_heron.core.link.trial_snapshot import TrialSnapshot

SOLID: Final = 0.1
"""A bin carries where at most this share is surely lost."""


def distance_words(metres: float) -> str:
    """A distance with the digits that count."""
    return f"{metres:.0f} m" if metres < 10_000 else f"{metres / 1000:.1f} km"


def bin_words(each: RangeBin) -> str:
    """From where to where."""
    if each.low_m is None or each.high_m is None:
        return "distance unknown"
    if each.high_m <= 10_000:
        return f"{each.low_m:.0f} to {each.high_m:.0f} m"
    return f"{each.low_m / 1000:g} to {each.high_m / 1000:g} km"


def strength_words(strength: Strength | None, unit: str = "") -> str:
    """Mean, and from where to where."""
    if strength is None:
        return "–"
    unit = f" {unit}" if unit else ""
    if strength.least == strength.most:
        return f"{strength.mean:.0f}{unit}"
    return f"{strength.mean:.0f}{unit} ({strength.least:.0f} to {strength.most:.0f})"


def range_words(found: RangeSnapshot, *, named: bool = True, placed: bool = True) -> str:
    """One sentence: how far something was delivered, and where it first failed; empty where nothing is known."""
    known = sum(each.settled for each in found.bins if each.low_m is not None)
    unknown = sum(each.settled for each in found.bins if each.low_m is None)
    if not placed:
        return ""
    if not known:
        return "How far away that was nobody knows: no position was heard." if unknown else ""
    parts = []
    if found.farthest_m is None:
        parts.append("nothing was delivered at a known distance")
    else:
        parts.append(f"delivered as far as {distance_words(found.farthest_m)}")
    if found.first_outage_m is not None:
        parts.append(f"the first two in a row were missed at {distance_words(found.first_outage_m)}")
    parts += [f"for {unknown} of {known + unknown} the distance is unknown"] if unknown else []
    text = "; ".join(parts)
    return f"{found.way}: {text}." if named else f"{text[0].upper()}{text[1:]}."


def range_findings(trial: TrialSnapshot) -> list[LinkFinding]:
    """Where the link begins to fail, where the bins show it."""
    found = []
    for each in trial.ranges:
        bins = [row for row in each.bins if row.low_m is not None and row.bad_95 is not None]
        failing = next((row for row in bins if row.bad_95 and row.bad_95[0] > SOLID), None)
        if failing is None:
            continue
        bad = failing.settled - failing.delivered
        found.append(
            LinkFinding(
                "range-limit",
                f"{each.way}: from {bin_words(failing)} on it fails: not delivered there is "
                f"{certainty(bad, failing.settled)}.",
                f"{failing.delivered} of {failing.settled} delivered at {bin_words(failing)}",
                "Was it the distance? Look at the strength there, at the map, and at what else happened then.",
            )
        )
    return found
