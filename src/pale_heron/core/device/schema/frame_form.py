r"""Frames without line ends: how the bytes of a module and the text of its commands and replies stand for each other.

[frame]
head = "A5"                # the bytes with which each begins, in hexadecimal
length = "u8"              # the number that says how long it is; where there is none, `size` does, in bytes
length-behind = 0          # so many bytes of the body stand before the length
counts = "rest"            # what it counts: the rest behind it, the body behind it, or all of the frame
length-plus = 0            # and so many more
check = "crc8"             # one of the checks by name, at the end
check-from = "head"        # where it begins: at the head, behind the head, or behind the length
tail = ""                  # bytes behind the check
[frame.out.read]
line = "read {register}"
body = "01 {register:u8}"
[frame.in.value]
line = ["{register} is {value}", "{state}"]    # one frame may tell several lines
body = "81 {register:u8} {value:u8} {state:u8}"
[frame.words.register]     # words that stand for numbers
power = 0x01

Numbers are u8 to u32, i8 to i32, f32, with `le` behind them where the low byte comes first; `hex4` is four bytes in
hexadecimal, `text8` eight of text; without a figure they take the rest.
"""

import re
import struct
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Final, NamedTuple

from pale_heron.core.device.schema.toml_table import TomlTable, is_name
from pale_heron.core.line.settings import nearest_words
from pale_heron.core.wire.frame_checks import CHECKS, FrameCheck

LONGEST: Final = 4096
REST, BODY, ALL = "rest", "body", "all"
COUNTS: Final = (REST, BODY, ALL)
HEAD, BEHIND_HEAD, BEHIND_LENGTH = "head", "behind-head", "behind-length"
CHECK_FROM: Final = (HEAD, BEHIND_HEAD, BEHIND_LENGTH)
HEX, TEXT, FLOAT = "hex", "text", "f"

_TYPE: Final = re.compile(r"(?P<number>[ui](?:8|16|24|32)|f32)(?P<low>le)?|(?P<bytes>hex|text)(?P<size>\d{1,3})?")
_PLACE: Final = re.compile(r"\{(?P<name>[a-z][a-z0-9_-]*):(?P<type>\w+)\}")
_NAMED: Final = re.compile(r"\{([a-z][a-z0-9_-]*)\}")


class Value(NamedTuple):
    """A value in the body: `kind` is u, i, f, hex or text, `size` in bytes, None for the rest."""

    name: str
    kind: str
    size: int | None
    low_first: bool = False

    def told(self, data: bytes, words: Mapping[int, str]) -> str:
        """The bytes as text."""
        if self.kind == HEX:
            return data.hex().upper()
        if self.kind == TEXT:
            return data.rstrip(b"\x00").decode("latin-1")
        if self.kind == FLOAT:
            return f"{struct.unpack('<f' if self.low_first else '>f', data)[0]:.7g}"
        number = int.from_bytes(data, "little" if self.low_first else "big", signed=self.kind == "i")
        return words.get(number, str(number))

    def sent(self, text: str, words: Mapping[str, int]) -> bytes:
        """The text as bytes. ValueError, in words, where it does not fit."""
        if self.kind in (HEX, TEXT):
            return self._whole(text)
        if self.kind == FLOAT:
            return struct.pack("<f" if self.low_first else ">f", float(text))
        try:
            number = words[text] if text in words else int(text, 0)
        except ValueError:
            known = f" nor one of {', '.join(words)}{nearest_words(text, words)}" if words else ""
            raise ValueError(f"{self.name}: {text!r} is neither a whole number{known}") from None
        bits = 8 * (self.size or 0)
        low, high = (-(1 << bits - 1), (1 << bits - 1) - 1) if self.kind == "i" else (0, (1 << bits) - 1)
        if not low <= number <= high:
            raise ValueError(f"{self.name}: {number} is not {low} to {high}")
        return number.to_bytes(self.size or 0, "little" if self.low_first else "big", signed=self.kind == "i")

    def _whole(self, text: str) -> bytes:
        try:
            data = bytes.fromhex(text) if self.kind == HEX else text.encode("latin-1")
        except ValueError:
            raise ValueError(f"{self.name}: {text!r} is not {'hexadecimal' if self.kind == HEX else 'text'}") from None
        if self.size is None:
            return data
        if len(data) > self.size or (self.kind == HEX and len(data) != self.size):
            raise ValueError(f"{self.name}: {len(data)} bytes, and it has {self.size}")
        return data.ljust(self.size, b"\x00")


@dataclass(frozen=True, slots=True)
class BodyForm:
    """One kind of frame: its lines, with `{name}` where a value stands, and its body, bytes and values in order."""

    name: str
    lines: tuple[str, ...]
    body: tuple[bytes | Value, ...]

    @property
    def values(self) -> list[Value]:
        return [part for part in self.body if isinstance(part, Value)]

    def told(self, body: bytes, words: Mapping[str, Mapping[str, int]]) -> list[str] | None:
        """The lines that a body stands for; None where it is not of this form."""
        at, found = 0, dict[str, str]()
        for part in self.body:
            size = len(part) if isinstance(part, bytes) else len(body) - at if part.size is None else part.size
            piece = body[at : at + size]
            if len(piece) != size or (isinstance(part, bytes) and piece != part):
                return None
            if isinstance(part, Value):
                found[part.name] = part.told(piece, {number: word for word, number in words.get(part.name, {}).items()})
            at += size
        if at != len(body):
            return None
        return [_NAMED.sub(lambda place: found.get(place[1], place[0]), line) for line in self.lines]

    def sent(self, line: str, words: Mapping[str, Mapping[str, int]]) -> bytes | None:
        """The body that a line stands for; None where it does not read so. ValueError where a value does not fit."""
        read = self._reading(self.lines[0]).fullmatch(line)
        if read is None:
            return None
        given = dict(zip(_NAMED.findall(self.lines[0]), read.groups(), strict=True))
        return b"".join(
            part if isinstance(part, bytes) else part.sent(given[part.name], words.get(part.name, {}))
            for part in self.body
        )

    def _reading(self, line: str) -> re.Pattern[str]:
        whole = {each.name for each in self.values if each.kind == TEXT}
        pieces = _NAMED.split(line)
        texts = [re.escape(piece) for piece in pieces[::2]]
        groups = [r"(.*)" if name in whole else r"(\S+)" for name in pieces[1::2]]
        return re.compile("".join(text + group for text, group in zip(texts, [*groups, ""], strict=True)), re.DOTALL)


class Cut(NamedTuple):
    """The first bytes of a stream: so many are a whole frame with this body, or none (`body` is None)."""

    size: int
    body: bytes | None


@dataclass(frozen=True, slots=True)
class FrameForm:
    """How frames are built, and what those in each direction stand for."""

    head: bytes = b""
    length: Value | None = None
    behind: int = 0
    counts: str = REST
    plus: int = 0
    size: int = 0
    check: FrameCheck | None = None
    check_from: str = HEAD
    tail: bytes = b""
    sends: Mapping[str, BodyForm] = field(default_factory=dict)
    says: Mapping[str, BodyForm] = field(default_factory=dict)
    words: Mapping[str, Mapping[str, int]] = field(default_factory=dict)

    @property
    def _around(self) -> int:
        """The bytes of a frame that are not body."""
        length = self.length.size or 0 if self.length else 0
        return len(self.head) + length + (self.check.size if self.check else 0) + len(self.tail)

    def _counted(self, body: int) -> int:
        """What the length says of a body of so many bytes."""
        fixed = self._around - len(self.head) - (self.length.size or 0 if self.length else 0)
        counted = {BODY: body - self.behind, REST: body - self.behind + fixed, ALL: body + self._around}
        return counted[self.counts] + self.plus

    def written(self, line: str) -> bytes:
        """The frame that a line stands for. ValueError, in words, where there is none."""
        for form in self.sends.values():
            body = form.sent(line, self.words)
            if body is not None:
                return self.framed(body)
        known = ", ".join(form.lines[0] for form in self.sends.values())
        raise ValueError(f"no frame reads so: there are {known}")

    def framed(self, body: bytes) -> bytes:
        """The whole frame around a body. ValueError where it is too long."""
        length = self.length.sent(str(self._counted(len(body))), {}) if self.length else b""
        start = len(self.head) + self.behind + len(length)
        data = self.head + body[: self.behind] + length + body[self.behind :]
        if self.size and len(data) + self._around - len(self.head) - len(length) != self.size:
            raise ValueError(f"a frame has {self.size} bytes, and this one would not")
        begin = {HEAD: 0, BEHIND_HEAD: len(self.head), BEHIND_LENGTH: start}[self.check_from]
        return data + (self.check.sent(data[begin:]) if self.check else b"") + self.tail

    def first(self, held: bytes) -> Cut | None:
        """What the first of some bytes are; None where more must come to tell."""
        at = held.find(self.head)
        if at < 0:
            kept = next((n for n in range(len(self.head) - 1, 0, -1) if held.endswith(self.head[:n])), 0)
            at = len(held) - kept
        if at:
            return Cut(at, None)
        place = len(self.head) + self.behind
        width = self.length.size or 0 if self.length else 0
        if len(held) < place + width:
            return None
        size = self.size
        if self.length is not None:
            told = int(self.length._replace(kind="u").told(held[place : place + width], {}))
            size = self._around + told - self._counted(0)
        if not self._around + self.behind <= size <= LONGEST:
            return Cut(1, None)
        if len(held) < size:
            return None
        last = size - len(self.tail) - (self.check.size if self.check else 0)
        body = held[len(self.head) : place] + held[place + width : last]
        return Cut(size, body) if self.framed(body) == held[:size] else Cut(1, None)

    def lines_said(self, body: bytes) -> list[str]:
        """What a body that came stands for."""
        return _told(self.says, body, self.words)

    def lines_sent(self, body: bytes) -> list[str]:
        """What a body that was sent stands for."""
        return _told(self.sends, body, self.words)[:1]


def _told(forms: Mapping[str, BodyForm], body: bytes, words: Mapping[str, Mapping[str, int]]) -> list[str]:
    told = (form.told(body, words) for form in forms.values())
    return next((lines for lines in told if lines is not None), [f"frame {body.hex(' ').upper()}"])


def read_frame_form(table: TomlTable) -> FrameForm | None:
    """The form as its table has it; None where there is no such table."""
    if table.empty:
        return None
    words = {name: dict(each.whole_numbers()) for name, each in table.tables("words")}
    sends, says = (dict(_bodies(table, way, one_line=way == "out")) for way in ("out", "in"))
    length = _value("length", table.text("length"))
    if table.text("length") and (length is None or length.kind != "u"):
        table.wrong("length", f"{table.text('length')!r} is not one of u8, u16, u24, u32, with le or without")
    size = int(table.number("size", 0, 1, LONGEST))
    if (length is None) == (size == 0):
        table.wrong("length", "a frame has either a length in it or a fixed size")
    check = table.one_of("check", CHECKS)
    form = FrameForm(
        head=_hex(table, "head"),
        length=length,
        behind=int(table.number("length-behind", 0, 0, 64)),
        counts=table.one_of("counts", COUNTS, REST),
        plus=int(table.number("length-plus", 0, -64, 64)),
        size=size,
        check=CHECKS.get(check),
        check_from=table.one_of("check-from", CHECK_FROM, HEAD),
        tail=_hex(table, "tail"),
        sends=sends,
        says=says,
        words=words,
    )
    if not sends and not says:
        table.wrong("out", "no frame is described: write [frame.out.NAME] and [frame.in.NAME]")
    if not form.head and form.check is None:
        table.wrong("head", "without a head or a check nothing tells where a frame begins")
    table.end()
    return form


def _hex(table: TomlTable, key: str) -> bytes:
    text = table.text(key)
    try:
        return bytes.fromhex(text)
    except ValueError:
        table.wrong(key, f"{text!r} is not bytes of two hexadecimal digits")
        return b""


def _bodies(table: TomlTable, way: str, *, one_line: bool) -> Iterator[tuple[str, BodyForm]]:
    for name, each in table.tables(way):
        if not is_name(name):
            each.wrong("line", f"{name!r} is not lower-case letters, digits and -")
        lines = each.texts("line")
        body = each.text("body", needed=True)
        parts = list(_parts(each, body))
        values = [part.name for part in parts if isinstance(part, Value)]
        told = [used for line in lines for used in _NAMED.findall(line)]
        if not lines or (one_line and len(lines) != 1):
            each.wrong("line", "one line is wanted" if one_line else "line is missing")
        for used in told:
            if used not in values:
                each.wrong("line", f"{{{used}}} is no value of the body{nearest_words(used, values)}")
        missing = [value for value in values if value not in told] if one_line else []
        if missing or (one_line and len(told) != len(set(told))):
            each.wrong("line", f"each value of the body stands in it once: {', '.join(values)}")
        open_ended = [part for part in parts[:-1] if isinstance(part, Value) and part.size is None]
        if open_ended:
            each.wrong("body", f"{{{open_ended[0].name}}} takes the rest, and something stands behind it")
        each.end()
        if lines:
            yield name, BodyForm(name, lines, tuple(parts))


def _parts(table: TomlTable, body: str) -> Iterator[bytes | Value]:
    """Bytes in hexadecimal, and `{name:type}`."""
    for piece in body.split():
        place = _PLACE.fullmatch(piece)
        value = _value(place["name"], place["type"]) if place else None
        if value is not None:
            yield value
            continue
        try:
            yield bytes.fromhex(piece)
        except ValueError:
            table.wrong("body", f"{piece!r} is neither bytes in hexadecimal nor a value, {{name:u8}}")


def _value(name: str, type_: str) -> Value | None:
    """A value by its type: `u16le`, `hex4`, `text`; None where there is no such type."""
    found = _TYPE.fullmatch(type_)
    if found is None:
        return None
    if number := found["number"]:
        return Value(name, number[0], int(number[1:]) // 8, found["low"] is not None)
    return Value(name, found["bytes"], int(found["size"]) if found["size"] else None)
