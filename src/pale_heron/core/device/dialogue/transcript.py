"""What was said so far: exchanges that ended, those under way, what came unasked, and stretches of data mode."""

from collections import deque
from dataclasses import replace
from itertools import islice
from typing import Final

from pale_heron.core.device.dialogue.exchanges import (
    ECHO,
    INFORMATION,
    PAYLOAD,
    DataStretch,
    Exchange,
    Item,
    ReceivedLine,
    Unsolicited,
)
from pale_heron.core.device.schema.command_line import number_at_end
from pale_heron.core.device.schema.commands import Command, TypedCommand
from pale_heron.core.device.schema.notices import NO_ANSWER, FinalResult
from pale_heron.core.frames import SECOND

ITEMS_KEPT: Final = 500
BYTES_KEPT: Final = 1 << 20
"""Of the lines of one exchange, and four times as many of all that have ended; LINE_BYTES are added to each line."""

LINE_BYTES: Final = 200
LONG: Final = 400
"""Where there is no room for all, the oldest keep so many lines."""

LAST_KEPT: Final = 120
UNKNOWN_WITHIN_S: Final = 5.0
"""The time limit of commands that the dialect does not know."""


class PendingExchange:
    """An exchange that is under way."""

    def __init__(self, number: int, sent: bytes, spoken: tuple[TypedCommand, ...], begun: int | None) -> None:
        self.number = number
        self.sent = sent
        self.spoken = spoken
        self.begun = begun
        self.since = begun
        """From when on its time limit counts."""
        self.heard: list[ReceivedLine] = []
        self.dropped = 0
        self._size = 0
        self.prompted = False
        self.payload = b""
        known = [each.command for each in spoken if each.command]
        self.within_ns = int(max((each.within_s for each in known), default=UNKNOWN_WITHIN_S) * SECOND)
        self.prompts = next((each for each in known if each.prompts), None)
        self.can_be_broken_off = any(each.command and each.command.abortable(each.form) for each in spoken)
        self.broken_off_by = b""
        """What was sent while a character could end it."""
        self.was_broken_off = False
        self.may_break_off: PendingExchange | None = None
        """What was under way, and could be ended by a character, when this was sent."""
        self.amid = False
        """Whether lines were coming unasked when it was sent: such lines are no answer."""
        self.to_far_end = False
        """Whether it was sent in data mode: an answer shows that the module heard it all the same."""
        self.between: FinalResult | None = None
        """The good result behind which the rest is to come."""
        self.heard_at = begun
        """When the last line of it came."""
        self.bytes_out = self.bytes_in = b""
        self.ends = next((each.ends for each in known if each.ends), ())
        self.then = next((each for each in known if each.then), None)

    @property
    def said(self) -> bool:
        """Whether something came that may be its reply."""
        return not self.amid and any(each.role in (INFORMATION, PAYLOAD) for each in self.heard)

    @property
    def unknown(self) -> bool:
        """Whether the dialect knows none of its commands."""
        return not any(each.command for each in self.spoken)

    def count(self, coming: int) -> int | None:
        """How many payload bytes the command has announced; None where Ctrl-Z ends them. `coming` are sent now."""
        if self.prompts is None:
            # A command that nobody has described: the number at its end, where so many bytes are sent.
            told = number_at_end(self.sent)
            return told if told == len(self.payload) + coming else None
        if not self.prompts.counted:
            return None
        count = next((each.values.get(self.prompts.counted, "") for each in self.spoken if each.command), "")
        return int(count) if count.isdecimal() else None

    @property
    def commands(self) -> tuple[Command, ...]:
        """Those of the line that the dialect knows."""
        return tuple(each.command for each in self.spoken if each.command)

    @property
    def echoed(self) -> bool:
        return any(each.role == ECHO for each in self.heard)

    @property
    def taken_words(self) -> str:
        """Why it may have no answer: its characters were taken for the end of what was under way."""
        before = self.may_break_off
        if before is None or not before.was_broken_off:
            return ""
        return f"; it broke off {before.sent.decode('latin-1').strip()} instead: send it again"

    def add(self, heard: ReceivedLine) -> None:
        """One more line of it."""
        self.heard_at = heard.time if heard.time is not None else self.heard_at
        self._size += LINE_BYTES + len(heard.data)
        if self._size <= BYTES_KEPT:
            self.heard.append(heard)
        else:
            self.dropped += 1

    def waiting(self, waits: str) -> Exchange:
        """As it stands."""
        heard = tuple(self.heard)
        return Exchange(
            self.number, self.begun, self.sent, self.spoken, heard, waits=waits, dropped=self.dropped,
            to_far_end=self.to_far_end, bytes_out=self.bytes_out, bytes_in=self.bytes_in,
        )  # fmt: skip

    def ended(self, status: str, word: str, code: str, meaning: str, time: int | None) -> Exchange:
        """As it has become."""
        heard = tuple(self.heard)
        said = self.number, self.begun, self.sent, self.spoken, heard
        far, raw = self.to_far_end, (self.bytes_out, self.bytes_in)
        return Exchange(*said, status, word, code, meaning, time, "", self.dropped, far, *raw)


class Transcript:
    """Keeps the last ITEMS_KEPT items, and a queue of what waits for its result."""

    def __init__(self, numbered: int = 0) -> None:
        self._items: deque[Item] = deque(maxlen=ITEMS_KEPT)
        self._queue: deque[PendingExchange] = deque()
        self._turn: PendingExchange | None = None
        """What is answered now, where that is not the first."""
        self._unsolicited: list[ReceivedLine] = []
        self._long: deque[tuple[int, int]] = deque()
        """Number and size of what has ended and has many lines."""
        self._data: DataStretch | None = None
        self.numbered = numbered
        """How many items there were since the start."""
        self.ended_count = 0
        """How many of them have ended."""

    @property
    def head(self) -> PendingExchange | None:
        """What is answered now, if anything waits: the first, or what was echoed since."""
        return self._turn or self.first

    @property
    def queue(self) -> tuple[PendingExchange, ...]:
        """What waits, the oldest first."""
        return tuple(self._queue)

    @property
    def first(self) -> PendingExchange | None:
        """What waits the longest."""
        return self._queue[0] if self._queue else None

    def echoed(self, text: bytes, time: int | None) -> bool:
        """Whether a line is the echo of something that waits; that is answered from now on (V.250, 5.2.3)."""
        same = [each for each in self._queue if text == each.sent.strip()]
        head = self.head
        if not same or (head is not None and head.prompted and head not in same):
            return False
        owner = next((each for each in same if not each.echoed), same[-1])
        owner.add(ReceivedLine(time, ECHO, text))
        self.turn_to(owner)
        return True

    def turn_to(self, pending: PendingExchange) -> None:
        """What comes now belongs to this one."""
        self._turn = None if pending is self.first else pending

    def turn_to_one_of(self, commands: tuple[str, ...]) -> bool:
        """A result came that these commands alone can have; whether it is for something that waits.

        That is one of them, or one that nobody has described; of several others the one that was sent last.
        """
        if not commands:
            return True
        waiting = [each for each in (self.head, *self._queue) if each is not None]
        fitting = [each for each in waiting if each.unknown or {known.name for known in each.commands} & set(commands)]
        if not fitting and len(self._queue) < 2:
            return False
        self.turn_to(fitting[0] if fitting else self._queue[-1])
        return True

    @property
    def waiting(self) -> int:
        """How many commands wait for their results."""
        return len(self._queue)

    @property
    def data_came(self) -> bool:
        """Whether the far end said something in this stretch of data mode."""
        return self._data is not None and self._data.bytes_in > 0

    @property
    def items(self) -> tuple[Item, ...]:
        """What was said, oldest first; the last may be under way."""
        words = (
            "its payload"
            if each.prompted
            else "what comes later"
            if each.between is not None
            else "the result"
            if each is self.head or not at
            else "its turn"
            for at, each in enumerate(self._queue)
        )
        under_way = [each.waiting(waits) for each, waits in zip(self._queue, words, strict=True)]
        return (*self._items, *([self._data] if self._data else []), *under_way)

    def items_since(self, ended: int) -> list[Item]:
        """What has ended since so many had, oldest first; none is given twice."""
        newest = list(islice(reversed(self._items), max(0, self.ended_count - ended)))
        return newest[::-1]

    def begin(self, sent: bytes, spoken: tuple[TypedCommand, ...], time: int | None) -> PendingExchange:
        """A command was sent: it waits, behind those that wait already."""
        pending = PendingExchange(self._next(), sent, spoken, time)
        self._queue.append(pending)
        return pending

    def resume(self, ended: Exchange) -> PendingExchange:
        """It has ended, and prompts after all: the rest of it is an exchange of its own, with the same command."""
        return self.begin(ended.sent, ended.spoken, ended.begun)

    @property
    def last(self) -> Item | None:
        """What ended last."""
        return self._items[-1] if self._items else None

    def withdraw(self) -> None:
        """What waits was no command after all."""
        self._queue.popleft()

    def add(self, heard: ReceivedLine) -> None:
        """To the exchange that is waiting, else to what comes unasked."""
        if (head := self.head) is not None:
            head.add(heard)
        else:
            self._unsolicited.append(heard)

    def end_unsolicited(self) -> None:
        """What came unasked is whole."""
        if self._unsolicited:
            self._keep(Unsolicited(self._next(), tuple(self._unsolicited)))
            self._unsolicited = []

    def end(self, status: str, word: str, code: str, meaning: str, time: int | None) -> bool | None:
        """The exchange at the head is over; the one behind it waits from now on. Gives whether it was echoed."""
        head = self._turn or self._queue[0]
        self._turn = None
        self._queue.remove(head)
        self._keep(head.ended(status, word, code, meaning, time))
        if self._queue and head.number < self._queue[0].number:
            self._queue[0].since = time
        return None if status == NO_ANSWER else head.echoed

    def begin_data(self, time: int | None) -> None:
        """Data mode begins."""
        if self._data is None:
            self._data = DataStretch(self._next(), time)

    def end_data(self, time: int | None) -> None:
        """Data mode has ended."""
        data, self._data = self._data, None
        if data is not None:
            self._keep(DataStretch(data.number, data.begun, time, data.bytes_in, data.bytes_out, data.last))

    def count_data(self, time: int | None, *, received: bytes = b"", sent: int = 0) -> None:
        """Bytes from and to the far end."""
        self.begin_data(time)
        data = self._data
        assert data is not None, "just begun"
        last = (data.last + received)[-LAST_KEPT:]
        self._data = DataStretch(
            data.number, data.begun, None, data.bytes_in + len(received), data.bytes_out + sent, last
        )

    def _keep(self, item: Item) -> None:
        self._items.append(item)
        self.ended_count += 1
        if isinstance(item, Exchange) and len(item.heard) > LONG:
            self._long.append((item.number, sum(LINE_BYTES + len(each.data) for each in item.heard)))
            while len(self._long) > 1 and sum(size for _, size in self._long) > 4 * BYTES_KEPT:
                self._shorten(self._long.popleft()[0])

    def _shorten(self, number: int) -> None:
        """Keep the first lines of a long exchange alone."""
        for at, item in enumerate(self._items):
            if item.number == number and isinstance(item, Exchange):
                dropped = item.dropped + len(item.heard) - LONG
                self._items[at] = replace(item, heard=item.heard[:LONG], dropped=dropped)

    def _next(self) -> int:
        self.numbered += 1
        return self.numbered
