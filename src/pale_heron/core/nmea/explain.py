"""A sentence in rows for a reader: number, name, raw digits, value, unit, meaning."""

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from pale_heron.core.nmea import degrees
from pale_heron.core.nmea.codecs import DATE, DAY_MONTH_YEAR, TIME
from pale_heron.core.nmea.sentence import Sentence, groups_end, parse
from pale_heron.core.nmea.sentences import ZONE, SentenceColumn
from pale_heron.core.nmea.systems import BY_ID, BY_TALKER, MODES_OF, SIGNALS, SYSTEMS, TALKERS
from pale_heron.core.wire.visible import safe_text

_PAIRS = {"latitude": "NS", "longitude": "EW"}


class ExplainedField(NamedTuple):
    """One value of a sentence. `number` is the place of its first raw field, counted from 1 as the standard does."""

    number: int
    name: str
    raw: str
    value: str
    unit: str
    meaning: str


def title(data: bytes) -> str:
    """What the sentence says, and for which satellite system."""
    sentence = parse(data)
    talker = TALKERS.get(sentence.talker, "")
    if sentence.talker == "P":
        return "proprietary sentence"
    known = sentence.layout.title if sentence.layout else "a sentence without a table here"
    return f"{known}; {talker}" if talker else known


def rows(data: bytes) -> list[ExplainedField]:
    """Every field of a framed sentence, in order; fields beyond the table are named so."""
    return list(_rows(parse(data)))


def _rows(sentence: Sentence) -> Iterator[ExplainedField]:
    """Signals are numbered in each system apart: by the talker, else by the system id that stands before them."""
    system = BY_TALKER.get(sentence.talker)
    for row in _plain_rows(sentence):
        if row.name == "satellite system" and row.value.isdecimal():
            system = BY_ID.get(int(row.value), system)
        if row.name == "signal" and row.value.isdecimal():
            words = SIGNALS.get(system or "", {}).get(int(row.value), "not in the table")
            yield row._replace(meaning="all of them" if row.value == "0" else words)
        else:
            yield row


def _plain_rows(sentence: Sentence) -> Iterator[ExplainedField]:
    layout, raw = sentence.layout, sentence.raw
    columns = layout.columns if layout else ()
    at = 0
    for column in columns:
        if at >= len(raw):
            yield ExplainedField(at + 1, column.label, "", "–", "", "not sent by this version")
        else:
            yield _row(column, raw, at)
        at += column.codec.width
    if layout and layout.group:
        end = groups_end(len(layout.group), len(raw), at)
        while at < end:
            for index, column in enumerate(layout.group):
                if at + index < len(raw):
                    yield _row(column, raw, at + index)
            at += len(layout.group)
        for column in layout.after_group:
            if at < len(raw):
                yield _row(column, raw, at)
                at += 1
    for index in range(at, len(raw)):
        text = _shown(raw[index])
        name = f"field {index + 1}" if layout is None else "beyond the table"
        yield ExplainedField(index + 1, name, text, text or "–", "", "" if text else "empty")


def _shown(raw: str) -> str:
    return safe_text(raw.encode("latin-1"))


def _row(column: SentenceColumn, raw: Sequence[str], at: int) -> ExplainedField:
    codec = column.codec
    own = [*raw[at : at + codec.width], *[""] * (at + codec.width - len(raw))]
    shown = " ".join(_shown(text) for text in own if text)
    try:
        value = codec.read(own, 0)
    except ValueError as problem:
        return ExplainedField(at + 1, column.label, shown, "–", "", f"cannot be read: {problem}")
    if value is None:
        return ExplainedField(at + 1, column.label, shown, "–", "", "empty")
    text, unit, meaning = _said(column, value)
    if column.key == ZONE:
        meaning = _zone(raw[at : at + 2])
    return ExplainedField(at + 1, column.label, shown, text, unit, meaning)


def _zone(raw: Sequence[str]) -> str:
    """The zone as people know it: ZDA gives what is added to local time to reach UTC (8.3.106)."""
    hours, minutes = raw[0], raw[1] if len(raw) > 1 and raw[1].lstrip("-").isdecimal() else "0"
    ahead = "+" if hours.startswith("-") else "−" if int(hours) or int(minutes) else "±"
    return f"local time is UTC{ahead}{abs(int(hours))}:{abs(int(minutes)):02d}"


def _said(column: SentenceColumn, value: Any) -> tuple[str, str, str]:
    """Value, unit and meaning of one decoded column."""
    codec = column.codec
    if column.key in _PAIRS:
        return degrees.decimal(value), "", degrees.degrees_minutes(value, _PAIRS[column.key])
    if codec is TIME or codec is DATE or codec is DAY_MONTH_YEAR:
        return str(value), column.unit, ""
    if column.key == "system_id":
        letter = BY_ID.get(value, "?")
        return str(value), "", SYSTEMS[letter].name if letter in SYSTEMS else "not in the table"
    if column.key == "modes":
        names = [SYSTEMS[letter].name for letter in MODES_OF]
        said = [codec.codes.get(mode, "unknown") for mode in value]
        return _shown(value), "", ", ".join(f"{name} {words}" for name, words in zip(names, said, strict=False))
    if codec.codes:
        return _shown(str(value)), "", codec.codes.get(str(value), "not in the table")
    if isinstance(value, list):
        return (
            " ".join("–" if item is None else str(item) for item in value) or "–",
            column.unit,
            f"{sum(item is not None for item in value)} given",
        )
    if isinstance(value, str):
        return _shown(value), column.unit, ""
    return str(value), column.unit, ""
