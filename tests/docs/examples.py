"""Every command line that README, docs and `--help` show, and every file they show."""

import re
import shlex
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

import click

from pale_heron.cli.program import program

ROOT = Path(__file__).parents[2]
PAGES = (ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md")))

_LINE = re.compile(r"^ {0,6}(?:\$ )?(?:[A-Z_]+=\S+ )?pale-heron .*(?:(?<=\\)\n.*)*", re.MULTILINE)
_INLINE = re.compile(r"`(pale-heron [^`]*)`")
_FENCED = re.compile(r"^```(\w+)\n(.*?)^```", re.MULTILINE | re.DOTALL)


class Example(NamedTuple):
    """One command line, its words without the program's name, and where it stands."""

    text: str
    words: tuple[str, ...]
    page: str
    pasted: bool
    """Stands on a line of its own, to be pasted; else inside a sentence."""

    @property
    def shape(self) -> frozenset[str]:
        """What makes it another line than others: the command, what it is about, options, the kind of file."""
        options = {word for word in self.words if word.startswith("-")}
        about = {word for word in self.words[1:2] if word.isalpha()}
        kinds = {word.rpartition(".")[2] for word in self.words if word.endswith((".html", ".pdf", ".svg", ".nmea"))}
        return frozenset({self.words[0], *options, *about, *kinds})


class FileExample(NamedTuple):
    """One file that a page shows."""

    page: str
    kind: str
    """As what it is shown: toml, python, c."""
    text: str


def _example(text: str, page: str, *, pasted: bool) -> Example:
    words = tuple(shlex.split(text.replace("\\\n", " "), comments=True))
    return Example(" ".join(words), words[words.index("pale-heron") + 1 :], page, pasted)


def _helps(command: click.Command, name: tuple[str, ...] = ()) -> Iterator[tuple[str, str]]:
    yield " ".join(("pale-heron", *name, "--help")), command.help or ""
    if isinstance(command, click.Group):
        within = click.Context(command)
        for each in command.list_commands(within):
            inner = command.get_command(within, each)
            assert inner is not None
            yield from _helps(inner, (*name, each))


def command_lines() -> list[Example]:
    """Every command line that is shown, each once, those to paste first."""
    found = []
    for page in PAGES:
        text = page.read_text("utf-8")
        found += [_example(each, page.name, pasted=True) for each in _LINE.findall(text)]
        found += [_example(" ".join(each.split()), page.name, pasted=False) for each in _INLINE.findall(text)]
    for name, text in _helps(program):
        found += [
            _example(" ".join(each.split()), name, pasted=True)
            for each in re.findall(r"Example: (pale-heron .*?)(?:\n\s*\n|\Z)", text, re.DOTALL)
        ]
    return list({each.text: each for each in sorted(found, key=lambda it: it.pasted)}.values())


def file_examples() -> list[FileExample]:
    """Every file that a page shows as one."""
    return [FileExample(page.name, *each) for page in PAGES for each in _FENCED.findall(page.read_text("utf-8"))]


def shown(page: str, beginning: str) -> str:
    """The file of a page that begins so."""
    (text,) = [each.text for each in file_examples() if each.page == page and each.text.startswith(beginning)]
    return text


def worth_running(examples: Sequence[Example]) -> list[Example]:
    """So many that each option of a command, each subject and each kind of file is in one of them."""
    shown: set[tuple[str, str]] = set()
    worth = []
    for each in sorted(examples, key=lambda it: -len(it.shape)):
        parts = {(each.words[0], part) for part in each.shape}
        worth += [each] if parts - shown else []
        shown |= parts
    return worth
