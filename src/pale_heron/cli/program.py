"""The program `pale-heron`: its commands, and how every one of them ends."""

import gc
import importlib
import sys
from collections.abc import Sequence
from typing import Final, NoReturn

import click

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
    "order": "order",
    "settings": "settings",
    "routine": "routine",
    "dialect": "dialect",
    "trial": "trial",
    "answer": "answer",
    "link": "link",
    "clock": "clock",
    "expect": "expect",
    "report": "report",
    "cut": "cut",
    "mark": "mark",
    "join": "join",
    "compare": "compare",
    "sim": "sim",
    "completion": "completion",
}
"""Commands by their names, each with its module, which holds a command of that name."""

SCREENS: Final = ("demo", "watch", "open")
"""Those that go on loading until their first picture stands."""


class LazyCommands(click.Group):
    """Loads the module of the command that is asked for alone: the first picture does not wait for all."""

    def list_commands(self, ctx: click.Context) -> list[str]:  # noqa: ARG002 - of the toolkit
        """All there are."""
        return list(COMMANDS)

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """The command that is asked for; for an unknown one the nearest is named."""
        try:
            return super().resolve_command(ctx, args)
        except click.NoSuchCommand as unknown:
            raise click.NoSuchCommand(unknown.command_name, possibilities=COMMANDS, ctx=ctx) from None

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:  # noqa: ARG002 - of the toolkit
        """One of them; None where there is no such command."""
        name = COMMANDS.get(cmd_name)
        if name is None:
            return None
        command = getattr(importlib.import_module(f"pale_heron.cli.{name}"), name)
        assert isinstance(command, click.Command)
        if cmd_name not in SCREENS:
            gc.freeze()
            gc.enable()
        return command


@click.group(
    cls=LazyCommands,
    name="pale-heron",
    no_args_is_help=True,
    context_settings={"help_option_names": ["-h", "--help"]},
)
@click.version_option(__version__, message="pale-heron %(version)s", help="Print the version.")
def program() -> None:
    """Watch live serial traffic from GNSS receivers and wireless links, from the first byte to the final proof.

    Example: pale-heron demo
    """


def main() -> NoReturn:
    """Run the command that was typed, and end with its status."""
    sys.exit(status_of())


def status_of(words: Sequence[str] | None = None) -> int:
    """Run one command, that was typed unless it is given; trouble becomes one message, a fault of ours says so."""
    status: int = Exit.DONE
    try:
        status = program.main(words, prog_name="pale-heron", standalone_mode=False) or Exit.DONE
    except click.ClickException as wrong:
        wrong.show()
        status = wrong.exit_code
    except click.Abort as given_up:
        status = Exit.INTERRUPTED if isinstance(given_up.__cause__, KeyboardInterrupt) else Exit.NO
    except Trouble as trouble:
        click.echo(f"pale-heron: {safe_label(str(trouble))}", err=True)
        status = Exit.WRONG_USAGE
    except Exception as fault:
        # Whatever it is: no user sees a traceback, which may show what must not be shared.
        click.echo(f"pale-heron: {fault_words(fault)}", err=True)
        status = Exit.OWN_FAULT
    return int(status)
