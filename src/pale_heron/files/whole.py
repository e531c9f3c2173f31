"""Files that are there whole or not at all."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def written_whole(path: Path) -> Iterator[Path]:
    """Gives a file beside `path` to write; it takes its place when all of it was written. OSError as it comes.

    What stood there before stays where something goes wrong, and where the file beside it is removed again.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    fresh = path.with_name(path.name + ".new")
    try:
        yield fresh
        if fresh.exists():
            fresh.replace(path)
    except BaseException:
        fresh.unlink(missing_ok=True)
        raise
