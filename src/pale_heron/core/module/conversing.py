"""Pairs what is sent to a module with what it says: a state machine over both streams, fed chunk by chunk.

                    a command line is sent
        idle ─────────────────────────────────▶ waiting ◀─────────── the payload is sent
         ▲                                        │  │                     │
         │ final result, or no answer in time     │  └─ prompt ──▶ prompted┘
         └────────────────────────────────────────┘

Command lines that are sent while one is waiting queue behind it; results come in the order of the commands. Beside
this the stream is read in one of four ways, whatever is waiting:

- lines: up to CR or LF (ITU-T V.250, 5.7.1). A line that the pending command expects is information; else one that a
  notice describes is that notice, and never ends or spoils a reply; else, while one is waiting, information.
- counted: so many bytes as the line before has told, whatever they are.
- followed: one line of free text, even if it reads `OK`.
- data: after CONNECT, or what the dialect says, everything belongs to the far end, except a line that ends it.

A number alone is a result code where it ends with CR and no LF follows (V.250, 6.2.6): the next byte, or a pause,
decides. However the streams are cut into chunks, what comes out is the same.
"""

import re
from collections import deque
from collections.abc import Iterable
from typing import Final, NamedTuple

from pale_heron.core.frames import OUT, SECOND, Chunk
from pale_heron.core.module.commands import SET, Command, Spoken
from pale_heron.core.module.dialect import Dialect
from pale_heron.core.module.exchanges import (
    COMMAND,
    DATA,
    ECHO,
    INFORMATION,
    LATE,
    NOTICE,
    PAYLOAD,
    PROMPT,
    RESULT,
    SENT,
    Data,
    Exchange,
    Heard,
    Item,
    Unasked,
)
from pale_heron.core.module.notices import NO_ANSWER, OK, Notice, Result

ITEMS_KEPT: Final = 500
HEARD_KEPT: Final = 400
QUEUED: Final = 64
LIMIT: Final = 4096
LAST_KEPT: Final = 120
MOST_COUNTED: Final = 1 << 16
"""The longest payload that is believed to come, in bytes."""

UNKNOWN_WITHIN_S: Final = 5.0
"""The time limit of commands that the dialect does not know."""

DECIDING_NS: Final = 40_000_000
"""A pause after a number and CR: no LF belongs to it."""

BEHIND_NS: Final = 3 * SECOND
"""Payloads and texts come at once behind the line that tells of them, or not at all."""

PAYLOAD_WITHIN_NS: Final = 600 * SECOND
"""So long a person may think at a prompt."""

LATE_NS: Final = 120 * SECOND
CTRL_Z, ESCAPE = 0x1A, 0x1B
SECRETS_KEPT: Final = 500
SHORTEST_SECRET: Final = 3
"""What is shorter would be masked wherever two letters come together."""

_END = re.compile(rb"[\r\n]")
_DIGITS = re.compile(rb"\d{1,2}").fullmatch


class Told(NamedTuple):
    """One line with named fields, for whoever keeps what a module said of itself."""

    heard: Heard
    command: Command | None
    form: str


class _Open:
    """An exchange that is under way."""

    def __init__(self, number: int, sent: bytes, spoken: tuple[Spoken, ...], begun: int | None) -> None:
        self.number = number
        self.sent = sent
        self.spoken = spoken
        self.begun = begun
        self.since = begun
        self.heard: list[Heard] = []
        self.dropped = 0
        self.prompted = False
        self.payload = b""
        known = [each.command for each in spoken if each.command]
        self.within_ns = int(max((each.within_s for each in known), default=UNKNOWN_WITHIN_S) * SECOND)
        self.prompts = next((each for each in known if each.prompts), None)

    def count(self) -> int | None:
        """How many payload bytes the command has announced; None where Ctrl-Z ends them."""
        if self.prompts is None or not self.prompts.counted:
            return None
        told = next((each.values.get(self.prompts.counted, "") for each in self.spoken if each.command), "")
        return int(told) if told.isdecimal() else None

    def add(self, heard: Heard) -> None:
        if len(self.heard) < HEARD_KEPT:
            self.heard.append(heard)
        else:
            self.dropped += 1

    def frozen(self, waits: str) -> Exchange:
        return Exchange(
            self.number, self.begun, self.sent, self.spoken, tuple(self.heard), waits=waits, dropped=self.dropped
        )


class Conversation:
    """Feed it the chunks of one lane, both directions, in the order of their times; ask it for its items."""

    def __init__(self, dialect: Dialect) -> None:
        self.dialect = dialect
        self.mode = ""
        """COMMAND or DATA as it was seen; empty before anything was."""
        self.echo: bool | None = None
        self.words: bool | None = None
        """Whether results come as words; None before one came."""
        self.restarts: list[int | None] = []
        self._items: deque[Item] = deque(maxlen=ITEMS_KEPT)
        self._number = self._ended_count = 0
        self._queue: deque[_Open] = deque()
        self._told: list[Told] = []
        self._line = bytearray()
        self._number_held: tuple[bytes, int | None] | None = None
        self._skip_space = self._lf_due = False
        self._counted = 0
        self._counted_data = bytearray()
        self._follows = False
        self._belongs = ""
        self._unasked: list[Heard] = []
        self._out = bytearray()
        self._data: Data | None = None
        self._last_out: int | None = None
        self._last_in: int | None = None
        self._escape = bytearray()
        self._late_since: int | None = None
        self.secrets: set[str] = set()
        """Every secret value that was told or heard, as far as the dialect knew it as one."""

    @property
    def items(self) -> tuple[Item, ...]:
        """What was said, oldest first; the last may be under way."""
        waits = "the result"
        under_way: list[Item] = []
        for place, each in enumerate(self._queue):
            waits = "its payload" if each.prompted else "the result" if not place else "its turn"
            under_way.append(each.frozen(waits))
        return (*self._items, *([self._data] if self._data else []), *under_way)

    def items_since(self, ended: int) -> list[Item]:
        """What has ended since so many had, oldest first; none is told twice."""
        new = self._ended_count - ended
        return list(self._items)[-new:] if new > 0 else []

    @property
    def ended_count(self) -> int:
        """How many items have ended since the begin."""
        return self._ended_count

    @property
    def data_came(self) -> bool:
        """Whether the far end said something in this stretch of data mode."""
        return self._data is not None and self._data.bytes_in > 0

    @property
    def busy(self) -> bool:
        """Whether a command waits for its result."""
        return bool(self._queue)

    @property
    def count(self) -> int:
        """How many items there were since the begin."""
        return self._number

    def taken(self) -> list[Told]:
        """The lines with fields since it was asked last."""
        told, self._told = self._told, []
        return told

    def feed(self, chunk: Chunk, byte_ns: int = 0) -> None:
        """Take what was sent or received; a byte takes `byte_ns` on the line, so a line's end has a time of its own."""
        if chunk.time is not None:
            self.tick(chunk.time)
        if chunk.direction is OUT:
            self._feed_sent(chunk.data, chunk.time)
        else:
            self._feed_received(chunk.data, chunk.time, byte_ns)

    def tick(self, now: int) -> None:
        """Let time pass: a number alone is decided, and a command that has no answer in time has none."""
        if self._number_held is not None:
            text, time = self._number_held
            if time is None or now - time >= DECIDING_NS:
                self._number_held = None
                self._take_number(text, time)
        if self._counted or self._follows:
            self._stop_expecting(now)
        while self._queue:
            head = self._queue[0]
            limit = PAYLOAD_WITHIN_NS if head.prompted else head.within_ns
            if head.since is None or now - head.since <= limit:
                return
            self._late_since = now
            # As of the moment at which the limit was reached, however rarely time is told.
            self._end(NO_ANSWER, "", "", f"no answer within {limit / SECOND:g} s", head.since + limit)

    def _stop_expecting(self, now: int) -> None:
        """What a line has told of did not come: it is read on as usual."""
        if self._last_in is None or now - self._last_in < BEHIND_NS:
            return
        if self._counted_data:
            self._add(Heard(self._last_in, PAYLOAD, bytes(self._counted_data), self._belongs))
        self._counted_data.clear()
        self._counted, self._follows = 0, False
        self._end_unasked()

    # What is sent

    def _feed_sent(self, data: bytes, time: int | None) -> None:
        at = 0
        while at < len(data):
            head = self._queue[0] if self._queue else None
            if head is not None and head.prompted:
                at = self._send_payload(head, data, at, time)
            elif self.mode == DATA:
                self._send_data(data[at:], time)
                break
            else:
                end = _END.search(data, at)
                self._out += data[at : end.start() if end else None]
                if end is None:
                    del self._out[:-LIMIT]
                    break
                at = end.end()
                line, self._out = bytes(self._out), bytearray()
                if line.strip() and line[:1] not in (b"$", b"!"):
                    self._begin(line, time)
        self._last_out = time

    def _begin(self, line: bytes, time: int | None) -> None:
        """A command line is whole."""
        spoken = self.dialect.spoken(line.decode("latin-1"))
        self._end_unasked()
        self._learn_secrets(value for each in spoken for value in each.values.items())
        if len(self._queue) >= QUEUED:
            self._end(NO_ANSWER, "", "", "too many commands were sent without waiting", time)
        self._queue.append(_Open(self._next(), line, spoken, time))

    def _send_payload(self, head: _Open, data: bytes, at: int, time: int | None) -> int:
        count = head.count()
        if count is None:
            ends = [place for code in (CTRL_Z, ESCAPE) if (place := data.find(code, at)) >= 0]
            end = min(ends) + 1 if ends else len(data)
            done = bool(ends)
        else:
            end = min(len(data), at + count - len(head.payload))
            done = end - at + len(head.payload) >= count
        head.payload += data[at:end]
        if done:
            head.add(Heard(time, SENT, head.payload))
            head.prompted, head.since = False, time
            self._skip_space = False
        return end

    @property
    def _escaping(self) -> bool:
        """Whether the answer to the escape sequence is waited for."""
        return bool(self._queue) and self._queue[0].sent == self.dialect.escape.encode() != b""

    def _send_data(self, data: bytes, time: int | None) -> None:
        guard = int(self.dialect.guard_s * SECOND)
        quiet = self._last_out is None or time is None or time - self._last_out >= guard
        if quiet:
            self._escape = bytearray(data)
        else:
            self._escape += data
            # More was sent before the guard time was over: the sequence was data after all.
            if self._escaping and len(self._escape) > len(self.dialect.escape):
                self._queue.popleft()
        if self.dialect.escape and bytes(self._escape) == self.dialect.escape.encode():
            begun = _Open(self._next(), bytes(self._escape), (), time)
            begun.within_ns = guard + 2 * SECOND
            self._queue.append(begun)
        del self._escape[:-8]
        if self._data is not None:
            self._data = _counting(self._data, out=len(data))

    # What is received

    def _feed_received(self, data: bytes, begin: int | None, byte_ns: int) -> None:
        at, size = 0, len(data)
        self._last_in = begin
        while at < size:
            time = begin
            if begin is not None and byte_ns:
                end = _END.search(data, at)
                time = begin + (end.end() if end else size) * byte_ns
            if self._number_held is not None:
                text, when = self._number_held
                self._number_held = None
                if data[at] == 0x0A:
                    at += 1
                    self._take_line(text, when)
                else:
                    self._take_number(text, when)
                continue
            if self._lf_due:
                self._lf_due = False
                if data[at] == 0x0A:
                    at += 1
                    continue
            if self._counted:
                at = self._take_counted(data, at, time)
                continue
            if not self._line and self.mode != DATA and self._took_prompt(data[at : at + 1], time):
                at += 1
                continue
            at = self._take_until_end(data, at, time)

    def _took_prompt(self, byte: bytes, time: int | None) -> bool:
        """Whether a byte at the begin of a line is a prompt, or the space behind one."""
        if self._skip_space:
            self._skip_space = False
            if byte == b" ":
                return True
        head = self._queue[0] if self._queue else None
        if byte != b">" or head is None or head.prompts is None:
            return False
        if not head.prompted and head.payload:
            return False
        if not head.prompted:
            self._prompt(head, time)
        # Else one more, as it comes behind each line of the text (27.005, 3.5.1).
        self._skip_space = True
        return True

    def _prompt(self, head: _Open, time: int | None) -> None:
        head.add(Heard(time, PROMPT, b">"))
        head.prompted = True

    def _take_until_end(self, data: bytes, at: int, time: int | None) -> int:
        """Take up to the end of the line, or all that is here; gives where it goes on."""
        end = _END.search(data, at)
        stop = end.start() if end else len(data)
        head = self._queue[0] if self._queue else None
        if head is not None and not head.prompted and self.mode != DATA and bytes(self._line[:2]) in (b"", b">"):
            # A command that the dialect does not know may prompt too: with `>` and a space (27.005, 3.5.1).
            begin = bytes(self._line) + data[at : at + 2 - len(self._line)]
            if begin[:2] == b"> ":
                at += 2 - len(self._line)
                self._line.clear()
                self._prompt(head, time)
                return at
        piece = data[at:stop]
        if self.mode == DATA:
            self._count_data(piece if end is None else data[at : end.end()], time)
        self._line += piece
        if end is None:
            if len(self._line) > LIMIT:
                self._line_whole(time, b"")
            return stop
        self._line_whole(time, end[0])
        return end.end()

    def _line_whole(self, time: int | None, end: bytes) -> None:
        text = bytes(self._line) if self._follows else bytes(self._line).strip(b" \x00")
        self._line.clear()
        if not text and not self._follows:
            self._lf_due = end == b"\r"
            return
        if end == b"\r" and self.mode != DATA and not self._follows and _DIGITS(text) and self._numbers_come:
            self._number_held = (text, time)
            return
        self._lf_due = end == b"\r" and self.mode != DATA
        self._take_line(text, time)

    @property
    def _numbers_come(self) -> bool:
        """Whether results may come as numbers: not where words came, unless it is just being told to change that."""
        if self.words is not True:
            return True
        spoken = self._queue[0].spoken if self._queue else ()
        return any(each.command and each.command.name == "verbosity" for each in spoken)

    def _take_counted(self, data: bytes, at: int, time: int | None) -> int:
        end = min(len(data), at + self._counted)
        self._counted_data += data[at:end]
        self._counted -= end - at
        if not self._counted:
            payload = Heard(time, PAYLOAD, bytes(self._counted_data), self._belongs)
            self._counted_data.clear()
            self._add(payload)
            self._end_unasked()
        return end

    def _take_number(self, text: bytes, time: int | None) -> None:
        """A number that no LF follows: a result code, if there is one of that number."""
        code = int(text)
        result = next((each for each in self.dialect.results.values() if each.code == code), None)
        notice = next((each for each in self.dialect.notices.values() if each.code == code), None)
        if result is not None and self._queue:
            self.words = False
            self._take_result(result, text, (), time)
        elif notice is not None:
            self._take_notice(notice, text, (), time)
        else:
            self._take_line(text, time)

    def _take_line(self, text: bytes, time: int | None) -> None:
        """One line, without its end."""
        head = self._queue[0] if self._queue else None
        if self._follows:
            self._follows = False
            self._add(Heard(time, PAYLOAD, text, self._belongs))
            self._end_unasked()
            return
        line = text.decode("latin-1")
        if self.mode == DATA:
            self._take_data_line(line, text, time)
            return
        if head is not None and text == head.sent.strip():
            self._hear(head, Heard(time, ECHO, text))
            return
        if head is not None and head.payload and text == head.payload.strip(b"\x1a\x1b\r\n "):
            self._hear(head, Heard(time, ECHO, text))
            return
        for result in self.dialect.results.values():
            match = result.line.fullmatch(line)
            if match:
                self.words = True
                self._take_result(result, text, _fields(match), time)
                return
        # A reply that names itself (`+CPIN: READY`) is the reply, even if a notice may read the same.
        expected = self._expected(head, line)
        if expected is not None and line[:1] == "+" and expected[1] != SET:
            self._take_reply(text, *expected, time)
            return
        for notice in self.dialect.notices.values():
            match = notice.line.fullmatch(line)
            if match:
                self._take_notice(notice, text, _fields(match), time, match)
                return
        if expected is not None:
            self._take_reply(text, *expected, time)
        elif head is not None:
            self._hear(head, Heard(time, INFORMATION, text))
        elif text[:1] not in (b"$", b"!"):
            self._add(Heard(time, INFORMATION, text))
            self._end_unasked()

    def _expected(self, head: _Open | None, line: str) -> tuple[Command, str, re.Match[str]] | None:
        """The command of the pending line that says it would answer so."""
        for spoken in head.spoken if head else ():
            command = spoken.command
            for pattern in command.replies if command else ():
                match = pattern.fullmatch(line)
                if match and command:
                    return command, spoken.form, match
        return None

    def _take_reply(self, text: bytes, command: Command, form: str, match: re.Match[str], time: int | None) -> None:
        heard = Heard(time, INFORMATION, text, command.name, _fields(match))
        self._add(heard)
        self._learn_secrets(heard.fields)
        self._told.append(Told(heard, command, form))
        self._then(command.arrives, command.follows, match)

    def _take_data_line(self, line: str, text: bytes, time: int | None) -> None:
        """In data mode: what ends it, and the answer to the escape sequence."""
        for result in self.dialect.results.values():
            if result.line.fullmatch(line) and (result.enters == COMMAND or (self._queue and result.status == OK)):
                self._set_mode(COMMAND, time)
                self._take_result(result, text, (), time)
                return
        for notice in self.dialect.notices.values():
            match = notice.line.fullmatch(line) if notice.enters == COMMAND or notice.restarts else None
            if match:
                self._set_mode(COMMAND, time)
                self._take_notice(notice, text, _fields(match), time, match)
                return

    def _take_notice(
        self,
        notice: Notice,
        text: bytes,
        fields: tuple[tuple[str, str], ...],
        time: int | None,
        match: re.Match[str] | None = None,
    ) -> None:
        heard = Heard(time, NOTICE, text, notice.name, fields)
        if notice.restarts:
            self._restarted(time)
        self._add(heard)
        self._learn_secrets(heard.fields)
        self._told.append(Told(heard, None, NOTICE))
        if notice.enters:
            self._set_mode(notice.enters, time)
        if match is not None:
            self._then(notice.arrives, notice.follows, match, NOTICE)
        if not self._counted and not self._follows:
            self._end_unasked()

    def _restarted(self, time: int | None) -> None:
        """It has started anew: whatever waits gets no answer any more, except the command that asked for it."""
        self.restarts.append(time)
        del self.restarts[:-16]
        self._set_mode(COMMAND, time)
        while self._queue:
            asked = any("restarts" in each.risks for spoken in self._queue[0].spoken if (each := spoken.command))
            status = OK if asked else NO_ANSWER
            self._end(status, "restarted", "", "it has started anew", time)

    def _then(self, arrives: str, follows: bool, match: re.Match[str], belongs: str = "") -> None:
        """What comes behind a line: so many bytes, or a line of free text."""
        told = match.groupdict().get(arrives) if arrives else None
        self._counted = min(int(told), MOST_COUNTED) if told and told.isdecimal() else 0
        self._follows = follows
        self._belongs = belongs

    def _take_result(self, result: Result, text: bytes, fields: tuple[tuple[str, str], ...], time: int | None) -> None:
        heard = Heard(time, RESULT, text, result.name, fields)
        self._told.append(Told(heard, None, RESULT))
        if not self._queue:
            late = self._late_since is not None and time is not None and time - self._late_since < LATE_NS
            self._late_since = None
            self._add(heard._replace(name=LATE if late else result.name))
            self._end_unasked()
            if result.enters:
                self._set_mode(result.enters, time)
            return
        head = self._queue[0]
        self._hear(head, heard)
        spoken = head.spoken
        told = [self.dialect.field_of(name).told(raw) for name, raw in fields if raw]
        word = text.decode("latin-1").partition(":")[0] if result.code is None else _word(result)
        meaning = f"{result.meaning}: {', '.join(told)}" if told else result.meaning
        escaping = self._escaping
        self._end(result.status, word, text.decode("latin-1"), meaning, time)
        if escaping and result.status == OK:
            self._set_mode(COMMAND, time)
        entered = [each.command.enters for each in spoken if each.command and each.command.enters]
        if result.enters:
            self._set_mode(result.enters, time)
        elif entered and result.status == OK:
            self._set_mode(entered[-1], time)
        elif not self.mode:
            self._set_mode(COMMAND, time)
        if result.status == OK:
            self._obeyed(spoken)

    def _obeyed(self, spoken: tuple[Spoken, ...]) -> None:
        """What its OK says of how it will speak from now on."""
        for each in spoken:
            name = each.command.name if each.command and each.form == SET else ""
            if name == "verbosity":
                self.words = each.values.get("verbosity") == "1"
            elif name == "echo":
                self.echo = each.values.get("echo") == "1"

    def _learn_secrets(self, values: Iterable[tuple[str, str]]) -> None:
        if len(self.secrets) < SECRETS_KEPT:
            secret = self.dialect.secrets
            self.secrets.update(raw for name, raw in values if name in secret and len(raw) >= SHORTEST_SECRET)

    # Where things go

    def _keep(self, item: Item) -> None:
        self._items.append(item)
        self._ended_count += 1

    def _next(self) -> int:
        self._number += 1
        return self._number

    def _hear(self, head: _Open | None, heard: Heard) -> None:
        assert head is not None, "asked only while one is waiting"
        head.add(heard)

    def _add(self, heard: Heard) -> None:
        """To the exchange that is waiting, else to what comes unasked."""
        if self._queue:
            self._queue[0].add(heard)
        else:
            self._unasked.append(heard)

    def _end_unasked(self) -> None:
        if self._unasked:
            self._keep(Unasked(self._next(), tuple(self._unasked)))
            self._unasked = []

    def _end(self, status: str, word: str, code: str, meaning: str, time: int | None) -> None:
        """The exchange at the head is over; the one behind it waits from now on."""
        escaping = self._escaping
        head = self._queue.popleft()
        if status != NO_ANSWER and not escaping:
            self.echo = any(each.role == ECHO for each in head.heard)
        self._keep(
            Exchange(
                number=head.number,
                begun=head.begun,
                sent=head.sent,
                spoken=head.spoken,
                heard=tuple(head.heard),
                status=status,
                result=word,
                code=code,
                meaning=meaning,
                ended=time,
                dropped=head.dropped,
            )
        )
        self._skip_space = False
        if self._queue:
            self._queue[0].since = time

    def _set_mode(self, mode: str, time: int | None) -> None:
        if mode == self.mode:
            return
        self.mode = mode
        if mode == DATA:
            self._data = Data(self._next(), time)
            self._escape.clear()
        elif self._data is not None:
            ended = self._data
            self._keep(Data(ended.number, ended.begun, time, ended.bytes_in, ended.bytes_out, ended.last))
            self._data = None

    def _count_data(self, data: bytes, time: int | None) -> None:
        if self._data is None:
            self._data = Data(self._next(), time)
        self._data = _counting(self._data, received=data)


def _counting(data: Data, *, received: bytes = b"", out: int = 0) -> Data:
    last = (data.last + received)[-LAST_KEPT:]
    return Data(data.number, data.begun, None, data.bytes_in + len(received), data.bytes_out + out, last)


def _word(result: Result) -> str:
    """Its word, also where it came as a number."""
    return result.name.replace("-", " ").upper()


def _fields(match: re.Match[str]) -> tuple[tuple[str, str], ...]:
    return tuple((name, raw or "") for name, raw in match.groupdict().items())
