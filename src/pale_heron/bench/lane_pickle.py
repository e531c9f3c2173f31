"""Lanes on their way from one process to another, without the dialects of their bench: each process has its own."""

import io
import pickle
from collections.abc import Mapping
from typing import Final, cast

from pale_heron.bench.config.dialect_book import DialectBook
from pale_heron.core.lane import Lane

BOOK: Final = "dialects"
"""Stands for them."""


def pickled_lanes(lanes: Mapping[str, Lane], book: DialectBook) -> bytes:
    """Lanes by their names, to be read by this program, in this run."""
    out = io.BytesIO()
    _LanePickler(out, book).dump(dict(lanes))
    return out.getvalue()


def unpickled_lanes(pickled: bytes, book: DialectBook) -> dict[str, Lane]:
    """The same lanes, which ask this book for their dialects."""
    return cast("dict[str, Lane]", _LaneUnpickler(io.BytesIO(pickled), book).load())


class _LanePickler(pickle.Pickler):
    def __init__(self, out: io.BytesIO, book: DialectBook) -> None:
        super().__init__(out, pickle.HIGHEST_PROTOCOL)
        self._book = book

    def persistent_id(self, thing: object) -> str | None:
        return BOOK if thing is self._book else None


class _LaneUnpickler(pickle.Unpickler):
    def __init__(self, file: io.BytesIO, book: DialectBook) -> None:
        super().__init__(file)
        self._book = book

    def persistent_load(self, _: object) -> DialectBook:
        return self._book
