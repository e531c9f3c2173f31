"""`pale-heron completion`: the script that completes commands and options in a shell."""

from typing import Final

import click
from click.shell_completion import get_completion_class

SHELLS: Final = ("bash", "zsh", "fish")


@click.command("completion")
@click.argument("shell", type=click.Choice(SHELLS), help="Which shell.")
def completion(shell: str) -> None:
    """Print the script that completes commands in a shell.

    Example: pale-heron completion bash > ~/.local/share/bash-completion/completions/pale-heron

    Example: pale-heron completion fish > ~/.config/fish/completions/pale-heron.fish
    """
    # Its commands are the program's; loaded here, since the program loads this.
    from pale_heron.cli.program import program

    kind = get_completion_class(shell)
    assert kind is not None, "the toolkit knows the shells that are offered"
    click.echo(kind(program, {}, "pale-heron", "_PALE_HERON_COMPLETE").source())
