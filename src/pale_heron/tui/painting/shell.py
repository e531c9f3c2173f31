"""Around every view: the head line, the tabs, the lane rail and the foot line."""

from datetime import UTC, datetime
from pathlib import Path

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.diagnosis.stages import LaneOpening, StageStatus, first_missing, is_silent
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui import acts
from pale_heron.tui.actions.table import KeyAction, working
from pale_heron.tui.acts import Act, act
from pale_heron.tui.painting.paint import BLANK, Line, Span, cut, ends, fitted, line, padded, width_of
from pale_heron.tui.views.table import VIEWS

RAIL_WIDTH = 25
NARROW = 100
"""Below so many columns the foot line has room for what is needed most alone."""

CARD = 21
FOLDED = 24
"""Columns of a lane's name where there is no rail."""
SHAPES = {
    StageStatus.REACHED: ("●", "reed"),
    StageStatus.WAITING: ("◐", "amber"),
    StageStatus.NOT_YET: ("○", "faint"),
    StageStatus.BROKEN: ("✕", "coral"),
}
_BARS = "▁▂▃▄▅▆▇█"


def head(snapshot: BenchSnapshot, width: int) -> Line:
    """Program, bench, what becomes of the record, and the time."""
    left = line((" pale heron ", "*heron"), (f" {safe_label(snapshot.bench)}", "quiet"))
    record = _replay(snapshot) if snapshot.replay else _record(snapshot)
    moment = snapshot.now
    local = datetime.fromtimestamp(moment // SECOND, UTC).astimezone()
    times = line((f"{clock(moment, 0)} UTC", "*text"), (f"   {local:%H:%M} local ", "quiet"))
    room = width - RAIL_WIDTH - sum(len(span.text) for span in times)
    middle = cut(record, max(0, room - 2))
    return ends((*padded(left, RAIL_WIDTH), Span(" "), *middle), times, width)


def _record(snapshot: BenchSnapshot) -> Line:
    if snapshot.fault:
        words = f"✕ a fault of this program: {safe_label(snapshot.fault)}"
        return line((words, "*coral"))
    capture = snapshot.capture
    passed = figures.duration((snapshot.now - snapshot.began) / SECOND)
    if not capture.path:
        return line(("○ no record is kept: started with --no-capture", "*amber"))
    if capture.failure:
        return line(("✕ nothing is recorded now: ", "*coral"), (safe_label(capture.failure), "coral"))
    name = safe_label(Path(capture.path).name)
    gap = f"  {figures.size(capture.lost)} were not recorded" if capture.lost else ""
    words = f"{figures.size(capture.size)}  {passed}  {name}"
    gap += "  the file before was lost: it goes on in this one" if capture.left else ""
    behind = (
        f"  the picture is {figures.duration(snapshot.behind_s)} behind, the record complete"
        if snapshot.behind_s
        else ""
    )
    return line(("● ", "coral"), ("capture ", "text"), (words, "quiet"), (gap, "amber"), (behind, "amber"))


def _replay(snapshot: BenchSnapshot) -> Line:
    replay = snapshot.replay
    assert replay is not None, "asked only of a replay"
    if replay.seeking:
        state = Span(f"going to the moment, {figures.share(replay.share)} read", "amber")
    elif replay.ended:
        state = Span("■ at the end", "text")
    elif replay.playing:
        state = Span(f"▶ playing × {replay.speed:g}", "reed")
    else:
        state = Span("‖ paused", "amber")
    day = (
        f"  replay of {datetime.fromtimestamp(replay.begin // SECOND, UTC):%Y-%m-%d}" if snapshot.dated else "  replay"
    )
    where = f"  {figures.share(replay.share)} of {figures.size(snapshot.capture.size)}"
    # The word stands where no window is too narrow for it; why, where there is room.
    torn, why = ("  torn", f"  {replay.torn}") if replay.torn else ("", "")
    return line(state, (torn, "*coral"), (day, "text"), (where, "quiet"), (why, "coral"))


def tabs(view: str, folded: Line = (), width: int = 0) -> Line:
    """The views that there are, by their keys; `folded` stands at the right end."""
    spans = [Span(" ")]
    for name, each in VIEWS.items():
        chosen = name == view
        action = act(acts.show_view, name)
        spans.append(Span(f"{each.key} ", "*heron" if chosen else "faint", action))
        spans.append(Span(each.title, "*heron" if chosen else "quiet", action))
        spans.append(Span("   " if not folded else "  "))
    return ends(cut(tuple(spans), max(0, width - width_of(folded) - 1)), folded, width) if folded else tuple(spans)


def folded_lane(snapshot: BenchSnapshot, lane: LaneSnapshot, place: int) -> Line:
    """The lane that is shown and how far it is, where there is no rail."""
    missing = first_missing(lane.steps)
    sign, role = SHAPES[missing.state if missing else StageStatus.REACHED]
    where = f" {place + 1}/{len(snapshot.lanes)} " if len(snapshot.lanes) > 1 else " "
    return line((fitted(safe_label(lane.name), FOLDED).rstrip(), "*text"), (where, "quiet"), (sign, role), " ")


def foot(view: str, replay: bool, width: int) -> Line:
    """The keys that do something here."""
    shown = [action for action in working(view, replay) if action.footer]
    others = [action for action in shown if not action.last]
    right = tuple(span for action in shown if action.last for span in _key(action))
    spans = [Span(" ")]
    room = width - width_of(right) - 1
    if width < NARROW:
        others.sort(key=lambda action: action.yields)
    for action in others:
        key = _key(action)
        room -= width_of(key)
        if room >= 0:
            spans += key
    return ends(tuple(spans), right, width)


def _key(action: KeyAction) -> tuple[Span, ...]:
    return (
        Span(action.shown_key, "amber", action.act),
        Span(f" {action.label}", "quiet", action.act),
        Span("   "),
    )


def rail(snapshot: BenchSnapshot, chosen: int, height: int) -> list[Line]:
    """One card a lane; where there are more than fit, those around the chosen one."""
    lanes = snapshot.lanes
    fit = max(1, (height - 1) // 6)
    first = max(0, min(chosen - fit // 2, len(lanes) - fit))
    rows: list[Line] = [BLANK]
    for index, lane in enumerate(lanes[first : first + fit], first):
        rows += [*_card(lane, index == chosen, index, snapshot.now), BLANK]
    hidden = len(lanes) - min(fit, len(lanes))
    if hidden:
        rows[-1] = line((f" and {hidden} more: tab", "quiet"))
    if snapshot.replay is None:
        rows.append(_offered(" + ", "lane", act(acts.add_lane)))
        let_go = bool(lanes) and lanes[min(chosen, len(lanes) - 1)].opening is LaneOpening.LET_GO
        close = _offered(" X ", "open" if let_go else "close", act(acts.close_or_open))
        rows.append((*close, *_offered("  w ", "save bench", act(acts.save_bench))))
    return rows


def _offered(key: str, word: str, action: Act) -> Line:
    return line(Span(key, "amber", action), Span(word, "quiet", action))


def _card(lane: LaneSnapshot, chosen: bool, index: int, now: int) -> list[Line]:
    ground = "@select" if chosen else ""
    action = act(acts.choose_lane, index)
    silent = lane.line.last_byte is None or is_silent(lane.line, now)
    flow = (
        "coral"
        if silent and lane.opening is LaneOpening.OPEN and lane.module is None and not lane.asked_only
        else "text"
    )
    step = first_missing(lane.steps)
    reached = lane.steps[-1].step if step is None else step.step
    chain: list[Span] = []
    for each in lane.steps:
        shape, role = SHAPES[each.state]
        chain += [Span("─", f"faint{ground}")] if chain else []
        chain.append(Span(shape, f"{role}{ground}"))
    mute = lane.settings is not None and lane.settings.listen_only
    role_words, role_role = ("only listens", "amber") if mute else (safe_label(lane.role), "quiet")
    word, role = _stage_word(lane, step.state if step else StageStatus.REACHED, reached, now)
    rows = (
        ends(line((safe_label(lane.name), f"*text{ground}")), line((role_words, f"{role_role}{ground}")), CARD),
        ends(
            line((str(lane.settings or "settings –"), f"quiet{ground}")),
            line(("◂ ", f"{flow}{ground}"), (figures.rate(lane.line.bytes_per_s), f"{flow}{ground}")),
            CARD,
        ),
        line((_activity(lane, CARD), f"tide{ground}")),
        (*chain, Span(f"  {word}", f"{role}{ground}")),
    )
    bar = Span("▌" if chosen else " ", f"heron{ground}")
    return [_clickable((bar, Span(" ", f"text{ground}"), *row), ground, action) for row in rows]


def _clickable(row: Line, ground: str, action: Act) -> Line:
    return tuple(
        Span(text, role if "@" in role else f"{role}{ground}", action)
        for text, role, _ in padded(row, RAIL_WIDTH - 1, f"text{ground}")
    )


def _stage_word(lane: LaneSnapshot, status: StageStatus, step: str, now: int) -> tuple[str, str]:
    """The word beside the chain, and its role."""
    if lane.opening is LaneOpening.LOST:
        return "lost", "coral"
    if lane.opening is LaneOpening.LET_GO:
        return "closed", "amber"
    if lane.opening is LaneOpening.REFUSED:
        return "cannot open", "coral"
    if status is StageStatus.BROKEN and step == "bytes" and lane.line.last_byte is not None:
        return f"silent {figures.duration((now - lane.line.last_byte) / SECOND)}"[:13], "coral"
    return (
        (step, "reed")
        if status is StageStatus.REACHED
        else (step, "amber")
        if status is StageStatus.WAITING
        else (step, "coral")
    )


def _activity(lane: LaneSnapshot, width: int) -> str:
    """A minute of bytes a second, as bars; two or three seconds a column. The full block is a full line."""
    values, settings = lane.line.activity, lane.settings
    top = settings.bytes_per_s if settings and not settings.decorative else 0.0
    if not values:
        return " " * width
    recent = (0,) * (60 - len(values)) + values[-60:]
    groups = [recent[index * 60 // width : (index + 1) * 60 // width] for index in range(width)]
    means = [sum(group) / len(group) for group in groups]
    return bars(means, top)


def chart(values: tuple[int, ...], rows: int, width: int, top: float) -> list[Line]:
    """One column a value, `rows` high; the upper edge is `top`, or the largest value where that is more."""
    most = max(top, *values, 1.0)
    blank = " " * (width - len(values))
    out = []
    for row in reversed(range(rows)):
        filled = [8 * (rows * value / most - row) for value in values]
        text = "".join(" " if part < 1 else _BARS[min(7, int(part) - 1)] for part in filled)
        out.append(line((blank, "text"), (text, "tide")))
    return out


def bars(values: list[float] | tuple[float, ...], top: float = 0.0) -> str:
    """One bar a value; nothing at all is the lowest line, the largest (or `top`) the full block."""
    most = max(top, *values, 1.0)
    return "".join(" " if not value else _BARS[min(7, int(8 * value / most))] for value in values)
