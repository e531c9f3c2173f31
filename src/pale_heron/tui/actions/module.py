"""What can be done with the module of a lane on a live bench: commands, settings, guarded changes, notes."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Final

from textual.app import App

from pale_heron.bench.config.dialects import sensitive_tables
from pale_heron.bench.operations.acknowledged import AcknowledgedSettings
from pale_heron.bench.operations.receiver import SteppedOperation, Work
from pale_heron.core import figures
from pale_heron.core.device.dialogue.exchanges import COMMAND, DATA, MODE_SAID, MODE_WORDS, Exchange
from pale_heron.core.device.schema.commands import Command
from pale_heron.core.device.schema.line_form import LineForm
from pale_heron.core.device.schema.notices import ERROR, OK, UNCLEAR
from pale_heron.core.device.schema.settings import Setting
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.sharing.masking import masked_command
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label, safe_text
from pale_heron.ports.sender import SendJob
from pale_heron.tui.actions.consent import Consent
from pale_heron.tui.actions.lane import LiveBench
from pale_heron.tui.actions.routine import RoutineActions
from pale_heron.tui.actions.typed_queue import TypedQueue
from pale_heron.tui.screens.panel import AskLine, Choice

QUIET_S: Final = 0.5


@dataclass
class _ModuleLane:
    """What was begun with one lane."""

    operation: SteppedOperation | None = None
    acknowledged: AcknowledgedSettings = field(default_factory=AcknowledgedSettings)


class ModuleActions:
    """`bench` is a live one."""

    def __init__(self, app: App[Any], bench: LiveBench, consent: Consent) -> None:
        self._app = app
        self.consent = consent
        self._bench = bench
        self._lanes: dict[str, _ModuleLane] = {}
        self.routines = RoutineActions(app, bench)
        self.typed = TypedQueue(self.send_line, bench.module_of)

    def _of(self, lane: str) -> _ModuleLane:
        return self._lanes.setdefault(lane, _ModuleLane())

    def doing(self, lane: str) -> Any:
        """What is being done, as the painters want it."""
        from pale_heron.tui.views.module.choices import CurrentOperation

        operation = self._of(lane).operation
        return CurrentOperation(operation.title, operation.steps, operation.succeeded) if operation else None

    def intended(self, lane: str) -> Mapping[str, str]:
        """How the settings of a lane's module are meant to be."""
        return next((spec.intended for spec in self._bench.specs() if spec.name == lane), {})

    # Telling

    def send_line(self, lane: str, text: str) -> bool:
        """Send a command line as it was typed; whether that could be done."""
        module = self._bench.module_of(lane)
        form = module.dialect.line if module else LineForm()
        shown = masked_command(sensitive_tables(), text)
        data = form.typed(text, self._bench.settings_of(lane).chosen_end)
        return self.send_raw(lane, data, shown, form.char_delay_ms)

    def say_mode(self, lane: LaneSnapshot) -> None:
        """Say which mode the module is in: what is seen is a belief, and a person may know better."""
        module = lane.module
        if module is None:
            return

        def take(key: str | None) -> None:
            if key is not None:
                self._bench.note(lane.name, MODE_SAID, {"mode": {"c": COMMAND, "d": DATA}.get(key, "")})

        why = f": {module.mode_why}" if module.mode_why else ""
        question = f"{MODE_WORDS[module.mode]}{safe_label(why)}. In which mode is it?"
        choices = (("c", "it takes commands"), ("d", "what is sent goes to the far end"), ("u", "nobody knows"))
        self._app.push_screen(Choice(question, choices), take)

    def send_raw(self, lane: str, data: bytes, title: str, char_delay_ms: int = 0) -> bool:
        """Send bytes; trouble is shown on the screen."""
        try:
            self._bench.send(lane, SendJob(data, title, char_delay_ms=char_delay_ms))
        except Trouble as trouble:
            self._app.notify(str(trouble), severity="error", markup=False)
            return False
        return True

    def ask_in_data_mode(self, lane: LaneSnapshot, send: Callable[[], None]) -> None:
        """In data mode what is typed goes to the far end: ask what is meant."""

        def take(key: str | None) -> None:
            if key == "e":
                self.escape(lane)
            elif key == "y":
                send()

        choices = (
            ("n", "no, leave it"),
            ("e", "bring it back to command mode first: silence, the escape, silence"),
            ("y", "send it to the far end"),
        )
        self._app.push_screen(Choice("It is in data mode: the far end would get this line", choices), take)

    # Operations

    def begin(self, lane: str, title: str, work: Work) -> None:
        """Begin an operation; where another is under way on the lane, that is shown."""
        kept = self._of(lane)
        try:
            operation = SteppedOperation(title, self._bench, lane, kept.acknowledged, work)
            self._bench.operations.begin(operation)
        except Trouble as trouble:
            self._app.notify(str(trouble), severity="warning", markup=False)
            return
        kept.operation = operation

    def give_up(self, lane: LaneSnapshot) -> None:
        """Give up what is under way."""
        operation = self._bench.operations.on(lane.name)
        if operation is not None:
            operation.stop()

    def escape(self, lane: LaneSnapshot) -> None:
        """Lead the module back to command mode."""
        from pale_heron.bench.operations.module import escaping

        self.begin(lane.name, "back to command mode", escaping())

    def read_settings(self, lane: str) -> None:
        """Read all settings."""
        from pale_heron.bench.operations.module import reading

        self.begin(lane, "read all settings", reading())

    def read_readings(self, lane: LaneSnapshot) -> None:
        """Ask for everything that stands in State and can be asked for without harm."""
        from pale_heron.bench.operations.module import asking

        self.begin(lane.name, "ask for all readings", asking())

    def write_settings(self, lane: LaneSnapshot) -> None:
        """Write what differs from what is intended."""
        from pale_heron.bench.operations.module import writing

        intended = dict(self.intended(lane.name))
        if not intended:
            self._app.notify("Nothing is intended yet: enter on a setting says what", severity="warning", markup=False)
            return
        self.consent.ask(
            lane.name,
            f"this writes {figures.several(len(intended), 'setting')} of {lane.name}, where they differ",
            lambda: self.begin(lane.name, "write what differs", writing(intended)),
        )

    def keep(self, lane: LaneSnapshot) -> None:
        """Store, restart, and verify."""
        from pale_heron.bench.operations.module import keeping

        self.consent.ask(
            lane.name,
            f"{lane.name} stores what is set now, and restarts",
            lambda: self.begin(lane.name, "store, restart, verify", keeping()),
        )

    def change_line(self, lane: LaneSnapshot) -> None:
        """Ask for a rate and flow control, and change the line on both sides, guarded."""
        from pale_heron.bench.operations.line_change import FLOWS, LineChange, changing_line

        settings = self._bench.settings_of(lane.name)

        def parsed(text: str) -> LineChange:
            rate, flow = None, None
            for word in text.replace(",", " ").split():
                if word.isdecimal() and 50 <= int(word) <= 12_000_000:
                    rate = int(word)
                elif word in FLOWS:
                    flow = word
                else:
                    raise ValueError(f"{word!r} is neither a rate nor one of {', '.join(FLOWS)}")
            if (rate or settings.rate, flow or settings.flow) == (settings.rate, settings.flow):
                raise ValueError(f"the line is {settings} already")
            return LineChange(rate, flow)

        def check(text: str) -> str:
            try:
                parsed(text)
            except ValueError as problem:
                return str(problem)
            return ""

        def take(text: str | None) -> None:
            if text is not None:
                change = parsed(text)
                self.begin(lane.name, f"change the line to {change.words}", changing_line(change))

        question = f"Line of {lane.name}, now {settings}: new rate, flow control (none, rtscts, xonxoff), or both"
        self._app.push_screen(AskLine(question, "", check), take)

    # What is kept

    def set_intended(self, lane: LaneSnapshot, row: int) -> None:
        """Ask what a setting is meant to be; nothing typed forgets it."""
        settings = list(lane.module.dialect.settings.values()) if lane.module else []
        if not 0 <= row < len(settings):
            return
        setting: Setting = settings[row]
        parameter = setting.parameter
        if parameter is None:
            self._app.notify(f"{setting.name} can only be read", severity="warning", markup=False)
            return
        before = dict(self.intended(lane.name))

        def take(text: str | None) -> None:
            if text is None:
                return
            wanted = {**before, setting.name: text.strip()} if text.strip() else before
            if not text.strip():
                wanted.pop(setting.name, None)
            self._bench.intend(lane.name, wanted)

        state = lane.module.settings.get(setting.name) if lane.module else None
        proposed = before.get(setting.name, "" if setting.secret or state is None else state.now)
        question = f"{setting.name} of {lane.name}: {parameter.legal}; empty forgets it"
        self._app.push_screen(
            AskLine(
                question,
                proposed,
                lambda text: parameter.check(text.strip()) if text.strip() else "",
                secret=setting.secret,
            ),
            take,
        )

    def choose_dialect(self, lane: LaneSnapshot) -> None:
        """Choose how the module of a lane speaks."""
        from pale_heron.bench.config.dialects import faulty_dialects, known_dialects

        for path, mistake in faulty_dialects():
            words = f"left out: {path}, line {mistake.line}: {mistake.words}"
            self._app.notify(words, severity="warning", markup=False)
        names = [each.name for each in known_dialects().values() if each.commands_modules]
        titles = known_dialects()

        def take(key: str | None) -> None:
            if key is not None:
                self._bench.choose_dialect(lane.name, names[int(key) - 1])

        choices = [(str(at), f"{name}: {titles[name].title}") for at, name in enumerate(names, 1)]
        self._app.push_screen(Choice("Which dialect does it speak?", choices), take)

    def take_result(self, lane: LaneSnapshot) -> None:
        """Take into a dialect how the newest reply ended that no known result ended."""
        from pale_heron.bench.config.dialect_draft import free_name
        from pale_heron.bench.config.dialects import is_own, keep_result, keep_silence, known_dialects

        module = lane.module
        items = module.items if module is not None else ()
        unclear = [each for each in items if isinstance(each, Exchange) and each.status == UNCLEAR]
        if module is None or not unclear or not unclear[-1].information:
            self._app.notify("Every answer had a result that is known", severity="warning", markup=False)
            return
        word = safe_text(unclear[-1].information[-1].data)
        base = module.dialect.name
        name = base if is_own(base) else free_name(lane.name)

        def take(key: str | None) -> None:
            if key is None:
                return
            try:
                path = (
                    keep_silence(name, base, QUIET_S)
                    if key == "s"
                    else keep_result(name, base, word, ERROR if key == "e" else OK)
                )
            except Trouble as trouble:
                self._app.notify(str(trouble), severity="error", markup=False)
                return
            if name in known_dialects():
                self._bench.choose_dialect(lane.name, name)
            self._app.notify(f"Kept in {path}; what was said is paired again", markup=False)

        choices = (
            ("d", "its word for done"),
            ("e", "its word for an error"),
            ("s", f"neither: its replies end by {QUIET_S:g} s of silence"),
        )
        self._app.push_screen(Choice(f"What is {safe_label(word)!r}?", choices), take)

    def draft_dialect(self, lane: LaneSnapshot) -> None:
        """Draft a dialect of what was typed and answered."""
        from pale_heron.bench.config.dialect_draft import drafted, free_name, keep_draft, said

        name = free_name(lane.name)
        try:
            text = drafted(said(lane.module.items if lane.module else (), lane.name), name)
            path = keep_draft(name, text)
        except (ValueError, Trouble) as problem:
            self._app.notify(str(problem), severity="warning", markup=False)
            return
        guesses = figures.several(text.count("# guessed: "), "guessed line")
        self._bench.choose_dialect(lane.name, name)
        self._app.notify(f"{path}: {guesses} to look at; it is spoken from now on", markup=False)

    def note_command(self, lane: LaneSnapshot, command: Command) -> None:
        """Keep a note on a command in the user's own dialect."""
        from pale_heron.bench.config.dialects import keep_note

        module = lane.module
        if module is None:
            return
        name = module.dialect.name

        def take(text: str | None) -> None:
            if text is None:
                return
            try:
                path = keep_note(name, command.name, text.strip())
            except Trouble as trouble:
                self._app.notify(str(trouble), severity="error", markup=False)
                return
            self._bench.choose_dialect(lane.name, name)
            self._app.notify(f"Kept in {path}", markup=False)

        self._app.push_screen(AskLine(f"Your note on {command.name} ({command.meaning})", command.note), take)
