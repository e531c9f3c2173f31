"""Routine files: those that ship, those of the user, what is wrong with one, and one made from exchanges."""

from collections.abc import Sequence
from importlib import resources
from pathlib import Path
from typing import Any, Final

from pale_heron.bench.config.dialects import FileMistake, line_of, tables_of
from pale_heron.core.device.dialogue.exchanges import SENT, Exchange
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot
from pale_heron.core.device.schema.notices import OK
from pale_heron.core.device.schema.routine import SEND, Routine, read_routine
from pale_heron.core.trouble import Trouble
from pale_heron.files.toml_file import text_of
from pale_heron.files.user_folders import config_folder, is_there, toml_files

SHIPPED: Final = "pale_heron.routines"


def user_routines() -> Path:
    """Where a user keeps routines of his own."""
    return config_folder() / "routines"


def known_routines() -> dict[str, str]:
    """Routines that ship and those of the user's folder, as name and text; a broken one is there too."""
    shipped = [each for each in resources.files(SHIPPED).iterdir() if each.name.endswith(".toml")]
    found = {
        each.name.removesuffix(".toml"): each.read_text("utf-8") for each in sorted(shipped, key=lambda each: each.name)
    }
    for path in toml_files(user_routines()):
        try:
            found[path.stem] = path.read_text("utf-8")
        except (OSError, UnicodeDecodeError):
            continue
    return found


def routine_of_text(text: str) -> tuple[Routine, list[FileMistake]]:
    """A routine and its mistakes, each with its line."""
    table, broken = tables_of(text)
    if broken is not None:
        return Routine(""), [broken]
    routine, problems = read_routine(table)
    return routine, sorted(FileMistake(line_of(text, problem), problem.words) for problem in problems)


def named_routine(name: str) -> Routine:
    """A routine by its file or its name. Raises Trouble that names the file, the line, and what is wrong."""
    path = Path(name).expanduser()
    known = known_routines()
    if name in known and not is_there(path):
        text = known[name]
    else:
        try:
            text = text_of(path)
        except Trouble as trouble:
            raise Trouble(f"There is no routine {name}: {trouble.what}", f"Known are: {', '.join(known)}") from None
    routine, wrong = routine_of_text(text)
    if wrong:
        raise Trouble(f"{name}, line {wrong[0].line}: {wrong[0].words}", "Mend that line in an editor")
    return routine


def routine_from(name: str, module: ModuleSnapshot, exchanges: Sequence[Exchange]) -> str:
    """A routine that sends the same again, as TOML; secrets become variables that are asked for."""
    import tomlkit

    document = tomlkit.document()
    document.add("name", name)
    document.add("title", f"Made from {len(exchanges)} exchanges")
    document.add("dialect", module.dialect.name)
    secrets: dict[str, str] = {}
    rows = tomlkit.aot()
    for exchange in exchanges:
        line = exchange.sent.decode("latin-1").strip()
        for spoken in exchange.spoken:
            for key, value in spoken.values.items():
                if value and key in module.dialect.secrets:
                    variable = key.replace("_", "-")
                    secrets[variable] = key
                    line = line.replace(value, f"{{{variable}}}")
        row: dict[str, Any] = {"do": SEND, "line": line, "expect": exchange.status or OK}
        sent = next((heard.data for heard in exchange.heard if heard.role == SENT), None)
        if sent is not None:
            row["payload"] = sent.rstrip(b"\x1a\x1b").decode("utf-8", "replace")
        rows.append(tomlkit.item(row))
    if secrets:
        table = tomlkit.table()
        for variable, key in secrets.items():
            inline = tomlkit.inline_table()
            inline.update({"ask": module.dialect.field_of(key).meaning or key, "secret": True})
            table.add(variable, inline)
        document.add("variables", table)
    document.add("step", rows)
    return tomlkit.dumps(document)
