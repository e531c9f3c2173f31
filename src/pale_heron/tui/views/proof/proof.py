"""Proof: what can I show for it? What is expected and how it stands, what was tried and noted, and what is kept."""

from collections.abc import Sequence
from typing import Final

from pale_heron.answers.link import ROLES as TRIAL_ROLES
from pale_heron.answers.proof import proof_answer
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.proof.expectation import FAILED, NOT_SHOWN, PASSED, Judged
from pale_heron.core.proof.marks import MeasuredPart, kind_words, measured_parts
from pale_heron.core.proof.picture import TimePicture
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import BLANK, Line, Span, cells, cut, fitted, headline, labelled, line, titled
from pale_heron.tui.views.proof import lanes
from pale_heron.tui.views.proof.lanes import LanesLook
from pale_heron.tui.views.table import VIEWS

QUESTION: Final = VIEWS["proof"].question
HELP: Final = (
    "What was recorded is the evidence; this view says what it shows. e holds it against a file of expectations: each "
    "is passed, failed, or not shown, where fewer samples came than it asks for. All are judged again every second.",
    "E writes a file of expectations that is as good as today, to begin with.",
    "k makes a report of the record as HTML or PDF: question by question the answer, its sample, and what carries it.",
    "m notes something, < and > begin and end a measured part, M rewords or withdraws a mark; a click on a mark, or on "
    "a trial, leads to its moment in Traffic. Expectations may be of a measured part alone.",
    "v shows all lanes on one axis of time: what was received and sent, the fix, C/N0, readings, what was delivered, "
    "and what happened when. Arrows choose a moment, z and Z show less or more around it, enter shows Traffic then.",
)
SIGNS: Final = {PASSED: ("●", "reed"), FAILED: ("✕", "coral"), NOT_SHOWN: ("◐", "amber")}
WHAT: Final = 38
FOUND: Final = 28
WANTED: Final = 40
NEWEST: Final = 12
NAME: Final = 14


PAGES: Final = {"held": "what holds", "lanes": "all lanes"}


def paint_lanes(
    snapshot: BenchSnapshot, judged: Sequence[Judged], picture: TimePicture, look: LanesLook, width: int
) -> list[Line]:
    """All lanes on one axis of time."""
    return [*_head(snapshot, judged, "lanes", width), *lanes.paint(snapshot, picture, look, width)]


def _head(snapshot: BenchSnapshot, judged: Sequence[Judged], page: str, width: int) -> list[Line]:
    rows = headline(QUESTION, proof_answer(snapshot, judged), width)
    spans = [Span("v ", "amber", act(acts.next_proof_page))]
    for name, title in PAGES.items():
        chosen = "*heron@select" if name == page else "quiet"
        spans += [Span(f" {title} ", chosen, act(acts.show_proof_page, name)), Span(" ")]
    return [*rows[:-1], tuple(spans), BLANK]


def paint(snapshot: BenchSnapshot, title: str, judged: Sequence[Judged], width: int) -> list[Line]:
    """What is expected and how it stands, trials, marks and the record."""
    rows = _head(snapshot, judged, "held", width)
    if judged:
        rows += [*titled("EXPECTED", _expected(judged, width), safe_label(title)), BLANK]
    rows += titled("THE RECORD", _record(snapshot, width))
    if snapshot.trials:
        rows += [BLANK, *titled("TRIALS", _trials(snapshot, width))]
    parts = measured_parts(snapshot.marks)
    if parts:
        rows += [BLANK, *titled("MEASURED PARTS", _parts(snapshot, parts, width), "< begins one, > ends it")]
    if snapshot.marks:
        rows += [BLANK, *titled("MARKS", _marks(snapshot, width))]
    return rows


def _expected(judged: Sequence[Judged], width: int) -> list[Line]:
    longest = max(cells(f"{each.expectation.place}: {each.expectation.what}") for each in judged)
    room = min(longest, max(WHAT, width - FOUND - WANTED))
    said = max(cells(safe_label(each.words)) for each in judged)
    longest_wanted = max(cells(f"{each.expectation.that} {each.expectation.wanted}") for each in judged)
    found_room = max(FOUND, min(said, width - room - min(WANTED, longest_wanted) - 4))
    rows: list[Line] = []
    for each in judged:
        sign, role = SIGNS[each.outcome]
        place = f"{each.expectation.place}: " if each.expectation.place else ""
        what = fitted(f"{place}{safe_label(each.expectation.what)}", room)
        found = fitted(safe_label(each.words), found_room)
        wanted = f"{each.expectation.that} {each.expectation.wanted}"
        told = line((f"{what} ", "text"), (f"{found} ", role), (safe_label(wanted), "quiet"))
        rows += labelled(Span(sign, f"*{role}"), told, width, 2)
    return rows


def _record(snapshot: BenchSnapshot, width: int) -> list[Line]:
    rows = []
    path = snapshot.capture.path
    if path:
        size = f", {figures.size(snapshot.capture.size)}" if snapshot.capture.size else ""
        name = safe_label(path.rpartition("/")[2])
        rows += labelled(Span("capture", "quiet"), line((f"{name}{size}", "text")), width, NAME)
    for lane in snapshot.lanes:
        rows += labelled(Span(safe_label(lane.name), "heron"), line((_lane(lane), "text")), width, NAME)
    return rows


def _lane(lane: LaneSnapshot) -> str:
    counted = lane.line
    parts = [f"{figures.size(counted.bytes_in)} in", f"{figures.size(counted.bytes_out)} out"]
    if counted.valid or counted.damaged:
        messages = f", {figures.several(counted.valid_messages, 'message')}" if counted.valid_messages else ""
        valid = figures.several(counted.valid_sentences, "sentence")
        parts.append(f"{valid}{messages} valid, {counted.damaged} damaged")
    if lane.fix.epochs:
        parts.append(f"{lane.fix.epochs_with_fix} of {figures.several(lane.fix.epochs, 'epoch')} with a fix")
    if lane.module is not None:
        parts.append(f"{figures.several(lane.module.exchanges, 'command')}, {lane.module.refused} refused")
    parts += [f"came back {figures.several(lane.returns, 'time')}"] if lane.returns else []
    return ", ".join(parts)


def _trials(snapshot: BenchSnapshot, width: int) -> list[Line]:
    rows: list[Line] = []
    for trial in snapshot.trials[-NEWEST:]:
        found = verdict(trial)
        lanes = " and ".join(safe_label(lane) for lane in trial.described.lanes)
        words = line(
            (f"{trial.described.kind} on {lanes}: ", "text"), (safe_label(found.why), TRIAL_ROLES[found.result])
        )
        rows += _leading(labelled(Span(clock(trial.begin, 0), "quiet"), words, width, NAME), trial.begin)
    return rows


def _parts(snapshot: BenchSnapshot, parts: Sequence[MeasuredPart], width: int) -> list[Line]:
    rows: list[Line] = []
    for part in parts[-NEWEST:]:
        lasts = figures.duration(((part.end or snapshot.now) - part.begin) / SECOND)
        told = line(
            (safe_label(part.name), "heather"),
            (f"   {lasts}", "text"),
            ("" if part.end is not None else ", goes on", "amber"),
        )
        rows += _leading(labelled(Span(clock(part.begin, 0), "quiet"), told, width, NAME), part.begin)
    return rows


def _marks(snapshot: BenchSnapshot, width: int) -> list[Line]:
    rows: list[Line] = []
    for mark in reversed(snapshot.marks[-NEWEST:]):
        moment, text = mark.moment, kind_words(mark)
        ago = figures.age(max(0.0, (snapshot.now - moment) / SECOND))
        told = cut(
            line((f"{clock(moment, 0):<{NAME}}", "quiet"), (safe_label(text), "heather"), (f"   {ago}", "faint")), width
        )
        rows += _leading([told], moment)
    return rows


def _leading(rows: list[Line], moment: int) -> list[Line]:
    """A click leads to that moment in Traffic."""
    go = act(acts.go_to_moment, moment)
    return [tuple(span._replace(action=go) for span in row) for row in rows]
