"""`pale-heron send`: commands to a module, and its answers."""

import json
import sys
from typing import Final

import click

from pale_heron.bench.operations.command_client import CommandClient, exchange_object
from pale_heron.cli.bench_run import opened
from pale_heron.core import figures
from pale_heron.core.device.dialogue.exchanges import ECHO, NOTICE, PAYLOAD, PROMPT, RESULT, SENT, Exchange
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.line_form import LineForm
from pale_heron.core.device.schema.notices import OK
from pale_heron.core.sharing.masking import shown, without
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.ports.nicknames import lane_named


@click.command("send")
@click.argument("lane", metavar="LANE", help="[nickname=]ADDRESS[@rate[,framing][,flow]]")
@click.argument("commands", nargs=-1, required=True, metavar="COMMAND...", help="Command lines, one after the other.")
@click.option("--dialect", default="", help="How the module speaks; else it is recognised, or `standard`.")
@click.option("--payload", multiple=True, help="What is sent at the prompt of a command; again for the next prompt.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object an exchange.")
@click.option("--show-secrets", is_flag=True, help="Do not mask what must not be shared.")
@click.option("--yes", is_flag=True, help="Do not ask before commands that risk something.")
def send(
    lane: str,
    commands: tuple[str, ...],
    dialect: str,
    payload: tuple[str, ...],
    as_json: bool,
    show_secrets: bool,
    yes: bool,
) -> None:
    """Send commands to a module and explain its answers. Exit status 1 where it said no, or nothing.

    On a terminal, commands that erase, cost, transmit or restart ask first; in a script they do not.

    Example: pale-heron send /dev/ttyUSB0@115200 AT 'AT+CSQ' 'AT+CREG?'

    Example: pale-heron send /dev/ttyUSB0@115200 'AT+CMGF=1' 'AT+CMGS="+99905550142"' --payload 'Ebb at 10:40'
    """
    spec = lane_named(lane)
    payloads = list(payload or [])
    every_ok = True
    with opened([spec], dialect) as session:
        client = CommandClient(session, spec.name)
        for command in commands:
            _check(client.dialect, command, yes)
            if command in (client.dialect.escape if client.dialect else "", ESCAPE):
                every_ok = _escape(client) and every_ok
                continue
            exchange = client.run(command, lambda: payloads.pop(0).encode() if payloads else None)
            every_ok = every_ok and exchange.status == OK
            secrets = frozenset() if show_secrets else client.secrets
            if as_json:
                print(json.dumps(exchange_object(exchange, secrets), ensure_ascii=False))
            else:
                print(_words(exchange, client.dialect, secrets, open_secret=show_secrets))
    if payloads:
        click.echo(f"pale-heron: {figures.several(len(payloads), 'payload')} found no prompt", err=True)
    if not every_ok or payloads:
        raise click.exceptions.Exit(Exit.NO)


def _escape(client: CommandClient) -> bool:
    """Lead the module to command mode: silence, the sequence without a line end, silence."""
    if client.dialect is None:
        raise Trouble("Nobody knows yet how this module speaks", "Send AT first, or say --dialect v250")
    in_command_mode = client.escape()
    print("command mode" if in_command_mode else "it stays in data mode, or does not answer")
    return in_command_mode


def _check(dialect: Dialect | None, command: str, yes: bool) -> None:
    """Ask before what risks something; say what is not legal, and leave it to the module to say so too."""
    if refusal := (dialect.line if dialect else LineForm()).refusal(command):
        raise Trouble(f"{command!r} cannot be sent: {refusal}", "Quote it as one word: 'AT+CSQ'")
    for spoken in dialect.spoken(command) if dialect else ():
        if spoken.wrong:
            click.echo(f"pale-heron: {spoken.wrong}", err=True)
        asks = spoken.risk and not yes and sys.stdin.isatty()
        if asks and not click.confirm(f"{spoken.text}: {spoken.risk}. Send it?"):
            raise click.exceptions.Exit(Exit.NO)


ESCAPE: Final = "+++"
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
    meaning = f"  {exchange.meaning}" if exchange.meaning and exchange.status != OK else ""
    return "\n".join([*rows, f"  {exchange.result or 'no answer'}{took}{meaning}"])
