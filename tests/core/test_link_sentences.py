"""Sentences of one lane looked for on another: what the way between them did is counted, with nothing special sent."""

from collections.abc import Iterator
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.frames import IN, SECOND, Chunk, Frame
from pale_heron.core.framing import Framing
from pale_heron.core.link.sentences import SentenceMatcher, SentencesSnapshot, carried
from pale_heron.core.link.words import sentence_lines
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
    there = carried(frames, "hide")
    matcher = SentenceMatcher("curlew", "hide", there, round(limit_s * SECOND))
    for frame in frames:
        matcher.feed(frame)
    return matcher.finish(10**12)


@given(st.integers(0, 10**6))
def test_what_the_way_did_is_counted(seed: int) -> None:
    way = CableWay(CableFaults(lost=0.1, changed=0.1, doubled=0.1, delay_s=0.1), seed)
    found = matched(over(way, 12)).all
    done = way.counts
    # What is said before the first or after the last that came counts neither way.
    assert found.lost <= done["lost"] <= found.lost + 12
    assert found.damaged <= done["changed"] <= found.damaged + 12
    assert found.delivered <= done["lines"] - done["lost"] - done["changed"]
    assert found.delivered >= done["lines"] - done["lost"] - done["changed"] - 24
    assert found.twice <= done["doubled"]
    assert found.sent == found.delivered + found.lost + found.damaged
    assert found.foreign_bytes == 0


def test_only_types_that_are_carried_are_looked_for() -> None:
    found = matched(over(CableWay(CableFaults(delay_s=0.2), 1), 10, (b"$GNRMC", b"$GNGGA")))
    assert [(name, said == came) for name, said, came in found.types] == [("GNGGA", True), ("GNRMC", True)]
    assert found.all.lost == 0 and found.all.delivered >= 16
    assert found.all.latency is not None and found.all.latency.median == pytest.approx(0.2, abs=0.05)
    assert "below" in sentence_lines(found)[0]


def test_a_sentence_that_is_said_again_is_no_double() -> None:
    """A receiver that stands still without a fix repeats itself, byte for byte."""
    frames = []
    for lane, delay in (("curlew", 0), ("hide", SECOND // 10)):
        framing = Framing(lane)
        for second in range(6):
            frames += framing.feed(Chunk(lane, IN, second * SECOND + delay, b"$GNVTG,,T,,M,,N,,K,N*32\r\n"))
    frames.sort(key=lambda frame: frame.time or 0)
    found = matched(frames).all
    assert (found.delivered, found.twice, found.lost) == (5, 0, 0)


def test_what_the_other_never_said_is_foreign() -> None:
    frames = over(CableWay(CableFaults(), 1), 4)
    stranger = Framing("hide").feed(Chunk("hide", IN, SECOND, STRANGER))
    found = matched(sorted([*frames, *stranger], key=lambda frame: frame.time or 0)).all
    assert found.foreign_bytes == len(STRANGER) - 2


def test_lanes_that_share_nothing_say_nothing() -> None:
    found = matched([frame for frame in over(CableWay(CableFaults(), 1), 3) if frame.lane == "curlew"]).all
    assert (found.sent, found.settled, found.loss_share) == (0, 0, None)
