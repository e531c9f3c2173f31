"""What is being said, by whom, when?"""

from pale_heron.answers.answer import ViewAnswer, answered
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures


def traffic_answer(snapshot: BenchSnapshot) -> ViewAnswer:
    """How it stands, in a sentence or two."""
    lanes = snapshot.lanes
    bad = sum(lane.line.recent_damaged for lane in lanes)
    rates = [each.hz for lane in lanes for each in lane.line.types if each.hz]
    lines = sum(lane.line.recent_lines for lane in lanes)
    if not lines:
        opaque = sum(lane.line.recent_framed for lane in lanes)
        if opaque:
            came = f"{figures.size(opaque)} in the last minute."
            return answered("amber", ("No line, only bytes that are no text: ", "*amber"), came)
        if waiting := sum(lane.line.recent_bytes for lane in lanes):
            came = f"{figures.size(waiting)} in the last minute."
            return answered("amber", ("Bytes arrive, but no line has ended yet: ", "*amber"), came)
        return answered("amber", ("Nothing is being received: ", "*amber"), "no line in the last minute.")
    damaged = (
        f"{figures.several(bad, 'line')} damaged in the last minute." if bad else "None damaged in the last minute."
    )
    # What comes more seldom is counted: half a line a second is no line.
    each_second = round(sum(rates))
    said = (
        (
            (f"{figures.several(each_second, 'line')} a second", "*text"),
            f" of {figures.several(len(rates), 'type')}. ",
        )
        if each_second
        else ((f"{figures.several(lines, 'line')} in the last minute. ", "*text"),)
    )
    return answered(
        "coral" if bad else "reed" if rates else "amber",
        f"{figures.several(len(lanes), 'lane')}, ",
        *said,
        (damaged, "coral" if bad else "text"),
    )
