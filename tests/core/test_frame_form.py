"""Frames without line ends: built and taken apart, their checks, and a stream of them with noise and damage."""

import random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.strangers import modules

from pale_heron.core.device.dialogue.framed import PAUSE_NS, FrameCutter, no_frame
from pale_heron.core.device.schema.frame_form import FrameForm, read_frame_form
from pale_heron.core.device.schema.toml_table import TableProblem, TomlTable
from pale_heron.core.frames import SECOND
from pale_heron.core.wire.frame_checks import CHECKS

DIGITS = b"123456789"
REGISTERS: dict[str, Any] = {
    "head": "A5", "length": "u8", "counts": "rest", "check": "crc8",
    "out": {
        "read": {"line": "read {register}", "body": "01 {register:u8}"},
        "write": {"line": "write {register} {value}", "body": "02 {register:u8} {value:u8}"},
    },
    "in": {
        "value": {
            "line": ["{register} is {value}", "{state}"], "body": "81 {register:u8} {value:u8} {state:u8}",
        },
    },
    "words": {"register": {"power": 1, "channel": 2}, "state": {"done": 0, "unknown": 1}},
}  # fmt: skip
SHAPES: list[dict[str, Any]] = [
    REGISTERS,
    {**REGISTERS, "length": "u16le", "counts": "body", "check": "fletcher16", "check-from": "behind-head"},
    {**REGISTERS, "length": "u16", "counts": "all", "check": "crc16-ccitt", "tail": "5A", "length-behind": 2},
    {**REGISTERS, "length": "u8", "length-plus": 3, "check": "crc32", "check-from": "behind-length", "head": "B5 62"},
]


def form_of(written: dict[str, Any]) -> FrameForm:
    problems: list[TableProblem] = []
    form = read_frame_form(TomlTable(written, ("frame",), problems))
    assert form is not None and not problems, problems
    return form


OF_DIGITS = {
    "xor8": 0x31, "sum8": 0xDD, "sum8-negative": 0x23, "sum16": 0x01DD, "fletcher16": 0xDD15, "crc8": 0xF4,
    "crc8-reflected": 0xA1, "crc16": 0xBB3D, "crc16-ones": 0x4B37, "crc16-ccitt": 0x29B1, "crc16-ccitt-zero": 0x31C3,
    "crc16-hdlc": 0x906E, "crc32": 0xCBF43926,
}  # fmt: skip
"""What is published of each check: its value of the nine digits."""


def test_checks_have_the_values_that_are_published() -> None:
    assert {name: check.of(DIGITS) for name, check in CHECKS.items()} == OF_DIGITS
    assert all(len(check.sent(DIGITS)) == check.size for check in CHECKS.values())


@pytest.mark.parametrize("shape", SHAPES)
@given(st.integers(0, 255), st.integers(0, 255))
def test_what_is_written_is_read_back(shape: dict[str, Any], register: int, value: int) -> None:
    form = form_of(shape)
    data = form.written(f"write {register} {value}")
    cut = form.first(data)
    assert cut is not None and cut.body is not None and cut.size == len(data)
    name = {1: "power", 2: "channel"}.get(register, str(register))
    assert form.lines_sent(cut.body) == [f"write {name} {value}"]
    assert form.written(f"write {name} {value}") == data
    assert all(form.first(data[:size]) is None for size in range(len(data))), "nothing is said before it is whole"


def test_a_frame_is_the_bytes_of_its_description() -> None:
    form = form_of(REGISTERS)
    assert form.written("read channel") == bytes((0xA5, 3, 1, 2, modules.crc8(b"\xa5\x03\x01\x02")))
    assert form.lines_said(bytes((0x81, 1, 0x20, 0))) == ["power is 32", "done"]
    assert form.lines_said(b"\x90\x01") == ["frame 90 01"]


VALUES: list[tuple[str, str, str]] = [
    ("{v:u16}", "258", "01 02"), ("{v:u16le}", "258", "02 01"), ("{v:i8}", "-2", "FE"), ("{v:i24le}", "-2", "FE FF FF"),
    ("{v:u32}", "0xFFFFFFFF", "FF FF FF FF"), ("{v:f32}", "-2.5", "C0 20 00 00"), ("{v:hex3}", "01abFF", "01 AB FF"),
    ("{v:hex}", "", ""), ("{v:text}", "low tide", "6C 6F 77 20 74 69 64 65"), ("{v:text4}", "ebb", "65 62 62 00"),
]  # fmt: skip


@pytest.mark.parametrize(("body", "text", "data"), VALUES)
def test_values_of_every_type(body: str, text: str, data: str) -> None:
    form = form_of({**REGISTERS, "out": {"set": {"line": "set {v}", "body": f"07 {body}"}}})
    if text:
        sent = form.first(form.written(f"set {text}"))
        assert sent is not None and sent.body == bytes.fromhex("07" + data)
    (line,) = form.lines_sent(bytes.fromhex("07" + data))
    shown = str(int(text, 0)) if text.startswith("0x") else text.upper() if "hex" in body else text
    assert line == f"set {shown}"


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("write power 300", "value: 300 is not 0 to 255"),
        ("write powr 3", "register: 'powr' is neither a whole number nor one of power, channel; did you mean 'power'"),
        ("erase all", "no frame reads so: there are read {register}, write {register} {value}"),
    ],
)
def test_what_cannot_be_written_is_told(line: str, words: str) -> None:
    with pytest.raises(ValueError, match="^" + words.replace("{", r"\{").replace("(", r"\(")):
        form_of(REGISTERS).written(line)


@pytest.mark.parametrize(
    ("change", "key", "words"),
    [
        ({"length": ""}, "length", "either a length in it or a fixed size"),
        ({"length": "f32"}, "length", "not one of u8"),
        ({"head": "A"}, "head", "two hexadecimal digits"),
        ({"head": "", "check": ""}, "head", "nothing tells where a frame begins"),
        ({"check": "crc9"}, "check", "did you mean 'crc8'"),
        ({"out": {"read": {"line": "read", "body": "01 {register:u8}"}}}, "line", "stands in it once: register"),
        ({"out": {"read": {"line": "read {reg}", "body": "01 {register:u8}"}}}, "line", "there are register"),
        ({"out": {"read": {"line": "r {a} {b}", "body": "{a:hex} {b:u8}"}}}, "body", "takes the rest"),
        ({"out": {"read": {"line": "r {a}", "body": "{a:u7}"}}}, "body", "nor a value"),
        ({"words": {"register": {"power": "one"}}}, "power", "a whole number is wanted"),
        ({"lenght": 1}, "lenght", "did you mean 'length'"),
    ],
)
def test_mistakes_are_told_with_their_place(change: dict[str, Any], key: str, words: str) -> None:
    problems: list[TableProblem] = []
    read_frame_form(TomlTable({**REGISTERS, **change}, ("frame",), problems))
    assert any(each.keys[-1] == key and words in each.words for each in problems), problems


@pytest.mark.parametrize("shape", SHAPES)
@given(st.integers(0, 1 << 32).map(random.Random))
def test_every_whole_frame_of_a_stream_is_found_and_damage_costs_its_own(
    shape: dict[str, Any], chance: random.Random
) -> None:
    """Frames with noise between them and some of them damaged, cut into any chunks, with pauses here and there."""
    form = form_of(shape)
    cutter, sent, found, noise, now = FrameCutter(form), list[bytes](), list[bytes](), 0, 0
    stream = list[tuple[bytes, bool]]()
    for _ in range(chance.randrange(1, 12)):
        body = form.written(f"write {chance.randrange(256)} {chance.randrange(256)}")
        kind = chance.random()
        if kind < 0.25:
            place = chance.randrange(len(body))
            body = body[:place] + bytes((body[place] ^ 1 << chance.randrange(8),)) + body[place + 1 :]
        elif kind < 0.5:
            stream.append((chance.randbytes(chance.randrange(1, 6)), False))
        if kind >= 0.25:
            sent.append(body)
        stream.append((body, chance.random() < 0.5))
    for data, pause in [*stream, (b"", True)]:
        while data:
            size = chance.randrange(1, len(data) + 1)
            piece, data = data[:size], data[size:]
            for whole, other, _ in cutter.feed(piece, now, 1000):
                found += [form.framed(whole)] if whole is not None else []
                noise += len(other)
            now += SECOND // 100
        now += PAUSE_NS if pause else 0
        for whole, other, _ in cutter.tick(now):
            found += [form.framed(whole)] if whole is not None else []
            noise += len(other)
    # By chance damage and noise may make up a frame, or hide one: no byte is lost or told twice in any case.
    assert noise + sum(map(len, found)) == sum(len(data) for data, _ in stream)
    assert len([each for each in sent if each in found]) >= len(sent) - (len(stream) - len(sent))


def test_a_good_frame_behind_half_a_one_is_heard_at_its_own_time() -> None:
    form = form_of(REGISTERS)
    whole = form.written("read power")
    cutter = FrameCutter(form)
    assert list(cutter.feed(b"\xa5\x40\x01", 0, 1000)) == []
    assert list(cutter.feed(whole, SECOND // 10, 1000)) == [], "it may belong to the long one still"
    told = list(cutter.tick(SECOND))
    assert [body for body, _, _ in told if body is not None] == [b"\x01\x01"]
    assert b"".join(noise for _, noise, _ in told) == b"\xa5\x40\x01"
    assert no_frame(bytes(40)).endswith("and 8 more")
