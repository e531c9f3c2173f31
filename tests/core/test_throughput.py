"""Blocks, what became of their bytes, and how fast they came: held against faults of known number."""

import pickle
import re
from collections import Counter
from functools import partial
from pathlib import Path
from typing import Final

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.frames import HELD, HELD_ENDED, IN, OUT, SECOND, Chunk, Event
from pale_heron.core.link.alignment import ADDED, CHANGED, MISSING, Edit, edits
from pale_heron.core.link.blocks import HEADER, MOST_HELD, BlockFinder, DataBlock, encode_block, header_at
from pale_heron.core.link.content import CONTENTS, LONGEST_BLOCK, SHORTEST_BLOCK
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.progress import POINTS, Progress, Stalls
from pale_heron.core.link.throughput import BulkSnapshot, ThroughputCounter
from pale_heron.core.link.tracker import BEGUN, ENDED, LinkTracker
from pale_heron.core.link.trial import block_of as block_of_trial
from pale_heron.core.link.verdict import verdict

MS: Final = SECOND // 1000
PAGE: Final = (Path(__file__).parents[2] / "docs" / "probe-format.md").read_text("utf-8")
ROW: Final = re.compile(
    r"^\| (\w{4}) \| ([AB]) \| (\d+) \| (\d+) \| ([RTA5]) \| `(#b[^`]+)` `([^`]+)`( \(hexadecimal\))? \|$", re.MULTILINE
)
VECTORS: Final = [
    (
        DataBlock(int(trial, 16), sender, int(number), int(size), content),
        header.encode() + (bytes.fromhex(payload) if base else payload.encode()),
    )
    for trial, sender, number, size, content, header, payload, base in ROW.findall(PAGE)
]


def distance(sent: bytes, came: bytes) -> int:
    """The plain way to the edit distance (Wagner and Fischer, 1974)."""
    row = list(range(len(came) + 1))
    for number, value in enumerate(sent, 1):
        before, row = row, [number]
        for at, other in enumerate(came):
            row.append(min(before[at] + (value != other), before[at + 1] + 1, row[-1] + 1))
    return row[-1]


def applied(sent: bytes, found: list[Edit]) -> bytes:
    """What the edits make of it; each must fit."""
    out, at = bytearray(), 0
    for each in found:
        out += sent[at : each.offset]
        at = each.offset
        if each.kind != ADDED:
            assert sent[at] == each.expected
            at += 1
        if each.got is not None:
            out.append(each.got)
    return bytes(out + sent[at:])


@given(st.data(), st.sampled_from([2, 4, 256]))
def test_the_fewest_edits_lead_from_one_to_the_other(data: st.DataObject, values: int) -> None:
    bytes_of = st.lists(st.integers(0, values - 1), max_size=24).map(bytes)
    sent, came = data.draw(bytes_of), data.draw(bytes_of)
    found = edits(sent, came)
    assert applied(sent, found) == came
    assert len(found) == distance(sent, came)


@given(st.binary(max_size=3000), st.binary(max_size=3000))
def test_edits_always_lead_from_one_to_the_other(sent: bytes, came: bytes) -> None:
    assert applied(sent, edits(sent, came)) == came


@given(
    st.sampled_from(sorted(CONTENTS)), st.integers(SHORTEST_BLOCK, LONGEST_BLOCK), st.integers(1, 0xFFFFFFFF), st.data()
)
def test_a_block_is_found_however_it_is_cut(content: str, size: int, number: int, data: st.DataObject) -> None:
    block = DataBlock(7, "B", number, size, CONTENTS[content][0])
    whole = encode_block(block)
    assert len(whole) == size and header_at(whole, 0) == block
    before = data.draw(st.binary(max_size=50))
    stream, finder, found = before + whole + b"behind", BlockFinder(), []
    for at in range(0, len(stream), cut := data.draw(st.integers(1, size))):
        found += finder.feed(stream[at : at + cut])
    assert [(each.before, each.block, each.data) for each in found] == [(before, block, whole)]
    assert finder.rest == b"behind"
    assert whole.isascii() or content in ("random", "all-values")


def test_blocks_are_as_they_are_described() -> None:
    assert {block.content for block, _ in VECTORS} == {letter for letter, _ in CONTENTS.values()}
    for block, whole in VECTORS:
        assert encode_block(block) == whole


def test_what_is_no_block_is_refused() -> None:
    block = VECTORS[0][0]
    with pytest.raises(ValueError, match="a block of 63 bytes"):
        encode_block(block._replace(size=63))
    with pytest.raises(ValueError, match="the content 'X'"):
        encode_block(block._replace(content="X"))


@given(st.lists(st.binary(max_size=300), max_size=20), st.binary(max_size=99))
def test_any_bytes_are_borne(chunks: list[bytes], others: bytes) -> None:
    counter = made(64, "R")
    for index, chunk in enumerate(chunks):
        counter.take(index, b"#b" + chunk)
    counter.finish(3 * SECOND, listened=True)
    blocks, bulk = counter.snapshot()
    assert (blocks.sent, blocks.delivered) == (0, 0)
    assert bulk.added == blocks.foreign_bytes == sum(len(chunk) + 2 for chunk in chunks)
    # Somebody else may send on the lane, too: that is no block of ours.
    counter.send(99, others)
    counter.take(99, others)
    counter.finish(3 * SECOND, listened=True)
    assert counter.snapshot()[0].settled == 0


def test_what_is_held_is_bounded() -> None:
    finder = BlockFinder()
    for _ in range(20):
        finder.feed(bytes(100_000))
        assert len(finder.rest) <= MOST_HELD
    assert finder.given_up + len(finder.rest) == 2_000_000


def block_of(size: int, content: str, number: int) -> DataBlock:
    return DataBlock(7, "A", number, size, content)


def made(size: int, content: str) -> ThroughputCounter:
    return ThroughputCounter("hide", "buoy", partial(block_of, size, content))


Fate = tuple[str, int]
FATES: Final = ("lost", CHANGED, MISSING, ADDED, "gap", "twice", "foreign")


def suffered(block: bytes, fate: str, at: int, value: int) -> tuple[bytes, Counter[str]]:
    """A block after one fault at a place in it, and what that comes to; `value` is not 0."""
    size = len(block)
    at %= size
    if fate == "lost":
        return b"", Counter({MISSING: size, "lost": 1})
    if fate == CHANGED:
        return block[:at] + bytes([block[at] ^ value]) + block[at + 1 :], Counter({CHANGED: 1, "damaged": 1})
    if fate == MISSING:
        return block[:at] + block[at + 1 :], Counter({MISSING: 1, "damaged": 1})
    if fate == ADDED:
        at = max(at, 1)
        return block[:at] + bytes([value]) + block[at:], Counter({ADDED: 1, "damaged": 1})
    if fate == "gap":
        end = min(size - 1, at + value)
        at = min(max(at, 1), end - 1)
        return block[:at] + block[end:], Counter({MISSING: end - at, "damaged": 1})
    if fate == "twice":
        return block + block, Counter({ADDED: size, "twice": 1})
    return block + b"~" * value, Counter({ADDED: value, "foreign": value})


@given(
    st.sampled_from([64, 100, 512]),
    st.sampled_from("RTA"),
    st.lists(st.tuples(st.sampled_from(FATES), st.integers(0, 511), st.integers(1, 255)), max_size=6),
    st.integers(1, 2000),
)
def test_every_byte_is_accounted_for(size: int, content: str, faults: list[tuple[str, int, int]], cut: int) -> None:
    """Faults anywhere, each between blocks that came undamaged: exactly those are counted, and located."""
    counter = made(size, content)
    sent, came, expected = b"", b"", Counter[str]()
    number = 0
    for fate, at, value in [*faults, ("", 0, 0)]:
        number += 1
        sent += (whole := encode_block(DataBlock(7, "A", number, size, content)))
        came += whole
        if fate:
            number += 1
            sent += (whole := encode_block(DataBlock(7, "A", number, size, content)))
            piece, cost = suffered(whole, fate, at, value)
            came += piece
            expected += cost
    for begin in range(0, len(sent), cut):
        counter.send(begin, sent[begin : begin + cut])
    for begin in range(0, len(came), cut):
        counter.take(len(sent) + begin, came[begin : begin + cut])
    counter.finish(3 * SECOND, listened=True)
    blocks, bulk = counter.snapshot()
    assert (blocks.sent, blocks.settled) == (number, number)
    assert (blocks.lost, blocks.damaged, blocks.twice) == (expected["lost"], expected["damaged"], expected["twice"])
    assert (bulk.changed, bulk.missing, bulk.added) == (expected[CHANGED], expected[MISSING], expected[ADDED])
    assert blocks.foreign_bytes == expected["foreign"]
    assert bulk.payload_bytes == size * blocks.delivered == size * (number - blocks.lost - blocks.damaged)
    for each in bulk.located:
        if each.expected is not None:
            assert encode_block(DataBlock(7, "A", each.block, size, content))[each.offset] == each.expected


@given(st.lists(st.sampled_from(["", *FATES]), min_size=2, max_size=30), st.randoms(use_true_random=False))
def test_many_faults_together_still_add_up(fates: list[str], chance: object) -> None:
    """However close together: each block is counted once, and what is more or less came to as many bytes."""
    randrange = chance.randrange  # type: ignore[attr-defined]
    counter, came = made(64, "R"), b""
    sent = [encode_block(DataBlock(7, "A", number, 64, "R")) for number in range(1, len(fates) + 1)]
    for block, fate in zip(sent, fates, strict=True):
        came += suffered(block, fate, randrange(64), randrange(1, 255))[0] if fate else block
    counter.send(0, b"".join(sent))
    counter.take(1, came)
    counter.finish(3 * SECOND, listened=True)
    blocks, bulk = counter.snapshot()
    assert blocks.settled == len(sent)
    assert bulk.added - bulk.missing == len(came) - 64 * len(sent)
    assert (bulk.changed + bulk.missing + bulk.added == 0) == (came == b"".join(sent))


def test_a_block_that_was_cut_short_at_the_end_is_no_error() -> None:
    whole = [encode_block(DataBlock(7, "A", number, 256, "R")) for number in (1, 2)]
    for left in (0, 1, 100, 255):
        for arrived in {0, left // 2, left}:
            counter = made(256, "R")
            counter.send(1, whole[0] + whole[1][:left])
            counter.take(2, whole[0] + whole[1][:arrived])
            counter.finish(3 * SECOND, listened=True)
            blocks, bulk = counter.snapshot()
            assert (blocks.sent, blocks.delivered, blocks.lost, blocks.foreign_bytes) == (1, 1, 0, 0)
            assert (bulk.changed, bulk.missing, bulk.added) == (0, 0, 0)


def test_a_block_that_comes_after_all_is_not_lost() -> None:
    first, second, third = (encode_block(DataBlock(7, "A", number, 64, "T")) for number in (1, 2, 3))
    counter = made(64, "T")
    counter.send(1, first + second + third)
    counter.take(2, first + third)
    blocks, bulk = counter.snapshot()
    assert (blocks.delivered, blocks.lost, bulk.missing) == (2, 1, 64)
    counter.take(3, second)
    counter.finish(3 * SECOND, listened=True)
    blocks, bulk = counter.snapshot()
    assert (blocks.delivered, blocks.lost, blocks.out_of_order, bulk.missing) == (3, 0, 1, 0)


def test_what_was_not_waited_for_counts_neither_way() -> None:
    """Of a record that ends: what nothing came of for the limit is lost, and all else is not known."""
    for listened, quiet, known in ((True, 1, 10), (False, 1, 4), (False, 9, 10)):
        counter = made(64, "R")
        blocks = [encode_block(DataBlock(7, "A", number, 64, "R")) for number in range(1, 11)]
        counter.send(1, b"".join(blocks))
        counter.take(2, b"".join(blocks[:4]) + blocks[4][:20])
        counter.finish(quiet * SECOND, listened=listened)
        found, bulk = counter.snapshot()
        assert (found.sent, found.settled, found.delivered, found.unknown) == (10, known, 4, 10 - known)
        assert bulk.missing == (5 * 64 + 44 if known == 10 else 0)


def test_an_outage_has_its_length_and_its_blocks() -> None:
    counter = made(64, "T")
    blocks = [encode_block(DataBlock(7, "A", number, 64, "T")) for number in range(1, 21)]
    for number, block in enumerate(blocks, 1):
        counter.send(number * SECOND, block)
        if not 5 <= number <= 9:
            counter.take(number * SECOND + MS, block)
    found, bulk = counter.snapshot()
    (outage,) = found.outages
    assert (outage.begin, outage.end, outage.lost) == (5 * SECOND, 10 * SECOND, 5)
    assert bulk.stalls[0].begin == SECOND + MS and found.longest_run == 5


def test_values_that_vanish_are_named() -> None:
    counter = made(512, "A")
    for number in range(1, 9):
        block = encode_block(DataBlock(7, "A", number, 512, "A"))
        counter.send(number, block)
        counter.take(number, block.replace(b"\x11", b"").replace(b"\x13", b""))
    counter.finish(3 * SECOND, listened=True)
    bulk: BulkSnapshot = counter.snapshot()[1]
    assert {value for value, _ in bulk.vanished} == {0x11, 0x13}
    assert bulk.missing == bulk.wrong_values == sum(count for _, count in bulk.vanished)


def test_speed_is_that_of_the_steady_part() -> None:
    """The start, while buffers fill, and what came after the last was sent are left out."""
    progress = Progress()
    progress.add(0, 1)
    for tick in range(1, 101):
        progress.add(tick * 100 * MS, 5000 if tick < 10 else 100)
    steady = progress.steady(8 * SECOND)
    assert steady is not None
    assert (steady.begin, steady.end) == (SECOND, 8 * SECOND)
    assert steady.per_s == pytest.approx(1000.0)
    buffered = progress.steady(SECOND)
    assert buffered is not None and buffered.buffered and buffered.per_s == pytest.approx(1000.0)
    assert Progress().steady(SECOND) is None


@given(stalled=st.integers(0, 59), for_so_many=st.integers(0, 8), every=st.sampled_from((50, 100, 200)))
def test_a_moment_that_was_noted_late_makes_nothing_faster(stalled: int, for_so_many: int, every: int) -> None:
    """A reader that had to wait for the processor: what came meanwhile is all noted when it goes on."""
    progress, until = Progress(), (stalled + for_so_many) * every
    for place in range(60):
        progress.add(max(place * every, until if place >= stalled else 0) * MS, every)
    steady = progress.steady(60 * every * MS)
    assert steady is not None and steady.per_s <= 1010.0
    assert for_so_many or steady.per_s == pytest.approx(1000.0)


def test_a_long_progress_stays_small_and_true() -> None:
    progress = Progress()
    for tick in range(200_000):
        progress.add(tick * 100 * MS, 100)
    assert len(progress.points) <= POINTS
    steady = progress.steady(20_000 * SECOND)
    assert steady is not None and steady.per_s == pytest.approx(1000.0)


def test_a_stall_that_lasts_counts_with_its_length_so_far() -> None:
    stalls = Stalls()
    stalls.came(0, 10 * MS)
    stalls.came(400 * MS, 410 * MS)
    assert stalls.until(500 * MS) == ()
    (lasting,) = stalls.until(3 * SECOND)
    assert lasting.seconds == pytest.approx(2.59)
    stalls.came(4 * SECOND, 4 * SECOND)
    assert [round(each.seconds, 2) for each in stalls.until(9 * SECOND)] == [3.59, 5.0]
    assert stalls.until(100 * MS) == ()


def test_the_header_alone_says_how_long_a_block_is() -> None:
    whole = encode_block(DataBlock(7, "A", 1, 1000, "5"))
    assert whole[HEADER:] == b"U" * (1000 - HEADER)
    for at in range(HEADER):
        bent = whole[:at] + bytes([whole[at] ^ 1]) + whole[at + 1 :]
        assert header_at(bent, 0) is None


def test_a_lane_that_hears_itself_is_named_and_costs_no_memory() -> None:
    counter = made(16384, "R")
    noise = bytes(range(200))
    for number in range(1, 200):
        counter.take(number, noise + encode_block(DataBlock(7, "B", number, 16384, "R")))
    assert counter.own_back and len(pickle.dumps(counter)) < 2 * MOST_HELD
    counter.finish(3 * SECOND, listened=True)
    blocks, bulk = counter.snapshot()
    assert (blocks.sent, blocks.delivered, bulk.payload_bytes) == (0, 0, 0)
    assert bulk.added == blocks.foreign_bytes == 199 * (16384 + len(noise))
    # More between them than can be held against anything is said to be unexamined.
    counter = made(16384, "R")
    for number in range(1, 20):
        counter.take(number, bytes(100_000) + encode_block(DataBlock(7, "B", number, 16384, "R")))
        assert len(pickle.dumps(counter)) < 3 * MOST_HELD
    counter.finish(3 * SECOND, listened=True)
    bulk = counter.snapshot()[1]
    assert bulk.unexamined and bulk.added + bulk.unexamined == 19 * (16384 + 100_000)


@pytest.mark.parametrize(
    ("lane", "by", "told"),
    [
        ("hide", "CTS", "in 1 CTS held the sender"),
        ("hide", "", "the line took nothing, and its driver does not say why"),
        ("buoy", "CTS", "it stood still further on"),
        (None, "", "it stood still further on"),
    ],
)
@pytest.mark.parametrize("ends", [True, False])
def test_a_stall_says_what_held_it(lane: str | None, by: str, told: str, ends: bool) -> None:
    tracker = LinkTracker()
    trial = TrialDescription("throughput", 9, ("hide", "buoy"), one_way=True, size=64)
    tracker.heed(Event(0, "", BEGUN, trial.details()))
    for number in (*range(1, 6), *range(9, 14)):
        at, block = number * SECOND, encode_block(block_of_trial(trial, "A", number if number < 6 else number - 3))
        if number == 9 and lane is not None:
            tracker.heed(Event(6 * SECOND, lane, HELD, {"by": by}))
            if ends:
                tracker.heed(Event(9 * SECOND - MS, lane, HELD_ENDED, {"seconds": 3.0}))
        for part in range(4):
            tracker.feed(Chunk("hide", OUT, at + 250 * part * MS, block[16 * part : 16 * part + 16]))
            tracker.feed(Chunk("buoy", IN, at + 250 * part * MS + MS, block[16 * part : 16 * part + 16]))
    tracker.heed(Event(15 * SECOND, "", ENDED, {"trial": 9, "why": "done"}))
    (found,) = tracker.snapshot()
    (stall,) = found.bulk[0].stalls
    assert stall.seconds == pytest.approx(3.25)
    (finding,) = (each for each in verdict(found).findings if each.id == "stall")
    assert told in finding.evidence
