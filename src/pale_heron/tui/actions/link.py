"""Trials on the full screen: asked for in a few steps, begun, given up."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, Final

from textual.app import App

from pale_heron.bench.operations.trial import OVER, Trial, TrialBench
from pale_heron.core.device.dialogue.exchanges import COMMAND
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.link.content import CONTENTS
from pale_heron.core.link.description import DELIVERY, EXCHANGE, THROUGHPUT, TrialDescription, block_size
from pale_heron.core.link.rules import Rule, parse_rule
from pale_heron.core.moments import seconds
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.screens.panel import AskLine, Choice

if TYPE_CHECKING:
    from pale_heron.bench.operations.registry import Operations

MOST_LANES_OFFERED: Final = 6
PROBES: Final = "100 0.2s 2s"
ROUNDS: Final = "20 2s"
BLOCKS: Final = "10s random"


class LinkActions:
    """`bench` is a live one."""

    def __init__(self, app: App[Any], bench: TrialBench, operations: "Operations") -> None:
        self._app = app
        self._bench = bench
        self._operations = operations
        self._trial: Trial | None = None
        self._told = True

    @property
    def state(self) -> str:
        """What a trial of ours does now; empty where none is under way. A failure to begin is shown once."""
        trial = self._trial
        if trial is None:
            return ""
        if trial.over and not self._told:
            self._told = True
            if trial.failure and trial.result is None:
                self._app.notify(trial.failure, severity="error", markup=False)
        return "" if trial.over or trial.state == OVER else trial.state

    def give_up(self) -> None:
        """What was counted stands."""
        if self._trial is not None:
            self._trial.stop()

    def begin(self, lane: LaneSnapshot, lanes: Sequence[LaneSnapshot]) -> None:
        """Ask how, then begin."""
        others = [each.name for each in lanes if each.name != lane.name][:MOST_LANES_OFFERED]
        choices = [(str(number), f"probes to and from {safe_label(name)}") for number, name in enumerate(others, 1)]
        choices += [
            ("a", "probes; the far end answers (pale-heron answer there)"),
            ("e", "probes; the far end sends back what it gets"),
            ("m", "messages with an expected answer"),
            ("t", "blocks as fast as the line takes them: how fast, and every byte accounted for"),
        ]

        def take(key: str | None) -> None:
            if key == "m":
                self._ask_rule(lane.name)
            elif key == "t":
                self._ask_ends(lane.name, others)
            elif key is not None:
                ends = (lane.name, others[int(key) - 1]) if key.isdecimal() else (lane.name,)
                far = "lane" if key.isdecimal() else "answer" if key == "a" else "echo"
                self._ask_probes(TrialDescription(DELIVERY, 0, ends, far=far))

        def ask() -> None:
            self._app.push_screen(Choice(f"A trial of {safe_label(lane.name)}: how?", choices), take)

        if lane.module is not None and lane.module.mode == COMMAND:
            warning = f"The module of {safe_label(lane.name)} is in command mode: it takes probes for commands"
            answers = (("n", "no: put it into data mode first"), ("y", "yes, try all the same"))
            self._app.push_screen(Choice(warning, answers), lambda key: ask() if key == "y" else None)
        else:
            ask()

    def _ask_probes(self, described: TrialDescription) -> None:
        def read(text: str) -> TrialDescription:
            count, every, limit = _words(text, PROBES)
            return described._replace(probes=_whole(count), every_s=seconds(every), limit_s=max(0.001, seconds(limit)))

        question = "How many probes (0: until x), how often, and when does one count as lost?"
        self._ask(question, PROBES, read)

    def _ask_ends(self, lane: str, others: Sequence[str]) -> None:
        """Where the blocks go: to another lane, or to a far end that sends them back."""
        choices = [(str(number), f"to and from {safe_label(name)}") for number, name in enumerate(others, 1)]
        choices.append(("e", "the far end sends back what it gets"))

        def take(key: str | None) -> None:
            if key is not None:
                self._ask_blocks((lane, others[int(key) - 1]) if key.isdecimal() else (lane,))

        self._app.push_screen(Choice(f"Blocks from {safe_label(lane)}: where to?", choices), take)

    def _ask_blocks(self, ends: tuple[str, ...]) -> None:
        opened = [lane.settings for lane in self._bench.seen.lanes if lane.name in ends]
        size = block_size(each.bytes_per_s for each in opened if each and not each.decorative)

        def read(text: str) -> TrialDescription:
            duration, content = _words(text, BLOCKS)
            if content not in CONTENTS:
                raise ValueError(f"{content!r} is not one of {', '.join(CONTENTS)}")
            far = "lane" if len(ends) == 2 else "echo"
            for_s = seconds(duration)
            return TrialDescription(
                THROUGHPUT, 0, ends, far=far, probes=0, for_s=for_s, size=size, content=content, limit_s=2.0
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
                EXCHANGE, 0, (lane,), far="answer", rule=rule, every_s=0.0, probes=_whole(count), limit_s=seconds(limit)
            )

        self._ask("How many rounds (0: until x), and how long is an answer waited for?", ROUNDS, read)

    def _ask(self, question: str, usual: str, read: Any) -> None:
        def wrong(text: str) -> str:
            try:
                read(text)
            except (Trouble, ValueError) as problem:
                return str(problem)
            return ""

        self._app.push_screen(
            AskLine(question, usual, wrong), lambda text: self._run(read(text)) if text is not None else None
        )

    def _run(self, described: TrialDescription) -> None:
        trial = Trial(self._bench, described)
        try:
            self._operations.begin(trial)
        except Trouble as trouble:
            self._app.notify(str(trouble), severity="warning", markup=False)
            return
        self._trial, self._told = trial, False


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
