"""Traffic: what is being said, by whom, when?"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Final

from pale_heron.answers.traffic import traffic_answer
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND, Direction, Event, Frame, Kind, Status
from pale_heron.core.proof.marks import MARK_EVENTS
from pale_heron.core.runs import Entry
from pale_heron.core.utc import clock
from pale_heron.core.wire import rtcm3
from pale_heron.core.wire.rtcm3_messages import message_words
from pale_heron.core.wire.visible import safe_label, safe_text, starred
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import Line, Span, cut, fitted, headline, line, padded
from pale_heron.tui.views.table import VIEWS
from pale_heron.tui.views.traffic.event_words import event_detail, event_words

QUESTION: Final = VIEWS["traffic"].question
ONE_ROW: Final = 1000
"""Columns in which any answer is one row."""
HELP = (
    "Every line of every lane as it became whole, on one clock: the time of its first byte (t changes its form), "
    "the seconds since the line before, the lane, the direction (◂ in, ▸ out), the type, and the text. Control "
    "characters stand as their pictures, bytes that are no text in hexadecimal.",
    "✕ marks damage: a wrong checksum (with what was expected) or a form that is no sentence. ◦ marks a piece: a line "
    "that was begun before the start or ended by a pause. ◆ is the line that others are compared with (x).",
    "Space holds the list still; the record and all counters go on, and the number of new lines is shown. Up and down "
    "choose a line, which also holds; home goes to the first line of the record, end back to the newest.",
    "f shows only some lanes, types, directions, trouble, or lines with a text; l shows the latest line of each type "
    "in its place, with what changed lit; / finds a text or a /regular expression/, e the next trouble, k the next "
    "mark. c clears the view; nothing is taken from the record.",
    "Under or beside the list stands the chosen line field by field, with its raw digits, values, units and meaning, "
    "what nobody would know without it, and its bytes (b changes the base). : sends to the chosen lane.",
)
CLOCKS = ("UTC", "local", "since start", "since ◆")
"""How the time of a line is shown; what has passed since the line before always stands beside it."""

_CLOCK_WORDS = {"UTC": "time UTC", "local": "time here"}

_LANE_WIDTH = 15
_EVENT_ROLES = {
    "lost": "coral",
    "skipped": "amber",
    "refused": "coral",
    "dropped": "coral",
    "not-recorded": "coral",
    **dict.fromkeys(MARK_EVENTS, "heather"),
    "clock-step": "amber",
    "settings-refused": "coral",
    "not-sent": "coral",
    "driver-errors": "amber",
    "held": "amber",
}


@dataclass(frozen=True, slots=True)
class ListStyle:
    """How the list is drawn: how many lanes there are, which of CLOCKS shows the time, since what, and what is lit."""

    lanes: int = 1
    clock: str = "UTC"
    began: int = 0
    reference: int | None = None
    """The time of the line that others are compared with."""
    found: str = ""
    recorded: bool = True
    """Whether lines that left memory can be read back."""
    secrets: Mapping[str, frozenset[str]] = field(default_factory=dict)
    """What must not be shown, by lane."""


def heading(look: ListStyle) -> Line:
    """Over the columns."""
    lane = f"{'lane':<{_LANE_WIDTH}}" if look.lanes > 1 else ""
    return line(
        (f"  {_CLOCK_WORDS.get(look.clock, look.clock):<15}" + f"{'Δ s':>8}  {lane}  {'type':<10}what", "faint")
    )


def stamp(time: int | None, look: ListStyle) -> str:
    """The time of a line as it is asked for."""
    if time is None:
        return figures.NONE
    if look.clock == "local":
        moment = datetime.fromtimestamp(time // SECOND, UTC).astimezone()
        return f"{moment:%H:%M:%S}.{time % SECOND // 1_000_000:03d}"
    if look.clock == "since start":
        return figures.since((time - look.began) / SECOND)
    if look.clock == "since ◆":
        return figures.NONE if look.reference is None else figures.since((time - look.reference) / SECOND)
    return clock(time)


def row_of(entry: Entry | None, before: Entry | None, look: ListStyle, width: int, chosen: bool, marked: bool) -> Line:
    """One line of the list. `before` gives the difference in time; `marked`: others are compared with it."""
    ground = "@select" if chosen else ""
    if entry is None:
        words = "being read from the capture" if look.recorded else "no longer in memory, and no record is kept"
        return padded(line((f"  · {words}", f"faint{ground}")), width, f"text{ground}")
    apart = None
    if before is not None and before.time is not None and entry.time is not None:
        apart = entry.time - before.time
    name = fitted(safe_label(entry.lane), _LANE_WIDTH - 1) + " " if look.lanes > 1 else ""
    if isinstance(entry, Event):
        flag, kind, arrow, what, role = _event(entry)
    else:
        flag, kind, arrow, what, role = _frame(masked(entry, look.secrets), width)
    flag = "◆ " if marked else flag
    row = line(
        (flag, f"{'heather' if marked else 'coral' if flag == '✕ ' else 'quiet'}{ground}"),
        (f"{stamp(entry.time, look):<15}", f"text{ground}"),
        (f"{figures.difference(apart):>8}  ", f"faint{ground}"),
        (name, f"heron{ground}"),
        (arrow, f"amber{ground}" if arrow == "▸ " else f"faint{ground}"),
        (f"{kind:<10}", f"{role}{ground}"),
    )
    shown = cut((*row, *_with_ground(_lit(what, look.found), ground)), width)
    return padded(shown, width, f"text{ground}") if chosen else shown


def secrets_of(snapshot: BenchSnapshot) -> dict[str, frozenset[str]]:
    """What must not be shown, by lane."""
    return {lane.name: lane.secrets for lane in snapshot.lanes if lane.secrets}


def masked(frame: Frame, secrets: Mapping[str, frozenset[str]]) -> Frame:
    """A frame with stars for what must not be shown on its lane."""
    known = secrets.get(frame.lane)
    return frame._replace(data=starred(frame.data, known)) if known else frame


def _lit(what: Line, found: str) -> Line:
    """The line with every place lit that holds the text that was looked for."""
    if not found:
        return what
    out: list[Span] = []
    for span in what:
        rest, wanted = span.text, found.lower()
        while (at := rest.lower().find(wanted)) >= 0:
            out += [span._replace(text=rest[:at]), Span(rest[at : at + len(found)], "*amber")]
            rest = rest[at + len(found) :]
        out.append(span._replace(text=rest))
    return tuple(span for span in out if span.text)


def _with_ground(what: Line, ground: str) -> Line:
    return tuple(span._replace(role=span.role + ground) for span in what)


def _event(event: Event) -> tuple[str, str, str, Line, str]:
    role = _EVENT_ROLES.get(event.name, "tide")
    detail = event_detail(event)
    what = line((event_words(event), role), (f"  {detail}" if detail else "", "quiet"))
    return "  ", "·", "  ", what, role


def _frame(frame: Frame, width: int) -> tuple[str, str, str, Line, str]:
    arrow = "▸ " if frame.direction is Direction.OUT else "◂ "
    if frame.bad:
        body = safe_text(frame.data.strip(b"\r\n")[:width])
        return "✕ ", frame.type, arrow, line((f"{frame.reason}  ", "coral"), (body, "quiet")), "coral"
    flag = "◦ " if frame.status is Status.PARTIAL else "  "
    if frame.kind is Kind.RTCM3:
        words = safe_label(message_words(frame.data)) or f"{rtcm3.payload_length(frame.data)} bytes of payload"
        return flag, frame.type, arrow, line((words, "quiet")), "tide"
    if frame.kind is Kind.BYTES:
        shown = frame.data[: max(8, width // 6)]
        return (
            flag,
            frame.type,
            arrow,
            line((shown.hex(" "), "amber"), (f"  {len(frame.data)} bytes", "faint")),
            "amber",
        )
    body = safe_text(frame.data.strip(b"\r\n")[: width + 8])
    role = "text" if frame.kind is Kind.NMEA else "heather"
    return flag, frame.type, arrow, line((body or "empty line", "text" if body else "faint")), role


@dataclass(frozen=True, slots=True)
class HeadState:
    """What stands in the head beside the figures."""

    new: int | None = None
    """Lines that came since the list is held; None while it follows."""
    held_at: int | None = None
    selection: str = ""
    note: str = ""
    """What is being looked for, or was; what is being sent."""
    cleared: int = 0
    """Lines that are not shown since the view was cleared."""


def head(snapshot: BenchSnapshot, state: HeadState, width: int) -> list[Line]:
    """Question and answer, then how the list stands."""
    # One row: the list must not move under whoever reads it.
    question, answer, *_ = headline(QUESTION, traffic_answer(snapshot), ONE_ROW)
    return [question, cut(answer, width), _list_state(state, width)]


def _list_state(state: HeadState, width: int) -> Line:
    """Held, shown only, cleared, looked for: what is not as usual about the list."""
    parts: list[Span] = []
    if state.new is not None and state.held_at is not None:
        parts.append(Span(f"held: {figures.count(state.new)} new since {clock(state.held_at, 0)}   ", "*amber"))
    if state.selection:
        parts.append(Span(f"show: {safe_label(state.selection)}   ", "heron", act(acts.choose_selection)))
    if state.cleared:
        cleared = f"cleared: {figures.several(state.cleared, 'line')} before, C shows them   "
        parts.append(Span(cleared, "heather", act(acts.show_cleared)))
    if state.note:
        parts.append(Span(state.note, "tide"))
    return cut((Span("  "), *parts), width) if parts else ()
