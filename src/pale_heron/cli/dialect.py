"""`pale-heron dialect`: the files that describe how a kind of device speaks and is spoken to."""

import json
from pathlib import Path

import click

from pale_heron.bench.config.dialect_book import STANDARD
from pale_heron.bench.config.dialects import (
    faulty_dialects,
    known_dialects,
    named_dialect,
    read_file,
    read_text,
    skeleton,
    user_folder,
)
from pale_heron.cli.dialect_tried import learn, try_out
from pale_heron.cli.parameters import FILE
from pale_heron.core.device.schema.actions import DeviceAction
from pale_heron.core.device.schema.commands import RUN, Command
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.settings import RULES, Setting
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.files.pages import page
from pale_heron.files.user_folders import is_there, search_problem


@click.group("dialect", no_args_is_help=True, epilog=f"The page: {page('dialects.md')}")
def dialect() -> None:
    """Check, try, learn, list, show and begin dialects.

    A dialect describes how a kind of device speaks and is spoken to.

    Example: pale-heron dialect list
    """


dialect.add_command(try_out)
dialect.add_command(learn)


@dialect.command("check")
@click.argument("file", type=FILE, help="A dialect file (TOML); else the name of one in your own folder.")
def check(file: Path) -> None:
    """Tell line by line what is wrong with a dialect file.

    Example: pale-heron dialect check my-receiver.toml
    """
    own = user_folder() / f"{file.stem}.toml"
    if len(file.parts) == 1 and not is_there(file) and is_there(own):
        file = own
    dialect, wrong = read_file(file)
    for each in wrong:
        print(f"{file}, line {each.line}: {each.words}")
    if wrong:
        count = len(wrong)
        print(f"{file}: {count} mistake{'' if count == 1 else 's'}; it is not used until none is left")
        raise click.exceptions.Exit(Exit.NO)
    counts = {"actions": dialect.actions, "commands": dialect.commands, "notices": dialect.notices}
    contents = ", ".join(f"{len(each)} {what}" for what, each in counts.items() if each)
    print(f"{file}: dialect {dialect.name} is sound, with {contents}")
    if file.resolve().parent != user_folder().resolve():
        print(f"Put it into {user_folder()} to use it")


@dialect.command("list")
@click.option("--json", "as_json", is_flag=True, help="One JSON array.")
def every(as_json: bool) -> None:
    """List the dialects that can be used: those that ship, and those in your own folder.

    Example: pale-heron dialect list
    """
    known = known_dialects()
    if as_json:
        print(json.dumps([{"name": each.name, "title": each.title} for each in known.values()], ensure_ascii=False))
        return
    for each in known.values():
        print(f"{each.name:<16} {each.title}")
    for path, mistake in faulty_dialects():
        print(f"left out: {path}, line {mistake.line}: {mistake.words}")
    problem = search_problem(user_folder())
    print(f"Your own belong in {user_folder()}{f', which cannot be searched: {problem}' if problem else ''}")


@dialect.command("new")
@click.argument("name", help="Its name: lower-case letters, digits and -.")
@click.option("--extends", default=STANDARD, help="The dialect that it extends; empty for none.")
@click.option("-o", "--out", type=FILE, help="The file; else one in your own folder.")
def new(name: str, extends: str, out: Path | None) -> None:
    """Begin a dialect of your own: a file that is sound, with an example of each part to change.

    Example: pale-heron dialect new my-modem
    """
    path = out or user_folder() / f"{name}.toml"
    text = skeleton(name, extends)
    _, wrong = read_text(text)
    if wrong:
        raise Trouble(f"{wrong[0].words}", "Choose another name, or one of `pale-heron dialect list` to extend")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("x", encoding="utf-8") as file:
            file.write(text)
    except FileExistsError:
        raise Trouble(f"{path} is there already", "Choose another name, or write to it with an editor") from None
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Choose another place with -o") from None
    print(f"{path}: change it, then pale-heron dialect check {path}")


@dialect.command("show")
@click.argument("name", help="A dialect that can be used, or a file.")
@click.argument("part", default="", help="Only commands, actions, or settings whose name begins so.")
def show(name: str, part: str) -> None:
    """Show what is in a dialect: commands or actions with their values, notices, readings, settings and rules.

    Example: pale-heron dialect show plover
    """
    dialect = named_dialect(name)
    grown = f", extends {dialect.extends}, whose entries have its name behind them" if dialect.extends else ""
    print(f"{dialect.name}: {dialect.title}{grown}")
    parent = named_dialect(dialect.extends) if dialect.extends else None
    for action in dialect.actions.values():
        if action.name.startswith(part):
            print("\n".join(_action(action)))
    for command in dialect.commands.values():
        if command.name.startswith(part):
            print("\n".join(_command(command, _brought(parent, command))))
    for setting in dialect.settings.values():
        if setting.name.startswith(part):
            print("\n".join(_setting(setting)))
    if dialect.payload_command and not part:
        print(f"payloads  sent by {dialect.payload_command}, arrive as {dialect.payload_notice or 'nothing described'}")
    for title, rows in () if part else (("notices", _notices(dialect)), ("readings", _readings(dialect))):
        if rows:
            print("\n".join([title, *rows]))


def _brought(parent: Dialect | None, command: Command) -> str:
    """The dialect that brings a command as it is; empty where it is the file's own, or changed in it."""
    return parent.name if parent is not None and parent.commands.get(command.name) == command else ""


def _command(command: Command, brought: str) -> list[str]:
    source = f"  ({command.source})" if command.source else ""
    rows = [f"  {command.name:<18} {command.meaning}{source}{f'  of {brought}' if brought else ''}"]
    rows += [f"  {'':<18} {form:<6} {text}" for form, texts in command.forms.items() for text in texts]
    rows += [
        f"  {'':<18} {each.name}: {each.legal}{', secret' if each.secret else ''}"
        for each in command.parameters.values()
    ]
    risk = command.risk(RUN)
    rows += [f"  {'':<18} asks first: {risk}"] if risk else []
    return rows + ([f"  {'':<18} your note: {command.note}"] if command.note else [])


def _setting(setting: Setting) -> list[str]:
    legal = setting.parameter.legal if setting.parameter else "cannot be set"
    rule = f"; of two modules it {RULES[setting.rule]}" if setting.rule else ""
    restart = "; in force from the next restart on" if setting.restart else ""
    return [f"  setting {setting.name:<14} {legal}; kept {setting.kept}{restart}{rule}"]


def _notices(dialect: Dialect) -> list[str]:
    return [f"  {each.name:<26} {each.meaning}" for each in dialect.notices.values()]


def _readings(dialect: Dialect) -> list[str]:
    return [
        f"  {label:<18} {field.meaning}{' in ' + field.unit if field.unit else ''}{', secret' if field.secret else ''}"
        for label, field in dialect.readings.items()
    ]


def _action(action: DeviceAction) -> list[str]:
    rows = [f"  {action.name:<14} {action.meaning}", f"  {'':<14} sends {action.send}"]
    rows += [f"  {'':<14} {each.name}: {each.legal}" for each in action.parameters]
    return rows + ([f"  {'':<14} asks first: {action.risk}"] if action.risk else [])
