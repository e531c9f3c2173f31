"""Which dialect the module of a lane speaks: chosen by a person, recognised by what it says, or the standards' own."""

from collections.abc import Iterable
from typing import TYPE_CHECKING

from pale_heron.core.frames import OK, OUT, TEXT, Chunk, Frame
from pale_heron.core.lane import Lane
from pale_heron.core.wire.visible import safe_text

if TYPE_CHECKING:
    from pale_heron.core.module.dialect import Dialect

STANDARD = "standard"
LINES_TRIED = 400
"""So many lines of a lane are looked at; a device tells what it is at its start, or when it is asked."""

LONGEST = 120


class Speakers:
    """Gives lanes their dialects. The files are read when the first lane needs one."""

    def __init__(self) -> None:
        self._known: dict[str, Dialect] = {}
        self._tried: dict[str, int] = {}

    def _dialects(self) -> dict[str, "Dialect"]:
        if not self._known:
            from pale_heron.bench.dialects import known_dialects

            self._known = known_dialects()
        return self._known

    def choose(self, lane: Lane, name: str) -> None:
        """A person, or the bench file, has chosen; a dialect that is not here leaves the standards' own."""
        # Read anew: it may have been written since.
        self._known.clear()
        known = self._dialects()
        lane.speak(known.get(name) or known[STANDARD], chosen=True)

    def hear_sent(self, lane: Lane, chunk: Chunk) -> None:
        """Whoever is sent something other than sentences is spoken to as a module."""
        if lane.module is None and chunk.direction is OUT and chunk.data[:1] not in (b"$", b"!"):
            lane.speak(self._dialects()[STANDARD])

    def recognise(self, lane: Lane, frames: Iterable[Frame]) -> None:
        """Look at what a lane says, until it is known or too much was said."""
        for frame in frames:
            if frame.kind is not TEXT or frame.status is not OK or frame.direction is OUT or len(frame.data) > LONGEST:
                continue
            if lane.dialect_chosen:
                return
            tried = self._tried[lane.name] = self._tried.get(lane.name, 0) + 1
            if tried > LINES_TRIED:
                return
            said = safe_text(frame.data.strip())
            for dialect in self._dialects().values():
                if dialect.commands_modules and dialect.recognises(said):
                    lane.speak(dialect)
                    self._tried[lane.name] = 0
