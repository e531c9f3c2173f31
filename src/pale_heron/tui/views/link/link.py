"""Link: does it deliver, undamaged, how fast, how far? The verdict, the chosen trial in full, and all trials."""

from collections.abc import Sequence
from typing import Final

from pale_heron.answers.link import link_answer
from pale_heron.core import figures
from pale_heron.core.frames import SECOND
from pale_heron.core.link.certainty import percent
from pale_heron.core.link.exchange import RIGHT, UNANSWERED, WAITING, WRONG, ExchangeSnapshot
from pale_heron.core.link.fates import DAMAGED, DELIVERED, LATE, LOST, NOT_KNOWN, UNDER_WAY, DeliverySnapshot
from pale_heron.core.link.speed import line_time_s
from pale_heron.core.link.trial_snapshot import DONE, TrialSnapshot
from pale_heron.core.link.verdict import NOUNS, Verdict, verdict
from pale_heron.core.link.words import COLUMNS, counts_of, ended_words
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label
from pale_heron.files.pages import page
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import BLANK, Line, Span, cut, headline, line, padded, titled, wrapped
from pale_heron.tui.views.link import reach, results, speed, times, walk
from pale_heron.tui.views.table import VIEWS

QUESTION: Final = VIEWS["link"].question
HELP: Final = (
    "A trial sends numbered probes with a check, or asks messages and holds the answers against a rule. What was sent "
    "and what came is counted from the recorded bytes; a capture gives the same results again.",
    "Each probe is one sign in the strip, in the order of its number: ● delivered, × lost, ‼ damaged, ◐ late (whole, "
    "but after the limit), ○ under way, ? not known: a lane was away, the far end restarted, or the trial was ended "
    "before its limit was over. Not delivered is lost, damaged and late together; its share stands with its interval "
    "at 95 % certainty: 0 of 120 lost means below 3.1 %, not none.",
    "A trial of throughput sends blocks as fast as the line takes them. Their content is known, so every byte is "
    "accounted for: changed, missing or added, with its place. The speed is that of whole blocks in the steady part, "
    "against what the line carries by its rate and frame format.",
    "Two or more in a row that were not delivered are an outage, with its begin, its end and how many were lost.",
    "A trial of sentences sends nothing: what a receiver says on one lane is looked for on another, or counted by its "
    "own times. Any of them can be followed by distance from a known point; where no position is heard, the distance "
    "is unknown, never 0.",
    "A beacon is a line that somebody says again and again: nothing is sent, it is known by a pattern or found. Its "
    "share of the last minute stands in large figures, with a clock for the outage, to be read on a walk.",
    "b begins a trial on the chosen lane: with another lane here, with a far end that answers (pale-heron answer "
    "there), or with one that sends back what it gets. x gives it up; what was counted stands. v turns the pages, "
    "↑ ↓ choose a trial, = keeps one to compare the next with it. e tries an exchange with each line end; i says how "
    "a trial was wired, which is kept with it.",
)
SIGNS: Final = {
    DELIVERED: ("●", "reed"),
    LOST: ("×", "coral"),
    DAMAGED: ("‼", "amber"),
    LATE: ("◐", "amber"),
    UNDER_WAY: ("○", "faint"),
    NOT_KNOWN: ("?", "heather"),
    RIGHT: ("●", "reed"),
    WRONG: ("‼", "coral"),
    UNANSWERED: ("×", "coral"),
    WAITING: ("○", "faint"),
}
TRIAL, DISTANCE, RESULTS, COMPARED = "trial", "distance", "results", "compared"
PAGES: Final = (TRIAL, DISTANCE, RESULTS, COMPARED)
INTERVAL: Final = 21
HINT: Final = 20
LABEL: Final = 18
STRIP_ROWS: Final = 3
OUTAGES_SHOWN: Final = 4
WRONGS_SHOWN: Final = 4


def paint(
    trials: Sequence[TrialSnapshot], chosen: int, page: str, state: str, now: int, width: int, held: int | None = None
) -> list[Line]:
    """`chosen` counts trials from 0, the oldest; `state` says what an operation does now, or nothing.

    `held` is the one that the chosen one is compared with; else the one before it.
    """
    if not trials:
        return [*headline(QUESTION, link_answer(None, state), width), BLANK, *_first_steps(width)]
    trial = trials[chosen]
    found = verdict(trial)
    tabs = _tabs(pages(trials, chosen), page, width)
    rows = [*headline(QUESTION, link_answer(trial), width), tabs, BLANK]
    if page == RESULTS:
        return [*rows, *results.paint(trials, chosen, held, width)]
    if page == COMPARED:
        return [*rows, *results.paint_comparison(trials, chosen, held, width)]
    if page == DISTANCE:
        return [*rows, *reach.paint(trial, width)]
    return [*rows, *_trial(trial, found, state, now, width)]


def _first_steps(width: int) -> list[Line]:
    steps = (
        ("both ends here", "open both lanes, then b: each direction is counted apart, with its latency"),
        ("a second machine", "pale-heron answer LANE there: it says in its answers what it got"),
        ("an echo", "a far end that sends back what it gets: both ways together"),
        ("firmware", f"forty lines of C answer a probe: {page('probe-format.md')}"),
        ("how fast", "blocks both ways as fast as the lines take them; every byte is accounted for"),
        ("one message", "an exchange by a rule: echo, plus N, text T, matches REGEX, table FILE"),
        ("a steady line", "nothing is sent: what a board says again and again is counted, on a walk too"),
    )
    rows = []
    for name, words in steps:
        parts = wrapped(line((words, "quiet")), max(20, width - HINT))
        rows += [
            cut(line((f"{name if not index else '':<{HINT}}", "text"), *part), width)
            for index, part in enumerate(parts)
        ]
    return titled("WAYS TO TRY A LINK", rows)


def pages(trials: Sequence[TrialSnapshot], chosen: int) -> tuple[str, ...]:
    """Those that have something to show."""
    ranged = bool(trials) and bool(trials[chosen].ranges)
    has = {TRIAL: True, DISTANCE: ranged, RESULTS: True, COMPARED: len(trials) > 1}
    return tuple(page for page in PAGES if has[page])


def _tabs(shown: Sequence[str], page: str, width: int) -> Line:
    spans = [Span("v  ", "amber")]
    for name in shown:
        spans += [
            Span(name, "*heron" if name == page else "quiet", act(acts.show_link_page, name)),
            Span("   ", "text"),
        ]
    return cut(tuple(spans), width)


def _trial(trial: TrialSnapshot, found: Verdict, state: str, now: int, width: int) -> list[Line]:
    rows = [_title(trial, state, now, width), BLANK, *walk.paint(trial, now, width)]
    for each in trial.directions:
        rows += _strip(_way(each), each.strip, width)
    if trial.exchange is not None:
        rows += _strip("rounds", trial.exchange.strip, width)
    rows += [_legend(trial, width), BLANK]
    if trial.directions:
        head = "".join(f"{name:>{room}}" for name, room in COLUMNS.items())
        rows.append(cut(line((f"{'':{LABEL}}{head}{_interval_head(width)}", "faint")), width))
        rows += [_counts(each, width) for each in trial.directions]
        rows += [BLANK, *speed.paint(trial, width)] if trial.bulk else []
        on_the_way = [
            row
            for each in trial.directions
            for row in times.rows(_way(each), each.latency, width, line_time_s(trial, each))
        ]
        timed = any(each.latency for each in trial.directions) or trial.recent is None
        rows += [BLANK, *titled("ON THE WAY", on_the_way)] if timed else []
    if trial.trip is not None:
        rows += times.rows("round trip", trial.trip.latency, width)
    if trial.exchange is not None:
        rows += _exchange(trial.exchange, width)
    rows += [BLANK, *_outages(trial, width)]
    return [*rows, *_meaning(found, width)]


def _title(trial: TrialSnapshot, state: str, now: int, width: int) -> Line:
    described = trial.described
    lanes = " and ".join(safe_label(lane) for lane in described.lanes)
    end = trial.end if trial.end is not None else now
    took = figures.duration(max(0, end - trial.begin) / SECOND)
    left = sum(described.left_before.values())
    taken_out = f"; {figures.several(left, 'byte')} were waiting, taken out first" if left else ""
    if trial.end is None:
        how = line((f"{state or 'under way'} for {took}", "*amber"))
    else:
        ended = "" if trial.ended == DONE else f", {safe_label(ended_words(trial))}"
        how = line((f"took {took}{ended}", "text"))
    words = line((described.kind, "*text"), (f" on {lanes}, {clock(trial.begin, 0)} UTC, ", "quiet"))
    return cut((*words, *how, Span(taken_out, "quiet")), width)


def _way(each: DeliverySnapshot) -> str:
    """As long as there is room for it before a row."""
    way = f"{safe_label(each.sender)} ▸ {safe_label(each.receiver)}"
    return way if len(way) < LABEL else f"{way[: LABEL - 2]}…"


def _strip(name: str, strip: Sequence[str], width: int) -> list[Line]:
    """The last of the probes, in at most a few rows, the newest at the end."""
    room = max(1, width - LABEL - 1)
    shown = strip[-(len(strip) % room or room) - room * (STRIP_ROWS - 1) :]
    rows = []
    for begin in range(0, max(1, len(shown)), room):
        spans: list[Span] = [*padded(line((name if not begin else "", "text")), LABEL)]
        for each in shown[begin : begin + room]:
            sign, role = SIGNS[each]
            if spans[-1].role == role and len(spans) > 1:
                spans[-1] = spans[-1]._replace(text=spans[-1].text + sign)
            else:
                spans.append(Span(sign, role))
        rows.append(cut(tuple(spans), width))
    return rows


def _legend(trial: TrialSnapshot, width: int) -> Line:
    rounds = RIGHT, WRONG, UNANSWERED, LATE, NOT_KNOWN, WAITING
    names = rounds if trial.exchange else (DELIVERED, LOST, DAMAGED, LATE, NOT_KNOWN, UNDER_WAY)
    spans = [Span(" " * LABEL, "quiet")]
    for name in names:
        sign, role = SIGNS[name]
        spans += [Span(f"{sign} ", role), Span(f"{name.replace('-', ' ')}   ", "faint")]
    return cut(tuple(spans), width)


def _interval_head(width: int) -> str:
    """The interval stands where there is room for it whole; the answer tells it in any case."""
    return f"{'not delivered, 95 %':>{INTERVAL}}" if width >= LABEL + sum(COLUMNS.values()) + INTERVAL else ""


def _counts(each: DeliverySnapshot, width: int) -> Line:
    bad = {"lost": "coral", "not known": "heather"}
    spans = [*padded(line((_way(each), "text")), LABEL)]
    for (name, room), count in zip(COLUMNS.items(), counts_of(each), strict=True):
        role = bad.get(name, "text" if name in ("sent", "delivered") else "amber")
        spans.append(Span(f"{count:>{room}}", role if count else "quiet"))
    if _interval_head(width):
        interval = each.share_95
        low_high = "–" if interval is None else f"{percent(interval[0])} to {percent(interval[1])}"
        spans.append(Span(f"{low_high:>{INTERVAL}}", "text"))
    return cut(tuple(spans), width)


def _exchange(exchange: ExchangeSnapshot, width: int) -> list[Line]:
    counts = (
        ("rounds", exchange.rounds, "text"),
        ("right", exchange.right, "reed"),
        ("wrong", exchange.wrong, "coral"),
        ("unanswered", exchange.unanswered, "coral"),
        ("late", exchange.late, "amber"),
        ("not known", sum(count for _, count in exchange.not_known), "heather"),
    )
    spans = [*padded(line(("", "text")), LABEL)]
    for name, count, role in counts:
        spans += [Span(f"{count} ", f"*{role}" if count else "quiet"), Span(f"{name}   ", "quiet")]
    rows = [
        cut(tuple(spans), width),
        *times.rows("round trip", exchange.round_trip, width),
    ]
    for each in exchange.wrongs[-WRONGS_SHOWN:]:
        asked, wanted, came = (safe_label(text)[:40] for text in (each.message, each.wanted, each.came))
        words = f"round {each.round}: asked {asked!r}, expected {wanted!r}, came "
        rows.append(cut(line((words, "quiet"), (repr(came), "coral")), width))
    return rows


def _outages(trial: TrialSnapshot, width: int) -> list[Line]:
    rows = []
    for each in trial.directions:
        for outage in each.outages[-OUTAGES_SHOWN:]:
            lasted = "still" if outage.end is None else figures.duration((outage.end - outage.begin) / SECOND)
            role = "*coral" if outage.end is None else "text"
            noun = NOUNS.get(trial.described.kind, "probes").removesuffix("s")
            words = f"{clock(outage.begin, 0)}  {lasted}, {figures.several(outage.lost, noun)} not delivered"
            rows.append(cut(line((f"{_way(each):<{LABEL}}", "quiet"), (words, role)), width))
    return [*titled("OUTAGES", rows), BLANK] if rows else []


def _meaning(found: Verdict, width: int) -> list[Line]:
    rows: list[Line] = []
    for number, each in enumerate(found.findings, 1):
        words = line((f"{number}  ", "amber"), (f"{safe_label(each.text)} ", "text"), (safe_label(each.next), "quiet"))
        rows += wrapped(words, width)
    return titled("WHAT IT MEANS", rows) if rows else []
