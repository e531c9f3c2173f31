"""Work that needs nothing but what it is given, done by several processes; what it makes comes in the same order."""

import multiprocessing
import os
import signal
import threading
from collections import deque
from collections.abc import Callable, Generator, Iterable
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import Final, TypeVar

Given = TypeVar("Given")
Made = TypeVar("Made")

AHEAD: Final = 3
"""So many pieces for each process are under way or wait: what is read ahead of what is written is bounded."""


def spread(work: Callable[[Given], Made], pieces: Iterable[Given], processes: int) -> Generator[Made, None, None]:
    """What `work` makes of each piece, in as many processes; where there can be none, or they have ended, here.

    What goes wrong with a piece is raised where its turn comes. To end early, close it.
    """
    waiting: deque[tuple[Given, Future[Made] | None]] = deque()
    try:
        pool = ProcessPoolExecutor(processes, multiprocessing.get_context("spawn"), _begin)
    except (OSError, ImportError, NotImplementedError):
        # A system without shared semaphores, or one that grants none.
        yield from map(work, pieces)
        return
    try:
        for piece in pieces:
            waiting.append((piece, _submitted(pool, work, piece)))
            if len(waiting) > AHEAD * processes:
                yield _made(work, *waiting.popleft())
        while waiting:
            yield _made(work, *waiting.popleft())
    finally:
        pool.shutdown(wait=False, cancel_futures=True)


def _submitted(pool: ProcessPoolExecutor, work: Callable[[Given], Made], piece: Given) -> "Future[Made] | None":
    try:
        return pool.submit(work, piece)
    except (BrokenProcessPool, OSError):
        return None


def _made(work: Callable[[Given], Made], piece: Given, made: "Future[Made] | None") -> Made:
    if made is not None:
        try:
            return made.result()
        except BrokenProcessPool:
            # Killed, or short of memory: what it had in hand is done here.
            pass
    return work(piece)


def _begin() -> None:
    """In each process: it ends with the one that began it, which alone hears of an interrupt."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_end_with_parent, name="parent", daemon=True).start()


def _end_with_parent() -> None:
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(1)
