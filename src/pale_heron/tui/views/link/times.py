"""Latencies and round trips: their figures, and a histogram."""

from typing import Final

from pale_heron.core.samples import Times
from pale_heron.tui.painting.paint import Line, cut, line
from pale_heron.tui.painting.shell import bars

LABEL: Final = 18
LEAST_SHOWN: Final = 8
"""Fewer say nothing by their shape."""

LONGEST_TOLD: Final = "and longer"


def rows(label: str, times: Times | None, width: int, line_s: float | None = None) -> list[Line]:
    """Figures, and below them how often each time was seen. `line_s`: what of it a line takes by its rate."""
    if times is None:
        return [cut(line((f"{label:<{LABEL}}", "quiet"), ("–", "quiet")), width)]
    median, p95, most = (f"{1000 * value:.0f}" for value in (times.median, times.p95, times.most))
    words = f"half within {median} ms, 95 % within {p95} ms, longest {most} ms"
    own = f"; of that the line itself takes {1000 * line_s:.1f} ms" if line_s is not None else ""
    found = [cut(line((f"{label:<{LABEL}}", "quiet"), (words, "text"), (own, "quiet")), width)]
    shape = times.histogram
    if times.samples >= LEAST_SHOWN and len(shape.counts) > 1:
        low, high = (f"{1000 * value:.0f} ms" for value in (shape.low, shape.high))
        after = f" {high} {LONGEST_TOLD}" if shape.open_ended else f" {high}"
        spans = (
            (f"{low:>{LABEL - 1}} ", "faint"),
            (bars([float(each) for each in shape.counts]), "heron"),
            (after, "faint"),
        )
        found.append(cut(line(*spans), width))
    return found
