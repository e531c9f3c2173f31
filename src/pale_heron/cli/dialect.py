"""`pale-heron dialect`: the files that say how a kind of device is told things."""

import json
from pathlib import Path
from typing import Annotated

import typer

from pale_heron.bench.dialects import known_dialects, named_dialect, read_file, user_folder
from pale_heron.core.module.actions import Action
from pale_heron.core.trouble import Exit

app = typer.Typer(
    help="Dialects: how a kind of device is told things. docs/dialects.md tells how to write one.",
    no_args_is_help=True,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"]},
)


@app.command("check")
def check(file: Annotated[Path, typer.Argument(help="A dialect file (TOML).")]) -> None:
    """Tell line by line what is wrong with a dialect file.

    Example: pale-heron dialect check my-receiver.toml
    """
    dialect, wrong = read_file(file)
    for each in wrong:
        print(f"{file}, line {each.line}: {each.words}")
    if wrong:
        count = len(wrong)
        print(f"{file}: {count} mistake{'' if count == 1 else 's'}; it is not used until none is left")
        raise typer.Exit(Exit.NO)
    print(f"{file}: dialect {dialect.name} is sound, with {len(dialect.actions)} actions")
    if file.resolve().parent != user_folder().resolve():
        print(f"Put it into {user_folder()} to use it")


@app.command("list")
def every(as_json: Annotated[bool, typer.Option("--json", help="One JSON array.")] = False) -> None:
    """List the dialects that can be used: those that ship, and those in your own folder.

    Example: pale-heron dialect list
    """
    known = known_dialects()
    if as_json:
        print(json.dumps([{"name": each.name, "title": each.title} for each in known.values()], ensure_ascii=False))
        return
    for each in known.values():
        print(f"{each.name:<16} {each.title}")
    print(f"Your own belong into {user_folder()}")


@app.command("show")
def show(name: Annotated[str, typer.Argument(help="A dialect that can be used, or a file.")]) -> None:
    """Show what a dialect can tell: each action with its parameters, what it sends, and what it risks.

    Example: pale-heron dialect show curlew
    """
    dialect = named_dialect(name)
    print(f"{dialect.name}: {dialect.title}")
    for action in dialect.actions.values():
        print("\n".join(_action(action)))


def _action(action: Action) -> list[str]:
    rows = [f"  {action.name:<14} {action.meaning}", f"  {'':<14} sends {action.send}"]
    rows += [f"  {'':<14} {each.name}: {each.legal}" for each in action.parameters]
    return rows + ([f"  {'':<14} asks first: {action.risk}"] if action.risk else [])
