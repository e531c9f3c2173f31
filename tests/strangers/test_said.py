"""What is said of a stranger, against what its own log says: real commands, on pseudo-terminals."""

import json
import tomllib
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

import pytest

from pale_heron.bench.config.dialects import read_text
from pale_heron.bench.operations.command_client import exchange_object
from tests.cli.test_commands import run
from tests.docs.examples import shown
from tests.strangers import modules
from tests.strangers.stranger import Stranger, on_a_pty
from tests.strangers.test_harm import BRIDGE, bench_on


class Case(NamedTuple):
    """What is sent, how each is told to have ended, and what the module did."""

    stranger: Callable[[], Stranger]
    words: tuple[str, ...]
    told: tuple[str, ...]
    did: tuple[str, ...]


CASES = {
    "answers without a result": Case(
        modules.Terse, ("AT", "AT+ADR?"), ("unclear", "unclear"), ("AT", "AT+ADR?")
    ),
    "result words in a dialect": Case(
        modules.Terse, ("--dialect", "terse.toml", "AT", "AT+ADR?", "AT+NO=1"), ("ok", "ok", "error"),
        ("AT", "AT+ADR?", "AT+NO=1"),
    ),
    "a board that is no sentence": Case(
        modules.Board, ("--dialect", "board.toml", "$55 tx1", "lamp 1"), ("ok", "ok"), ("$55 tx1", "lamp 1")
    ),
    "an order is sealed": Case(modules.Receiver, ("$PSEDG,SYS,GE",), ("ok",), ("PSEDG,SYS,GE",)),
    "an order is refused": Case(modules.Receiver, ("$PSEDG,WARP,9",), ("error",), ("PSEDG,WARP,9",)),
    "a wrong checksum is sent as it stands": Case(
        modules.Receiver, ("$PSEDG,SYS,GE*00",), ("no-answer",), ("passed over: $PSEDG,SYS,GE*00",)
    ),
    "a bridge that nobody knows": Case(
        modules.Bridge, ("AT", "AT+TX=5", "--payload", "ebb 7", "--dialect", "standard"), ("ok", "unclear"),
        ("AT", "AT+TX=5", "aired 5"),
    ),
    "frames without line ends": Case(
        modules.Registers,
        ("--dialect", "heron-registers", "read power", "write power 12", "read 9"), ("ok", "ok", "error"),
        (modules.framed("01 01"), modules.framed("02 01 0c"), modules.framed("01 09")),
    ),
    "frames on a line that is not clean": Case(
        lambda: modules.Registers(b"\xa5\x05"),
        ("--dialect", "heron-registers", "read power"), ("ok",), (modules.framed("01 01"),),
    ),
    "a call that goes on in command mode": Case(
        modules.Cell, ("ATD1", "AT", "--dialect", "v250"), ("ok", "ok"), ("ATD1", "AT")
    ),
}  # fmt: skip

TERSE = """
name = "terse"
[result.done]
line = "W/OK"
status = "ok"
[result.no]
line = "W/NO"
status = "error"
[line]
reply-ends-after-s = 0.4
[command.attention]
run = "AT"
[command.address]
query = "AT+ADR?"
reply = '\\+ADR=(?P<address>\\d+)'
"""
BOARD = """
name = "board"
[line]
end = "crlf"
reply-ends-after-s = 0.4
[command.transmit]
run = "$55 tx1"
[command.lamp]
query = "lamp"
set = "lamp {lamp}"
reply = 'lamp (?P<lamp>[01])'
[command.lamp.parameter.lamp]
choices = ["0", "1"]
[setting.lamp]
rule = "equal"
broken = "lamps {here} and {there}"
"""


REGISTERS = shown("dialects.md", 'name = "heron-registers"')


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder with the dialects of the strangers."""
    (tmp_path / "dialects").mkdir()
    home = tmp_path / "config" / "pale-heron" / "dialects"
    home.mkdir(parents=True)
    for name, text in (("terse", TERSE), ("board", BOARD), ("heron-registers", REGISTERS)):
        (home / f"{name}.toml").write_text(text)
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    return tmp_path


@pytest.mark.parametrize("case", CASES.values(), ids=CASES.keys())
def test_what_is_told_is_what_the_module_did(case: Case, folder: Path) -> None:
    stranger = case.stranger()
    words = [word.removesuffix(".toml") for word in case.words]
    with on_a_pty(stranger) as path:
        done = run("send", f"{path}@9600", *words, "--json")
    told: list[Any] = [json.loads(line) for line in done.stdout.decode().splitlines()]
    assert tuple(each["status"] for each in told) == case.told, (done.stdout, done.stderr)
    assert tuple(stranger.log) == case.did
    assert done.returncode == (0 if set(case.told) == {"ok"} else 1)
    assert b"no answer" not in done.stdout or "no-answer" in case.told
    assert folder.exists()


def test_exact_bytes_and_what_comes_behind_them() -> None:
    registers = modules.Registers()
    frame = bytes((0xA5, 3, 0x01, 0x02))
    text = "".join(f"<0x{byte:02X}>" for byte in frame + bytes((modules.crc8(frame),)))
    with on_a_pty(registers) as path:
        done = run("send", f"{path}@9600", text, "--raw", "--listen", "1s")
        wrong = run("send", f"{path}@9600", "<0x1FF>", "--raw")
    assert registers.log == [(frame + bytes((modules.crc8(frame),))).hex()]
    assert done.returncode == 0, done.stderr
    assert b"5 bytes: A5 03 01 02" in done.stdout
    assert b"heard" in done.stdout
    assert wrong.returncode == 2
    assert b"not 0 to 255" in wrong.stderr


def test_a_line_that_comes_later_is_waited_for() -> None:
    cell = modules.Cell()
    with on_a_pty(cell) as path:
        words = ("send", f"{path}@9600", "AT+SCAN", "--dialect", "standard")
        done = run(*words, "--then", r"\+SCAN: \d", "--limit", "10s")
        never = run(*words, "--then", "nothing like it", "--limit", "1s")
    assert done.returncode == 0, (done.stdout, done.stderr)
    assert b"+SCAN: 3" in done.stdout
    assert never.returncode == 1
    assert b"no line like 'nothing like it'" in never.stderr


def test_orders_by_their_names(folder: Path) -> None:
    (folder / "config" / "pale-heron" / "dialects" / "sedge.toml").write_text(
        """
name = "sedge"
[recognise]
says = ["PSEDG,AGE"]
[action.systems]
meaning = "Which systems are used"
send = "PSEDG,SYS,{systems}"
answered = "PSEDG,ACK,SYS,{systems}"
refused = "PSEDG,NAK"
[action.systems.parameter.systems]
letters = "GREC"
[action.store]
send = "PSEDG,KEEP"
answered = "PSEDG,ACK,KEEP"
"""
    )
    receiver = modules.Receiver()
    routine = folder / "order.toml"
    routine.write_text(
        'name = "orders"\ndialect = "sedge"\n[[step]]\ndo = "order"\norder = "systems"\nvalues = ["GC"]\n'
        '[[step]]\ndo = "send"\nline = "$PSEDG,KEEP"\n'
    )
    with on_a_pty(receiver) as path:
        lane = f"{path}@9600"
        listed, done = run("order", lane), run("order", lane, "systems", "GE", "--json")
        wrong, stored = run("order", lane, "systems", "GX"), run("order", lane, "store")
        steps = run("routine", routine, lane)
    assert b"systems" in listed.stdout
    assert json.loads(done.stdout)["done"] is True, done
    assert wrong.returncode == 2
    assert stored.returncode == 0
    assert steps.returncode == 0, (steps.stdout, steps.stderr)
    assert receiver.log == ["PSEDG,SYS,GE", "PSEDG,KEEP", "PSEDG,SYS,GC", "PSEDG,KEEP"]
    assert receiver.systems == "GC"


@pytest.mark.usefixtures("folder")
def test_settings_and_orders_of_a_module_that_speaks_in_frames() -> None:
    registers = modules.Registers(b"\xa5\x40")
    with on_a_pty(registers) as path:
        lane = f"m={path}@9600"
        known = ("--dialect", "heron-registers")
        before = run("settings", lane, *known, "--set", "power=7")
        written = run("settings", lane, *known, "--set", "power=7", "--write")
        ordered = run("order", lane, "quiet", *known)
        refused = run("send", lane, *known, "write power 300")
    assert before.returncode == 1, (before.stdout, before.stderr)
    assert written.returncode == 0, (written.stdout, written.stderr)
    assert ordered.returncode == 0, (ordered.stdout, ordered.stderr)
    assert b"value: 300 is not 0 to 255" in refused.stderr
    assert registers.registers[1] == 0
    assert modules.framed("02 01 07") in registers.log


@pytest.mark.usefixtures("folder")
def test_two_ends_of_one_kind_whose_lines_end_differently() -> None:
    """Both speak one dialect; what a lane is set to goes before it."""
    here, there = modules.Board(), modules.Board()
    there.end = b"\r"
    there.lamp = "1"
    with on_a_pty(here) as one, on_a_pty(there) as two:
        done = run("settings", f"here={one}@9600", f"there={two}@9600,out=cr", "--dialect", "board")
    assert b"lamps 0 and 1" in done.stdout, (done.stdout, done.stderr)
    assert here.log[-1] == there.log[-1] == "lamp"


def test_a_secret_in_frames_is_masked_as_one_in_lines() -> None:
    written = REGISTERS.replace("[command.power.parameter.power]", "[command.power.parameter.power]\nsecret = true")
    dialect, wrong = read_text(written)
    assert not wrong and dialect.hides_in_frames
    registers = modules.Registers()
    bench, client = bench_on(registers, tomllib.loads(written))
    exchange = client.run("write power 29")
    secrets = bench.module("m").secrets
    assert registers.registers[1] == 29
    assert secrets == {"29"}
    shown = exchange_object(exchange, secrets)
    assert "29" not in f"{shown['command']}{shown['information']}{shown['fields']}"


def test_an_inline_payload_can_be_a_secret_whatever_stands_in_it() -> None:
    say = {**BRIDGE["command"]["say"], "payload-secret": True}
    bridge = modules.Bridge()
    bench, client = bench_on(bridge, {**BRIDGE, "command": {**BRIDGE["command"], "say": say}})
    told = 'ebb "a",b'
    exchange = client.run(f"AT+SAY={len(told)},{told}")
    assert (exchange.status, bridge.aired) == ("ok", [told.encode()])
    assert told not in json.dumps(exchange_object(exchange, bench.module("m").secrets))
