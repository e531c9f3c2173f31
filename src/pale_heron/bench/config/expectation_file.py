"""Files of expectations: TOML that people write; each table says one thing of one name.

title = "Buoy 7 before launch"
[[expect]]
what = "fix within a minute of a cold start"
lane = "curlew"
that = "fix.seconds_to_first_fix"
at_most = 60
samples = 1
"""

import hashlib
from collections.abc import Mapping
from pathlib import Path
from typing import Any, Final, NamedTuple

from pale_heron.core.line.settings import did_you_mean, nearest_words
from pale_heron.core.proof.expectation import CERTAINTIES, CONDITIONS, INTERVAL, Expectation, written
from pale_heron.core.proof.measured import Value
from pale_heron.core.proof.names import NAMES, cannot_be, named
from pale_heron.core.trouble import Trouble
from pale_heron.files.pages import page
from pale_heron.files.toml_file import read_tables

KEYS: Final = ("what", "lane", "trial", "part", "that", "samples", "certainty", *CONDITIONS)
NUMERIC: Final = ("at_least", "at_most", "between")
WAY_OUT: Final = f"{page('expectations.md')} says what may stand there"


class ExpectationFile(NamedTuple):
    """What a file holds."""

    title: str
    expectations: tuple[Expectation, ...]
    name: str = ""
    """Of the file, and the SHA-256 of its bytes."""
    digest: str = ""

    @property
    def parts(self) -> tuple[str, ...]:
        """The measured parts that are asked for by name."""
        return tuple(dict.fromkeys(each.part for each in self.expectations if each.part))


def read_expectations(path: Path) -> ExpectationFile:
    """Trouble names the file, which expectation, and what is wrong there."""
    _, table = read_tables(path)
    for key in table:
        if key not in ("title", "expect"):
            near = nearest_words(key, {"title": 0, "expect": 0})
            raise Trouble(f"{path}: {key!r} is not a key{near}", WAY_OUT)
    rows = table.get("expect", [])
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows) or not rows:
        raise Trouble(f"{path}: expectations are written as [[expect]], one table each", WAY_OUT)
    found = tuple(expectation_of(f"{path}, expectation {number}", row) for number, row in enumerate(rows, 1))
    digest = hashlib.sha256(path.read_bytes()).hexdigest()
    return ExpectationFile(str(table.get("title", path.stem)), found, path.name, digest)


def expectation_of(place: str, row: Mapping[str, Any]) -> Expectation:
    """One table of a file, or the same said in a test. Trouble says where, and what is wrong."""
    for key in row:
        if key not in KEYS:
            raise Trouble(f"{place}: {key!r} is not a key{nearest_words(key, dict.fromkeys(KEYS))}", WAY_OUT)
    that = row.get("that")
    if not isinstance(that, str):
        raise Trouble(f"{place}: it says of nothing: that = NAME is missing", "pale-heron expect --names lists them")
    row_named = named(that)
    if row_named is None:
        near = did_you_mean(that, {each.name: 0 for each in NAMES})
        raise Trouble(f"{place}: there is no name {that!r}{near[:200]}", "pale-heron expect --names lists them")
    conditions = [name for name in CONDITIONS if name in row]
    if len(conditions) != 1:
        which = "none" if not conditions else " and ".join(conditions)
        raise Trouble(f"{place}: one condition is wanted, {which} is given", f"One of {', '.join(CONDITIONS)}")
    samples, trial = (_whole(place, key, row.get(key, usual)) for key, usual in (("samples", 1), ("trial", 0)))
    lane, what, part = row.get("lane", ""), row.get("what", that), row.get("part", "")
    if not isinstance(lane, str) or not isinstance(what, str) or not isinstance(part, str):
        raise Trouble(f"{place}: lane, part and what are text, in quotes", WAY_OUT)
    bounds = _bounds(place, conditions[0], row[conditions[0]])
    wrong = cannot_be(*row_named, conditions[0], bounds)
    if wrong:
        raise Trouble(f"{place}: {wrong}", "pale-heron expect --names lists what each can be")
    certainty = row.get("certainty", INTERVAL)
    if certainty not in CERTAINTIES:
        raise Trouble(f"{place}: certainty = {certainty!r} is not known: {' or '.join(CERTAINTIES)}", WAY_OUT)
    return Expectation(what, that, conditions[0], bounds, lane, trial, samples, part, certainty)


def _whole(place: str, key: str, value: object) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or value < 0:
        raise Trouble(f"{place}: {key} = {value!r} is no whole number from 0 on", WAY_OUT)
    return value


def _bounds(place: str, condition: str, given: object) -> tuple[Value, ...]:
    values = tuple(given) if isinstance(given, list) else (given,)
    listed = condition in ("between", "one_of")
    if isinstance(given, list) is not listed or not all(isinstance(each, int | float | str) for each in values):
        form = "[a, b]" if listed else "a number" if condition in NUMERIC else "a value"
        raise Trouble(f"{place}: {condition} = {given!r} is not {form}", WAY_OUT)
    numbers = all(isinstance(each, int | float) and not isinstance(each, bool) for each in values)
    if condition in NUMERIC and not numbers:
        raise Trouble(f"{place}: {condition} = {given!r}: numbers are wanted", "equals and one_of are for words")
    if condition == "between" and (len(values) != 2 or values[0] > values[1]):
        raise Trouble(f"{place}: between = {given!r}: two numbers are wanted, the smaller one first", WAY_OUT)
    if not values:
        raise Trouble(f"{place}: one_of is empty", WAY_OUT)
    return values


def drafted(title: str, expectations: tuple[Expectation, ...]) -> str:
    """The text of a file that holds these."""
    rows = [f"title = {_quoted(title)}"]
    for each in expectations:
        rows += ["", "[[expect]]", f"what = {_quoted(each.what)}"]
        rows += [f"lane = {_quoted(each.lane)}"] if each.lane else []
        rows += [f"trial = {each.trial}"] if each.trial else []
        rows += [f"part = {_quoted(each.part)}"] if each.part else []
        rows.append(f"that = {_quoted(each.that)}")
        shown = [_quoted(value) if isinstance(value, str) else written(value) for value in each.bounds]
        listed = each.condition in ("between", "one_of")
        rows.append(f"{each.condition} = " + (f"[{', '.join(shown)}]" if listed else shown[0]))
        rows += [f"samples = {each.samples}"] if each.samples != 1 else []
        rows += [f'certainty = "{each.certainty}"'] if each.certainty != INTERVAL else []
    return "\n".join(rows) + "\n"


def _quoted(text: str) -> str:
    plain = "".join(letter if letter.isprintable() else "·" for letter in text)
    return '"' + plain.replace("\\", "\\\\").replace('"', '\\"') + '"'
