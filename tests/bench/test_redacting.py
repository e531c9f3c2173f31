"""A copy to share: secrets are found however chunks cut them, and nothing else changes."""

import tempfile
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.streams import BEGIN, sentences

from pale_heron.bench.redacting import redact
from pale_heron.capture.reader import CaptureReader
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import IN, OUT, Chunk, Direction, Event
from pale_heron.core.trouble import Trouble

PHRASE = "reeds and water"
COMMAND = b'AT+JOIN="saltmarsh","%s"\r' % PHRASE.encode()
STREAM = COMMAND + b"\r\nOK\r\n" + COMMAND


def written(path: Path, pieces: list[tuple[Direction, bytes]]) -> None:
    writer = CaptureWriter(path)
    writer.add_lane("teal", "/dev/x", None)
    writer.event(Event(BEGIN, "teal", "dialect", {"name": "teal"}))
    for place, (direction, data) in enumerate(pieces):
        writer.chunk(Chunk("teal", direction, BEGIN + place * 1_000_000, data))
    writer.event(Event(BEGIN + 10**9, "", "mark", {"text": f"typed {PHRASE}", "list": [PHRASE, 3]}), comment="x")
    writer.close()


cuts = st.lists(st.integers(1, len(STREAM) - 1), max_size=12, unique=True)


@settings(max_examples=40, deadline=None)
@given(cuts, cuts)
def test_a_secret_is_found_however_it_is_cut(sent: list[int], echoed: list[int]) -> None:
    with tempfile.TemporaryDirectory() as folder:
        source, target = Path(folder) / "a.pcapng", Path(folder) / "b.pcapng"
        pieces = [(OUT, each) for each in _cut(COMMAND, sent)] + [(IN, each) for each in _cut(STREAM, echoed)]
        written(source, pieces)
        done = redact(source, target)
        assert done.secrets == 1
        assert done.places == 4
        records = list(CaptureReader(target).records())
        chunks = [record for record in records if isinstance(record, Chunk)]
        assert [(each.direction, len(each.data)) for each in chunks] == [(way, len(data)) for way, data in pieces]
        for direction, whole in ((OUT, COMMAND), (IN, STREAM)):
            stream = b"".join(each.data for each in chunks if each.direction is direction)
            assert stream == whole.replace(PHRASE.encode(), b"*" * len(PHRASE))
        mark = next(record for record in records if isinstance(record, Event) and record.name == "mark")
        assert PHRASE not in str(mark.details)
        assert mark.details["list"][1] == 3


def _cut(data: bytes, places: list[int]) -> list[bytes]:
    ends = [0, *sorted(place for place in places if place < len(data)), len(data)]
    return [data[begin:end] for begin, end in pairwise(ends) if begin < end]


def test_a_capture_without_modules_is_copied_as_it_is(tmp_path: Path) -> None:
    source, target = tmp_path / "a.pcapng", tmp_path / "b.pcapng"
    writer = CaptureWriter(source)
    writer.add_lane("curlew", "/dev/x", None)
    writer.chunk(Chunk("curlew", IN, BEGIN, b"$GNGGA,,,,,,,,,,,,,,*48\r\n"))
    writer.close()
    done = redact(source, target)
    assert (done.places, done.secrets, done.torn) == (0, 0, "")
    assert list(CaptureReader(source).records()) == list(CaptureReader(target).records())


def test_a_module_that_nobody_knows_leaks_nothing_and_is_named(tmp_path: Path) -> None:
    source, target = tmp_path / "a.pcapng", tmp_path / "b.pcapng"
    writer = CaptureWriter(source)
    for lane in ("hide", "curlew"):
        writer.add_lane(lane, "/dev/x", None)
    said = [
        ("hide", OUT, b"AT+CPIN=2222\r"),
        ("hide", IN, b"\r\nOK\r\n"),
        ("hide", OUT, b"AT+CGSN\r"),
        ("hide", IN, b"\r\n3569380356438097\r\n\r\nOK\r\n"),
        ("hide", OUT, b'AT+PHRASE="reeds and water"\r'),
        ("hide", IN, b"boot: pin 2222, phrase reeds and water\r\n"),
        ("curlew", IN, sentences("GNTXT,01,01,02,an open sky")),
    ]
    for at, (lane, direction, data) in enumerate(said):
        writer.chunk(Chunk(lane, direction, BEGIN + at * 100_000_000, data))
    writer.close()
    done = redact(source, target)
    copied = target.read_bytes()
    assert not any(each in copied for each in (b"2222", b"3569380356438097", b"reeds and water"))
    assert done.unknown == ("hide",) and done.secrets == 3
    target.unlink()
    assert redact(source, target, dialects={"hide": "teal"}).unknown == ()
    target.unlink()
    with pytest.raises(Trouble, match="There is no lane 'nobody'"):
        redact(source, target, dialects={"nobody": "teal"})
