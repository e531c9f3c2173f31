"""Captures that may hold anything: whatever reads them says what is damaged, uses what comes before, and goes on."""

import json
import struct
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any, Final

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.painted import snapshot

from pale_heron.bench.joining import join_captures, plan_join
from pale_heron.bench.redacting import COARSE, SharingWishes, redact
from pale_heron.bench.sources import Source
from pale_heron.bench.summary import summary
from pale_heron.capture.pcapng import ENHANCED_PACKET, EVENTS, LINE_DATA, interface, packet, section
from pale_heron.core.frames import Frame
from pale_heron.core.link.json_object import trial_object
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.proof.picture import time_picture
from pale_heron.core.proof.together import together, while_sending
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import from_iso
from pale_heron.report.tracks import WRITERS, Track, segments, write_tracks
from pale_heron.tui.views.proof.lanes import LanesLook, paint

KEPT: Final = (Path(__file__).parent / "kept" / "0.5.0.pcapng").read_bytes()
NINE: Final = from_iso("2031-05-04T09:00:00Z")


def blocks() -> list[bytes]:
    found, at = [], 0
    while at < len(KEPT):
        length = struct.unpack_from("<I", KEPT, at + 4)[0]
        found.append(KEPT[at : at + length])
        at += length
    return found


BLOCKS: Final = blocks()


def retimed(change: Callable[[int, int], int]) -> bytes:
    """The kept capture with other times; `change` gets each one and its number."""
    out, number = b"", 0
    for block in BLOCKS:
        if struct.unpack_from("<I", block)[0] == ENHANCED_PACKET:
            high, low = struct.unpack_from("<II", block, 12)
            time = change(high << 32 | low, number) % (1 << 64)
            block = block[:12] + struct.pack("<II", time >> 32, time & 0xFFFFFFFF) + block[20:]
            number += 1
        out += block
    return out


def read_by_all(data: bytes, folder: Path) -> dict[str, Any]:
    """Everything that reads a capture without a screen; nothing but Trouble may come of it."""
    path = folder / "hostile.pcapng"
    path.write_bytes(data)
    try:
        whole = summary(Source(path))
        json.dumps(whole)
        for line in Source(path).lines(masked=True):
            assert not isinstance(line, Frame) or line.data is not None
        source = Source(path)
        lanes = source.lanes()
        json.dumps([trial_object(each) for each in source.trials])
        for form in WRITERS:
            write_tracks(form, [Track(lane.name, segments(lane.fix.track)) for lane in lanes], folder / f"t.{form}")
        begin, end = source.span or (0, 0)
        picture = time_picture(lanes, source.chronicle, source.marks, begin, max(end, begin + 1), 50, end)
        groups = together(picture.happenings)
        look = LanesLook(begin, groups, tuple(while_sending(lanes, source.chronicle.strips)), whole=True)
        shown = snapshot()._replace(lanes=lanes, marks=source.marks)
        assert not any("\x1b" in span.text for row in paint(shown, picture, look, 100) for span in row)
        (folder / "copy.pcapng").unlink(missing_ok=True)
        redact(path, folder / "copy.pcapng", SharingWishes(COARSE))
        (folder / "joined.pcapng").unlink(missing_ok=True)
        with suppress(Trouble):
            join_captures(path, path, folder / "joined.pcapng", plan_join(path, path, ("a", "b")))
    except Trouble as trouble:
        return {"torn": str(trouble)}
    return whole


TIMES: dict[str, tuple[Callable[[int, int], int], bool]] = {
    "beyond the year 9999": (lambda _, number: from_iso("9999-12-31T23:59:59Z") + number, True),
    "the largest there are": (lambda _, number: (1 << 64) - 1 - number, True),
    "negative, as some would read it": (lambda _, number: (1 << 63) + number, True),
    "sane at first": (lambda time, number: time if number < 9 else 1 << 63, True),
    "all at once": (lambda _, __: 0, False),
    "a nanosecond apart": (lambda _, number: number, False),
    "backwards": (lambda time, number: time - number * 10**12, False),
    "jumping by decades": (lambda time, number: time if number % 2 else NINE // 3, False),
}


@pytest.mark.parametrize("name", TIMES)
def test_times_may_be_anything(name: str, tmp_path: Path) -> None:
    change, torn = TIMES[name]
    found = read_by_all(retimed(change), tmp_path)
    assert ("a time beyond the year 2200 at byte" in str(found["torn"])) == torn
    if name == "sane at first":
        assert found["lanes"][0]["bytes_in"] > 0, "what comes before is used"


def test_so_many_interfaces_are_damage(tmp_path: Path) -> None:
    data = section("x") + b"".join(interface(LINE_DATA, f"lane {number}") for number in range(20_000))
    assert "more than 1000 interfaces" in str(read_by_all(data, tmp_path)["torn"])


@settings(max_examples=30, deadline=None)
@given(st.lists(st.tuples(st.integers(0, len(KEPT) - 1), st.integers(0, 255)), min_size=1, max_size=40))
def test_any_bytes_may_be_others(tmp_path_factory: pytest.TempPathFactory, changes: list[tuple[int, int]]) -> None:
    data = bytearray(KEPT)
    for at, value in changes:
        data[at] = value
    read_by_all(bytes(data), tmp_path_factory.mktemp("hostile"))


_DETAIL = st.recursive(
    st.none()
    | st.booleans()
    | st.integers()
    | st.floats()
    | st.text(max_size=20)
    | st.sampled_from(["curlew", "on", "8N1"]),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
    max_leaves=8,
)
_NAMES = [
    *(
        "recording",
        "added",
        "opened",
        "settings",
        "lost",
        "refused",
        "closed",
        "dropped",
        "driver-errors",
        "rates-tried",
    ),
    *(
        "start",
        "told",
        "dialect",
        "trial",
        "trial-ended",
        "mark",
        "mark-reworded",
        "mark-withdrawn",
        "joined",
        "pulse",
        "host-clock",
        "bulk",
        "bulk-ended",
        "listening",
        "client",
        "client-gone",
    ),
]
_KEYS = [
    *(
        "address",
        "role",
        "rate",
        "framing",
        "flow",
        "reason",
        "cause",
        "way_out",
        "bytes",
        "rates",
        "mode",
        "name",
        "by",
    ),
    *(
        "table",
        "moment",
        "captures",
        "uncertainty_s",
        "place",
        "source",
        "trial",
        "kind",
        "lanes",
        "size",
        "at",
        "from",
        "text",
        "framing",
        "ceilings",
        "probes",
        "why",
        "errors",
    ),
]


@settings(max_examples=30, deadline=None)
@given(
    st.lists(
        st.tuples(st.sampled_from(_NAMES), st.dictionaries(st.sampled_from(_KEYS), _DETAIL, max_size=6), st.booleans()),
        max_size=12,
    )
)
def test_any_event_may_say_anything(
    tmp_path_factory: pytest.TempPathFactory, events: list[tuple[str, dict[str, Any], bool]]
) -> None:
    data = section("x") + interface(EVENTS, "events") + interface(LINE_DATA, "curlew")
    for at, (name, details, own) in enumerate(events):
        written = json.dumps({"event": name, "lane": "curlew" if own else "", **details}).encode()
        data += packet(0, NINE + at, written) + packet(1, NINE + at, sealed("GNGGA,090000,,,,,0,,,,,,,,"))
    read_by_all(data, tmp_path_factory.mktemp("hostile"))
