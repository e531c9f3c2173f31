"""Sentences of one lane looked for on another: what the way between them did is counted, with nothing special sent."""

from collections.abc import Iterator
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.frames import IN, SECOND, Chunk, Frame
from pale_heron.core.framing import Framing
from pale_heron.core.link.sentences import SentenceMatcher, SentencesSnapshot
from pale_heron.core.nmea.sentence import sealed
from pale_heron.sim.cable import CableFaults, CableWay
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.scenes import SCENES

TICK_S = 0.02
STRANGER = sealed("GNRMC,,V,,,,,,,,,,N")


def spoken(seconds: int) -> Iterator[tuple[float, bytes]]:
    curlew = Curlew(replace(SCENES["open-sky"], start="hot", quick=100.0), seed=7)
    for second in range(seconds):
        yield float(second), curlew.epoch(float(second))


def over(way: CableWay, seconds: int, kept: tuple[bytes, ...] = (b"",)) -> list[Frame]:
    """The frames of both lanes: `kept` are the beginnings of sentences that are passed on at all."""
    here, there = Framing("curlew"), Framing("hide")
    frames: list[Frame] = []
    said = list(spoken(seconds))
    for tick in range(round((seconds + 3) / TICK_S)):
        now = tick * TICK_S
        while said and said[0][0] <= now:
            _, data = said.pop(0)
            frames += here.feed(Chunk("curlew", IN, round(now * SECOND), data))
            for line in data.splitlines(keepends=True):
                if line.startswith(kept):
                    way.put(line, now)
        came = way.take(now)
        if came:
            frames += there.feed(Chunk("hide", IN, round(now * SECOND), came))
    return sorted([*frames, *there.finish()], key=lambda frame: frame.time or 0)


def matched(frames: list[Frame], limit_s: float = 2.0) -> SentencesSnapshot:
    """Heard until the limit is over: whatever was said is settled then."""
    matcher = SentenceMatcher("curlew", "hide", round(limit_s * SECOND))
    for frame in frames:
        matcher.feed(frame)
    matcher.finish(10**12, listened=True)
    return matcher.snapshot()


@given(st.integers(0, 10**6))
def test_what_the_way_did_is_counted(seed: int) -> None:
    way = CableWay(CableFaults(lost=0.1, changed=0.1, doubled=0.1, delay_s=0.1), seed)
    snapshot = matched(over(way, 12))
    found = snapshot.all
    done = way.counts
    left_out = dict(snapshot.left_out)
    # Of a type that came first when others were there already, what was said before is left out, and told.
    # And a double of what was said twice may stand for one that was lost: nobody can tell these apart.
    uncertain = sum(left_out.values()) + 3
    assert abs(found.lost - done["lost"]) <= uncertain
    assert abs(found.damaged - done["changed"]) <= uncertain
    assert found.sent + sum(left_out.values()) == done["lines"]
    assert found.delivered >= done["lines"] - done["lost"] - done["changed"] - sum(left_out.values())
    assert abs(found.delivered + found.twice + done["lost"] + done["changed"] - done["lines"] - done["doubled"]) <= 12
    assert found.sent == found.delivered + found.lost + found.damaged
    assert found.foreign_bytes == 0


def test_only_types_that_are_carried_are_looked_for() -> None:
    found = matched(over(CableWay(CableFaults(delay_s=0.2), 1), 10, (b"$GNRMC", b"$GNGGA")))
    assert found.types == (("GNGGA", 10, 10), ("GNRMC", 10, 10))
    # What is said and never carried is told, with its count.
    assert dict(found.left_out)["GNGSA"] >= 10 and "GNRMC" not in dict(found.left_out)
    assert found.all.lost == 0 and found.all.delivered == 20
    assert found.all.latency is not None and found.all.latency.median == pytest.approx(0.2, abs=0.05)


def test_a_sentence_that_is_said_again_is_no_double() -> None:
    """A receiver that stands still without a fix repeats itself, byte for byte."""
    frames = []
    for lane, delay in (("curlew", 0), ("hide", SECOND // 10)):
        framing = Framing(lane)
        for second in range(6):
            frames += framing.feed(Chunk(lane, IN, second * SECOND + delay, b"$GNVTG,,T,,M,,N,,K,N*32\r\n"))
    frames.sort(key=lambda frame: frame.time or 0)
    found = matched(frames).all
    assert (found.delivered, found.twice, found.lost) == (6, 0, 0)
    # Of which copy it was only the first is sure, and so of how long it took no other says anything.
    assert found.latency is not None and found.latency.samples == 1


def test_what_the_other_never_said_is_foreign() -> None:
    frames = over(CableWay(CableFaults(), 1), 4)
    stranger = Framing("hide").feed(Chunk("hide", IN, SECOND, STRANGER))
    found = matched(sorted([*frames, *stranger], key=lambda frame: frame.time or 0)).all
    assert found.foreign_bytes == len(STRANGER) - 2


def test_lanes_that_share_nothing_say_nothing() -> None:
    found = matched([frame for frame in over(CableWay(CableFaults(), 1), 3) if frame.lane == "curlew"]).all
    assert (found.sent, found.settled, found.share) == (0, 0, None)


def alike(*parts: tuple[str, float, int], delay_s: float = 0.05, lost: range = range(0)) -> list[Frame]:
    """A receiver that says each of these so many times, one a second; what is lost of which seconds, in a row."""
    heard, frames = {"curlew": Framing("curlew"), "hide": Framing("hide")}, []
    entries = []
    for text, begin, count in parts:
        for second in range(count):
            at = begin + second
            data = sealed(text.replace("TIME", f"{120000 + second // 60 * 100 + second % 60}.00"))
            entries.append((at, "curlew", data))
            if second not in lost:
                entries.append((at + delay_s, "hide", data))
    for at, lane, data in sorted(entries, key=lambda each: each[0]):
        frames += heard[lane].feed(Chunk(lane, IN, round(at * SECOND), data))
    return frames


@pytest.mark.parametrize("delay_s", [0.05, 0.4, 2.5])
@pytest.mark.parametrize("lost", [range(0), range(60, 80), range(30, 33), range(100, 125)])
def test_copies_belong_to_what_explains_the_others(delay_s: float, lost: range) -> None:
    """No fix: one sentence of each second tells its time, the other says the same again and again."""
    frames = alike(
        ("GNRMC,TIME,V,,,,,,,,,,N", 1.0, 125), ("GNGSA,A,1,,,,,,,,,,,,,,,,1", 1.1, 125), delay_s=delay_s, lost=lost
    )
    found = matched(frames, limit_s=10.0)
    way = found.all
    assert (way.sent, way.lost, way.twice, way.out_of_order) == (250, 2 * len(lost), 0, 0)
    assert found.types == tuple((name, 125, 125 - len(lost)) for name in ("GNGSA", "GNRMC"))
    assert way.latency is not None and way.latency.p95 == pytest.approx(delay_s, abs=0.01)


@pytest.mark.parametrize("lost", [range(60, 80), range(20), range(105, 125)])
def test_copies_alone_show_an_outage(lost: range) -> None:
    found = matched(alike(("GNGSA,A,1,,,,,,,,,,,,,,,,1", 1.0, 125), lost=lost), limit_s=10.0).all
    assert (found.sent, found.delivered, found.lost, found.twice) == (125, 105, 20, 0)
    assert found.latency is None or found.latency.samples == 1


@pytest.mark.parametrize(
    ("born", "dies", "wanted"),
    [
        # Seconds in which the way carries; said, came, lost, left out of 60 of each of two types.
        (0, 60, (120, 120, 0, 0)),
        (0, 27, (120, 54, 66, 0)),
        (30, 60, (120, 60, 60, 0)),
        (0, 0, (0, 0, 0, 120)),
    ],
)
def test_an_outage_at_either_end_is_not_cut_off(born: int, dies: int, wanted: tuple[int, ...]) -> None:
    lost = range(dies, 60) if dies < 60 else range(born)
    frames = alike(("GNRMC,TIME,V,,,,,,,,,,N", 1.0, 60), ("GNGLL,,,,,TIME,V,N", 1.1, 60), lost=lost)
    found = matched(frames, limit_s=5.0)
    left_out = sum(count for _, count in found.left_out)
    way = found.all
    # The type that comes second was left out for as long as the first was there alone: at most its own limit.
    assert (way.delivered, left_out) == (wanted[1], wanted[3]) or born
    assert way.sent + left_out == 120 and way.lost + left_out == wanted[2] + wanted[3]
    assert left_out in (0, 1, 120)


def test_a_type_that_is_carried_later_than_others_was_not_lost_before() -> None:
    frames = alike(("GNRMC,TIME,V,,,,,,,,,,N", 1.0, 60))
    late = [
        frame for frame in alike(("GNGLL,,,,,TIME,V,N", 1.1, 60)) if frame.lane == "curlew" or frame.time > 40 * SECOND
    ]
    found = matched(sorted([*frames, *late], key=lambda frame: frame.time or 0), limit_s=5.0)
    assert found.all.lost <= 5 and dict(found.left_out)["GNGLL"] >= 33
    assert found.all.sent + dict(found.left_out)["GNGLL"] == 120


def test_while_the_other_lane_is_gone_nothing_is_lost() -> None:
    """Before it goes its losses count as much as its deliveries."""
    lost = range(10, 40)
    matcher = SentenceMatcher("curlew", "hide", 5 * SECOND)
    for frame in alike(("GNRMC,TIME,V,,,,,,,,,,N", 1.0, 60), lost=lost):
        second = (frame.time or 0) / SECOND
        if second > 30.5:
            matcher.leave(round(30.5 * SECOND))
        if frame.lane == "curlew" or second <= 30.5:
            matcher.feed(frame)
    matcher.finish(10**12, listened=True)
    way = matcher.snapshot().all
    # Of 30 that were said until then, 10 came; the last five seconds before it went are not known.
    assert (way.delivered, way.lost) == (10, 15) and dict(way.not_known)["lane away"] == 35


def test_a_long_outage_at_the_beginning_is_counted_whole() -> None:
    """More was said before anything came than is kept to be compared."""
    every = alike(("GNRMC,TIME,V,,,,,,,,,,N", 1.0, 3600), ("GNGLL,,,,,TIME,V,N", 1.1, 3600), lost=range(3000))
    way = matched(every, limit_s=5.0).all
    assert (way.lost, way.delivered) == (5999, 1200) and way.outages[0].lost == 5999
