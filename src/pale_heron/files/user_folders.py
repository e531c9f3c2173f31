"""Where a user's own files lie, also for a user who has no home, or folders that cannot be searched."""

import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Final

from platformdirs import user_config_path, user_data_path

from pale_heron.core.trouble import Trouble
from pale_heron.system import user_id
from pale_heron.system.private import private_folder

PROGRAM: Final = "pale-heron"
CONFIG_VARIABLE: Final = "PALE_HERON_CONFIG"
CAPTURES_VARIABLE: Final = "PALE_HERON_CAPTURES"


def config_folder() -> Path:
    """What PALE_HERON_CONFIG names, else the user's configuration folder."""
    return _folder(CONFIG_VARIABLE, lambda: user_config_path(PROGRAM), "config")


def capture_folder() -> Path:
    """What PALE_HERON_CAPTURES names, else `captures` in the user's data folder."""
    return _folder(CAPTURES_VARIABLE, lambda: user_data_path(PROGRAM) / "captures", "captures")


def _folder(variable: str, usual: Callable[[], Path], name: str) -> Path:
    named = os.environ.get(variable)
    try:
        return Path(named).expanduser() if named else usual()
    except RuntimeError:
        # A user without an entry and without HOME, as in a container: as good as any place that lasts a while.
        base = Path(tempfile.gettempdir()) / f"{PROGRAM}-{user_id()}"
        try:
            return private_folder(base) / name
        except OSError as problem:
            # Others may plant what they like there.
            raise Trouble(f"There is no home folder, and {problem.strerror}", f"Set HOME, or {variable}") from None


def is_there(path: Path) -> bool:
    """Whether there is such a file, as far as this user can see: what cannot be looked for is told when it is used."""
    return os.path.exists(path)  # noqa: PTH110 - of `Path` it raises where a folder cannot be searched


def is_file(path: Path) -> bool:
    """Whether there is a plain file, as far as this user can see."""
    return os.path.isfile(path)  # noqa: PTH113 - as above


def toml_files(folder: Path) -> list[Path]:
    """The TOML files of a folder, by name; none where there is no folder, or it cannot be searched."""
    try:
        return sorted(folder.glob("*.toml"))
    except OSError:
        return []


def search_problem(folder: Path) -> str:
    """Why a folder cannot be searched; empty where it can, or where there is none."""
    try:
        os.scandir(folder).close()
    except (FileNotFoundError, NotADirectoryError):
        return ""
    except OSError as problem:
        return problem.strerror or type(problem).__name__
    return ""
