"""How each figure that an expectation may be about is taken: small functions, for the table of names alone."""

from collections.abc import Callable
from statistics import fmean
from typing import Final

from pale_heron.core.clock.pulse import PulseSnapshot
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.course import Start
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.fates import DeliverySnapshot
from pale_heron.core.link.judging import completeness
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.proof.measured import NOTHING, Evident, Measured, RecordFacts, Value

MS: Final = 1000.0


def counted(value: Value) -> Measured:
    return Measured(value, 1)


# Line


def bad_share(lane: LaneSnapshot, _: str) -> Measured:
    checked = lane.line.valid + lane.line.damaged
    return Measured(lane.line.damaged / checked, checked) if checked else NOTHING


def readable_share(lane: LaneSnapshot, _: str) -> Measured:
    return Measured(lane.line.readable_share, lane.line.framed_bytes)


def type_count(lane: LaneSnapshot, kind: str) -> Measured:
    found = next((each.count for each in lane.line.types if each.type == kind), 0)
    return Measured(found, 1)


def type_rate(lane: LaneSnapshot, kind: str) -> Measured:
    found = next((each for each in lane.line.types if each.type == kind), None)
    return NOTHING if found is None or found.mean_hz is None else Measured(found.mean_hz, found.count)


# Fix


def level(lane: LaneSnapshot, _: str) -> Measured:
    fix = lane.fix
    if not fix.facts:
        return NOTHING
    # What was said last holds no longer where nothing came since.
    return Measured("unknown" if fix.overdue_s is not None else fix.state.state, fix.epochs)


def fact(name: str) -> Callable[[LaneSnapshot, str], Measured]:
    def measure(lane: LaneSnapshot, _: str) -> Measured:
        fact = lane.fix.value(name)
        return NOTHING if fact is None or fact.value is None else Measured(fact.value, lane.fix.epochs)

    return measure


def fix_share(lane: LaneSnapshot, _: str) -> Measured:
    fix = lane.fix
    return Measured(fix.epochs_with_fix / fix.epochs, fix.epochs) if fix.epochs else NOTHING


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


def scattered(name: str) -> Callable[[LaneSnapshot, str], Measured]:
    def measure(lane: LaneSnapshot, _: str) -> Measured:
        from pale_heron.core.gnss.scatter import scatter

        found = scatter(lane.fix.track)
        return NOTHING if found is None else Measured(getattr(found, name), found.samples)

    return measure


def cn0(lane: LaneSnapshot, _: str) -> Measured:
    known = [value for epoch in lane.fix.track if (value := epoch.cn0) is not None]
    return Measured(fmean(known), len(known)) if known else NOTHING


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
    return NOTHING if lane.module is None else counted(name in lane.module.milestones)


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
        rounds, bad = trial.exchange.rounds, trial.exchange.bad
        if not rounds:
            return NOTHING
        found = Measured((bad + missing) / (rounds + missing), rounds)
        return found._replace(at_best=bad / (rounds + missing)) if missing else found
    if not missing:
        return _worst(trial, lambda each: each.share)
    low = _worst(trial, lambda each: each.not_delivered / (each.settled + missing) if each.settled else None)
    high = _worst(
        trial, lambda each: (each.not_delivered + missing) / (each.settled + missing) if each.settled else None
    )
    return high._replace(at_best=low.value)


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


def latency(name: str) -> Callable[[TrialSnapshot, str], Measured]:
    """Of the slower direction; one of which nothing came has none to tell, and then neither has the trial."""

    def measure(trial: TrialSnapshot, _: str) -> Measured:
        if trial.exchange is not None:
            found = [trial.exchange.round_trip]
        else:
            found = [trial.trip.latency] if trial.trip is not None else [way.latency for way in trial.directions]
        times = [each for each in found if each is not None]
        if not times or len(times) < len(found):
            return NOTHING
        return Measured(MS * max(getattr(each, name) for each in times), min(each.samples for each in times))

    return measure


def throughput(trial: TrialSnapshot, _: str) -> Measured:
    """That of the slower direction; one of which nothing came is the slowest of all."""
    from pale_heron.core.link.speed import speeds

    found = [each.payload for each in speeds(trial)]
    known = [each for each in found if each is not None]
    if not known or len(known) < len(found):
        return NOTHING
    return Measured(8 * min(known), sum(each.settled for each in trial.directions))


def trial_verdict(trial: TrialSnapshot, _: str) -> Measured:
    counted = trial.exchange.rounds if trial.exchange is not None else sum(each.settled for each in trial.directions)
    return Measured(verdict(trial).result, counted)


# Clock


def lag(known: Evident, kind: str, lane: str) -> Measured:
    for name, lags in known.clock.lanes:
        for each in lags.types:
            if each.type == kind and lane in ("", name):
                return Measured(MS * each.lag.median, each.lag.samples)
    return NOTHING


def offset(name: str, scale: float) -> Callable[[Evident, str, str], Measured]:
    def measure(known: Evident, _: str, lane: str) -> Measured:
        offset = known.clock.offset
        if offset is None or lane not in ("", offset.lane):
            return NOTHING
        return Measured(scale * getattr(offset, name), offset.samples)

    return measure


def of_pulses(of: Callable[[PulseSnapshot], Value]) -> Callable[[Evident, str, str], Measured]:
    """Of the source that is named behind, else of the first one of the lane."""

    def measure(known: Evident, source: str, lane: str) -> Measured:
        fitting = [each for each in known.clock.pulses if source in ("", each.source) and lane in ("", each.lane)]
        return Measured(of(fitting[0]), fitting[0].pulses) if fitting and fitting[0].pulses else NOTHING

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
