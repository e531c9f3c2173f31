"""What a trial shows, in words: whether the link holds, how sure that is, and what to do next."""

from typing import Final, NamedTuple

from pale_heron.core.figures import several
from pale_heron.core.link.certainty import certainty, percent
from pale_heron.core.link.delivery import DeliverySnapshot
from pale_heron.core.link.description import DELIVERY, SENTENCES, THROUGHPUT
from pale_heron.core.link.exchange import ExchangeSnapshot
from pale_heron.core.link.figures import probes_for
from pale_heron.core.link.findings import FAILS, HOLDS, INCONCLUSIVE, LinkFinding
from pale_heron.core.link.reach_words import range_findings, range_words
from pale_heron.core.link.sentence_verdict import sentence_findings, sentence_words
from pale_heron.core.link.throughput_verdict import throughput_findings, throughput_words
from pale_heron.core.link.trial import TrialSnapshot

FEW: Final = 10
NOUNS: Final = {THROUGHPUT: "blocks", SENTENCES: "sentences"}
"""What is counted, where it is no probe."""


class Verdict(NamedTuple):
    """`result` is holds, fails or inconclusive; `why` says so with its figures."""

    result: str
    why: str
    findings: tuple[LinkFinding, ...]


def verdict(trial: TrialSnapshot) -> Verdict:
    """Of a trial that is over, or as it stands."""
    if trial.exchange is not None:
        result, why = _exchange(trial.exchange)
    elif trial.described.kind == SENTENCES:
        result, why = sentence_words(trial)
    else:
        result, why = throughput_words(trial) if trial.bulk else _delivery(trial)
    if trial.described.wiring == "loop" and result == HOLDS:
        result, why = INCONCLUSIVE, f"It was wired as a loop, which proves the cable only. {why}"
    alone = len(trial.ranges) == 1
    why = " ".join([why, *filter(None, (range_words(each, named=not alone) for each in trial.ranges))])
    findings = throughput_findings(trial), sentence_findings(trial), range_findings(trial), _findings(trial)
    return Verdict(result, why, tuple(each for found in findings for each in found))


def _delivery(trial: TrialSnapshot) -> tuple[str, str]:
    allowed = trial.described.at_most_lost
    words, results = [], set()
    for each in trial.directions:
        results.add(_of_direction(each, allowed))
        words.append(_direction_words(each, allowed))
    if trial.own_bytes_back and trial.described.far != "echo":
        mirrored = "A lane hears its own bytes: a loop or an echo, which proves the cable only. "
        return INCONCLUSIVE, mirrored + " ".join(words)
    if trial.unanswered:
        results.add(FAILS)
        words.append(f"The last {trial.unanswered} were not answered: which way is broken cannot be seen from here.")
    for result in (FAILS, INCONCLUSIVE):
        if result in results:
            return result, " ".join(words)
    if trial.described.far == "echo":
        words.append("The far end sends back what it gets: both ways together, neither by itself.")
    return HOLDS if results else INCONCLUSIVE, " ".join(words) or "Nothing was sent."


def _of_direction(each: DeliverySnapshot, allowed: float) -> str:
    if not each.settled:
        return INCONCLUSIVE
    return FAILS if (each.lost + each.damaged) / each.settled > allowed else HOLDS


def _direction_words(each: DeliverySnapshot, allowed: float) -> str:
    way = f"{each.sender} ▸ {each.receiver}"
    if not each.settled:
        return f"{way}: nothing was sent that could arrive."
    bad = each.lost + each.damaged
    what = [f"{each.delivered} of {each.settled} delivered"]
    what += [f"{each.lost} lost"] if each.lost else []
    what += [f"{each.damaged} damaged"] if each.damaged else []
    shown = f"{way}: {', '.join(what)}: not delivered is {certainty(bad, each.settled)}"
    if each.settled == 1:
        return f"{way}: {each.delivered} of 1: shows that it can, not that it does." if not bad else f"{shown}."
    return f"{shown}{f' (allowed: {percent(allowed)})' if allowed else ''}."


def _exchange(exchange: ExchangeSnapshot) -> tuple[str, str]:
    if not exchange.rounds:
        return INCONCLUSIVE, "No round is over yet."
    if exchange.right == exchange.rounds == 1:
        return HOLDS, "1 of 1 right: shows that it can, not that it does."
    bad = exchange.rounds - exchange.right
    parts = [f"{exchange.right} of {exchange.rounds} right"]
    parts += [f"{exchange.wrong} wrong"] if exchange.wrong else []
    parts += [f"{exchange.unanswered} unanswered"] if exchange.unanswered else []
    slow = "".join(f", but after {each.at_s:g} s: a time-out answers" for each in exchange.clusters)
    why = f"{', '.join(parts)}{slow}: not right is {certainty(bad, exchange.rounds)}."
    return FAILS if bad else HOLDS, why


def _findings(trial: TrialSnapshot) -> list[LinkFinding]:
    found, noun = [], NOUNS.get(trial.described.kind, "probes")
    if trial.own_bytes_back and trial.described.far != "echo":
        found.append(
            LinkFinding(
                "own-bytes",
                "A lane receives what it sends itself.",
                "probes of its own, or its own messages, came back",
                "Is the module's echo on, or RX wired to TX? For a far end that echoes, use --far echo.",
            )
        )
    found += _nothing_came(trial)
    for each in trial.directions:
        if each.refusals:
            found.append(
                LinkFinding(
                    "command-mode",
                    f"A module answers on {each.receiver}: it is in command mode, and takes {noun} for commands.",
                    f"ERROR: {several(each.refusals, 'time')}",
                    "Connect it to its far end first, or send by its payload command: --through.",
                )
            )
        elif each.foreign_bytes and not trial.own_bytes_back and trial.described.kind != SENTENCES:
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
            found.append(
                LinkFinding(
                    "outage",
                    f"{each.sender} ▸ {each.receiver} was away: {longest} {noun} in a row were not delivered.",
                    f"outages: {len(each.outages)}",
                    "Look at what else happened then. Losses in a row make the interval too narrow: it takes each as "
                    "independent.",
                )
            )
    if trial.away:
        lanes = " and ".join(sorted({each.lane for each in trial.away}))
        found.append(
            LinkFinding(
                "lane-away",
                f"{lanes} was gone during the trial: what was under way then counts neither way.",
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
        if not each.delivered + each.damaged + each.late + each.foreign_bytes and (each.sent or trial.unanswered)
    ]
    if trial.described.far != "lane":
        words = [f"Nothing at all came back to {trial.described.lanes[0]}."] if silent == [*trial.directions] else []
        ask = "Does the far end run, at this rate? "
    else:
        words = [f"Not one byte from {each.sender} came to {each.receiver}." for each in silent]
        ask = ""
    command = (
        "A module in command mode takes no notice of what does not begin with AT: connect it first, or send by its "
        "payload command (--through)."
    )
    shown = several(max(each.sent for each in trial.directions), "probe")
    return [LinkFinding("nothing-came", each, f"{shown} sent", f"{ask}Look at the wiring. {command}") for each in words]


def _exchange_findings(exchange: ExchangeSnapshot) -> list[LinkFinding]:
    found = [
        LinkFinding(
            "round-time",
            f"Answers come after {cluster.at_s:g} s: a time-out or a fixed rest answers, not the link.",
            f"{cluster.samples} round trips lie just above {cluster.at_s:g} s",
            "A missing line end is the usual reason: e tries each of them, or --try-line-ends.",
        )
        for cluster in exchange.clusters
    ]
    if exchange.unanswered and not exchange.right and not exchange.wrong:
        found.append(
            LinkFinding(
                "no-reply",
                "Nothing answers.",
                f"{exchange.unanswered} of {exchange.rounds} rounds unanswered",
                "Look at the line end that is sent, the rate, and the wire of our TX: Line says which is likely.",
            )
        )
    if exchange.wrongs:
        last = exchange.wrongs[-1]
        found.append(
            LinkFinding(
                "wrong-reply",
                f"To {last.message!r} came {last.came!r}; {last.wanted!r} was expected.",
                f"round {last.round}; {exchange.wrong} wrong in all",
                "Is the rule the right one, and does nobody else talk on this line?",
            )
        )
    return found
