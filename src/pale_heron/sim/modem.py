"""What the simulated modules have in common: they listen to command lines and answer them, as ITU-T V.250 says.

A module has no clock and no port of its own: it is given bytes and how many seconds have passed since power came, and
hands out bytes. What it is set to are texts by name, kept over a restart when it is ordered so.
"""

import heapq
import re
from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar, Final

from pale_heron.core.device.schema.command_line import pieces
from pale_heron.sim.calls import ANSWER_S, LINE_KNOBS, REGISTERS, Answer, Call, Knob, Prompt, call_of

CODES: Final = {
    "OK": "0",
    "CONNECT": "1",
    "RING": "2",
    "NO CARRIER": "3",
    "ERROR": "4",
    "BUSY": "7",
    "NO ANSWER": "8",
}
LONGEST_LINE: Final = 256
DEFAULT_ROOM = 4096
GUARD_S: Final = 1.0
ESCAPE: Final = b"+++"
CTRL_Z, ESC = 0x1A, 0x1B
ABORTS_AFTER_S: Final = 0.125
"""So long after the line was sent a character aborts what may be aborted (V.250, 5.6.1)."""

HABITS: Final[Mapping[str, str]] = {
    "own-words": "W/OK and W/NO stand for OK and ERROR",
    "no-result": "no OK stands behind what a query tells",
    "ok-before-prompt": "OK comes first, then the prompt, then a second result",
    "ok-after-connect": "OK follows CONNECT at once, and commands are taken still",
    "silent-escape": "nothing answers the escape from data mode",
    "leaves-data": "it leaves data mode by itself, after ten seconds of silence and without a word",
    "talks-at-start": "plain words about its last start, at any time and not only at one",
}
"""What modules of others do that V.250 does not have, by the names under which it can be asked for."""

OWN_WORDS: Final = {"OK": "W/OK", "ERROR": "W/NO"}
LEAVES_DATA_S: Final = 10.0
TALKS_S: Final = 20.0
_BASIC: Final = re.compile(r"(X|&C|&D)(\d?)")
_BASIC_MOST: Final = {"X": 4, "&C": 1, "&D": 2}


@dataclass
class _Waiting:
    """A prompt that waits for its text."""

    prompt: Prompt
    text: bytearray = field(default_factory=bytearray)


class Modem:
    """The ground of all four. `knobs` are what can be set by name, `handlers` what else it does."""

    TITLE = ""
    VERSION = "1.0"
    MAKER = "Saltmarsh Works"
    GROUPS = "+DS"
    TESTS: ClassVar[Mapping[str, str]] = {}
    """What test forms answer, of commands that do not answer them by themselves; others answer OK alone."""
    TESTED: ClassVar[frozenset[str]] = frozenset()
    """Commands that answer their test forms by themselves."""

    def __init__(self, knobs: Mapping[str, Knob], handlers: Mapping[str, Callable[[Call], Answer | Prompt]]) -> None:
        self.knobs = {**LINE_KNOBS, **REGISTERS, **knobs}
        self.handlers: dict[str, Callable[[Call], Answer | Prompt]] = {
            "+GMI": lambda _: Answer((self.MAKER,)),
            "+CGMI": lambda _: Answer((self.MAKER,)),
            "+GMM": lambda _: Answer((self.TITLE,)),
            "+CGMM": lambda _: Answer((self.TITLE,)),
            "+GMR": lambda _: Answer((self.VERSION,)),
            "+CGMR": lambda _: Answer((self.VERSION,)),
            "I": lambda _: Answer((f"{self.TITLE} {self.VERSION}, a simulated module",)),
            "+KEEP": self._keep,
            "+RENEW": self._renew,
            "&F": self._defaults,
            "&W": self._keep,
            "Z": self._reset,
            "+GCAP": lambda _: Answer((f"+GCAP: {self.GROUPS}",)),
            "": lambda _: Answer(),
            **handlers,
        }
        self.habits: frozenset[str] = frozenset()
        self.running = {knob.name: knob.usual for knob in self.knobs.values()}
        self.stored = dict(self.running)
        self.in_force = dict(self.running)
        self.echo, self.words, self.quiet = True, True, False
        self.data_mode = False
        self._line = bytearray()
        self._before = b""
        """The command line before, for A/."""
        self._left: deque[str] = deque()
        """Commands of the line that wait for the one before."""
        self._runs: Answer | None = None
        self._begun = 0.0
        self._count = 0
        """Counts commands: what was planned for one that was aborted is not done."""
        self._ahead = bytearray()
        """What came while a command ran that nothing aborts."""
        self._unasked: list[bytes] = []
        """Notices that wait until a prompt is over."""
        self._basic = {"X": "4", "&C": "1", "&D": "2"}
        self._waiting: _Waiting | None = None
        self.room = DEFAULT_ROOM
        """Bytes that its output buffer has room for; whoever runs it keeps that up to date."""
        self._out: list[tuple[float, int, Any]] = []
        self._order = 0
        self._last_heard = -GUARD_S
        self._escape = bytearray()
        self._escape_due: float | None = None
        self.later(0.0, 0.3, self.powered)

    def configure(self, **values: str) -> None:
        """Set and store before power comes."""
        self.running |= values
        self.stored = dict(self.running)
        self.in_force = dict(self.running)

    @property
    def rate(self) -> int:
        """The line rate that it keeps to now."""
        return int(self.in_force["rate"])

    # Over the line

    @property
    def takes_more(self) -> bool:
        """Whether it reads its line now; one that does not holds whoever sends to it."""
        return True

    def hear(self, data: bytes, seconds: float) -> None:
        """Take bytes from the line."""
        if self.data_mode:
            self._hear_data(data, seconds)
            return
        for index, byte in enumerate(data):
            if self._waiting is not None:
                self._hear_text(byte, seconds)
            elif self._runs is not None:
                self._hear_meanwhile(byte, seconds)
            elif self.data_mode:
                self._hear_data(data[index:], seconds)
                break
            else:
                self._hear_command(byte, seconds)
        self._last_heard = seconds

    def _hear_command(self, byte: int, seconds: float) -> None:
        """One character of a command line; each is sent back as it comes (V.250, 6.2.4)."""
        if byte == self._code("s5"):
            if self._line:
                del self._line[-1:]
                self._send_back(b"\x08 \x08", seconds)
            return
        if byte == 0x0A:
            return
        self._send_back(bytes([byte]), seconds)
        if byte == self._code("s3"):
            line, self._line = bytes(self._line), bytearray()
            if line[:2].upper() == b"AT":
                self._before = line
            self._hear_line(line.decode("latin-1"), seconds)
        elif bytes(self._line).upper() == b"A" and byte == 0x2F:
            # The line before once more, and at once (V.250, 5.2.4).
            self._line.clear()
            self._hear_line(self._before.decode("latin-1"), seconds)
        elif len(self._line) < LONGEST_LINE:
            self._line.append(byte)

    def _hear_meanwhile(self, byte: int, seconds: float) -> None:
        """A character while a command runs: it aborts what may be aborted, and else is heard afterwards."""
        assert self._runs is not None, "asked only while one runs"
        if not self._runs.aborted:
            if len(self._ahead) < LONGEST_LINE:
                self._ahead.append(byte)
        elif seconds - self._begun >= ABORTS_AFTER_S:
            word, self._runs = self._runs.aborted, None
            self._count += 1
            self._left.clear()
            self.result(word, seconds + ANSWER_S)

    def _code(self, name: str) -> int:
        return int(self.running[name])

    def _send_back(self, data: bytes, seconds: float) -> None:
        if self.echo:
            self.put(data, seconds)

    def say(self, seconds: float) -> bytes:
        """What is due on the line."""
        if self._escape_due is not None and seconds >= self._escape_due:
            self._escape_due = None
            self.data_mode = False
            if "silent-escape" not in self.habits:
                self.result("OK", seconds)
        if "leaves-data" in self.habits and seconds - self._last_heard > LEAVES_DATA_S:
            self.data_mode = False
        out = b""
        while self._out and self._out[0][0] <= seconds:
            due, _, what = heapq.heappop(self._out)
            if isinstance(what, bytes):
                out += what
            else:
                what(max(due, seconds))
        return out

    def put(self, data: bytes, at: float) -> None:
        """Say bytes at a time."""
        self._push(at, data)

    def later(self, seconds: float, after: float, do: Callable[[float], None]) -> None:
        """Do something after a while."""
        self._push(seconds + after, do)

    def _push(self, at: float, what: Any) -> None:
        self._order += 1
        heapq.heappush(self._out, (at, self._order, what))

    @property
    def _end(self) -> bytes:
        """What ends a line (V.250, 6.2.1 and 6.2.2)."""
        return bytes([self._code("s3"), self._code("s4")])

    def line(self, text: str, at: float) -> None:
        """One information line or notice."""
        data = text.encode("latin-1")
        self.put(self._end + data + self._end if self.words else data + self._end, at)

    def notice(self, text: str, at: float) -> None:
        """A line that nobody asked for: it waits until a prompt has its text."""
        self.unasked(self._end + text.encode("latin-1") + self._end, at)

    def unasked(self, data: bytes, at: float) -> None:
        """The same as bytes."""
        if self._waiting is not None:
            self._unasked.append(data)
        else:
            self.put(data, at)

    def ring(self, at: float) -> None:
        """A call comes in: a result code that nobody asked for."""
        if self._waiting is None:
            self.result("RING", at)
        elif self.words and not self.quiet:
            self._unasked.append(self._end + b"RING" + self._end)

    def result(self, word: str, at: float) -> None:
        """One result code, as word or number."""
        if self.quiet:
            return
        if "ok-after-connect" in self.habits and word.startswith("CONNECT"):
            self.later(at, 0.05, self._takes_commands_still)
        if "own-words" in self.habits:
            word = OWN_WORDS.get(word, word)
        end = self._end
        if self.words:
            self.put(end + word.encode("latin-1") + end, at)
        else:
            code = CODES.get(word)
            self.put(code.encode() + end[:1] if code else word.encode("latin-1") + end, at)

    def _takes_commands_still(self, at: float) -> None:
        """Being connected is one thing, to be in data mode another."""
        self.data_mode = False
        self.result("OK", at)

    def _hear_text(self, byte: int, seconds: float) -> None:
        waiting = self._waiting
        assert waiting is not None, "asked only while a prompt waits"
        count = waiting.prompt.count
        if self.echo and byte not in (CTRL_Z, ESC):
            self.put(bytes([byte]) if byte != 0x0D or count is not None else b"\r\n> ", seconds)
        if count is None and byte in (CTRL_Z, ESC):
            self._waiting = None
            given_up = byte == ESC
            self._answer(Answer() if given_up else waiting.prompt.done(bytes(waiting.text), seconds), seconds)
            return
        waiting.text.append(byte)
        if count is not None and len(waiting.text) >= count:
            self._waiting = None
            self._answer(waiting.prompt.done(bytes(waiting.text), seconds), seconds)

    def _hear_data(self, data: bytes, seconds: float) -> None:
        """Bytes for the far end; three plus signs between silences lead back (V.250 leaves this to the maker)."""
        if not data:
            return
        quiet = seconds - self._last_heard >= GUARD_S
        self._escape = bytearray(data) if quiet else self._escape + data
        self._escape_due = seconds + GUARD_S if self._escape == ESCAPE else None
        del self._escape[:-8]
        self._last_heard = seconds
        self.to_far_end(data, seconds)

    # Commands

    def _hear_line(self, line: str, seconds: float) -> None:
        text = line.strip()
        if text[:2].upper() == "AT":
            self._left.extend(piece[2:] for piece in pieces(text))
            self._next(seconds)

    def _next(self, seconds: float) -> None:
        """The next command of the line: one begins when the one before has ended (V.250, 5.2.1)."""
        made = self._carry_out(self._left.popleft(), seconds)
        if isinstance(made, Prompt):
            self._waiting = _Waiting(made)
            if "ok-before-prompt" in self.habits:
                self.result("OK", seconds)
            self.put(b"\r\n> " if made.count is None else b"\r\n>", seconds + ANSWER_S)
        else:
            self._answer(made, seconds)

    def _answer(self, made: Answer, seconds: float) -> None:
        """What a command says comes when it has ended; then the next one begins."""
        self._runs, self._begun = made, seconds
        self._count += 1
        count, due = self._count, seconds + made.after_s
        # As of the moment at which it is due, however seldom it is looked at: what follows it is on time too.
        self.later(seconds, made.after_s, lambda _: self._ended(made, due) if count == self._count else None)

    def _ended(self, made: Answer, at: float) -> None:
        self._runs = None
        for each in made.lines:
            self.line(each, at)
        goes_on = made.result == "OK" and bool(self._left)
        if not goes_on:
            self._left.clear()
            if not (made.lines and made.result == "OK" and "no-result" in self.habits):
                self.result(made.result, at)
        if made.then is not None:
            # Before anything else is heard: the next line may come at a new rate.
            self.later(at, 0.001, made.then)
        if goes_on:
            self.later(at, 0.0015, self._next)
            return
        for data in self._unasked:
            self.put(data, at + ANSWER_S)
        self._unasked.clear()
        ahead, self._ahead = bytes(self._ahead), bytearray()
        if ahead:
            self.later(at, 0.002, lambda then: self.hear(ahead, then))

    def _carry_out(self, text: str, seconds: float) -> Answer | Prompt:
        upper = text.upper()
        if upper[:1] in ("E", "V", "Q") and upper[1:] in ("", "0", "1"):
            on = upper[1:] == "1"
            if upper[0] == "E":
                self.echo = on
            elif upper[0] == "V":
                self.words = on
            else:
                self.quiet = on
            return Answer()
        basic = _BASIC.fullmatch(upper)
        if basic is not None:
            value = basic[2] or "0"
            if int(value) > _BASIC_MOST[basic[1]]:
                return self.refused(50)
            self._basic[basic[1]] = value
            return Answer()
        call = call_of(text, seconds)
        tests = call.form == "=?" and call.stem[:1] == "+" and call.stem not in self.TESTED
        if tests and call.stem in self.handlers:
            # Every extended command has a test form (V.250, 5.4.2.4).
            return Answer((f"{call.stem}: {self.TESTS[call.stem]}",) if call.stem in self.TESTS else ())
        if call.stem in self.handlers:
            return self.handlers[call.stem](call)
        knob = self.knobs.get(call.stem)
        return self._turn(knob, call) if knob else self.refused(4)

    def refused(self, _number: int) -> Answer:
        """No, for a reason that has a number in the standards."""
        return Answer(result="ERROR")

    def _turn(self, knob: Knob, call: Call) -> Answer:
        """Read, test or set one knob."""
        if call.form == "?":
            value = (self.in_force if knob.tells_in_force else self.running)[knob.name]
            if call.stem[:1] != "+":
                # A register is written as three digits alone (V.250, 5.3.2).
                return Answer((value.zfill(3),))
            return Answer((f'{call.stem}: "{value}"' if knob.quoted else f"{call.stem}: {value}",))
        if call.form == "=?":
            return Answer((f"{call.stem}: {knob.test}",))
        value = ",".join(call.values)
        if call.form != "=" or not knob.writable or not knob.legal(value):
            return self.refused(50)
        self.running[knob.name] = value
        if not knob.after_restart:
            return Answer(then=lambda _: self.in_force.update({knob.name: value}))
        return Answer()

    def _keep(self, _call: Call) -> Answer:
        self.stored = dict(self.running)
        return Answer(after_s=0.08)

    def _renew(self, _call: Call) -> Answer:
        return Answer(then=lambda at: self.restart(at, "asked to"))

    def _defaults(self, _call: Call) -> Answer:
        """What the maker set, the line rate too."""
        usual = {knob.name: knob.usual for knob in self.knobs.values()}

        def take(_: float) -> None:
            self.running = dict(usual)
            self.in_force |= usual
            self._speak_as_usual()

        return Answer(then=take)

    def _reset(self, call: Call) -> Answer:
        """Back to what is stored, and calls are ended (V.250, 6.1.1)."""
        if call.values[:1] not in ((), ("",), ("0",)):
            return self.refused(50)

        def take(_: float) -> None:
            self.running = dict(self.stored)
            self.in_force |= self.stored
            self._speak_as_usual()

        return Answer(then=take)

    def _speak_as_usual(self) -> None:
        self.echo, self.words, self.quiet = True, True, False
        self._basic = {"X": "4", "&C": "1", "&D": "2"}

    def restart(self, seconds: float, _why: str) -> None:
        """As if power came again: what was not stored is gone."""
        self._out.clear()
        self._waiting, self.data_mode, self._escape_due = None, False, None
        self._line.clear()
        self._left.clear()
        self._ahead.clear()
        self._unasked.clear()
        self._runs = None
        self._count += 1
        self.running = dict(self.stored)
        self.in_force = dict(self.stored)
        self.echo, self.words, self.quiet = True, True, False
        self.later(seconds, 0.7, self.powered)

    def powered(self, seconds: float) -> None:
        """Power came: what it says of itself."""
        self.line(f"+UP: {self.TITLE},{self.VERSION}", seconds)
        if "talks-at-start" in self.habits:
            self._talk(seconds)

    def _talk(self, seconds: float) -> None:
        self.notice("last boot: 3 days ago, reboot count 0", seconds)
        self.later(seconds, TALKS_S, self._talk)

    def to_far_end(self, data: bytes, seconds: float) -> None:
        """Bytes in data mode."""
