"""Files of TOML rows that both people and the program write: what changes is changed in place, comments stay."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from types import MappingProxyType
from typing import Any, Final

from pale_heron.core.trouble import Trouble
from pale_heron.files.user_folders import is_there
from pale_heron.files.whole import PRIVATE, written_whole

NOTHING: Final[Mapping[str, Sequence[str]]] = MappingProxyType({})
Row = Callable[[str, str], Any]


@contextmanager
def kept_rows(
    path: Path, table: str, what: str, head: str = "", only: Mapping[str, Sequence[str]] = NOTHING
) -> Iterator[Row]:
    """Gives a function that finds the row of `[[table]]` in which a key has a value, or adds one; then writes the file.

    `only`: the values that a key has in the rows that stay, others go. The file is written whole or not at all. Raises
    Trouble where it cannot be written, or is not a file of `what`.
    """
    # Slow to load, and needed only when something is kept.
    import tomlkit
    from tomlkit.exceptions import TOMLKitError

    try:
        document = tomlkit.parse(path.read_text("utf-8") if is_there(path) else head)
        rows = document.setdefault(table, tomlkit.aot())
        for key, values in only.items():
            for place in reversed([at for at, each in enumerate(rows) if each.get(key) not in values]):
                del rows[place]

        def row(key: str, value: str) -> Any:
            found = next((each for each in rows if each.get(key) == value), None)
            if found is None:
                rows.append(tomlkit.table())
                found = rows[-1]
            return found

        yield row
        with written_whole(path, PRIVATE) as fresh:
            fresh.write_text(tomlkit.dumps(document), "utf-8")
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Choose another place") from None
    except (TOMLKitError, AttributeError) as problem:
        raise Trouble(f"{path} is not a {what}: {problem}", "Correct it, or choose another name") from None
