"""`pale-heron send`: commands to a module, orders to a receiver, exact bytes to anything; and what is answered."""

import json
import sys
import time
from collections.abc import Iterator
from typing import Final, NamedTuple

import click

from pale_heron.bench.live.session import Session
from pale_heron.bench.operations.command_client import CommandClient, exchange_object
from pale_heron.bench.operations.order import OrderReply, order
from pale_heron.cli.bench_run import opened
from pale_heron.cli.parameters import SECONDS
from pale_heron.core import figures
from pale_heron.core.device.dialogue.exchanges import (
    ECHO,
    MODE_SAID,
    NOTICE,
    PAYLOAD,
    PROMPT,
    RESULT,
    SENT,
    Exchange,
)
from pale_heron.core.device.schema.command_line import is_command_line
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.notices import OK
from pale_heron.core.frames import IN
from pale_heron.core.line.typed import bytes_of, is_sentence_like
from pale_heron.core.patterns import Broken, limited
from pale_heron.core.sharing.masking import shown, without
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.core.wire.visible import safe_text
from pale_heron.ports.nicknames import lane_named
from pale_heron.ports.sender import SendJob

THEN_S: Final = 60.0
RAW_S: Final = 2.0
LOOK_S: Final = 0.05
IDENTITY: Final = "ATI"
ESCAPE: Final = "+++"


class SendOptions(NamedTuple):
    """How it is sent and what is waited for; seconds, 0 for as long as the dialect says, or not at all."""

    limit_s: float
    then: str
    listen_s: float
    raw: bool
    as_json: bool
    show_secrets: bool
    yes: bool


@click.command("send")
@click.argument("lane", metavar="LANE", help="[nickname=]ADDRESS[@rate[,framing][,flow]]")
@click.argument("commands", nargs=-1, required=True, metavar="COMMAND...", help="Command lines, one after the other.")
@click.option("--dialect", default="", help="How the module speaks; else it is asked with ATI once AT is answered.")
@click.option("--payload", multiple=True, help="What is sent at the prompt of a command; again for the next prompt.")
@click.option(
    "--limit", type=SECONDS, default="0", help="Wait so long for each answer, as in 20s; else as its dialect says."
)
@click.option("--then", default="", metavar="PATTERN", help="Wait for a line like this behind the last answer.")
@click.option("--listen", type=SECONDS, default="0", help="Go on listening so long, and print what comes.")
@click.option("--raw", is_flag=True, help="Exactly these bytes: <0x55> <ESC> are bytes, nothing is added.")
@click.option("--mode", type=click.Choice(["command", "data"]), help="In which mode it is, where you know.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object an exchange.")
@click.option("--show-secrets", is_flag=True, help="Do not mask what must not be shared.")
@click.option("--yes", is_flag=True, help="Do not ask before commands that risk something, nor in data mode.")
def send(
    lane: str,
    commands: tuple[str, ...],
    dialect: str,
    payload: tuple[str, ...],
    limit: float,
    then: str,
    listen: float,
    raw: bool,
    mode: str | None,
    as_json: bool,
    show_secrets: bool,
    yes: bool,
) -> None:
    """Send commands to a module and explain its answers. Exit status 1 where it said no, or nothing.

    On a terminal, commands that erase, cost, transmit or restart ask first; in a script they do not. A sentence ($...)
    is an order to a receiver: it gets its checksum where the lane speaks sentences, and its replies are told.

    Example: pale-heron send /dev/ttyUSB0@115200 AT 'AT+CSQ' 'AT+CREG?'

    Example: pale-heron send /dev/ttyUSB0@115200 'AT+CMGF=1' 'AT+CMGS="+99905550142"' --payload 'Ebb at 10:40'

    Example: pale-heron send /dev/ttyUSB0@9600 '<0xC1 0x00 0x03>' --raw --listen 1s
    """
    spec = lane_named(lane)
    options = SendOptions(limit, then, listen, raw, as_json, show_secrets, yes)
    _check_pattern(then)
    with opened([spec], dialect) as session:
        if mode is not None:
            session.note(spec.name, MODE_SAID, {"mode": mode})
        sending = _Sending(session, spec.name, list(payload), options, recognises=not (dialect or spec.dialect or mode))
        answered = [sending.one(command) for command in commands]
        every_ok = all((*answered, sending.listen()))
    if sending.payloads:
        click.echo(f"pale-heron: {figures.several(len(sending.payloads), 'payload')} found no prompt", err=True)
    if not every_ok or sending.payloads:
        raise click.exceptions.Exit(Exit.NO)


def _check_pattern(pattern: str) -> None:
    try:
        limited(pattern)
    except Broken as problem:
        raise Trouble(f"--then {pattern!r} is not a regular expression: {problem}", "Quote it: --then 'SENT'") from None


class _Sending:
    """One lane, and what is still to be sent at its prompts."""

    def __init__(
        self, session: Session, lane: str, payloads: list[str], options: SendOptions, *, recognises: bool
    ) -> None:
        self._session = session
        self._lane = lane
        self._client = CommandClient(session, lane)
        self._recognises = recognises
        self._options = options
        self._ear = session.listen(lane)
        self.payloads = payloads

    def one(self, text: str) -> bool:
        """Send one, and print what became of it; whether it was answered, and not with no."""
        if self._options.raw:
            return self._raw(text)
        if is_sentence_like(text.encode("latin-1", "replace")):
            return self._order(text)
        _check(self._client, text, self._options.yes)
        if text in (self._client.dialect.escape if self._client.dialect else "", ESCAPE):
            return self._escape()
        exchange = self._client.run(
            text, self._payload, anyway=self._options.yes, within_s=self._options.limit_s or None
        )
        exchange = self._introduced(text, exchange)
        secrets = frozenset() if self._options.show_secrets else self._client.secrets
        if self._options.as_json:
            print(json.dumps(exchange_object(exchange, secrets), ensure_ascii=False), flush=True)
        else:
            open_secret = self._options.show_secrets
            print(_words(exchange, self._client.dialect, secrets, open_secret=open_secret), flush=True)
        return exchange.status == OK

    def _payload(self) -> bytes | None:
        return self.payloads.pop(0).encode() if self.payloads else None

    def _introduced(self, text: str, exchange: Exchange) -> Exchange:
        """Ask once what it is, of a module that takes AT commands; gives the exchange as its dialect pairs it."""
        if not self._recognises or exchange.status != OK or not is_command_line(text) or self._client.data_mode:
            return exchange
        self._recognises = False
        if text.upper() != IDENTITY:
            self._client.run(IDENTITY)
        module = self._client.module
        again = (
            [each for each in module.items if isinstance(each, Exchange) and each.begun == exchange.begun]
            if module
            else []
        )
        return again[-1] if again and again[-1].status else exchange

    def _raw(self, text: str) -> bool:
        """Send exactly these bytes."""
        try:
            data = bytes_of(text)
        except ValueError as problem:
            raise Trouble(f"{text!r} cannot be sent: {problem}", "Write bytes as <0x55>, and << for <") from None
        self._session.send(self._lane, SendJob(data, text))
        if not self._options.as_json:
            print(f"{len(data)} bytes: {data.hex(' ').upper()}")
        return True

    def _order(self, text: str) -> bool:
        """Send a sentence to a receiver."""
        found = order(self._session, self._lane, text, within_s=self._options.limit_s or 2.0)
        print(json.dumps(order_object(found), ensure_ascii=False) if self._options.as_json else order_words(found))
        return bool(found.replies) and not found.refused

    def _escape(self) -> bool:
        """Lead the module to command mode: silence, the sequence without a line end, silence."""
        if self._client.dialect is None:
            raise Trouble("Nobody knows yet how this module speaks", "Send AT first, or say --dialect v250")
        in_command_mode = self._client.escape()
        print("command mode" if in_command_mode else "it stays in data mode, or does not answer")
        return in_command_mode

    def listen(self) -> bool:
        """What comes behind the last answer; whether what was waited for came."""
        options = self._options
        within = options.listen_s or (RAW_S if options.raw else 0.0)
        if options.then:
            within = options.limit_s or THEN_S
        wanted = limited(options.then) if options.then else None
        for line in self._heard(within):
            print(
                json.dumps({"heard": line}, ensure_ascii=False) if options.as_json else f"  heard   {line}", flush=True
            )
            if wanted is not None and wanted.search(line):
                return True
        if wanted is not None:
            click.echo(f"pale-heron: no line like {options.then!r} came within {figures.duration(within)}", err=True)
        return wanted is None

    def _heard(self, within_s: float) -> Iterator[str]:
        """Lines as they come; of what came before only what nobody was told of."""
        if not self._options.raw:
            self._ear.take()
        end, over = time.monotonic() + within_s, within_s <= 0
        secrets = self._client.secrets if not self._options.show_secrets else frozenset()
        while not over:
            over = time.monotonic() >= end
            for frame in self._ear.take():
                if frame.direction is IN and frame.data.strip():
                    yield safe_text(without(frame.data.strip().decode("latin-1"), secrets).encode("latin-1", "replace"))
            time.sleep(LOOK_S)


def _check(client: CommandClient, command: str, yes: bool) -> None:
    """Ask before what risks something; say what is not legal, and leave it to the module to say so too."""
    if refusal := client.speaks.line.refusal(command):
        raise Trouble(f"{command!r} cannot be sent: {refusal}", "Quote it as one word: 'AT+CSQ'; --raw sends bytes")
    for spoken in client.speaks.spoken(command):
        if spoken.wrong:
            click.echo(f"pale-heron: {spoken.wrong}", err=True)
    if yes or not sys.stdin.isatty():
        return
    risk = client.risk(command)
    if risk and not click.confirm(f"{command}: {risk}. Send it?"):
        raise click.exceptions.Exit(Exit.NO)


def order_object(found: OrderReply) -> dict[str, object]:
    """An order as `--json` prints it."""
    status = "no-answer" if not found.replies else "error" if found.refused else OK
    took = None if found.seconds is None else round(1000 * found.seconds, 3)
    return {
        "order": found.sent,
        "note": found.note,
        "replies": list(found.replies),
        "elapsed_ms": took,
        "status": status,
    }


def order_words(found: OrderReply) -> str:
    """An order for people."""
    note = f"   {found.note}" if found.note else ""
    rows = [f"{found.sent}{note}", *(f"  reply   {each}" for each in found.replies)]
    if not found.replies:
        rows.append("  nothing acknowledged it: a receiver may do so all the same, and say nothing")
    return "\n".join(rows)


_SHOWN: Final = {ECHO: "echo", NOTICE: "notice", PROMPT: "prompt", SENT: "sent", PAYLOAD: "payload"}


def _words(exchange: Exchange, dialect: Dialect | None, secrets: frozenset[str], *, open_secret: bool) -> str:
    """For people: the command, its reply line by line with the fields named, and the result."""
    rows = [shown(exchange.sent, secrets)]
    rows += [f"    {each.meaning}" for each in exchange.commands if each.meaning]
    for heard in exchange.heard:
        if heard.role in (ECHO, RESULT):
            continue
        rows.append(f"  {_SHOWN.get(heard.role, ''):<8}{shown(heard.data, secrets)}")
        fields = ((dialect.field_of(name), raw) for name, raw in heard.fields if raw) if dialect else ()
        rows += [
            f"{'':12}{each.meaning or each.name}: {without(each.in_words(raw, open_secret=open_secret), secrets)}"
            for each, raw in fields
        ]
    took = "" if exchange.seconds is None else f"  after {1000 * exchange.seconds:.0f} ms"
    meaning = f"  {without(exchange.meaning, secrets)}" if exchange.meaning and exchange.status != OK else ""
    return "\n".join([*rows, f"  {exchange.result or 'no answer'}{took}{meaning}"])
