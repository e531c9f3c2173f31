"""What Proof says: held against a record, trials, marks and expectations that are known."""

from dataclasses import replace

import pytest
from tests.core.test_proof import KNOWN
from tests.painted import snapshot
from tests.streams import BEGIN
from tests.tui.test_painters import WIDTHS, width_of

from pale_heron.answers.proof import proof_answer
from pale_heron.bench.snapshot import BenchSnapshot, CaptureState
from pale_heron.core.frames import SECOND
from pale_heron.core.proof.expectation import Expectation, Judged, judge
from pale_heron.core.proof.marks import Mark
from pale_heron.tui.painting.paint import plain
from pale_heron.tui.views.proof import proof

FIX = Expectation("a fix", "fix.level", "equals", ("3D",), "curlew")
LOST = Expectation("nothing lost", "link.lost", "equals", (0,))
MODULE = Expectation("a module", "module.commands", "at_least", (1,))


def judged(*wanted: Expectation) -> list[Judged]:
    return [judge(each, KNOWN) for each in wanted]


def shown(**more: object) -> BenchSnapshot:
    made = snapshot(now=BEGIN + 60 * SECOND)
    marks = (Mark(BEGIN + 30 * SECOND, "the buoy goes in \x1b[31m"),)
    return replace(made, lanes=KNOWN.lanes, trials=KNOWN.trials, marks=marks, **more)


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
    leads = {
        span.action.arguments[0] for row in rows for span in row if span.action is not None and span.action.arguments
    }
    assert leads == {BEGIN + 30 * SECOND, KNOWN.trials[0].begin}
