"""Which time it is by each source, and when in its second each sentence comes."""

from datetime import UTC, datetime
from typing import Final

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.core.clock.clock_words import naming_words, server_words
from pale_heron.core.clock.host import host_words
from pale_heron.core.clock.lag import LagSnapshot, TypeLag
from pale_heron.core.clock.module_clock import READING, clock_words, module_clock
from pale_heron.core.clock.offset import apart_lines, other_rates, whole_seconds, without
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot
from pale_heron.core.frames import SECOND
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import BLANK, Line, Span, cut, line, titled, wrapped
from pale_heron.tui.painting.shell import bars

NAME: Final = 12
FIGURES: Final = 44
LEAST_STRIP: Final = 20
LEAST_HISTORY: Final = 4
"""So many steps of ten seconds make a history."""
MS: Final = 1000.0


def paint(snapshot: BenchSnapshot, picture: ClockPicture, width: int) -> list[Line]:
    """Every source of time, and for each lane when its sentences come."""
    rows = _which_time(snapshot, picture, width)
    for lane, lags in picture.lanes:
        if lags.types:
            rows += [BLANK, *_lane(lane, lags, picture, width)]
            rows += _without(lags, width)
    return rows


def _which_time(snapshot: BenchSnapshot, picture: ClockPicture, width: int) -> list[Line]:
    """Every source of time, one below the other."""
    rows = [cut(_told(lane, dict(picture.lanes).get(lane.name)), width) for lane in snapshot.lanes if lane.lag.types]
    moment = snapshot.now + round(snapshot.host_ahead_s * SECOND)
    rows += [
        _module(lane, lane.module, snapshot.now)
        for lane in snapshot.lanes
        if lane.module is not None and (READING in lane.module.readings or _can_be_asked(lane, lane.module))
    ]
    rows.append(_source("host", clock(moment, 3), _day(moment), host_words(picture.host)))
    local = datetime.fromtimestamp(moment / SECOND, UTC).astimezone()
    if snapshot.replay is None:
        rows.append(_source("local", f"{local:%H:%M:%S}", f"{local:%Y-%m-%d}", picture.zone))
    rows += [cut(line((server_words(each), "text" if each.best else "amber")), width) for each in picture.network]
    return titled("WHICH TIME", [cut(row, width) for row in rows])


def _told(lane: LaneSnapshot, lags: LagSnapshot | None) -> Line:
    time, date = lane.fix.value("time"), lane.fix.value("date")
    known = str(time.value) if time is not None and time.value is not None else "–"
    day = str(date.value) if date is not None and date.value is not None else "no date yet"
    words = "told last"
    if lags is not None and not lags.keeps_pace:
        return _source(safe_label(lane.name), known, day, f"{words}; at another pace than this computer's clock")
    if lags is not None and lags.since is not None:
        words += f"; counted since {clock(lags.since, 0)} UTC"
    if lags is not None and lags.steps:
        words += f", when one of the clocks was set ({figures.several(lags.steps, 'time')})"
    return _source(safe_label(lane.name), known, day, words)


def _can_be_asked(lane: LaneSnapshot, module: ModuleSnapshot) -> bool:
    """Whether its module has a clock that nobody asked; a receiver tells the time unasked."""
    return not lane.lag.types and bool(module.dialect.asking_for(READING))


def _module(lane: LaneSnapshot, module: ModuleSnapshot, now: int) -> Line:
    """The clock of a module, or how it is asked for."""
    reading = module.readings.get(READING)
    found = module_clock(reading.raw, reading.time) if reading is not None and reading.time is not None else None
    if found is None:
        asking = f"{safe_label(module.dialect.asking_for(READING))} in Module (5)"
        return _source(safe_label(lane.name), "–", "", f"the clock of its module was not asked: {asking}")
    return _source(safe_label(lane.name), clock(found.utc, 0), _day(found.utc), clock_words(found, now))


def _source(name: str, time: str, day: str, words: str) -> Line:
    return line((f"{name:<{NAME}}", "heron"), (f"{time:<14}", "*text"), (f"{day:<14}", "text"), (words, "quiet"))


def _day(moment: int) -> str:
    return f"{datetime.fromtimestamp(moment // SECOND, UTC):%Y-%m-%d}"


def _lane(lane: str, lags: LagSnapshot, picture: ClockPicture, width: int) -> list[Line]:
    apart = whole_seconds(lags)
    room = width - NAME - FIGURES - 3
    scale_s = max([1.0, *(each.lag.p95 - apart for each in lags.types)])
    head = f"{'':{NAME}}{'samples':>9}{'median':>11}{'5 to 95 %':>17}{'spread':>8}"
    strip = f"  {'0':<{max(1, room - 8)}}{scale_s:.1f} s".rstrip() if room >= LEAST_STRIP else ""
    rows = [cut(line((head + strip, "faint")), width)]
    rows += [cut(_type(each, apart, room, scale_s), width) for each in lags.types]
    rows += [row for words in apart_lines(lane, lags) for row in wrapped(line((words, "amber")), width)]
    rows += _over_time(lags, apart, width)
    named = naming_words(lane, picture.named_on(lane), lags)
    rows += [row for words in named for row in wrapped(line((f"{words}.", "text")), width)]
    rows += _burst(lags, apart, width)
    return titled(f"{safe_label(lane)}: WHEN SENTENCES COME", rows, "after the second that they tell")


def _type(each: TypeLag, apart: int, room: int, scale_s: float) -> Line:
    lag = each.lag
    between = f"{MS * (lag.p5 - apart):.0f} to {MS * (lag.p95 - apart):.0f} ms"
    spans = [
        Span(f"{safe_label(each.type):<{NAME}}", "text"),
        Span(f"{figures.count(lag.samples):>9}", "quiet"),
        Span(f"{f'{MS * (lag.median - apart):.1f} ms':>11}", "*text"),
        Span(f"{between:>17}", "text"),
        Span(f"{MS * each.spread_s:>7.1f} ", "amber" if each.holds is False else "quiet"),
    ]
    if room >= LEAST_STRIP:
        spans.append(Span("  " + _strip(each, apart, room - 2, scale_s), "tide"))
    return tuple(spans)


def _strip(each: TypeLag, apart: int, room: int, scale_s: float) -> str:
    """Where in the second it comes: the higher, the oftener."""
    shape = each.lag.histogram
    cells = [0.0] * room
    step = (shape.high - shape.low) / len(shape.counts)
    for place, count in enumerate(shape.counts):
        at = (shape.low + (place + 0.5) * step - apart) / scale_s
        cells[min(room - 1, max(0, int(at * room)))] += count
    return bars(cells).replace(" ", "·")


def _without(lags: LagSnapshot, width: int) -> list[Line]:
    """When the last byte would come with fewer sentences."""
    burst = lags.burst
    if burst is None:
        return []
    apart = whole_seconds(lags)
    rows = []
    for kind, size, end in without(burst, lags.bytes_a_round):
        words = f"{size:.0f} bytes less: the last byte at {MS * (end - apart):.0f} ms"
        rows.append(cut(line((f"{f'no {safe_label(kind)}':<{NAME}}", "faint"), (words, "quiet")), width))
    return rows


def _over_time(lags: LagSnapshot, apart: int, width: int) -> list[Line]:
    """The steadiest type in steps of ten seconds, the newest at the right."""
    steadiest = min(lags.types, key=lambda each: each.spread_s)
    means = [MS * (point.mean - apart) for point in steadiest.history][-(width - NAME) :]
    if len(means) < LEAST_HISTORY:
        return []
    low, high = min(means), max(means)
    drawn = bars([1 + (mean - low) / (high - low) * 7 if high > low else 1.0 for mean in means], 8.0)
    head = (
        f"{safe_label(steadiest.type)} over the last {figures.duration(10.0 * len(means))}, {low:.1f} to {high:.1f} ms"
    )
    return [
        cut(line((f"{'':{NAME}}", "faint"), (head, "quiet")), width),
        line((f"{'':{NAME}}", "faint"), (drawn, "tide")),
    ]


def _burst(lags: LagSnapshot, apart: int, width: int) -> list[Line]:
    """The round as a whole, and when it would end at other rates."""
    burst = lags.burst
    if burst is None:
        return []
    begin, end = (MS * (each.median - apart) for each in (burst.begin, burst.end))
    words = f"{burst.bytes:.0f} bytes, from {begin:.0f} to {end:.0f} ms after the second"
    rows = [BLANK, cut(line((f"{'a round':<{NAME}}", "quiet"), (words, "text")), width)]
    for rate, last, share in other_rates(burst):
        late = last - apart > burst.interval_s
        told = f"the last byte at {MS * (last - apart):.0f} ms, the line busy {figures.share(share)} of the time"
        told += ": later than the next second begins" if late else ""
        rows.append(cut(line((f"{f'at {rate}':<{NAME}}", "faint"), (told, "amber" if late else "quiet")), width))
    return rows
