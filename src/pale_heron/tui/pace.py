"""How often the screen is drawn: as often as somebody can see, and seldom where nothing is typed and little arrives.

A bench that is left alone runs for hours on a battery, and most of what it would spend there goes into pictures that
differ in an age of a second.
"""

from typing import Final

LIVELY_S: Final = 0.1
QUIET_S: Final = 0.5
ATTENTIVE_S: Final = 3.0
"""So long after a key or the mouse somebody is taken to look closely."""

LIVELY_BYTES_PER_S: Final = 4000.0
"""From so much on lines run through the list faster than two pictures a second can show."""

EARLY_S: Final = 0.02
"""A timer may ring so much too early."""


class PicturePace:
    """Asked ten times a second whether a picture is due; times are seconds of a steady clock."""

    def __init__(self, now: float) -> None:
        self._touched = now
        self._drawn = now - QUIET_S
        self._moment = 0
        self._shown = now - QUIET_S

    def touched(self, now: float) -> bool:
        """A key or the mouse: from now on pictures follow closely; True where they did not until now."""
        was_quiet = now - self._touched > ATTENTIVE_S
        self._touched = now
        return was_quiet

    def is_due(self, now: float, *, lively: bool) -> bool:
        """Whether to draw; `lively` where more happens than two pictures a second can show."""
        close = lively or now - self._touched <= ATTENTIVE_S
        if now - self._drawn < (LIVELY_S if close else QUIET_S) - EARLY_S:
            return False
        self._drawn = now
        return True

    def is_new(self, now: float, moment: int) -> bool:
        """Whether to draw a picture of that moment: one that stands there already only where it has stood for long.

        Where so much comes that it is decoded five times a second, two pictures of each would be the same.
        """
        if moment == self._moment and now - self._shown < QUIET_S - EARLY_S:
            return False
        self._moment, self._shown = moment, now
        return True
