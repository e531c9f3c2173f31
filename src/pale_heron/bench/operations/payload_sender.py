"""Probes through a module's own payload command, at its prompt or in it, to the peer that its settings name."""

from collections.abc import Callable
from typing import Final

from pale_heron.bench.operations.command_client import CommandBench, CommandClient
from pale_heron.bench.operations.registry import OperationFailed
from pale_heron.core.device.dialogue.exchanges import Exchange
from pale_heron.core.device.schema.commands import SET, Command
from pale_heron.core.device.schema.notices import NO_ANSWER
from pale_heron.core.device.schema.settings import REFERS
from pale_heron.core.trouble import Trouble

ATTEMPTS: Final = 2
MS: Final = 1000.0


class PayloadSender:
    """One lane whose module takes payloads by a command."""

    def __init__(self, bench: CommandBench, lane: str, stopped: Callable[[], bool]) -> None:
        self.lane = lane
        self._client = CommandClient(bench, lane, stopped)
        self._values: dict[str, str] = {}
        self._command: Command | None = None

    def prepare(self) -> None:
        """Find the command, and whom the settings name. Raises Trouble where there is none, or nobody answers."""
        client = self._client
        if client.dialect is None or not client.dialect.payload_command:
            if all(client.attention().status == NO_ANSWER for _ in range(ATTEMPTS)):
                raise Trouble(f"{self.lane} does not answer", "Look at its rate and wiring: Line says which is likely")
            client.run("ATI")
        dialect = client.dialect
        command = client.command(dialect.payload_command) if dialect is not None else None
        if dialect is None or command is None or not (command.counted or command.inline):
            known = dialect.name if dialect is not None else "of that module"
            raise Trouble(
                f"The dialect {known} of {self.lane} has no payload command that counts its bytes, or holds them",
                "Leave it out where the link is transparent, or choose another dialect",
            )
        self._command = command
        for name in command.parameters:
            if name not in (command.counted, command.inline):
                self._values[name] = self._peer()

    def _peer(self) -> str:
        """Whom it sends to: the value of the setting that refers to the other one's."""
        dialect = self._client.dialect
        assert dialect is not None, "it was found"
        settings = [(name, each) for name, each in dialect.settings.items() if each.rule == REFERS]
        # A module that just starts up may break off the first answer.
        for name, setting in settings * ATTEMPTS:
            self._client.ask(setting.command)
            module = self._client.module
            value = module.values.get(name, "") if module is not None else ""
            if value:
                return value
        raise Trouble(
            f"{self.lane} does not say to whom it sends", "Set its peer first: Module shows the settings of the dialect"
        )

    def send(self, payload: bytes) -> float | None:
        """Send one; gives how long it was in the air, in seconds, where the module says so. A refusal is no fault.

        What the module does not pass on does not arrive, and counts as lost.
        """
        command = self._command
        assert command is not None, "it is prepared"
        own = {command.counted: str(len(payload)), command.inline: payload.decode("ascii")}
        values = {**self._values, **{name: value for name, value in own.items() if name}}
        exchange = self._client.run(command.text(SET, values), payload if command.prompts else None)
        if exchange.status == NO_ANSWER:
            raise OperationFailed(f"{self.lane} does not answer any more")
        return _airtime(exchange)


def _airtime(exchange: Exchange) -> float | None:
    raw = exchange.fields.get("airtime", "")
    return int(raw) / MS if raw.isdecimal() else None
