"""The latest line of each type, each in its place, with what changed in it lit."""

import re
from dataclasses import replace
from typing import Final, NamedTuple

from pale_heron.bench.scrollback.selection import PatternTooSlow, Selection
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND, Direction, Frame, Kind
from pale_heron.core.line.snapshot import TypeCount
from pale_heron.core.wire.visible import safe_label, safe_text, starred
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import BLANK, Line, Span, cut, fitted, line, padded

LIT_S = 3.0
"""What changed is lit so long, unless the next line comes sooner."""

_PIECES = re.compile(r"[,*:= ]|[^,*:= ]+")


TYPE: Final = 19


class LatestLines(NamedTuple):
    """One row: a lane, a direction, a type, and its last two lines."""

    lane: str
    direction: Direction
    tally: TypeCount


def rows_of(snapshot: BenchSnapshot, selection: Selection) -> list[LatestLines]:
    """All types of all lanes that the selection lets through, lane by lane, in the order of their first lines."""
    found = []
    for lane in snapshot.lanes:
        for direction, types in ((Direction.IN, lane.line.types), (Direction.OUT, lane.line.sent_types)):
            found += [
                LatestLines(lane.name, direction, _masked(part, lane.secrets))
                for each in types
                for part in _parts(each)
                if part.latest is not None and _shows(selection, part.latest)
            ]
    return found


def _parts(tally: TypeCount) -> list[TypeCount]:
    """A row for each kind of line that tells something of its own; how often each comes nobody counts."""
    if not tally.parts:
        return [tally]
    return [
        replace(
            tally,
            type=f"{tally.type} {each.label}",
            count=each.lines,
            hz=None,
            before=each.before,
            latest=each.latest,
        )
        for each in sorted(tally.parts, key=lambda part: part.label)
    ]


def _shows(selection: Selection, latest: Frame) -> bool:
    """Whether the selection lets a line through; one that takes too long lets none through, as in the list."""
    try:
        return selection.matches(latest)
    except PatternTooSlow:
        return False


def _masked(tally: TypeCount, secrets: frozenset[str]) -> TypeCount:
    """The tally with stars for what must not be shown."""
    if not secrets:
        return tally
    latest, before = (
        each._replace(data=starred(each.data, secrets)) if each else None for each in (tally.latest, tally.before)
    )
    return replace(tally, latest=latest, before=before)


def paint(found: list[LatestLines], chosen: int, now: int, width: int, seen: range | None = None) -> list[Line]:
    """The table, with its heading. Rows that are not `seen` are left blank: many lanes have hundreds of types."""
    several = len({each.lane for each in found}) > 1
    lane = f"{'lane':<12}" if several else ""
    heading = f"  {lane}  {'type':<{TYPE + 1}}{'Hz':>6}{'count':>9}  {'last':<12}what it says; what changed is lit"
    rows = [cut(line((heading, "faint")), width)]
    return rows + [
        _row(each, index, index == chosen, several, now, width) if seen is None or index + 1 in seen else BLANK
        for index, each in enumerate(found)
    ]


def _row(each: LatestLines, index: int, chosen: bool, several: bool, now: int, width: int) -> Line:
    ground = "@select" if chosen else ""
    count, frame = each.tally, each.tally.latest
    assert frame is not None, "rows without a line are left out"
    age = None if frame.time is None else (now - frame.time) / SECOND
    said = _changes(count.before, frame, age is not None and age < LIT_S)
    row = line(
        ("▌ " if chosen else "  ", f"heron{ground}"),
        (fitted(safe_label(each.lane), 11) + " " if several else "", f"heron{ground}"),
        ("▸ ", f"amber{ground}") if each.direction is Direction.OUT else ("◂ ", f"faint{ground}"),
        (f"{fitted(safe_label(count.type), TYPE)} ", f"{'coral' if frame.bad else 'text'}{ground}"),
        (f"{figures.hertz(count.hz):>6}{figures.count(count.count):>9}  ", f"quiet{ground}"),
        (f"{figures.age(age):<12}", f"{'amber' if age is not None and age > 10 else 'faint'}{ground}"),
    )
    spans = (span._replace(role=span.role + ground) for span in said)
    shown = padded(cut((*row, *spans), width), width, f"text{ground}")
    return tuple(span._replace(action=act(acts.pick_latest, index)) for span in shown)


def _changes(before: Frame | None, frame: Frame, fresh: bool) -> Line:
    """The text of a line, its pieces lit where they differ from the same pieces of the line before."""
    if frame.kind in (Kind.BYTES, Kind.RTCM3):
        return line((frame.data[:48].hex(" "), "amber" if frame.kind is Kind.BYTES else "tide"))
    pieces = _pieces(frame)
    if before is None or not fresh:
        return line(("".join(pieces), "quiet"))
    old = _pieces(before)
    same_form = len(old) == len(pieces)
    return tuple(
        Span(piece, "quiet" if piece in ",*:= " or (same_form and old[index] == piece) else "*text")
        for index, piece in enumerate(pieces)
    )


def _pieces(frame: Frame) -> list[str]:
    return _PIECES.findall(safe_text(frame.data.strip(b"\r\n")[:400]))
