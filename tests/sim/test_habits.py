"""The habits of other modules, which the simulated ones can be given, and what is told of them."""

import subprocess
import sys
from pathlib import Path

import pytest
from tests.bench.modules import MAKERS, ModuleBench

from pale_heron.bench.operations.command_client import CommandClient
from pale_heron.core.device.dialogue.exchanges import COMMAND, DATA
from pale_heron.core.trouble import Trouble
from pale_heron.sim.modem import HABITS


def bench_with(kind: str, *habits: str, dialect: str = "standard") -> tuple[ModuleBench, CommandClient]:
    modem = MAKERS[kind]()
    modem.habits = frozenset(habits)
    bench = ModuleBench(m=modem)
    bench.advance(1.0)
    if dialect:
        bench.choose("m", dialect)
    return bench, CommandClient(bench, "m")


def test_words_of_its_own_and_no_result_are_answers_all_the_same() -> None:
    _, client = bench_with("bittern", "own-words")
    found = client.run("AT")
    assert (found.status, [each.data for each in found.information]) == ("unclear", [b"W/OK"])
    _, client = bench_with("bittern", "no-result")
    assert client.run("AT+NODE?").status == "unclear"
    assert client.run("AT").status == "ok", "the next one is heard as what it is"


def test_a_prompt_behind_ok_has_its_bytes() -> None:
    for dialect in ("bittern", "standard"):
        bench, client = bench_with("bittern", "ok-before-prompt", dialect=dialect)
        found = client.run("AT+TELL=8,5", b"ebb 7")
        assert b"ebb 7" in b"".join(bench.sent), dialect
        assert found.status in ("ok", "error", "unclear")
        assert "its payload" not in [getattr(each, "waits", "") for each in bench.module("m").items]
        assert client.run("AT").status == "ok"


def test_being_connected_is_not_data_mode_where_ok_follows() -> None:
    bench, client = bench_with("wren", "ok-after-connect", dialect="wren")
    assert client.run("AT+LINK").status == "ok"
    bench.advance(1.0)
    assert bench.module("m").mode == COMMAND
    assert client.run("AT").status == "ok"


def test_a_silent_escape_and_one_that_leaves_by_itself_are_found_out_by_an_answer() -> None:
    for habit in ("silent-escape", "leaves-data"):
        bench, client = bench_with("wren", habit, dialect="wren")
        assert client.run("AT+LINK").status == "ok"
        bench.advance(1.0)
        assert bench.module("m").mode == DATA
        if habit == "silent-escape":
            client.escape()
        bench.advance(15.0)
        with pytest.raises(Trouble, match="is in data mode"):
            client.run("AT")
        assert client.run("AT", anyway=True).status == "ok"
        assert bench.module("m").mode == COMMAND, habit


def test_talk_of_an_earlier_start_is_no_start() -> None:
    bench, client = bench_with("bittern", "talks-at-start")
    assert client.run("AT").status == "ok"
    bench.advance(100.0)
    assert len(bench.module("m").restarts) <= 1


@pytest.mark.parametrize(
    ("words", "told"),
    [(("curlew", "--habit", "own-words"), b"curlew has no --habit"), (("teal", "--habit", "own-word"), b"'own-words'")],
)
def test_a_habit_that_is_not_there_is_told(words: tuple[str, ...], told: bytes) -> None:
    done = subprocess.run([sys.executable, "-m", "pale_heron", "sim", *words], capture_output=True, check=False)
    assert done.returncode == 2
    assert told in done.stderr


def test_every_habit_is_one_of_these_tests() -> None:
    source = Path(__file__).read_text("utf-8")
    assert [each for each in HABITS if f'"{each}"' not in source] == []
