"""Follows what is sent to a module: command lines, texts at a prompt, and data, in which an escape may stand."""

from typing import Final, Protocol

from pale_heron.core.device.dialogue.exchanges import DATA, SENT, ReceivedLine
from pale_heron.core.device.dialogue.incoming import END, LIMIT
from pale_heron.core.device.dialogue.transcript import PendingExchange
from pale_heron.core.device.schema.command_line import CTRL_Z, ESCAPE, is_surely_command_line
from pale_heron.core.frames import SECOND
from pale_heron.core.line.typed import is_sentence_like

ESCAPE_KEPT: Final = 8


class OutgoingListener(Protocol):
    """Who hears what was sent. `mode` is that of the module now."""

    mode: str

    @property
    def head(self) -> PendingExchange | None: ...

    @property
    def escape(self) -> tuple[bytes, int]: ...

    @property
    def escaping(self) -> bool: ...

    def line_sent(self, line: bytes, time: int | None, *, to_far_end: bool = False) -> None: ...

    def payload_sent(self) -> None: ...

    def data_sent(self, count: int, time: int | None) -> None: ...

    def escape_sent(self, sequence: bytes, within_ns: int, time: int | None) -> None: ...

    def escape_was_data(self) -> None: ...


class Outgoing:
    """One sent stream."""

    def __init__(self, speaker: OutgoingListener) -> None:
        self._speaker = speaker
        self._line = bytearray()
        self._last: int | None = None
        self._escape = bytearray()
        self._data_line = b""
        """In data mode: what was sent since the last line end."""

    def feed(self, data: bytes, time: int | None) -> None:
        """Take a chunk; `time` is that of its first byte."""
        at = 0
        while at < len(data):
            head = self._speaker.head
            if head is not None and head.prompted:
                at = self._payload(head, data, at, time)
            elif self._speaker.mode == DATA:
                self._data(data[at:], time)
                break
            elif self._is_escape(data[at:], time):
                break
            else:
                end = END.search(data, at)
                self._line += data[at : end.start() if end else None]
                if end is None:
                    del self._line[:-LIMIT]
                    break
                at = end.end()
                line, self._line = bytes(self._line), bytearray()
                if line.strip() and not is_sentence_like(line):
                    self._speaker.line_sent(line, time)
        self._last = time

    def forget_escape(self) -> None:
        """Data mode begins: what was sent before is no part of an escape."""
        self._escape.clear()
        self._data_line = b""

    def _is_escape(self, data: bytes, time: int | None) -> bool:
        """The escape sequence alone, after a silence, while no mode was seen: it may be in data mode already."""
        sequence, guard = self._speaker.escape
        alone = data == sequence != b"" and not self._line and not self._speaker.mode
        if alone and self._is_quiet(guard, time):
            self._speaker.escape_sent(sequence, guard + 2 * SECOND, time)
            return True
        return False

    def _is_quiet(self, guard: int, time: int | None) -> bool:
        """Whether nothing was sent for the guard time."""
        return self._last is None or time is None or time - self._last >= guard

    def _payload(self, head: PendingExchange, data: bytes, at: int, time: int | None) -> int:
        """Text at a prompt, up to Ctrl-Z or ESC or for as many bytes as were announced; gives where it goes on."""
        count = head.count(len(data) - at)
        if count is None:
            command = head.prompts
            ending = (command.text_end, command.gives_up) if command else (CTRL_Z, ESCAPE)
            held = len(head.payload)
            text = head.payload + data[at:]
            ends = [place + len(code) for code in ending if code and (place := text.find(code)) >= 0]
            whole = bool(ends)
            end = at + min(ends) - held if ends else len(data)
        else:
            end = min(len(data), at + count - len(head.payload))
            whole = end - at + len(head.payload) >= count
        head.payload += data[at:end]
        if whole:
            head.add(ReceivedLine(time, SENT, head.payload))
            head.prompted, head.since = False, time
            self._speaker.payload_sent()
        return end

    def _data(self, data: bytes, time: int | None) -> None:
        """Data; the sequence that leads back stands alone between two silences.

        A command line alone is sent by somebody who believes that the module hears it: the answer shows.
        """
        *whole, rest = END.split(self._data_line + data)
        self._data_line = rest[-LIMIT:]
        for line in whole:
            if is_surely_command_line(line.decode("latin-1")):
                self._speaker.line_sent(line, time, to_far_end=True)
        sequence, guard = self._speaker.escape
        if self._is_quiet(guard, time):
            self._escape = bytearray(data)
        else:
            self._escape += data
            # More was sent before the guard time was over: the sequence was data after all.
            if self._speaker.escaping and len(self._escape) > len(sequence):
                self._speaker.escape_was_data()
        if sequence and self._escape == sequence:
            self._data_line = b""
            self._speaker.escape_sent(sequence, guard + 2 * SECOND, time)
        del self._escape[:-ESCAPE_KEPT]
        self._speaker.data_sent(len(data), time)
