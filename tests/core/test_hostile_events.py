"""A capture may hold anything: no event and no stream makes a lane raise, or say what cannot be shown."""

from typing import Any

from hypothesis import given
from hypothesis import strategies as st
from tests.streams import BEGIN, GGA, HOSTILE, RTCM, chunk

from pale_heron.core.frames import SECOND, Direction, Event
from pale_heron.core.lane import Lane
from pale_heron.core.line.settings import LineSettings, settings_details

KNOWN = [
    "added", "opened", "returned", "settings", "settings-refused", "refused", "lost", "closed", "dropped", "skipped",
    "driver-errors", "rates-tried", "not-sent", "break", "mark", "of a later version",
]  # fmt: skip
KEYS = [
    "rate", "framing", "flow", "gap_ms", "ending_in", "decorative", "role", "address", "reason", "way_out", "cause",
    "bytes", "framing", "overrun", "rates", "text", "listen_only",
]  # fmt: skip

values = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=8), st.just("\x1b[2J")),
    lambda inner: (
        st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(["rate", "fits", "x"]), inner, max_size=3)
    ),
    max_leaves=6,
)
events = st.builds(
    Event,
    time=st.integers(BEGIN, BEGIN + 100 * SECOND),
    lane=st.just("x"),
    name=st.sampled_from(KNOWN),
    details=st.dictionaries(st.sampled_from(KEYS), values, max_size=5)
    | st.just(settings_details(LineSettings(38400, ending_in="crlf", gap_ms=50))),
)
STREAMS = [GGA, RTCM, HOSTILE, b"login: ", b"boot\r\n", b"OK\r\n", b"AT\r\n", b"\xa5" * 300, b"x" * 5000]
happenings = st.lists(
    st.one_of(
        events,
        st.tuples(
            st.sampled_from(
                [GGA, RTCM, HOSTILE, b"login: ", b"boot\r\n", b"OK\r\n", b"AT\r\n", b"\xa5" * 300, b"x" * 5000]
            ),
            st.sampled_from(list(Direction)),
        ),
    ),
    max_size=12,
)


@given(happenings)
def test_no_event_and_no_stream_makes_a_lane_raise(happened: list[Any]) -> None:
    lane, now = Lane("x"), BEGIN
    for each in happened:
        now += SECOND // 3
        if isinstance(each, Event):
            lane.event(each)
        else:
            lane.feed(chunk(each[0], now, "x", each[1]))
        lane.tick(now)
        shot = lane.snapshot(now)
        for finding in shot.findings:
            assert 0 <= finding.weight <= 1
            assert f"{finding.text}{finding.evidence}{finding.next}".isprintable()
        assert [finding.weight for finding in shot.findings] == sorted(
            (finding.weight for finding in shot.findings), reverse=True
        )
        assert f"{shot.role}{shot.address}{shot.settings_error}{shot.open_error}".isprintable()
        assert len(shot.steps) == 5
    lane.finish()
    assert lane.snapshot(now).line.framed_bytes == lane.snapshot(now).line.bytes_in
