"""The inventory, the steps and the findings of a lane."""

import random

import pytest
from tests.streams import BEGIN, GGA, RTCM, chunk, fed, gga, said, sentences

from pale_heron.core.frames import SECOND, Event, Status
from pale_heron.core.lane import Lane
from pale_heron.core.line.diagnosis.stages import StageStatus
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.line.tracker import MOST_TYPES, first_round
from pale_heron.core.nmea import explain
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.nmea.sentences import LAYOUTS
from pale_heron.sim.scenes import SCENES
from pale_heron.sim.wire import resampled


def opened(time: int = BEGIN, **details: object) -> Event:
    return Event(time, "curlew", "opened", {"rate": 9600, "framing": "8N1", "flow": "none"} | details)


def test_inventory_counts_rates_and_damage() -> None:
    lane = Lane("curlew")
    for second in range(31):
        damaged = GGA.replace(b"S,", b"N,") if second == 9 else GGA
        lane.feed(chunk(damaged + sentences("GPGSV,1,1,00") * 3 + RTCM, BEGIN + second * SECOND))
    line = lane.snapshot(BEGIN + 30 * SECOND).line
    found = {each.type: each for each in line.types}
    assert [each.type for each in line.types] == ["GNGGA", "GPGSV", "RTCM 1085"]
    assert (found["GNGGA"].count, found["GNGGA"].bad, found["GPGSV"].count) == (31, 1, 93)
    assert found["GNGGA"].hz == 1.0
    assert found["GPGSV"].hz == 3.0
    assert found["GPGSV"].bytes_per_s == 3 * len(sealed("GPGSV,1,1,00"))
    assert found["GNGGA"].mean_hz == 1.0
    assert (line.bad_checksums, line.damaged, line.valid_sentences) == (1, 1, 31 * 4 - 1)
    assert (line.valid_messages, line.valid) == (31, 31 * 5 - 1)
    assert line.troubles[0].time == BEGIN + 9 * SECOND


def test_the_window_forgets_what_is_older_than_a_minute() -> None:
    lane = Lane("curlew")
    lane.feed(chunk(GGA.replace(b"S,", b"N,"), BEGIN))
    for second in range(1, 130):
        lane.feed(chunk(GGA, BEGIN + second * SECOND))
    line = lane.snapshot(BEGIN + 130 * SECOND).line
    assert line.recent_damaged == 0
    assert line.bad_checksums == 1
    assert line.recent_valid == 60
    assert len(line.activity) == 60
    assert set(line.activity) == {len(GGA)}


def test_a_silence_shows_as_empty_seconds_and_ends_in_silent() -> None:
    lane = Lane("curlew")
    lane.event(opened())
    for second in (0, 1, 2, 20, 21):
        lane.feed(chunk(GGA, BEGIN + second * SECOND))
    line = lane.snapshot(BEGIN + 22 * SECOND).line
    assert line.activity == (len(GGA),) * 3 + (0,) * 17 + (len(GGA),) * 2
    late = lane.snapshot(BEGIN + 40 * SECOND)
    assert late.steps[1].state is StageStatus.BROKEN
    assert late.findings[0].id == "silent"


def test_shares_and_rates_of_nothing_are_none() -> None:
    line = Lane("curlew").snapshot(BEGIN).line
    assert (line.readable_share, line.recent_readable_share, line.bytes_per_s) == (None, None, None)


def test_noise_cannot_fill_the_inventory() -> None:
    lane = Lane("curlew")
    for number in range(2000):
        lane.feed(chunk(sealed(f"G{number:05d},1"), BEGIN))
    types = lane.snapshot(BEGIN).line.types
    assert len(types) == MOST_TYPES + 1
    assert sum(each.count for each in types) == 2000


GARBAGE = bytes(range(128, 256)) * 4

SILENCE = ["asked-only", "unpowered", "wrong-port", "swapped", "held-in-reset", "no-ground"]
CHAINS = {
    "nothing yet": ([], 1, ["reached", "waiting", "not-yet", "not-yet", "not-yet"], []),
    "nothing for long": ([], 9, ["reached", "waiting", "not-yet", "not-yet", "not-yet"], SILENCE),
    "garbage": ([GARBAGE], 1, ["reached", "reached", "broken", "not-yet", "not-yet"], ["rate-mismatch"]),
    "text alone": (
        [b"hello there, this is a log\r\n" * 9],
        1,
        ["reached", "reached", "reached", "waiting", "not-yet"],
        [],
    ),
    "only bad checksums": (
        [GGA.replace(b"4607", b"4608")],
        1,
        ["reached", "reached", "reached", "broken", "not-yet"],
        ["many-damaged"],
    ),
    "empty sentences": (
        [sentences("GNGGA,,,,,,0,00,99.9,,M,,M,,", "GNRMC,,V,,,,,,,,,,N,V")] * 3,
        1,
        ["reached", "reached", "reached", "reached", "waiting"],
        ["no-sky"],
    ),
    "a fix": ([GGA] * 3, 1, ["reached"] * 5, []),
}


@pytest.mark.parametrize(("epochs", "wait_s", "chain", "findings"), CHAINS.values(), ids=CHAINS.keys())
def test_steps_and_findings(epochs: list[bytes], wait_s: int, chain: list[str], findings: list[str]) -> None:
    lane = Lane("curlew")
    lane.event(opened())
    for second, data in enumerate(epochs):
        lane.feed(chunk(data, BEGIN + second * SECOND))
    now = BEGIN + (len(epochs) - 1 + wait_s) * SECOND
    lane.tick(now)
    snapshot = lane.snapshot(now)
    assert [step.state.value for step in snapshot.steps] == chain
    assert [finding.id for finding in snapshot.findings] == findings


def test_what_came_in_came_through_an_open_port_though_the_record_does_not_hold_its_opening() -> None:
    lane = Lane("curlew")
    assert lane.snapshot(BEGIN).steps[0].state.value == "waiting"
    lane.feed(chunk(GGA, BEGIN))
    assert [step.state.value for step in lane.snapshot(BEGIN).steps] == ["reached"] * 5


def test_a_full_line_is_found_and_a_decorative_rate_claims_nothing() -> None:
    for decorative, expected in ((False, ["line-full"]), (True, [])):
        lane = Lane("curlew")
        lane.event(opened(decorative=decorative))
        for second in range(12):
            lane.feed(chunk(sentences(gga(second)) * 13, BEGIN + second * SECOND))
        found = lane.snapshot(BEGIN + 12 * SECOND).findings
        assert [finding.id for finding in found] == expected


def test_loss_return_and_refusal_are_told() -> None:
    lane = fed(said(3))
    lane.event(opened())
    lane.event(Event(BEGIN, "curlew", "lost", {"reason": "the device hung up"}))
    lost = lane.snapshot(BEGIN + 4 * SECOND)
    assert lost.steps[0].state is StageStatus.BROKEN
    assert (lost.findings[0].id, lost.findings[0].evidence) == ("lost", "the device hung up")
    lane.event(Event(BEGIN, "curlew", "returned", {"rate": 38400}))
    back = lane.snapshot(BEGIN + 4 * SECOND)
    assert back.steps[0].state is StageStatus.REACHED
    assert (back.returns, str(back.settings)) == (1, "38400 8N1")
    lane.event(Event(BEGIN, "curlew", "refused", {"reason": "it is held", "way_out": "end the other"}))
    assert lane.snapshot(BEGIN).findings[0].next == "end the other"


@pytest.mark.parametrize(
    ("settings", "bits", "per_second"),
    [
        (LineSettings(9600), 10, 960),
        (LineSettings(9600, "7E1"), 10, 960),
        (LineSettings(115200, "8E2"), 12, 9600),
        (LineSettings(300, "5N1.5"), 7.5, 40),
    ],
)
def test_capacity_follows_from_rate_and_framing(settings: LineSettings, bits: float, per_second: float) -> None:
    assert (settings.bits_per_byte, settings.bytes_per_s) == (bits, per_second)


@pytest.mark.parametrize(
    "wrong", [(49, "8N1", "none"), (9600, "9N1", "none"), (9600, "8X1", "none"), (9600, "8N1", "x")]
)
def test_impossible_settings_are_refused(wrong: tuple[int, str, str]) -> None:
    with pytest.raises(ValueError, match="is n"):
        LineSettings(*wrong)


def test_sentences_with_right_checksums_and_senseless_fields_never_raise() -> None:
    chance = random.Random(11)
    fields = ["", "0", "-1", "9" * 30, "A", "N", "1.5", "nan", "1e9", "4607.038", "246060", "320199", "\xff", "*", "3"]
    lane = Lane("curlew")
    for second in range(900):
        formatter = chance.choice([*LAYOUTS, "XYZ"])
        talker = chance.choice(["GN", "GP", "GL", "P", "XX"])
        body = ",".join([talker + formatter, *chance.choices(fields, k=chance.randrange(30))])
        frames = lane.feed(chunk(sealed(body), BEGIN + second * SECOND // 4))
        for frame in frames:
            explain.rows(frame.data)
        snapshot = lane.snapshot(BEGIN + second * SECOND // 4)
    assert snapshot.line.frames >= 900
    assert snapshot.line.valid_sentences > 300


@pytest.mark.parametrize("read_rate", [1200, 2400, 4800, 19200, 38400, 57600, 115200])
def test_every_wrong_rate_is_known_for_what_it_is(read_rate: int) -> None:
    """Also where four bytes of five happen to be printable."""
    lane = Lane("curlew")
    lane.event(opened(rate=read_rate))
    for second, data in enumerate(said(12, SCENES["open-sky"])):
        lane.feed(chunk(resampled(data, 9600, read_rate), BEGIN + second * SECOND))
    snapshot = lane.snapshot(BEGIN + 12 * SECOND)
    assert snapshot.steps[2].state is StageStatus.BROKEN
    assert [finding.id for finding in snapshot.findings] == ["rate-mismatch"]


def test_binary_that_is_recognised_is_legible() -> None:
    line = fed([GGA + RTCM * 5]).snapshot(BEGIN).line
    assert line.readable_share == 1.0


@pytest.mark.parametrize("name", ["lost", "closed"])
def test_the_end_of_a_stream_leaves_what_was_waiting(name: str) -> None:
    lane = fed([GGA + GGA[:20]])
    left = lane.event(Event(BEGIN, "curlew", name, {}))
    assert [(frame.data, frame.status) for frame in left] == [(GGA[:20], Status.PARTIAL)]
    assert lane.feed(chunk(GGA[20:] + GGA, BEGIN + 1))[-1].data == GGA, "what comes after is not joined to it"
    assert lane.snapshot(BEGIN + 1).line.damaged == 0


@pytest.mark.parametrize(
    ("seconds", "together"),
    [
        ([], 0),
        ([5], 1),
        ([1, 1, 1], 1),
        ([0, 1, 2, 3], 1),
        ([0, 1, 2, 6, 7], 1),
        ([0, 4, 5, 6], 1),
        ([0, 0, 0, 1, 1, 1], 3),
        ([0, 0.05, 1, 1.05, 2, 2.05], 2),
        ([0, 0.05, 1, 1.05, 9, 9.05, 10, 10.05], 2),
        ([0, 0.07, 0.14, 0.21, 1, 1.07, 1.14, 1.21, 2, 2.07], 4),
    ],
)
def test_how_many_of_a_type_come_together(seconds: list[float], together: int) -> None:
    assert first_round([round(each * SECOND) for each in seconds]) == together
