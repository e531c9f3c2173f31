"""`pale-heron dialect try` and `dialect learn`: a dialect against real traffic, and one drafted of it."""

import time
from collections.abc import Iterable, Iterator
from pathlib import Path
from threading import Lock

import click

from pale_heron.bench.config.dialect_draft import drafted
from pale_heron.bench.config.dialects import named_dialect, read_text, user_folder
from pale_heron.bench.sources import Source
from pale_heron.cli.bench_run import opened
from pale_heron.cli.parameters import FILE, FORCE, SECONDS, free_output
from pale_heron.core import figures
from pale_heron.core.device.claims import ClaimedLine, claimed
from pale_heron.core.device.dialogue.conversation import Conversation
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.frames import OUT, Chunk
from pale_heron.core.sharing.dialect_tables import DialectTables
from pale_heron.core.sharing.masking import masked_command
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_text
from pale_heron.files.user_folders import is_there
from pale_heron.files.whole import written_whole
from pale_heron.ports.nicknames import lane_named
from pale_heron.ports.sender import SendJob

LOOK_S = 0.05


@click.command("try")
@click.argument("dialect", help="A dialect file (TOML), or the name of one that can be used.")
@click.argument("where", metavar="LANE|CAPTURE", help="Real traffic: a capture, or a lane to listen to.")
@click.argument("commands", nargs=-1, metavar="[COMMAND]...", help="Of a lane: what is sent, one after the other.")
@click.option("--lane", default="", help="Of a capture with several lanes: which.")
@click.option("--listen", type=SECONDS, default="5s", help="Of a lane: how long each answer is waited for.")
def try_out(dialect: str, where: str, commands: tuple[str, ...], lane: str, listen: float) -> None:
    """Show line by line what a dialect makes of real traffic: which rule, which fields, and what nobody claims.

    Exit status 1 where a line is claimed by nothing. On a lane only what you name is sent.

    Example: pale-heron dialect try my-modem.toml morning.pcapng --lane hide

    Example: pale-heron dialect try my-modem.toml /dev/ttyUSB0@9600 AT 'AT+NODE?'
    """
    speaks = named_dialect(dialect)
    path = Path(where)
    chunks = _captured(path, lane) if is_there(path) and path.is_file() else _live(where, speaks, commands, listen)
    conversation = Conversation(speaks)
    unclaimed = lines = told = 0
    secrets = DialectTables([speaks])
    for chunk in chunks:
        conversation.feed(chunk)
        for item in conversation.items_since(told):
            for each in claimed(item, speaks):
                lines, unclaimed = lines + 1, unclaimed + (not each.rule)
                print(_row(each, secrets), flush=True)
        told = conversation.ended_count
    for item in conversation.items[len(conversation.items_since(0)) :]:
        for each in claimed(item, speaks):
            lines, unclaimed = lines + 1, unclaimed + (not each.rule)
            print(_row(each, secrets))
    print(f"{figures.several(lines, 'line')}, {unclaimed} that nobody claims")
    if unclaimed or not lines:
        raise click.exceptions.Exit(Exit.NO)


def _row(each: ClaimedLine, secrets: DialectTables) -> str:
    """One line for people."""
    at = "" if each.time is None else clock(each.time, 3)
    text = safe_text(each.data)
    shown = masked_command(secrets, text) if each.sent else text
    fields = "".join(f"\n{'':36}{name}: {words}" for name, words in each.fields)
    return f"{at:<13} {'▸' if each.sent else '◂'} {shown:<40} {each.rule or '?? nobody claims it'}{fields}"


def _captured(path: Path, lane: str) -> Iterator[Chunk]:
    """The bytes of one lane of a capture. Raises Trouble where there are several and none is named."""
    source = Source(path)
    if not source.is_capture:
        raise Trouble(f"{path} is a raw log: it holds one direction alone", "Use a capture: pale-heron record")
    found = ""
    for record in source.records():
        if not isinstance(record, Chunk) or (lane and record.lane != lane):
            continue
        found = found or record.lane
        if record.lane != found:
            raise Trouble(f"{path} has several lanes: {found}, {record.lane}", f"Say which: --lane {found}")
        yield record


def _live(where: str, speaks: Dialect, commands: Iterable[str], listen_s: float) -> Iterator[Chunk]:
    """What a lane says, and what is sent to it."""
    spec = lane_named(where)
    heard: list[Chunk] = []
    guard = Lock()

    def take(chunk: Chunk) -> None:
        with guard:
            heard.append(chunk)

    with opened([spec]) as session:
        leave = session.tap(spec.name, take)
        try:
            for command in commands or ("",):
                if command:
                    data = speaks.line.typed(command, spec.settings.chosen_end)
                    yield Chunk(spec.name, OUT, session.clock.now(), data)
                    session.send(spec.name, SendJob(data, command))
                end = time.monotonic() + listen_s
                while time.monotonic() < end:
                    time.sleep(LOOK_S)
                    with guard:
                        come, heard[:] = list(heard), []
                    yield from come
        finally:
            leave()


@click.command("learn")
@click.argument("capture", type=FILE, help="A recorded conversation with the module.")
@click.option("--lane", default="", help="Of several lanes: which.")
@click.option("--name", default="", help="The name of the dialect; else that of the lane.")
@click.option("-o", "--out", type=FILE, help="The file; else one in your own folder.")
@FORCE
def learn(capture: Path, lane: str, name: str, out: Path | None, force: bool) -> None:
    """Draft a dialect of a recorded conversation: commands, forms of replies, result words. Guesses are marked.

    Record the conversation first: pale-heron watch, and type the commands of the handbook in Module.

    Example: pale-heron dialect learn morning.pcapng --lane hide -o draft.toml
    """
    chunks = list(_captured(capture, lane))
    if not chunks:
        raise Trouble(f"{capture} holds nothing of {lane or 'any lane'}", "pale-heron summary lists its lanes")
    called = name or "".join(each if each.isalnum() else "-" for each in chunks[0].lane.lower()).strip("-") or "mine"
    try:
        text = drafted(chunks, called)
    except ValueError as problem:
        raise Trouble(f"{capture}: {problem}", "Record a conversation in both directions") from None
    path = out or user_folder() / f"{called}.toml"
    free_output(path, force=force, of=[capture])
    path.parent.mkdir(parents=True, exist_ok=True)
    with written_whole(path) as fresh:
        fresh.write_text(text, "utf-8")
    dialect, wrong = read_text(text)
    guesses = text.count("# guessed: ")
    counts = f"{len(dialect.commands)} commands, {len(dialect.notices)} notices, {guesses} guesses to look at"
    print(f"{path}: {counts}{f', {len(wrong)} mistakes' if wrong else ''}")
    print(f"Then: pale-heron dialect try {path} {capture}")
