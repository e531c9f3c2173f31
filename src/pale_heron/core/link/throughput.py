"""One direction of a trial of throughput: what of a stream of blocks came as it was sent, how fast, and what did not.

Blocks are entered in the ledger as a whole; between two that came undamaged every byte is accounted for, because what
was sent is known. A stream keeps its order, so a block is missing once a later one has come, or once nothing at all
has come for the limit.
"""

from collections import Counter
from collections.abc import Callable, Iterable
from typing import Final, NamedTuple

from pale_heron.core.frames import SECOND
from pale_heron.core.link.alignment import ADDED, CHANGED, MISSING, Edit, edits
from pale_heron.core.link.blocks import MOST_HELD, BlockFinder, DataBlock, encode_block, header_at
from pale_heron.core.link.fates import LOST, DeliverySnapshot, HearResult
from pale_heron.core.link.ledger import Ledger
from pale_heron.core.link.progress import Progress, Stall, Stalls, Steady

AHEAD: Final = 1024
"""So many blocks may come in before the record has them as sent: the two ends are read by two threads."""

EXAMINED: Final = 8
"""So many blocks at each end of a damaged piece are held against it; what lies between them did not come at all."""

LOCATED: Final = 100
EVER: Final = 1 << 62
"""No block is late: the ledger waits for as long as anything comes."""


class Location(NamedTuple):
    """One byte that is not as it was sent. `offset` counts within the block, its header included."""

    kind: str
    block: int
    offset: int
    expected: int | None
    got: int | None


class BulkSnapshot(NamedTuple):
    """How bytes fared. `payload_bytes` are those of blocks that came undamaged, headers included."""

    payload_bytes: int
    steady: Steady | None
    points: tuple[tuple[int, int], ...]
    """Moments, and the payload that had come by then."""
    stalls: tuple[Stall, ...]
    sent_per_s: float | None
    """What the sending end gave in a second, from the first byte to the last; None where that was too short."""
    changed: int
    missing: int
    added: int
    located: tuple[Location, ...]
    """The first of them."""
    vanished: tuple[tuple[int, int], ...]
    """Values that were sent and are missing or changed, with their number; the commonest first. Without lost blocks."""
    wrong_values: int
    """How many bytes are missing or changed, without those of lost blocks."""
    unexamined: int
    """Bytes that came in pieces too long to be held against anything."""


class ThroughputCounter:
    """`block` gives what is sent under a number. A byte takes `byte_ns` on the line that receives; 0 if not known."""

    def __init__(
        self,
        sender: str,
        receiver: str,
        block: Callable[[int], DataBlock],
        byte_ns: float = 0.0,
        limit_ns: int = 2 * SECOND,
        hear: HearResult | None = None,
    ) -> None:
        """Where nothing came for `limit_ns`, what was sent so long ago is lost."""
        self.ledger = Ledger(sender, receiver, EVER, hear, in_order=True, ahead=AHEAD)
        self._block = block
        self._byte_ns = byte_ns
        self._limit_ns = limit_ns
        self._size = block(1).size
        self._going, self._coming = BlockFinder(), BlockFinder()
        self.foreign_bytes = 0
        self.own_back = False
        """The receiver got blocks of this trial that are its own."""
        self._next = 1
        """The lowest number of which nothing is known yet."""
        self._odd = b""
        """What came since the last whole block and is none."""
        self._sending_until = 0
        self._last_sent = 0
        self._last_came: int | None = None
        self._edits: Counter[str] = Counter()
        self._located: list[Location] = []
        self._values: Counter[int] = Counter()
        self._progress = Progress()
        self._going_out = Progress()
        self._stalls = Stalls()
        self._unexamined = 0
        self._surplus = 0
        """Bytes that were too many to be held against anything, between blocks of somebody else."""

    def send(self, time: int, data: bytes) -> None:
        """Bytes went out."""
        self._last_sent = time
        self._going_out.add(time, len(data))
        for found in self._going.feed(data):
            number = found.block.number
            if number <= self.ledger.last_sent + AHEAD and found.block == self._block(number):
                self.ledger.send(number, time)

    def take(self, time: int, data: bytes) -> None:
        """Bytes came in, the first of them at `time`."""
        self._last_came = time + round(len(data) * self._byte_ns)
        self._stalls.came(time, self._last_came)
        begin = time
        for before, block, whole, end in self._coming.feed(data):
            time = begin + round(end * self._byte_ns)
            self._odd += before
            if len(self._odd) > MOST_HELD:
                self._surplus, self._odd = self._surplus + len(self._odd), b""
            number = block.number
            if block != self._block(number) or number > max(self.ledger.last_sent, self._next) + AHEAD:
                # Whole, but of somebody else, or of another trial.
                mine = self._block(number)
                self.own_back |= block.trial == mine.trial and block.sender != mine.sender
                self.foreign_bytes += len(whole)
                self._edits[ADDED] += len(whole)
            elif number < self._next:
                self._take_again(number, time)
            else:
                self._examine(number)
                self._progress.add(time, self._size)
                self.ledger.deliver(number, time)
                self._next = number + 1

    def leave(self, _: int) -> None:
        """A lane is gone: what is under way is not known."""
        self.ledger.leave()
        self._next, self._odd = self.ledger.last_sent + 1, b""

    def back(self) -> None:
        """It is there again."""
        self.ledger.back()

    def advance(self, now: int) -> None:
        """Time passes, and as far as is known here the sending goes on."""
        self._sending_until = now

    def finish(self, now: int, *, listened: bool) -> None:
        """The trial is over. What nothing came of for the limit is lost, and what is younger is not known."""
        self._sending_until = self._last_sent
        for number, came in sorted(self.ledger.early.items()):
            # Its check and its content prove that it was sent, whatever the record has of that.
            if came is not None:
                self.ledger.send(number, came)
        self.ledger.early.clear()
        quiet = self._last_came is None or now - self._last_came >= self._limit_ns
        upto = self.ledger.last_sent if listened else self.ledger.sent_before(now - self._limit_ns) if quiet else 0
        self._settle_rest(upto)
        self.ledger.finish(now, listened=False)

    def _settle_rest(self, upto: int) -> None:
        """Nothing more will come of blocks up to this one."""
        left = self._going.rest if upto == self.ledger.last_sent else b""
        if upto < self._next - 1:
            return
        self._odd += self._coming.rest
        if upto >= self._next:
            self._examine(upto + 1, also=left)
            self.ledger.settle_all(upto)
            self._next = upto + 1
        elif self._odd and upto == self.ledger.last_sent:
            # The last block was cut short when the sending ended: what came of it is no error.
            self.foreign_bytes += 0 if left else len(self._odd)
            self._account(edits(left[: len(self._odd)], self._odd), ((self._next, 0),))
            self._odd = b""

    def _take_again(self, number: int, time: int) -> None:
        if self.ledger.fate(number) == LOST:
            self._edits[MISSING] -= self._size
            self._progress.add(time, self._size)
        else:
            self._edits[ADDED] += self._size
        self.ledger.deliver(number, time)

    def _examine(self, number: int, also: bytes = b"") -> None:
        """Account for what came between the last whole block and the one of that number."""
        odd, self._odd = self._odd, b""
        unexamined = self._coming.given_up + self._surplus
        self._unexamined, given_up = unexamined, unexamined - self._unexamined
        first, last = self._next, number - 1
        if first > last:
            if odd and not also:
                self.foreign_bytes += len(odd)
                self._account(edits(b"", odd), ((number, 0),))
            return
        if not odd and not given_up:
            self._lose(first, last)
            return
        self._hold_against(first, last, odd, also)

    def _hold_against(self, first: int, last: int, odd: bytes, also: bytes) -> None:
        """Pieces that came, against blocks that were sent; headers that are whole show which is which."""
        cuts = [(0, first)]
        for at, block in _headers(odd):
            if cuts[-1][1] < block.number <= last and block == self._block(block.number):
                cuts.append((at, block.number))
        ends = [*cuts[1:], (len(odd), last + 1)]
        for (at, number), (end, behind) in zip(cuts, ends, strict=True):
            self._hold_piece(number, behind - 1, odd[at:end], also if behind > last else b"")

    def _hold_piece(self, first: int, last: int, piece: bytes, also: bytes) -> None:
        numbers = range(first, last + 1)
        if not piece:
            self._lose(first, last)
            return
        if len(numbers) > 2 * EXAMINED:
            gap = numbers[EXAMINED:-EXAMINED]
            examined = [*numbers[:EXAMINED], *numbers[-EXAMINED:]]
        else:
            gap, examined = range(0), list(numbers)
        sent = b"".join(encode_block(self._block(number)) for number in examined)
        whole = len(sent)
        # Of a block that was cut short when the sending ended nothing is missing.
        found = [each for each in edits(sent + also, piece) if each.offset < whole or each.kind != MISSING]
        begins = tuple((number, index * self._size) for index, number in enumerate((*examined, last + 1)))
        self._account(found, begins)
        absent = Counter(each.offset // self._size for each in found if each.kind == MISSING)
        for index, number in enumerate(examined):
            if gap and index == EXAMINED:
                self._lose(gap[0], gap[-1])
            if absent[index] != self._size:
                self.ledger.spoil(number)

    def _lose(self, first: int, last: int) -> None:
        """Whole blocks of which nothing came."""
        self._edits[MISSING] += (last - first + 1) * self._size

    def _account(self, found: Iterable[Edit], begins: tuple[tuple[int, int], ...]) -> None:
        for each in found:
            self._edits[each.kind] += 1
            if each.expected is not None:
                self._values[each.expected] += 1
            if len(self._located) < LOCATED:
                index = min(each.offset // self._size, len(begins) - 1)
                number, begin = begins[index]
                self._located.append(Location(each.kind, number, each.offset - begin, each.expected, each.got))

    def snapshot(self) -> tuple[DeliverySnapshot, BulkSnapshot]:
        """How it stands, in blocks and in bytes."""
        blocks = self.ledger.snapshot()._replace(foreign_bytes=self.foreign_bytes)
        return blocks, BulkSnapshot(
            payload_bytes=self._progress.count,
            steady=self._progress.steady(max(self._last_sent, self._sending_until)),
            points=self._progress.points,
            stalls=self._stalls.until(max(self._last_sent, self._sending_until)),
            sent_per_s=self._going_out.per_s,
            changed=self._edits[CHANGED],
            missing=self._edits[MISSING],
            added=self._edits[ADDED],
            located=tuple(self._located),
            vanished=tuple(self._values.most_common(8)),
            wrong_values=self._values.total(),
            unexamined=self._coming.given_up + self._surplus,
        )


def _headers(data: bytes) -> list[tuple[int, DataBlock]]:
    """The headers that are whole, with where each begins."""
    found, at = [], data.find(b"#b")
    while at >= 0:
        block = header_at(data, at)
        if block is not None:
            found.append((at, block))
        at = data.find(b"#b", at + 1)
    return found
