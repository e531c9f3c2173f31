"""The program `pale-heron`: its commands, and how every one of them ends."""

import os
import sys
from typing import Annotated, NoReturn

import typer

from pale_heron import __version__
from pale_heron.cli import (
    chart,
    decode,
    demo,
    dialect,
    export,
    open_capture,
    ports,
    record,
    redact,
    routine,
    send,
    settings,
    sim,
    summary,
    watch,
)
from pale_heron.core.trouble import Exit, Trouble, fault_words
from pale_heron.core.wire.visible import safe_label

app = typer.Typer(
    name="pale-heron",
    help="Watch live serial traffic from GNSS receivers and wireless links, from the first byte to the final proof.",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
)
app.command("demo")(demo.demo)
app.command("watch")(watch.watch)
app.command("open")(open_capture.open_capture)
app.command("ports")(ports.ports)
app.command("record")(record.record)
app.command("decode")(decode.decode)
app.command("summary")(summary.summary)
app.command("chart")(chart.chart)
app.command("export")(export.export)
app.command("redact")(redact.redact)
app.command("send")(send.send)
app.command("settings")(settings.settings)
app.command("routine")(routine.routine)
app.add_typer(dialect.app, name="dialect")
app.command("sim")(sim.sim)


def _print_version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"pale-heron {__version__}")
        raise typer.Exit


@app.callback()
def _program(
    _version: Annotated[
        bool, typer.Option("--version", help="Print the version.", callback=_print_version, is_eager=True)
    ] = False,
) -> None:
    """Options that stand before a command."""


def main() -> NoReturn:
    """Run one command; trouble becomes one message, a fault of ours says so and asks for a report."""
    try:
        status = app(standalone_mode=True)
    except Trouble as trouble:
        typer.echo(f"pale-heron: {safe_label(str(trouble))}", err=True)
        status = Exit.WRONG_USAGE
    except BrokenPipeError:
        # Whoever read our output has had enough; the interpreter must not try to write the rest at its end.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        status = Exit.DONE
    except KeyboardInterrupt:
        status = Exit.DONE
    except Exception as fault:
        # Whatever it is: no user sees a traceback, which may show what must not be shared.
        typer.echo(f"pale-heron: {fault_words(fault)}", err=True)
        status = Exit.OWN_FAULT
    sys.exit(status)
