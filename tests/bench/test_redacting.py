"""A copy to share: what must not be told is found however chunks cut it, and nothing else changes."""

import tempfile
from itertools import pairwise
from pathlib import Path
from typing import Any, Final

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.streams import BEGIN, framed, sentences

from pale_heron.bench.redacting import COARSE, NONE, SharingWishes, StillThere, redact
from pale_heron.capture.reader import CaptureReader
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import BAD_CHECKSUM, IN, OK, OUT, SECOND, Chunk, Direction, Event
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.sharing import wordings
from pale_heron.core.sharing.edits import StreamCopy, StreamEdit, merged
from pale_heron.core.sharing.kinds import CELL, IDENTITY, MESSAGE, NUMBER, SECRET
from pale_heron.core.sharing.own_rules import read_own_rules
from pale_heron.core.trouble import Trouble

PHRASE: Final = "reeds and water"
COMMAND: Final = b'AT+JOIN="saltmarsh","%s"\r' % PHRASE.encode()
STREAM: Final = COMMAND + b"\r\nOK\r\n" + COMMAND
Said = tuple[Direction, bytes]


def written(path: Path, pieces: list[Said], *events: Event, dialect: str = "teal", step_ns: int = 1_000_000) -> Path:
    writer = CaptureWriter(path)
    writer.add_lane("hide", "/dev/x", None)
    if dialect:
        writer.event(Event(BEGIN, "hide", "dialect", {"name": dialect}))
    for place, (direction, data) in enumerate(pieces):
        writer.chunk(Chunk("hide", direction, BEGIN + place * step_ns, data))
    for event in events:
        writer.event(event, comment=str(event.details.get("text", "")))
    writer.close()
    return path


def streams_of(path: Path) -> dict[Direction, bytes]:
    found = dict.fromkeys(Direction, b"")
    for record in CaptureReader(path).records():
        if isinstance(record, Chunk):
            found[record.direction] += record.data
    return found


def cut(data: bytes, places: list[int]) -> list[bytes]:
    ends = [0, *sorted({place % len(data) for place in places if place % len(data)}), len(data)]
    return [data[begin:end] for begin, end in pairwise(ends)]


cuts = st.lists(st.integers(1, len(STREAM) - 1), max_size=12, unique=True)


@settings(max_examples=25, deadline=None)
@given(cuts, cuts)
def test_a_secret_is_found_however_it_is_cut(sent: list[int], echoed: list[int]) -> None:
    with tempfile.TemporaryDirectory() as folder:
        target = Path(folder) / "b.pcapng"
        pieces = [(OUT, each) for each in cut(COMMAND, sent)] + [(IN, each) for each in cut(STREAM, echoed)]
        mark = Event(BEGIN + SECOND, "", "mark", {"text": f"typed {PHRASE}", "list": [PHRASE, 3]})
        done = redact(written(Path(folder) / "a.pcapng", pieces, mark), target)
        assert done.kinds == {SECRET: 5}
        records = list(CaptureReader(target).records())
        chunks = [record for record in records if isinstance(record, Chunk)]
        assert [(each.direction, len(each.data)) for each in chunks] == [(way, len(data)) for way, data in pieces]
        stars = "*" * len(PHRASE)
        for direction, whole in ((OUT, COMMAND), (IN, STREAM)):
            assert streams_of(target)[direction] == whole.replace(PHRASE.encode(), stars.encode())
        (told,) = [each for each in records if isinstance(each, Event) and each.name == "mark"]
        assert told.details == {"text": f"typed {stars}", "list": [stars, 3]}


def test_a_capture_without_modules_is_copied_as_it_is(tmp_path: Path) -> None:
    source = written(tmp_path / "a.pcapng", [(IN, b"$GNGGA,,,,,,,,,,,,,,*48\r\n")], dialect="")
    done = redact(source, tmp_path / "b.pcapng")
    assert (done.kinds, done.torn, done.words) == ({}, "", "nothing")
    assert list(CaptureReader(source).records()) == list(CaptureReader(tmp_path / "b.pcapng").records())


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
    assert done.unknown == ("hide",) and done.kinds == {SECRET: 4, IDENTITY: 1}
    target.unlink()
    assert redact(source, target, SharingWishes(dialects={"hide": "teal"})).unknown == ()
    target.unlink()
    with pytest.raises(Trouble, match="There is no lane 'nobody'"):
        redact(source, target, SharingWishes(dialects={"nobody": "teal"}))
    assert not target.exists()


TALK: Final = [
    (IN, b"\r\nhide login: "),
    (OUT, b"warden\r"),
    (IN, b"warden\r\nPassword: "),
    (OUT, b"ebb at dawn\r"),
    (IN, b"\r\nwelcome\r\n"),
    (OUT, b"AT+CREG?\r"),
    (IN, b'\r\n+CREG: 2,1,"00C3","0000A1B2",7\r\n\r\nOK\r\n'),
    (OUT, b'AT+CMGS="+99905550142"\r'),
    (IN, b"\r\n> "),
    (OUT, b"Ebb at 10:40, call +999 0555 0143\x1a"),
    (IN, b"\r\n+CMGS: 7\r\n\r\nOK\r\n"),
    (IN, b'\r\n+CMT: "+99905550143",,"31/05/04,09:41:07+00"\r\nOK, I bring the spare\r\n'),
    (IN, sealed("GNTXT,01,01,02,DevEUI 70B3D57ED0041F2A")),
    (IN, b'{"wifi":{"ssid":"saltmarsh","psk":"reeds and water"}}\r\n'),
]
SECRETS_OF_TALK: Final = (
    *(b"warden", b"ebb at dawn", b"+99905550142", b"10:40", b"0143", b"spare", b"70B3D57ED0041F2A", b"saltmarsh"),
    b"reeds",
)


@pytest.mark.parametrize("slow", [False, True], ids=["at once", "slowly"])
def test_nothing_that_people_say_is_left(tmp_path: Path, slow: bool) -> None:
    step = 500_000_000 if slow else 1000
    source = written(tmp_path / "a.pcapng", TALK, dialect="", step_ns=step)
    done = redact(source, tmp_path / "b.pcapng", SharingWishes(NONE))
    before, after = streams_of(source), streams_of(tmp_path / "b.pcapng")
    for direction in Direction:
        assert len(before[direction]) == len(after[direction])
        left = [each for each in SECRETS_OF_TALK if each in after[direction]]
        assert not left, after[direction]
    assert (done.kinds[MESSAGE], done.kinds[NUMBER], done.kinds[CELL]) == (2, 2, 2), done.words
    for kept in (b"+CMGS: 7", b"31/05/04,09:41:07+00", b"+CREG: 2,1,", b"welcome"):
        assert kept in after[IN]
    good = [each for each in framed([after[IN]]) if each.type == "GNTXT"]
    assert [each.status for each in good] == [OK] and b"DevEUI xxxxxxxxxxxxxxxx" in good[0].data
    again = redact(tmp_path / "b.pcapng", tmp_path / "c.pcapng", SharingWishes(NONE))
    assert again.words == "nothing"
    assert streams_of(tmp_path / "c.pcapng") == after


NOTED: Final[list[tuple[dict[str, Any], dict[str, Any]]]] = [
    ({"text": "Anna on +99905550142 at warden@marsh.example"}, {"text": "Anna on number 1 at person 1"}),
    ({"from": "203.0.113.7:40812"}, {"from": "host 1:40812"}),
    ({"server": "time.marsh.example"}, {"server": "host 2"}),
    ({"from": "203.0.113.7:40900"}, {"from": "host 1:40900"}),
    ({"address": "socket://warden@mast.example:4001"}, {"address": "socket://person 2@host 3:4001"}),
    ({"address": "/dev/ttyUSB0"}, {"address": "/dev/ttyUSB0"}),
    ({"address": "/dev/serial/by-id/usb-HN_2031-if00"}, {"address": "device 1"}),
    ({"adapter": "2031:0077:HN2031"}, {"adapter": "adapter 1"}),
    ({"before": "/home/warden/walk.pcapng", "bytes": 7}, {"before": "file 1", "bytes": 7}),
    ({"reason": "/home/warden/walk.pcapng was moved"}, {"reason": "file 1 was moved"}),
    ({"at": ["10.0.0.4:2217", "127.0.0.1:2217"]}, {"at": ["host 4:2217", "127.0.0.1:2217"]}),
    ({"table": {"says": ["password: (?P<word>.*)"]}}, {"table": {"says": ["password: (?P<word>.*)"]}}),
    ({"text": "at 46.1173 S, 67.3067 W"}, {"text": "at **.**** S, **.**** W"}),
    ({"settings": "115200 8N1, no flow control"}, {"settings": "115200 8N1, no flow control"}),
]


def test_people_and_hosts_become_stand_ins_so_that_the_story_remains(tmp_path: Path) -> None:
    events = [Event(BEGIN + at, "", "mark", details) for at, (details, _) in enumerate(NOTED)]
    source = written(tmp_path / "a.pcapng", [(IN, b"x\r\n")], *events, dialect="")
    redact(source, tmp_path / "b.pcapng", SharingWishes(NONE))
    told = [each.details for each in CaptureReader(tmp_path / "b.pcapng").records() if isinstance(each, Event)]
    assert told == [expected for _, expected in NOTED]
    copied = (tmp_path / "b.pcapng").read_bytes()
    assert not any(each in copied for each in (b"warden", b"0142", b"marsh.example", b"203.0.113")), "nor as comments"


RULES: Final = {
    "rule": [
        {"kind": "name of a site", "texts": ["north dyke"]},
        {"kind": "work order", "shape": "WO-####-@@"},
        {"kind": "site code", "behind": ["depot"]},
    ]
}


def test_rules_of_ones_own_go_with_the_others(tmp_path: Path) -> None:
    rules, problems = read_own_rules(RULES)
    assert not problems
    said = b"At North Dyke for wo-2031-AB, depot: K7Z; WO-20311-AB stays\r\n"
    source = written(tmp_path / "a.pcapng", [(IN, said)], Event(BEGIN, "", "mark", {"text": "north dyke"}), dialect="")
    done = redact(source, tmp_path / "b.pcapng", SharingWishes(also=rules, named=("stays",)))
    assert streams_of(tmp_path / "b.pcapng")[IN] == b"At ********** for **********, depot: ***; WO-20311-AB *****\r\n"
    assert done.words == "1 text that you named, 2 name of a site, 1 work order, 1 site code"


@pytest.mark.parametrize(
    ("written", "wrong"),
    [
        ({}, "it has no [[rule]]"),
        ({"rule": [{"kind": "x"}]}, "a rule needs texts, a shape, or words"),
        ({"rule": [{"texts": "ab"}]}, "'ab' would be found everywhere"),
        ({"rule": [{"shape": "####"}]}, "'####' is any word at all"),
        ({"rule": [{"pattern": "a"}]}, "'pattern' is not a key here"),
        ({"rule": [{"shape": "a*b*c*"}]}, "3 stars; 2 are the most"),
        ({"rule": [{"behind": "a" * 10_000}]}, "10000 letters; 200 are the most"),
        ({"rule": [{"texts": "depot"}] * 100_000}, "100000 rules; 1000 are the most"),
        ({"rule": 3}, "a list of tables is wanted"),
    ],
)
def test_what_is_wrong_with_a_rule_is_said(written: dict[str, Any], wrong: str) -> None:
    _, problems = read_own_rules(written)
    assert wrong in " ".join(each.words for each in problems)


def test_a_copy_that_is_not_clean_is_not_kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whatever is overlooked the first time is looked for again."""
    source = written(tmp_path / "a.pcapng", [(IN, b"password: ebb-at-dawn\r\n")], dialect="")
    monkeypatch.setattr(StreamCopy, "of_chunk", lambda _, data: data)
    with pytest.raises(StillThere, match="still holds 1 password or key: it is not kept"):
        redact(source, tmp_path / "b.pcapng")
    assert not (tmp_path / "b.pcapng").exists() and wordings.SECRET_RULES


edits = st.lists(st.tuples(st.integers(0, 90), st.integers(1, 12), st.sampled_from([None, b"", b"7.5"])), max_size=6)


@given(edits, st.lists(st.integers(1, 200), max_size=12), st.lists(st.tuples(st.integers(0, 90), st.integers(1, 9))))
def test_a_changed_stream_has_right_checksums_however_it_is_cut(
    changes: list[tuple[int, int, bytes | None]], places: list[int], starred: list[tuple[int, int]]
) -> None:
    """Sentences with edits in their fields: the good stays good, the bad bad; and all cuts give the same."""
    good = sealed("GNGGA,094107.00,4607.03800,S,06718.40000,W,1,11,0.8,3.4,M,11.2,M,,")
    whole = good + good.replace(b"*", b"*0", 1)[:-3] + b"\r\n" + good.lower().replace(b"$gngga", b"$GNGGA") + good
    body = good.index(b"*")
    fields = [
        StreamEdit(7 + begin, min(7 + begin + length, body), data)
        for begin, length, data in changes
        if 7 + begin < body
    ]
    apart: list[StreamEdit] = []
    for each in sorted(fields, key=lambda each: each[:2]):
        if not apart or each.begin >= apart[-1].end:
            apart.append(each)
    stars = [(7 + begin, min(7 + begin + length, body)) for begin, length in starred if 7 + begin < body]
    every = merged(apart, stars)
    assert all(one.end <= other.begin for one, other in pairwise(every))
    out = b"".join(map((one := StreamCopy(every)).of_chunk, cut(whole, places)))
    assert out == StreamCopy(every).of_chunk(whole) and one is not None
    frames = framed([out])
    assert frames[0].status is OK and frames[-1].status is OK
    assert [each.status for each in framed([whole])].count(BAD_CHECKSUM) == [each.status for each in frames].count(
        BAD_CHECKSUM
    )


@settings(max_examples=30, deadline=None)
@given(st.lists(st.sampled_from([each for _, each in TALK]), max_size=8), st.lists(st.integers(1, 400), max_size=9))
def test_the_copy_of_any_talk_is_clean(said: list[bytes], places: list[int]) -> None:
    """However it is mixed and cut: the copy is looked through again by the same code, and kept."""
    with tempfile.TemporaryDirectory() as folder:
        data = b"".join(said) or b"x"
        pieces = [(IN, each) for each in cut(data, places)]
        source = written(Path(folder) / "a.pcapng", pieces, dialect="")
        redact(source, Path(folder) / "b.pcapng", SharingWishes(COARSE))
        assert len(streams_of(Path(folder) / "b.pcapng")[IN]) == len(data)
