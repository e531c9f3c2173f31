"""What a report holds, whatever it is written as: question by question the answers, and what carries them."""

from collections.abc import Iterator
from functools import partial
from typing import TYPE_CHECKING, Final

from pale_heron.answers.answer import QUESTIONS, ViewAnswer
from pale_heron.answers.clock import clock_answer
from pale_heron.answers.fix import fix_answer
from pale_heron.answers.line import line_answer
from pale_heron.answers.link import link_answer
from pale_heron.answers.module import module_answer
from pale_heron.bench.redacting import COARSE, EXACT, NONE
from pale_heron.core import figures
from pale_heron.core.clock.clock_words import host_lines, naming_words, server_words
from pale_heron.core.clock.pulse_words import pulse_lines
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.scatter import scatter
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.description import WIRINGS
from pale_heron.core.link.verdict import verdict
from pale_heron.core.link.words import COLUMNS, counts_of, latency_words
from pale_heron.core.proof.expectation import FAILED, NOT_SHOWN, PASSED
from pale_heron.core.proof.marks import kind_words, measured_parts
from pale_heron.core.proof.picture import all_happenings
from pale_heron.core.proof.together import HappenedTogether, sending_words, together, while_sending
from pale_heron.core.utc import iso
from pale_heron.core.wire.visible import safe_label
from pale_heron.report.charts import KINDS as FIX_KINDS
from pale_heron.report.charts import ChartInput, was_moving
from pale_heron.report.clock_charts import CLOCK_KINDS, ClockChartInput
from pale_heron.report.in_short import in_short, printed
from pale_heron.report.kinds import CHARTS, CLOCK_CHARTS, LINK_CHARTS, RECORD_CHARTS
from pale_heron.report.link_charts import LINK_KINDS, TrialChartInput
from pale_heron.report.record_chart import RECORD_KINDS, RecordChartInput
from pale_heron.report.report import (
    Report,
    ReportAnswer,
    ReportChart,
    ReportMatter,
    ReportPart,
    ReportTable,
    ReportWishes,
)

if TYPE_CHECKING:
    pass

PLACES: Final = {
    EXACT: "positions stand as they were reported",
    COARSE: "positions are moved by one offset that is kept nowhere; distances stay, to some thousandths",
    NONE: "positions, cells and areas are left out",
}
OUTCOME_ROLES: Final = {PASSED: "reed", FAILED: "coral", NOT_SHOWN: "amber"}
MOST_MARKS: Final = 200
MOST_GROUPS: Final = 20
MOST_TRIALS: Final = 40
MOST_TYPES: Final = 24


def report_of(matter: ReportMatter, wishes: ReportWishes) -> Report:
    """Everything that there is something to say of, in the order of the views."""
    makers = (_expected, _record, _line, _fix, _clock, _modules, _link)
    parts = [part for make in makers if (part := make(matter, wishes)) is not None]
    if wishes.short:
        parts = [
            part._replace(tables=part.tables if part.title == EXPECTED else (), charts=(), notes=()) for part in parts
        ]
        parts = [part for part in parts if part.answers or part.tables]
    said = (("made by", safe_label(wishes.by)), ("where", safe_label(wishes.where)))
    facts = (*(pair for pair in said if pair[1]), *matter.facts)
    title = safe_label(wishes.title) or f"Report on {matter.source}"
    overview = None if wishes.short else _overview(matter)
    left_out = tuple(_left_out(matter, wishes))
    return Report(title, facts, in_short(matter), overview, tuple(parts), left_out, matter.shown.now)


def _overview(matter: ReportMatter) -> ReportChart | None:
    """All lanes on one axis."""
    shown = matter.shown
    if not matter.timed or not any(lane.line.bytes_in or lane.line.bytes_out for lane in shown.lanes):
        return None
    charted = RecordChartInput(matter.source, shown.lanes, shown.chronicle, shown.marks, shown.began, shown.now)
    return ReportChart(RECORD_CHARTS["lanes"].capitalize(), partial(RECORD_KINDS["lanes"], charted))


EXPECTED: Final = "Expectations"


def _answer(subject: str, answer: ViewAnswer) -> ReportAnswer:
    return ReportAnswer(safe_label(subject), answer.role, printed(answer.text))


def _expected(matter: ReportMatter, _: ReportWishes) -> ReportPart | None:
    if not matter.judged:
        return None
    counts = {outcome: sum(each.outcome == outcome for each in matter.judged) for outcome in OUTCOME_ROLES}
    worst = FAILED if counts[FAILED] else NOT_SHOWN if counts[NOT_SHOWN] else PASSED
    words = f"{counts[PASSED]} of {len(matter.judged)} passed, {counts[FAILED]} failed, {counts[NOT_SHOWN]} not shown."
    rows = tuple(
        (
            safe_label(each.expectation.what),
            each.outcome.replace("-", " "),
            safe_label(each.expectation.place) or "–",
            f"{each.expectation.that} {each.expectation.wanted}",
            safe_label(each.words),
        )
        for each in matter.judged
    )
    table = ReportTable("What was expected", ("expectation", "outcome", "of", "wanted", "found"), rows)
    subject = safe_label(matter.expected_title)
    return ReportPart(EXPECTED, "Does it hold?", (ReportAnswer(subject, OUTCOME_ROLES[worst], words),), (table,))


def _line(matter: ReportMatter, _: ReportWishes) -> ReportPart | None:
    lanes = matter.shown.lanes
    answers = tuple(_answer(lane.name, line_answer(matter.shown, lane)) for lane in lanes)
    rows = tuple(_lane_row(lane) for lane in lanes)
    heads = ("lane", "role", "address", "settings", "received", "sent", "valid", "damaged", "legible", "returns")
    tables = [ReportTable("Lanes", heads, rows)]
    for lane in lanes:
        types = sorted(lane.line.types, key=lambda each: -each.count)[:MOST_TYPES]
        said = tuple(
            (safe_label(each.type), figures.count(each.count), _hz(each.mean_hz), figures.count(each.bad))
            for each in types
        )
        if said:
            tables.append(
                ReportTable(f"Types on {safe_label(lane.name)}", ("type", "count", "a second", "damaged"), said)
            )
    notes = tuple(
        printed(f"{safe_label(lane.name)}: {found.text} {found.next}") for lane in lanes for found in lane.findings
    )
    return ReportPart("Line", QUESTIONS["line"], answers, tuple(tables), (), notes) if lanes else None


def _lane_row(lane: LaneSnapshot) -> tuple[str, ...]:
    line = lane.line
    legible = "–" if line.readable_share is None else figures.share(line.readable_share, 1)
    return (
        safe_label(lane.name),
        safe_label(lane.role) or "–",
        safe_label(lane.address) or "–",
        str(lane.settings or "–"),
        figures.size(line.bytes_in),
        figures.size(line.bytes_out),
        figures.count(line.valid_sentences),
        figures.count(line.damaged),
        legible,
        str(lane.returns),
    )


def _hz(rate: float | None) -> str:
    return "–" if rate is None else f"{rate:.2f}"


def _fix(matter: ReportMatter, wishes: ReportWishes) -> ReportPart | None:
    lanes = [lane for lane in matter.shown.lanes if lane.fix.facts or lane.fix.sky.satellites]
    if not lanes:
        return None
    answers, rows = [], []
    charts: list[ReportChart] = []
    for lane in lanes:
        answers.append(_answer(lane.name, fix_answer(matter.shown, lane, scatter(lane.fix.track))))
        charts += _fix_charts(matter, lane)
        rows.append(_fix_row(lane, wishes))
    heads = ("lane", "state", "epochs", "with a fix", "first fix", "outages", "longest", "position")
    return ReportPart(
        "Fix", QUESTIONS["fix"], tuple(answers), (ReportTable("Receivers", heads, tuple(rows)),), tuple(charts)
    )


def _fix_row(lane: LaneSnapshot, wishes: ReportWishes) -> tuple[str, ...]:
    fix = lane.fix
    firsts = [each.seconds_to_first_fix for each in fix.history.starts if each.seconds_to_first_fix is not None]
    lasted = [each.seconds for each in fix.history.outages if each.seconds is not None]
    return (
        safe_label(lane.name),
        f"{fix.state.state} {fix.state.kind}".strip(),
        figures.count(fix.epochs),
        figures.share(fix.epochs_with_fix / fix.epochs) if fix.epochs else "–",
        f"{min(firsts):.1f} s" if firsts else "–",
        str(len(fix.history.outages)),
        figures.duration(max(lasted)) if lasted else "–",
        _position(lane, wishes.place),
    )


def _position(lane: LaneSnapshot, place: str) -> str:
    facts = [lane.fix.value(name) for name in ("latitude", "longitude")]
    values = [fact.value for fact in facts if fact is not None and isinstance(fact.value, float)]
    if len(values) != 2 or place == NONE:
        return "left out" if place == NONE and values else "–"
    return f"{values[0]:.6f}°, {values[1]:.6f}°"


def _fix_charts(matter: ReportMatter, lane: LaneSnapshot) -> Iterator[ReportChart]:
    """What is drawn of a receiver: about a mean of its own, so that no drawing says where it was."""
    charted = ChartInput(matter.source, lane, None, None, matter.shown.marks, matter.dated)
    kinds = ["ribbon", "signal"] if was_moving(lane) else ["ribbon", "scatter", "signal"]
    for kind in kinds:
        yield ReportChart(f"{safe_label(lane.name)}: {CHARTS[kind]}", partial(FIX_KINDS[kind], charted))


def _clock(matter: ReportMatter, _: ReportWishes) -> ReportPart | None:
    picture = matter.known.clock
    if not picture.tells:
        return None
    charted = ClockChartInput(matter.source, picture)
    kinds = ["lag"] if any(lags.types for _, lags in picture.lanes) else []
    kinds += ["intervals", "offset", "steadiness"] if picture.pulses else []
    charts = tuple(ReportChart(CLOCK_CHARTS[kind], partial(CLOCK_KINDS[kind], charted)) for kind in kinds)
    notes = [words for lane, lags in picture.lanes for words in naming_words(lane, picture.named_on(lane), lags)]
    notes += [line.strip() for each in picture.pulses for line in pulse_lines(each)]
    notes += [server_words(each) for each in picture.network]
    notes += host_lines(picture)
    rows = tuple(
        (
            safe_label(lane),
            safe_label(each.type),
            figures.count(each.lag.samples),
            *(f"{1000 * value:.1f}" for value in (each.lag.least, each.lag.median, each.lag.p95, each.lag.most)),
        )
        for lane, lags in picture.lanes
        for each in lags.types
    )
    heads = ("lane", "type", "samples", "least", "median", "95 %", "most")
    tables = (ReportTable("After the second, ms", heads, rows),) if rows else ()
    return ReportPart("Clock", QUESTIONS["clock"], (_answer("", clock_answer(picture)),), tables, charts, tuple(notes))


def _modules(matter: ReportMatter, _: ReportWishes) -> ReportPart | None:
    lanes = [lane for lane in matter.shown.lanes if lane.module is not None and lane.module.exchanges]
    if not lanes:
        return None
    answers = tuple(_answer(lane.name, module_answer(lane, {})) for lane in lanes)
    rows = tuple(
        (safe_label(lane.name), reading.field.meaning or name, reading.words)
        for lane in lanes
        if lane.module is not None
        for name, reading in lane.module.readings.items()
    )
    cleaned = tuple(tuple(safe_label(each) for each in row) for row in rows)
    tables = [ReportTable("What they said last", ("lane", "reading", "value"), cleaned)] if rows else []
    settings = tuple(row for lane in lanes for row in _settings(lane))
    heads = ("lane", "setting", "value", "how it stands")
    tables += [ReportTable("Settings as they were read or written", heads, settings)] if settings else []
    return ReportPart("Module", QUESTIONS["module"], answers, tuple(tables))


def _settings(lane: LaneSnapshot) -> Iterator[tuple[str, ...]]:
    """What is known of the settings of a module; secrets have their mask."""
    assert lane.module is not None
    for name, state in lane.module.settings.items():
        setting = lane.module.dialect.settings.get(name)
        if setting is not None and state.now:
            row = lane.name, setting.meaning or name, setting.shown(state.now), state.storage
            yield tuple(safe_label(each) for each in row)


def _link(matter: ReportMatter, _: ReportWishes) -> ReportPart | None:
    trials = matter.known.trials[-MOST_TRIALS:]
    if not trials:
        return None
    first = len(matter.known.trials) - len(trials) + 1
    answers, rows, charts, notes = [], [], [], []
    counted: list[tuple[str, ...]] = []
    for number, trial in enumerate(trials, first):
        found = verdict(trial)
        name = f"trial {number}, {trial.described.kind}"
        answers.append(_answer(name, link_answer(trial)))
        wiring = f"wired {WIRINGS[trial.wiring]}" if trial.wiring in WIRINGS else "how it was wired was not said"
        lanes = " and ".join(safe_label(lane) for lane in trial.described.lanes)
        rows.append((str(number), trial.described.kind, lanes, iso(trial.begin)[:19], found.result, wiring))
        for way in trial.directions:
            name_of_way = f"{safe_label(way.sender)} ▸ {safe_label(way.receiver)}"
            counts = (str(count) for count in counts_of(way))
            counted.append((str(number), name_of_way, *counts, latency_words(way.latency)))
        charted = TrialChartInput(matter.source, trial, matter.probes.of(trial))
        kinds = ["throughput"] if trial.bulk else ["latency", "delivery"]
        kinds += ["reach"] if trial.ranges else []
        charts += [ReportChart(f"{name}: {LINK_CHARTS[kind]}", partial(LINK_KINDS[kind], charted)) for kind in kinds]
        notes += [printed(f"{name}: {each.text} {each.next}") for each in found.findings]
    heads = ("trial", "kind", "ends", "begin, UTC", "verdict", "how it was wired")
    ways = ("trial", "way", *COLUMNS, "latency")
    return ReportPart(
        "Link",
        QUESTIONS["link"],
        tuple(answers),
        (
            ReportTable("Trials", heads, tuple(rows)),
            *([ReportTable("What became of what was sent", ways, tuple(counted))] if counted else []),
        ),
        tuple(charts),
        tuple(notes),
    )


def _record(matter: ReportMatter, _: ReportWishes) -> ReportPart | None:
    """What was noted, what was measured, and what happened together."""
    shown = matter.shown
    if not matter.timed or not any(lane.line.bytes_in or lane.line.bytes_out for lane in shown.lanes):
        return None
    marks = shown.marks[:MOST_MARKS]
    rows = tuple((f"{iso(mark.moment)[11:19]} UTC", safe_label(kind_words(mark))) for mark in marks)
    parts = tuple(
        (
            safe_label(part.name),
            f"{iso(part.begin)[11:19]} UTC",
            figures.duration(((part.end or shown.now) - part.begin) / SECOND),
        )
        for part in measured_parts(shown.marks)
    )
    tables = [ReportTable("Marks", ("when", "what"), rows)] if rows else []
    tables += [ReportTable("Measured parts", ("part", "from", "for"), parts)] if parts else []
    happened = together(all_happenings(shown.lanes, shown.chronicle, shown.marks))
    notes = [sending_words(each) for each in while_sending(shown.lanes, shown.chronicle.strips)]
    notes += [_group_words(group) for group in happened[:MOST_GROUPS]]
    said = (
        f"{figures.duration((shown.now - shown.began) / SECOND)} of {figures.several(len(shown.lanes), 'lane')}, "
        f"{figures.several(len(shown.marks), 'mark')}. What happens together is not shown to be cause and effect."
    )
    answer = ReportAnswer("", "quiet", said)
    return ReportPart("Record", "What was recorded?", (answer,), tuple(tables), (), tuple(map(safe_label, notes)))


def _group_words(group: HappenedTogether) -> str:
    """What happened together, in a line."""
    said = "; ".join(f"{each.lane}: {each.words}" if each.lane else each.words for each in group.happenings)
    return f"{iso(group.happenings[0].moment)[11:19]} UTC, within {figures.duration(group.within_s)}: {said}"


def _left_out(matter: ReportMatter, wishes: ReportWishes) -> Iterator[str]:
    if not matter.timed:
        yield (
            "It is a raw log: nothing in it says when its bytes came. Times are those that its sentences tell; how "
            "late they came, silences of the line, what happened together and how the line was set cannot be known."
        )
    people = "" if wishes.place == EXACT else "; so are numbers, texts of messages, names and addresses of hosts"
    yield f"Secrets of modules are masked{people}."
    yield f"Of the place: {PLACES[wishes.place]}. Drawings are about a mean of their own."
    if matter.joined is not None:
        yield matter.joined.words
    if matter.known.record.torn:
        yield f"The file does not end whole: {matter.known.record.torn}."
    if len(matter.known.trials) > MOST_TRIALS:
        yield f"Of {len(matter.known.trials)} trials the last {MOST_TRIALS} stand here."
    if len(matter.shown.marks) > MOST_MARKS:
        yield f"Of {len(matter.shown.marks)} marks the first {MOST_MARKS} stand here."
    if any(lane.line.bytes_in == 0 for lane in matter.shown.lanes):
        silent = ", ".join(safe_label(lane.name) for lane in matter.shown.lanes if not lane.line.bytes_in)
        yield f"Nothing was received on: {silent}."
