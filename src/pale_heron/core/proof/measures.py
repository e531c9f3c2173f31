"""How each figure that an expectation may be about is taken: small functions, for the table of names alone."""

from collections.abc import Callable, Collection
from math import hypot
from statistics import fmean
from typing import Final

from pale_heron.core.clock.pulse import PulseSnapshot
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.course import Start
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.fates import DeliverySnapshot
from pale_heron.core.link.figures import Z_95, wilson
from pale_heron.core.link.judging import completeness
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.proof.intervals import (
    deviation_95,
    mean_95,
    quantile_95,
    rate_95,
    share_95,
    worth,
)
from pale_heron.core.proof.measured import NOTHING, Evident, Measured, RecordFacts, Value

MS: Final = 1000.0
UNKNOWN: Final = "unknown"
FIX_MEMORY: Final = 10
"""A fix that comes or goes stays so for some epochs: of a record in which it never did so many count as one."""


def counted(value: Value) -> Measured:
    return Measured(value, 1)


# Line


def bad_share(lane: LaneSnapshot, _: str) -> Measured:
    from pale_heron.core.proof.comparing import clustering

    line = lane.line
    checked = line.valid + line.damaged
    if not checked:
        return NOTHING
    found = Measured(line.damaged / checked, checked)
    return found.within(share_95(line.damaged, checked, clustering(line)))


def readable_share(lane: LaneSnapshot, _: str) -> Measured:
    line, share = lane.line, lane.line.readable_share
    found = Measured(share, line.framed_bytes)
    # The bytes of one frame are damaged together.
    return found if share is None or not line.frames else found.within(share_95(share * line.frames, line.frames))


def type_count(lane: LaneSnapshot, kind: str) -> Measured:
    found = next((each.count for each in lane.line.types if each.type == kind), 0)
    return Measured(found, 1)


def type_rate(lane: LaneSnapshot, kind: str) -> Measured:
    found = next((each for each in lane.line.types if each.type == kind), None)
    if found is None or found.mean_hz is None:
        return NOTHING
    between = max(1, found.count - 1)
    return Measured(found.mean_hz, found.count).within(rate_95(found.mean_hz, found.mean_hz / between))


# Fix


def level(lane: LaneSnapshot, _: str) -> Measured:
    fix = lane.fix
    if not fix.facts:
        return NOTHING
    # What was said last holds no longer where nothing came since.
    return Measured(UNKNOWN if fix.overdue_s is not None else fix.state.state, fix.epochs)


def fact(name: str) -> Callable[[LaneSnapshot, str], Measured]:
    def measure(lane: LaneSnapshot, _: str) -> Measured:
        fact = lane.fix.value(name)
        return NOTHING if fact is None or fact.value is None else Measured(fact.value, lane.fix.epochs)

    return measure


def fix_share(lane: LaneSnapshot, _: str) -> Measured:
    from pale_heron.core.gnss.scatter import numbers
    from pale_heron.core.gnss.states import is_fix

    fix = lane.fix
    if not fix.epochs:
        return NOTHING
    fixed = [is_fix(level) for level in numbers(fix.track, "level").tolist()]
    memory = float(FIX_MEMORY) if len(set(fixed)) < 2 else len(fixed) / worth(fixed)
    interval = share_95(fix.epochs_with_fix, fix.epochs, min(memory, fix.epochs))
    return Measured(fix.epochs_with_fix / fix.epochs, fix.epochs).within(interval)


def _slowest(lane: LaneSnapshot, seconds: Callable[[Start], float | None]) -> Measured:
    """Of all starts the longest; without a value while one of them has not come so far."""
    taken = [seconds(start) for start in lane.fix.history.starts if start.begin is not None]
    known = [each for each in taken if each is not None]
    return Measured(max(known) if known and len(known) == len(taken) else None, len(known))


def first_fix(lane: LaneSnapshot, _: str) -> Measured:
    return _slowest(lane, lambda start: start.seconds_to_first_fix)


def milestone(lane: LaneSnapshot, name: str) -> Measured:
    return _slowest(lane, lambda start: start.seconds_to(name))


def longest_outage(lane: LaneSnapshot, _: str) -> Measured:
    outages = lane.fix.history.outages
    end = lane.fix.said
    lasted = [((each.end or end or each.begin) - each.begin) / SECOND for each in outages]
    return Measured(max(lasted, default=0.0), lane.fix.epochs) if lane.fix.epochs else NOTHING


def scattered(name: str, share: float) -> Callable[[LaneSnapshot, str], Measured]:
    def measure(lane: LaneSnapshot, _: str) -> Measured:
        from pale_heron.core.gnss.scatter import scatter

        found = scatter(lane.fix.track)
        if found is None:
            return NOTHING
        distances = [hypot(*each) for each in found.offsets_m.tolist()]
        interval = quantile_95(distances, share, found.independent)
        return Measured(getattr(found, name), found.samples).within(interval)

    return measure


def cn0(lane: LaneSnapshot, _: str) -> Measured:
    known = [value for value in lane.fix.track.column("cn0") if value == value]
    return Measured(fmean(known), len(known)).within(mean_95(known)) if known else NOTHING


def cn0_by_minute(lane: LaneSnapshot) -> list[float]:
    """The means of whole minutes: what lies close together says the same twice."""
    minutes: dict[int, list[float]] = {}
    for epoch in lane.fix.track:
        moment = epoch.utc if epoch.utc is not None else epoch.arrived
        if epoch.cn0 is not None and moment is not None:
            minutes.setdefault(moment // (60 * SECOND), []).append(epoch.cn0)
    return [fmean(each) for each in minutes.values()]


# Module


def of_module(lane: LaneSnapshot, name: str) -> Measured:
    module = lane.module
    return NOTHING if module is None else Measured(getattr(module, name), module.exchanges)


def module_mode(lane: LaneSnapshot, _: str) -> Measured:
    return NOTHING if lane.module is None else counted(lane.module.mode)


def module_reading(lane: LaneSnapshot, name: str) -> Measured:
    reading = lane.module.readings.get(name) if lane.module is not None else None
    return NOTHING if reading is None else counted(_plain(reading.raw))


def module_setting(lane: LaneSnapshot, name: str) -> Measured:
    value = lane.module.values.get(name) if lane.module is not None else None
    return NOTHING if value is None else counted(_plain(value))


def module_reached(lane: LaneSnapshot, name: str) -> Measured:
    if name not in milestones_of(lane):
        return NOTHING
    return counted(lane.module is not None and name in lane.module.milestones)


def readings_of(lane: LaneSnapshot) -> Collection[str]:
    return lane.module.readings if lane.module is not None else ()


def settings_of(lane: LaneSnapshot) -> Collection[str]:
    return lane.module.dialect.settings if lane.module is not None else ()


def milestones_of(lane: LaneSnapshot) -> Collection[str]:
    """Those of its dialect, and what every module reaches that sends data."""
    return (*lane.module.dialect.milestones, *lane.module.milestones) if lane.module is not None else ()


def types_of(lane: LaneSnapshot) -> Collection[str]:
    return [each.type for each in lane.line.types]


def _plain(raw: str) -> Value:
    """A number where it is one."""
    try:
        return int(raw) if raw.lstrip("+-").isdecimal() else float(raw)
    except ValueError:
        return raw


# Link


def _worst(trial: TrialSnapshot, of: Callable[[DeliverySnapshot], float | None]) -> Measured:
    """Over all directions the largest; of as many as the direction with fewest. Where one shows nothing, none does."""
    known = [value for each in trial.directions if (value := of(each)) is not None]
    if not known or len(known) < len(trial.directions):
        return NOTHING
    return Measured(max(known), min(each.settled for each in trial.directions))


def _missing(trial: TrialSnapshot) -> int:
    """Of how many of what was asked for, in one direction, nothing is known."""
    known = completeness(trial)
    return 0 if trial.end is None or known.complete else known.never_sent + sum(known.not_known.values())


def not_delivered(trial: TrialSnapshot, _: str) -> Measured:
    """At worst, and at best: what is not known may have been lost, or not."""
    missing = _missing(trial)
    if trial.exchange is not None:
        counts = [(trial.exchange.bad, trial.exchange.rounds)]
    else:
        counts = [(each.not_delivered, each.settled) for each in trial.directions]
    if not counts or not all(of for _, of in counts):
        return NOTHING
    shares = [(bad / (of + missing), (bad + missing) / (of + missing)) for bad, of in counts]
    best, worst = (max(each) for each in zip(*shares, strict=True))
    lows = [each[0] for bad, of in counts if (each := wilson(bad, of + missing)) is not None]
    highs = [each[1] for bad, of in counts if (each := wilson(bad + missing, of + missing)) is not None]
    return Measured(worst, min(of for _, of in counts), best if missing else None, (max(lows), max(highs)))


def at_most_lost(trial: TrialSnapshot, _: str) -> Measured:
    low = _worst(trial, lambda each: each.share_95[0] if each.share_95 else None)
    high = _worst(trial, lambda each: each.share_95[1] if each.share_95 else None)
    return high._replace(at_best=low.value)


def summed(name: str) -> Callable[[TrialSnapshot, str], Measured]:
    """At worst and at best, where something is not known."""

    def measure(trial: TrialSnapshot, _: str) -> Measured:
        settled, missing = sum(each.settled for each in trial.directions), _missing(trial)
        if not settled:
            return NOTHING
        total = sum(getattr(each, name) for each in trial.directions)
        return Measured(total + missing, settled, total) if missing else Measured(total, settled)

    return measure


def not_known(trial: TrialSnapshot, _: str) -> Measured:
    known = completeness(trial)
    return Measured(known.never_sent + sum(known.not_known.values()), known.asked or known.sent)


def latency(name: str, share: float) -> Callable[[TrialSnapshot, str], Measured]:
    """Of the slower direction; one of which nothing came has none to tell, and then neither has the trial."""

    def measure(trial: TrialSnapshot, _: str) -> Measured:
        if trial.exchange is not None:
            found = [trial.exchange.round_trip]
        else:
            found = [trial.trip.latency] if trial.trip is not None else [way.latency for way in trial.directions]
        times = [each for each in found if each is not None]
        if not times or len(times) < len(found):
            return NOTHING
        value = Measured(MS * max(getattr(each, name) for each in times), min(each.samples for each in times))
        ends = [each for one in times if (each := quantile_95(one.kept, share)) is not None]
        # The largest of several lies no lower than any of them.
        return value.within((max(low for low, _ in ends), max(high for _, high in ends)) if ends else None, MS)

    return measure


def throughput(trial: TrialSnapshot, _: str) -> Measured:
    """That of the slower direction; one of which nothing came is the slowest of all."""
    from pale_heron.core.link.speed import speeds

    found = [each.payload for each in speeds(trial)]
    known = [each for each in found if each is not None]
    if not known or len(known) < len(found):
        return NOTHING
    found_rate = 8 * min(known)
    steady = [each.steady for each in trial.bulk if each.steady is not None]
    shortest = min((each.end - each.begin for each in steady), default=0)
    value = Measured(found_rate, sum(each.settled for each in trial.directions))
    return value.within(rate_95(found_rate, 8 * trial.described.size * SECOND / shortest)) if shortest > 0 else value


def trial_verdict(trial: TrialSnapshot, _: str) -> Measured:
    counted = trial.exchange.rounds if trial.exchange is not None else sum(each.settled for each in trial.directions)
    return Measured(verdict(trial).result, counted)


# Clock


def lag(known: Evident, kind: str, lane: str) -> Measured:
    for name, lags in known.clock.lanes:
        for each in lags.types:
            if each.type == kind and lane in ("", name):
                interval = quantile_95(each.lag.kept, 0.5)
                return Measured(MS * each.lag.median, each.lag.samples).within(interval, MS)
    return NOTHING


def offset(name: str, scale: float, *shares: float) -> Callable[[Evident, str, str], Measured]:
    """A percentile of what to give, or the difference of two."""

    def measure(known: Evident, _: str, lane: str) -> Measured:
        offset = known.clock.offset
        if offset is None or lane not in ("", offset.lane):
            return NOTHING
        found = Measured(scale * getattr(offset, name), offset.samples)
        types = dict(known.clock.lanes)[offset.lane].types
        kept = next((each.lag.kept for each in types if each.type == offset.type), ())
        ends = [each for share in shares if (each := quantile_95(kept, share)) is not None]
        if len(ends) < len(shares):
            return found
        low, high = ends[0]
        for begin, end in ends[1:]:
            low, high = max(0.0, low - end), high - begin
        return found.within((low, high), scale)

    return measure


def pulse_deviation(pulses: PulseSnapshot) -> Measured:
    interval = pulses.interval
    if interval is None:
        return NOTHING
    found = Measured(1e6 * interval.deviation, pulses.intervals)
    return found.within(deviation_95(interval.deviation, pulses.intervals), 1e6)


def pulse_drift(pulses: PulseSnapshot) -> Measured:
    drift = pulses.drift
    if drift is None:
        return NOTHING
    half = Z_95 * drift.error_ppm
    return Measured(drift.ppm, pulses.pulses).within((drift.ppm - half, drift.ppm + half))


def of_pulses(of: Callable[[PulseSnapshot], Measured | Value]) -> Callable[[Evident, str, str], Measured]:
    """Of the source that is named behind, else of the first one of the lane."""

    def measure(known: Evident, source: str, lane: str) -> Measured:
        fitting = [each for each in known.clock.pulses if source in ("", each.source) and lane in ("", each.lane)]
        if not fitting or not fitting[0].pulses:
            return NOTHING
        found = of(fitting[0])
        return found if isinstance(found, Measured) else Measured(found, fitting[0].pulses)

    return measure


def second_named(known: Evident, _: str, lane: str) -> Measured:
    names = [lane] if lane else [name for name, _ in known.clock.lanes]
    found = next((each for name in names if (each := known.clock.named_on(name)) is not None), None)
    return NOTHING if found is None or found.second is None else Measured(found.second, found.of)


def synchronised(known: Evident, _: str, __: str) -> Measured:
    host = known.clock.host
    return NOTHING if host is None else counted(host.synchronised)


# Record


def of_record(of: Callable[[RecordFacts], Value]) -> Callable[[Evident], Measured]:
    return lambda known: Measured(of(known.record), 1) if of(known.record) is not None else NOTHING


def of_line(name: str) -> Callable[[LaneSnapshot, str], Measured]:
    return lambda lane, _: counted(getattr(lane.line, name))


def of_lane(of: Callable[[LaneSnapshot], Value]) -> Callable[[LaneSnapshot, str], Measured]:
    return lambda lane, _: counted(of(lane))
