"""What Link says, without a screen and on it."""

from pathlib import Path

import pytest
from tests.tui.test_fix_live import running

from pale_heron.bench.live.session import Session
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.link.description import EXCHANGE, TrialDescription
from pale_heron.core.link.probe import PROBE, Probe, encode
from pale_heron.core.link.rules import parse_rule
from pale_heron.core.link.tracker import BEGUN, ENDED, LinkTracker
from pale_heron.core.link.trial import TrialSnapshot
from pale_heron.ports.address import LaneSpec
from pale_heron.sim.launch import Device
from pale_heron.tui.painting.paint import cells, plain
from pale_heron.tui.views.link import link

MS = SECOND // 1000


def played(fates: str, *, over: bool = True) -> TrialSnapshot:
    """One way: o delivered, x lost, ! damaged; half a second for each."""
    tracker = LinkTracker()
    trial = TrialDescription("delivery", 7, ("hide", "buoy"), one_way=True, limit_s=1.0)
    tracker.heed(Event(0, "", BEGUN, trial.details()))
    for number, fate in enumerate(fates, 1):
        at, probe = number * 500 * MS, encode(Probe(PROBE, 7, "A", number), 32)
        tracker.feed(Chunk("hide", OUT, at, probe + b"\r\n"))
        arrived = {"o": probe, "!": probe[:20] + b"~" + probe[21:]}.get(fate)
        if arrived:
            tracker.feed(Chunk("buoy", IN, at + 84 * MS, arrived + b"\r\n"))
    end = (len(fates) + 4) * 500 * MS
    tracker.advance(end)
    if over:
        tracker.heed(Event(end, "", ENDED, {"trial": 7, "why": "done"}))
    return tracker.snapshot()[0]


def text(*trials: TrialSnapshot, page: str = "trial", width: int = 114, state: str = "") -> str:
    rows = link.paint(trials, len(trials) - 1, page, state, 60 * SECOND, width)
    assert all(sum(cells(span.text) for span in row) <= width for row in rows)
    return plain(rows).replace("\u00a0", " ")


@pytest.mark.parametrize("width", [73, 114, 146])
def test_every_page_fits_its_width(width: int) -> None:
    trials = played("o" * 400), played("oxx!o"), played("oo", over=False)
    for page in link.PAGES:
        text(*trials, page=page, width=width)
    text(width=width)


def test_without_a_trial_it_says_how_one_is_made() -> None:
    shown = text()
    assert "No trial yet: b begins one" in shown and "pale-heron answer LANE" in shown
    assert "emptying" in text(state="emptying")


def test_what_was_lost_is_shown_counted_and_told() -> None:
    shown = text(played("ooxx!oo"))
    for words in (
        "hide ▸ buoy: 4 of 7 delivered, 2 lost, 1 damaged: not delivered is between 15.8 and 75.0 % at 95 % certainty",
        "●●××‼●●",
        "half within 84 ms, 95 % within 84 ms",
        "3 probes not delivered",
        "hide ▸ buoy was away: 3 probes in a row were not delivered",
    ):
        assert words in shown


def test_nothing_lost_is_not_nothing_ever_lost() -> None:
    shown = " ".join(text(played("o" * 20)).split())
    assert "below 16.1 % at 95 % certainty" in shown
    assert "takes 381 probes without a loss" in shown
    assert "1 of 1: shows that it can, not that it does" in text(played("o"))


def test_an_outage_that_lasts_says_so() -> None:
    assert "still, 4 probes not delivered" in text(played("ooxxxx", over=False))


def test_every_trial_stands_in_the_results() -> None:
    shown = text(played("ooo"), played("oxo"), played("oo", over=False), page="results")
    rows = [row for row in shown.splitlines() if "delivery" in row]
    assert [row.split("buoy")[1].split()[0] for row in rows] == ["under", "fails", "holds"]


def test_words_of_a_far_end_cannot_reach_the_terminal() -> None:
    tracker = LinkTracker()
    trial = TrialDescription(EXCHANGE, 7, ("h\x1b[31m",), far="answer", rule=parse_rule("echo"), limit_s=1.0)
    tracker.heed(Event(0, "", BEGUN, trial.details()))
    tracker.feed(Chunk("h\x1b[31m", OUT, MS, b"hi\r\n"))
    tracker.feed(Chunk("h\x1b[31m", IN, 2 * MS, b"\x1b]0;x\x07 [/b] \x9b31m\r\n"))
    shown = text(*tracker.snapshot())
    assert "[/b]" in shown
    assert not any(letter in shown for letter in "\x1b\x07\x9b")


async def test_a_trial_is_begun_and_given_up_by_keys(tmp_path: Path) -> None:
    device = Device("cable", "--rate", "115200", link=tmp_path / "cable", count=2)
    line = LineSettings(115200)
    lanes = [LaneSpec(name, path, line) for name, path in zip(("hide", "buoy"), device.paths, strict=True)]
    session = Session("test", lanes, None)
    session.start()
    try:
        async with running(session) as shown:
            await shown.press("6")
            await shown.shows("No trial yet")
            await shown.press("b")
            await shown.shows("A trial of hide: how?")
            await shown.press("1")
            await shown.shows("How many probes")
            await shown.press("home", "ctrl+k", *"0", "space", *"50ms", "space", *"30s", "enter")
            await shown.until(lambda: (seen := session.seen.trials) and seen[-1].directions[1].delivered > 3)
            await shown.shows("measuring for")
            await shown.press("x")
            await shown.shows("given up")
            assert session.seen.trials[-1].directions[0].lost == 0
            await shown.press("v")
            await shown.shows("begun, UTC")
    finally:
        session.stop()
        device.stop()
