"""What is asked before a trial begins on the full screen: how, how many, and from where distance counts."""

from collections.abc import Callable, Sequence
from typing import Any, Final

from textual.app import App

from pale_heron.bench.operations.trial_lanes import TrialBench
from pale_heron.core.gnss.earth.notation import position_typed
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.at_stake import at_stake
from pale_heron.core.link.content import CONTENTS
from pale_heron.core.link.description import (
    BEACON,
    DELIVERY,
    EXCHANGE,
    FOLLOWED,
    SENTENCES,
    THROUGHPUT,
    WIRINGS,
    TrialDescription,
    block_size,
)
from pale_heron.core.link.rules import Rule, parse_rule
from pale_heron.core.moments import seconds
from pale_heron.core.patterns import Broken, Pattern
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.screens.panel import AskLine, Choice

MOST_LANES_OFFERED: Final = 6
PROBES: Final = "100 0.2s 2s"
ROUNDS: Final = "20 2s"
BLOCKS: Final = "10s random"
SENTENCE_LIMIT_S: Final = 10.0
WAIT_S: Final = 10.0
"""So long the first sign of a far end is waited for."""

FOLLOW_SENTENCES: Final = ("s", "send nothing: follow the sentences of a receiver")
COUNT_A_LINE: Final = ("w", "send nothing: count a line that comes again and again, on a walk too")
FOUND: Final = "any"
BEACON_LIMIT, BEACON_LIMIT_S = 2.5, 5.0
SIGNAL: Final = "signal"
"""The reading with which a module says how strong a frame came, by its usual name in dialects."""


class TrialQuestions:
    """`run` begins what was described in the end."""

    def __init__(self, app: App[Any], bench: TrialBench, run: Callable[[TrialDescription], None]) -> None:
        self._app = app
        self._bench = bench
        self._start = run
        self._where: dict[str, Any] = {}
        """What was said of distance, for the trial that is being described."""

    def begin(self, lane: LaneSnapshot, lanes: Sequence[LaneSnapshot]) -> None:
        """Ask how, then begin."""
        self._where = {}
        if self._bench.settings_of(lane.name).listen_only:
            # Nothing may be sent there: asked after that, every other answer would end in a refusal.
            self._ask_what_is_heard(lane.name, [each.name for each in lanes if each.name != lane.name])
        else:
            self._ask_how(lane, lanes)

    def _ask_what_is_heard(self, lane: str, others: Sequence[str]) -> None:
        """On a lane that only listens."""
        choices = [FOLLOW_SENTENCES, COUNT_A_LINE]

        def take(key: str | None) -> None:
            if key == "s":
                self._ask_listener(lane, others[:MOST_LANES_OFFERED])
            elif key == "w":
                self._ask_beacon(lane)

        question = f"{safe_label(lane)} only listens; a trial that sends nothing: which?"
        self._app.push_screen(Choice(question, choices), take)

    def _ask_how(self, lane: LaneSnapshot, lanes: Sequence[LaneSnapshot]) -> None:
        others = [each.name for each in lanes if each.name != lane.name][:MOST_LANES_OFFERED]
        choices = [(str(number), f"probes to and from {safe_label(name)}") for number, name in enumerate(others, 1)]
        choices += [
            ("a", "probes; the far end answers (pale-heron answer there)"),
            ("e", "probes; the far end sends back what it gets"),
            ("m", "messages with an expected answer"),
            ("t", "blocks as fast as the line takes them: how fast, and every byte accounted for"),
            FOLLOW_SENTENCES,
            COUNT_A_LINE,
        ]
        if self._has_payload_command(lane):
            choices.append(("p", "probes by the payload command of its module"))
        if not self._where and any(each.fix.epochs_with_fix for each in lanes):
            choices.append(("d", "by distance: first say from where"))

        def take(key: str | None) -> None:
            if key == "m":
                self._ask_rule(lane.name)
            elif key == "t":
                self._ask_ends(lane.name, others)
            elif key == "s":
                self._ask_listener(lane.name, others)
            elif key == "w":
                self._ask_beacon(lane.name)
            elif key == "d":
                self._ask_position(lane, lanes)
            elif key == "p":
                self._ask_peer(lane.name, [each for each in lanes if each.name != lane.name])
            elif key is not None:
                ends = (lane.name, others[int(key) - 1]) if key.isdecimal() else (lane.name,)
                far = "lane" if key.isdecimal() else "answer" if key == "a" else "echo"
                self._ask_probes(TrialDescription(DELIVERY, 0, ends, far=far, wait_s=WAIT_S))

        def ask() -> None:
            by = " by distance" if self._where else ""
            self._app.push_screen(Choice(f"A trial of {safe_label(lane.name)}{by}: how?", choices), take)

        warning = at_stake(lane.module, safe_label(lane.name))
        if warning:
            answers = (("n", "no, leave it"), ("y", "yes, try all the same"))
            question = Choice(f"{warning} Try all the same?", answers)
            self._app.push_screen(question, lambda key: ask() if key == "y" else None)
        else:
            ask()

    def _ask_probes(self, described: TrialDescription, usual: str = PROBES) -> None:
        def read(text: str) -> TrialDescription:
            count, every, limit = _words(text, PROBES)
            return described._replace(probes=_whole(count), every_s=seconds(every), limit_s=max(0.001, seconds(limit)))

        question = "How many probes (0: until x), how often, and when does one count as lost?"
        self._ask(question, usual, read)

    def _ask_ends(self, lane: str, others: Sequence[str]) -> None:
        """Where the blocks go: to another lane, or to a far end elsewhere."""
        choices = [(str(number), f"to and from {safe_label(name)}") for number, name in enumerate(others, 1)]
        choices.append(("e", "the far end sends back what it gets"))
        choices.append(("a", "pale-heron answer counts them on another machine"))

        def take(key: str | None) -> None:
            if key is not None:
                far = {"e": "echo", "a": "answer"}.get(key, "lane")
                self._ask_blocks((lane, others[int(key) - 1]) if far == "lane" else (lane,), far)

        self._app.push_screen(Choice(f"Blocks from {safe_label(lane)}: where to?", choices), take)

    def _ask_blocks(self, ends: tuple[str, ...], far: str) -> None:
        opened = [lane.settings for lane in self._bench.seen.lanes if lane.name in ends]
        size = block_size(each.bytes_per_s for each in opened if each and not each.decorative)

        def read(text: str) -> TrialDescription:
            duration, content = _words(text, BLOCKS)
            if content not in CONTENTS:
                raise ValueError(f"{content!r} is not one of {', '.join(CONTENTS)}")
            for_s = seconds(duration)
            return TrialDescription(
                THROUGHPUT,
                0,
                ends,
                far=far,
                wait_s=WAIT_S,
                probes=0,
                for_s=for_s,
                size=size,
                content=content,
                limit_s=2.0,
            )

        self._ask(f"For how long, and with what content? {', '.join(CONTENTS)}", BLOCKS, read)

    def _ask_rule(self, lane: str) -> None:
        def take(text: str | None) -> None:
            if text is not None:
                self._ask_rounds(lane, parse_rule(text))

        question = "By which rule is an answer right? echo, plus 100, text hello, matches [0-9]+"
        self._app.push_screen(AskLine(question, "echo", _wrong_rule), take)

    def _ask_rounds(self, lane: str, rule: Rule) -> None:
        def read(text: str) -> TrialDescription:
            count, limit = _words(text, ROUNDS)
            return TrialDescription(
                EXCHANGE,
                0,
                (lane,),
                far="answer",
                wait_s=WAIT_S,
                rule=rule,
                every_s=0.0,
                probes=_whole(count),
                limit_s=seconds(limit),
            )

        self._ask("How many rounds (0: until x), and how long is an answer waited for?", ROUNDS, read)

    def _ask(self, question: str, usual: str, read: Any) -> None:
        def wrong(text: str) -> str:
            try:
                read(text)
            except (Trouble, ValueError, Broken) as problem:
                return str(problem)
            return ""

        self._app.push_screen(
            AskLine(question, usual, wrong), lambda text: self._ask_wiring(read(text)) if text is not None else None
        )

    @staticmethod
    def _has_payload_command(lane: LaneSnapshot) -> bool:
        return lane.module is not None and bool(lane.module.dialect.payload_command)

    # Sentences

    def _ask_listener(self, lane: str, others: Sequence[str]) -> None:
        """Where they are looked for; on one lane alone their own times are what counts."""
        choices = [(str(number), f"look for them on {safe_label(name)}") for number, name in enumerate(others, 1)]
        choices.append(("o", "on this lane alone: gaps in their own times are losses"))

        def take(key: str | None) -> None:
            if key is not None:
                ends = (lane,) if key == "o" else (lane, others[int(key) - 1])
                self._ask_wiring(TrialDescription(SENTENCES, 0, ends, probes=0, limit_s=SENTENCE_LIMIT_S))

        self._app.push_screen(Choice(f"What {safe_label(lane)} says: where is it looked for?", choices), take)

    def _ask_beacon(self, lane: str) -> None:
        """The line, and how often it comes; both may be found."""

        def read(text: str) -> TrialDescription:
            pattern, _, every = text.strip().rpartition(" ")
            if text.strip() in ("", FOUND):
                pattern, every_s = "", 0.0
            else:
                every_s = seconds(every)
                Pattern(pattern)
            limit_s = BEACON_LIMIT * every_s if every_s else BEACON_LIMIT_S
            return TrialDescription(BEACON, 0, (lane,), probes=0, every_s=every_s, line=pattern, limit_s=limit_s)

        question = f"Which line, and how often? Such as ^alive 1s; {FOUND}: it is found by itself"
        self._ask(question, FOUND, read)

    # Through modules

    def _ask_peer(self, lane: str, others: Sequence[LaneSnapshot]) -> None:
        """The lane on which the other module tells what came."""
        names = [each.name for each in others][:MOST_LANES_OFFERED]
        modules = {each.name for each in others if self._has_payload_command(each)}
        choices = [(str(number), f"they arrive on {safe_label(name)}") for number, name in enumerate(names, 1)]

        def take(key: str | None) -> None:
            if key is not None:
                ends = (lane, names[int(key) - 1])
                both = ends[1] in modules
                self._ask_probes(
                    TrialDescription(DELIVERY, 0, ends, one_way=not both, through=ends if both else ends[:1]),
                    "20 1s 5s",
                )

        if names:
            self._app.push_screen(Choice(f"Probes through the module of {safe_label(lane)}: where to?", choices), take)
        else:
            self._app.notify("The lane of the other module is not open here: a adds it", severity="warning")

    # Distance

    def _ask_position(self, lane: LaneSnapshot, lanes: Sequence[LaneSnapshot]) -> None:
        receivers = [each.name for each in lanes if each.fix.epochs_with_fix][:MOST_LANES_OFFERED]
        choices = [(str(number), safe_label(name)) for number, name in enumerate(receivers, 1)]

        def take(key: str | None) -> None:
            if key is not None:
                self._ask_place(receivers[int(key) - 1], lane, lanes)

        self._app.push_screen(Choice("Which receiver says where the moving end is?", choices), take)

    def _ask_place(self, position: str, lane: LaneSnapshot, lanes: Sequence[LaneSnapshot]) -> None:
        """A point, or the lane of the receiver there; then ask on."""
        others = [each.name for each in lanes if each.name != position and each.fix.epochs_with_fix]

        def wrong(text: str) -> str:
            try:
                return "" if text.strip() in others else (position_typed(text), "")[1]
            except ValueError as problem:
                return str(problem)

        def take(text: str | None) -> None:
            if text is None:
                return
            name = text.strip()
            point = None if name in others else position_typed(text)
            strengths = [each.name for each in lanes if each.module and SIGNAL in each.module.readings]
            self._where = {
                "position": position,
                "place": () if point is None else (point.latitude, point.longitude),
                "place_lane": name if point is None else "",
                "strength": (strengths[0], SIGNAL) if strengths else (),
            }
            self._ask_how(lane, lanes)

        question = "From which point does distance count? 46.117 S 67.306 W, or a lane's name"
        self._app.push_screen(AskLine(question, others[0] if others else "", wrong), take)

    # How it is wired

    def _ask_wiring(self, described: TrialDescription) -> None:
        """Asked once, and kept with the result."""
        described = described._replace(**self._where) if described.kind in (DELIVERY, *FOLLOWED) else described
        self.ask_wiring(lambda wiring: self._start(described._replace(wiring=wiring)))

    def ask_wiring(self, take: Callable[[str], None]) -> None:
        """How a trial is, or was, wired; it may be left open."""
        choices = [*((name[0], f"{name}: {words}") for name, words in WIRINGS.items()), ("n", "not said")]
        names = {name[0]: name for name in WIRINGS}
        self._app.push_screen(
            Choice("How is it wired? It is kept with the result.", choices),
            lambda key: take(names.get(key, "")) if key is not None else None,
        )


def _words(text: str, usual: str) -> list[str]:
    words, count = text.split(), len(usual.split())
    if len(words) != count:
        raise ValueError(f"{count} values are wanted, with blanks between, such as {usual}")
    return words


def _whole(text: str) -> int:
    if not text.isdecimal() or len(text) > 9:
        raise ValueError(f"{text!r} is not a number of probes or rounds")
    return int(text)


def _wrong_rule(text: str) -> str:
    try:
        parse_rule(text)
    except ValueError as problem:
        return str(problem)
    return ""
