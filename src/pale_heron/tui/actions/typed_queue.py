"""What was typed while a module was busy: sent line by line, each once the one before has its result."""

import time
from collections import deque
from collections.abc import Callable
from typing import Final

from pale_heron.core.device.dialogue.exchanges import DATA, Exchange
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot

SEEN_WITHIN_S: Final = 1.0
"""So long after it was sent a command may not be seen yet."""

SendLine = Callable[[str, str], bool]


class TypedQueue:
    """Lanes and their lines. `send` sends one and gives whether it could; `module_of` gives what is known now."""

    def __init__(self, send: SendLine, module_of: Callable[[str], ModuleSnapshot | None]) -> None:
        self._send = send
        self._module_of = module_of
        self._lines: dict[str, deque[str]] = {}
        self._sent: dict[str, tuple[int, float]] = {}

    def waiting(self, lane: str) -> tuple[str, ...]:
        """What waits on a lane, in its order."""
        return tuple(self._lines.get(lane, ()))

    def enter(self, lane: str, text: str) -> bool:
        """Send a line, or put it behind what waits; whether one of the two could be done."""
        if not self._is_busy(lane):
            return self._send_now(lane, text)
        self._lines.setdefault(lane, deque()).append(text)
        return True

    def send_at_once(self, lane: str) -> None:
        """Send all that waits, whatever the module does."""
        for text in self.take_back(lane):
            self._send_now(lane, text)

    def take_back(self, lane: str) -> tuple[str, ...]:
        """Forget what waits on a lane; gives it."""
        return tuple(self._lines.pop(lane, ()))

    def work_off(self) -> None:
        """To be called now and then: send what has its turn. What cannot be sent takes all behind it back."""
        for lane in list(self._lines):
            lines = self._lines[lane]
            if not lines:
                del self._lines[lane]
            elif not self._is_under_way(lane) and not self._send_now(lane, lines.popleft()):
                self.take_back(lane)

    def _send_now(self, lane: str, text: str) -> bool:
        module = self._module_of(lane)
        self._sent[lane] = module.count if module else 0, time.monotonic()
        return self._send(lane, text)

    def _is_busy(self, lane: str) -> bool:
        return bool(self._lines.get(lane)) or self._is_under_way(lane)

    def _is_under_way(self, lane: str) -> bool:
        """Whether a command waits for its result, was sent just now, or what is sent would go to the far end."""
        module = self._module_of(lane)
        if module is None:
            return False
        if module.mode == DATA and lane in self._lines:
            return True
        count, at = self._sent.get(lane, (-1, 0.0))
        unseen = module.count == count and time.monotonic() - at < SEEN_WITHIN_S
        return unseen or any(isinstance(each, Exchange) and each.waits for each in module.items)
