"""Files that are there whole or not at all, and in whose place nothing is destroyed that was meant to stay."""

import errno
import os
import stat
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final

from pale_heron.system import claim

FOR_ALL: Final = 0o644
PRIVATE: Final = 0o600
"""For what may hold pass phrases."""


@contextmanager
def written_whole(path: Path, mode: int = FOR_ALL) -> Iterator[Path]:
    """Gives a file beside `path` to write; it takes its place when all of it was written. OSError as it comes.

    What stood there before stays where something goes wrong, and where the file beside it is removed again. A link is
    replaced, never written through. Nothing but a plain file is replaced, and none that somebody is still writing.
    """
    must_be_replaceable(path)
    path.parent.mkdir(parents=True, exist_ok=True)
    number, name = tempfile.mkstemp(suffix=".new", prefix=f".{path.name}.", dir=path.parent)
    fresh = Path(name)
    try:
        fresh.chmod(mode)
        os.close(number)
        yield fresh
        if fresh.exists():
            # Whatever was put there meanwhile is no more ours than what was there before.
            must_be_replaceable(path)
            fresh.replace(path)
    except BaseException:
        fresh.unlink(missing_ok=True)
        raise


def must_be_replaceable(path: Path) -> None:
    """OSError where what stands there must not give way: no plain file, or one that somebody is still writing."""
    try:
        file = os.open(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0))
    except FileNotFoundError:
        return
    except OSError:
        # One that cannot be read can be told by what it is alone.
        if path.exists() and not path.is_file():
            raise _no_place(path) from None
        return
    try:
        if not stat.S_ISREG(os.fstat(file).st_mode):
            raise _no_place(path)
        if not claim(file):
            raise OSError(errno.EBUSY, "it is being written by a program that records", str(path))
    finally:
        os.close(file)


def _no_place(path: Path) -> OSError:
    return OSError(errno.EINVAL, "a device, folder, pipe or socket stands there, and no plain file", str(path))
