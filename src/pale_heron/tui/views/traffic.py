"""Traffic: what is being said, by whom, when?"""

from pale_heron.bench.log import Entry
from pale_heron.bench.model import BenchSnapshot
from pale_heron.core.clock.utc import clock
from pale_heron.core.frames import Direction, Event, Frame, Kind, Status
from pale_heron.core.nmea.explain import Row, rows, title
from pale_heron.core.nmea.sentence import checksums
from pale_heron.core.wire import rtcm3
from pale_heron.core.wire.visible import safe_label, safe_text
from pale_heron.tui import figures
from pale_heron.tui.paint import BLANK, Line, Span, beside, cut, headline, line, padded, width_of, wrapped

QUESTION = "What is being said, by whom, when?"
HELP = (
    "Every frame of every lane in the order it came, on one clock: the time in UTC, the seconds since the line before, "
    "the lane, the direction (◂ in, ▸ out), the type, and the text. Control characters stand as their pictures, bytes "
    "that are no text in hexadecimal.",
    "✕ marks damage: a wrong checksum (with what was expected) or a form that is no sentence. ◦ marks a piece: a line "
    "that was begun before the start or ended by a pause.",
    "Space holds the list still; the record and all counters go on, and the number of new lines is shown. Up and down "
    "choose a line, which also holds; end goes back to the newest and follows.",
    "Beside the list stands the chosen line field by field, with its raw digits, values, units and meaning, and its "
    "bytes in hexadecimal beside the text.",
)
_LANE_WIDTH = 12
TWO_COLUMNS = 90
"""From this width on the bytes stand beside the fields."""

BYTES_A_ROW = 8
_VERDICTS = {
    Status.OK: ("whole", "reed"),
    Status.NO_CHECKSUM: ("no checksum", "amber"),
    Status.PARTIAL: ("a piece", "amber"),
}
_EVENT_WORDS = {
    "opened": "opened",
    "returned": "came back and was opened again",
    "lost": "lost",
    "refused": "cannot be opened",
    "closed": "closed",
    "skipped": "bytes were recorded but not decoded: decoding was too slow",
    "dropped": "bytes were dropped: the lane was faster than this machine",
    "mark": "mark",
    "clock-step": "the host's clock was set",
    "settings": "settings changed",
}
_EVENT_ROLES = {
    "lost": "coral",
    "skipped": "amber",
    "refused": "coral",
    "dropped": "coral",
    "mark": "heather",
    "clock-step": "amber",
}


def heading(lanes: int) -> Line:
    """Over the columns."""
    lane = f"{'lane':<{_LANE_WIDTH}}" if lanes > 1 else ""
    return line((f"  {'time':<13}{'Δ s':>8}  {lane}  {'type':<10}what", "faint"))


def row_of(entry: Entry | None, before: Entry | None, lanes: int, width: int, chosen: bool) -> Line:
    """One line of the list. `before` gives the difference in time."""
    ground = "@select" if chosen else ""
    if entry is None:
        return line(("  · no longer in memory; it is in the capture", f"faint{ground}"))
    apart = None
    if before is not None and before.time is not None and entry.time is not None:
        apart = entry.time - before.time
    stamp = figures.NONE if entry.time is None else clock(entry.time)
    name = f"{safe_label(entry.lane)[: _LANE_WIDTH - 1]:<{_LANE_WIDTH}}" if lanes > 1 else ""
    if isinstance(entry, Event):
        flag, kind, arrow, what, role = _event(entry)
    else:
        flag, kind, arrow, what, role = _frame(entry, width)
    row = line(
        (flag, f"coral{ground}" if flag == "✕ " else f"quiet{ground}"),
        (f"{stamp:<13}", f"text{ground}"),
        (f"{figures.difference(apart):>8}  ", f"faint{ground}"),
        (name, f"heron{ground}"),
        (arrow, f"amber{ground}" if arrow == "▸ " else f"faint{ground}"),
        (f"{kind:<10}", f"{role}{ground}"),
    )
    shown = cut((*row, *_with_ground(what, ground)), width)
    return padded(shown, width, f"text{ground}") if chosen else shown


def _with_ground(what: Line, ground: str) -> Line:
    return tuple(span._replace(role=span.role + ground) for span in what)


def _event(event: Event) -> tuple[str, str, str, Line, str]:
    role = _EVENT_ROLES.get(event.name, "tide")
    detail = event.details.get("text") or event.details.get("reason") or event.details.get("address") or ""
    words = _EVENT_WORDS.get(event.name, event.name)
    what = line((safe_label(words), role), (f"  {safe_label(str(detail))}" if detail else "", "quiet"))
    return "  ", "·", "  ", what, role


def _frame(frame: Frame, width: int) -> tuple[str, str, str, Line, str]:
    arrow = "▸ " if frame.direction is Direction.OUT else "◂ "
    if frame.bad:
        body = safe_text(frame.data.strip(b"\r\n")[:width])
        return "✕ ", frame.type, arrow, line((f"{frame.reason}  ", "coral"), (body, "quiet")), "coral"
    flag = "◦ " if frame.status is Status.PARTIAL else "  "
    if frame.kind is Kind.RTCM3:
        return flag, frame.type, arrow, line((f"{rtcm3.payload_length(frame.data)} bytes of payload", "quiet")), "tide"
    if frame.kind is Kind.BYTES:
        shown = frame.data[: max(8, width // 6)]
        return (
            flag,
            frame.type,
            arrow,
            line((shown.hex(" "), "amber"), (f"  {len(frame.data)} bytes", "faint")),
            "amber",
        )
    body = safe_text(frame.data.strip(b"\r\n")[: width + 8])
    role = "text" if frame.kind is Kind.NMEA else "heather"
    return flag, frame.type, arrow, line((body or "empty line", "text" if body else "faint")), role


def head(snapshot: BenchSnapshot, new: int | None, held_at: int | None, width: int) -> list[Line]:
    """Question and answer; `new` lines have come since the list is held."""
    lanes = snapshot.lanes
    bad = sum(lane.line.recent_damaged for lane in lanes)
    rates = [each.hz for lane in lanes for each in lane.line.types if each.hz]
    lines = sum(lane.line.recent_lines for lane in lanes)
    role = "coral" if bad else "reed" if rates else "amber"
    words = [
        Span(f"{figures.several(len(lanes), 'lane')}, "),
        Span(f"{sum(rates):.0f} lines a second", "*text"),
        Span(f" of {len(rates)} types. "),
        Span(
            f"{figures.several(bad, 'line')} damaged in the last minute."
            if bad
            else "None damaged in the last minute.",
            "coral" if bad else "text",
        ),
    ]
    if not lines:
        words = [Span("Nothing is being said: ", "*amber"), Span("no line in the last minute.")]
    elif not rates:
        words[1:3] = [Span(f"{figures.count(lines)} lines in the last minute. ", "*text")]
    if new is not None and held_at is not None:
        role = "amber"
        words.append(Span(f"  Held: {figures.count(new)} new since {clock(held_at, 0)}.", "*amber"))
    return headline(QUESTION, role, tuple(words), width)


def detail(entry: Entry | None, width: int, height: int) -> list[Line]:
    """The chosen line, field by field, and its bytes; `height` 0 where there is no limit to it."""
    if entry is None:
        return [line(("choose a line with up and down", "quiet"))]
    if isinstance(entry, Event):
        told = [
            line((f"{safe_label(name):<12}", "quiet"), safe_label(str(value))) for name, value in entry.details.items()
        ]
        lead = line((safe_label(entry.name), "*text"), (f"  {safe_label(entry.lane)}", "heron"))
        return [cut(row, width) for row in (lead, BLANK, *told)]
    if width >= TWO_COLUMNS:
        dump_width = 4 + 2 + 3 * BYTES_A_ROW + BYTES_A_ROW
        left = width - dump_width - 3
        said = _said(entry, left, height)
        return [*_summary(entry, width), *beside([(said, left), (_dump(entry.data), dump_width)], gap=3)]
    return [*_summary(entry, width), BLANK, *_said(entry, width, 0), BLANK, *_dump(entry.data)]


def _summary(frame: Frame, width: int) -> list[Line]:
    """What it is, what it says in words, and what is wrong with it."""
    word, role = _VERDICTS.get(frame.status, ("damaged", "coral"))
    place = f"  {len(frame.data)} bytes at offset {figures.count(frame.offset)}"
    lead = line((frame.type, "*text"), (f"  {word}", role), (place, "quiet"))
    words = frame.reason or (title(frame.data) if frame.kind is Kind.NMEA else "")
    told = line(("   " + words if words else "", role if frame.reason else "quiet"))
    together = (*lead, *told)
    return [together] if width_of(together) <= width else [lead, *wrapped(told, width)]


def _said(frame: Frame, width: int, height: int) -> list[Line]:
    """The fields of a sentence, in two columns where they are more than fit below each other."""
    if frame.kind is not Kind.NMEA:
        return [line(("no fields: these are bytes", "faint"))] if frame.kind is Kind.BYTES else []
    fields = _fields(frame.data, width)
    room = height - 2
    if len(fields) > room > 3 and width >= 76:
        half = width // 2 - 1
        fields = _fields(frame.data, half)
        middle = -(-len(fields) // 2)
        fields = beside([(fields[:middle], half), (fields[middle:], half)])
    return [*fields, *_checksum(frame.data)]


def _fields(data: bytes, width: int) -> list[Line]:
    """One field a line: place, name, raw digits, value with its unit, meaning."""
    found = rows(data)
    name_width = min(30, max((len(row.name) for row in found), default=0))
    raw_width = min(15, max((len(row.raw) for row in found), default=0))
    return [shown for row in found for shown in _field(row, name_width, raw_width, width)]


def _field(row: Row, name_width: int, raw_width: int, width: int) -> list[Line]:
    value = f"{row.value} {row.unit}".strip()
    same = value == row.raw and not row.meaning
    lead = line(
        (f"{row.number:>2} ", "faint"),
        (f"{row.name[:name_width]:<{name_width}} ", "quiet"),
        (f"{row.raw[:raw_width]:<{raw_width}} ", "faint" if same else "text"),
    )
    body = line((value, "text" if row.value != figures.NONE else "faint"))
    meaning = line(("  " + row.meaning if row.meaning else "", "heron" if row.value != figures.NONE else "faint"))
    if width_of((*lead, *body, *meaning)) <= width or not meaning:
        return [cut((*lead, *body, *meaning), width)]
    indent = width_of(lead) - 2
    return [cut((*lead, *body), width), cut((Span(" " * indent), *meaning), width)]


def _checksum(data: bytes) -> list[Line]:
    sums = checksums(data)
    if sums.found is None:
        return [line(("checksum ", "quiet"), ("none sent", "amber"), (f", would be {sums.expected}", "quiet"))]
    right = sums.found == sums.expected
    verdict = ("  right", "reed") if right else (f"  expected {sums.expected}", "coral")
    return [line(("checksum ", "quiet"), (sums.found, "text"), verdict)]


def _dump(data: bytes) -> list[Line]:
    """Offset, bytes in hexadecimal, and beside them as text."""
    out = []
    for at in range(0, len(data), BYTES_A_ROW):
        piece = data[at : at + BYTES_A_ROW]
        shown = piece.hex(" ").ljust(3 * BYTES_A_ROW)
        text = "".join(letter if letter.isascii() else "·" for letter in safe_text(piece))
        out.append(line((f"{at:>4}  ", "faint"), (shown, "text"), (text, "heron")))
    return out
