"""Bench files: the lanes used together, with every setting, as TOML that people write and keep notes in.

    [[lane]]
    nickname = "curlew"
    address = "/dev/ttyUSB0"
    role = "buoy 7"
    rate = 9600
    in = "auto"

`dialect` names how one speaks with the device; without it that is recognised by what the device says of itself.
`adapter`, where it is there, says what the adapter is known by: the lane is then found under whatever device name.
Rows of `[[key]]` are a person's own keys (own_keys.py).
Saving changes what has changed and leaves comments and order as they are.
"""

import re
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, Final

from pale_heron.bench.config.own_keys import OwnKey, read_own_key, row_of
from pale_heron.core.line.settings import KEYS, LineSettings, nearest_words, said
from pale_heron.core.trouble import Trouble
from pale_heron.files.toml_file import read_tables
from pale_heron.files.toml_rows import kept_rows
from pale_heron.ports.address import LaneSpec, check_count, check_names, parse_lane
from pale_heron.ports.nicknames import lanes_named

OWN_KEYS: Final = ("nickname", "address", "role", "adapter", "dialect", "intended")
LANE_KEYS: Final = (*OWN_KEYS, *KEYS)
_HEADS: Final = {kind: re.compile(rf"\s*\[\[\s*{kind}\s*\]\]") for kind in ("lane", "key")}


def lanes_of(texts: Sequence[str], bench: Path | None) -> list[LaneSpec]:
    """The lanes of a bench file, then those named on the command line. Nicknames must differ."""
    check_count(len(texts))
    specs = [*(load_bench(bench) if bench else []), *lanes_named(texts)]
    check_names(specs)
    return specs


def load_bench(path: Path) -> list[LaneSpec]:
    """The lanes of a file. Trouble names the file, the line, and what is wrong there."""
    text, table = read_tables(path)
    for key in table:
        if key not in _HEADS:
            raise _wrong(path, _line_of(text, key, None), f"{key!r} is not a key{nearest_words(key, _HEADS)}")
    rows = _rows(path, text, table, "lane")
    check_count(len(rows))
    return [_lane(path, text, index, row) for index, row in enumerate(rows)]


def load_own_keys(path: Path) -> list[OwnKey]:
    """The keys of a bench file. Trouble names the file, the line, and what is wrong there."""
    names = [spec.name for spec in load_bench(path)]
    text, table = read_tables(path)
    found: list[OwnKey] = []
    for index, row in enumerate(_rows(path, text, table, "key")):
        try:
            found.append(read_own_key(row, names))
        except ValueError as problem:
            line = _line_of(text, str(problem).split(maxsplit=1)[0], index, "key")
            raise _wrong(path, line, str(problem)) from None
        if [each.key for each in found].count(found[-1].key) > 1:
            raise _wrong(path, _line_of(text, "key", index, "key"), f"{found[-1].key} is another key already")
    return found


def _rows(path: Path, text: str, table: Mapping[str, Any], kind: str) -> list[dict[str, Any]]:
    rows = table.get(kind, [])
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
        raise _wrong(path, _line_of(text, kind, None), f"{kind}s are written as [[{kind}]], one table each")
    return rows


def _lane(path: Path, text: str, index: int, row: Mapping[str, Any]) -> LaneSpec:
    for key in row:
        if key not in LANE_KEYS:
            line = _line_of(text, key, index)
            raise _wrong(path, line, f"{key!r} is not a key of a lane{nearest_words(key, dict.fromkeys(LANE_KEYS))}")
    if not isinstance(row.get("address"), str):
        raise _wrong(path, _line_of(text, "", index), "a lane without address (text in quotes)")
    named = f"{row['nickname']}={row['address']}" if row.get("nickname") else row["address"]
    try:
        spec = parse_lane(named)
    except Trouble as trouble:
        raise _wrong(path, _line_of(text, "address", index), str(trouble)) from None
    settings = _settings(path, text, index, row)
    role, adapter, dialect = (str(row.get(key, "")) for key in ("role", "adapter", "dialect"))
    return LaneSpec(spec.name, spec.address, settings, role, adapter, dialect, _intended(path, text, index, row))


def _intended(path: Path, text: str, index: int, row: Mapping[str, Any]) -> dict[str, str]:
    """How the settings of a module are meant to be: its dialect is not known here, so only the form is looked at."""
    table = row.get("intended", {})
    if not isinstance(table, dict) or not all(isinstance(each, str | int) for each in table.values()):
        line = _line_of(text, "intended", index)
        raise _wrong(path, line, 'intended is no table of settings: intended = { node = "7" }')
    return {str(name): str(value) for name, value in table.items()}


def _settings(path: Path, text: str, index: int, row: Mapping[str, Any]) -> LineSettings:
    found: dict[str, Any] = {}
    for name, key in KEYS.items():
        if name in row:
            value = row[name]
            try:
                found[key.field] = key.read(said(value))
                LineSettings(**{key.field: found[key.field]})
            except ValueError as problem:
                line = _line_of(text, name, index)
                raise _wrong(path, line, f"{name} = {value!r}: {problem}; {key.allowed}") from None
    return LineSettings(**found)


def _line_of(text: str, key: str, index: int | None, kind: str = "lane") -> int:
    """The line, from 1, in which a key stands: in the `index`th row of a kind, or before the first; else its head."""
    lane, head = -1, 1
    wanted = -1 if index is None else index
    for number, line in enumerate(text.splitlines(), 1):
        if _HEADS[kind].match(line):
            lane += 1
            head = number if lane == wanted else head
        if lane == wanted and key and re.match(rf"\s*[\"']?{re.escape(key)}[\"']?\s*=", line):
            return number
    return head


def _wrong(path: Path, line: int, what: str) -> Trouble:
    return Trouble(f"{path}, line {line}: {what}", "Mend that line in an editor")


def save_bench(path: Path, specs: list[LaneSpec], keys: Sequence[OwnKey] = ()) -> None:
    """Write the lanes and keys: known ones are changed in place, others added. Trouble where it cannot."""
    with kept_rows(path, "lane", "bench file") as row:
        for spec in specs:
            _write(row("nickname", spec.name), spec)
    if not keys and not _HEADS["key"].search(path.read_text("utf-8")):
        return
    with kept_rows(path, "key", "bench file", only={"key": [own.key for own in keys]}) as row:
        for own in keys:
            kept, wanted = row("key", own.key), row_of(own)
            for name in [name for name in kept if name not in wanted]:
                del kept[name]
            for name, value in wanted.items():
                if kept.get(name) != value:
                    kept[name] = value


def _write(row: Any, spec: LaneSpec) -> None:
    """Set what differs from what stands there; what is as usual and does not stand there is left out."""
    usual = LineSettings()
    own = {"nickname": spec.name, "address": spec.address, "role": spec.role}
    own |= {"adapter": spec.adapter, "dialect": spec.dialect}
    wanted: dict[str, Any] = {name: value for name, value in own.items() if value or name in row}
    if spec.intended:
        wanted["intended"] = dict(spec.intended)
    for name, key in KEYS.items():
        value = getattr(spec.settings, key.field)
        if name in row or value != getattr(usual, key.field):
            wanted[name] = value
    for name, value in wanted.items():
        if row.get(name) != value:
            row[name] = value
