"""What Proof says: held against a record, trials, marks and expectations that are known."""

import pytest
from tests.core.test_proof import KNOWN
from tests.core.test_time_picture import END, model_of, session
from tests.painted import snapshot
from tests.streams import BEGIN
from tests.tui.test_painters import WIDTHS, width_of

from pale_heron.answers.proof import proof_answer
from pale_heron.bench.snapshot import BenchSnapshot, CaptureState
from pale_heron.core.frames import SECOND
from pale_heron.core.proof.chronicle import NOTHING_HAPPENED
from pale_heron.core.proof.expectation import Expectation, Judged, judge
from pale_heron.core.proof.marks import Mark
from pale_heron.core.proof.picture import all_happenings, time_picture
from pale_heron.core.proof.together import together
from pale_heron.tui import acts
from pale_heron.tui.painting.paint import plain
from pale_heron.tui.views.proof import lanes, proof

FIX = Expectation("a fix", "fix.level", "equals", ("3D",), "curlew")
LOST = Expectation("nothing lost", "link.lost", "equals", (0,))
MODULE = Expectation("a module", "module.commands", "at_least", (1,))


def judged(*wanted: Expectation) -> list[Judged]:
    return [judge(each, KNOWN) for each in wanted]


def shown(**more: object) -> BenchSnapshot:
    made = snapshot(now=BEGIN + 60 * SECOND)
    marks = (Mark(BEGIN + 30 * SECOND, "the buoy goes in \x1b[31m"),)
    return made._replace(lanes=KNOWN.lanes, trials=KNOWN.trials, marks=marks, **more)


@pytest.mark.parametrize(
    ("wanted", "more", "role", "words"),
    [
        ((), {}, "reed", "Recorded: 1 min 00 s of 2 lanes, nothing missing. Nothing is expected of it yet"),
        ((FIX,), {}, "reed", "It holds: all 1 expectation passed."),
        ((FIX, MODULE), {}, "amber", "Not shown yet: 1 of 2 expectations want more evidence."),
        ((FIX, LOST, MODULE), {}, "coral", "It does not hold: nothing lost, 2, of 10."),
        ((FIX,), {"capture": CaptureState("", 0, "")}, "reed", "No record is kept of this"),
        ((), {"capture": CaptureState("a", 9, "No space left")}, "coral", "The record is not written now: No space"),
        ((FIX,), {"capture": CaptureState("a", 9, "", lost=4000)}, "coral", "4.0 kB of 2 lanes are not in the record"),
    ],
)
def test_the_answer(wanted: tuple[Expectation, ...], more: dict[str, object], role: str, words: str) -> None:
    answer = proof_answer(shown(**more), judged(*wanted))
    assert (answer.role, words in answer.text) == (role, True), answer.text


@pytest.mark.parametrize("width", WIDTHS)
def test_the_page_fits_its_width_and_says_all_of_it(width: int) -> None:
    rows = proof.paint(shown(), "before launch", judged(FIX, LOST, MODULE), width)
    assert max(width_of(row) for row in rows) <= width
    text = plain(rows)
    assert "\x1b" not in text
    if width >= 114:
        for told in (
            "EXPECTED  before launch",
            "● curlew: a fix",
            "✕ nothing lost",
            "◐ a module",
            "nothing to say yet",
        ):
            assert told in text, text
        for told in (
            "57 epochs",
            "delivery on hide and buoy",
            "the buoy goes in",
            "30 s ago",
            "saltmarsh.pcapng, 1.9 MB",
        ):
            assert told in text, text


def test_a_mark_and_a_trial_lead_to_their_moment() -> None:
    rows = proof.paint(shown(), "", (), 120)
    acted = [span.action for row in rows for span in row if span.action is not None]
    leads = {action.arguments[0] for action in acted if action.do is acts.go_to_moment}
    assert leads == {BEGIN + 30 * SECOND, KNOWN.trials[0].begin}


@pytest.mark.parametrize("width", WIDTHS)
@pytest.mark.parametrize("moment", [None, BEGIN + 21 * SECOND])
def test_all_lanes_fit_on_one_axis(width: int, moment: int | None) -> None:
    seen = model_of(session()).published
    snap = snapshot(now=END)._replace(began=BEGIN, lanes=seen.lanes, marks=seen.marks, chronicle=seen.chronicle)
    picture = time_picture(seen.lanes, seen.chronicle, seen.marks, BEGIN, END, lanes.room(width), END)
    groups = together(all_happenings(seen.lanes, seen.chronicle, seen.marks))
    rows = proof.paint_lanes(snap, (), picture, lanes.LanesLook(moment, groups, (), whole=True), width)
    assert max(width_of(row) for row in rows) <= width
    text = plain(rows)
    assert "\x1b" not in text and "[b]unplugged␛[2J" in " ".join(text.split())
    assert all(name in text for name in ("curlew", "hide", "the bench", "received", "sent", "▾", "✕"))
    assert ("shows Traffic then" in text) == (moment is not None)


def test_nothing_is_drawn_of_nothing() -> None:
    empty = time_picture((), NOTHING_HAPPENED, (), BEGIN, END, 50, END)
    text = plain(proof.paint_lanes(snapshot(now=END), (), empty, lanes.LanesLook(None, (), (), whole=True), 100))
    assert "nothing was received or sent yet" in text
