"""Module as its keys move it, on two simulated radios that are really told things, with its record."""

import os
import select
import threading
import tomllib
import tty
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

import pytest
from tests.strangers.modules import Cell, Registers, Terse, crc8
from tests.strangers.stranger import Stranger, on_a_pty
from tests.tui.test_fix_live import Shown, running
from textual import events

from pale_heron.bench.config.bench_file import lanes_of
from pale_heron.bench.live.session import Session
from pale_heron.capture.reader import CaptureReader
from pale_heron.core.device.dialogue.exchanges import Exchange
from pale_heron.core.frames import Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.ports.address import LaneSpec
from pale_heron.sim.launch import Device
from pale_heron.tui.widgets.entry_line import EntryLine

ASKING = """name = "look"
[[step]]
do = "send"
line = "AT+NODE?"
[[step]]
do = "ask"
question = "Is the buoy in sight?"
[[step]]
do = "mark"
text = "in sight"
"""


@asynccontextmanager
async def bitterns(
    folder: Path, power: tuple[str, ...] = ("--when-opened",), **settings: bool
) -> AsyncIterator[tuple[Shown, Session]]:
    """The full screen on both, with a record in the folder."""
    device = Device("bittern", *power, link=folder / "b", count=2)
    specs = [
        LaneSpec(name, path, LineSettings(9600, ending_out="cr", **settings))
        for name, path in zip(("hide", "buoy"), device.paths, strict=True)
    ]
    session = Session("test", specs, folder / "a.pcapng")
    session.start()
    try:
        async with running(session, "module") as shown:
            yield shown, session
    finally:
        session.stop()
        device.stop()


@asynccontextmanager
async def plover(folder: Path, view: str = "module", first: str = "+READY") -> AsyncIterator[tuple[Shown, Session]]:
    """The full screen on a cellular module, in a view that says something of it."""
    device = Device("plover", "--when-opened", link=folder / "p")
    session = Session("test", [LaneSpec("shore", device.paths[0], LineSettings(9600, ending_out="cr"))], None)
    session.start()
    try:
        async with running(session, view) as shown:
            await shown.shows(first)
            yield shown, session
    finally:
        session.stop()
        device.stop()


@pytest.fixture(autouse=True)
def own_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PALE_HERON_CONFIG", str(tmp_path / "config"))


async def tell(shown: Shown, text: str) -> None:
    """Type a command into the entry line and enter it."""
    await shown.press("colon")
    entry = shown.app.query_one(EntryLine)
    await shown.until(lambda: entry.has_focus)
    entry.value = text
    await shown.press("enter")


async def test_a_note_a_dialect_and_a_routine_of_what_was_told(tmp_path: Path) -> None:
    async with bitterns(tmp_path) as (shown, session):
        await tell(shown, "ATI")
        await shown.shows("Bittern 2.3", "OK")
        await tell(shown, 'AT+CIPHER="flood at dusk"')
        await shown.shows("The pass phrase of the group", "●●●●")
        assert "flood" not in shown.text()
        await shown.press("escape", "n")
        await shown.shows("Your note on cipher")
        await shown.type("both must have it")
        await shown.shows("✎ both must have it")
        kept = tomllib.loads((tmp_path / "config" / "dialects" / "bittern.toml").read_text())
        assert kept["command"]["cipher"]["note"] == "both must have it"
        await shown.press("T")
        await shown.shows("Which routine for hide?", "make one of the last")
        await shown.press("m")
        await shown.shows("Which file for the last 2 exchanges?")
        await shown.type(str(tmp_path / "again.toml"))
        await shown.shows("cipher:")
        assert "flood" not in (tmp_path / "again.toml").read_text()
        await shown.type("ebb at dawn")
        await shown.shows("0 of 2 steps")
        await shown.press("enter")
        await shown.shows("2 of 2 steps", "passed", "The routine again passed")
        assert "ebb at dawn" not in shown.text()
        await shown.press("D")
        await shown.shows("Which dialect does it speak?")
        await shown.press("1")
        await shown.until(lambda: session.specs()[0].dialect)
        chosen = session.specs()[0].dialect
    records = list(CaptureReader(tmp_path / "a.pcapng").records())
    events = [each for each in records if isinstance(each, Event)]
    assert [each.details["name"] for each in events if each.details.get("by") == "chosen"] == ["bittern", chosen]
    assert "flood" not in str([each.details for each in events])


async def test_what_is_intended_is_saved_with_the_bench(tmp_path: Path) -> None:
    async with bitterns(tmp_path) as (shown, _session):
        await shown.press("R")
        await shown.shows("READ ALL SETTINGS  done", "running")
        await shown.press("enter")
        await shown.shows("empty forgets it")
        await shown.type("300")
        await shown.shows("is not 1 to 250")
        await shown.type("9")
        await shown.shows("1 of 1 intended settings differ: node", "≠")
        await shown.press("w")
        await shown.shows("Save the bench in which file?")
        await shown.type(str(tmp_path / "marsh.toml"))
        await shown.until((tmp_path / "marsh.toml").exists)
        assert lanes_of([], tmp_path / "marsh.toml")[0].intended == {"node": "9"}
        await shown.press("enter")
        await shown.shows("empty forgets it")
        await shown.type("")
        await shown.until(lambda: "intended settings" not in shown.text())


async def test_a_routine_asks_a_person_and_fails_on_no(tmp_path: Path) -> None:
    file = tmp_path / "look.toml"
    file.write_text(ASKING)
    async with bitterns(tmp_path) as (shown, session):
        for key, verdict in (("n", "failed at step 2 of 3"), ("y", "The routine look passed")):
            await shown.press("T", "f")
            await shown.shows("Which routine file")
            await shown.type(str(file))
            await shown.shows("0 of 3 steps")
            await shown.press("enter")
            await shown.shows("Is the buoy in sight?", "yes: go on")
            await shown.press(key)
            await shown.shows(verdict)
        assert [mark.text for mark in session.snapshot().marks] == ["in sight"]


@pytest.mark.parametrize("power", [("--when-opened",), ("--after", "3600")])
async def test_a_lane_that_only_listens_is_told_nothing(tmp_path: Path, power: tuple[str, ...]) -> None:
    """Whether its module was heard, or never said a word."""
    async with bitterns(tmp_path, power, listen_only=True) as (shown, session):
        await tell(shown, "AT")
        await shown.until(lambda: any("only listens" in str(each.message) for each in shown.app._notifications))
        await shown.press("escape", "R")
        await shown.press("T")
        await shown.shows("first-contact")
        await shown.press("2", "enter")
        await shown.shows("failed at step 1")
        assert session.snapshot().lanes[0].line.bytes_out == 0


def told(session: Session) -> list[tuple[str, str]]:
    """Commands and their results, in the order in which they were sent."""
    module = session.snapshot().lanes[0].module
    found = [each for each in module.items if isinstance(each, Exchange)] if module else []
    return [(each.sent.decode(), each.result) for each in sorted(found, key=lambda each: each.number)]


async def test_what_is_typed_while_it_is_busy_waits_for_its_turn(tmp_path: Path) -> None:
    async with plover(tmp_path) as (shown, session):
        for text in ("AT+COPS=0", "AT+CGMI", "AT+NONSENSE", "AT"):
            await tell(shown, text)
        await shown.until(lambda: len(told(session)) == 4 and all(result for _, result in told(session)))
        assert told(session) == [("AT+COPS=0", "OK"), ("AT+CGMI", "OK"), ("AT+NONSENSE", "ERROR"), ("AT", "OK")]


async def test_what_waits_is_shown_taken_back_or_sent_at_once(tmp_path: Path) -> None:
    async with plover(tmp_path) as (shown, session):
        await tell(shown, "AT+COPS=?")
        await shown.until(lambda: told(session) == [("AT+COPS=?", "")])
        await tell(shown, 'AT+CPIN="2718"')
        await shown.shows("may lock everybody out. Send it?")
        await shown.press("y")
        await shown.shows("1 wait until it has answered: AT+CPIN=", "escape takes back")
        assert "2718" not in shown.text()
        entry = shown.app.query_one(EntryLine)
        await shown.press("escape")
        await shown.until(lambda: entry.value == 'AT+CPIN="2718"')
        await shown.until(lambda: "wait until" not in shown.text())
        await tell(shown, "AT+CSQ")
        await shown.shows("1 wait until it has answered: AT+CSQ")
        await shown.press("enter")
        await shown.shows("breaks off what it does")
        await shown.press("y")
        await shown.until(lambda: told(session)[0][1] == "OK")
        await shown.shows("AT+CSQ")
        await shown.until(lambda: "wait until" not in shown.text())


def typed_at_once(shown: Shown, text: str) -> None:
    """Keys as a paste-fast typist or a script brings them: none waits for what the one before has done."""
    for letter in text:
        key = {":": "colon", "\r": "enter"}.get(letter, letter)
        shown.app.post_message(events.Key(key, letter))


async def test_keys_that_come_at_once_go_to_where_the_ones_before_lead(tmp_path: Path) -> None:
    """Also while the view is loaded for the first time."""
    async with plover(tmp_path, "line", "answering") as (shown, session):
        typed_at_once(shown, "5:ATI\rAT+CSQ\rAT\r")
        wanted = [("ATI", "OK"), ("AT+CSQ", "OK"), ("AT", "OK")]
        await shown.until(lambda: told(session) == wanted)
        await shown.press("escape")
        typed_at_once(shown, "mlow water\r")
        await shown.until(lambda: [mark.text for mark in session.snapshot().marks] == ["low water"])


async def test_pasted_lines_are_sent_as_lines_and_many_are_asked_about(tmp_path: Path) -> None:
    async with plover(tmp_path) as (shown, session):
        await shown.press("colon")
        shown.app.post_message(events.Paste("AT\nATI\r\n\nAT+CSQ\n"))
        await shown.until(lambda: [each for each in told(session) if each[1]] == [
            ("AT", "OK"), ("ATI", "OK"), ("AT+CSQ", "OK"),
        ])  # fmt: skip
        shown.app.post_message(events.Paste("AT\n" * 7))
        await shown.shows("7 pasted lines are sent one after the other")
        await shown.press("n")
        shown.app.post_message(events.Paste("AT\nAT+CFUN=0\n"))
        await shown.shows("2 pasted lines", "Send it?")
        await shown.press("n")
        await shown.press("escape", "F")
        shown.app.post_message(events.Paste("AT+CGMI\nAT+CGMM\n"))
        await shown.until(lambda: len(told(session)) == 5 and all(result for _, result in told(session)))
        assert [sent for sent, _ in told(session)][3:] == ["AT+CGMI", "AT+CGMM"]


def log_in(port: int, heard: bytearray, over: threading.Event) -> None:
    """A board that asks for a name and a password."""
    os.write(port, b"\r\nhide login: ")
    for answer in (b"warden\r\nPassword: ", b"\r\nwelcome\r\n$ "):
        begun = len(heard)
        while b"\r" not in heard[begun:] and not over.is_set():
            if select.select([port], [], [], 0.05)[0]:
                heard += os.read(port, 100)
        os.write(port, answer)


async def test_an_answer_to_a_prompt_for_a_password_is_shown_nowhere() -> None:
    """Neither while it is typed, nor in Traffic, nor where it is called back; the device gets it all the same."""
    port, other = os.openpty()
    tty.setraw(other)
    heard, over = bytearray(), threading.Event()
    thread = threading.Thread(target=log_in, args=(port, heard, over))
    session = Session("test", [LaneSpec("hide", os.ttyname(other), LineSettings(9600, ending_out="cr"))], None)
    session.start()
    try:
        async with running(session, "module") as shown:
            thread.start()
            await tell(shown, "warden")
            await shown.until(lambda: session.snapshot().lanes[0].secret_asked)
            await shown.press(*"ebbtide9")
            await shown.shows("it asks for a secret: what is typed is shown nowhere")
            entry = shown.app.query_one(EntryLine)
            assert entry.value == "ebbtide9" and entry.highlighter is not None
            assert str(entry.highlighter(entry.value)) == "********" and "ebbtide9" not in shown.text()
            await shown.press("enter")
            await shown.until(lambda: b"ebbtide9\r" in heard)
            await shown.until(lambda: "ebbtide9" in session.snapshot().lanes[0].secrets)
            await shown.press("up")
            assert "ebbtide9" not in entry.value
            await shown.press("escape", "escape", "2")
            await shown.shows("welcome")
            assert "ebbtide9" not in shown.text()
    finally:
        over.set()
        session.stop()
        thread.join()
        os.close(port)
        os.close(other)


@asynccontextmanager
async def stranger(module: Stranger) -> AsyncIterator[tuple[Shown, Session]]:
    """The full screen on a module that nobody here has met."""
    with on_a_pty(module) as path:
        session = Session("test", [LaneSpec("reed", path, LineSettings(9600, ending_out="cr"))], None)
        session.start()
        try:
            async with running(session, "module") as shown:
                yield shown, session
        finally:
            session.stop()


async def test_a_result_word_is_taken_with_one_key_and_what_was_said_is_paired_again() -> None:
    terse = Terse()
    async with stranger(terse) as (shown, session):
        await tell(shown, "AT")
        await shown.shows("no result known", "W/OK came, and no result that is known", "It answers, with no result")
        await shown.press("escape", "A")
        await shown.shows("What is 'W/OK'?", "its word for done")
        await shown.press("d")
        await shown.until(lambda: [each.status for each in said(session)] == ["ok"])
        await tell(shown, "AT+ADR=14")
        await shown.until(lambda: [each.status for each in said(session)] == ["ok", "ok"])
        assert terse.values["ADR"] == "14"


async def test_a_dialect_is_drafted_of_what_was_typed(tmp_path: Path) -> None:
    async with stranger(Terse()) as (shown, session):
        for count, line in enumerate(("AT", "AT+ADR?", "AT+ADR=14"), 1):
            await tell(shown, line)
            await shown.until(lambda count=count: len([each for each in said(session) if each.status]) == count)
        await shown.press("escape", "U")
        await shown.until(lambda: [each.status for each in said(session)] == ["ok", "ok", "ok"])
        assert said(session)[1].fields == {"adr": "12"}
        assert "# guessed: " in (tmp_path / "config" / "dialects" / "reed.toml").read_text()


async def test_a_person_says_which_mode_it_is_in() -> None:
    cell = Cell(transparent=True)
    async with stranger(cell) as (shown, session):
        await tell(shown, "AT")
        await shown.shows("OK")
        await tell(shown, "ATD1")
        await shown.shows("It may cost money and it leaves command mode")
        await shown.press("m")
        await shown.until(lambda: mode_of(session) == "data")
        cell.in_data = False
        await shown.press("escape", "I")
        await shown.shows("data mode", "CONNECT came", "In which mode is it?")
        await shown.press("c")
        await shown.until(lambda: mode_of(session) == "command")
        await tell(shown, "AT")
        await shown.until(lambda: cell.log[-1] == "AT")


async def test_bytes_in_the_entry_line_are_bytes() -> None:
    registers = Registers()
    frame = bytes((0xA5, 3, 0x01, 0x02))
    frame += bytes((crc8(frame),))
    async with stranger(registers) as (shown, _):
        await tell(shown, f"<{' '.join(f'0x{byte:02X}' for byte in frame)}>")
        await shown.until(lambda: registers.log == [frame.hex()])


def said(session: Session) -> list[Exchange]:
    """What was typed, and what became of it."""
    module = session.module_of("reed")
    return [each for each in (module.items if module else ()) if isinstance(each, Exchange)]


def mode_of(session: Session) -> str:
    module = session.module_of("reed")
    return module.mode if module is not None else ""
