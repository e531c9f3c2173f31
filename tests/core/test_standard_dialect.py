"""The shipped dialects against the standards: what each section has a module say, and what it takes for a legal value.

Each case names standard and section: V = ITU-T V.250, 7 = 3GPP TS 27.007, 5 = 3GPP TS 27.005.
"""

import re
from pathlib import Path
from typing import Final

import pytest

from pale_heron.bench.config.dialects import known_dialects
from pale_heron.core.device.dialogue.exchanges import Exchange
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot, ModuleTracker
from pale_heron.core.frames import IN, OUT, Chunk

STANDARD: Final = known_dialects()["standard"]

REPLIES: Final[dict[str, tuple[str, str, dict[str, str]]]] = {
    # section and what is tried: what is sent, what comes back, words of readings and fields
    "7 8.5 the weakest": ("AT+CSQ", "+CSQ: 1,0", {"signal": "-111 dBm, hardly there"}),
    "7 8.5 unknown": ("AT+CSQ", "+CSQ: 99,99", {"signal": "unknown (99)", "bit_errors": "unknown (99)"}),
    "7 8.5 of TDD": ("AT+CSQ", "+CSQ: 145,3", {"signal_tdd": "-71 dBm, strong"}),
    "7 8.5 of TDD, unknown": ("AT+CSQ", "+CSQ: 199,99", {"signal_tdd": "unknown (199)"}),
    "7 8.69": ("AT+CESQ", "+CESQ: 99,99,255,255,20,56", {"quality_4g": "-10 dB", "level_4g": "-85 dBm"}),
    "7 8.69 with NR": (
        "AT+CESQ", "+CESQ: 99,99,255,255,255,255,40,90,60",
        {"level_5g": "-67 dBm", "quality_5g": "-23.5 dB", "noise_5g": "6.5 dB"},
    ),
    "7 7.2 short": ("AT+CREG?", "+CREG: 0,1", {"registration": "1, registered at home"}),
    "7 7.2 with cells": (
        "AT+CREG?", '+CREG: 2,5,"1A2B","01C3D4E5",7',
        {"registration": "5, registered, roaming", "area": "1A2B", "cell": "01C3D4E5", "access": "7, E-UTRAN"},
    ),
    "7 7.2 refused": (
        "AT+CREG?", "+CREG: 3,3,,,,0,11",
        {"registration": "3, refused", "cause_kind": "0, the standard", "cause": "11, this network is not allowed"},
    ),
    "7 7.2 messages alone": ("AT+CREG?", "+CREG: 0,6", {"registration": "6, registered at home, for messages alone"}),
    "7 7.2 ten": (
        "AT+CREG?", "+CREG: 0,10",
        {"registration": "10, registered, roaming, calls by the older network not preferred"},
    ),
    "7 10.1.22": (
        "AT+CEREG?", '+CEREG: 5,1,"00A1","0012F40B",9,,,"00100100","01000111"',
        {"packet_registration": "1, registered at home", "access": "9, E-UTRAN, NB-IoT", "active_time": "00100100"},
    ),
    "7 10.1.20": (
        "AT+CGREG?", '+CGREG: 2,1,"00A1","0012F40B",2,"0F"', {"access": "2, UTRAN", "routing_area": "0F"},
    ),
    "7 10.1.47": ("AT+C5GREG?", '+C5GREG: 2,1,"00A1","0012F40B",11,4,"01"', {"access": "11, NR on a 5G core"}),
    "7 7.3": ("AT+COPS?", '+COPS: 0,0,"Saltmarsh",7', {"operator": "Saltmarsh", "access": "7, E-UTRAN"}),
    "7 7.3 none": ("AT+COPS?", "+COPS: 2", {"operator_choice": "2, none"}),
    "7 8.3": ("AT+CPIN?", "+CPIN: PH-NET PIN", {"sim": "PH-NET PIN, the lock to a network wants its code"}),
    "7 8.2": ("AT+CFUN?", "+CFUN: 3", {"functionality": "3, its receiver is off"}),
    "7 8.1": ("AT+CPAS", "+CPAS: 4", {"activity": "4, a call goes on"}),
    "7 10.1.1": ("AT+CGDCONT?", '+CGDCONT: 1,"IP","marsh.example","10.0.0.9",0,0', {"access_point": "marsh.example"}),
    "7 10.1.10": ("AT+CGACT?", "+CGACT: 1,1", {"active": "1, yes"}),
    "7 10.1.14": ("AT+CGPADDR=1", '+CGPADDR: 1,"10.0.0.9"', {"address": "10.0.0.9"}),
    "7 7.38": ("AT+CPSMS?", '+CPSMS: 1,,,"01000111","00100100"', {"saving": "1, yes", "update_time": "01000111"}),
    "5 3.4.3 sent": (
        "AT+CMGR=3", '+CMGR: "STO UNSENT","+4912345",,145\r\nhello', {"message_status": "STO UNSENT, kept, not sent"},
    ),
    "5 4.2 packed": (
        "AT+CMGR=3", "+CMGR: 1,,26\r\n0791", {"message_status": "1, received, read", "packed_length": "26"},
    ),
    "5 4.1 packed": ("AT+CMGL=4", "+CMGL: 2,0,,26\r\n0791", {"message_status": "0, received, not read", "index": "2"}),
    "5 3.2.2": ('AT+CPMS="SM"', "+CPMS: 3,30,3,30,3,30", {"used": "3", "places": "30"}),
    "V 6.1.9": ("AT+GCAP", "+GCAP: +CGSM,+DS", {"abilities": "+CGSM,+DS"}),
    "V 6.2.11": ("AT+ICF?", "+ICF: 3,1", {"line_format": "3, 8 bits, 1 stop", "line_parity": "1, even"}),
    "V 6.3.10": ("ATS7?", "060", {"connect_wait": "060"}),
}  # fmt: skip


def told(sent: str, reply: str, *, payload: bytes = b"") -> tuple[Exchange, ModuleSnapshot]:
    tracker = ModuleTracker(STANDARD)
    tracker.feed(Chunk("m", OUT, 0, sent.encode() + b"\r"))
    if payload:
        tracker.feed(Chunk("m", IN, 1_000_000, b"\r\n> "))
        tracker.feed(Chunk("m", OUT, 2_000_000, payload + b"\x1a"))
    tracker.feed(Chunk("m", IN, 3_000_000, f"\r\n{reply}\r\n\r\nOK\r\n".encode()))
    shown = tracker.snapshot()
    exchange = shown.items[-1]
    assert isinstance(exchange, Exchange)
    return exchange, shown


@pytest.mark.parametrize("name", REPLIES)
def test_a_reply_means_what_the_section_says(name: str) -> None:
    sent, reply, words = REPLIES[name]
    exchange, shown = told(sent, reply)
    assert exchange.status == "ok" and all(each.command is not None for each in exchange.spoken)
    found = {key: STANDARD.field_of(key).in_words(raw) for key, raw in exchange.fields.items()}
    assert {key: found.get(key) for key in words} == words
    for reading, field in STANDARD.readings.items():
        if field.name in words:
            own = field.reading_of(exchange.fields)
            assert shown.readings[own].words == words[field.name], reading


NOTICES: Final[dict[str, tuple[str, str]]] = {
    "7 10.1.19": ("+CGEV: ME PDN ACT 1", "ME PDN ACT 1"),
    "7 7.15": ('+CUSD: 0,"balance 4",15', "service code"),
    "7 8.41": ('+CTZE: "+04",1,"2031/05/04,09:41:07"', "time zone"),
    "7 8.41 universal": ('+CTZEU: "+04",1,"2031/05/04,07:41:07"', "as UTC"),
    "7 6.11": ("+CRING: VOICE", "VOICE"),
    "7 7.12": ('+CCWA: "+4912345",145,1', "waits"),
    "7 8.10": ("+CIEV: 2,5", "Indicator 2 is now 5"),
    "5 3.4.1 text": ('+CMT: "+4912345",,"31/05/04,09:41:07+04",145,4,0,0,"+4900",145,5\r\nhello', "text"),
    "5 4.6 packed": ("+CMT: ,26\r\n0791", "packed"),
    "5 3.4.1 report": ('+CDS: 6,21,"+4912345",145,"31/05/04,09:41:07+04","31/05/04,09:41:09+04",0', "delivered"),
    "5 4.6 report, packed": ("+CDS: 25\r\n0791", "packed"),
    "5 3.4.1 broadcast": ("+CBM: 12,50,1,1,2\r\nfog", "page 1 of 2"),
    "5 4.6 broadcast, packed": ("+CBM: 88\r\n00", "packed"),
    "7 7.2 notice": ('+CREG: 1,"1A2B","01C3D4E5",7', "standing"),
    "7 10.1.22 notice": ('+CEREG: 5,"1A2B","01C3D4E5",9', "packet network"),
}


@pytest.mark.parametrize("name", NOTICES)
def test_a_notice_is_known_in_each_of_its_forms(name: str) -> None:
    line, words = NOTICES[name]
    tracker = ModuleTracker(STANDARD)
    tracker.feed(Chunk("m", IN, 0, f"\r\n{line}\r\n".encode()))
    (item,) = tracker.snapshot().items
    first = item.heard[0]  # type: ignore[union-attr]
    assert first.role == "notice", first
    assert words in STANDARD.notices[first.name].in_words(dict(first.fields))
    assert len(item.heard) == 1 + ("\r\n" in line), "what follows belongs to it"  # type: ignore[union-attr]


SENT: Final[dict[str, tuple[str, bool, str]]] = {
    # section: what is typed, whether its values are legal, what it risks
    "V 5.4.2.4 functions": ("AT+CFUN=?", True, ""),
    "V 5.4.2.4 delete": ("AT+CMGD=?", True, ""),
    "V 5.4.2.4 dcont": ("AT+CGDCONT=?", True, ""),
    "V 5.3.1 echo": ("ATE", True, ""),
    "V 5.3.1 results": ("ATV", True, ""),
    "V 5.3.2 rings": ("ATS0=", True, ""),
    "V 6.2.7": ("ATX4", True, ""),
    "V 6.2.7 beyond": ("ATX5", False, ""),
    "V 6.2.8": ("AT&C1", True, ""),
    "V 6.2.9": ("AT&D2", True, ""),
    "V 6.2.12": ("AT+IFC=3,2", True, "the line"),
    "V 6.2.12 the other way": ("AT+IFC=2,3", False, "the line"),
    "7 7.2": ("AT+CREG=3", True, ""),
    "7 7.2 beyond": ("AT+CREG=4", False, ""),
    "7 10.1.22": ("AT+CEREG=5", True, ""),
    "7 10.1.1": ('AT+CGDCONT=1,"IPV4V6","marsh.example"', True, ""),
    "7 10.1.10": ("AT+CGACT=1,1", True, ""),
    "7 7.3 names alone": ("AT+COPS=3,2", True, ""),
    "7 7.3 technology": ('AT+COPS=1,2,"00101",7', True, ""),
    "7 8.2": ("AT+CFUN=3", True, "restarts"),
    "7 8.41": ("AT+CTZR=3", True, ""),
    "7 5.5": ('AT+CSCS="HEX"', True, ""),
    "7 5.4": ("AT+CGSN=1", True, ""),
    "5 3.4.1": ("AT+CNMI=2,1,0,1,0", True, ""),
    "5 3.4.1 class 3": ("AT+CNMI=3,3", True, ""),
    "5 3.5.1 kind": ('AT+CMGS="+4912345",145', True, "money"),
    "5 4.3": ("AT+CMGS=23", True, "money"),
    "5 3.3.1": ('AT+CSCA="+4912345",145', True, ""),
    "5 4.1": ("AT+CMGL=4", True, ""),
    "5 3.4.2": ('AT+CMGL="STO UNSENT"', True, ""),
    "5 3.5.3": ("AT+CMGW=23", True, ""),
    "7 7.15": ('AT+CUSD=1,"*100#",15', True, "money"),
    "7 7.40": ('AT+CEDRXS=2,5,"1001"', True, ""),
}


@pytest.mark.parametrize("name", SENT)
def test_what_is_legal_and_what_it_risks(name: str) -> None:
    typed, legal, risk = SENT[name]
    (spoken,) = STANDARD.spoken(typed)
    assert spoken.command is not None, typed
    assert (spoken.wrong == "") is legal, spoken.wrong
    assert risk in spoken.risk and bool(risk) == bool(spoken.risk), spoken.risk


@pytest.mark.parametrize("typed", ["AT+CMGS=23", 'AT+CMGS="+4912345",145', "AT+CMGW=23"])
def test_a_message_is_given_at_its_prompt_in_every_form(typed: str) -> None:
    exchange, _ = told(typed, f"{typed[2:7]}: 7", payload=b"0011000B91")
    assert exchange.status == "ok" and exchange.spoken[0].command is not None
    assert exchange.spoken[0].command.prompts


def test_the_reply_of_several_belongs_to_the_one_that_can_say_it() -> None:
    """V.250, 5.2.1: commands of one line are answered in their order, and nobody is named Maker: 0."""
    exchange, shown = told("AT+FCLASS?;+GMI", "0\r\nHeron Works")
    assert "maker" not in exchange.fields and "maker" not in shown.readings
    exchange, _ = told("AT+CSQ;+CREG?", "+CSQ: 20,0\r\n+CREG: 0,1")
    assert (exchange.fields["signal"], exchange.fields["registration"]) == ("20", "1")
    exchange, _ = told("ATE0;+GMI", "Heron Works")
    assert exchange.fields["maker"] == "Heron Works", "what only sets says nothing"


@pytest.mark.parametrize(
    ("line", "reached"),
    [
        ("+CREG: 1", True),
        ("+CEREG: 5", True),
        ("+CGREG: 1", True),
        ("+C5GREG: 1", True),
        ("+CREG: 2", False),
        ("+CREG: 8", False),
    ],
)
def test_registered_is_reached_by_any_of_them(line: str, reached: bool) -> None:
    tracker = ModuleTracker(STANDARD)
    tracker.feed(Chunk("m", IN, 5, f"\r\n{line}\r\n".encode()))
    assert ("registered" in tracker.snapshot().milestones) is reached


def test_every_error_has_words_and_every_command_its_section() -> None:
    equipment, message = STANDARD.field_of("equipment_error").words, STANDARD.field_of("message_error").words
    for number in (*range(8), *range(10, 19), *range(20, 28), 30, 31, 32, *range(40, 64), 100):
        assert str(number) in equipment, f"27.007, 9.2.1: {number}"
    for number in (103, 106, 107, 111, 112, 113, 122, *range(126, 135), *range(140, 147), 148, 149, 150, 171):
        assert str(number) in equipment, f"27.007, 9.2.2: {number}"
    for number in (*range(300, 306), *range(310, 319), 320, 321, 322, 330, 331, 332, 340, 500):
        assert str(number) in message, f"27.005, 3.2.5: {number}"
    for command in STANDARD.commands.values():
        assert re.search(r"V\.250, \d|27\.00[57], \d|in no standard", command.source), command.name


@pytest.mark.parametrize("name", ["v250", "standard"])
def test_the_docs_list_every_command_with_its_section(name: str) -> None:
    text = (Path(__file__).parents[2] / "docs" / "commands.md").read_text("utf-8")
    before = known_dialects()["v250"].commands if name == "standard" else {}
    wanted = [
        "| "
        + ", ".join(f"`{text}`" for form in ("run", "query", "set", "test") for text in command.forms.get(form, ()))
        + f" | {command.meaning} | {command.source} |"
        for command in known_dialects()[name].commands.values()
        if command.name not in before
    ]
    listed = [
        row for row in text.partition(f"## `{name}`")[2].partition("\n## ")[0].splitlines() if row.startswith("| `")
    ]
    assert listed == wanted
