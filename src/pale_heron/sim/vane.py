"""The small board of the weather vane: it answers each message, and waits for the line end that says it is whole.

`hi` is answered with `hello`, a whole number with that number plus 100, anything else with what was not understood. A
message ends with LF; without one the board waits a second for more, and answers then.
"""

from typing import Final

from pale_heron.core.link.rules import Rule
from pale_heron.sim.actors import Mute

WAITS_S: Final = 1.0
LONGEST: Final = 80
_PLUS: Final = Rule("plus", "100")


class Vane(Mute):
    """One board."""

    def __init__(self) -> None:
        self._held = b""
        self._due = 0.0

    def hear(self, data: bytes, seconds: float) -> bytes:
        self._held += data
        self._due = seconds + WAITS_S
        *whole, self._held = self._held.split(b"\n")
        self._held = self._held[-LONGEST:]
        return b"".join(self._answer(line) for line in whole)

    def say(self, seconds: float) -> bytes:
        if not self._held or seconds < self._due:
            return b""
        waiting, self._held = self._held, b""
        return self._answer(waiting)

    def _answer(self, line: bytes) -> bytes:
        message = line.strip(b"\r\n ").decode("ascii", "replace")
        if not message:
            return b""
        answer = "hello" if message == "hi" else _PLUS.answer(message)
        # What it cannot write in its own alphabet it leaves out.
        return answer.removesuffix("\ufffd").encode("ascii", "ignore") + b"\r\n"
