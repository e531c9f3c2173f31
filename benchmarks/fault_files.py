"""Files that somebody else made, and places where nothing may be written: what each command says and leaves alone.

To hold: no command ends with an error of its own (70) or by a signal, none waits for ever, what it says is words
without escape sequences and names what is wrong, and what stood there stands there as it was.
"""

import os
import stat
import subprocess
import sys
import tempfile
import tomllib
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Final, NamedTuple

from benchmarks.traffic import epochs
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Direction, Event
from pale_heron.sim.marsh import BEGIN_UTC

LIMIT_S: Final = 60.0
WRONG: Final = 70
SIMPLE: Final = 'name = "x"\n[recognise]\nsays = ["{pattern}"]\n{more}'


class FileFault(NamedTuple):
    """The words of a command, in which `{folder}` stands for where it runs, and what has to be in what it says."""

    words: tuple[str, ...]
    says: str
    untouched: tuple[str, ...] = ()
    """Names of files that must be as they were."""

    code: int | None = None
    """How it ends, where that is said."""


EXPORT: Final = ("export", "a.pcapng", "--to", "gpx", "--force", "-o")
FAULTS: Final[dict[str, FileFault]] = {
    "export over a device": FileFault((*EXPORT, "device"), "", ("device",)),
    "export over a pipe": FileFault((*EXPORT, "pipe"), "", ("pipe",)),
    "export over its own input": FileFault((*EXPORT, "a.pcapng"), "", ("a.pcapng",)),
    "export over its input, by another name": FileFault((*EXPORT, "other-name"), "", ("a.pcapng", "other-name")),
    "export over a folder": FileFault((*EXPORT, "folder"), "", ("folder",)),
    "a pipe where more than one reading is needed": FileFault(("export", "pipe", "--all", "b"), "pipe"),
    "a dialect with an endless number": FileFault(("dialect", "check", "inf.toml"), "code is no number"),
    "a dialect of nested brackets": FileFault(("dialect", "check", "nested.toml"), "1 mistake"),
    "a capture with such dialects": FileFault(("summary", "dialects.pcapng"), "355 valid"),
    "the same, decoded": FileFault(("decode", "dialects.pcapng"), "GNGGA"),
    "events of huge numbers": FileFault(("summary", "numbers.pcapng"), "355 valid"),
    "a rule of nested brackets": FileFault(("redact", "a.pcapng", "-o", "b.pcapng", "--also", "rules.toml"), "rule 1"),
    "a capture cut in the middle": FileFault(("summary", "cut.pcapng"), "the file ends in the middle"),
    "a capture of zeros": FileFault(("summary", "zeros.pcapng"), "zeros"),
    "names that are escape sequences": FileFault(("summary", "names.pcapng"), "355 valid"),
}


def prepare(folder: Path) -> None:
    """Write what the commands are given."""
    plain = [Chunk("m", Direction.IN, _at(second), data) for second, data in enumerate(epochs(30))]
    nested = "(" * 400 + "x" + ")" * 400
    endless = SIMPLE.format(pattern="^X", more='[result.no]\ncode = inf\nline = "NO"\n')
    made = endless, SIMPLE.format(pattern=nested, more="")
    _capture(folder / "a.pcapng", plain)
    _capture(
        folder / "dialects.pcapng",
        [*(Event(_at(0), "m", "dialect", {"name": "x", "table": tomllib.loads(text)}) for text in made), *plain],
    )
    huge = 10**400
    events = [Event(_at(0), "m", name, {"bytes": huge, "rate": huge, "gap_ms": huge}) for name in ("opened", "dropped")]
    _capture(folder / "numbers.pcapng", [*events, *plain])
    _capture(folder / "names.pcapng", [each._replace(lane="\x1b]0;x\x07\x9b2J[/b]") for each in plain])
    (folder / "inf.toml").write_text(endless)
    (folder / "nested.toml").write_text(made[1])
    (folder / "rules.toml").write_text(f'[[rule]]\nkind = "x"\nshape = "{nested}"\n')
    (folder / "cut.pcapng").write_bytes((folder / "a.pcapng").read_bytes()[:-1000])
    (folder / "zeros.pcapng").write_bytes(bytes(100_000))
    (folder / "other-name").symlink_to("a.pcapng")
    (folder / "device").symlink_to("/dev/null")
    (folder / "folder").mkdir()
    os.mkfifo(folder / "pipe")


def _at(second: int) -> int:
    return (BEGIN_UTC + second) * SECOND


def _capture(path: Path, records: Sequence[Chunk | Event]) -> None:
    writer = CaptureWriter(path)
    for lane in sorted({record.lane for record in records}):
        writer.add_lane(lane, "/dev/none", None)
    for record in records:
        if isinstance(record, Chunk):
            writer.chunk(record)
        else:
            writer.event(record)
    writer.close()


def _state(path: Path) -> tuple[int, int, bytes]:
    """What kind of thing stands there, which one, and what is in it."""
    found = path.lstat()
    return stat.S_IFMT(found.st_mode), found.st_ino, path.read_bytes() if path.is_file() else b""


class FileOutcome(NamedTuple):
    code: int
    """How it ended; -1 where it did not."""
    said: str
    held: bool


def outcome(fault: FileFault, folder: Path) -> FileOutcome:
    """Run it once, in a folder that was prepared."""
    before = [_state(folder / name) for name in fault.untouched]
    words = [sys.executable, "-m", "pale_heron", *fault.words]
    try:
        done = subprocess.run(words, cwd=folder, capture_output=True, timeout=LIMIT_S, check=False)
    except subprocess.TimeoutExpired:
        return FileOutcome(-1, "", False)
    said = (done.stderr + done.stdout).decode("utf-8", "surrogateescape")
    raw = [letter for letter in said if not letter.isprintable() and letter not in "\n\t"]
    whole = [_state(folder / name) for name in fault.untouched] == before
    held = 0 <= done.returncode < WRONG and not raw and whole and fault.says in said
    return FileOutcome(done.returncode, done.stderr.decode("utf-8", "replace").strip(), held)


def run() -> Iterator[str]:
    yield f"{'what':<42}{'ended':>6}   to hold: words, no raw bytes, and what stood there as it was"
    with tempfile.TemporaryDirectory() as folder:
        prepare(Path(folder))
        for name, fault in FAULTS.items():
            found = outcome(fault, Path(folder))
            first = found.said.partition("\n")[0][:60]
            yield f"{name:<42}{found.code:>6}   {'held' if found.held else 'NOT HELD'}   {first}"
