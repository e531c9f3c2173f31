"""Pulses, servers and this computer's clock as a record holds them: counted, paired, and hostile ones left out."""

import json
import pickle
from typing import Any, Final

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.clock import events
from pale_heron.core.clock.allan import allan_deviations
from pale_heron.core.clock.clock_object import ClockPicture, picture_of
from pale_heron.core.clock.host import HostClock
from pale_heron.core.clock.naming import FEW
from pale_heron.core.clock.ntp import NetworkServer, NetworkTime
from pale_heron.core.clock.sources import source_typed
from pale_heron.core.clock.tracker import ClockTracker
from pale_heron.core.frames import IN, SECOND, Chunk, Event, Frame
from pale_heron.core.lane import Lane
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.utc import clock

BEGIN: Final = 1_935_000_000 * SECOND
MS: Final = SECOND // 1000
SOURCE: Final = "pps:/dev/pps0"
KEPT: Final = HostClock(True, 0.0004, 0.02, -3.2)
PRINTED: Final = r"printed:board:tick (?P<us>\d+)"


def source(text: str = SOURCE, **more: object) -> Event:
    return Event(BEGIN - SECOND, "", events.PULSE_SOURCE, {"source": text, **more})


def pulse(moment: int, text: str = SOURCE, **more: object) -> Event:
    return Event(moment, "", events.PULSE, {"source": text, **more})


def sentence(arrived: int, told: int, lane: str = "curlew") -> list[Frame]:
    line = sealed(f"GNZDA,{clock(told, 0).replace(':', '')}.00,04,05,2031,00,00")
    return Lane(lane).feed(Chunk(lane, IN, arrived, line.encode() if isinstance(line, str) else line))


def played(lag_ms: int, announces: int = 0, seconds: int = 20, host_off_s: int = 0) -> ClockPicture:
    """One pulse and one sentence a second; the sentence comes so long after its second and tells one later."""
    tracker = ClockTracker()
    tracker.heed(source())
    moments: list[tuple[int, Any]] = []
    for number in range(seconds):
        second = BEGIN + number * SECOND
        host = second + host_off_s * SECOND
        moments.append((host + 200_000, pulse(host + 200_000)))
        arrived = host + lag_ms * MS
        moments.append((arrived, sentence(arrived, second + announces * SECOND)))
    for _, each in sorted(moments, key=lambda pair: pair[0]):
        if isinstance(each, Event):
            tracker.heed(each)
        else:
            tracker.hear(each)
    return picture_of((), tracker.snapshot())._replace(host=KEPT)


@pytest.mark.parametrize(
    ("lag_ms", "announces", "host_off_s", "second"),
    [
        (120, 0, 0, "this"),
        (980, 0, 0, "this"),
        (1120, 0, 0, "previous"),
        (1450, 0, 0, "previous"),
        (120, 1, 0, "next"),
        (120, 0, 18, None),
        (120, 0, -2, None),
    ],
)
def test_which_second_a_pulse_is(lag_ms: int, announces: int, host_off_s: int, second: str | None) -> None:
    found = played(lag_ms, announces, host_off_s=host_off_s).named_on("curlew")
    assert found is not None and found.second == second
    assert found.pairs == found.of >= FEW
    assert found.after_s == pytest.approx((lag_ms % 1000) / 1000 - 0.0002, abs=1e-6)


def server(offset_ns: int, dispersion_s: float = 0.001) -> NetworkServer:
    return NetworkServer("192.0.2.9:123", 4, NetworkTime(1, "PPS", 0, 0.0, dispersion_s, offset_ns, 400_000), "")


@pytest.mark.parametrize(
    ("host", "servers", "unsure"),
    [
        (KEPT, (), ""),
        (None, (), "nothing says how good"),
        (KEPT._replace(synchronised=False), (), "nothing keeps this computer's clock right"),
        (KEPT._replace(maximum_error_s=16.0), (), "may be 16.0 s off by its own account"),
        (None, (server(2_000_000),), ""),
        # It thinks that it is right, and a server says that it is a second off.
        (KEPT, (server(1_000_000_000),), "this computer is 1.0 s off"),
        (KEPT, (server(2_000_000, 0.9),), "sure to 0.9 s"),
    ],
)
def test_a_second_is_named_only_where_the_clock_is_sure_of_it(
    host: HostClock | None, servers: tuple[NetworkServer, ...], unsure: str
) -> None:
    """Pulses of a device tell where seconds begin; which one it is, this computer's clock has to know."""
    found = played(120)._replace(host=host, network=servers).named_on("curlew")
    assert found is not None and found.second == (None if unsure else "this")
    assert unsure in found.unsure and bool(found.unsure) is bool(unsure)


def test_few_pairs_name_no_second() -> None:
    found = played(120, seconds=FEW).named_on("curlew")
    assert found is not None and found.second is None
    assert played(120, seconds=1).named_on("curlew") is None


def test_lines_of_a_board_are_pulses_from_when_it_is_said_on() -> None:
    tracker, lane = ClockTracker(), Lane("board")

    def say(number: int, words: str) -> None:
        tracker.hear(lane.feed(Chunk("board", IN, BEGIN + number * SECOND, f"{words}\r\n".encode())))

    say(0, "tick 1000000")
    assert not tracker.listens and tracker.snapshot().pulses == ()
    tracker.heed(source(PRINTED))
    for number in range(1, 41):
        say(number, "gate 4 open")
        if number != 20:
            say(number, f"tick {1_000_000 + number * 1_000_050}")
    # What comes while it is away is nobody's loss.
    tracker.heed(Event(BEGIN + 40 * SECOND, "board", "lost", {}))
    for number in range(100, 120):
        say(number, f"tick {(number - 100) * 1_000_050}")
    tracker = pickle.loads(pickle.dumps(tracker))
    (found,) = tracker.snapshot().pulses
    assert (found.pulses, found.missed, found.doubled, found.lane) == (59, 1, 0, "board")
    assert found.own is not None and found.own.ppm == pytest.approx(50, abs=0.01)
    tracker.heed(Event(BEGIN + 200 * SECOND, "", events.PULSES_END, {"source": PRINTED}))
    say(201, "tick 7")
    (found,) = tracker.snapshot().pulses
    assert (found.pulses, found.left) == (59, True)
    tracker.heed(source(PRINTED))
    say(202, "tick 8")
    (found,) = tracker.snapshot().pulses
    assert (found.pulses, found.left, found.missed) == (60, False, 1), "it is heard again, and nothing was missed"


def test_what_is_noted_is_read_back() -> None:
    host = HostClock(True, 0.0002, 0.014, -12.5)
    best = NetworkTime(1, "PPS", 0, 0.001, 0.002, -1_234_567, 890_123)
    servers = [NetworkServer("192.0.2.1:123", 4, best, ""), NetworkServer("192.0.2.2:123", 0, None, "no answer")]
    tracker = ClockTracker()
    noted = [(events.HOST_CLOCK, events.host_details(host, "CET"))]
    noted += [(events.NETWORK_TIME, events.network_details(each)) for each in servers]
    noted += [(events.CLOCK_STEP, {"seconds": -1.5})]
    for name, details in noted:
        tracker.heed(Event(BEGIN, "", name, json.loads(json.dumps(details))))
    found = tracker.snapshot()
    assert (found.host, found.zone, list(found.network)) == (host, "CET", servers)
    assert [each.seconds for each in found.steps] == [-1.5]
    ((server, answers),) = found.asked
    assert server == "192.0.2.1:123" and [each.offset_ns for each in answers] == [-1_234_567]


ODD = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=20), lambda inner: st.lists(inner)
)


EVENTS: Final = (
    *(events.PULSE, events.PULSE_SOURCE, events.PULSES_END, events.NETWORK_TIME, events.HOST_CLOCK),
    *(events.CLOCK_STEP, "lost"),
)
DETAILS: Final = (
    *(*HostClock._fields, *NetworkTime._fields),
    *("source", "own_ns", "trouble", "resolution_ns", "server", "samples", "seconds", "zone"),
)
USUAL: Final = st.sampled_from([SOURCE, PRINTED, "printed:a:(", "line:a:dcd", 1, 0.5, True])


@given(
    st.lists(
        st.tuples(
            st.sampled_from(EVENTS),
            st.integers(-(1 << 62), 1 << 62),
            st.dictionaries(st.sampled_from(DETAILS), ODD | USUAL),
        ),
        max_size=12,
    )
)
def test_whatever_a_capture_says_is_borne(said: list[tuple[str, int, dict[str, Any]]]) -> None:
    tracker = ClockTracker()
    for name, moment, details in said:
        tracker.heed(Event(moment, "a", name, details))
    found = tracker.snapshot()
    for each in found.pulses:
        assert each.trouble.isprintable() and each.allan is not None and each.missed >= 0


@pytest.mark.parametrize(
    ("text", "wrong"),
    [
        ("pps:/dev/pps0", ""),
        ("line:curlew:dcd", ""),
        ("printed:board", ""),
        ("printed:board:tick (?P<us>[0-9]+)", ""),
        ("sim:curlew", ""),
        ("line:curlew:rng", "not one of the control lines"),
        ("printed:", "sources are"),
        ("pps:", "sources are"),
        ("gpio:4", "sources are"),
        ("", "sources are"),
        ("sim:" + "x" * 400, "more than 300"),
    ],
)
def test_sources_as_people_write_them(text: str, wrong: str) -> None:
    if not wrong:
        assert source_typed(text).text == text
        return
    with pytest.raises(ValueError, match=wrong):
        source_typed(text)


def test_allan_deviation_of_noise_that_is_known() -> None:
    """Phases that go up and down by turns: each second difference is four times that; a ramp has none."""
    turns = [(number, 100 * (-1) ** number) for number in range(2000)]
    found = {each.span_s: each for each in allan_deviations(turns)}
    assert found[1].deviation == pytest.approx(400e-9 / 2**0.5, rel=0.01)
    assert found[4].deviation == pytest.approx(0, abs=1e-12)
    ramp = [(number, 40_000 * number) for number in range(2000) if number % 7]
    assert all(each.deviation < 1e-15 for each in allan_deviations(ramp))
    assert [each.span_s for each in allan_deviations(ramp)] == [1, 4, 16, 64, 256]
    assert allan_deviations([]) == () and allan_deviations(turns[:3]) == ()
