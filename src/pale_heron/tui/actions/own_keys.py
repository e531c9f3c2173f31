"""A person's own keys on the full screen: pressed, repeated until they are pressed again, made, and shown in a bar."""

from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Any, Final

from textual.app import App
from textual.timer import Timer

from pale_heron.bench.config.dialect_book import STANDARD
from pale_heron.bench.config.dialects import sensitive_tables
from pale_heron.bench.config.own_keys import KEYS, LONGEST_LABEL, OwnKey, every_refusal
from pale_heron.core import figures
from pale_heron.core.device.schema.command_line import is_surely_command_line
from pale_heron.core.device.schema.line_form import LineForm
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.typed import compose
from pale_heron.core.sharing.masking import masked_command
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.ports.sender import SendJob
from pale_heron.tui import acts
from pale_heron.tui.actions.consent import Consent
from pale_heron.tui.actions.lane import LiveBench
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import Line, Span, cut, line
from pale_heron.tui.screens.panel import AskLine, Choice

if TYPE_CHECKING:
    from pale_heron.tui.actions.routine import RoutineActions

ROUTINE: Final = "routine:"
"""What stands before the name of a routine where what a key does is typed."""


class _Repeated:
    """What a key does again and again. `times` counts; `stop` ends it."""

    def __init__(self, job: SendJob | None, timer: Timer | None) -> None:
        self._job, self._timer = job, timer
        self.runs = 0

    @property
    def times(self) -> int:
        return self._job.times if self._job is not None else self.runs

    @property
    def over(self) -> bool:
        return self._job is not None and (self._job.over or self._job.stopped)

    def stop(self) -> None:
        if self._job is not None:
            self._job.stop()
        if self._timer is not None:
            self._timer.stop()


class OwnKeyActions:
    """`lane` gives the chosen one; `routines` what runs routines, which is loaded when it is first asked for."""

    def __init__(
        self,
        app: App[Any],
        bench: LiveBench,
        consent: Consent,
        lane: Callable[[], LaneSnapshot | None],
        routines: "Callable[[], RoutineActions]",
        keys: Iterable[OwnKey] = (),
    ) -> None:
        self._app, self._bench, self._consent = app, bench, consent
        self._lane, self._routines = lane, routines
        self._keys = {own.key: own for own in keys}
        self._repeated: dict[str, _Repeated] = {}

    @property
    def keys(self) -> list[OwnKey]:
        """All of them, in the order of the keys."""
        return [self._keys[key] for key in KEYS if key in self._keys]

    def bar(self, width: int) -> Line | None:
        """What they do, and what is under way; None where there are none."""
        if not self._keys:
            return None
        spans: list[Span] = [Span(" ")]
        for own in self.keys:
            again = self._under_way(own.key)
            action = act(acts.press_own_key, own.key)
            spans.append(Span(own.key.upper(), "amber", action))
            words, role = f" {safe_label(own.title)}", "quiet"
            if again is not None:
                words, role = f" ● {safe_label(own.title)}, {figures.several(again.times, 'time')}", "reed"
            spans += [Span(words, role, action), Span("   ")]
        return cut(line(*spans), width)

    def _under_way(self, key: str) -> _Repeated | None:
        again = self._repeated.get(key)
        if again is not None and again.over:
            del self._repeated[key]
            return None
        return again

    def press(self, key: str) -> None:
        """Do what a key does; what it repeats is ended."""
        own = self._keys.get(key)
        if own is None:
            words = f"{key.upper()} is free: O gives it something to do"
            self._app.notify(words, severity="warning", markup=False)
            return
        again = self._under_way(key)
        if again is not None:
            again.stop()
            del self._repeated[key]
            return
        if own.lane not in [spec.name for spec in self._bench.specs()]:
            self._trouble(f"{key.upper()} is meant for {own.lane}, and there is no such lane")
        elif own.routine:
            self._run(own)
        else:
            self._send(own)

    def _send(self, own: OwnKey) -> None:
        try:
            job = self._job(own)
        except ValueError as problem:
            self._trouble(f"{own.key.upper()}: {problem}")
            return

        def send() -> None:
            try:
                self._bench.send(own.lane, job)
            except Trouble as trouble:
                self._trouble(str(trouble))
                return
            if own.every_s:
                self._repeated[own.key] = _Repeated(job, None)

        risk = self._consent.risk(own.lane, own.send)
        again = f", every {figures.duration(own.every_s)}" if own.every_s else ""
        self._consent.ask(own.lane, f"{risk}{again}" if risk else "", send)

    def _job(self, own: OwnKey) -> SendJob:
        """What is sent: as Module does it to a module whose dialect is known, and a command line; else as Traffic does.

        Whether something was said before makes no difference.
        """
        module, settings = self._bench.module_of(own.lane), self._bench.settings_of(own.lane)
        shown = masked_command(sensitive_tables(), own.send)
        if is_surely_command_line(own.send) or (module is not None and module.dialect.name != STANDARD):
            form = module.dialect.line if module is not None else LineForm()
            data = form.typed(own.send, settings.chosen_end)
            return SendJob(data, shown, own.every_s or None, char_delay_ms=form.char_delay_ms)
        lane = self._bench.snapshot_of(own.lane)
        sentences = lane is not None and lane.line.valid_sentences > 0
        return SendJob(compose(own.send, settings.line_end, sentences=sentences).data, shown, own.every_s or None)

    def _run(self, own: OwnKey) -> None:
        lane = self._bench.snapshot_of(own.lane)
        if lane is None:
            return
        routines = self._routines()

        def ready() -> None:
            words = f"{own.routine} runs on {own.lane}: Module shows each step"
            self._app.notify(safe_label(words), markup=False)
            if not own.every_s:
                routines.run(own.lane)
                return
            again = _Repeated(None, self._app.set_interval(own.every_s, run))
            self._repeated[own.key] = again
            run()

        def run() -> None:
            # One that takes longer than its interval is not begun a second time beside itself.
            if not routines.under_way(own.lane) and (again := self._repeated.get(own.key)) is not None:
                again.runs += 1
                routines.run(own.lane)

        routines.load(lane, own.routine, ready)

    def _trouble(self, words: str) -> None:
        self._app.notify(words, severity="error", markup=False)

    def make(self) -> None:
        """Give a key something to do on the chosen lane, change it, or free it."""
        lane = self._lane()
        if lane is None:
            return
        letters = dict(zip("23456789abc", KEYS, strict=True))

        def words(key: str) -> str:
            return f"{key.upper():<5}{safe_label(self._keys[key].words) if key in self._keys else 'free'}"

        def take(letter: str | None) -> None:
            if letter is not None:
                self._ask_what(letters[letter], lane.name)

        choices = [(letter, words(key)) for letter, key in letters.items()]
        self._app.push_screen(Choice(f"Which key does something on {lane.name}?", choices), take)

    def _ask_what(self, key: str, lane: str) -> None:
        before = self._keys.get(key, OwnKey(key, lane))
        proposed = f"{ROUTINE}{before.routine}" if before.routine else before.send

        def take(text: str | None) -> None:
            if text is None:
                return
            if not text.strip():
                self._keys.pop(key, None)
                return
            routine = text.removeprefix(ROUTINE).strip() if text.startswith(ROUTINE) else ""
            self._ask_how(before._replace(lane=lane, send="" if routine else text, routine=routine))

        question = f"What does {key.upper()} send to {lane}? A line, <0x55>, {ROUTINE}NAME; empty frees it"
        self._app.push_screen(AskLine(question, proposed), take)

    def _ask_how(self, own: OwnKey) -> None:
        def wrong(text: str) -> str:
            try:
                return every_refusal(float(text or "0"))
            except ValueError:
                return f"{safe_label(text)!r} is no number of seconds"

        def named(every: str) -> Callable[[str | None], None]:
            def keep(label: str | None) -> None:
                if label is not None:
                    self._keys[own.key] = kept = own._replace(every_s=float(every or "0"), label=label.strip())
                    words = f"{own.key.upper()} {kept.words}; w keeps it in the bench file"
                    self._app.notify(safe_label(words), markup=False)

            return keep

        def take(every: str | None) -> None:
            if every is not None:
                self._app.push_screen(AskLine("Its name in the bar", own.label, too_long), named(every))

        def too_long(label: str) -> str:
            return f"It has more than {LONGEST_LABEL} letters" if len(label.strip()) > LONGEST_LABEL else ""

        question = "Again every how many seconds, until it is pressed once more? 0: once"
        self._app.push_screen(AskLine(question, f"{own.every_s:g}", wrong), take)
