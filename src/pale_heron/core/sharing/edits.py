"""Changes of a stream of bytes, and the stream with them: however it is cut into chunks, and its checksums with it."""

import re
import string
from bisect import bisect_left
from collections.abc import Iterable, Sequence
from typing import Final, NamedTuple

from pale_heron.core.wire.checksum import xor8

LINE: Final = 256
"""A sentence is no longer."""

STAR, LETTER = b"*", b"x"
"""What stands for each byte of what must not be told; in a sentence a star would end its fields."""

_SENTENCE: Final = re.compile(rb"[$!][A-Z][A-Z0-9]{3,8},[^\r\n$!*]*\Z")
_ENDS: Final = re.compile(rb"[\r\n$!*]")


class StreamEdit(NamedTuple):
    """Bytes from `begin` to before `end` of a stream become others; where `data` is None each becomes a star."""

    begin: int
    end: int
    data: bytes | None = None


def merged(changes: Iterable[StreamEdit], stars: Iterable[tuple[int, int]]) -> list[StreamEdit]:
    """Both in their order, none over another: of what is changed no star takes anything."""
    taken = sorted(changes)
    out, at = list(taken), 0
    for begin, end in sorted(stars):
        begin = max(begin, at)
        at = max(at, end)
        place = max(0, bisect_left(taken, (begin,)) - 1)
        while begin < end and place < len(taken) and taken[place].begin < end:
            if taken[place].end > begin:
                if taken[place].begin > begin:
                    out.append(StreamEdit(begin, taken[place].begin))
                begin = taken[place].end
            place += 1
        if begin < end:
            out.append(StreamEdit(begin, end))
    return sorted(out, key=lambda each: each[:2])


class StreamCopy:
    """One stream, chunk by chunk, with its edits; a checksum behind them becomes as right, or as wrong, as it was."""

    def __init__(self, edits: Sequence[StreamEdit]) -> None:
        self._edits = edits
        self._next = 0
        self._offset = 0
        self._before = b""
        """The last bytes as they were."""
        self._changed = 0
        """By what the checksum differs of the sentence that is passing."""
        self._digits = 0
        """How many of its two digits are still to come, once its star was seen."""

    def of_chunk(self, data: bytes) -> bytes:
        """The bytes of the next chunk, changed. What is written for bytes that two chunks share stands in the first."""
        out, at, begin = bytearray(), 0, self._offset
        end = begin + len(data)
        while self._next < len(self._edits) and self._edits[self._next].begin < end:
            edit = self._edits[self._next]
            first, last = max(edit.begin - begin, 0), min(edit.end, end) - begin
            if last > first or edit.begin >= begin:
                out += self._unchanged(data[at:first])
                written = self._written(edit, data, first, last)
                self._changed ^= xor8(data[first:last]) ^ xor8(written)
                out += written
                at = last
            if edit.end > end:
                break
            self._next += 1
        out += self._unchanged(data[at:])
        self._before = (self._before + data)[-LINE:]
        self._offset = end
        return bytes(out)

    def _written(self, edit: StreamEdit, data: bytes, first: int, last: int) -> bytes:
        if edit.data is not None:
            return edit.data if edit.begin - self._offset == first else b""
        before = (self._before + data[:first])[-LINE:]
        return (LETTER if _SENTENCE.search(before) else STAR) * (last - first)

    def _unchanged(self, data: bytes) -> bytes:
        """Bytes that stay, but for the digits of a checksum that something before them has changed."""
        if not self._changed or not data:
            return data
        at = 0
        if not self._digits:
            found = _ENDS.search(data)
            if found is None:
                return data
            if found[0] != b"*":
                self._changed = 0
                return data
            self._digits, at = 2, found.end()
        out = bytearray(data)
        # Each digit stands for half of it, so a checksum may be cut between them.
        while self._digits and at < len(out):
            digit = chr(out[at])
            if digit not in string.hexdigits:
                self._changed = self._digits = 0
                break
            half = self._changed >> 4 if self._digits == 2 else self._changed & 15
            changed = f"{int(digit, 16) ^ half:X}"
            out[at] = ord(changed.lower() if digit.islower() else changed)
            at += 1
            self._digits -= 1
            self._changed = self._changed if self._digits else 0
        return bytes(out)
