"""Files and folders that belong to this user alone, also where others may write beside them, as in a shared /tmp."""

import contextlib
import errno
import os
from pathlib import Path

from pale_heron.system import is_ours


def private_folder(path: Path) -> Path:
    """Make it where it is not there. OSError where it is a link, or somebody else's: what lies in it may be planted."""
    path.mkdir(mode=0o700, parents=True, exist_ok=True)
    if path.is_symlink() or not is_ours(path):
        raise OSError(errno.EPERM, f"{path} belongs to somebody else")
    return path


def remove_own(path: Path) -> None:
    """Take away what we left there, never what it points to. OSError where it is somebody else's."""
    if not os.path.lexists(path):
        return
    if not is_ours(path):
        raise OSError(errno.EPERM, f"{path} belongs to somebody else")
    with contextlib.suppress(FileNotFoundError):
        path.unlink()


def new_file(path: Path, mode: int = 0o600) -> int:
    """A file that was not there, opened by number. Never through a link. OSError where one is there."""
    flags = os.O_RDWR | os.O_CREAT | os.O_EXCL | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_BINARY", 0)
    return os.open(path, flags, mode)
