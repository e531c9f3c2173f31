"""What a trial shows, in words: whether the link holds, how sure that is, and what to do next."""

from typing import Final, NamedTuple

from pale_heron.core.figures import several
from pale_heron.core.link.certainty import certainty, percent
from pale_heron.core.link.description import BEACON, DELIVERY, FOLLOWED, SENTENCES, THROUGHPUT
from pale_heron.core.link.exchange import ExchangeSnapshot
from pale_heron.core.link.fates import DeliverySnapshot
from pale_heron.core.link.figures import probes_for
from pale_heron.core.link.findings import FAILS, HOLDS, INCONCLUSIVE, LinkFinding
from pale_heron.core.link.judging import Completeness, completeness, judged, more_needed, worst
from pale_heron.core.link.reach_words import range_findings, range_words
from pale_heron.core.link.sentence_verdict import sentence_findings, sentence_words
from pale_heron.core.link.throughput_verdict import throughput_findings, throughput_words
from pale_heron.core.link.trial_snapshot import COUNT, ENDINGS, TIME, TrialSnapshot
from pale_heron.core.utc import clock

FEW: Final = 10
LEAST_SPACED: Final = 3
RESTS, RESTS_S = 2.0, 0.02
"""Rounds that follow at once take so many times as long, and so many seconds more: the far end rests between them."""

NOUNS: Final = {THROUGHPUT: "blocks", SENTENCES: "sentences", BEACON: "lines"}
"""What is counted, where it is no probe."""


class Verdict(NamedTuple):
    """`result` is holds, fails or inconclusive; `why` says so with its figures."""

    result: str
    why: str
    findings: tuple[LinkFinding, ...]


def verdict(trial: TrialSnapshot) -> Verdict:
    """Of a trial that is over, or as it stands."""
    known = completeness(trial)
    if trial.exchange is not None:
        result, why = _exchange(trial, trial.exchange, known)
    elif trial.described.kind == BEACON:
        result, why = _beacon(trial)
    elif trial.described.kind == SENTENCES:
        result, why = sentence_words(trial)
    else:
        result, why = throughput_words(trial) if trial.bulk else _delivery(trial, known)
    if result == HOLDS and trial.described.wiring == "loop":
        result, why = INCONCLUSIVE, f"It was wired as a loop, which proves the cable only. {why}"
    if result == HOLDS and not known.complete:
        result = INCONCLUSIVE
    alone = len(trial.ranges) == 1
    placed = bool(trial.described.position)
    ranged = filter(None, (range_words(each, named=not alone, placed=placed) for each in trial.ranges))
    # What fails, fails, and what shows nothing shows nothing; of all else it comes first that it was not all.
    ended, shown = _end_words(trial, known), any(each.settled for each in trial.directions)
    why = " ".join([*ended, why, *ranged] if result != FAILS and shown else [why, *ended, *ranged])
    findings = throughput_findings(trial), sentence_findings(trial), range_findings(trial), _findings(trial)
    return Verdict(result, why, tuple(each for found in findings for each in found))


def _end_words(trial: TrialSnapshot, known: Completeness) -> list[str]:
    """What keeps a trial that is over from being complete."""
    if trial.end is None or known.complete:
        return []
    parts = []
    if known.never_sent or trial.ended_by not in (COUNT, TIME):
        sent = f" when {known.sent} of {known.asked} were sent" if known.never_sent else ""
        parts.append(f"{ENDINGS.get(trial.ended_by, 'it was ended')}{sent}")
    reasons = [f"{count} ({reason})" for reason, count in sorted(known.not_known.items()) if count]
    parts += [f"what became of {', '.join(reasons)} is not known"] if reasons else []
    return [f"Not complete: {'; '.join(parts)}."]


def _beacon(trial: TrialSnapshot) -> tuple[str, str]:
    """A line that comes again and again: how much of it came, of all and of the last minute."""
    lane = trial.described.lanes[0]
    if not trial.directions:
        what = f"matches {trial.described.line!r}" if trial.described.line else "comes at even distances"
        return INCONCLUSIVE, f"Nothing on {lane} {what} yet: four in a row show how often it comes."
    (way,) = trial.directions
    words = direction_words(trial, way, completeness(trial))
    if trial.end is None and trial.recent is not None and trial.recent[1]:
        words += f" Of the last minute {trial.recent[0]} of {trial.recent[1]} came."
    return judged(way.not_delivered, way.settled, trial.described.at_most_lost), words


def _delivery(trial: TrialSnapshot, known: Completeness) -> tuple[str, str]:
    allowed = trial.described.at_most_lost
    words = [direction_words(trial, each, known) for each in trial.directions]
    results = {judged(each.not_delivered, each.settled, allowed) for each in trial.directions}
    if trial.own_bytes_back and trial.described.far != "echo":
        mirrored = "A lane hears its own bytes: a loop or an echo, which proves the cable only. "
        return INCONCLUSIVE, mirrored + " ".join(words)
    if trial.trip is not None:
        # Each way may lose its share.
        both = 1 - (1 - allowed) ** 2
        results.add(judged(trial.trip.not_delivered, trial.trip.settled, both))
        words += _trip_words(trial, trial.trip)
    if trial.described.far == "echo" and worst(results) == HOLDS:
        words.append("The far end sends back what it gets: both ways together, neither by itself.")
    if worst(results) == INCONCLUSIVE and allowed:
        words += [_more(each, allowed) for each in trial.directions]
    return worst(results), " ".join(filter(None, words)) or "Nothing was sent."


def _trip_words(trial: TrialSnapshot, trip: DeliverySnapshot) -> list[str]:
    """What is known of probes and their answers together."""
    words = [f"{several(trip.late, 'answer')} came late."] if trip.late else []
    if trial.unanswered:
        last = "The last one was" if trial.unanswered == 1 else f"The last {trial.unanswered} were"
        words.append(f"{last} not answered: which way is broken cannot be seen from here.")
    for each in trial.directions[:1]:
        times = " and ".join(clock(moment, 0) for moment in each.restarts[:3])
        words += [f"The far end began to count again at {times}."] if times else []
    return words


def _more(each: DeliverySnapshot, allowed: float) -> str:
    """What would decide it."""
    if judged(each.not_delivered, each.settled, allowed) != INCONCLUSIVE:
        return ""
    needed = more_needed(each.not_delivered, each.settled, allowed)
    way = f"{each.sender} ▸ {each.receiver}"
    if needed is None:
        return f"{way}: too close to {percent(allowed)} to be decided by counting."
    return f"{way}: about {needed} more would decide it."


def direction_words(trial: TrialSnapshot, each: DeliverySnapshot, known: Completeness) -> str:
    """One direction as a person signs it: what was asked and sent, what became of it, how sure that is."""
    way, bad, allowed = f"{each.sender} ▸ {each.receiver}", each.not_delivered, trial.described.at_most_lost
    fates = [("lost", each.lost), ("damaged", each.damaged), ("late", each.late)]
    parts = [f"{count} {fate}" for fate, count in fates if count]
    parts += [f"{each.unknown} not known"] if each.unknown else []
    parts += [f"{each.under_way} under way"] if each.under_way else []
    asked = [f"asked {known.asked}", f"sent {each.sent}"] if trial.end is not None and known.never_sent else []
    if not each.settled:
        told = ", ".join([*asked, *parts])
        return f"{way}: {told}." if told else f"{way}: nothing was sent that is known of."
    parts = [*asked, f"{each.delivered} of {each.settled} delivered", *parts]
    if each.settled == 1 and not bad:
        return f"{way}: {', '.join(parts)}: shows that it can, not that it does."
    allows = f" (allowed: {percent(allowed)})" if allowed else ""
    return f"{way}: {', '.join(parts)}: not delivered is {certainty(bad, each.settled)}{allows}."


def _exchange(trial: TrialSnapshot, exchange: ExchangeSnapshot, known: Completeness) -> tuple[str, str]:
    if not exchange.rounds:
        return INCONCLUSIVE, "No round is over yet." if trial.end is None else "Of no round it is known how it ended."
    bad = exchange.bad
    parts = [f"asked {known.asked}, sent {known.sent}"] if trial.end is not None and known.never_sent else []
    parts += [f"{exchange.right} of {exchange.rounds} right"]
    fates = ("wrong", exchange.wrong), ("unanswered", exchange.unanswered), ("late", exchange.late)
    parts += [f"{count} {fate}" for fate, count in fates if count]
    slow = "".join(f", but {each.samples} after {each.at_s:g} s: a time-out answers" for each in exchange.clusters)
    if exchange.right == exchange.rounds == 1:
        why = f"{', '.join(parts)}{slow}: shows that it can, not that it does."
    else:
        why = f"{', '.join(parts)}{slow}: not right is {certainty(bad, exchange.rounds)}."
    if bad:
        return FAILS, why
    if exchange.own_back and trial.described.rule.kind == "echo" and not trial.described.wiring:
        return INCONCLUSIVE, f"{why} A loop would answer so too: say how it is wired, or ask by another rule."
    return HOLDS, why


def _findings(trial: TrialSnapshot) -> list[LinkFinding]:
    found, noun = [], NOUNS.get(trial.described.kind, "probes")
    if trial.own_bytes_back and trial.described.far != "echo":
        found.append(
            LinkFinding(
                "own-bytes",
                "A lane receives what it sends itself.",
                "probes of its own, or its own messages, came back",
                "Is the module's echo on, or RX wired to TX? For a far end that echoes, use --far echo."
                if trial.exchange is None
                else "Is it a loop, or the module's echo? --wiring says what it is; a loop cannot answer by plus N.",
            )
        )
    found += _nothing_came(trial)
    for each in trial.directions:
        if each.refusals:
            connect = "Connect it to its far end first"
            found.append(
                LinkFinding(
                    "command-mode",
                    f"A module answers on {each.receiver}: it is in command mode, and takes {noun} for commands.",
                    f"ERROR: {several(each.refusals, 'time')}",
                    f"{connect}."
                    if trial.described.through
                    else f"{connect}, or send by its payload command: --through.",
                )
            )
        elif each.foreign_bytes and not trial.own_bytes_back and trial.described.kind not in FOLLOWED:
            found.append(
                LinkFinding(
                    "foreign-bytes",
                    f"From {each.sender} to {each.receiver} came {several(each.foreign_bytes, 'byte')} besides {noun}.",
                    several(each.foreign_bytes, "byte"),
                    "Bytes come twice, or somebody else sends on this line: look at Traffic, and at the other side.",
                )
            )
        if each.outages:
            longest = max(outage.lost for outage in each.outages)
            late = " in time" if each.late else ""
            found.append(
                LinkFinding(
                    "outage",
                    f"{each.sender} ▸ {each.receiver} was away: {longest} {noun} in a row were not delivered{late}.",
                    f"outages: {len(each.outages)}",
                    "Look at what else happened then. Losses in a row make the interval too narrow: it takes each as "
                    "independent.",
                )
            )
        if each.restarts:
            found.append(
                LinkFinding(
                    "far-restart",
                    f"The far end began to count again, {several(len(each.restarts), 'time')}.",
                    f"at {', '.join(clock(moment, 0) for moment in each.restarts[:5])}",
                    "It restarted, or lost its power: what lies around that is not known, and no loss of the link.",
                )
            )
    if trial.away:
        lanes = sorted({each.lane for each in trial.away})
        were = f"{' and '.join(lanes)} {'was' if len(lanes) == 1 else 'were'} gone during the trial"
        found.append(
            LinkFinding(
                "lane-away",
                f"{were}: what was under way then is not known.",
                f"gone: {len(trial.away)} time{'s' * (len(trial.away) > 1)}",
                "Line shows when it went and returned; Traffic shows what came last.",
            )
        )
    if trial.exchange is not None:
        found += _exchange_findings(trial.exchange)
    shown = min((each.settled for each in trial.directions), default=0)
    needed = probes_for(0.01)
    if 0 < shown < needed and all(each.delivered == each.settled for each in trial.directions):
        can = f"{shown} {noun} show that it can, not that it does." if shown < FEW else "Nothing was lost, so far."
        found.append(
            LinkFinding(
                "few-samples",
                f"{can} What is lost may be {certainty(0, shown)}.",
                f"{shown} {noun}, none lost",
                f"To show that less than 1 % is lost takes {needed} {noun} without a loss.",
            )
        )
    return found


def _nothing_came(trial: TrialSnapshot) -> list[LinkFinding]:
    """Directions of which not one byte is known; from one lane alone only the way back is seen."""
    if trial.described.kind != DELIVERY or trial.end is None or trial.own_bytes_back:
        return []
    silent = [
        each
        for each in trial.directions
        if not each.delivered + each.damaged + each.late + each.foreign_bytes and (each.settled or trial.unanswered)
    ]
    if trial.described.far != "lane":
        words = [f"Nothing at all came back to {trial.described.lanes[0]}."] if silent == [*trial.directions] else []
        ask = "Does the far end run, at this rate? "
    else:
        words = [f"Not one byte from {each.sender} came to {each.receiver}." for each in silent]
        ask = ""
    command = "A module in command mode takes no notice of what does not begin with AT: connect it first"
    command += "." if trial.described.through else ", or send by its payload command (--through)."
    shown = several(max(each.sent for each in trial.directions), "probe")
    return [LinkFinding("nothing-came", each, f"{shown} sent", f"{ask}Look at the wiring. {command}") for each in words]


def _exchange_findings(exchange: ExchangeSnapshot) -> list[LinkFinding]:
    found = [
        LinkFinding(
            "round-time",
            f"Answers come after {cluster.at_s:g} s: a time-out or a fixed rest answers, not the link.",
            f"{cluster.samples} of {exchange.round_trip.samples if exchange.round_trip else 0} round trips lie just "
            f"above {cluster.at_s:g} s",
            "A missing line end is the usual reason: e tries each of them, or --try-line-ends.",
        )
        for cluster in exchange.clusters
    ]
    if exchange.spaced is not None and exchange.close is not None:
        link, whole = exchange.spaced.median, exchange.close.median
        if exchange.spaced.samples >= LEAST_SPACED and whole > RESTS * link and whole - link > RESTS_S:
            found.append(
                LinkFinding(
                    "far-end-rests",
                    f"The link took {1000 * link:.0f} ms, and the far end {1000 * (whole - link):.0f} ms of its own.",
                    f"half of {exchange.spaced.samples} rounds behind a rest, against half of {exchange.close.samples} "
                    "that followed at once",
                    "It rests between messages: leave it so much time (--every), or ask it less often.",
                )
            )
    if exchange.unanswered and not exchange.right and not exchange.wrong:
        found.append(
            LinkFinding(
                "no-reply",
                "Nothing answers.",
                f"{exchange.unanswered} of {exchange.rounds} rounds unanswered",
                "Look at the line end that is sent, the rate, and the wire of our TX: Line says which is likely.",
            )
        )
    wrongs = [each for each in exchange.wrongs if not each.late]
    unreadable = sum(each.unreadable for each in wrongs)
    if unreadable > len(wrongs) / 2:
        found.append(
            LinkFinding(
                "unreadable-reply",
                "What comes is no text: the rate or the frame format is wrong, not the rule.",
                f"{unreadable} of the last {len(wrongs)} wrong replies are unreadable",
                "r on Line tries other rates; both sides must have the same.",
            )
        )
    elif wrongs:
        last = wrongs[-1]
        found.append(
            LinkFinding(
                "wrong-reply",
                f"To {last.message!r} came {last.came!r}; {last.wanted!r} was expected.",
                f"round {last.round}; {exchange.wrong} wrong in all",
                "Is the rule the right one, and does nobody else talk on this line? --ignore passes lines over.",
            )
        )
    if exchange.late:
        found.append(
            LinkFinding(
                "late-reply",
                f"{several(exchange.late, 'answer')} came when the round was over.",
                "each is right for an earlier round, and for none that waited",
                "A longer --limit shows how long they take.",
            )
        )
    if exchange.unasked:
        found.append(
            LinkFinding(
                "unasked",
                f"{several(exchange.unasked, 'line')} answered nothing.",
                "they began before the question, or came when no round waited",
                "A board that speaks by itself: --ignore PATTERN passes its lines over.",
            )
        )
    return found
