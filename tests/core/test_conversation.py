"""Exchanges: streams of every kind cut at every byte, notices put anywhere, and no stream that hangs the machine."""

from typing import NamedTuple

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.answers.module import module_answer
from pale_heron.bench.config.dialect_book import DialectBook
from pale_heron.bench.config.dialects import known_dialects, read_text
from pale_heron.core.device.dialogue.conversation import QUEUED, Conversation
from pale_heron.core.device.dialogue.exchanges import DataStretch, Exchange, Unsolicited
from pale_heron.core.device.dialogue.tracker import ModuleTracker
from pale_heron.core.device.dialogue.transcript import ITEMS_KEPT
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Direction, Event
from pale_heron.core.lane import Lane

STANDARD = known_dialects()["standard"]
COUNTED, _wrong = read_text(
    """name = "counted"
    extends = "standard"
    [command.tell]
    set = "AT+TELL={to},{length}"
    reply = '\\+TOLD: (?P<told>\\d+)'
    counted = "length"
    within-s = 10
    [command.tell.parameter.to]
    least = 1
    [command.tell.parameter.length]
    least = 1
    [command.fetch]
    run = "AT+FETCH"
    reply = '\\+FETCH: (?P<size>\\d+)'
    arrives = "size"
    [command.restart]
    run = "AT+RENEW"
    risk = ["restarts"]
    [notice.heard]
    line = '\\+HEARD: (?P<from>\\d+),(?P<size>\\d+)'
    arrives = "size"
    [notice.up]
    line = "UP"
    restarts = true
    """
)
assert not _wrong, _wrong
STEP_NS = 1_000_000

Wait = float
Steps = list[tuple[Direction, bytes] | Wait]


def talked(steps: Steps, dialect: Dialect = STANDARD, cut: int = 0) -> Conversation:
    """The machine after all steps; chunks of so many bytes (0: whole), a millisecond apart; numbers wait seconds."""
    conversation, time = Conversation(dialect), 0
    for step in steps:
        if isinstance(step, float):
            time += int(step * SECOND)
            conversation.tick(time)
            continue
        direction, data = step
        size = cut or len(data)
        for at in range(0, len(data), size):
            time += STEP_NS
            conversation.feed(Chunk("m", direction, time, data[at : at + size]))
    conversation.tick(time + SECOND // 10)
    return conversation


class Told(NamedTuple):
    """What must come out of an exchange."""

    sent: bytes
    status: str
    result: str
    code: str
    information: tuple[bytes, ...] = ()
    notices: tuple[bytes, ...] = ()
    echo: bool = False


def told(conversation: Conversation) -> list[Told]:
    return [
        Told(
            each.sent,
            each.status,
            each.result,
            each.code,
            tuple(heard.data for heard in each.information),
            tuple(heard.data for heard in each.notices),
            each.echo,
        )
        for each in conversation.items
        if isinstance(each, Exchange)
    ]


TABLE: list[tuple[str, Dialect, Steps, list[Told]]] = [
    ("words", STANDARD, [(OUT, b"AT\r"), (IN, b"\r\nOK\r\n")], [Told(b"AT", "ok", "OK", "OK")]),
    ("echo", STANDARD, [(OUT, b"AT\r"), (IN, b"AT\r\r\nOK\r\n")], [Told(b"AT", "ok", "OK", "OK", echo=True)]),
    ("lf alone", STANDARD, [(OUT, b"AT\n"), (IN, b"OK\n")], [Told(b"AT", "ok", "OK", "OK")]),
    ("refused", STANDARD, [(OUT, b"AT+NO\r"), (IN, b"\r\nERROR\r\n")], [Told(b"AT+NO", "error", "ERROR", "ERROR")]),
    (
        "numbered error",
        STANDARD,
        [(OUT, b"AT+CPIN?\r"), (IN, b"\r\n+CME ERROR: 10\r\n")],
        [Told(b"AT+CPIN?", "error", "+CME ERROR", "+CME ERROR: 10")],
    ),
    (
        "numeric results, and a number that is information",
        STANDARD,
        [
            (OUT, b"ATV0\r"),
            (IN, b"0\r"),
            0.2,
            (OUT, b"ATS3?\r"),
            (IN, b"13\r\n0\r"),
            0.2,
            (OUT, b"AT+X\r"),
            (IN, b"4\r"),
        ],
        [
            Told(b"ATV0", "ok", "OK", "0"),
            Told(b"ATS3?", "ok", "OK", "0", (b"13",)),
            Told(b"AT+X", "error", "ERROR", "4"),
        ],
    ),
    (
        "several commands on a line, a notice between",
        STANDARD,
        [(OUT, b"ATE0V1+CSQ;+CREG?\r"), (IN, b"\r\n+CSQ: 17,99\r\nRING\r\n+CREG: 0,5\r\n\r\nOK\r\n")],
        [Told(b"ATE0V1+CSQ;+CREG?", "ok", "OK", "OK", (b"+CSQ: 17,99", b"+CREG: 0,5"), (b"RING",))],
    ),
    (
        "a prompt, text, Ctrl-Z, echoed",
        STANDARD,
        [
            (OUT, b'AT+CMGS="+54"\r'),
            (IN, b"\r\n> "),
            (OUT, b"two\rlines\x1a"),
            (IN, b"two\r\n> lines\r\n+CMGS: 7\r\n\r\nOK\r\n"),
        ],
        [Told(b'AT+CMGS="+54"', "ok", "OK", "OK", (b"two", b"lines", b"+CMGS: 7"))],
    ),
    (
        "a prompt given up",
        STANDARD,
        [(OUT, b'AT+CMGS="+54"\r'), (IN, b"\r\n> "), (OUT, b"no\x1b"), (IN, b"\r\nOK\r\n")],
        [Told(b'AT+CMGS="+54"', "ok", "OK", "OK")],
    ),
    (
        "a prompt of a command that nobody described",
        STANDARD,
        [(OUT, b"AT+WHO=5\r"), (IN, b"\r\n> "), (OUT, b"text\x1a"), (IN, b"\r\nOK\r\n")],
        [Told(b"AT+WHO=5", "ok", "OK", "OK")],
    ),
    (
        "a payload counted in bytes, with CR and Ctrl-Z inside",
        COUNTED,
        [(OUT, b"AT+TELL=7,5\r"), (IN, b"\r\n>"), (OUT, b"A\r\x1aOK"), (IN, b"\r\n+TOLD: 5\r\nOK\r\n")],
        [Told(b"AT+TELL=7,5", "ok", "OK", "OK", (b"+TOLD: 5",))],
    ),
    (
        "bytes that arrive counted, whatever they look like",
        COUNTED,
        [(OUT, b"AT+FETCH\r"), (IN, b"\r\n+FETCH: 6\r\n\nOK\r\n!\r\nOK\r\n")],
        [Told(b"AT+FETCH", "ok", "OK", "OK", (b"+FETCH: 6", b"\nOK\r\n!"))],
    ),
    (
        "bytes that arrive unasked in the middle of a reply",
        COUNTED,
        [(OUT, b"AT+FETCH\r"), (IN, b"\r\n+HEARD: 7,4\r\nOK\r\n\r\n+FETCH: 2\r\nhi\r\nOK\r\n")],
        [Told(b"AT+FETCH", "ok", "OK", "OK", (b"+FETCH: 2", b"hi"), (b"+HEARD: 7,4",))],
    ),
    (
        "a message whose text reads OK",
        STANDARD,
        [(OUT, b"AT+CMGR=3\r"), (IN, b'\r\n+CMGR: "REC READ","+54",,"31/05/04"\r\nOK\r\n\r\nOK\r\n')],
        [Told(b"AT+CMGR=3", "ok", "OK", "OK", (b'+CMGR: "REC READ","+54",,"31/05/04"', b"OK"))],
    ),
    (
        "no answer in time, the next one answered, and the late one not taken for it",
        STANDARD,
        [(OUT, b"AT\r"), 1.5, (IN, b"\r\nOK\r\n"), (OUT, b"AT\r"), (IN, b"\r\nERROR\r\n")],
        [Told(b"AT", "no-answer", "", ""), Told(b"AT", "error", "ERROR", "ERROR")],
    ),
    (
        "a long command has its own limit",
        STANDARD,
        [(OUT, b"AT+COPS=?\r"), 60.0, (IN, b'\r\n+COPS: (2,"Marsh","M","99901")\r\n\r\nOK\r\n')],
        [Told(b"AT+COPS=?", "ok", "OK", "OK", (b'+COPS: (2,"Marsh","M","99901")',))],
    ),
    (
        "three sent at once, answered in order",
        STANDARD,
        [(OUT, b"AT\rAT+CSQ\rAT+X\r"), (IN, b"\r\nOK\r\n+CSQ: 3,99\r\n\r\nOK\r\n\r\nERROR\r\n")],
        [
            Told(b"AT", "ok", "OK", "OK"),
            Told(b"AT+CSQ", "ok", "OK", "OK", (b"+CSQ: 3,99",)),
            Told(b"AT+X", "error", "ERROR", "ERROR"),
        ],
    ),
    (
        "a restart that was asked for, and one that was not",
        COUNTED,
        [(OUT, b"AT+RENEW\r"), 0.5, (IN, b"\r\nUP\r\n"), (OUT, b"AT\r"), (IN, b"\r\nUP\r\n")],
        [Told(b"AT+RENEW", "ok", "restarted", "", (), (b"UP",)), Told(b"AT", "no-answer", "restarted", "", ())],
    ),
    (
        "sentences between are nobody's answer",
        STANDARD,
        [(OUT, b"AT\r"), (IN, b"$GNRMC,,V*00\r\n\r\nOK\r\n$GNGGA,*00\r\n")],
        [Told(b"AT", "ok", "OK", "OK")],
    ),
]


@pytest.mark.parametrize("cut", [0, 1, 2, 3, 7])
@pytest.mark.parametrize(("name", "dialect", "steps", "expected"), TABLE, ids=[row[0] for row in TABLE])
def test_streams(name: str, dialect: Dialect, steps: Steps, expected: list[Told], cut: int) -> None:
    found = told(talked(steps, dialect, cut))
    if "restart" in name:
        # The notice that tells of it stands behind the exchange that it ended.
        found = [each._replace(notices=want.notices) for each, want in zip(found, expected, strict=True)]
    assert found == expected


def test_what_comes_unasked_stands_apart_and_a_late_result_is_called_so() -> None:
    conversation = talked([(IN, b"\r\nRING\r\n\r\nWHAT\r\n"), (OUT, b"AT\r"), 1.5, (IN, b"\r\nOK\r\n")])
    unsolicited = [each for each in conversation.items if isinstance(each, Unsolicited)]
    assert [(each.heard[0].data, each.heard[0].name) for each in unsolicited] == [
        (b"RING", "ring"),
        (b"WHAT", ""),
        (b"OK", "late"),
    ]


@pytest.mark.parametrize("cut", [0, 1, 3])
def test_data_mode_its_bytes_and_the_way_back(cut: int) -> None:
    steps: Steps = [(OUT, b"ATD1\r"), (IN, b"\r\nCONNECT 9600\r\n")]
    steps += [1.0, (IN, b"OK\r\nfrom the vane\r\n"), (OUT, b"AT+CSQ\r"), 2.5, (OUT, b"a+++b"), 2.0]
    conversation = talked(steps, cut=cut)
    assert conversation.mode == "data"
    told = [(each.sent, each.to_far_end, each.status) for each in conversation.items if isinstance(each, Exchange)]
    assert told == [(b"ATD1", False, "ok"), (b"AT+CSQ", True, "no-answer")]
    steps += [(OUT, b"+++"), 1.0, (IN, b"\r\nOK\r\n"), (OUT, b"AT\r"), (IN, b"\r\nOK\r\n")]
    conversation = talked(steps, cut=cut)
    assert conversation.mode == "command"
    data = next(each for each in conversation.items if isinstance(each, DataStretch))
    assert (data.bytes_in >= 19, data.bytes_out) == (True, 15)
    statuses = [each.status for each in conversation.items if isinstance(each, Exchange)]
    assert statuses == ["ok", "no-answer", "ok", "ok"]
    assert talked([*steps[:2], (IN, b"x\r\nNO CARRIER\r\n")], cut=cut).mode == "command"


@pytest.mark.parametrize("line", [b"at noon?", b"Atlantic tide", b"attic 4", b"AT the pier"])
def test_what_is_told_to_the_far_end_is_no_command(line: bytes) -> None:
    steps: Steps = [(OUT, b"ATD1\r"), (IN, b"\r\nCONNECT 9600\r\n"), 1.0, (OUT, line + b"\r"), 0.5, (IN, b"OK\r\n")]
    conversation = talked(steps)
    assert conversation.mode == "data"
    assert [each.sent for each in conversation.items if isinstance(each, Exchange)] == [b"ATD1"]


def test_each_that_waits_has_its_whole_limit_when_its_turn_comes() -> None:
    conversation = talked([(OUT, b"AT\rAT+X\rAT\r"), 0.5])
    waits = [each.waits for each in conversation.items if isinstance(each, Exchange)]
    assert waits == ["the result", "its turn", "its turn"]
    conversation = talked([(OUT, b"AT\rAT+X\rAT\r"), 1.5, 4.0, 3.0, 0.5, (IN, b"OK\r\n")])
    ended = [each for each in conversation.items if isinstance(each, Exchange)]
    assert [each.meaning for each in ended] == ["no answer within 1 s", "no answer within 5 s", "no answer within 1 s"]
    assert [each.seconds for each in ended] == [None] * 3
    assert [each.waits for each in ended] == [""] * 3


def test_echo_and_words_are_noticed() -> None:
    conversation = talked([(OUT, b"AT\r"), (IN, b"AT\r\r\nOK\r\n")])
    assert (conversation.echo, conversation.words, conversation.mode) == (True, True, "command")
    conversation = talked([(OUT, b"ATE0V0\r"), (IN, b"ATE0V0\r0\r"), 0.2])
    assert (conversation.echo, conversation.words) == (False, False)


NOTICES = [
    b"\r\nRING\r\n",
    b'\r\n+CMTI: "SM",4\r\n',
    b"\r\n+CREG: 1\r\n",
    b'\r\n+CLIP: "+54",145\r\n',
    b"\r\n+CTZV: +32\r\n",
]
REPLIES = [
    (b"AT+CGMI\r", [b"\r\nMarsh\r\n", b"\r\nOK\r\n"]),
    (b"AT+CREG?\r", [b"\r\n+CREG: 2,5\r\n", b"\r\nOK\r\n"]),
    (b"AT+CSQ\r", [b"AT+CSQ\r", b"\r\n+CSQ: 9,0\r\n", b"\r\nOK\r\n"]),
    (b'AT+CMGL="ALL"\r', [b'\r\n+CMGL: 1,"REC READ","+54",,\r\nhello\r\n', b"\r\nOK\r\n"]),
    (b"AT+CPIN?\r", [b"\r\n+CME ERROR: 11\r\n"]),
]


@given(
    st.sampled_from(REPLIES),
    st.lists(st.tuples(st.integers(0, 3), st.sampled_from(NOTICES)), min_size=1, max_size=5),
    st.integers(0, 9),
)
def test_a_notice_anywhere_never_ends_or_spoils_a_reply(
    exchange: tuple[bytes, list[bytes]], put: list[tuple[int, bytes]], cut: int
) -> None:
    sent, pieces = exchange
    mixed = list(pieces)
    before_end = [(min(place, len(pieces) - 1), notice) for place, notice in put]
    for place, notice in before_end:
        mixed.insert(place, notice)
    alone = told(talked([(OUT, sent), *((IN, each) for each in pieces)], cut=cut))
    found = told(talked([(OUT, sent), *((IN, each) for each in mixed)], cut=cut))
    assert [each._replace(notices=()) for each in found] == alone
    assert sorted(found[0].notices) == sorted(notice.strip() for _, notice in before_end)


BITS = (
    *(b"AT", b"\r", b"\n", b"OK", b"> ", b">", b"+++", b"\x1a", b"\x1b", b"0\r", b"4", b"CONNECT", b"NO CARRIER"),
    *(b"UP", b"+HEARD: 7,9", b"+TELL=1,3", b"+FETCH", b"+FETCH: 99999999", b"\xff\x00", b"ATD1\r", b"RING"),
    b'+CMT: "1",,"x"',
)
bits = st.sampled_from(BITS)


@given(st.lists(st.tuples(st.sampled_from([IN, OUT]), bits, st.sampled_from([0, 1, 50, 1500])), max_size=60))
def test_no_stream_hangs_the_machine(pieces: list[tuple[Direction, bytes, int]]) -> None:
    """Whatever comes, every exchange ends in its time, and an ordinary one is answered afterwards."""
    tracker, time = ModuleTracker(COUNTED), 0
    for direction, data, wait_ms in pieces:
        time += wait_ms * STEP_NS
        tracker.feed(Chunk("m", direction, time, data))
    for _ in range(70):
        time += 700 * SECOND
        tracker.tick(time)
    assert not tracker.snapshot().busy
    tracker.feed(Chunk("m", IN, time, b"\r\n\r\nNO CARRIER\r\n"))
    tracker.feed(Chunk("m", OUT, time, b"\r"))
    time += 700 * SECOND
    tracker.feed(Chunk("m", OUT, time, b"AT+CSQ\r"))
    tracker.feed(Chunk("m", IN, time + 1, b"\r\n+CSQ: 5,0\r\n\r\nOK\r\n"))
    snapshot = tracker.snapshot()
    last = next(each for each in reversed(snapshot.items) if isinstance(each, Exchange))
    assert (last.sent, last.status, last.fields["signal"]) == (b"AT+CSQ", "ok", "5")


def test_nothing_grows_without_bound() -> None:
    steps: Steps = [(OUT, b"AT\r" * 3 * QUEUED), *([(IN, b"\r\nRING\r\n" * 200)] * 5), (IN, b"x" * 50_000)]
    conversation = talked(steps)
    assert len(conversation.items) <= ITEMS_KEPT + QUEUED + 1


def outcomes(conversation: Conversation) -> list[tuple[bytes, str, str, str]]:
    """Of each command: what was sent, its result, its fields, and what is said of it."""
    exchanges = [each for each in conversation.items if isinstance(each, Exchange)]
    return [(each.sent, each.result, ",".join(each.fields), each.meaning) for each in exchanges]


FOUND = b'\r\n+COPS: (2,"Saltmarsh Net","Marsh","99901"),,(0-4),(0-2)\r\n'


@pytest.mark.parametrize("cut", [0, 1, 3])
def test_an_answer_belongs_to_the_command_whose_echo_came_last(cut: int) -> None:
    """A module that says it is busy, and goes on with what it does."""
    steps: Steps = [(OUT, b"AT+COPS=?\r"), (IN, b"AT+COPS=?\r"), 1.0]
    steps += [(OUT, b"AT\r"), (IN, b"AT\r\r\nERROR\r\n"), 3.0, (IN, FOUND + b"\r\nOK\r\n")]
    search, attention = sorted(outcomes(talked(steps, cut=cut)))[::-1]
    assert search[:3] == (b"AT+COPS=?", "OK", "operators")
    assert attention[:2] == (b"AT", "ERROR")


def test_what_only_a_call_can_say_is_no_answer_to_a_search() -> None:
    """Without echo: BUSY is what dialling is answered (V.250, 6.3.1), so it is meant for what was sent last."""
    steps: Steps = [(OUT, b"AT+COPS=?\r"), 1.0, (OUT, b"AT\r"), (IN, b"\r\nBUSY\r\n"), 3.0, (IN, FOUND + b"\r\nOK\r\n")]
    search, attention = sorted(outcomes(talked(steps)))[::-1]
    assert search[:3] == (b"AT+COPS=?", "OK", "operators")
    assert attention[:2] == (b"AT", "BUSY")


def test_commands_that_wait_in_a_buffer_are_echoed_when_their_turn_comes() -> None:
    steps: Steps = [(OUT, b"AT+CSQ\rAT+CBC\r"), (IN, b"AT+CSQ\r\r\n+CSQ: 17,0\r\n\r\nOK\r\n")]
    steps += [(IN, b"AT+CBC\r\r\n+CBC: 0,80\r\n\r\nOK\r\n")]
    assert [each[1:3] for each in outcomes(talked(steps))] == [("OK", "signal,bit_errors"), ("OK", "supply,charge")]


def test_commands_that_are_echoed_at_once_keep_their_answers() -> None:
    steps: Steps = [(OUT, b"AT+CSQ\rAT+CBC\r"), (IN, b"AT+CSQ\rAT+CBC\r\r\n+CSQ: 17,0\r\n\r\nOK\r\n")]
    steps += [(IN, b"\r\n+CBC: 0,80\r\n\r\nOK\r\n")]
    assert sorted(each[1:3] for each in outcomes(talked(steps))) == [
        ("OK", "signal,bit_errors"),
        ("OK", "supply,charge"),
    ]


def test_a_call_that_a_character_breaks_off_says_so_and_what_became_of_the_rest() -> None:
    """V.250, 5.6.1: what is sent while dialling ends it, and is no command."""
    steps: Steps = [(OUT, b"ATD123\r"), (IN, b"ATD123\r"), 2.0, (OUT, b"AT+CSQ\r"), (IN, b"\r\nNO CARRIER\r\n"), 30.0]
    dial, asked = outcomes(talked(steps))
    assert dial[:2] == (b"ATD123", "NO CARRIER") and "broken off by what was sent" in dial[3]
    assert "it broke off ATD123" in asked[3]
    steps = [(OUT, b"ATD123\r"), 2.0, (IN, b"\r\nNO CARRIER\r\n"), (OUT, b"AT\r"), (IN, b"\r\nOK\r\n")]
    assert not any("br" in each[3] for each in outcomes(talked(steps)))
    # It went on all the same: nothing was broken off, and nobody says so.
    steps = [(OUT, b"ATD123\r"), 2.0, (OUT, b"AT+CSQ\r"), (IN, b"\r\nCONNECT\r\n"), 30.0]
    assert not any("br" in each[3] for each in outcomes(talked(steps)))


@pytest.mark.parametrize("name", ["lost", "closed"])
def test_what_waits_when_its_lane_goes_has_ended(name: str) -> None:
    lane = Lane("m", dialects=DialectBook())
    lane.streams.speak(STANDARD)
    lane.event(Event(0, "m", "opened", {"rate": 9600, "framing": "8N1"}))
    lane.feed(Chunk("m", OUT, SECOND, b"AT+COPS=?\rAT\r"))
    lane.feed(Chunk("m", IN, SECOND + 1, b"AT+COPS=?\r"))
    lane.event(Event(3 * SECOND, "m", name, {"reason": "unplugged"}))
    shown = lane.snapshot(3 * SECOND)
    assert shown.module is not None
    assert [(each.status, each.meaning, each.ended) for each in shown.module.items if isinstance(each, Exchange)] == [
        ("no-answer", "the lane was gone before it had an answer", 3 * SECOND)
    ] * 2
    assert shown.module.mode == ""
    words = module_answer(shown, {}).text
    assert ("Unknown now: m is gone" in words) == (name == "lost") and "obeys" not in words
    lane.event(Event(4 * SECOND, "m", "returned", {}))
    lane.feed(Chunk("m", OUT, 5 * SECOND, b"AT\r"))
    lane.feed(Chunk("m", IN, 5 * SECOND + 1, b"AT\r\r\nOK\r\n"))
    assert "It obeys: 1 of 3 commands done, 2 unanswered" in module_answer(lane.snapshot(5 * SECOND), {}).text


def test_sentences_of_a_receiver_are_no_reply() -> None:
    steps: Steps = [(OUT, b"AT\r"), (IN, b"$GPGGA,094107.00,,,,,0,00,99.9,,M,,M,,*5A\r\n"), (IN, b"AT\r\r\nOK\r\n")]
    (exchange,) = [each for each in talked(steps).items if isinstance(each, Exchange)]
    assert exchange.result == "OK" and not exchange.information


def test_bytes_beside_an_exchange_are_with_their_line_ends_and_no_more_than_some() -> None:
    reply = b"\r\n" + b"x" * 400 + b"\r\nOK\r\n"
    conversation = talked([(OUT, b"AT\r\n"), (IN, b"AT\r\r\nOK\r\n"), (OUT, b"ATI\r"), (IN, reply)])
    first, second = (each for each in conversation.items if isinstance(each, Exchange))
    assert (first.bytes_out, first.bytes_in) == (b"AT\r\n", b"AT\r\r\nOK\r\n")
    assert (second.bytes_out, second.bytes_in) == (b"ATI\r", reply[:256])
