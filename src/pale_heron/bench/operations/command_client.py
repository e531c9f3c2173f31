"""Tells a module one command line and waits for what becomes of it. May be used from any thread but the screen's."""

import time
from collections.abc import Callable, Collection, Mapping
from dataclasses import replace
from types import MappingProxyType
from typing import Final, Protocol

from pale_heron.bench.config.dialect_book import STANDARD
from pale_heron.bench.config.dialects import named_dialect, sensitive_tables
from pale_heron.bench.operations.registry import GIVEN_UP
from pale_heron.core import figures
from pale_heron.core.device.dialogue.exchanges import COMMAND, DATA, PROMPT, Exchange
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot
from pale_heron.core.device.schema.command_line import number_at_end, sets_something
from pale_heron.core.device.schema.commands import QUERY, RUN, Command
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.notices import ERROR, NO_ANSWER, OK, UNCLEAR
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.sharing.masking import masked_command, shown, without
from pale_heron.core.trouble import Trouble
from pale_heron.ports.sender import SendJob

LOOK_S: Final = 0.05
SENT_WITHIN_S: Final = 5.0
PROMPT_WITHIN_S: Final = 0.3
"""So soon behind its OK a command that nobody has described prompts, if it does."""

CONNECTED_S: Final = 0.5
NO_TEXT: Final = "it prompted for a text and there was none: the prompt was given up"
Payload = Callable[[], bytes | None]
ESCAPE_TRIES: Final = 2
ATTENTION: Final = "AT"
NOTHING: Final[Mapping[str, str]] = MappingProxyType({})


class CommandBench(Protocol):
    """What is needed of a live bench."""

    def send(self, lane: str, job: SendJob) -> None: ...

    def settings_of(self, lane: str) -> LineSettings: ...

    def module_of(self, lane: str) -> ModuleSnapshot | None: ...

    def recognising(self, lane: str) -> bool: ...

    def wait_for_news(self, seconds: float) -> None: ...


class CommandClient:
    """One lane's module. `stopped` is asked now and then: true gives up waiting. `hidden` is shown nowhere."""

    def __init__(
        self,
        bench: CommandBench,
        lane: str,
        stopped: Callable[[], bool] = lambda: False,
        hidden: Collection[str] = (),
    ) -> None:
        self._bench = bench
        self._lane = lane
        self._stopped = stopped
        self._hidden = hidden

    @property
    def module(self) -> ModuleSnapshot | None:
        return self._bench.module_of(self._lane)

    @property
    def secrets(self) -> frozenset[str]:
        """Values that went over the lane and must not be shown."""
        module = self.module
        return module.secrets if module else frozenset()

    @property
    def dialect(self) -> Dialect | None:
        module = self.module
        return module.dialect if module else None

    @property
    def speaks(self) -> Dialect:
        """Its dialect; the standards' own until another is known."""
        return self.dialect or named_dialect(STANDARD)

    def risk(self, line: str) -> str:
        """Why a command line asks first, in words; empty where it need not."""
        return self.speaks.risk_of(line)

    @property
    def data_mode(self) -> str:
        """Why it is believed to be in data mode, in words; empty where it is not."""
        module = self.module
        return module.mode_why if module is not None and module.mode == DATA else ""

    def run(
        self, line: str, payload: bytes | Payload | None = None, *, anyway: bool = False, within_s: float | None = None
    ) -> Exchange:
        """Send a command line and wait until it has ended, at most as long as its dialect gives it, or `within_s`.

        At a prompt the payload is sent, with what ends it; `payload` may be what gives one once it is asked for. Where
        there is none the prompt is given up, and the command has failed, whatever the module says to that. Raises
        Trouble where nothing can be sent; where the module is owed data; and in data mode, where the line would go to
        the far end, unless it is to be sent `anyway`.
        """
        module = self.module
        if self.data_mode and not anyway:
            raise Trouble(
                f"{self._lane} is in data mode ({self.data_mode}): a command would go to the far end",
                "Bring it back with the escape first: an answer to AT shows that it takes commands all the same",
            )
        self._must_owe_nothing(module)
        given = self._counted(line, payload if callable(payload) else lambda: payload)
        before = module.count if module else 0
        form = self.speaks.line
        try:
            data = form.written(line, self._bench.settings_of(self._lane).chosen_end)
        except ValueError as wrong:
            raise Trouble(f"{line!r} cannot be sent to {self._lane}: {wrong}", "Nothing was sent") from None
        sent = form.heard_as(data)
        if self._escape_unanswered(module):
            # It may have heard that in command mode: there it stands at the start of its line still.
            data = b"\r" + data
        title = without(masked_command(sensitive_tables(), line), self._hidden)
        self._bench.send(self._lane, SendJob(data, title, char_delay_ms=form.char_delay_ms, secrets=self._hidden))
        found = self._wait(before, sent, given, within_s)
        if found.status == OK and self.data_mode and not found.to_far_end:
            # A result right behind the connection says that it takes commands still.
            self._wait_until(lambda: not self.data_mode, CONNECTED_S)
        asked = any(each.role == PROMPT for each in found.heard)
        prompts = not found.commands or any(each.prompts for each in found.commands)
        if found.status != OK or asked or not prompts or not sets_something(data):
            return found
        # A prompt may come behind the OK of a command that nobody has described, or described with another module.
        again = self._wait_until(lambda: self._newest(found.number, sent) is not None, PROMPT_WITHIN_S)
        return self._wait(found.number, sent, given, within_s) if again else found

    def _escape_unanswered(self, module: ModuleSnapshot | None) -> bool:
        """Whether the newest that was sent is an escape to which nothing was said."""
        exchanges = [each for each in module.items if isinstance(each, Exchange)] if module is not None else []
        escape = module.dialect.escape.encode("latin-1") if module is not None else b""
        return bool(exchanges) and exchanges[-1].sent == escape != b"" and exchanges[-1].status == NO_ANSWER

    def _wait_until(self, seen: Callable[[], bool], within_s: float) -> bool:
        """Whether something is seen in time."""
        end = time.monotonic() + within_s
        while not seen():
            if time.monotonic() >= end or self._stopped():
                return False
            self._bench.wait_for_news(LOOK_S)
        return True

    def _newest(self, before: int, sent: bytes) -> Exchange | None:
        """The exchange of what was sent, among those that are newer."""
        module = self.module
        for item in reversed(module.items if module is not None else ()):
            if isinstance(item, Exchange) and item.number > before and item.sent.strip() == sent:
                return item
        return None

    def _must_owe_nothing(self, module: ModuleSnapshot | None) -> None:
        """Raises Trouble where the module waits for data: a command would be taken for them."""
        items = module.items if module is not None else ()
        waiting = next((each for each in items if isinstance(each, Exchange) and each.waits == "its payload"), None)
        if waiting is not None:
            raise Trouble(
                f"{self._lane} waits at its prompt for what belongs to {shown(waiting.sent, self.secrets)}: "
                "a command would be taken for it",
                "Send that first, or restart the module",
            )

    def _counted(self, line: str, given: Payload) -> Payload:
        """What gives the payload, once it was counted. Raises Trouble where it is not as long as the line says."""
        for spoken in self.speaks.spoken(line):
            command = spoken.command
            if command is None or not command.counted:
                continue
            text = given() if command.prompts else None
            told = spoken.values.get(command.counted, "")
            if command.prompts and text is None:
                raise Trouble(f"{line!r} prompts for {told} bytes, and there are none", "Give them: --payload TEXT")
            if wrong := command.miscounted(spoken.values, text):
                raise Trouble(f"{line!r}: {wrong}; nothing was sent", "Give as many as it says")
            return lambda: text
        return given

    def _wait(self, before: int, sent: bytes, payload: Payload, within_s: float | None = None) -> Exchange:
        answered_prompt = gave_up = False
        begun = time.monotonic()
        found: Exchange | None = None
        while not self._stopped() and (within_s is None or time.monotonic() < begun + within_s):
            found = self._newest(before, sent)
            if found is None and time.monotonic() > begun + SENT_WITHIN_S:
                raise Trouble(f"{self._lane} takes nothing to send", "Look at its flow control and wiring")
            if found is not None and found.status and not self._bench.recognising(self._lane):
                # What it has just said of itself is understood before the next command.
                return replace(found, status=ERROR, meaning=NO_TEXT) if gave_up else found
            if found is not None and found.waits == "its payload" and not answered_prompt:
                answered_prompt = True
                text = payload()
                gave_up = text is None
                self._answer_prompt(found, text)
            self._bench.wait_for_news(LOOK_S)
        if found is not None and found.waits == "its payload" and not answered_prompt:
            self._answer_prompt(found, None)
        if self._stopped():
            raise Trouble(GIVEN_UP)
        heard = found.heard if found is not None else ()
        given = f"no result within {figures.duration(within_s or 0)}, the limit that was given"
        status = UNCLEAR if found is not None and found.information else NO_ANSWER
        return Exchange(0, None, sent, found.spoken if found else (), heard, status, meaning=given)

    def _answer_prompt(self, asked: Exchange, text: bytes | None) -> None:
        """Send what a prompt asks for, or give it up."""
        if text is None and not asked.commands and (count := number_at_end(asked.sent)) is not None:
            # It may count: what gives others up would be taken for data, and sent to somebody.
            raise Trouble(
                f"{self._lane} prompts behind {shown(asked.sent, self.secrets)}, perhaps for {count} bytes: "
                "it waits for them",
                "Give them: --payload TEXT; a dialect can say how it is given up",
            )
        self._bench.send(self._lane, SendJob(asked.at_prompt(text), "at the prompt", secrets=self._hidden))

    def ask(self, name: str, form: str = "query", values: Mapping[str, str] = NOTHING) -> Exchange | None:
        """Tell a command of the dialect by its name; None where the dialect does not have it in that form."""
        command = self.command(name)
        if command is None or form not in command.forms:
            return None
        return self.run(command.text(form, values) if values else command.forms[form][0])

    def command(self, name: str) -> Command | None:
        dialect = self.dialect
        return dialect.commands.get(name) if dialect else None

    def attention(self) -> Exchange:
        """Ask for nothing but an answer."""
        command = self.command("attention")
        if command is not None and RUN in command.forms:
            return self.run(command.forms[RUN][0])
        asked = (each.forms[QUERY][0] for each in self.speaks.commands.values() if QUERY in each.forms)
        return self.run(next(asked, ATTENTION) if self.speaks.line.frame else ATTENTION)

    def escape(self) -> bool:
        """Lead it from data mode to command mode: silence, the sequence, silence. False where it does not come.

        A module of which no mode was seen yet may be in data mode too: it is tried.
        """
        for _ in range(ESCAPE_TRIES):
            module = self.module
            if module is None or module.mode == COMMAND:
                return True
            if not module.dialect.escape:
                raise Trouble(f"The dialect {module.dialect.name} knows no escape", "Restart the module, or hang up")
            before, guard = module.count, module.dialect.guard_s
            self._rest(1.1 * guard)
            if self._stopped():
                raise Trouble(GIVEN_UP)
            sequence = module.dialect.escape.encode("latin-1")
            self._bench.send(self._lane, SendJob(sequence, "escape"))
            self._wait(before, sequence, lambda: None)
        module = self.module
        return module is not None and module.mode == COMMAND

    def _rest(self, seconds: float) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end and not self._stopped():
            time.sleep(min(LOOK_S, max(0.0, end - time.monotonic())))


def exchange_object(exchange: Exchange, secrets: frozenset[str] = frozenset()) -> dict[str, object]:
    """An exchange as `send --json` prints it, with the mask for secrets."""
    return {
        "command": without(exchange.sent.decode("latin-1"), secrets),
        "echo": exchange.echo,
        "information": [without(each.data.decode("latin-1"), secrets) for each in exchange.information],
        "fields": {name: without(raw, secrets) for name, raw in exchange.fields.items()},
        "notices": [without(each.data.decode("latin-1"), secrets) for each in exchange.notices],
        "result": exchange.result or None,
        "result_code": without(exchange.code, secrets) or None,
        "elapsed_ms": None if exchange.seconds is None else round(1000 * exchange.seconds, 3),
        "status": exchange.status,
        "meaning": without(exchange.meaning, secrets),
    }
