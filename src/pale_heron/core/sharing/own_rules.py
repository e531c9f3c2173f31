"""Rules of a user's own for what must not be told: a small table of texts, of words, and of shapes.

[[rule]]
kind = "name of a site"            # under what it is counted
texts = ["north dyke", "hide 7"]   # wherever they stand, in capitals or not

[[rule]]
kind = "work order"
shape = "WO-####-@@"               # # a digit, @ a letter, ? any sign, * what follows up to a blank, all else itself

[[rule]]
kind = "site code"
behind = ["site code", "depot"]    # what stands behind these words, after : or = or a blank

None of them is an expression that goes back and tries again: a hostile line costs no more than any other.
"""

import re
from collections.abc import Mapping
from typing import Any, Final

from pale_heron.core.device.schema.toml_table import TableProblem, TomlTable
from pale_heron.core.sharing.kinds import NAMED, SensitiveSpan, is_masked

SHORTEST: Final = 3
LONGEST: Final = 200
MOST_RULES: Final = 1000
MOST_STARS: Final = 2
"""With more a hostile line takes seconds."""

_BEHIND: Final = r"[\"']?\s{0,4}[:= ]\s{0,4}[\"']?([^\s,;\"']+)"
_SIGNS: Final = {"#": r"\d", "@": "[^\\W\\d_]", "?": r"\S", "*": r"[^\s,;\"']{0,200}"}


class OwnRules:
    """What such a table finds in a line."""

    def __init__(self, rules: tuple[tuple[str, str], ...]) -> None:
        self._rules = tuple((kind, re.compile(pattern, re.IGNORECASE)) for kind, pattern in rules)

    def spans(self, line: str) -> list[SensitiveSpan]:
        """In characters of the line."""
        return [
            SensitiveSpan(*found.span(1), kind)
            for kind, pattern in self._rules
            for found in pattern.finditer(line)
            if not is_masked(found[1])
        ]


def read_own_rules(written: Mapping[str, Any]) -> tuple[OwnRules, list[TableProblem]]:
    """The rules of a TOML file that was read, and all that is wrong with it; where that is nothing it can be used."""
    problems: list[TableProblem] = []
    top = TomlTable(written, (), problems)
    rules: list[tuple[str, str]] = []
    # Before any is put together: a million of them would take minutes to be refused.
    rows = list(top.rows("rule"))
    if len(rows) > MOST_RULES:
        return OwnRules(()), [TableProblem((), f"it has {len(rows)} rules; {MOST_RULES} are the most")]
    for row in rows:
        kind, texts, shape, behind = row.text("kind", NAMED), row.texts("texts"), row.text("shape"), row.texts("behind")
        row.end()
        if not (texts or shape or behind):
            row.wrong("texts", "a rule needs texts, a shape, or words that it stands behind")
        for text in (*texts, *behind, *([shape] if shape else ())):
            if len(text) > LONGEST:
                row.wrong("texts", f"it has {len(text)} letters; {LONGEST} are the most")
            elif len(text) < SHORTEST:
                row.wrong("texts", f"{text!r} would be found everywhere: write {SHORTEST} letters or more")
        if shape.count("*") > MOST_STARS:
            row.wrong("shape", f"{shape!r} has {shape.count('*')} stars; {MOST_STARS} are the most")
        if shape and not shape.strip("#@?*"):
            row.wrong("shape", f"{shape!r} is any word at all: write some letter of it as it is")
        rules += [(kind, f"({re.escape(text)})") for text in texts]
        rules += [(kind, rf"(?<!\w)({_shaped(shape)})(?!\w)")] if shape else []
        rules += [
            (kind, rf"(?<!\w){re.escape(word)}[\"']?\s{{0,4}}[:= ]\s{{0,4}}[\"']?([^\s,;\"']+)") for word in behind
        ]
    if not rules and not problems:
        problems.append(TableProblem((), "it has no [[rule]]"))
    if len(rules) > MOST_RULES:
        problems.append(TableProblem((), f"it has more than {MOST_RULES} rules"))
    top.end()
    return OwnRules(tuple(rules)), problems


def _shaped(shape: str) -> str:
    return "".join(_SIGNS.get(sign, re.escape(sign)) for sign in shape)
