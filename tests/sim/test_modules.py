"""The simulated modules: what they answer, how they forget and remember, and who hears whom on the air."""

import contextlib
import socket
import threading

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.waiting import LIMIT_S

from pale_heron.sim.air import PACES, Air, airtime_s, distance_m
from pale_heron.sim.bittern import Bittern
from pale_heron.sim.modem import Modem
from pale_heron.sim.modules import BUOY, HIDE, KINDS, MARSH, placed
from pale_heron.sim.plover import Plover
from pale_heron.sim.teal import Teal
from pale_heron.sim.wren import VANE_ADDRESS, VANE_PIN, Wren

TICK_S = 0.01


def passed(modem: Modem, begin: float, seconds: float) -> bytes:
    """What it says while time passes."""
    out, now = b"", begin
    while now < begin + seconds:
        now += TICK_S
        out += modem.say(now)
    return out


def answers(modem: Modem, line: str, begin: float = 10.0, seconds: float = 0.5) -> str:
    """What it says to one command line, without echo and empty lines."""
    modem.hear(line.encode("latin-1") + b"\r", begin)
    said = passed(modem, begin, seconds).decode("latin-1")
    return "|".join(each for each in said.replace("\r", "\n").split("\n") if each and each != line)


def started(modem: Modem) -> Modem:
    passed(modem, 0.0, 3.0)
    return modem


MAKERS = {"bittern": lambda: Bittern(Air(7), "hide"), "plover": Plover, "wren": Wren, "teal": Teal}
ALL_KNOW = [
    ("AT", "OK"),
    ("at", "OK"),
    ("AT+NONSENSE", "ERROR"),
    ("AT+IPR?", "+IPR: 9600|OK"),
    ("AT+IPR=?", "+IPR: (9600,19200,38400,57600,115200,230400,2000000)|OK"),
    ("AT+IPR=12345", "ERROR"),
    ("AT+IFC=2,2", "OK"),
    ("AT+IFC=2,1", "ERROR"),
    ("ATE1V1Q0", "OK"),
    ("AT+GMI;+IPR?", "Saltmarsh Works|+IPR: 9600|OK"),
    ("AT+IPR?;+NONSENSE;+GMI", "+IPR: 9600|ERROR"),
    ("hello", ""),
]


@pytest.mark.parametrize("kind", list(MAKERS))
@pytest.mark.parametrize(("line", "wanted"), ALL_KNOW)
def test_what_all_of_them_know(kind: str, line: str, wanted: str) -> None:
    assert answers(started(MAKERS[kind]()), line) == wanted


OWN = [
    ("bittern", "AT+NODE=?", "+NODE: (1-250)|OK"),
    ("bittern", "AT+NODE=0", "ERROR"),
    ("bittern", 'AT+CIPHER="a b"', "OK"),
    ("bittern", "AT+TELL=8,0", "ERROR"),
    ("bittern", "AT+TELL=8", "ERROR"),
    ("plover", "ATS0?", "000|OK"),
    ("plover", "AT+CSQ", "+CSQ: 99,99|OK"),
    ("plover", "AT+CPIN?", "+CPIN: READY|OK"),
    ("plover", 'AT+CMGS="+1"', "+CMS ERROR: 331"),
    ("plover", "AT+CMGR=3", "+CMS ERROR: 321"),
    ("plover", "AT+PLACE?", "+PLACE: 094010.00,,,,0,03|OK"),
    ("plover", "AT+CCLK?", '+CCLK: "31/05/04,06:40:10-12"|OK'),
    ("wren", "AT+NEST?", "+NEST: 5A:C0:09|OK"),
    ("wren", "AT+NEST=1", "ERROR"),
    ("wren", "ATO", "NO CARRIER"),
    ("teal", "AT+NET?", "+NET: 0|OK"),
    ("teal", 'AT+JOIN="x","short"', "ERROR"),
]


@pytest.mark.parametrize(("kind", "line", "wanted"), OWN)
def test_what_each_knows_alone(kind: str, line: str, wanted: str) -> None:
    assert answers(started(MAKERS[kind]()), line) == wanted


@pytest.mark.parametrize(
    ("told", "wanted"),
    [("0", "ERROR"), ("1", "+CME ERROR: 50"), ("2", "+CME ERROR: incorrect parameters")],
)
def test_errors_are_told_as_asked_for(told: str, wanted: str) -> None:
    plover = started(Plover())
    assert answers(plover, f"AT+CMEE={told}") == "OK"
    assert answers(plover, "AT+CFUN=9") == wanted


def test_numbers_instead_of_words_and_no_results_at_all() -> None:
    teal = started(Teal())
    teal.hear(b"ATE0V0\r", 5.0)
    assert passed(teal, 5.0, 0.5) == b"ATE0V0\r0\r"
    teal.hear(b"AT+IPR?\r", 6.0)
    assert passed(teal, 6.0, 0.5) == b"+IPR: 9600\r\n0\r"
    teal.hear(b"ATQ1\r", 7.0)
    assert passed(teal, 7.0, 0.5) == b""
    teal.hear(b"AT\r", 8.0)
    assert passed(teal, 8.0, 0.5) == b""


def test_what_is_stored_outlives_a_restart_and_the_rest_does_not() -> None:
    hide = started(Bittern(Air(7), "hide"))
    assert answers(hide, "AT+NODE=9") == "OK"
    assert answers(hide, "AT+KEEP") == "OK"
    assert answers(hide, "AT+NODE=10;+PACE=5") == "OK"
    assert hide.tuned.pace == 3
    said = answers(hide, "AT+RENEW", 20.0, 2.0)
    assert "+UP: Bittern,2.3|+READY: node 9" in said
    assert answers(hide, "AT+NODE?;+PACE?", 30.0) == "+NODE: 9|+PACE: 3|OK"


def test_the_makers_defaults_take_the_rate_with_them() -> None:
    teal = started(Teal())
    teal.configure(rate="57600")
    assert teal.rate == 57600
    assert answers(teal, "AT&F") == "OK"
    assert teal.rate == 9600


def test_a_character_aborts_a_search_and_nothing_else() -> None:
    """V.250, 5.6.1: what may be aborted is, by any character, from an eighth of a second on."""
    plover = started(Plover())
    plover.hear(b"AT+COPS=?\r\n", 10.0)
    passed(plover, 10.0, 0.5)
    plover.hear(b"x", 11.0)
    assert passed(plover, 11.0, 0.5) == b"\r\nOK\r\n"
    assert b"COPS" not in passed(plover, 12.0, 12.0), "what was found is not told any more"
    plover.hear(b"ATD123;\r", 30.0)
    passed(plover, 30.0, 1.0)
    plover.hear(b"x", 31.0)
    assert b"NO CARRIER" in passed(plover, 31.0, 6.0)
    plover.hear(b"AT+CFUN=1\rAT\r", 40.0)
    said = passed(plover, 40.0, 2.0)
    assert said.count(b"OK") == 2, "what comes while it works is heard afterwards"


def test_commands_of_a_line_are_worked_off_in_series() -> None:
    """V.250, 5.2.1: the second begins when the first has ended, and nothing follows one that fails."""
    plover = started(Plover())
    passed(plover, 3.0, 10.0)
    plover.hear(b"AT+COPS=0;+CSQ\r", 20.0)
    assert b"CSQ:" not in passed(plover, 20.0, 1.9)
    assert b"+CSQ: " in passed(plover, 21.9, 0.5)
    assert answers(plover, "AT+NONSENSE;+CSQ", 30.0) == "ERROR"


def test_what_is_typed_comes_back_letter_by_letter_and_can_be_mended() -> None:
    plover = started(Plover())
    plover.hear(b"ATX", 10.0)
    assert plover.say(10.0) == b"ATX", "before the line is whole (6.2.4)"
    plover.hear(b"\x08+GMI\r", 10.1)
    assert b"Saltmarsh Works" in passed(plover, 10.1, 0.3)
    plover.hear(b"A/", 11.0)
    assert b"Saltmarsh Works" in passed(plover, 11.0, 0.3), "5.2.4: without a line end"
    assert answers(plover, "ATS7?", 12.0) == "060|OK"
    assert answers(plover, "ATS7=30", 13.0) == "OK"
    assert answers(plover, "ATS7?", 14.0) == "030|OK"
    assert answers(plover, "ATS6=1", 15.0) == "ERROR"


@pytest.mark.parametrize("name", MAKERS)
def test_reset_goes_back_to_what_is_stored(name: str) -> None:
    modem = started(MAKERS[name]())
    assert answers(modem, "ATS7=30", 10.0) == "OK"
    assert answers(modem, "AT&W", 11.0) == "OK"
    assert answers(modem, "ATE0S7=99", 12.0) == "OK"
    assert answers(modem, "ATZ", 13.0) == "OK"
    assert answers(modem, "ATS7?", 14.0) == "030|OK"
    assert modem.echo
    assert answers(modem, "AT&F", 15.0) == "OK"
    assert answers(modem, "ATS7?", 16.0) == "060|OK"
    assert answers(modem, "ATX5", 17.0) != "OK" and answers(modem, "ATX4&C1&D2", 18.0) == "OK"


def test_a_notice_does_not_enter_an_open_prompt() -> None:
    plover = started(Plover())
    answers(plover, "AT+CMGF=1", 10.0)
    plover.hear(b'AT+CMGS="+123"\r', 12.0)
    assert passed(plover, 12.0, 0.3).endswith(b"> ")
    assert b"CMTI" not in passed(plover, 12.3, 20.0), "the message came meanwhile"
    plover.hear(b"hello\x1a", 40.0)
    said = passed(plover, 40.0, 3.0)
    assert said.index(b"+CMGS: 1") < said.index(b"OK") < said.index(b"+CMTI:")


def test_packed_messages() -> None:
    """27.005, 4.1 to 4.3, and the message itself as 23.040 has it."""
    plover = started(Plover())
    passed(plover, 3.0, 20.0)
    assert answers(plover, "AT+CMGL=5", 30.0) == "+CMS ERROR: 304"
    listed = answers(plover, "AT+CMGL=4", 31.0).split("|")
    data = bytes.fromhex(listed[1])
    assert listed[0] == f"+CMGL: 1,0,,{len(data) - 1}" and listed[2] == "OK"
    assert data[:4].hex() == "00040b91" and data[4:10].hex() == "9909550541f2"
    number = int.from_bytes(data[-data[19] * 7 // 8 - (data[19] * 7 % 8 > 0) :], "little")
    assert "".join(chr(number >> 7 * place & 0x7F) for place in range(data[19])) == "Ebb at 10:40. OK"
    plover.hear(b"AT+CMGS=13\r", 40.0)
    passed(plover, 40.0, 0.3)
    plover.hear(b"0011000B919990500541F20000AA00\x1a", 41.0)
    assert b"+CMS ERROR: 304" in passed(plover, 41.0, 3.0), "another length than was said"


def test_both_registrations_tell_cells_where_they_are_asked_to() -> None:
    plover = started(Plover())
    assert answers(plover, "AT+CREG=2;+CEREG=1", 3.2) == "OK"
    said = passed(plover, 4.0, 8.0).decode()
    assert '+CREG: 1,"1A2B","01C3D4E5",7' in said and "+CEREG: 1\r" in said
    passed(plover, 12.0, 12.0)
    assert answers(plover, "AT+CEREG?", 25.0) == "+CEREG: 1,1|OK"
    assert answers(plover, "AT+CREG?", 26.0) == '+CREG: 2,1,"1A2B","01C3D4E5",7|OK'


def test_a_pin_that_was_wrong_three_times_is_unblocked() -> None:
    plover = started(Plover(locked=True))
    answers(plover, "AT+CMEE=2", 3.0)
    for at in (4.0, 5.0, 6.0):
        assert answers(plover, 'AT+CPIN="1111"', at) == "+CME ERROR: incorrect password"
    assert answers(plover, "AT+CPIN?", 7.0) == "+CPIN: SIM PUK|OK"
    assert answers(plover, 'AT+CPIN="2718"', 8.0) == "+CME ERROR: SIM PUK required"
    assert answers(plover, 'AT+CPIN="27182818","4321"', 9.0) == "OK"
    assert answers(plover, "AT+CPIN?", 10.0) == "+CPIN: READY|OK"


def test_a_locked_sim_wants_its_pin() -> None:
    plover = started(Plover(locked=True))
    answers(plover, "AT+CMEE=1")
    assert answers(plover, "AT+CPIN?") == "+CPIN: SIM PIN|OK"
    assert answers(plover, 'AT+CPIN="1111"') == "+CME ERROR: 16"
    assert answers(plover, "AT+CREG?") == "+CREG: 0,0|OK"
    assert answers(plover, 'AT+CPIN="2718"') == "OK"
    passed(plover, 11.0, 8.0)
    assert answers(plover, "AT+CREG?", 20.0) == "+CREG: 0,1|OK"


def test_messages_come_are_listed_read_and_deleted() -> None:
    plover = started(Plover())
    passed(plover, 3.0, 20.0)
    answers(plover, "AT+CMGF=1", 24.0)
    assert "Ebb at 10:40. OK" in answers(plover, 'AT+CMGL="ALL"', 25.0)
    assert '"REC READ"' in answers(plover, "AT+CMGR=1", 26.0)
    assert answers(plover, "AT+CMGD=1", 27.0) == "OK"
    assert answers(plover, "AT+CMGD=1", 28.0) == "+CMS ERROR: 321"
    assert answers(plover, "AT+CPMS?", 29.0) == '+CPMS: "SM",0,10,"SM",0,10,"SM",0,10|OK'


def test_the_link_needs_pin_peer_and_role() -> None:
    wren = started(Wren())
    assert answers(wren, "AT+LINK", 10.0, 4.0) == "NO CARRIER"
    wren.configure(peer=VANE_ADDRESS, pin=VANE_PIN)
    assert "CONNECT" in answers(wren, "AT+LINK", 20.0, 2.0)
    assert b"VANE," in passed(wren, 22.0, 3.0)
    wren.hear(b"?", 25.0)
    assert b"north mast" in passed(wren, 25.0, 0.5)
    wren.hear(b"a+++", 27.0)
    passed(wren, 27.0, 2.0)
    assert wren.data_mode
    wren.hear(b"+++", 31.0)
    assert b"OK" in passed(wren, 31.0, 1.5)
    assert not wren.data_mode
    assert "CONNECT" in answers(wren, "ATO", 34.0)


def pair(**buoy: str) -> tuple[Bittern, Bittern]:
    air = Air(7)
    first, second = Bittern(air, "hide", 7), Bittern(air, "buoy", 8)
    first.configure(**HIDE)
    second.configure(**(BUOY | {"node": "8", "pace": "3", "beacon": "0"} | buoy))
    started(first)
    started(second)
    return first, second


def heard(first: Bittern, second: Bittern, to: int = 8, begin: float = 10.0) -> bytes:
    first.hear(b"AT+TELL=%d,5\r" % to, begin)
    passed(first, begin, 0.2)
    first.hear(b"hello", begin + 0.2)
    passed(first, begin + 0.2, 1.0)
    return passed(second, begin + 0.2, 1.0)


APART = [{"node": "7"}, {"group": "13"}, {"channel": "4"}, {"pace": "4"}, {"cipher": "flood at dusk"}, {"node": "9"}]


@pytest.mark.parametrize("buoy", APART)
def test_who_is_set_apart_hears_nothing(buoy: dict[str, str]) -> None:
    assert b"+HEARD" in heard(*pair())
    assert b"+HEARD" not in heard(*pair(**buoy))


def test_strength_falls_with_distance_and_slow_frames_take_longer() -> None:
    assert distance_m("hide", "buoy", 600.0) > distance_m("hide", "buoy", 0.0)
    times = [airtime_s(pace, 20) for pace in PACES]
    assert times == sorted(times, reverse=True)
    first, second = pair()
    near = heard(first, second, begin=10.0)
    strengths = []
    for begin in (100.0, 3000.0, 6000.0):
        said = heard(first, second, begin=begin)
        if b"+HEARD" in said:
            strengths.append(int(said.split(b",")[2]))
    assert b"+HEARD: 7,5," in near
    assert strengths == sorted(strengths, reverse=True)


def test_two_at_once_destroy_each_other() -> None:
    first, second = pair()
    for radio in (first, second):
        radio.hear(b"AT+TELL=%d,5\r" % (8 if radio is first else 7), 10.0)
        passed(radio, 10.0, 0.2)
    for radio in (first, second):
        radio.hear(b"hello", 10.3)
    said = [passed(radio, 10.3, 1.0) for radio in (first, second)]
    assert sum(b"+HEARD" in each for each in said) <= 1


@given(st.sampled_from(list(MAKERS)), st.lists(st.binary(max_size=40), max_size=12))
def test_whatever_it_hears_it_goes_on_and_says_only_text(kind: str, pieces: list[bytes]) -> None:
    modem, now = started(MAKERS[kind]()), 10.0
    for data in pieces:
        modem.hear(data, now)
        passed(modem, now, 0.1)
        now += 0.2
    modem.hear(b"\x1b\r", now)
    passed(modem, now, 0.5)
    modem.hear(b"ATE0V1Q0\r", now + 200.0)
    said = passed(modem, now + 200.0, 0.5)
    assert modem.data_mode or b"OK" in said


def test_the_marsh_has_as_many_as_it_says() -> None:
    for kind, count in KINDS.items():
        assert len(placed(kind, 7)) == count
    names = [each.name for each in placed(MARSH, 7)]
    assert len(set(names)) == len(names)


class Far:
    """The far end of Teal's connection: takes one, and says and hears as it is asked."""

    def __init__(self) -> None:
        self.server = socket.create_server(("127.0.0.1", 0))
        self.port = self.server.getsockname()[1]

    def accepted(self) -> socket.socket:
        self.server.settimeout(LIMIT_S)
        client, _ = self.server.accept()
        return client


def connected() -> tuple[Teal, socket.socket, float]:
    """Teal in data mode, the far end of it, and its time."""
    far = Far()
    teal = Teal(far_port=far.port)
    said = passed(teal, 0.0, 5.0)
    assert said.endswith(b"CONNECT\r\n") and teal.data_mode
    client = far.accepted()
    far.server.close()
    return teal, client, 5.0


def test_a_bridge_loses_nothing_that_its_line_has_no_room_for() -> None:
    teal, far, now = connected()
    sent = bytes(range(256)) * 400
    writer = threading.Thread(target=far.sendall, args=(sent,))
    writer.start()
    got = b""
    # 9600 baud: ten bytes have room in each hundredth of a second, at first nothing has.
    for tick in range(20_000):
        teal.room = 0 if tick < 50 else min(4096, teal.room + 10) if tick % 2 else 300
        now += TICK_S
        got += teal.say(now)
        if len(got) == len(sent):
            break
    writer.join()
    far.close()
    assert got == sent


def test_what_comes_in_command_mode_waits() -> None:
    teal, far, now = connected()
    passed(teal, now, 2.0)
    teal.hear(b"+++", now + 2.0)
    assert b"OK" in passed(teal, now + 2.0, 3.0) and not teal.data_mode
    far.sendall(b"the tide turns")
    assert passed(teal, now + 5.0, 2.0) == b""
    assert answers(teal, "AT", now + 7.0) == "OK"
    teal.hear(b"ATO\r", now + 8.0)
    said = passed(teal, now + 8.0, 2.0)
    assert b"CONNECT" in said and said.endswith(b"the tide turns")
    # That the far end goes is seen in command mode too.
    teal.hear(b"+++", now + 14.0)
    passed(teal, now + 14.0, 3.0)
    far.close()
    assert b"NO CARRIER" in passed(teal, now + 17.0, 2.0)


def test_a_far_end_that_does_not_take_holds_the_line() -> None:
    teal, far, now = connected()
    total = 0
    while teal.takes_more and total < 100_000_000:
        teal.hear(bytes(1000), now)
        total += 1000
    assert not teal.takes_more
    got = 0
    far.setblocking(False)
    for _ in range(2000):
        now += TICK_S
        teal.say(now)
        with contextlib.suppress(BlockingIOError):
            got += len(far.recv(1 << 16))
        if got == total:
            break
    far.close()
    assert got == total and teal.takes_more
