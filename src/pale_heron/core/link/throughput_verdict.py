"""What a trial of throughput shows, in words."""

from collections import Counter
from collections.abc import Iterable
from typing import Final

from pale_heron.core.figures import several
from pale_heron.core.link.alignment import CHANGED
from pale_heron.core.link.certainty import certainty, percent
from pale_heron.core.link.fates import DeliverySnapshot
from pale_heron.core.link.findings import FAILS, HOLDS, INCONCLUSIVE, LinkFinding
from pale_heron.core.link.judging import judged, worst
from pale_heron.core.link.progress import HELD_WORDS
from pale_heron.core.link.speed import Speed, speeds
from pale_heron.core.link.throughput import BulkSnapshot
from pale_heron.core.link.trial_snapshot import TrialSnapshot

REACHED: Final = 0.9
"""A line that carries less than this share of what it could is held back by something."""

BEYOND: Final = 1.02
TELLING: Final = 0.9
"""So much of what went wrong befell a few values: they are the cause."""

LEAST_BAD: Final = 3
CONTROLS: Final = {
    0x00: "NUL",
    0x0A: "LF",
    0x0D: "CR",
    0x11: "XON",
    0x13: "XOFF",
    0x1A: "Ctrl-Z",
    0x1B: "ESC",
    0x2B: "+",
    0x7F: "DEL",
}
"""Values that lines and modules take for something else than data."""


def throughput_words(trial: TrialSnapshot) -> tuple[str, str]:
    """The verdict, and why."""
    results, words = set(), []
    for blocks, bulk, speed in zip(trial.directions, trial.bulk, speeds(trial), strict=True):
        results.add(_result(trial, blocks, bulk, speed))
        words.append(f"{blocks.sender} ▸ {blocks.receiver}: {_integrity(trial, blocks, bulk)}; {_speed(trial, speed)}.")
    why = " ".join(words)
    if trial.dropped:
        dropped = several(trial.dropped, "byte")
        behind = f"This machine could not keep up and dropped {dropped}: that is no result of the link. "
        return INCONCLUSIVE, behind + why
    if trial.own_bytes_back and trial.described.far != "echo":
        return INCONCLUSIVE, "A lane hears its own bytes: a loop or an echo, which proves the cable only. " + why
    if trial.described.far == "echo":
        why += " The far end sends back what it gets: both ways together, neither by itself."
    if trial.described.far == "answer":
        if trial.end is not None and not any(each.settled for each in trial.directions):
            return INCONCLUSIVE, "Nothing answered. On the other machine: pale-heron answer LANE."
        if trial.end is not None and trial.unanswered:
            results.add(FAILS)
            last = several(trial.unanswered, "block")
            why += f" Of the last {last} nothing was answered: which way is broken cannot be seen from here."
        why += " The way there, as the far end counts it."
    return worst(results), why


def _result(trial: TrialSnapshot, blocks: DeliverySnapshot, bulk: BulkSnapshot, speed: Speed) -> str:
    described = trial.described
    if not blocks.settled:
        return INCONCLUSIVE
    shown = judged(blocks.not_delivered, blocks.settled, described.at_most_lost)
    if shown != HOLDS:
        return shown
    if not described.at_most_lost and (bulk.changed or bulk.missing or bulk.added or bulk.unexamined):
        return FAILS
    if described.at_least:
        if speed.payload is None:
            return INCONCLUSIVE
        return HOLDS if speed.payload >= described.at_least else FAILS
    return HOLDS


def _integrity(trial: TrialSnapshot, blocks: DeliverySnapshot, bulk: BulkSnapshot) -> str:
    if not blocks.settled:
        return f"of {several(blocks.sent, 'block')} nothing is known" if blocks.sent else "no block was sent whole"
    bad = blocks.not_delivered
    unknown = f", {blocks.unknown} not known" if blocks.unknown else ""
    words = [f"{blocks.delivered} of {several(blocks.settled, 'block')} undamaged"]
    if not bad and not bulk.added:
        all_of = (
            f"all of {several(blocks.settled, 'block')}" if not unknown else f"{blocks.settled} of {blocks.sent} blocks"
        )
        return f"{all_of} undamaged{unknown} (lost or damaged: {certainty(0, blocks.settled)})"
    words += [f"lost or damaged: {certainty(bad, blocks.settled)}"] if bad else []
    words += [f"{several(bulk.added, 'byte')} added"] if bulk.added and not bad else []
    allowed = trial.described.at_most_lost
    words += [f"allowed: {percent(allowed)}"] if allowed else []
    return f"{words[0]}{unknown} ({'; '.join(words[1:])})"


def _speed(trial: TrialSnapshot, speed: Speed) -> str:
    if speed.payload is None:
        return "too short to say how fast"
    words = bit_rate(speed.payload)
    if speed.buffered_s is not None:
        gave = f"; the sending end gave {bit_rate(speed.given)}" if speed.given is not None else ""
        words += f" arrived over {speed.buffered_s:.0f} s, out of a buffer on the way{gave}"
    if speed.share is not None:
        words += f", {percent(speed.share)} of what the line carries"
    claim = trial.described.at_least
    if claim:
        words += f" ({bit_rate(claim)} is claimed: {'reached' if speed.payload >= claim else 'not reached'})"
    return words


def bit_rate(bytes_per_s: float) -> str:
    """Bits a second with three figures that count: `92.2 kbit/s`."""
    value = 8 * bytes_per_s
    for scale, unit in ((1e6, "Mbit/s"), (1e3, "kbit/s")):
        if value >= 0.9995 * scale:
            return f"{value / scale:.3g} {unit}" if value / scale < 999.5 else f"{value / scale:.0f} {unit}"
    return f"{value:.0f} bit/s"


def throughput_findings(trial: TrialSnapshot) -> list[LinkFinding]:
    """What to know beside the verdict, the weightiest first."""
    found: list[LinkFinding] = []
    for blocks, bulk, speed in zip(trial.directions, trial.bulk, speeds(trial), strict=False):
        way = f"{blocks.sender} ▸ {blocks.receiver}"
        whole = blocks.delivered / blocks.settled if blocks.settled else 1.0
        found += [*_values(way, bulk), *_claim(trial, way, speed), *_stalls(way, bulk), *_held_back(way, speed, whole)]
    return found


def _values(way: str, bulk: BulkSnapshot) -> Iterable[LinkFinding]:
    changed = [each for each in bulk.located if each.kind == CHANGED]
    if len(changed) >= LEAST_BAD and all(each.got == (each.expected or 0) & 0x7F for each in changed):
        yield LinkFinding(
            "seven-bits",
            f"{way}: the highest bit of every byte is lost.",
            f"{bulk.changed} bytes changed, all of the first {len(changed)} so",
            "One side is set to 7 data bits: 8N1 on both, or send text alone (--content text).",
        )
        return
    wrong = bulk.wrong_values
    named = [(value, count) for value, count in bulk.vanished if count >= LEAST_BAD]
    if not named or len(named) > 4 or sum(count for _, count in named) < TELLING * wrong:
        return
    names = [f"{CONTROLS.get(value, 'the value')} (0x{value:02X})" for value, _ in named]
    yield LinkFinding(
        "values-lost",
        f"{way}: {' and '.join(names)} {'does' if len(names) == 1 else 'do'} not get through.",
        f"{sum(count for _, count in named)} of {wrong} bad bytes had {'this value' if len(names) == 1 else 'these'}",
        "Something on the way takes it for flow control or an escape: switch that off, or send text alone.",
    )


def _claim(trial: TrialSnapshot, way: str, speed: Speed) -> Iterable[LinkFinding]:
    claim = trial.described.at_least
    if claim and speed.ceiling is not None and claim > speed.ceiling:
        yield LinkFinding(
            "claim-impossible",
            f"{way}: {bit_rate(claim)} cannot be reached on this line.",
            f"by rate and frame format it carries at most {speed.ceiling:.0f} bytes a second",
            "Raise the rate on both sides, or claim less.",
        )


def _stalls(way: str, bulk: BulkSnapshot) -> Iterable[LinkFinding]:
    if bulk.stalls:
        longest = max(each.seconds for each in bulk.stalls)
        yield LinkFinding(
            "stall",
            f"{way}: nothing came for {longest:.1f} s while it was being sent.",
            f"stalls: {len(bulk.stalls)}, {sum(each.seconds for each in bulk.stalls):.1f} s in all; {_holders(bulk)}",
            "Look at what the far end did at that time, and whether both sides have the same flow control.",
        )


def _holders(bulk: BulkSnapshot) -> str:
    """What held the sender, and in how many of the stalls."""
    counts = Counter(each.held_by for each in bulk.stalls)
    return "; ".join(f"in {count} {HELD_WORDS[by]}" for by, count in counts.most_common() if by in HELD_WORDS)


def _held_back(way: str, speed: Speed, whole: float) -> Iterable[LinkFinding]:
    """`whole` is the share of blocks that came undamaged: what the others cost is no rest of the line."""
    if speed.share is None or speed.ceiling is None or speed.payload is None:
        return
    evidence = f"{speed.payload:.0f} of {speed.ceiling:.0f} bytes a second"
    slowest = f" {speed.slowest} is the slower of the two lines." if speed.slowest else ""
    if speed.share < REACHED * whole:
        yield LinkFinding(
            "below-ceiling",
            f"{way}: {percent(speed.share)} of what the line carries is reached.",
            evidence,
            "Something else holds it back: flow control, pauses of the sender, or a slower part of the way." + slowest,
        )
    elif speed.share > BEYOND:
        yield LinkFinding(
            "beyond-ceiling",
            f"{way}: faster than the rate allows, so the rate does not govern this line.",
            evidence,
            "The port is virtual (USB, Bluetooth, network): the ceiling says nothing here.",
        )
