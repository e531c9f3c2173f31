"""Line: is anything arriving, and is it legible?"""

from typing import Final

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.frames import SECOND, Kind
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.diagnosis.stages import LaneOpening, StageStatus, first_missing, is_silent, legible_lately
from pale_heron.core.line.tracker import TypeCount
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting import figures
from pale_heron.tui.painting.paint import BLANK, Line, Span, beside, cut, headline, line, titled, wrapped
from pale_heron.tui.painting.shell import SHAPES, chart
from pale_heron.tui.views.line import port
from pale_heron.tui.views.table import VIEWS

QUESTION: Final = VIEWS["line"].question
HELP = (
    "The steps show how far the lane has come: open, bytes, readable, valid, fix. The first one that is not reached is "
    "the one to look at, and what to try next stands beside it.",
    "A type is what a frame is counted under: talker and formatter of a sentence, the number of an RTCM message, text, "
    "or bytes that are neither. Hz and bytes/s are those of the last minute; share is the share of all bytes.",
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


_HOW_MUCH: Final = ((0.99, "Yes: "), (0.9, "Nearly all of it: "), (0.5, "In part: "), (1e-9, "Hardly: "), (0.0, "No: "))
"""How the question is answered where so large a share is valid."""


def paint(snapshot: BenchSnapshot, lane: LaneSnapshot, width: int) -> list[Line]:
    """The whole view."""
    verdict, answer = answer_of(snapshot, lane)
    head = headline(QUESTION, verdict, answer, width)
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


def answer_of(snapshot: BenchSnapshot, lane: LaneSnapshot) -> tuple[str, Line]:
    """The role of the verdict, and the answer in a sentence or two."""
    tracked = lane.line
    if lane.opening in (LaneOpening.LOST, LaneOpening.REFUSED):
        return "coral", line(("No: ", "*coral"), f"{_lower(lane.open_error)}.", _kept(lane))
    if lane.listening and not lane.client:
        words = f"give the far side {lane.listening[0]} to connect to."
        return "amber", line(("Nobody is connected: ", "*amber"), words, _kept(lane))
    if not tracked.bytes_in:
        waited = figures.duration((snapshot.now - (lane.opened or snapshot.began)) / SECOND)
        return "amber", line(("Nothing yet: ", "*amber"), f"0 bytes in {waited} since the lane was opened.")
    if tracked.only_blocks:
        passed = f"{figures.size(tracked.bulk_bytes)} so far; Link counts what became of them."
        return "reed", line(("Blocks of a trial, and nothing else: ", "*reed"), passed)
    if lane.module is None and is_silent(tracked, snapshot.now) and snapshot.replay is None:
        age = figures.duration((snapshot.now - (tracked.last_byte or 0)) / SECOND)
        if lane.asked_only:
            return _asked(lane, age)
        return "coral", line(("Not any more: ", "*coral"), f"silent for {age}, after {figures.size(tracked.bytes_in)}.")
    if not tracked.framed_bytes:
        received = f"{figures.size(tracked.bytes_in)} so far."
        return "amber", line(("Bytes arrive, but no line has ended yet: ", "*amber"), received)
    step = first_missing(lane.steps)
    if step is not None and step.step == "readable":
        share, count = legible_lately(tracked)
        legible = figures.share(share)
        role = "coral" if step.state is StageStatus.BROKEN else "amber"
        what = (
            "Bytes arrive, but they are not legible: "
            if role == "coral"
            else "Too few bytes to say whether they are legible: "
        )
        return role, line(
            (what, f"*{role}"),
            f"{legible} of the last {figures.count(count)} bytes are, at {lane.settings or '–'}.",
        )
    checked = tracked.recent_valid + tracked.recent_damaged
    if not checked and tracked.recent_unchecked and tracked.never_checked:
        came = figures.several(tracked.recent_unchecked, "sentence")
        words = f"{came} in the last minute, none with a checksum: whether a byte is wrong nobody can tell."
        return "amber", line(("Sentences, unchecked: ", "*amber"), words)
    if not checked:
        return "amber", line(
            ("Legible, but no sentence: ", "*amber"),
            f"{figures.several(tracked.recent_lines, 'line')} in the last minute.",
        )
    good = tracked.recent_valid / checked
    role = "reed" if good > 0.99 else "amber" if good > 0.9 else "coral"
    word = next(word for least, word in _HOW_MUCH if good >= least)
    return role, line(
        (word, f"*{role}"),
        (figures.share(good, 1), "*text"),
        f" of {figures.several(checked, 'sentence')} in the last minute {'is' if checked == 1 else 'are'} valid",
        f" at {lane.settings}." if lane.settings else ".",
        *_load_words(lane),
    )


def _asked(lane: LaneSnapshot, age: str) -> tuple[str, Line]:
    """It is silent, and nothing is wrong with that."""
    said = lane.dialogue
    if said.at_login:
        return "amber", line(("A prompt waits to be answered: ", "*amber"), f"silent for {age}. : sends something.")
    what = f"{said.answered} of {figures.several(said.sent, 'line')} answered"
    what = what if said.answered else f"{figures.several(said.echoed, 'line')} came back as sent, nothing else"
    return "reed", line(("It speaks when it is asked: ", "*reed"), f"{what}, silent for {age} since.")


def _kept(lane: LaneSnapshot) -> str:
    """What there was before, where a lane is lost."""
    if lane.opening is not LaneOpening.LOST:
        return ""
    return f" The {figures.size(lane.line.bytes_in)} from before are kept; it is opened again when it is back."


def _lower(text: str) -> str:
    text = safe_label(text)
    return text[:1].lower() + text[1:] if text[1:2].islower() else text


def update_rate(lane: LaneSnapshot) -> float | None:
    """Epochs a second: the rate of the sentence that carries the position."""
    rates = [each.hz for each in lane.line.types if each.type[-3:] in ("GGA", "RMC", "GNS", "GLL") and each.hz]
    return max(rates, default=None)


def load_of(lane: LaneSnapshot) -> float | None:
    """Share of the line's capacity in the last seconds; None where the rate governs nothing."""
    if lane.settings is None or lane.settings.decorative or lane.line.bytes_per_s is None:
        return None
    recent = lane.line.activity[-10:]
    return sum(recent) / len(recent) / lane.settings.bytes_per_s if recent else None


def _load_words(lane: LaneSnapshot) -> list[Span]:
    load = load_of(lane)
    return [] if load is None else [Span(" The line is "), Span(figures.share(load), "*text"), Span(" full.")]


def _arrives(snapshot: BenchSnapshot, lane: LaneSnapshot, width: int) -> list[Line]:
    """The inventory."""
    rows = [line((f"{'type':<13}{'count':>8}{'Hz':>7}{'bytes/s':>9}{'share':>7}{'last':>8}{'bad':>6}", "faint"))]
    total = lane.line.bytes_in or 1
    # In the order of first arrival: any order by size would make the rows jump.
    ordered = sorted(lane.line.types, key=lambda each: each.kind is Kind.BYTES)
    rows += [_type_row(each, snapshot.now, total, width) for each in ordered]
    if not ordered:
        rows.append(line(("nothing so far", "quiet")))
    return titled("WHAT ARRIVES", rows, "rates of the last minute")


def _type_row(each: TypeCount, now: int, total: int, width: int) -> Line:
    age = None if each.last is None else (now - each.last) / SECOND
    late = age is not None and each.hz is not None and age > max(3.0, 3 / each.hz)
    size = figures.NONE if each.bytes_per_s is None else f"{each.bytes_per_s:.0f}"
    part = each.bytes / total
    role = "quiet" if late else "text"
    name = "unreadable" if each.kind is Kind.BYTES else each.type
    row = line(
        (f"{name:<13}", "amber" if each.kind is Kind.BYTES else role),
        (f"{figures.count(each.count):>8}{figures.hertz(each.hz):>7}{size:>9}{figures.share(part):>7}", role),
        (f"{figures.duration(age):>8}"[-8:], "amber" if late else "quiet"),
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
