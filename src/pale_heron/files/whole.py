"""Files that are there whole or not at all."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final

from pale_heron.system.private import new_file, remove_own

FOR_ALL: Final = 0o644
PRIVATE: Final = 0o600
"""For what may hold pass phrases."""


@contextmanager
def written_whole(path: Path, mode: int = FOR_ALL) -> Iterator[Path]:
    """Gives a file beside `path` to write; it takes its place when all of it was written. OSError as it comes.

    What stood there before stays where something goes wrong, and where the file beside it is removed again. A link is
    replaced, never written through.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    fresh = path.with_name(path.name + ".new")
    remove_own(fresh)
    os.close(new_file(fresh, mode))
    try:
        yield fresh
        if fresh.exists():
            fresh.replace(path)
    except BaseException:
        fresh.unlink(missing_ok=True)
        raise
