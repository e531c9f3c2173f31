"""A line that is there already: counted by its pattern or found, numbered or not, whatever the way does to it."""

import random
from typing import Final

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.frames import IN, SECOND, Chunk, Event, Frame
from pale_heron.core.framing import Framing
from pale_heron.core.link.description import BEACON, TrialDescription
from pale_heron.core.link.tracker import BEGUN, ENDED, SENT_OUT, LinkTracker
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import verdict

MS: Final = SECOND // 1000
BEGIN: Final = 1_935_654_000 * SECOND


def said(
    text: str,
    count: int,
    *,
    every_s: float = 1.0,
    lost: frozenset[int] | set[int] = frozenset(),
    twice: frozenset[int] | set[int] = frozenset(),
    jitter_s: float = 0.0,
    drift: float = 0.0,
    others: float = 0.0,
    seed: int = 1,
) -> list[Frame]:
    """`{n}` in the text is the number; `drift` is the share by which the board's clock is off."""
    chance, framing, frames = random.Random(seed), Framing("hide"), []
    entries = []
    for number in range(count):
        at = number * every_s * (1 + drift) + chance.random() * jitter_s
        if number not in lost:
            entries.append((at, text.format(n=number + 17)))
            entries += [(at + 0.1, text.format(n=number + 17))] if number in twice else []
        if chance.random() < others:
            entries.append((at + 0.3, f"temperature {chance.randrange(400)}"))
    for at, line in sorted(entries):
        frames += framing.feed(Chunk("hide", IN, BEGIN + round(at * SECOND), line.encode() + b"\r\n"))
    return frames


def played(frames: list[Frame], until_s: float, *, listens: bool = False, **more: object) -> TrialSnapshot:
    described = TrialDescription(BEACON, 7, ("hide",), every_s=0.0, limit_s=2.5, for_s=until_s)._replace(**more)
    tracker = LinkTracker()
    begin = Event(BEGIN, "hide", BEGUN, described.details())
    tracker.heed(begin)
    tracker.hear([begin])
    over = BEGIN + round(until_s * SECOND)
    out = Event(over, "hide", SENT_OUT, {"trial": 7, "by": "time"})
    for frame in frames:
        if listens and (frame.time or 0) > over:
            tracker.hear([out])
        tracker.hear([frame])
        tracker.settled(frame.time or 0)
    end = over + (round(2.5 * SECOND) + 1 if listens else 0)
    if listens:
        tracker.hear([out])
    tracker.hear([Event(end, "hide", ENDED, {"trial": 7, "by": "time", "listened": listens})])
    (found,) = tracker.snapshot()
    return found


WORDS: Final = {
    "by a pattern and an interval": ("still alive", {"line": "^still", "every_s": 1.0}),
    "by a pattern": ("still alive", {"line": "alive$"}),
    "found": ("still alive", {}),
    "numbered, by a pattern": ("beat {n} ok", {"line": "^beat (?P<n>[0-9]+)", "every_s": 1.0}),
    "numbered, found": ("beat {n} of 9999", {}),
}


@pytest.mark.parametrize("name", WORDS)
@pytest.mark.parametrize("others", [0.0, 0.7])
def test_what_the_way_did_is_counted(name: str, others: float) -> None:
    text, more = WORDS[name]
    lost = {*range(30, 42), 60, 61, 80}
    found = played(said(text, 121, lost=lost, twice={20, 90}, jitter_s=0.1, others=others), 120.1, **more)
    (way,) = found.directions
    assert (way.sent, way.delivered, way.lost, way.twice, way.unknown) == (121, 106, 15, 2, 0)
    assert [each.lost for each in way.outages][:1] == [12]
    assert verdict(found).result == "fails"


@given(st.sampled_from(sorted(WORDS)), st.integers(0, 10**6), st.floats(0, 0.4), st.sampled_from([0.2, 1.0, 10.0]))
def test_whatever_is_lost_is_missed(name: str, seed: int, share: float, every_s: float) -> None:
    chance, (text, more) = random.Random(seed), WORDS[name]
    lost = {number for number in range(6, 149) if chance.random() < share}
    frames = said(text, 150, every_s=every_s, lost=lost, jitter_s=0.1 * every_s, seed=seed)
    more = {**more, "every_s": every_s} if "every_s" in more else more
    (way,) = played(frames, 149.2 * every_s, limit_s=2.5 * every_s, **more).directions
    assert (way.sent, way.lost, way.delivered) == (150, len(lost), 150 - len(lost))


@pytest.mark.parametrize("drift", [0.01, -0.01])
def test_a_clock_that_is_off_makes_no_losses_and_no_doubles(drift: float) -> None:
    frames = said("still alive", 500, drift=drift, jitter_s=0.1)
    (way,) = played(frames, 500 * (1 + drift) - 0.5, line="alive", every_s=1.0).directions
    assert (way.lost, way.twice) == (0, 0) and way.delivered == 500


def test_silence_counts_and_the_last_of_it_is_not_known() -> None:
    found = played(said("still alive", 60), 120.1, line="alive", every_s=1.0)
    (way,) = found.directions
    assert (way.sent, way.delivered, way.lost, way.unknown) == (121, 60, 58, 3)
    # Listened for the limit, nothing is left open.
    found = played(said("still alive", 60), 120.1, listens=True, line="alive", every_s=1.0)
    (way,) = found.directions
    assert (way.sent, way.delivered, way.lost, way.unknown) == (121, 60, 61, 0)
    assert way.outages[-1].end is None


def test_the_last_minute_is_told_apart() -> None:
    tracker = LinkTracker()
    described = TrialDescription(BEACON, 7, ("hide",), every_s=1.0, line="alive", limit_s=2.5)
    begin = Event(BEGIN, "hide", BEGUN, described.details())
    tracker.heed(begin)
    tracker.hear([begin])
    for frame in said("still alive", 200, lost=set(range(20, 50)) | set(range(150, 165))):
        tracker.hear([frame])
    tracker.settled(BEGIN + 199 * SECOND)
    (found,) = tracker.snapshot()
    assert found.recent == (45, 60)
    tracker.settled(BEGIN + 229 * SECOND)
    (found,) = tracker.snapshot()
    # Silent for half a minute; of the last two and a half seconds it is not known.
    came, of = found.recent or (0, 0)
    assert came in (30, 31) and of in (57, 58, 59)


def test_where_nothing_comes_again_and_again_nothing_is_claimed() -> None:
    chance, framing, frames = random.Random(2), Framing("hide"), []
    at = 0.0
    for _ in range(50):
        at += chance.uniform(0.1, 9)
        frames += framing.feed(Chunk("hide", IN, BEGIN + round(at * SECOND), b"now and then\r\n"))
    found = played(frames, at)
    assert not found.directions and verdict(found).result == "inconclusive"
    assert "even distances" in verdict(found).why


def test_a_line_that_comes_late_is_neither_lost_nor_double() -> None:
    """Held up for more than half of an interval, once: the next one is on time again."""
    framing, frames = Framing("hide"), []
    for number in range(60):
        at = number + (0.7 if number == 30 else 0.0)
        frames += framing.feed(Chunk("hide", IN, BEGIN + round(at * SECOND), b"still alive\r\n"))
    (way,) = played(frames, 59.5, line="alive", every_s=1.0).directions
    assert (way.sent, way.delivered, way.lost, way.twice) == (60, 60, 0, 0)


def test_a_constant_stream_is_there_in_each_interval_in_which_it_comes() -> None:
    """In its bytes, as it has no lines."""
    chance, tracker, at = random.Random(3), LinkTracker(), 0.0
    described = TrialDescription(BEACON, 7, ("hide",), every_s=1.0, limit_s=2.5, for_s=60.0, stream=True)
    tracker.heed(Event(BEGIN, "hide", BEGUN, described.details()))
    while at < 60:
        at += chance.uniform(0.02, 0.3)
        if not 20.0 <= at < 31.0:
            tracker.feed(Chunk("hide", IN, BEGIN + round(at * SECOND), bytes(chance.randbytes(40))))
    tracker.heed(Event(BEGIN + 60 * SECOND, "hide", SENT_OUT, {"trial": 7, "by": "time"}))
    tracker.heed(Event(BEGIN + 60 * SECOND + 1, "hide", ENDED, {"trial": 7, "by": "time", "listened": True}))
    (found,) = tracker.snapshot()
    (way,) = found.directions
    assert way.sender == "stream" and (way.twice, way.unknown) == (0, 0)
    assert way.lost in (10, 11) and way.delivered + way.lost in (60, 61)
    assert [each.lost for each in way.outages] == [way.lost]


def test_a_time_of_day_is_no_number_of_a_line() -> None:
    """Its seconds go up by one, until the minute is over."""
    framing, frames = Framing("hide"), []
    for second in range(200):
        if second not in (70, 71):
            text = f"at {9 + second // 3600:02d}{second // 60 % 60:02d}{second % 60:02d} all well\r\n"
            frames += framing.feed(Chunk("hide", IN, BEGIN + second * SECOND, text.encode()))
    (way,) = played(frames, 199.5).directions
    assert (way.sent, way.delivered, way.lost, way.twice) == (200, 198, 2, 0)


@given(st.lists(st.tuples(st.integers(0, 5000), st.integers(0, 10**40)), min_size=1, max_size=60))
def test_whatever_a_board_counts_it_ends_nothing(lines: list[tuple[int, int]]) -> None:
    framing, frames, at = Framing("hide"), [], BEGIN
    for wait_ms, number in lines:
        at += wait_ms * MS
        frames += framing.feed(Chunk("hide", IN, at, b"beat %d ok\r\n" % number))
    for more in ({"line": "beat (?P<n>[0-9]+)", "every_s": 1.0}, {}):
        found = played(frames, (at - BEGIN) / SECOND + 1, **more)
        for way in found.directions:
            assert way.delivered <= len(lines) and way.sent <= 10**6 * len(lines) + 400
            assert way.sent == way.settled + way.unknown


def test_among_many_other_lines_it_is_found() -> None:
    framing, frames = Framing("hide"), []
    for second in range(120):
        frames += framing.feed(Chunk("hide", IN, BEGIN + second * SECOND, b"still alive\r\n"))
        for other in range(20):
            text = f"{chr(97 + second % 26)}{chr(97 + other)} now and then {'x' * (second % 9)}\r\n".encode()
            frames += framing.feed(Chunk("hide", IN, BEGIN + second * SECOND + other * 13 * MS + 300 * MS, text))
    frames.sort(key=lambda frame: frame.time or 0)
    (way,) = played(frames, 119.5).directions
    assert way.sender == "still alive" and (way.delivered, way.lost) == (120, 0)
