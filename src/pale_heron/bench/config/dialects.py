"""Dialect files: those that ship, those of the user, and what is wrong with one, line by line."""

import contextlib
import re
from collections.abc import Iterator, Mapping
from functools import cache, lru_cache
from importlib import resources
from pathlib import Path
from typing import Any, NamedTuple

from pale_heron.core.device.schema.dialect import Dialect, merge, read_dialect
from pale_heron.core.device.schema.toml_table import TableProblem
from pale_heron.core.line.settings import did_you_mean, nearest_words
from pale_heron.core.sharing.dialect_tables import DialectTables
from pale_heron.core.trouble import Trouble
from pale_heron.files.toml_file import NoToml, tables, text_of
from pale_heron.files.user_folders import config_folder, is_there, toml_files
from pale_heron.files.whole import written_whole

SHIPPED = "pale_heron.dialects"
FOLDER = "dialects"


class FileMistake(NamedTuple):
    """A mistake and the line, from 1, in which it stands."""

    line: int
    words: str


def user_folder() -> Path:
    """Where a user keeps dialects of his own; one there replaces a shipped one of the same name."""
    return config_folder() / FOLDER


def is_own(name: str) -> bool:
    """Whether the user has a file of that name."""
    return is_there(user_folder() / f"{name}.toml")


def known_dialects() -> dict[str, Dialect]:
    """All that can be used, by name; a file with mistakes is left out (`pale-heron dialect check` lists them)."""
    found = _usable((*_shipped_texts().values(), *_own_texts()))
    return {each.name: each for each in found}


def sensitive_tables() -> DialectTables:
    """What any that can be used says must not be told."""
    return _tables_of((*_shipped_texts().values(), *_own_texts()))


@lru_cache(maxsize=1)
def _tables_of(texts: tuple[str, ...]) -> DialectTables:
    return DialectTables(_usable(texts))


def _usable(texts: tuple[str, ...]) -> list[Dialect]:
    """Those without mistakes; of several of one name the last."""
    read = (read_text(text) for text in texts)
    return list({dialect.name: dialect for dialect, wrong in read if not wrong}.values())


def faulty_dialects() -> list[tuple[Path, FileMistake]]:
    """The user's own files that are left out, each with its first mistake."""
    found = []
    for path in toml_files(user_folder()):
        try:
            wrong = read_file(path)[1]
        except Trouble as trouble:
            wrong = (FileMistake(1, str(trouble)),)
        found += [(path, wrong[0])] if wrong else []
    return found


def table_of(name: str) -> dict[str, Any] | None:
    """The tables of a dialect in force, with those that it grows from laid under them; None where there is none."""
    for text in (*_own_texts(), *_shipped_texts().values()):
        table, broken = tables_of(text)
        if broken is None and table.get("name") == name:
            with contextlib.suppress(ValueError):
                return {**_grown(table), "name": name}
    return None


@cache
def _shipped_texts() -> dict[str, str]:
    """The files that ship, by the names of their dialects."""
    files = [each for each in resources.files(SHIPPED).iterdir() if each.name.endswith(".toml")]
    return {each.name.removesuffix(".toml"): each.read_text("utf-8") for each in files}


def _own_texts() -> Iterator[str]:
    for path in toml_files(user_folder()):
        with contextlib.suppress(Trouble):
            yield text_of(path)


@lru_cache(maxsize=64)
def read_text(text: str) -> tuple[Dialect, tuple[FileMistake, ...]]:
    """A dialect and its mistakes, in the order of their lines. Reading takes a while; the same text is read once."""
    table, broken = tables_of(text)
    if broken is not None:
        return Dialect(""), (broken,)
    try:
        table = _grown(table)
    except ValueError as problem:
        return Dialect(""), (FileMistake(line_of(text, TableProblem(("extends",), "")), str(problem)),)
    dialect, problems = read_dialect(table)
    return dialect, tuple(sorted(FileMistake(line_of(text, problem), problem.words) for problem in problems))


def tables_of(text: str) -> tuple[dict[str, Any], FileMistake | None]:
    """The tables of a TOML file; or where it breaks the rules of TOML."""
    try:
        return tables(text), None
    except NoToml as problem:
        place = re.search(r"line (\d+)", str(problem))
        return {}, FileMistake(int(place[1]) if place else len(text.splitlines()), f"no TOML: {problem}")


def _grown(table: dict[str, Any]) -> dict[str, Any]:
    """The tables with those of the dialect that they grow from. ValueError where there is no such dialect."""
    base, seen = table.get("extends"), 0
    while isinstance(base, str) and base:
        texts = _shipped_texts()
        if base not in texts or seen > len(texts):
            raise ValueError(f"extends = {base!r}: no dialect of that name ships{nearest_words(base, texts)}")
        under = tables(texts[base])
        table, base, seen = merge(under, table), under.get("extends"), seen + 1
    return table


def read_file(path: Path) -> tuple[Dialect, tuple[FileMistake, ...]]:
    """A dialect file and its mistakes. Raises Trouble where it cannot be read at all."""
    return read_text(text_of(path))


def named_dialect(name: str) -> Dialect:
    """A dialect that can be used, by its name or as a file. Raises Trouble where there is none."""
    path = Path(name)
    if path.suffix == ".toml" and is_there(path):
        dialect, wrong = read_file(path)
        if wrong:
            raise Trouble(f"{path}, line {wrong[0].line}: {wrong[0].words}", f"pale-heron dialect check {path}")
        return dialect
    known = known_dialects()
    if name not in known:
        for path, mistake in faulty_dialects():
            if path.stem == name:
                raise Trouble(f"{path}, line {mistake.line}: {mistake.words}", f"pale-heron dialect check {path}")
        raise Trouble(
            f"There is no dialect {name!r}{did_you_mean(name, dict.fromkeys(known))}", "pale-heron dialect list"
        )
    return known[name]


def skeleton(name: str, extends: str) -> str:
    """The text of a dialect to begin with."""
    text = resources.files(SHIPPED).joinpath("skeleton.txt").read_text("utf-8")
    grown = f'extends = "{extends}"' if extends else '# extends = "standard"'
    return text.replace("NAME", name).replace("EXTENDS", grown)


def keep_note(dialect: str, command: str, note: str) -> Path:
    """Keep a note on a command in the user's own dialect of that name, which grows from the shipped one.

    Comments and everything else in the file stay. Raises Trouble where it cannot be written.
    """
    return _kept(dialect, dialect, ("command", command), {"note": note})


def keep_result(dialect: str, grown_from: str, word: str, status: str) -> Path:
    """Keep a word with which a reply ends, in the user's own dialect. Raises Trouble where it cannot be written."""
    name = re.sub(r"[^a-z0-9]+", "-", word.lower()).strip("-") or "done"
    return _kept(dialect, grown_from, ("result", f"own-{name}"), {"line": re.escape(word), "status": status})


def keep_silence(dialect: str, grown_from: str, seconds: float) -> Path:
    """Keep that replies end by a silence, in the user's own dialect. Raises Trouble where it cannot be written."""
    return _kept(dialect, grown_from, ("line",), {"reply-ends-after-s": seconds})


def _kept(dialect: str, grown_from: str, table: tuple[str, ...], values: Mapping[str, Any]) -> Path:
    """Put values into a table of the user's own dialect of that name; where there is none it grows from another."""
    # Slow to load, and needed only when something is kept.
    import tomlkit
    from tomlkit.exceptions import TOMLKitError

    path = user_folder() / f"{dialect}.toml"
    head = f'# Own notes.\nname = "{dialect}"\nextends = "{grown_from}"\n'
    try:
        document = tomlkit.parse(path.read_text("utf-8") if is_there(path) else head)
        place: Any = document
        for depth, key in enumerate(table, 1):
            place = place.setdefault(key, tomlkit.table(depth < len(table)))
        place.update(values)
        path.parent.mkdir(parents=True, exist_ok=True)
        with written_whole(path) as fresh:
            fresh.write_text(tomlkit.dumps(document), "utf-8")
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Look at its folder") from None
    except TOMLKitError as problem:
        raise Trouble(f"{path} is not TOML: {problem}", "Mend it in an editor") from None
    return path


def line_of(text: str, problem: TableProblem) -> int:
    """The line in which the keys of a problem stand, as near as it can be found: the key, else its table, else 1."""
    *tables, key = problem.keys or ("",)
    table, whole = ".".join(tables), ".".join(problem.keys)
    here, head = "", 1
    rows: dict[str, int] = {}
    for number, line in enumerate(text.splitlines(), 1):
        found = re.match(r"\s*\[\[?\s*([^\[\]]+?)\s*\]", line)
        if found:
            here = re.sub(r"[\s\"']", "", found[1])
            if line.lstrip().startswith("[["):
                # One of a list of tables is known by its place.
                rows[here] = rows.get(here, 0) + 1
                here = f"{here}.{rows[here]}"
            if here == whole or here.startswith(f"{whole}."):
                # A table of a name that is not known has its heads alone.
                return number
            head = number if here == table else head
        elif here == table and re.match(rf"\s*[\"']?{re.escape(key)}[\"']?\s*=", line):
            return number
    return head
