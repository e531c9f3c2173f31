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
- counted: so many bytes as the line before announced, whatever they are.
- followed: one line of free text, even if it reads `OK`.
- data: after CONNECT, or what the dialect says, everything belongs to the far end, except a line that ends it.

A number alone is a result code where it ends with CR and no LF follows (V.250, 6.2.6): the next byte, or a pause,
decides. However the streams are cut into chunks, what comes out is the same.
"""

import re
from typing import Final, NamedTuple

from pale_heron.core.device.dialogue.exchanges import (
    COMMAND,
    DATA,
    ECHO,
    INFORMATION,
    LATE,
    NOTICE,
    PAYLOAD,
    PROMPT,
    RAW_KEPT,
    RESULT,
    Exchange,
    Item,
    ReceivedLine,
)
from pale_heron.core.device.dialogue.framed import FramedIncoming, FramedOutgoing
from pale_heron.core.device.dialogue.incoming import Incoming
from pale_heron.core.device.dialogue.outgoing import Outgoing
from pale_heron.core.device.dialogue.replies import expected_of, fields_of, word_of
from pale_heron.core.device.dialogue.transcript import PendingExchange, Transcript
from pale_heron.core.device.schema.command_line import CTRL_Z, ESCAPE, sets_something
from pale_heron.core.device.schema.command_line import PROMPT as PROMPT_TEXT
from pale_heron.core.device.schema.commands import RUN, SET, Command, TypedCommand
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.fields import MASK
from pale_heron.core.device.schema.notices import NO_ANSWER, OK, UNCLEAR, FinalResult, Notice
from pale_heron.core.frames import OUT, SECOND, Chunk
from pale_heron.core.line.typed import is_sentence_like
from pale_heron.core.patterns import Match, Pattern
from pale_heron.core.wire.visible import safe_text

QUEUED: Final = 64
RESTARTS_KEPT: Final = 16
PAYLOAD_WITHIN_NS: Final = 600 * SECOND
"""So long a person may think at a prompt."""

ABORTS: Final = "V.250, 5.6.1"

LATE_NS: Final = 120 * SECOND
AT_ONCE_NS: Final = SECOND // 2
"""A result so soon behind a connection is not of the far end."""

AMID_NS: Final = 3 * SECOND
UNCLEAR_NS: Final = 2 * SECOND
"""After such a silence a command that nobody has described has been answered, though no result came."""

PROMPT_BEHIND_NS: Final = 3 * SECOND
UNTOLD_NS: Final = SECOND
LONGEST_RESULT: Final = 20
WORD: Final = re.compile(rb"[A-Za-z][A-Za-z _/!>-]{0,19}")
"""What may be a word for done: no digits, no `=` or `:`."""


class ReportedLine(NamedTuple):
    """One line with named fields, for whoever keeps what a module said of itself."""

    heard: ReceivedLine
    command: Command | None
    form: str


class Conversation:
    """Feed it the chunks of one lane, both directions, in the order of their times; ask it for its items."""

    def __init__(self, dialect: Dialect, numbered: int = 0) -> None:
        """`numbered`: the items are numbered from there on."""
        self.dialect = dialect
        self.mode = ""
        """COMMAND or DATA as it was seen; empty before anything was."""
        self.mode_why = ""
        """The evidence of it, in words."""
        self.mode_since: int | None = None
        self.echo: bool | None = None
        self.words: bool | None = None
        """Whether results come as words; None before one came."""
        self.restarts: list[int | None] = []
        self._transcript = Transcript(numbered)
        self._new_streams()
        self._reported: list[ReportedLine] = []
        self._late_since: int | None = None
        self._results_off = False
        """Whether it was told to give no results (V.250, 6.2.5)."""
        self._values: dict[str, str] = {}
        """What it was set to or told, by the names of fields and parameters."""
        self._unasked_at: int | None = None
        """When a line came last that nobody had asked for, and that is no notice."""
        self._linked_at: int | None = None
        """When a result led to data mode, as long as nothing was sent since: nobody has asked the far end for an OK."""
        self._typed = b""
        """What was sent since the last command line, line ends and all."""
        self._spoken_at: int | None = None
        """When a command was sent last, or had its result."""

    def speak(self, dialect: Dialect) -> None:
        """From now on this is its dialect."""
        other = dialect.line.frame != self.dialect.line.frame
        self.dialect = dialect
        if other:
            self._new_streams()

    def _new_streams(self) -> None:
        """Nothing that was said before belongs to what comes."""
        frame = self.dialect.line.frame
        self._incoming = Incoming(self) if frame is None else FramedIncoming(self, frame)
        self._outgoing = Outgoing(self) if frame is None else FramedOutgoing(self, frame)

    @property
    def items(self) -> tuple[Item, ...]:
        """What was said, oldest first; the last may be under way."""
        return self._transcript.items

    def items_since(self, ended: int) -> list[Item]:
        """What has ended since so many had, oldest first; none is given twice."""
        return self._transcript.items_since(ended)

    @property
    def ended_count(self) -> int:
        """How many items have ended since the start."""
        return self._transcript.ended_count

    def count_ended(self, count: int) -> None:
        """So many have ended, as whoever asks since when counts."""
        self._transcript.ended_count = count

    @property
    def count(self) -> int:
        """How many items there were since the start."""
        return self._transcript.numbered

    @property
    def data_came(self) -> bool:
        """Whether the far end said something in this stretch of data mode."""
        return self._transcript.data_came

    @property
    def busy(self) -> bool:
        """Whether a command waits for its result."""
        return self.head is not None

    def taken(self) -> list[ReportedLine]:
        """The lines with fields since it was asked last."""
        reported, self._reported = self._reported, []
        return reported

    def feed(self, chunk: Chunk, byte_ns: int = 0) -> None:
        """Take what was sent or received; a byte takes `byte_ns` on the line, so a line's end has a time of its own."""
        if chunk.time is not None:
            self.tick(chunk.time)
        if chunk.direction is OUT:
            self._typed = (self._typed + chunk.data)[-RAW_KEPT:]
            self._outgoing.feed(chunk.data, chunk.time)
        else:
            if (head := self.head) is not None:
                head.bytes_in = (head.bytes_in + chunk.data)[:RAW_KEPT]
            self._incoming.feed(chunk.data, chunk.time, byte_ns)

    def tick(self, now: int) -> None:
        """Let time pass: a number alone is decided, and a command that has no answer in time has none."""
        self._incoming.tick(now)
        while (head := self.head) is not None:
            limit = PAYLOAD_WITHIN_NS if head.prompted else head.within_ns
            if self._is_quiet(head, now):
                continue
            if head.since is None or now - head.since <= limit:
                return
            # As of the moment at which the limit was reached, however rarely time is passed on.
            self._time_out(head, limit, head.since + limit)
        ends = int(self.dialect.command_ends_s * SECOND)
        if ends and self.mode == COMMAND and self._spoken_at is not None and now - self._spoken_at > ends:
            why = f"{self.dialect.command_ends_s:g} s without a command: it goes back to data mode by itself"
            self._set_mode(DATA, self._spoken_at + ends, why)

    def _is_quiet(self, head: PendingExchange, now: int) -> bool:
        """Whether a silence has ended a reply or an escape; then it is over."""
        if self.escaping and not self.dialect.escape_answered and head.since is not None:
            quiet = self.escape[1]
            if now - head.since > quiet:
                self._end(OK, "quiet", "", "the escape has no answer, and nothing came", head.since + quiet)
                self._set_mode(COMMAND, now, "the escape was sent between two silences")
                return True
        if head.heard_at is None or head.prompted or self._incoming.expecting:
            return False
        if self._results_off and now - head.heard_at > UNTOLD_NS:
            self._end(UNCLEAR, "", "", "it was told to give no results (ATQ1): ATQ0 brings them back", head.heard_at)
            return True
        if not head.said:
            return False
        if quiet := int(self.dialect.line.reply_ends_s * SECOND):
            if now - head.heard_at <= quiet:
                return False
            spoken, ended = head.spoken, head.heard_at + quiet
            self._end(OK, "quiet", "", "it said no more", ended)
            self._obeyed(spoken)
            self._set_mode(COMMAND, ended, "it answered a command")
            return True
        if head.unknown and now - head.heard_at > UNCLEAR_NS:
            self._end(UNCLEAR, "", "", no_result(head), head.heard_at)
            return True
        return False

    def _time_out(self, head: PendingExchange, limit: int, time: int) -> None:
        """Nothing ended it in time."""
        self._late_since = time
        within = f"within {limit / SECOND:g} s"
        if head.to_far_end:
            self._end(NO_ANSWER, "", "", f"no answer {within}: it went to the far end", time)
        elif head.between is not None:
            self._end(NO_ANSWER, "", "", f"{word_of(head.between)}, but what comes behind it did not {within}", time)
        elif head.said:
            self._end(UNCLEAR, "", "", no_result(head), time)
        else:
            self._end(NO_ANSWER, "", "", f"no answer {within}{head.taken_words}", time)

    def say_mode(self, mode: str, time: int | None) -> None:
        """A person says which mode it is in."""
        self._set_mode(mode, time, "a person said so")

    def lane_gone(self, time: int | None) -> None:
        """The lane was lost or closed: nothing that waits has an answer any more, and no mode is known."""
        while self.head is not None:
            self._end(NO_ANSWER, "", "", "the lane was gone before it had an answer", time)
        self._transcript.end_unsolicited()
        self._set_mode("", time, "the lane was gone")
        self._new_streams()

    @property
    def waiting(self) -> list[str]:
        """The commands that wait for their results, by their names."""
        return [command.name for each in self._transcript.queue for command in each.commands]

    @property
    def head(self) -> PendingExchange | None:
        """What waits for its result, if anything does."""
        return self._transcript.head

    # What is sent, as Outgoing reports it

    @property
    def escape(self) -> tuple[bytes, int]:
        """The sequence that leads back from data mode, and its guard time in nanoseconds."""
        return self.dialect.escape.encode("latin-1"), int(self.dialect.guard_s * SECOND)

    @property
    def escaping(self) -> bool:
        """Whether the answer to the escape sequence is waited for."""
        head = self.head
        return head is not None and head.sent == self.escape[0] != b""

    def line_sent(self, line: bytes, time: int | None, *, to_far_end: bool = False) -> None:
        """A command line is whole."""
        self._spoken_at = time
        spoken = self.dialect.spoken(self.dialect.line.line_of(line))
        quiet = next((each.values for each in spoken if each.command and each.command.name == "quiet"), {})
        self._results_off = quiet["quiet"] == "1" if "quiet" in quiet else self._results_off
        self._transcript.end_unsolicited()
        if self._transcript.waiting >= QUEUED:
            self._end(NO_ANSWER, "", "", "too many commands were sent without waiting", time)
        before = self.head
        pending = self._transcript.begin(line, spoken, time)
        pending.to_far_end = to_far_end
        pending.bytes_out, self._typed = self._typed, b""
        pending.amid = self._unasked_at is not None and (time is None or time - self._unasked_at < AMID_NS)
        if before is not None and before.can_be_broken_off:
            before.broken_off_by, pending.may_break_off = line, before

    def payload_sent(self) -> None:
        """The text at a prompt is whole."""
        self._incoming.forget_space()

    def data_sent(self, count: int, time: int | None) -> None:
        """Bytes went to the far end."""
        self._linked_at = None
        self._transcript.count_data(time, sent=count)

    def escape_sent(self, sequence: bytes, within_ns: int, time: int | None) -> None:
        """The escape sequence stood alone: its answer is waited for."""
        self._transcript.begin(sequence, (), time).within_ns = within_ns

    def escape_was_data(self) -> None:
        """It was followed too soon."""
        self._transcript.withdraw()

    # What is received, as Incoming reports it

    @property
    def numbers_come(self) -> bool:
        """Whether results may come as numbers: not where words came, unless that is just being changed."""
        if self.words is not True:
            return True
        head = self.head
        return head is not None and any(each.command and each.command.name == "verbosity" for each in head.spoken)

    @property
    def ready_prompt(self) -> bytes:
        """The text with which the module waits for the next command; empty where it has none."""
        return self.dialect.line.prompt.encode("latin-1", "replace")

    def hear_ready(self, time: int | None) -> None:
        """It waits for the next command: what was sent has been done. One from before an echo is no answer yet."""
        head = self.head
        if head is not None and not head.prompted and (head.echoed or not self.echo):
            spoken = head.spoken
            self._end(OK, "ready", "", "its prompt came", time)
            self._obeyed(spoken)
        self._set_mode(COMMAND, time, "its prompt came")

    @property
    def prompt_like(self) -> "Pattern[str] | None":
        """What the text with which the module waits for the next command looks like."""
        return self.dialect.line.prompt_like

    def opens(self, text: bytes) -> bool:
        """Whether data of an announced length follow right behind this, on the same line."""
        line = self.dialect.line.decoded(text)
        return any(each.behind and each.line.fullmatch(line) for each in self.dialect.notices.values())

    def may_prompt(self, time: int | None) -> bool:
        """Whether the command at the head may prompt, or the one that has just ended (`OK`, and then a prompt)."""
        if self.head is not None:
            return not self.head.prompted
        last = self._transcript.last
        if not isinstance(last, Exchange) or last.status != OK or not sets_something(last.sent):
            return False
        return time is None or last.ended is None or time - last.ended < PROMPT_BEHIND_NS

    def prompts_late(self, time: int | None) -> bool:
        """Whether the command that has just ended is one that prompts, and has not yet: it may behind its OK."""
        last = self._transcript.last
        if self.head is not None or not isinstance(last, Exchange) or not self.may_prompt(time):
            return False
        prompted = any(each.role == PROMPT for each in last.heard)
        return not prompted and any(each.prompts and each.prompt == PROMPT_TEXT for each in last.commands)

    def hear_prompt(self, time: int | None) -> None:
        """The command at the head prompts, or the one that has just ended."""
        head, last = self.head, self._transcript.last
        if head is None and isinstance(last, Exchange):
            head = self._transcript.resume(last)
            head.since = head.heard_at = time
        if head is not None:
            asks = head.prompts.prompt if head.prompts else PROMPT_TEXT
            head.add(ReceivedLine(time, PROMPT, asks.encode("latin-1", "replace")))
            head.prompted = True

    def hear_payload(self, data: bytes, belongs: str, time: int | None) -> None:
        """Bytes or a text that belong to the line before; as much of them as came."""
        if data or belongs:
            self._transcript.add(ReceivedLine(time, PAYLOAD, data, belongs))
        self._transcript.end_unsolicited()

    def hear_data(self, data: bytes, time: int | None) -> None:
        """Bytes of the far end."""
        self._transcript.count_data(time, received=data)

    def hear_number(self, text: bytes, time: int | None) -> None:
        """A number that no LF follows: a result code, if there is one of that number."""
        code = int(text)
        result = next((each for each in self.dialect.results.values() if each.code == code), None)
        notice = next((each for each in self.dialect.notices.values() if each.code == code), None)
        if result is not None and self.head is not None and self._transcript.turn_to_one_of(result.of):
            self.words = False
            self._take_result(result, text, (), time)
        elif notice is not None:
            self._take_notice(notice, text, (), time)
        else:
            self.hear_line(text, time)

    def hear_line(self, text: bytes, time: int | None) -> None:
        """One line, without its end."""
        head = self.head
        line = self.dialect.line.decoded(text)
        if self.mode == DATA:
            self._take_data_line(line, text, time)
            return
        if not self._answers_with_itself(text, line) and self._transcript.echoed(text, time):
            return
        if head is not None and head.payload and text == _bare(head):
            self._transcript.add(ReceivedLine(time, ECHO, text))
            return
        for result in self.dialect.results.values():
            match = self._matched(result, line)
            if match and (head is None or self._transcript.turn_to_one_of(result.of)):
                self.words = True
                self._take_result(result, text, fields_of(match), time)
                return
        if head is not None and head.then is not None and head.between is not None and head.then.then is not None:
            match = head.then.then.fullmatch(line)
            if match:
                self._take_reply(text, head.then, RUN, match, time)
                self._end(OK, word_of(head.between), "", head.between.meaning, time)
                return
        # A reply that names itself (`+CPIN: READY`) is the reply, even if a notice may read the same.
        expected = expected_of(head, line) or self._expected_before(line)
        if expected is not None and line[:1] == "+" and expected[1] != SET:
            self._take_reply(text, *expected, time)
            return
        for notice in self.dialect.notices.values():
            match = notice.line.fullmatch(line)
            if match:
                self._take_notice(notice, text, fields_of(match), time, match)
                return
        if expected is not None:
            self._take_reply(text, *expected, time)
        elif not is_sentence_like(text):
            # A sentence that no command says it answers is that of a receiver, whoever waits.
            self._transcript.add(ReceivedLine(time, INFORMATION, text))
            if head is None:
                self._unasked_at = time
                self._transcript.end_unsolicited()

    def _answers_with_itself(self, text: bytes, line: str) -> bool:
        """Whether a reply reads as the command does (`lamp 1`), of a module whose replies end by silence."""
        head = self.head
        if head is None or self.echo or not self.dialect.line.reply_ends_s or text != head.sent.strip():
            return False
        return expected_of(head, line) is not None

    def _matched(self, result: FinalResult, line: str) -> "Match[str] | None":
        """The match of a result; behind an escape something from the air without a line end may stand before it."""
        found = result.line.fullmatch(line)
        if found or not self.escaping:
            return found
        ends = (result.line.fullmatch(line[-size:]) for size in range(2, min(len(line), LONGEST_RESULT) + 1))
        return next(filter(None, ends), None)

    def _expected_before(self, line: str) -> "tuple[Command, str, Match[str]] | None":
        """Where an echo came before its turn, the command before may say its own all the same."""
        before = self._transcript.first
        expected = expected_of(before, line) if before is not self.head else None
        if expected is not None and before is not None:
            self._transcript.turn_to(before)
        return expected

    def _take_reply(self, text: bytes, command: Command, form: str, match: "Match[str]", time: int | None) -> None:
        heard = ReceivedLine(time, INFORMATION, text, command.name, fields_of(match))
        self._values |= dict(heard.fields)
        self._transcript.add(heard)
        self._reported.append(ReportedLine(heard, command, form))
        self._then(command.arrives, command.follows, match)

    def _take_data_line(self, line: str, text: bytes, time: int | None) -> None:
        """In data mode: what ends it, and the answer to the escape, or to a command that was heard all the same.

        A good result right behind the one that led here says that the module takes commands still.
        """
        head, linked = self.head, self._linked_at
        at_once = linked is not None and time is not None and time - linked < AT_ONCE_NS
        for result in self.dialect.results.values():
            if not self._matched(result, line):
                continue
            good = result.status == OK and result.enters != DATA
            why = (
                f"{word_of(result)} came" if result.enters == COMMAND
                else f"{text_of_command(head)} was answered {word_of(result)}"
                if head is not None and (good or head.to_far_end)
                else f"{word_of(result)} came right behind the connection" if good and at_once
                else ""
            )  # fmt: skip
            if why:
                self._set_mode(COMMAND, time, why)
                self._take_result(result, text, (), time)
                return
        for notice in self.dialect.notices.values():
            match = notice.line.fullmatch(line) if notice.enters == COMMAND or notice.restarts else None
            if match:
                self._set_mode(COMMAND, time, "it said so")
                self._take_notice(notice, text, fields_of(match), time, match)
                return

    def _take_notice(
        self,
        notice: Notice,
        text: bytes,
        fields: tuple[tuple[str, str], ...],
        time: int | None,
        match: "Match[str] | None" = None,
    ) -> None:
        heard = ReceivedLine(time, NOTICE, text, notice.name, fields)
        if notice.restarts:
            self._restarted(time)
        self._transcript.add(heard)
        self._reported.append(ReportedLine(heard, None, NOTICE))
        if notice.enters:
            self._enter(notice.enters, notice.enters_if, time, f"{safe_text(text)} came")
        if match is not None:
            self._then(notice.arrives, notice.follows, match, NOTICE)
        if not self._incoming.expecting:
            self._transcript.end_unsolicited()

    def _restarted(self, time: int | None) -> None:
        """It has restarted: whatever waits gets no answer any more, except the command that asked for it."""
        self.restarts.append(time)
        del self.restarts[:-RESTARTS_KEPT]
        self._set_mode(self.dialect.starts_in or COMMAND, time, "it has started")
        self._values.clear()
        while (head := self.head) is not None:
            asked = any("restarts" in each.risks for spoken in head.spoken if (each := spoken.command))
            status = OK if asked else NO_ANSWER
            self._end(status, "restarted", "", "it has restarted", time)

    def _then(self, arrives: str, follows: bool, match: "Match[str]", belongs: str = "") -> None:
        """What comes behind a line: so many bytes, or a line of free text."""
        self._incoming.expect(match.groupdict().get(arrives) if arrives else None, follows, belongs)

    def _take_result(
        self, result: FinalResult, text: bytes, fields: tuple[tuple[str, str], ...], time: int | None
    ) -> None:
        heard = ReceivedLine(time, RESULT, text, result.name, fields)
        self._reported.append(ReportedLine(heard, None, RESULT))
        head = self.head
        if head is None:
            late = self._late_since is not None and time is not None and time - self._late_since < LATE_NS
            self._late_since = None
            self._transcript.add(heard._replace(name=LATE if late else result.name))
            self._transcript.end_unsolicited()
            if result.enters:
                self._enter(result.enters, result.enters_if, time, f"{word_of(result)} came")
            return
        self._transcript.add(heard)
        if result.status == OK and not self._ends(head, result):
            head.between, head.since = result, time
            return
        spoken = head.spoken
        broken = head.broken_off_by and result.status != OK
        reported = [self.dialect.field_of(name).in_words(raw) for name, raw in fields if raw]
        word = text.decode("latin-1").partition(":")[0] if result.code is None else word_of(result)
        told = {name: MASK if self.dialect.field_of(name).secret else raw for name, raw in fields}
        filled = result.in_words(told)
        meaning = f"{filled}: {', '.join(reported)}" if reported and filled == result.meaning else filled
        if broken:
            head.was_broken_off = True
            meaning += f"; broken off by what was sent while it went on ({ABORTS})"
        escaping = self.escaping
        self._end(result.status, word, text.decode("latin-1"), meaning, time)
        if result.status == OK:
            self._obeyed(spoken)
        if escaping and result.status == OK:
            self._set_mode(COMMAND, time, f"the escape was answered {word}")
        entered = [each.command for each in spoken if each.command and each.command.enters]
        if result.enters:
            self._enter(result.enters, result.enters_if, time, f"{word_of(result)} came")
        elif entered and result.status == OK:
            self._enter(entered[-1].enters, entered[-1].enters_if, time, f"{word} came")
        elif not self.mode:
            self._set_mode(COMMAND, time, f"{text_of_command(head)} was answered {word}")

    def _ends(self, head: PendingExchange, result: FinalResult) -> bool:
        """Whether a good result is the last of a command, and its own result is not still to come."""
        if head.then is not None:
            head.within_ns = int(head.then.then_within_s * SECOND)
            return False
        return not head.ends or result.name in head.ends

    def _enter(self, mode: str, condition: str, time: int | None, why: str) -> None:
        """It enters a mode, if it is set so; where that is not known no mode is."""
        name, _, value = condition.partition("=")
        known = self._values.get(name)
        if not name or known == value:
            self._set_mode(mode, time, why)
            self._linked_at = time if mode == DATA else None
        elif known is None:
            self._set_mode("", time, f"{why}, and whether {name} is {value} nobody knows")
        elif not self.mode:
            self._set_mode(COMMAND, time, f"{why}, and {name} is {known}")

    def _obeyed(self, spoken: tuple[TypedCommand, ...]) -> None:
        """What its OK says of how it will speak from now on."""
        for each in spoken:
            name = each.command.name if each.command and each.form == SET else ""
            if each.form == SET:
                self._values |= each.values
            if name == "verbosity":
                self.words = each.values.get("verbosity") == "1"
            elif name == "echo":
                self.echo = each.values.get("echo") == "1"

    def _end(self, status: str, word: str, code: str, meaning: str, time: int | None) -> None:
        """The exchange at the head is over."""
        escaping = self.escaping
        self._spoken_at = time
        echoed = self._transcript.end(status, word, code, meaning, time)
        if echoed is not None and not escaping:
            self.echo = echoed
        self._incoming.forget_space()

    def _set_mode(self, mode: str, time: int | None, why: str) -> None:
        """`why` is the newest evidence; it counts also where the mode was believed already."""
        self.mode_why, self.mode_since = why, time
        if mode == self.mode:
            return
        self.mode = mode
        if mode == DATA:
            self._outgoing.forget_escape()
            self._transcript.begin_data(time)
        else:
            self._transcript.end_data(time)


def text_of_command(head: PendingExchange | None) -> str:
    """What was sent, to be shown."""
    return safe_text(head.sent.strip()) if head is not None else ""


def no_result(head: PendingExchange) -> str:
    """It was answered, and with no result: which of its lines may be one."""
    last = next(each.data for each in reversed(head.heard) if each.role in (INFORMATION, PAYLOAD))
    if WORD.fullmatch(last):
        return f"{safe_text(last)} came, and no result that is known: is that its word for done?"
    # What was told is no part of this: it may be a secret, and these words go far.
    return "answered, and no result behind it: do its replies end by silence?"


def _bare(pending: PendingExchange) -> bytes:
    """What was sent at a prompt, without what ended it."""
    ends = (pending.prompts.text_end, pending.prompts.gives_up) if pending.prompts else (CTRL_Z, ESCAPE)
    text = pending.payload
    for end in ends:
        text = text.removesuffix(end) if end else text
    return text.strip(b"\r\n ")
