"""Captures: written, torn, read by us and by a reader that is not ours."""

import errno
import json
import os
import struct
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import pcapng
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from pcapng.blocks import EnhancedPacket, InterfaceDescription
from tests.streams import BEGIN, GGA, HOSTILE, chunk

from pale_heron.capture import pcapng as blocks
from pale_heron.capture.places import capture_folder, new_capture_path
from pale_heron.capture.reader import CaptureReader, is_capture
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Chunk, Direction, Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.trouble import Trouble

RECORDS: list[Chunk | Event] = [
    Event(BEGIN, "curlew", "opened", {"rate": 9600, "role": "buoy 7"}),
    chunk(GGA, BEGIN + 1),
    chunk(b"AT\r", BEGIN + 2, "bittern", Direction.OUT),
    chunk(b"", BEGIN + 3),
    chunk(bytes(range(256)), BEGIN + 3 * SECOND + 7, "bittern"),
    Event(BEGIN + 4 * SECOND, "", "mark", {"text": "unter der Brücke"}),
    Event(BEGIN + 5 * SECOND, "curlew", "lost", {"reason": "the device hung up"}),
]
LARGEST = max((each for each in RECORDS if isinstance(each, Chunk)), key=lambda each: len(each.data))


pytestmark = pytest.mark.filterwarnings("ignore:Field type should not be:DeprecationWarning")


@pytest.fixture
def capture(tmp_path: Path) -> Path:
    """A capture of RECORDS."""
    path = tmp_path / "saltmarsh.pcapng"
    writer = CaptureWriter(path)
    writer.add_lane("curlew", "/dev/ttyUSB0", LineSettings(9600))
    writer.add_lane("bittern", "socket://127.0.0.1:7000", LineSettings(115200, decorative=True))
    write(writer, RECORDS)
    writer.close()
    assert writer.size == path.stat().st_size
    return path


def write(writer: CaptureWriter, records: list[Chunk | Event]) -> None:
    for record in records:
        if isinstance(record, Chunk):
            writer.chunk(record)
        else:
            writer.event(record, comment=str(record.details.get("text", "")))


def test_what_was_written_is_read(capture: Path) -> None:
    reader = CaptureReader(capture)
    assert list(reader.records()) == RECORDS
    assert reader.torn == ""
    assert reader.position == capture.stat().st_size
    assert {name: lane.speed for name, lane in reader.lanes.items()} == {"curlew": 9600, "bittern": None}


def test_another_reader_of_the_format_reads_it(capture: Path) -> None:
    with capture.open("rb") as file:
        found = list(pcapng.FileScanner(file))
    lanes = [block for block in found if isinstance(block, InterfaceDescription)]
    assert [(lane.options["if_name"], lane.link_type) for lane in lanes] == [
        ("events", 148),
        ("curlew", 147),
        ("bittern", 147),
    ]
    assert lanes[1].options["if_speed"] == 9600
    packets = [block for block in found if isinstance(block, EnhancedPacket)]
    assert len(packets) == len(RECORDS)
    for packet, record in zip(packets, RECORDS, strict=True):
        assert round(packet.timestamp * 1e6) == round(record.time / 1e3)  # its times are floats
        if isinstance(record, Chunk):
            assert packet.packet_data == record.data
            assert packet.options["epb_flags"].inout == ("outbound" if record.direction is Direction.OUT else "inbound")
        else:
            assert json.loads(packet.packet_data)["event"] == record.name
    assert packets[5].options["opt_comment"] == "unter der Brücke"


@pytest.mark.parametrize("read_bytes", [blocks.READ_BYTES, 12])
def test_torn_at_every_byte_everything_before_is_used(
    capture: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, read_bytes: int
) -> None:
    monkeypatch.setattr(blocks, "READ_BYTES", read_bytes)
    whole, cut = capture.read_bytes(), tmp_path / "cut.pcapng"
    ends = [block.offset for block in blocks.read_blocks(capture.open("rb")) if isinstance(block, blocks.Block)]
    ends.append(len(whole))
    for length in range(4, len(whole)):
        cut.write_bytes(whole[:length])
        reader = CaptureReader(cut)
        records = list(reader.records())
        whole_blocks = sum(end <= length for end in ends) - 1
        assert records == RECORDS[: max(0, whole_blocks - 4)]
        assert bool(reader.torn) == (length not in ends)
        assert reader.torn or reader.position == length


@given(at=st.integers(0, 2000), byte=st.integers(0, 255))
@settings(max_examples=150)
def test_a_changed_byte_never_raises(tmp_path_factory: pytest.TempPathFactory, at: int, byte: int) -> None:
    path = tmp_path_factory.mktemp("changed") / "a.pcapng"
    writer = CaptureWriter(path)
    writer.add_lane("curlew", "x", None)
    writer.add_lane("bittern", "x", None)
    write(writer, RECORDS)
    writer.close()
    data = bytearray(path.read_bytes())
    data[4 + at % (len(data) - 4)] = byte
    path.write_bytes(data)
    reader = CaptureReader(path)
    assert len(list(reader.records())) <= len(RECORDS)


def big_endian() -> Iterator[bytes]:
    """A capture of another program: the other byte order, microseconds, two sections, a block of no known type."""
    for second in range(2):
        yield struct.pack(">IIIHHqI", blocks.SECTION, 28, blocks.BYTE_ORDER, 1, 0, -1, 28)
        yield struct.pack(">IIHHIHH4sHHI", 1, 32, 147, 0, 0, 2, 2, b"ab\0\0", 0, 0, 32)
        yield struct.pack(">IIII", 0x0BAD, 16, 5, 16)
        moment = (BEGIN // 1000) + second
        yield struct.pack(">IIIIIII4sI", 6, 36, 0, moment >> 32, moment & 0xFFFFFFFF, 3, 3, b"abc\0", 36)


def test_other_byte_order_and_resolution(tmp_path: Path) -> None:
    path = tmp_path / "other.pcapng"
    path.write_bytes(b"".join(big_endian()))
    expected = [Chunk("ab", Direction.IN, BEGIN + second * 1000, b"abc") for second in range(2)]
    assert list(CaptureReader(path).records()) == expected


@dataclass
class Disk:
    """A disk with little room, on which cutting back may fail too, as on one that goes away."""

    room: int
    broken: bool = False
    pwrite: Callable[[int, bytes, int], int] = os.pwrite
    ftruncate: Callable[[int, int], None] = os.ftruncate

    def put(self, monkeypatch: pytest.MonkeyPatch) -> None:
        """In the place of the real one; what cannot be written is tried again at once."""
        monkeypatch.setattr("pale_heron.capture.writer.os.pwrite", self.write)
        monkeypatch.setattr("pale_heron.capture.writer.os.ftruncate", self.cut)
        monkeypatch.setattr("pale_heron.capture.writer.RETRY_S", 0.0)

    def write(self, file: int, data: bytes, at: int) -> int:
        if self.room <= 0:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        written = self.pwrite(file, data[: self.room], at)
        self.room -= written
        return written

    def cut(self, file: int, size: int) -> None:
        if self.broken:
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        self.ftruncate(file, size)


def test_a_full_disk_ends_the_record_with_its_last_whole_block(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    Disk(900).put(monkeypatch)
    writer = CaptureWriter(tmp_path / "full.pcapng")
    writer.add_lane("curlew", "x", None)
    for count in range(20):
        writer.chunk(chunk(GGA, BEGIN + count))
    writer.close()
    assert "No space left" in writer.failure
    assert writer.lost == 15 * len(GGA)
    reader = CaptureReader(writer.path)
    assert list(reader.records()) == [chunk(GGA, BEGIN + count) for count in range(5)]
    assert reader.torn == ""
    assert writer.size == writer.path.stat().st_size


@given(
    st.lists(st.one_of(st.sampled_from(RECORDS), st.integers(0, 400), st.sampled_from(["sync", "late"])), max_size=30),
    st.booleans(),
)
@example(["late", 257, LARGEST], True)
def test_a_disk_that_fills_breaks_and_comes_back_never_raises_and_every_gap_is_told(
    tmp_path_factory: pytest.TempPathFactory, steps: list[Chunk | Event | int | str], broken: bool
) -> None:
    """A number is the room that there is from then on. What was said to be written is read, gaps count the rest."""
    folder = tmp_path_factory.mktemp("disk")
    with pytest.MonkeyPatch.context() as monkeypatch:
        disk = Disk(10_000, broken)
        disk.put(monkeypatch)
        writer = CaptureWriter(folder / "a.pcapng")
        writer.add_lane("curlew", "x", None)
        written: list[Chunk | Event] = []
        lanes = {"curlew"}
        for step in steps:
            if isinstance(step, int):
                disk.room = step
            elif step == "sync":
                writer.sync()
            elif step == "late":
                writer.add_lane("bittern", "x", None)
                lanes.add("bittern")
            elif not isinstance(step, Chunk) or step.lane in lanes:
                write(writer, [step])
                gap = writer.taken_gap()
                written += [gap] if gap else []
                written += [] if writer.failure else [step]
        disk.room, disk.broken = 10_000, False
        last = Event(BEGIN + 9 * SECOND, "", "mark", {"text": "there is room again"})
        write(writer, [last])
        gap = writer.taken_gap()
        written += [gap] if gap else []
        assert writer.failure == ""
        writer.close()
        reader = CaptureReader(writer.path)
        found = list(reader.records())
    assert found == [*written, last]
    assert reader.torn == ""
    assert writer.lost == sum(each.details["bytes"] for each in found if each[2] == "not-recorded")


def test_what_somebody_cut_off_is_not_filled_up_again(tmp_path: Path) -> None:
    writer = CaptureWriter(tmp_path / "a.pcapng")
    writer.add_lane("curlew", "x", None)
    writer.chunk(chunk(GGA, BEGIN))
    os.truncate(writer.path, writer.size - 50)
    writer.close()
    assert writer.path.stat().st_size == writer.size - 50


def test_a_capture_is_never_overwritten(capture: Path) -> None:
    with pytest.raises(Trouble, match="there already"):
        CaptureWriter(capture)


def test_a_place_that_cannot_be_written_is_told(tmp_path: Path) -> None:
    (tmp_path / "file").touch()
    with pytest.raises(Trouble, match=r"file is a file\. Choose a place where you may write"):
        CaptureWriter(tmp_path / "file" / "a.pcapng")


def test_what_is_no_capture_is_told(tmp_path: Path) -> None:
    raw = tmp_path / "raw.txt"
    raw.write_bytes(GGA)
    assert not is_capture(raw)
    with pytest.raises(Trouble, match="not a capture"):
        list(CaptureReader(raw).records())
    for path, words in ((tmp_path / "none", "No such file"), (tmp_path, "Is a directory")):
        with pytest.raises(Trouble, match=words):
            is_capture(path)


def test_names_in_a_capture_cannot_act_on_a_screen(tmp_path: Path) -> None:
    path = tmp_path / "hostile.pcapng"
    name = HOSTILE.decode("latin-1")[:40]
    path.write_bytes(blocks.section("x") + blocks.interface(147, name, name) + blocks.packet(0, BEGIN, b"x"))
    reader = CaptureReader(path)
    (record,) = reader.records()
    assert record.lane.isprintable()
    assert all(lane.description.isprintable() for lane in reader.lanes.values())


def test_new_names_are_dated_and_free(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PALE_HERON_CAPTURES", str(tmp_path))
    assert capture_folder() == tmp_path
    first = new_capture_path("salt marsh/../x", BEGIN)
    assert first == tmp_path / "salt-marsh-x-20310504-094000.pcapng"
    first.touch()
    assert new_capture_path("salt marsh/../x", BEGIN).name == "salt-marsh-x-20310504-094000-2.pcapng"


def spoil(path: Path, how: str) -> None:
    if how == "deleted":
        path.unlink()
    elif how == "moved":
        path.rename(path.with_name("elsewhere.pcapng"))
    elif how == "replaced":
        path.unlink()
        path.write_bytes(b"x" * 5000)
    else:
        os.truncate(path, 60)


@pytest.mark.parametrize("how", ["deleted", "moved", "replaced", "cut off"])
def test_a_record_that_somebody_takes_away_goes_on_in_another_file(how: str, tmp_path: Path) -> None:
    path = tmp_path / "a.pcapng"
    writer = CaptureWriter(path)
    writer.add_lane("curlew", "/dev/ttyUSB0", LineSettings(9600))
    writer.chunk(Chunk("curlew", Direction.IN, BEGIN, b"before"))
    assert writer.look(BEGIN) is None
    spoil(path, how)
    # Nobody has seen yet that it is away: what is written now goes into a file that has no name, or another one.
    writer.add_lane("hide", "/dev/ttyUSB1", LineSettings(9600))
    for name in ("curlew", "hide"):
        writer.chunk(Chunk(name, Direction.IN, BEGIN, b"unseen"))
    moved = writer.look(BEGIN + SECOND)
    assert moved is not None and how in str(moved.details["reason"])
    assert writer.look(BEGIN + SECOND) is None
    writer.chunk(Chunk("curlew", Direction.IN, BEGIN + 2 * SECOND, b"after"))
    writer.close()
    assert writer.path == tmp_path / "a-2.pcapng" and not writer.failure
    assert [each.path for each in writer.left] == [path]
    *saved, event, chunk = CaptureReader(writer.path).records()
    assert (event, chunk.data) == (moved, b"after")
    told = [(each.lane, each.data) for each in saved if isinstance(each, Chunk)]
    gone = how != "moved"
    assert told == ([("curlew", b"unseen"), ("hide", b"unseen")] if gone else [])
    assert moved.details["saved"] == len(told)
    if how == "moved":
        kept = CaptureReader(tmp_path / "elsewhere.pcapng").records()
        assert [each.data for each in kept if isinstance(each, Chunk)] == [b"before", b"unseen", b"unseen"]


@pytest.mark.parametrize("looked", [False, True])
@given(chunks=st.lists(st.binary(min_size=1, max_size=90), min_size=4, max_size=12), data=st.data())
def test_of_a_record_cut_off_anywhere_all_is_kept_but_what_was_cut_away(
    looked: bool, chunks: list[bytes], data: st.DataObject, tmp_path_factory: pytest.TempPathFactory
) -> None:
    path = tmp_path_factory.mktemp("cut") / "a.pcapng"
    writer = CaptureWriter(path)
    writer.add_lane("curlew", "/dev/ttyUSB0", LineSettings(9600))
    first = writer.size
    if looked:
        assert writer.look(BEGIN) is None
    ends = []
    before = data.draw(st.integers(1, len(chunks) - 1))
    for each in chunks[:before]:
        writer.chunk(Chunk("curlew", Direction.IN, BEGIN, each))
        ends.append(writer.size)
    at = data.draw(st.integers(first, writer.size - 1))
    os.truncate(path, at)
    for each in chunks[before:]:
        writer.chunk(Chunk("curlew", Direction.IN, BEGIN, each))
    moved = writer.look(BEGIN + SECOND)
    writer.close()
    # A block of less than 256 bytes ends with three zeros: where only those were cut away, they are there again.
    kept = sum(end - 3 <= at for end in ends)
    assert (moved is None) == (kept == before)
    assert moved is None or moved.details["saved"] == len(chunks) - before
    records = [record for file in dict.fromkeys((path, writer.path)) for record in CaptureReader(file).records()]
    told = [record.data for record in records if isinstance(record, Chunk)]
    assert told == chunks[:kept] + chunks[before:]


@pytest.mark.parametrize("comes_back", [False, True])
def test_a_record_that_cannot_go_on_anywhere_says_so(
    comes_back: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    writer = CaptureWriter(tmp_path / "a.pcapng")
    writer.add_lane("curlew", "/dev/ttyUSB0", LineSettings(9600))
    kept = writer.path.rename(tmp_path / "kept")

    def refuse(*_: object) -> int:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    with monkeypatch.context() as context:
        context.setattr("pale_heron.capture.writer.new_file", refuse)
        assert writer.look(BEGIN) is None
    assert "was deleted or moved" in writer.failure and "No space left" in writer.failure
    writer.chunk(Chunk("curlew", Direction.IN, BEGIN, b"into nothing"))
    assert (writer.lost, writer.failure != "") == (12, True), "what goes into a file without a name is lost"
    if comes_back:
        kept.rename(writer.path)
        assert writer.look(BEGIN) is None
        writer.chunk(Chunk("curlew", Direction.IN, BEGIN, b"after"))
        writer.close()
        assert not writer.failure and not writer.left
        gap, chunk = CaptureReader(writer.path).records()
        assert (gap.details["bytes"], chunk.data) == (12, b"after")
        return
    moved = writer.look(BEGIN)
    assert moved is not None and not writer.failure
    writer.chunk(Chunk("curlew", Direction.IN, BEGIN, b"after"))
    writer.close()
    gap, first, chunk = CaptureReader(writer.path).records()
    assert (gap.name, gap.details["bytes"], first, chunk.data) == ("not-recorded", 12, moved, b"after")
