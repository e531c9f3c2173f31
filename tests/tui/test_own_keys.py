"""A person's own keys on the full screen, on boards and modules that nobody here wrote."""

from pathlib import Path

import pytest
from tests.strangers.modules import Board, Registers, framed
from tests.strangers.stranger import on_a_pty
from tests.tui.test_fix_live import running

from pale_heron.bench.config.bench_file import load_own_keys
from pale_heron.bench.config.own_keys import OwnKey
from pale_heron.bench.live.session import Session
from pale_heron.core.line.settings import LineSettings
from pale_heron.ports.address import LaneSpec

HELLO = """name = "hello"
[[step]]
do = "send"
line = "lamp"
within-s = 0.5
"""


@pytest.fixture(autouse=True)
def own_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("PALE_HERON_CONFIG", str(tmp_path / "config"))
    (tmp_path / "config" / "routines").mkdir(parents=True)
    (tmp_path / "config" / "routines" / "hello.toml").write_text(HELLO)
    return tmp_path


def sent(board: Board, line: str) -> int:
    return board.log.count(line)


async def test_keys_send_once_or_until_they_are_pressed_again(tmp_path: Path) -> None:
    board, file = Board(), tmp_path / "board.toml"
    keys = [
        OwnKey("f5", "board", "lamp 1"),
        OwnKey("f6", "board", "lamp", every_s=0.1, label="poll"),
        OwnKey("f7", "gone", "lamp"),
        OwnKey("f8", "board", "<0x1FF>"),
    ]
    with on_a_pty(board) as path:
        session = Session("test", [LaneSpec("board", path, LineSettings(9600))], None)
        session.start()
        try:
            async with running(session, "line", keys, file) as shown:
                await shown.shows("F5 lamp 1", "F6 poll")
                await shown.press("f5")
                await shown.until(lambda: board.lamp == "1")
                await shown.press("f6")
                await shown.until(lambda: sent(board, "lamp") >= 3)
                await shown.shows("F6 ● poll, ", " times")
                await shown.press("f6")
                await shown.until(lambda: "●  poll" not in shown.text() and not session.jobs("board"))
                for key, words in (("f7", "there is no such lane"), ("f8", "0 to 255"), ("f9", "F9 is free: O gives")):
                    await shown.press(key)
                    await shown.until(
                        lambda words=words: words in str([each.message for each in shown.app._notifications])
                    )  # type: ignore[misc]
                await shown.press("O", "8")
                await shown.type("lamp 0")
                await shown.type("0")
                await shown.type("lamp off")
                await shown.shows("F8 lamp off")
                await shown.press("O", "7")
                await shown.type("")
                await shown.press("f8")
                await shown.until(lambda: board.lamp == "0")
                await shown.press("w")
                await shown.type(str(file))
                await shown.until(file.exists)
        finally:
            session.stop()
    assert load_own_keys(file) == [*keys[:2], OwnKey("f8", "board", "lamp 0", label="lamp off")]


async def test_what_risks_something_asks_and_frames_and_routines_are_keys_too(tmp_path: Path) -> None:
    from tests.docs.examples import shown as page

    (tmp_path / "config" / "dialects").mkdir()
    name = "heron-registers"
    (tmp_path / "config" / "dialects" / f"{name}.toml").write_text(page("dialects.md", f'name = "{name}"'))
    registers, board = Registers(), Board()
    keys = [
        OwnKey("f5", "bits", "read power"),
        OwnKey("f6", "board", "", "hello", every_s=0.2),
        OwnKey("f7", "board", "AT+CMGD=1,4"),
    ]
    with on_a_pty(registers) as one, on_a_pty(board) as two:
        specs = [
            LaneSpec("bits", one, LineSettings(9600), dialect=name),
            LaneSpec("board", two, LineSettings(9600, ending_out="crlf")),
        ]
        session = Session("test", specs, None)
        session.start()
        try:
            async with running(session, "line", keys) as shown:
                await shown.press("f5")
                await shown.until(lambda: registers.log == [framed("01 01")])
                await shown.press("f7")
                await shown.shows("Send it?")
                await shown.press("n")
                await shown.press("f6")
                await shown.until(lambda: sent(board, "lamp") >= 2)
                await shown.shows("F6 ● hello, ")
                await shown.press("f6")
        finally:
            session.stop()
    assert sent(board, "AT+CMGD=1,4") == 0
