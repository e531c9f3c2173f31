"""The chosen line of Traffic: field by field, its bytes in the base asked for, and how far it is from another."""

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Final

from pale_heron.bench.decoded import decoded
from pale_heron.capture.writer import event_object
from pale_heron.core import figures
from pale_heron.core.frames import SECOND, Event, Frame, Kind, Status
from pale_heron.core.gnss.facts_lost import TELLING, facts_lost
from pale_heron.core.nmea.explain import ExplainedField, rows, title
from pale_heron.core.nmea.sentence import checksums
from pale_heron.core.runs import Entry
from pale_heron.core.utc import iso
from pale_heron.core.wire.rtcm3_messages import MessageField, message_fields
from pale_heron.core.wire.visible import beside_hex, safe_label, safe_text
from pale_heron.tui.painting.paint import BLANK, Line, Span, beside, cut, labelled, line, width_of, wrapped
from pale_heron.tui.views.traffic.event_words import event_line, event_words, value_words

TWO_COLUMNS = 90
"""From this width on the bytes stand beside the fields."""


@dataclass(frozen=True, slots=True)
class NumberBase:
    """How bytes are written: so many in a row, each so wide, its sign in front named in the title."""

    title: str
    tag: str
    a_row: int
    each: Callable[[int], str]


BASES: Final = {
    "hex": NumberBase("hexadecimal", "0x55", 8, lambda byte: f"{byte:02X}"),
    "decimal": NumberBase("decimal", "85", 6, lambda byte: f"{byte:>3}"),
    "binary": NumberBase("binary", "0b01010101", 3, lambda byte: f"{byte:08b}"),
    "text": NumberBase("text with control characters", "U", 24, lambda byte: safe_text(bytes([byte]))),
}
_VERDICTS = {
    Status.OK: ("whole", "reed"),
    Status.NO_CHECKSUM: ("no checksum", "amber"),
    Status.PARTIAL: ("a piece", "amber"),
}


@dataclass(frozen=True, slots=True)
class DetailInput:
    """What the page is painted from: the line, the types heard on its lane, the line it is compared with."""

    entry: Entry | None
    number: int = 0
    heard: Sequence[str] = field(default=())
    base: str = "hex"
    reference: Entry | None = None
    reference_number: int = 0


def paint(chosen: DetailInput, width: int, height: int = 0) -> list[Line]:
    """The chosen line, field by field, and its bytes; `height` 0 where there is no limit to it."""
    entry = chosen.entry
    if entry is None:
        return [line(("choose a line with up and down", "quiet"))]
    apart = _apart(chosen)
    if isinstance(entry, Event):
        fields = [row for name, value in entry.details.items() if value != "" for row in _detail(name, value)]
        lead = line((event_words(entry), "*text"), (f"  {safe_label(entry.lane)}", "heron"))
        return [cut(row, width) for row in (lead, *apart, BLANK, *fields)]
    base = BASES[chosen.base]
    if width >= TWO_COLUMNS and height:
        dump_width = min(width // 2, max(44, _dump_width(base)))
        left = width - dump_width - 3
        said = [*_said(entry, left, height - 2), *_facts_lost(entry, chosen.heard, left)]
        return [*_summary(entry, width), *apart, *beside([(said, left), (_dump(entry.data, base), dump_width)], gap=3)]
    said = [*_said(entry, width, 0), *_facts_lost(entry, chosen.heard, width)]
    return [*_summary(entry, width), *apart, BLANK, *said, BLANK, *_dump(entry.data, base)]


def _detail(name: str, value: object) -> list[Line]:
    """One detail of an event; each of several texts has a line of its own."""
    texts = value if isinstance(value, list) and value and all(isinstance(each, str) for each in value) else [value]
    labels = [name, *[""] * (len(texts) - 1)]
    return [
        line((f"{safe_label(label).replace('_', ' '):<18}", "quiet"), value_words(text))
        for label, text in zip(labels, texts, strict=True)
    ]


def copied(entry: Entry, form: str) -> str:
    """The line as `text`, `hex` or `json`."""
    if isinstance(entry, Event):
        if form == "json":
            return json.dumps({"time": iso(entry.time), **event_object(entry)}, ensure_ascii=False)
        lane = f" {safe_label(entry.lane)}:" if entry.lane else ""
        return f"{iso(entry.time)}{lane} {event_line(entry)}"
    if form == "json":
        return json.dumps(decoded(entry, timed=entry.time is not None), ensure_ascii=False)
    return entry.data.hex(" ") if form == "hex" else safe_text(entry.data.strip(b"\r\n"))


def _apart(chosen: DetailInput) -> list[Line]:
    """How far the line is from the one that it is compared with: time, lines, and bytes of the same stream."""
    entry, other = chosen.entry, chosen.reference
    if entry is None or other is None:
        return []
    words = [Span("from ◆: ", "heather")]
    if entry.time is not None and other.time is not None:
        seconds = (entry.time - other.time) / SECOND
        words.append(Span(f"{seconds:+.6f} s", "*text"))
    words.append(Span(f", {figures.several(abs(chosen.number - chosen.reference_number), 'line')}", "text"))
    if isinstance(entry, Frame) and isinstance(other, Frame):
        if (entry.lane, entry.direction) == (other.lane, other.direction):
            first, second = sorted((entry, other), key=lambda frame: frame.offset)
            between = max(0, second.offset - first.offset - len(first.data))
            words.append(Span(f", {figures.several(between, 'byte')} between them", "text"))
        else:
            words.append(Span(", bytes between: other lane or direction", "faint"))
    return [tuple(words)]


def _facts_lost(frame: Frame, heard: Sequence[str], width: int) -> list[Line]:
    """What nobody would know any more without this sentence."""
    if frame.kind is not Kind.NMEA or not heard or frame.type[-3:] not in TELLING:
        return []
    facts = facts_lost(frame.type, heard)
    words = ", ".join(facts) if facts else "nothing: other sentences carry the same"
    return wrapped(line(("would be lost without it  ", "quiet"), (words, "amber" if facts else "quiet")), width)


def _dump_width(base: NumberBase) -> int:
    wide = len(base.each(0))
    return 6 + base.a_row * (wide + (wide > 1)) + 1 + (base.a_row if wide > 1 else 0)


def _dump(data: bytes, base: NumberBase) -> list[Line]:
    """Offset, bytes in a base, and beside them as text; the base is shown by how 0x55 would stand there."""
    out = [line((f"      {base.title}, U is {base.tag}", "faint"))]
    for at in range(0, len(data), base.a_row):
        piece = data[at : at + base.a_row]
        wide = len(base.each(0))
        shown = (" " if wide > 1 else "").join(base.each(byte) for byte in piece)
        room = base.a_row * (wide + (wide > 1))
        beside_it = beside_hex(piece) if wide > 1 else ""
        out.append(line((f"{at:>4}  ", "faint"), (f"{shown:<{room}} ", "text"), (beside_it, "heron")))
    return out


def _summary(frame: Frame, width: int) -> list[Line]:
    """What it is, what it says in words, and what is wrong with it."""
    word, role = _VERDICTS.get(frame.status, ("damaged", "coral"))
    index = f"  {len(frame.data)} bytes at offset {figures.count(frame.offset)}"
    lead = line((frame.type, "*text"), (f"  {word}", role), (index, "quiet"))
    words = frame.reason or (title(frame.data) if frame.kind is Kind.NMEA else "")
    summary = line(("   " + words if words else "", role if frame.reason else "quiet"))
    together = (*lead, *summary)
    return [together] if width_of(together) <= width else [lead, *wrapped(summary, width)]


def _said(frame: Frame, width: int, height: int) -> list[Line]:
    """The fields of a sentence, in two columns where they are more than fit below each other."""
    if frame.kind is Kind.RTCM3:
        return _message(frame.data, width)
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


def _message(data: bytes, width: int) -> list[Line]:
    """What an RTCM 3 message says, one thing a line."""
    said = message_fields(data)
    if not said:
        return [line(("what this message says is not known here", "faint"))]
    room = min(44, max(len(each.label) for each in said)) + 2
    return [row for each in said for row in labelled(Span(each.label, "quiet"), _value(each), width, room)]


def _value(each: MessageField) -> Line:
    text = " ".join(each.value) if isinstance(each.value, list) else str(each.value)
    return line((safe_label(text) or figures.NONE, "text"), (f" {each.unit}" if each.unit else "", "quiet"))


def _fields(data: bytes, width: int) -> list[Line]:
    """One field a line: place, name, raw digits, value with its unit, meaning."""
    found = rows(data)
    name_width = min(30, max((len(row.name) for row in found), default=0))
    raw_width = min(15, max((len(row.raw) for row in found), default=0))
    return [shown for row in found for shown in _field(row, name_width, raw_width, width)]


def _field(row: ExplainedField, name_width: int, raw_width: int, width: int) -> list[Line]:
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
