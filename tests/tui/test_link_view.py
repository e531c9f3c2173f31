"""What Link says, without a screen and on it."""

from pathlib import Path

import pytest
from tests.tui.test_fix_live import running

from pale_heron.bench.live.session import Session
from pale_heron.bench.model import Model
from pale_heron.bench.snapshot import BenchSnapshot, CaptureState
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event, Frame
from pale_heron.core.framing import BULK, BULK_ENDED
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.link.at_stake import at_stake
from pale_heron.core.link.blocks import encode_block
from pale_heron.core.link.description import EXCHANGE, TrialDescription
from pale_heron.core.link.rules import parse_rule
from pale_heron.core.link.tracker import BEGUN, ENDED, LinkTracker
from pale_heron.core.link.trial import block_of
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.wire.probe import PROBE, Probe, encode
from pale_heron.ports.address import LaneSpec
from pale_heron.sim.launch import Device
from pale_heron.tui.painting.paint import cells, plain
from pale_heron.tui.views.line import line as line_view
from pale_heron.tui.views.link import link

MS = SECOND // 1000


def played(fates: str, *, over: bool = True) -> TrialSnapshot:
    """One way: o delivered, x lost, ! damaged; half a second for each."""
    tracker = LinkTracker()
    trial = TrialDescription("delivery", 7, ("hide", "buoy"), one_way=True, probes=len(fates), limit_s=1.0)
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
    shown = text(played("ooooxxx!oooo"))
    for words in (
        "hide ▸ buoy: 8 of 12 delivered, 3 lost, 1 damaged: not delivered is between 13.8 and 60.9 % at 95 % certainty",
        "●●●●×××‼●●●●",
        "half within 84 ms, 95 % within 84 ms",
        "4 probes not delivered",
        "hide ▸ buoy was away: 4 probes in a row were not delivered",
    ):
        assert words in shown


def test_nothing_lost_is_not_nothing_ever_lost() -> None:
    shown = " ".join(text(played("o" * 20)).split())
    assert "below 16.1 % at 95 % certainty" in shown
    assert "takes 381 probes without a loss" in shown
    assert "1 of 1 delivered: shows that it can, not that it does" in text(played("o"))


def test_an_outage_that_lasts_says_so() -> None:
    assert "still, 4 probes not delivered" in text(played("oooooxxxx", over=False))


def test_every_trial_stands_in_the_results() -> None:
    shown = text(played("ooo"), played("oxo"), played("oo", over=False), page="results")
    rows = [row for row in shown.splitlines() if "delivery" in row]
    assert [row.split("buoy")[1].split()[1] for row in rows] == ["under", "fails", "holds"]


def test_words_of_a_far_end_cannot_reach_the_terminal() -> None:
    tracker = LinkTracker()
    trial = TrialDescription(EXCHANGE, 7, ("h\x1b[31m",), far="answer", rule=parse_rule("echo"), limit_s=1.0)
    tracker.heed(Event(0, "", BEGUN, trial.details()))
    tracker.feed(Chunk("h\x1b[31m", OUT, MS, b"hi\r\n"))
    tracker.feed(Chunk("h\x1b[31m", IN, 2 * MS, b"\x1b]0;x\x07 [/b] \x9b31m\r\n"))
    shown = text(*tracker.snapshot())
    assert "[/b]" in shown
    assert not any(letter in shown for letter in "\x1b\x07\x9b")


def fast(fates: str, *, over: bool = True, **more: object) -> tuple[TrialSnapshot, list[Chunk | Event]]:
    """Blocks one way at 115200 baud: o whole, ! a byte changed, x lost; a blank is a second of rest."""
    trial = TrialDescription("throughput", 7, ("hide", "buoy"), one_way=True, size=125, limit_s=1.0)._replace(**more)
    trial = trial._replace(ceilings={"hide": 11520.0, "buoy": 11520.0})
    records: list[Chunk | Event] = [Event(0, lane, BULK, {"trial": 7}) for lane in ("hide", "buoy")]
    records.append(Event(0, "hide", BEGUN, trial.details()))
    at, number = 0, 0
    for fate in fates:
        at += SECOND if fate == " " else 125 * SECOND // 11520
        if fate != " ":
            number += 1
            block = encode_block(block_of(trial, "A", number))
            records.append(Chunk("hide", OUT, at, block))
            came = {"o": block, "!": block[:60] + bytes([block[60] ^ 1]) + block[61:]}.get(fate)
            records += [Chunk("buoy", IN, at + MS, came)] if came else []
    if over:
        records.append(Event(at + 2 * SECOND, "hide", ENDED, {"trial": 7, "why": "done"}))
        records += [Event(at + 2 * SECOND, lane, BULK_ENDED, {"trial": 7}) for lane in ("hide", "buoy")]
    model = Model()
    model.feed(*records)
    model.publish(at + 3 * SECOND)
    return model.published.trials[-1], records


@pytest.mark.parametrize("width", [73, 114, 146])
def test_a_throughput_fits_its_width(width: int) -> None:
    for fates in ("", "o", "x", "o" * 400, "o!x " * 50, "xxxx", "o" * 200 + "   " + "o" * 300):
        for over in (True, False):
            text(fast(fates, over=over)[0], width=width)


def test_the_speed_stands_against_what_the_line_carries() -> None:
    shown = " ".join(text(fast("o" * 200 + "!" + "o" * 300)[0]).split())
    for words in (
        "500 of 501 blocks undamaged (lost or damaged: between 0.04 and 1.1 % at 95 % certainty)",
        "99.8 % of what the line carries",
        "92.2 kbit/s ▏",
        "62 500 in whole blocks 1 changed 0 missing 0 added",
        "block 201, byte 60:",
    ):
        assert words in shown, words
    assert "stall" not in shown


def test_a_stall_and_what_it_costs_are_shown() -> None:
    shown = " ".join(text(fast("o" * 200 + "   " + "o" * 300)[0]).split())
    assert "1 stall" in shown and "nothing for 3.0 s" in shown
    assert "nothing came for 3.0 s while it was being sent" in shown


FIGURES = {
    "a claim that holds": ("o" * 500, {"at_least": 11_000.0}, "holds", "is claimed: reached"),
    "a claim that does not": ("o" * 200 + "  " + "o" * 200, {"at_least": 11_000.0}, "fails", "not reached"),
    "too short to say": ("ooo", {"at_least": 11_000.0}, "inconclusive", "too short to say how fast"),
    "nothing came": ("xxx", {}, "fails", "0 of 3 blocks undamaged"),
    "nothing was sent": ("", {}, "inconclusive", "no block was sent whole"),
    "a loss that is allowed": ("o" * 99 + "xo", {"at_most_lost": 0.1}, "holds", "allowed: 10.0 %"),
    "a loss that is not": ("o" * 99 + "xo", {}, "fails", "100 of 101 blocks undamaged"),
}


@pytest.mark.parametrize("name", FIGURES)
def test_a_throughput_is_judged_by_what_was_shown(name: str) -> None:
    fates, more, result, words = FIGURES[name]
    found = verdict(fast(fates, **more)[0])
    assert found.result == result and words in found.why, found.why


def test_what_this_machine_dropped_is_no_result_of_the_link() -> None:
    tracker = LinkTracker()
    records = fast("o" * 50 + "xx" + "o" * 50)[1]
    records.insert(60, Event(SECOND, "buoy", "dropped", {"bytes": 250}))
    for record in records:
        if isinstance(record, Event):
            tracker.heed(record)
        else:
            tracker.feed(record)
    found = verdict(tracker.snapshot()[0])
    assert found.result == "inconclusive" and "dropped 250 bytes" in found.why


def test_blocks_are_neither_garbage_nor_a_full_line_nor_silence() -> None:
    records = fast("o" * 500)[1]
    model = Model()
    for lane in ("hide", "buoy"):
        model.feed(Event(0, lane, "opened", {"address": "/dev/x", "rate": 115200, "framing": "8N1", "flow": "none"}))
    lines = model.feed(*records) + model.tick(60 * SECOND) + model.finish()
    buoy = next(lane for lane in model.snapshots(60 * SECOND) if lane.name == "buoy")
    assert not [entry for entry in lines if isinstance(entry, Frame)]
    assert buoy.findings == () and [each.step for each in buoy.steps] == ["open", "bytes", "blocks"]
    seen = BenchSnapshot("", 60 * SECOND, 0, (buoy,), CaptureState("", 0, ""), None, 0.0)
    assert "Blocks of a trial, and nothing else" in plain(line_view.paint(seen, buoy, 114))
    # What is said afterwards is read again, from its beginning.
    (frame,) = model.feed(Chunk("buoy", IN, 61 * SECOND, b"hello\r\n")) + model.finish()
    assert isinstance(frame, Frame) and frame.data == b"hello\r\n"


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
            await shown.shows("How is it wired?")
            await shown.press("d")
            await shown.until(lambda: (seen := session.seen.trials) and seen[-1].directions[1].delivered > 3)
            await shown.shows("measuring for")
            await shown.press("x")
            await shown.shows("ended by hand")
            assert session.seen.trials[-1].directions[0].lost == 0
            await shown.press("v")
            await shown.shows("begun, UTC")
    finally:
        session.stop()
        device.stop()


@pytest.mark.parametrize(
    ("dialect", "sent", "answer", "words"),
    [
        ("plover", b"AT\r", b"\r\nOK\r\n", "takes probes for commands"),
        ("bittern", b"AT\r", b"\r\nOK\r\n", ""),
        ("plover", b"ATD+99905550142\r", b"\r\nCONNECT 9600\r\n", "may cost money"),
        ("plover", b"ATO\r", b"\r\nCONNECT 9600\r\n", ""),
    ],
)
def test_what_is_at_stake_is_asked_before_a_trial(dialect: str, sent: bytes, answer: bytes, words: str) -> None:
    model = Model()
    model.add("plover", LineSettings(9600, ending_out="cr"))
    model.feed(Event(0, "plover", "dialect", {"name": dialect}))
    model.feed(Chunk("plover", OUT, SECOND, sent), Chunk("plover", IN, SECOND + MS, sent + answer))
    model.tick(5 * SECOND)
    warning = at_stake(model.module_of("plover"), "plover")
    assert words in warning and bool(words) is bool(warning)
    assert at_stake(None, "plover") == ""
