"""The names that an expectation may be about: one table, with units and meanings, for judging, listing and the docs."""

from collections.abc import Callable, Collection, Iterable, Sequence
from typing import Final, NamedTuple

from pale_heron.core.clock.naming import NEXT, PREVIOUS, THIS
from pale_heron.core.device.dialogue.exchanges import COMMAND, DATA
from pale_heron.core.gnss.course import MILESTONES
from pale_heron.core.gnss.states import FIX, FIX_2D, FIX_3D, MADE, NO_FIX, TIME_ONLY, WITHOUT_SKY
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.settings import nearest_words
from pale_heron.core.link.findings import FAILS, HOLDS, INCONCLUSIVE
from pale_heron.core.proof import measures
from pale_heron.core.proof.measured import NOTHING, Evident, Measured, Value
from pale_heron.core.proof.measures import MS, UNKNOWN

LANE, TRIAL, CLOCK, RECORD = "lane", "trial", "clock", "record"
"""What a name is about: one lane, one trial, the clocks of all lanes, the record."""

LEVEL_WORDS: Final = (NO_FIX, TIME_ONLY, *WITHOUT_SKY, FIX, FIX_2D, FIX_3D, UNKNOWN)
EXACT: Final = ("equals", "one_of")
"""Conditions that no interval fulfils: the figure itself is meant."""

BEHIND: Final = "*"
"""The last part of a name stands for many: a type of sentence, a reading, a milestone."""


NUMBER, TRUTH, WORD, ANY = "number", "truth", "word", "any"


def no_names(_: LaneSnapshot) -> Collection[str]:
    return ()


class ExpectedName(NamedTuple):
    """One row. `measure` is given what it is about, and the part behind the name, empty where it has none."""

    name: str
    unit: str
    meaning: str
    about: str
    measure: Callable[..., Measured]
    kind: str = NUMBER
    words: tuple[str, ...] = ()
    """Of a word: those that it can be."""
    behind: Callable[[LaneSnapshot], Collection[str]] = no_names
    """What can stand behind it on a lane."""
    possible: tuple[str, ...] = ()
    """What can stand behind it anywhere; empty where that depends."""


NAMES: Final[Sequence[ExpectedName]] = (
    ExpectedName("line.bytes_in", "bytes", "received", LANE, measures.of_line("bytes_in")),
    ExpectedName("line.bytes_out", "bytes", "sent", LANE, measures.of_line("bytes_out")),
    ExpectedName(
        "line.valid_sentences",
        "",
        "sentences and messages with the right checksum",
        LANE,
        measures.of_line("valid_sentences"),
    ),
    ExpectedName("line.bad_checksums", "", "sentences with a wrong checksum", LANE, measures.of_line("bad_checksums")),
    ExpectedName("line.bad_share", "0 to 1", "damaged ones of those that could be checked", LANE, measures.bad_share),
    ExpectedName(
        "line.readable_share", "0 to 1", "bytes that are legible; the samples are bytes", LANE, measures.readable_share
    ),
    ExpectedName(
        "line.returns",
        "",
        "how often the port was lost and came back",
        LANE,
        measures.of_lane(lambda lane: lane.returns),
    ),
    ExpectedName(
        "line.dropped_bytes",
        "bytes",
        "received and lost by this computer",
        LANE,
        measures.of_lane(lambda lane: lane.dropped_bytes),
    ),
    ExpectedName(
        "line.findings",
        "",
        "causes of trouble that were found",
        LANE,
        measures.of_lane(lambda lane: len(lane.findings)),
    ),
    ExpectedName(
        "line.count.*",
        "",
        "frames of a type, such as line.count.GNGGA",
        LANE,
        measures.type_count,
        behind=measures.types_of,
    ),
    ExpectedName(
        "line.rate_hz.*",
        "Hz",
        "frames of a type a second, over all the time that it came",
        LANE,
        measures.type_rate,
        behind=measures.types_of,
    ),
    ExpectedName(
        "fix.level",
        "",
        f"{', '.join(LEVEL_WORDS[:-1])} as said last; {UNKNOWN} where nothing came since",
        LANE,
        measures.level,
        WORD,
        LEVEL_WORDS,
    ),
    ExpectedName(
        "fix.kind",
        "",
        "how it was found: single, differential, RTK fixed and the like",
        LANE,
        measures.of_lane(lambda lane: lane.fix.state.kind or None),
        WORD,
        tuple(each for each in MADE if each),
    ),
    ExpectedName("fix.share", "0 to 1", "epochs with a fix of all epochs", LANE, measures.fix_share),
    ExpectedName("fix.epochs", "", "epochs that were told", LANE, measures.of_lane(lambda lane: lane.fix.epochs)),
    ExpectedName(
        "fix.seconds_to_first_fix", "s", "of the slowest start; the samples are starts", LANE, measures.first_fix
    ),
    ExpectedName(
        "fix.seconds_to.*",
        "s",
        f"until a milestone ({', '.join(MILESTONES)}), of the slowest start",
        LANE,
        measures.milestone,
        possible=MILESTONES,
    ),
    ExpectedName(
        "fix.outages",
        "",
        "how often the fix was lost",
        LANE,
        measures.of_lane(lambda lane: len(lane.fix.history.outages)),
    ),
    ExpectedName(
        "fix.longest_outage_s", "s", "the longest time without a fix after the first one", LANE, measures.longest_outage
    ),
    ExpectedName("fix.satellites_used", "", "as said last", LANE, measures.fact("satellites_used")),
    ExpectedName("fix.cn0_dbhz", "dB-Hz", "mean of the four strongest signals, over all epochs", LANE, measures.cn0),
    ExpectedName("fix.hdop", "", "as said last", LANE, measures.fact("hdop")),
    ExpectedName(
        "fix.cep50_m",
        "m",
        "half of the positions lie within, about their mean; of use only at rest",
        LANE,
        measures.scattered("cep50_m", 0.5),
    ),
    ExpectedName(
        "fix.cep95_m",
        "m",
        "95 % of the positions lie within, about their mean; of use only at rest",
        LANE,
        measures.scattered("cep95_m", 0.95),
    ),
    ExpectedName(
        "module.commands", "", "commands that ended", LANE, lambda lane, _: measures.of_module(lane, "exchanges")
    ),
    ExpectedName(
        "module.refused", "", "commands that were refused", LANE, lambda lane, _: measures.of_module(lane, "refused")
    ),
    ExpectedName(
        "module.unanswered",
        "",
        "commands without an answer",
        LANE,
        lambda lane, _: measures.of_module(lane, "unanswered"),
    ),
    ExpectedName("module.mode", "", "command or data", LANE, measures.module_mode, WORD, (COMMAND, DATA)),
    ExpectedName(
        "module.reading.*",
        "",
        "the last value of a reading, by its name in the dialect",
        LANE,
        measures.module_reading,
        ANY,
        behind=measures.readings_of,
    ),
    ExpectedName(
        "module.setting.*",
        "",
        "the last value of a setting, by its name in the dialect",
        LANE,
        measures.module_setting,
        ANY,
        behind=measures.settings_of,
    ),
    ExpectedName(
        "module.reached.*",
        "",
        "true once a milestone of the dialect was reached",
        LANE,
        measures.module_reached,
        TRUTH,
        behind=measures.milestones_of,
    ),
    ExpectedName(
        "link.verdict",
        "",
        "holds, fails or inconclusive; the samples are probes, blocks or rounds",
        TRIAL,
        measures.trial_verdict,
        WORD,
        (HOLDS, FAILS, INCONCLUSIVE),
    ),
    ExpectedName(
        "link.not_delivered_share",
        "0 to 1",
        "lost, damaged or late, or not right, in the worse direction; at worst where some is not known",
        TRIAL,
        measures.not_delivered,
    ),
    ExpectedName(
        "link.lost_at_most_share",
        "0 to 1",
        "upper end of the 95 % interval of what is not delivered, in the worse direction",
        TRIAL,
        measures.at_most_lost,
    ),
    ExpectedName("link.lost", "", "in all directions together", TRIAL, measures.summed("lost")),
    ExpectedName("link.late", "", "in all directions together", TRIAL, measures.summed("late")),
    ExpectedName("link.not_known", "", "not sent, or sent and not known what became of it", TRIAL, measures.not_known),
    ExpectedName("link.damaged", "", "in all directions together", TRIAL, measures.summed("damaged")),
    ExpectedName("link.twice", "", "in all directions together", TRIAL, measures.summed("twice")),
    ExpectedName(
        "link.latency_median_ms",
        "ms",
        "or of round trips; in the worse direction",
        TRIAL,
        measures.latency("median", 0.5),
    ),
    ExpectedName(
        "link.latency_p95_ms",
        "ms",
        "95 % are as quick, or round trips; in the worse direction",
        TRIAL,
        measures.latency("p95", 0.95),
    ),
    ExpectedName("link.payload_bit_s", "bit/s", "throughput of the slower direction", TRIAL, measures.throughput),
    ExpectedName(
        "clock.lag_ms.*",
        "ms",
        "median arrival of a type of sentence after the second that it tells",
        CLOCK,
        measures.lag,
        behind=lambda lane: [each.type for each in lane.lag.types],
    ),
    ExpectedName("clock.offset_s", "s", "what to give a time daemon", CLOCK, measures.offset("seconds", 1.0, 0.5)),
    ExpectedName(
        "clock.spread_ms",
        "ms",
        "between the 5th and the 95th of a hundred of that",
        CLOCK,
        measures.offset("spread_s", MS, 0.95, 0.05),
    ),
    ExpectedName(
        "clock.second_named",
        "",
        "this, previous or next: which second a pulse is; the samples are pairs",
        CLOCK,
        measures.second_named,
        WORD,
        (THIS, PREVIOUS, NEXT),
    ),
    ExpectedName("clock.pulses", "", "that came", CLOCK, measures.of_pulses(lambda each: each.pulses)),
    ExpectedName("clock.pulses_missed", "", "", CLOCK, measures.of_pulses(lambda each: each.missed)),
    ExpectedName("clock.pulses_doubled", "", "", CLOCK, measures.of_pulses(lambda each: each.doubled)),
    ExpectedName(
        "clock.pulse_deviation_us",
        "µs",
        "standard deviation of the intervals",
        CLOCK,
        measures.of_pulses(measures.pulse_deviation),
    ),
    ExpectedName(
        "clock.drift_ppm",
        "ppm",
        "of this computer's clock against the pulses, fast is above 0",
        CLOCK,
        measures.of_pulses(measures.pulse_drift),
    ),
    ExpectedName(
        "clock.synchronised",
        "",
        "whether something sets this computer's clock right",
        CLOCK,
        measures.synchronised,
        TRUTH,
    ),
    ExpectedName(
        "record.duration_s",
        "s",
        "from the first record to the last",
        RECORD,
        measures.of_record(lambda record: record.duration_s),
    ),
    ExpectedName(
        "record.whole",
        "",
        "true where the file ends as it should",
        RECORD,
        measures.of_record(lambda record: not record.torn),
        TRUTH,
    ),
    ExpectedName(
        "record.lost_bytes",
        "bytes",
        "received and not written",
        RECORD,
        measures.of_record(lambda record: record.lost_bytes),
    ),
    ExpectedName("record.marks", "", "notes of people", RECORD, measures.of_record(lambda record: record.marks)),
)


def named(text: str) -> tuple[ExpectedName, str] | None:
    """The row of a name, and what stands behind it; None where there is none."""
    for row in NAMES:
        if row.name == text:
            return row, ""
        stem = row.name.removesuffix(BEHIND)
        if stem != row.name and text.startswith(stem) and len(text) > len(stem):
            return row, text[len(stem) :]
    return None


def measured(row: ExpectedName, behind: str, known: Evident, lane: str, trial: int) -> Measured:
    """Its value; `lane` is empty for the only one, or the first that has something to say; `trial` 0 for the last."""
    if row.about == RECORD:
        return row.measure(known)
    if row.about == CLOCK:
        return row.measure(known, behind, lane)
    if row.about == TRIAL:
        trials = [each for number, each in known.numbered_trials() if trial in (0, number)]
        return row.measure(trials[-1], behind) if trials else NOTHING
    lanes: Iterable[LaneSnapshot] = [each for each in known.lanes if lane in ("", each.name)]
    values = [row.measure(each, behind) for each in lanes]
    # A lane that something was sent on has a module; one that was asked nothing has nothing to say.
    return max(values, key=lambda each: (each.value is not None) + (each.samples > 0), default=NOTHING)


def cannot_be(row: ExpectedName, behind: str, condition: str, bounds: Sequence[Value]) -> str:
    """Why nothing can ever fulfil it, whatever is recorded; empty where something can."""
    name = row.name.removesuffix(BEHIND) + behind
    if row.possible and behind not in row.possible:
        return f"{name}: there is no {behind!r}{nearest_words(behind, row.possible)}"
    if row.kind not in (NUMBER, ANY) and condition not in EXACT:
        return f"{name} is no number: {condition} says nothing of it, equals and one_of do"
    for each in bounds:
        if row.kind == WORD and each not in row.words:
            return f"{name} is never {each!r}{nearest_words(str(each), row.words)}"
        if row.kind == TRUTH and not isinstance(each, bool):
            return f"{name} is true or false, never {each!r}"
        if row.kind == NUMBER and (isinstance(each, bool) or not isinstance(each, int | float)):
            return f"{name} is a number, never {each!r}"
    return ""


def not_there(row: ExpectedName, behind: str, known: Evident, lane: str, trial: int) -> str:
    """What an expectation asks for that was not there, so that nothing is known of it; empty where all was."""
    names = [each.name for each in known.lanes]
    if row.about in (LANE, CLOCK) and lane and lane not in names:
        return f"there is no lane {lane!r}{nearest_words(lane, names)}"
    if row.about == TRIAL and trial and trial > len(known.trials):
        return f"there is no trial {trial}; there are {len(known.trials)}"
    there = {name for each in known.lanes if lane in ("", each.name) for name in row.behind(each)}
    if row.behind is not no_names and behind not in there:
        return f"there is no {behind!r}{nearest_words(behind, sorted(there))}"
    return ""
