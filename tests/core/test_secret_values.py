"""Secrets are masked by what they are, however they are written and whoever speaks."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.bench.config.dialect_book import DialectBook
from pale_heron.bench.config.dialects import known_dialects
from pale_heron.core.device.dialogue.secret_values import (
    SecretScanner,
    SecretTables,
    secret_places,
    standard_secrets,
    starred_typing,
    values_of,
)
from pale_heron.core.frames import IN, OUT, SECOND, Chunk
from pale_heron.core.lane import Lane

KNOWN = SecretTables(known_dialects().values())

SPELLINGS = {
    'AT+CPIN="1414"': {"1414"},
    "AT+CPIN=2222": {"2222"},
    'at+cpin = "1414"': {"1414"},
    "AT+CPIN=12345678,4321": {"12345678", "4321"},
    'AT+CPIN="12345678", "4321"': {"12345678", "4321"},
    'AT+CLCK="SC",1,"1414"': {"1414"},
    "AT+CLCK=SC,0,1414,1": {"1414"},
    'AT+CPWD="SC","1414","2828"': {"1414", "2828"},
    'AT+CGAUTH=1,1,"marsh","reeds and water"': {"marsh", "reeds and water"},
    'AT+CMEE=2;+CPIN="1414";+CREG?': {"1414"},
    'AT+CPIN="14;14"': {"14;14"},
    '+CNUM: "own","+99905550142",145': {"+99905550142"},
    'AT+CPIN="1414': {"1414"},
    "AT+CPIN?": set(),
    "+CPIN: READY": set(),
    "AT+CLCK=?": set(),
    "AT+CSQ": set(),
    "": set(),
}


@pytest.mark.parametrize("text", SPELLINGS)
def test_a_standard_command_is_masked_however_it_is_written(text: str) -> None:
    assert standard_secrets(text) == SPELLINGS[text]


PROPRIETARY = {
    'AT+JOIN="saltmarsh","reeds and water"': "reeds and water",
    'AT+CIPHER="ebb at dawn"': "ebb at dawn",
    '+CIPHER: "ebb at dawn"': "ebb at dawn",
}


@pytest.mark.parametrize("text", PROPRIETARY)
def test_what_any_known_dialect_calls_a_secret_is_one(text: str) -> None:
    scanner = SecretScanner()
    assert scanner.take(text, KNOWN, sent=text.startswith("AT"))
    assert any(PROPRIETARY[text] in value or value in PROPRIETARY[text] for value in scanner.values), scanner.values
    assert not scanner.take(text, KNOWN, sent=True)


@pytest.mark.parametrize("line", ["AT", "ATI", "ATE0", "ATD5550142", "AT&W", "AT+CSQ"])
@pytest.mark.parametrize("sent", [True, False])
def test_a_command_is_not_taken_for_the_identity_that_some_module_answers_with(line: str, sent: bool) -> None:
    scanner = SecretScanner()
    assert not scanner.take(line, KNOWN, sent=sent), scanner.values


@pytest.mark.parametrize(
    "answer", ["356938035643809", "3569380356438097", '+CGSN: "3569380356438097"', "89999011234567890123"]
)
def test_an_identity_is_masked_to_its_last_digit(answer: str) -> None:
    scanner = SecretScanner()
    assert not scanner.take(answer, sent=False), "a number that nobody asked for is a number"
    scanner.take("AT+CGSN", sent=True)
    scanner.take("", sent=False)
    scanner.take(answer, sent=False)
    (value,) = scanner.values
    assert value in answer and not any(letter.isdigit() for letter in answer.replace(value, ""))


def test_a_lane_of_an_unknown_module_has_its_secrets() -> None:
    lane = Lane("hide", dialects=DialectBook())
    for at, (direction, data) in enumerate(
        [
            (OUT, b"AT+CPIN=2222\r"),
            (IN, b"\r\nOK\r\n"),
            (IN, b"log: pin 2222 taken\r\n"),
            (OUT, b'AT+CIPHER="ebb at dawn"\r'),
        ]
    ):
        lane.feed(Chunk("hide", direction, at * SECOND, data))
    assert lane.snapshot(9 * SECOND).secrets == {"2222", "ebb at dawn"}


@given(st.text(max_size=200))
def test_any_line_is_borne(text: str) -> None:
    scanner = SecretScanner()
    scanner.take(text, KNOWN, sent=True)
    scanner.take("AT+CPIN=" + text, KNOWN, sent=True)
    values_of(text)
    assert all(len(value) >= 3 for value in scanner.values)


@pytest.mark.parametrize("name", known_dialects())
@given(
    st.text(
        st.characters(min_codepoint=33, max_codepoint=126, exclude_characters='",;*\r\n '), min_size=1, max_size=20
    ),
    st.booleans(),
)
def test_what_is_typed_where_a_secret_belongs_is_starred_from_its_first_letter(
    name: str, secret: str, quoted: bool
) -> None:
    typed = f'"{secret}' if quoted else secret
    lines = [f"AT+CPIN={typed}", f'at+clck = "SC",1,{typed}', f"AT+CGAUTH=1,1,marsh,{typed}"]
    lines += [
        f"AT{command}={typed}" for command, places in secret_places(known_dialects()[name]).items() if 0 in places
    ]
    for line in lines:
        shown = starred_typing(known_dialects()[name], line)
        assert len(shown) == len(line) and shown.endswith("*" * len(secret))
        assert shown.startswith(line[: line.index("=")])
    assert starred_typing(None, f"AT+CSQ={secret}") == f"AT+CSQ={secret}"
