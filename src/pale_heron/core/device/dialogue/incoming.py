"""Cuts what a module sends into lines, prompts, numbers, payloads and data, as the moment asks.

The stream is read in one of four ways: lines up to CR or LF (ITU-T V.250, 5.7.1); so many bytes as the line before
announced; one line of free text; or data, of which lines are only looked at for what ends it. A number alone is held
until the next byte, or a pause, shows whether an LF follows its CR (V.250, 6.2.6). Nothing is read twice, and nothing
grows.
"""

import re
from typing import Final, Protocol

from pale_heron.core.device.dialogue.exchanges import DATA
from pale_heron.core.device.dialogue.transcript import PendingExchange
from pale_heron.core.device.schema.command_line import PROMPT
from pale_heron.core.frames import SECOND
from pale_heron.core.patterns import Pattern

LIMIT: Final = 4096
MOST_COUNTED: Final = 1 << 16
"""The longest payload that is believed to come, in bytes."""

DECIDING_NS: Final = 40_000_000
"""A pause after a number and CR: no LF belongs to it."""

BARE_PROMPT_NS: Final = 100_000_000
"""A pause after a `>` without a space: it is a prompt."""

BEHIND_NS: Final = 3 * SECOND
"""Payloads and texts come at once behind the line that announces them, or not at all."""

LONGEST_OPENING: Final = 80
COLOUR: Final = re.compile(rb"\x1b\[[0-?]*[ -/]*[@-~]")
"""A control sequence (ECMA-48, 5.4), as consoles put them around what they say."""

END: Final = re.compile(rb"[\r\n]")
_DIGITS = re.compile(rb"\d{1,2}").fullmatch


class IncomingListener(Protocol):
    """Who hears what comes. `mode` is that of the module now."""

    mode: str

    @property
    def head(self) -> PendingExchange | None: ...

    @property
    def prompt_like(self) -> "Pattern[str] | None": ...

    def opens(self, text: bytes) -> bool: ...

    def may_prompt(self, time: int | None) -> bool: ...

    def prompts_late(self, time: int | None) -> bool: ...

    @property
    def numbers_come(self) -> bool: ...

    @property
    def ready_prompt(self) -> bytes: ...

    def hear_ready(self, time: int | None) -> None: ...

    def hear_prompt(self, time: int | None) -> None: ...

    def hear_line(self, text: bytes, time: int | None) -> None: ...

    def hear_number(self, text: bytes, time: int | None) -> None: ...

    def hear_payload(self, data: bytes, belongs: str, time: int | None) -> None: ...

    def hear_data(self, data: bytes, time: int | None) -> None: ...


class Incoming:
    """One received stream."""

    def __init__(self, listener: IncomingListener) -> None:
        self._listener = listener
        self._line = bytearray()
        self._number: tuple[bytes, int | None] | None = None
        self._skip_space = self._lf_due = False
        self._counted = 0
        self._counted_data = bytearray()
        self._follows = False
        self._belongs = ""
        self._last: int | None = None

    @property
    def expecting(self) -> bool:
        """Whether bytes or a line of text must come that belong to the line before."""
        return bool(self._counted) or self._follows

    def expect(self, count: str | None, follows: bool, belongs: str) -> None:
        """What comes behind a line: so many bytes as it announced, or a line of free text."""
        self._counted = min(int(count), MOST_COUNTED) if count and count.isdecimal() else 0
        self._follows = follows
        self._belongs = belongs

    def forget_space(self) -> None:
        """No prompt waits any more, so no space is one behind it."""
        self._skip_space = False

    def tick(self, now: int) -> None:
        """Let time pass: a number is decided, and what was announced and did not come is given up."""
        if self._number is not None:
            text, time = self._number
            if time is None or now - time >= DECIDING_NS:
                self._number = None
                self._listener.hear_number(text, time)
        if self._waits_at_prompt(now):
            self._line.clear()
            self._listener.hear_prompt(self._last)
        if self.expecting and self._last is not None and now - self._last >= BEHIND_NS:
            come = bytes(self._counted_data)
            self._counted_data.clear()
            self._counted, self._follows = 0, False
            self._listener.hear_payload(come, self._belongs, self._last)

    def _waits_at_prompt(self, now: int) -> bool:
        """Whether a `>` stands alone, with a pause behind it, where a command may prompt that nobody has described."""
        alone = bytes(self._line) == b">" and self._listener.mode != DATA and self._last is not None
        return alone and now - (self._last or 0) >= BARE_PROMPT_NS and self._listener.may_prompt(self._last)

    def feed(self, data: bytes, begin: int | None, byte_ns: int) -> None:
        """Take a chunk; `begin` is the time of its first byte."""
        at, size = 0, len(data)
        self._last = begin
        while at < size:
            time = begin
            if begin is not None and byte_ns:
                end = END.search(data, at)
                time = begin + (end.end() if end else size) * byte_ns
            if self._number is not None:
                at += self._decide_number(data[at])
            elif self._lf_due:
                self._lf_due = False
                at += data[at] == 0x0A
            elif self._counted:
                at = self._take_counted(data, at, time)
            elif not self._line and self._listener.mode != DATA and self._is_prompt(data[at : at + 1], time):
                at += 1
            elif taken := self._take_prompt(data, at, time):
                at += taken
            else:
                at = self._take_until_end(data, at, time)

    def _decide_number(self, byte: int) -> int:
        """Decide by the byte behind it; gives how many bytes that took."""
        assert self._number is not None, "asked only while one is held"
        text, time = self._number
        self._number = None
        if byte == 0x0A:
            self._listener.hear_line(text, time)
            return 1
        self._listener.hear_number(text, time)
        return 0

    def _is_prompt(self, byte: bytes, time: int | None) -> bool:
        """Whether a byte at the start of a line is a prompt, or the space behind one."""
        if self._skip_space:
            self._skip_space = False
            if byte == b" ":
                return True
        head = self._listener.head
        if byte == b">" and self._listener.prompts_late(time):
            self._listener.hear_prompt(time)
            self._skip_space = True
            return True
        if byte != b">" or head is None or head.prompts is None or head.prompts.prompt != PROMPT:
            return False
        if head.payload and not head.prompted:
            return False
        if not head.prompted:
            self._listener.hear_prompt(time)
        # Else one more, as it comes behind each line of the text (27.005, 3.5.1).
        self._skip_space = True
        return True

    def _take_prompt(self, data: bytes, at: int, time: int | None) -> int:
        """How many bytes belong to a prompt that is a text of the dialect's own; 0 where none stands there."""
        if self._listener.mode == DATA or self._follows:
            return 0
        head = self._listener.head
        asks = head.prompts.prompt if head is not None and head.prompts is not None and not head.payload else PROMPT
        for text, hear in (
            (asks.encode("latin-1", "replace") if asks != PROMPT else b"", self._listener.hear_prompt),
            (self._listener.ready_prompt, self._listener.hear_ready),
        ):
            piece = data[at : at + len(text) - len(self._line)] if len(self._line) < len(text) else b""
            if not piece or not text.startswith(bytes(self._line) + piece):
                continue
            self._line += piece
            if bytes(self._line) == text:
                self._line.clear()
                hear(time)
            return len(piece)
        return 0

    def _take_until_end(self, data: bytes, at: int, time: int | None) -> int:
        """Take up to the end of the line, or all that is here; gives where it goes on."""
        if self._listener.mode != DATA and bytes(self._line) in (b"", b">") and self._listener.may_prompt(time):
            # A command that the dialect does not know may prompt too: with `>` and a space (27.005, 3.5.1).
            missing = 2 - len(self._line)
            if self._line + data[at : at + missing] == b"> ":
                self._line.clear()
                self._listener.hear_prompt(time)
                return at + missing
        end = END.search(data, at)
        stop = end.start() if end else len(data)
        if self._listener.mode != DATA and (taken := self._take_opening(data[at:stop], time)):
            return at + taken
        if self._listener.mode == DATA:
            self._listener.hear_data(data[at : end.end() if end else stop], time)
        self._line += data[at:stop]
        if end is None:
            if len(self._line) > LIMIT:
                self._line_whole(time, b"")
            elif self._listener.mode != DATA and self._is_ready_prompt():
                self._line.clear()
                self._listener.hear_ready(time)
            return stop
        self._line_whole(time, end[0])
        return end.end()

    def _is_ready_prompt(self) -> bool:
        """Whether what stands without a line end is the prompt for the next command, as the dialect describes it."""
        like = self._listener.prompt_like
        return like is not None and like.fullmatch(COLOUR.sub(b"", self._line).decode("latin-1")) is not None

    def _take_opening(self, piece: bytes, time: int | None) -> int:
        """How many bytes belong to an announcement of data that stand right behind it; 0 where there is none."""
        for place, byte in enumerate(piece[: max(0, LONGEST_OPENING - len(self._line))], 1):
            text = bytes(self._line) + piece[:place]
            if not chr(byte).isalnum() and self._listener.opens(text):
                self._line.clear()
                self._listener.hear_line(text, time)
                return place
        return 0

    def _line_whole(self, time: int | None, end: bytes) -> None:
        in_data = self._listener.mode == DATA
        text = bytes(self._line) if self._follows else COLOUR.sub(b"", self._line).strip(b" \x00")
        self._line.clear()
        if self._follows:
            self._lf_due = end == b"\r"
            self._follows = False
            self._listener.hear_payload(text, self._belongs, time)
        elif not text:
            self._lf_due = end == b"\r" and not in_data
        elif end == b"\r" and not in_data and _DIGITS(text) and self._listener.numbers_come:
            self._number = (text, time)
        else:
            self._lf_due = end == b"\r" and not in_data
            self._listener.hear_line(text, time)

    def _take_counted(self, data: bytes, at: int, time: int | None) -> int:
        end = min(len(data), at + self._counted)
        self._counted_data += data[at:end]
        self._counted -= end - at
        if not self._counted:
            payload = bytes(self._counted_data)
            self._counted_data.clear()
            self._listener.hear_payload(payload, self._belongs, time)
        return end
