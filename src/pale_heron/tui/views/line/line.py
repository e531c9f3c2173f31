"""Line: is anything arriving, and is it legible?"""

from typing import Final

from pale_heron.answers.line import line_answer, load_of, update_rate
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND, Kind
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.diagnosis.stages import StageStatus, first_missing
from pale_heron.core.line.snapshot import TypeCount
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import BLANK, Line, Span, beside, cut, headline, line, titled, wrapped
from pale_heron.tui.painting.shell import SHAPES, chart
from pale_heron.tui.views.line import port
from pale_heron.tui.views.table import VIEWS

QUESTION: Final = VIEWS["line"].question
HELP = (
    "The steps show how far the lane has come: open, bytes, readable, valid, fix. The first one that is not reached is "
    "the one to look at, and what to try next stands beside it.",
    "A type is what a frame is counted under: talker and formatter of a sentence, the number of an RTCM message, text, "
    "or bytes that are neither. Hz, bytes/s and share are those of the last minute.",
    "How full the line is compares the bytes with the most that the rate carries. From about 90 % on, sentences queue "
    "up and come late. On a virtual port the rate governs nothing, so there is no such figure.",
    "Each cause under what to try next stands with its evidence; the most likely is first. s opens the settings of the "
    "lane, r tries one rate after the other and judges by what becomes legible.",
)
UPDATE_RATES = (2, 5, 10)
OTHER_RATES = (4800, 9600, 38400, 115200)
FULL, NEARLY_FULL = 0.95, 0.8
CHART_ROWS = 5
MOST_FINDINGS = 5
_STEP_WORDS = {
    "open": "the port is open",
    "bytes": "something arrives",
    "readable": "what arrives is legible text",
    "valid": "sentences have the right checksum",
    "fix": "the receiver knows where it is",
    "answering": "what is sent is answered",
    "blocks": "blocks of a trial of throughput",
}


def paint(snapshot: BenchSnapshot, lane: LaneSnapshot, width: int) -> list[Line]:
    """The whole view."""
    head = headline(QUESTION, line_answer(snapshot, lane), width)
    right_width = min(60, max(38, width * 2 // 5))
    trouble = bool(lane.findings)
    if width >= 100:
        left_width = width - right_width - 3
        left = [*_next(lane, left_width), BLANK] if trouble else []
        left += [*_arrives(snapshot, lane, left_width), BLANK, *_troubles(snapshot, lane, left_width)]
        right = [*_load(lane, right_width), BLANK, *_chain(lane), BLANK]
        right += [] if trouble else [*_next(lane, right_width), BLANK]
        right += [*port.paint(snapshot, lane, right_width), BLANK, *port.tried(lane, right_width)]
        return [*head, *beside([(left, left_width), (right, right_width)], gap=3)]
    return [
        *head,
        *([*_next(lane, width), BLANK] if trouble else []),
        *_arrives(snapshot, lane, width),
        BLANK,
        *beside([(_load(lane, width // 2 - 2), width // 2 - 2), (_chain(lane), width // 2)]),
        BLANK,
        *_troubles(snapshot, lane, width),
        BLANK,
        *port.paint(snapshot, lane, width),
        *port.tried(lane, width),
    ]


def _arrives(snapshot: BenchSnapshot, lane: LaneSnapshot, width: int) -> list[Line]:
    """The inventory."""
    rows = [line((f"{'type':<13}{'count':>8}{'Hz':>7}{'bytes/s':>9}{'share':>7}{'last':>8}{'bad':>6}", "faint"))]
    total = sum(each.bytes_per_s or 0.0 for each in lane.line.types) or 1.0
    # In the order of first arrival: any order by size would make the rows jump.
    ordered = sorted(lane.line.types, key=lambda each: each.kind is Kind.BYTES)
    rows += [_type_row(each, snapshot.now, total, width) for each in ordered]
    if not ordered:
        rows.append(line(("nothing so far", "quiet")))
    return titled("WHAT ARRIVES", rows, "rates of the last minute")


def _type_row(each: TypeCount, now: int, total: float, width: int) -> Line:
    age = None if each.last is None else (now - each.last) / SECOND
    late = age is not None and each.hz is not None and age > max(3.0, 3 / each.hz)
    size = figures.NONE if each.bytes_per_s is None else f"{each.bytes_per_s:.0f}"
    part = (each.bytes_per_s or 0.0) / total
    part_words = figures.NONE if each.bytes_per_s is None else figures.share(part)
    role = "quiet" if late else "text"
    name = "unreadable" if each.kind is Kind.BYTES else each.type
    row = line(
        (f"{name:<13}", "amber" if each.kind is Kind.BYTES else role),
        (f"{figures.count(each.count):>8}{figures.hertz(each.hz):>7}{size:>9}{part_words:>7}", role),
        (f"{figures.brief(age):>8}", "amber" if late else "quiet"),
        (f"{each.bad:>6}" if each.bad else f"{'0':>6}", "coral" if each.bad else "faint"),
    )
    room = width - 60
    return (
        (*row, Span("  "), Span("█" * round(part * room) if part * room >= 0.5 else "▏", "line")) if room > 6 else row
    )


def _load(lane: LaneSnapshot, width: int) -> list[Line]:
    """How full the line is, with a minute of seconds."""
    activity = lane.line.activity[-width:]
    capacity = lane.settings.bytes_per_s if lane.settings and not lane.settings.decorative else None
    rows: list[Line] = chart(activity, CHART_ROWS, width, capacity or 0.0) if any(activity) else []
    now = figures.rate(lane.line.bytes_per_s)
    if capacity is None:
        rows.append(line(now, ("  the rate is decorative here", "quiet")))
    else:
        load = load_of(lane)
        role = "coral" if load and load > FULL else "amber" if load and load > NEARLY_FULL else "text"
        rows.append(line((figures.share(load), f"*{role}"), f"  {now} of {capacity:.0f} B/s"))
    spoken = [value for value in activity if value]
    if spoken:
        words = f"busiest second {max(activity)} B, quietest {min(activity)} B"
        rows.append(line((words, "quiet")))
    hertz, load = update_rate(lane), load_of(lane)
    if hertz and load:
        forecast = [Span("at ", "quiet")]
        for wanted in UPDATE_RATES:
            times = load * wanted / hertz
            role = "coral" if times > 1 else "amber" if times > NEARLY_FULL else "reed"
            forecast += [Span(f"{wanted} Hz ", "quiet"), Span(figures.share(times), role), Span("   ")]
        rows.append(tuple(forecast))
    if capacity is not None and lane.line.bytes_per_s:
        rows.append(cut(_at_other_rates(lane), width))
    return titled("HOW FULL THE LINE IS", rows, "a second a column")


def _at_other_rates(lane: LaneSnapshot) -> Line:
    """How full the line would be with the same traffic at other rates."""
    settings, per_second = lane.settings, lane.line.bytes_per_s or 0.0
    assert settings is not None, "asked only where there is a rate"
    parts: list[Span] = [Span("at baud ", "quiet")]
    for rate in OTHER_RATES:
        if rate != settings.rate:
            share = per_second * settings.bits_per_byte / rate
            role = "coral" if share > 1 else "amber" if share > NEARLY_FULL else "reed"
            parts += [Span(f"{rate} ", "quiet"), Span(figures.share(share), role), Span("   ")]
    return tuple(parts)


def _chain(lane: LaneSnapshot) -> list[Line]:
    """The steps with what each of them means."""
    rows = []
    for step in lane.steps:
        shape, role = SHAPES[step.state]
        reached = step.state is StageStatus.REACHED
        rows.append(
            line(
                (f"{shape} ", role),
                (f"{step.step:<10}", "text" if reached else role),
                (_STEP_WORDS[step.step], "quiet"),
            )
        )
    return titled("STEPS", rows)


def _next(lane: LaneSnapshot, width: int) -> list[Line]:
    """The findings, most likely first: the cause, its evidence, and what to try."""
    rows: list[Line] = []
    for number, finding in enumerate(lane.findings[:MOST_FINDINGS], 1):
        rows += _hanging(f"{number}  ", "amber", finding.text, "*text", width)
        if finding.evidence:
            rows += _hanging("   ", "quiet", finding.evidence, "quiet", width)
        if finding.next:
            rows += _hanging("   → ", "heron", finding.next, "text", width)
    nothing = "nothing: all is as it should be" if first_missing(lane.steps) is None else "nothing found yet: listening"
    return titled("WHAT TO TRY NEXT", rows or [line((nothing, "quiet"))], "most likely first" if rows else "")


def _hanging(sign: str, sign_role: str, text: str, role: str, width: int) -> list[Line]:
    """Wrapped text behind a sign, its further lines below the first."""
    first, *others = wrapped(line((safe_label(text), role)), width - len(sign))
    indent = Span(" " * len(sign))
    return [line((sign, sign_role), *first), *(line(indent, *row) for row in others)]


def _troubles(snapshot: BenchSnapshot, lane: LaneSnapshot, width: int) -> list[Line]:
    """The last damaged frames, newest first."""
    rows = []
    for frame in reversed(lane.line.troubles):
        age = None if frame.time is None else (snapshot.now - frame.time) / SECOND
        trouble = line(
            (f"{frame.type:<13}", "text"), (f"{figures.age(age):>14}  ", "quiet"), (frame.reason or "", "coral")
        )
        rows.append(cut(trouble, width))
    return titled("LAST DAMAGE", rows or [line(("none so far", "quiet"))])
