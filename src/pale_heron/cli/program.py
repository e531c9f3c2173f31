"""The program `pale-heron`: its commands, and how every one of them ends."""

import importlib
import os
import sys
from typing import Annotated, Any, Final, NoReturn

import typer
from typer.core import TyperGroup

from pale_heron import __version__
from pale_heron.core.trouble import Exit, Trouble, fault_words
from pale_heron.core.wire.visible import safe_label

COMMANDS: Final = {
    "demo": "demo",
    "watch": "watch",
    "open": "open_capture",
    "ports": "ports",
    "record": "record",
    "decode": "decode",
    "summary": "summary",
    "chart": "chart",
    "export": "export",
    "redact": "redact",
    "send": "send",
    "settings": "settings",
    "routine": "routine",
    "dialect": "dialect",
    "sim": "sim",
}
"""Commands by their names, each with its module, which holds a function of that name, or an `app` of several."""

HELP: Final = {"help_option_names": ["-h", "--help"]}


class Commands(TyperGroup):
    """Loads the module of the command that is asked for alone: the first picture does not wait for all."""

    def list_commands(self, ctx: Any) -> list[str]:  # noqa: ARG002 - of the toolkit
        """All there are."""
        return list(COMMANDS)

    def get_command(self, ctx: Any, cmd_name: str) -> Any:  # noqa: ARG002 - of the toolkit
        """One of them; None where there is no such."""
        if cmd_name not in COMMANDS:
            return None
        module = importlib.import_module(f"pale_heron.cli.{COMMANDS[cmd_name]}")
        several = getattr(module, "app", None)
        if several is not None:
            command = typer.main.get_command(several)
        else:
            one = typer.Typer(add_completion=False, rich_markup_mode=None, context_settings=HELP)
            one.command(cmd_name)(getattr(module, COMMANDS[cmd_name]))
            command = typer.main.get_command(one)
        command.name = cmd_name
        return command


app = typer.Typer(
    cls=Commands,
    name="pale-heron",
    help="Watch live serial traffic from GNSS receivers and wireless links, from the first byte to the final proof.",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings=HELP,
)


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
