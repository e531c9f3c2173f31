"""What can I show for it?"""

from collections.abc import Sequence

from pale_heron.answers.answer import ViewAnswer, answered
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.proof.expectation import FAILED, NOT_SHOWN, PASSED, Judged
from pale_heron.core.wire.visible import safe_label


def proof_answer(snapshot: BenchSnapshot, judged: Sequence[Judged]) -> ViewAnswer:
    """Whether it holds as far as that is asked, and what there is of a record."""
    kept = _kept(snapshot)
    if not judged:
        return answered(kept.role, *kept.parts, " Nothing is expected of it yet: e holds it against a file.")
    counts = {outcome: sum(each.outcome == outcome for each in judged) for outcome in (PASSED, FAILED, NOT_SHOWN)}
    if counts[FAILED]:
        first = next(each for each in judged if each.outcome == FAILED)
        role, words = "coral", f"It does not hold: {safe_label(first.expectation.what)}, {safe_label(first.words)}"
        more = f", and {counts[FAILED] - 1} more" if counts[FAILED] > 1 else ""
        words = f"{words}{more}."
    elif counts[NOT_SHOWN]:
        role, words = "amber", f"Not shown yet: {counts[NOT_SHOWN]} of {len(judged)} expectations want more evidence."
    else:
        role, words = "reed", f"It holds: all {figures.several(len(judged), 'expectation')} passed."
    role = "coral" if kept.role == "coral" else role
    return answered(role, (words, f"*{role}"), " ", *kept.parts)


def _kept(snapshot: BenchSnapshot) -> ViewAnswer:
    """What there is of a record."""
    capture, lanes = snapshot.capture, figures.several(len(snapshot.lanes), "lane")
    lasted = figures.duration((snapshot.now - snapshot.began) / SECOND)
    lost = capture.lost + sum(lane.dropped_bytes for lane in snapshot.lanes)
    if snapshot.replay is None and not capture.path:
        return answered("amber", ("No record is kept of this: nothing can be shown afterwards.", "*amber"))
    if capture.failure:
        return answered("coral", (f"The record is not written now: {safe_label(capture.failure)}.", "*coral"))
    if lost:
        return answered("coral", (f"{figures.size(lost)} of {lanes} are not in the record.", "*coral"))
    what = "Played" if snapshot.replay is not None else "Recorded"
    return answered("reed", f"{what}: {lasted} of {lanes}, nothing missing.")
