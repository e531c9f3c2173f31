"""What a typed line becomes on the wire, and the settings as one line."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.gnss.facts_lost import facts_lost
from pale_heron.core.line.settings import (
    DELAY_RANGE_MS,
    ENDINGS_IN,
    ENDINGS_OUT,
    FLOWS,
    GAP_RANGE_MS,
    RATE_RANGE,
    LineSettings,
    parse_short_line,
    settings_details,
    settings_of,
    short_line,
)
from pale_heron.core.line.typed import CONTROLS, compose, line_end_of, with_line_ends

COMPOSED = {
    "AT": (b"AT\r\n", ""),
    "": (b"\r\n", ""),
    "<0x55><85>": (b"UU", "no line end behind bytes alone"),
    "$55 tx1": (b"$55 tx1\r\n", ""),
    "!help": (b"!help\r\n", ""),
    "$GP": (b"$GP\r\n", ""),
    "<0xB5 0x62 cr LF>x": (b"\xb5b\r\nx\r\n", ""),
    "a<ESC>b": (b"a\x1bb\r\n", ""),
    "1 << 2": (b"1 < 2\r\n", ""),
    "<>": (b"\r\n", ""),
    "$PCURLEW,WHO": (b"$PCURLEW,WHO*36\r\n", "checksum 36 added"),
    "$PCURLEW,WHO*": (b"$PCURLEW,WHO*36\r\n", "checksum 36 added"),
    "$PCURLEW,WHO*36": (b"$PCURLEW,WHO*36\r\n", ""),
    "$PCURLEW,WHO*0D": (b"$PCURLEW,WHO*0D\r\n", "the checksum 0D is wrong, 36 would be right"),
}


@pytest.mark.parametrize(("text", "expected"), COMPOSED.items(), ids=COMPOSED.keys())
def test_typed_lines_become_bytes(text: str, expected: tuple[bytes, str]) -> None:
    assert compose(text, b"\r\n") == expected


@pytest.mark.parametrize(
    ("text", "words"),
    [("<0x1FF>", "not 0 to 255"), ("<-1>", "not 0 to 255"), ("<what>", "<what> is no byte"), ("a < b", "without its >"),
     ("é", "not ASCII"), ("<0x>", "no byte")],
)  # fmt: skip
def test_what_cannot_be_sent_is_told(text: str, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        compose(text, b"")


@given(st.binary(max_size=20))
def test_any_bytes_can_be_written_by_number_or_name(data: bytes) -> None:
    names = {code: name for name, code in CONTROLS.items()}
    assert compose("x" + "".join(f"<0x{byte:02x}>" for byte in data), b"").data == b"x" + data
    assert compose("x<" + " ".join(names.get(byte, str(byte)) for byte in data) + ">", b"").data == b"x" + data


@given(st.lists(st.binary(max_size=6).filter(lambda each: not {10, 13} & set(each)), min_size=2, max_size=6))
def test_line_ends_are_found_and_changed(lines: list[bytes]) -> None:
    for end in (b"\r", b"\n", b"\r\n"):
        data = end.join(lines)
        assert line_end_of(data) == end
        assert with_line_ends(data, b"\r\n") == b"\r\n".join(lines)
    assert line_end_of(b"a\rb\nc") is None
    assert line_end_of(b"a") is None


some_settings = st.builds(
    LineSettings,
    rate=st.integers(*RATE_RANGE),
    framing=st.from_regex(r"[5-8][NEOMS](1|1\.5|2)", fullmatch=True),
    flow=st.sampled_from(FLOWS),
    dtr=st.booleans(),
    rts=st.booleans(),
    ending_in=st.sampled_from(ENDINGS_IN),
    ending_out=st.sampled_from(list(ENDINGS_OUT)),
    gap_ms=st.integers(*GAP_RANGE_MS),
    echo=st.booleans(),
    char_delay_ms=st.integers(*DELAY_RANGE_MS),
    line_delay_ms=st.integers(*DELAY_RANGE_MS),
    listen_only=st.booleans(),
)


@given(some_settings)
def test_settings_come_back_from_their_short_line_and_from_an_event(settings: LineSettings) -> None:
    assert parse_short_line(short_line(settings)) == settings
    assert settings_of(settings_details(settings)) == settings


@pytest.mark.parametrize(
    ("text", "words"),
    [("9600,8N1,none,dtt=off", "did you mean 'dtr'"), ("fast", "rate: 'fast'"), ("9600,8N1,none,gap=1", "idle gap 1"),
     ("9600,8N1,none,dtr=maybe", "neither on nor off"), ("9600,8N1,none,none", "'none' is not a setting"),
     ("9600,8N1,none,colour=red", "there are rate"), ("9600,8N1,none,gap=²", "whole number")],
)  # fmt: skip
def test_wrong_short_lines_name_the_part(text: str, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        parse_short_line(text)


anything = st.one_of(st.text(), st.integers(), st.none(), st.floats(), st.lists(st.none()))


@given(st.dictionaries(st.sampled_from(["rate", "framing", "gap_ms", "dtr"]), anything))
def test_whatever_an_event_carries_is_settings_or_none(details: dict[str, object]) -> None:
    assert isinstance(settings_of(details), LineSettings | None)


def test_facts_vanish_with_their_only_sentence() -> None:
    heard = ["GNGGA", "GNRMC", "GPGSV", "GLGSV", "GNVTG"]
    assert "altitude" in facts_lost("GNGGA", heard)
    assert "latitude" not in facts_lost("GNGGA", heard)
    assert facts_lost("GNRMC", heard) == ["date", "valid or warning"]
    assert facts_lost("GNVTG", heard) == []
    assert facts_lost("GPGSV", heard) == [], "the other system's list still comes"
    assert "satellites in view" in facts_lost("GPGSV", ["GPGSV"])
