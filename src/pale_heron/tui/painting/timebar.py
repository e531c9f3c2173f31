"""The time bar of a replay: where it stands, what was looked through, and where marks and troubles lie."""

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.utc import clock
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import Line, Span, line

LEAST = 10
"""Columns without which it says nothing."""


def bar(snapshot: BenchSnapshot, width: int) -> Line:
    """One line; a click on a cell goes to its time."""
    replay = snapshot.replay
    if replay is None or replay.end <= replay.begin:
        return line()
    begin = f" {clock(replay.begin, 0)} "
    end = f" {clock(replay.end, 0)} " if replay.surveyed else f" {clock(replay.end, 0)}… seen "
    room = width - len(begin) - len(end)
    if room < LEAST:
        return line()
    span = replay.end - replay.begin

    def cell(moment: int) -> int:
        return max(0, min(room - 1, (moment - replay.begin) * room // span))

    signs: dict[int, tuple[str, str]] = {cell(moment): ("✕", "coral") for moment in replay.troubles}
    signs |= {cell(moment): ("▾", "heather") for moment, *_ in snapshot.marks}
    now = cell(snapshot.now)
    out = [Span(begin, "quiet")]
    for index in range(room):
        text, role = signs.get(index, ("━" if index < now else "─", "tide" if index < now else "line"))
        if index == now:
            text, role = "●", "*amber"
        moment = replay.begin + (2 * index + 1) * span // (2 * room)
        out.append(Span(text, role, act(acts.seek, moment)))
    return (*out, Span(end, "quiet"))
