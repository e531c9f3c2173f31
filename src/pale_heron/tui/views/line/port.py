"""Of Line: where the bytes come from, what the driver counted, and what other rates gave."""

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.rates import recommended
from pale_heron.core.line.settings import short_line
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import Line, cut, line, padded, titled


def paint(snapshot: BenchSnapshot, lane: LaneSnapshot, width: int) -> list[Line]:
    """The port, its settings, and how it has fared."""
    settings, errors = lane.settings, lane.errors
    opened = None if lane.opened is None else (snapshot.now - lane.opened) / SECOND
    runs = sum(each.count for each in lane.line.types if each.kind == "bytes")
    facts = [
        ("address", safe_label(lane.address) or figures.NONE),
        ("settings", short_line(settings) if settings else figures.NONE),
        ("opened", figures.age(opened)),
        ("reconnects", f"came back {figures.several(lane.returns, 'time')}" if lane.returns else "none"),
        ("bytes", f"{figures.count(lane.line.bytes_in)} in, {figures.count(lane.line.bytes_out)} out"),
        ("legible", f"{figures.share(lane.line.readable_share, 1)} of all bytes in"),
        ("unreadable", f"{figures.several(runs, 'run')}, {figures.several(lane.line.unreadable_bytes, 'byte')}"),
    ]
    if lane.listening:
        facts[1:1] = [
            ("waits at", ", ".join(lane.listening)),
            ("client", lane.client or "nobody is connected"),
        ]
    rows = [padded(line((f"{name:<11}", "quiet"), text), width) for name, text in facts]
    rows.append(line((f"{'driver':<11}", "quiet"), *_errors(errors)))
    if lane.skipped_bytes:
        skipped = f"{figures.size(lane.skipped_bytes)} recorded but not decoded: too slow"
        rows.append(line((f"{'skipped':<11}", "quiet"), (skipped, "amber")))
    if lane.dropped_bytes:
        rows.append(line((f"{'dropped':<11}", "quiet"), (f"{figures.size(lane.dropped_bytes)}: too fast", "coral")))
    if lane.settings_error:
        rows.append(cut(line((f"{'refused':<11}", "quiet"), (lane.settings_error, "coral")), width))
    return titled("THE PORT", rows)


def _errors(errors: object) -> Line:
    """The driver's own counters, those that are not zero."""
    if not isinstance(errors, tuple):
        return line(("counts no errors here", "quiet"))
    names = ("framing", "overrun", "parity", "break", "buffer")
    counted = [f"{count} {name}" for name, count in zip(names, errors, strict=True) if count]
    return line((", ".join(counted) + " errors", "amber")) if counted else line("no errors counted")


def tried(lane: LaneSnapshot, width: int) -> list[Line]:
    """What each rate gave when they were tried."""
    if not lane.tried:
        return []
    best = recommended(lane.tried)
    rows = []
    for result in lane.tried:
        mark = ("  ◂ best", "reed") if result == best else ("", "text")
        role = "text" if result.fits else "quiet"
        rows.append(
            cut(line((f"{result.rate:>8}", role), (f"{result.bytes:>8} bytes  {result.words}", role), mark), width)
        )
    return titled("RATES TRIED", rows)
