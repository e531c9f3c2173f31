"""Dialects drafted of conversations with strangers: sound as they are, and they explain what they were drafted of."""

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import pytest

from pale_heron.bench.config.dialect_draft import drafted
from pale_heron.bench.config.dialects import read_text
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.device.claims import claimed
from pale_heron.core.device.dialogue.conversation import Conversation
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.frames import Chunk
from pale_heron.core.line.settings import ENDINGS_OUT
from pale_heron.ports.sender import SendJob
from tests.bench.modules import ModuleBench
from tests.cli.test_commands import run
from tests.strangers import modules
from tests.strangers.stranger import Stranger
from tests.strangers.test_harm import bench_on


class Talk(NamedTuple):
    """What was typed to a stranger, and what the draft must have found."""

    stranger: Callable[[], Stranger]
    end: str
    lines: tuple[str, ...]
    commands: frozenset[str]
    results: tuple[str, ...]
    reply_ends: bool


TALKS = {
    "result words of its own": Talk(
        modules.Terse, "cr", ("AT", "AT+ADR?", "AT+ADR=14", "AT+PWR?", "AT+PWR=2", "AT+NO?"),
        frozenset({"at", "adr", "pwr", "no"}), ("W/OK", "W/NO"), True,
    ),
    "a board": Talk(
        modules.Board, "crlf", ("lamp", "lamp 1", "lamp", "$55 tx1"), frozenset({"lamp", "tx1"}), (), True
    ),
    "a cellular module": Talk(
        modules.Cell, "cr", ("AT", "ATI", "AT+CGDCONT?", "AT+BAND?", "AT+BAND=8", "AT+NONSENSE"),
        frozenset({"information", "cgdcont", "band", "nonsense"}), (), False,
    ),
}  # fmt: skip


def talked(talk: Talk) -> ModuleBench:
    bench, _ = bench_on(talk.stranger())
    for line in talk.lines:
        bench.send("m", SendJob(line.encode() + ENDINGS_OUT[talk.end]))
        bench.advance(1.0)
    return bench


def unclaimed(chunks: list[Chunk], dialect: Dialect) -> list[bytes]:
    """The lines that nobody claims."""
    conversation = Conversation(dialect)
    for chunk in chunks:
        conversation.feed(chunk)
    conversation.tick((chunks[-1].time or 0) + 10_000_000_000)
    return [each.data for item in conversation.items for each in claimed(item, dialect) if not each.rule]


@pytest.mark.parametrize("talk", TALKS.values(), ids=TALKS.keys())
def test_what_is_learnt_is_sound_and_explains_the_conversation(talk: Talk) -> None:
    chunks = [each for each in talked(talk).records if isinstance(each, Chunk)]
    text = drafted(chunks, "learnt")
    dialect, wrong = read_text(text)
    assert not wrong, text
    own = {name for name in dialect.commands if dialect.extends != "v250" or f"[command.{name}]" in text}
    assert own == talk.commands, text
    told = tuple(each.line.pattern for each in dialect.results.values() if each.line.pattern in talk.results)
    assert sorted(told) == sorted(talk.results)
    assert bool(dialect.line.reply_ends_s) is talk.reply_ends
    assert dialect.line.end == talk.end
    assert "# guessed: " in text
    assert unclaimed(chunks, dialect) == []


def test_lines_of_one_reply_have_fields_of_their_own() -> None:
    chunks = [each for each in talked(TALKS["a board"]).records if isinstance(each, Chunk)]
    dialect, _ = read_text(drafted(chunks, "learnt"))
    assert [list(each.groupindex) for each in dialect.commands["tx1"].replies] == [["tx1"], ["air"]]


def test_a_dialect_says_what_it_does_not_claim() -> None:
    chunks = [each for each in talked(TALKS["result words of its own"]).records if isinstance(each, Chunk)]
    text = 'name = "short"\n[result.done]\nline = "W/OK"\nstatus = "ok"\n[command.attention]\nrun = "AT"\n'
    dialect, wrong = read_text(text)
    assert not wrong
    left = unclaimed(chunks, dialect)
    assert b"+ADR=12" in left
    assert b"AT+ADR=14" in left
    assert b"W/OK" not in left


def test_learn_and_try_at_the_prompt(tmp_path: Path) -> None:
    bench = talked(TALKS["result words of its own"])
    capture = tmp_path / "talk.pcapng"
    writer = CaptureWriter(capture)
    writer.add_lane("m", "x", None)
    for each in bench.records:
        if isinstance(each, Chunk):
            writer.chunk(each)
    writer.close()
    draft = tmp_path / "terse.toml"
    learnt = run("dialect", "learn", capture, "-o", draft)
    assert learnt.returncode == 0, learnt.stderr
    again = run("dialect", "learn", capture, "-o", draft)
    assert again.returncode == 2
    assert run("dialect", "check", draft).returncode == 0
    tried = run("dialect", "try", draft, capture)
    assert tried.returncode == 0, tried.stdout
    assert b"result.w-ok" in tried.stdout
    assert b"adr: 12" in tried.stdout
    other = run("dialect", "try", "v250", capture)
    assert other.returncode == 1
    assert b"?? nobody claims it" in other.stdout
