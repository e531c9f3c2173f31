"""A sentence taken apart: decode from bytes, encode to bytes."""

import re
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from pale_heron.core.nmea.sentences import LAYOUTS, Layout, SentenceColumn
from pale_heron.core.wire.checksum import xor8
from pale_heron.core.wire.visible import safe_text

_CHECKSUM = re.compile(r"\*([0-9A-Fa-f]{2})$")


class Sentence(NamedTuple):
    """Address and raw fields. `talker` is "P" for a proprietary one, whose `formatter` is the rest of the address."""

    talker: str
    formatter: str
    raw: list[str]

    @property
    def layout(self) -> Layout | None:
        """The table for this formatter; None where there is none."""
        found = None if self.talker == "P" else LAYOUTS.get(self.formatter)
        if found is not None and found.old is not None and len(self.raw) == len(found.old.columns):
            return found.old
        return found


class Checksums(NamedTuple):
    """Two hexadecimal digits each; `found` is None where the sentence has none."""

    expected: str
    found: str | None


def body(data: bytes) -> str:
    """The sentence without line ends and leading line ends, one character a byte."""
    return data.strip(b"\r\n").decode("latin-1")


def parse(data: bytes) -> Sentence:
    """Address and fields of a framed sentence of any status, without the checksum; nothing is checked."""
    text = body(data)
    star = text.rfind("*")
    fields = (text[1:star] if star > 0 else text[1:]).split(",")
    address = fields[0]
    if address[:1] == "P":
        return Sentence("P", address[1:], fields[1:])
    return Sentence(address[:-3], address[-3:], fields[1:])


def checksums(data: bytes) -> Checksums:
    """The checksum that the sentence should have, and the one that it has."""
    text = body(data)
    found = _CHECKSUM.search(text)
    covered = text[1 : found.start()] if found else text[1:].partition("*")[0]
    return Checksums(f"{xor8(covered.encode('latin-1')):02X}", found[1].upper() if found else None)


class Readings(NamedTuple):
    """What the fields of a sentence say, by their keys, and key and reason of each that cannot be read."""

    values: dict[str, Any]
    problems: list[tuple[str, str]]


def values(sentence: Sentence) -> dict[str, Any]:
    """The decoded fields by their keys. Empty, missing and unreadable fields are None (`problems` keeps them apart).

    Proprietary sentences and unknown formatters give their raw fields as text under "1", "2", ...
    """
    return readings(sentence).values


def problems(sentence: Sentence) -> list[tuple[str, str]]:
    """Key and reason of each field that holds something which cannot be read."""
    return readings(sentence).problems


def readings(sentence: Sentence) -> Readings:
    """Both at once; what stands in repeated groups has no problems of its own."""
    layout = sentence.layout
    if layout is None:
        return Readings({str(at): safe_text(raw.encode("latin-1")) for at, raw in enumerate(sentence.raw, 1)}, [])
    out: dict[str, Any] = {}
    unreadable: list[tuple[str, str]] = []
    raw = sentence.raw
    if len(raw) < layout.width:
        raw = [*raw, *[""] * (layout.width - len(raw))]
    for key, read, at in layout.places:
        try:
            out[key] = read(raw, at)
        except ValueError as problem:
            out[key] = None
            unreadable.append((key, str(problem)))
    at = layout.width
    if layout.group:
        out["satellites"], at = _groups(layout.group, raw, at)
        for column in layout.after_group:
            out[column.key] = _read(column, raw, at)
            at += 1
    return Readings(_safe(out), unreadable)


def _read(column: SentenceColumn, raw: Sequence[str], at: int) -> Any:
    try:
        return column.codec.read(raw, at) if at < len(raw) else None
    except ValueError:
        return None


def _groups(group: tuple[SentenceColumn, ...], raw: Sequence[str], at: int) -> tuple[list[dict[str, Any]], int]:
    """The repeated groups, those of empty places left out, and the place behind the last."""
    found, end = [], groups_end(len(group), len(raw), at)
    while at < end:
        if any(raw[at : at + len(group)]):
            found.append({column.key: _read(column, raw, at + index) for index, column in enumerate(group)})
        at += len(group)
    return found, at


def groups_end(width: int, size: int, at: int) -> int:
    """Behind the last group: one field that is left over stands behind the groups, several are a cut group."""
    whole, left = divmod(max(0, size - at), width)
    return at + width * (whole + (left > 1))


def _safe(out: dict[str, Any]) -> dict[str, Any]:
    """Text of the device made printable; numbers and known forms pass."""
    for key, value in out.items():
        if type(value) is str and not (value.isascii() and value.isprintable()):
            out[key] = safe_text(value.encode("latin-1"))
    return out


def encode(talker: str, formatter: str, fields: Mapping[str, Any]) -> bytes:
    """A whole sentence with checksum and line end from values under the keys of its table.

    A key that is missing is sent empty; fields at the end whose keys are missing altogether are left out, as earlier
    versions of the standard do. A tuple is taken as the raw fields themselves, for more decimals than are usual.
    Raises KeyError for an unknown formatter.
    """
    layout = LAYOUTS[formatter]
    given = [index for index, column in enumerate(layout.columns) if column.key in fields]
    raw: list[str] = []
    for column in layout.columns[: max(given, default=-1) + 1]:
        value = fields.get(column.key)
        if isinstance(value, tuple):
            raw += value
            continue
        raw += column.codec.write(value if value is not None or column.codec.width < 12 else [])
    for item in fields.get("satellites", ()) if layout.group else ():
        raw += [text for column in layout.group for text in column.codec.write(item.get(column.key))]
    for column in layout.after_group:
        if column.key in fields:
            raw += column.codec.write(fields[column.key])
    return sealed(",".join([talker + formatter, *raw]))


def sealed(text: str) -> bytes:
    """`text` (address and fields) as a sentence on the wire: `$`, checksum, CR LF."""
    covered = text.encode("latin-1")
    return b"$%s*%02X\r\n" % (covered, xor8(covered))
