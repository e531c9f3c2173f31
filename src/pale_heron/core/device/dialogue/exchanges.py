"""What was said between us and a module: each command with its echo, information, notices and result.

Built by the machine in `conversation.py`; here is only what it is made of.
"""

from dataclasses import dataclass, field
from typing import Final, NamedTuple

from pale_heron.core.device.schema.command_line import CTRL_Z, ESCAPE, number_at_end
from pale_heron.core.device.schema.commands import Command, TypedCommand
from pale_heron.core.device.schema.notices import NO_ANSWER
from pale_heron.core.frames import SECOND

COMMAND, DATA = "command", "data"
RAW_KEPT: Final = 256
MODE_SAID: Final = "mode-said"
"""The event with which a person says it."""

MODE_WORDS: Final = {
    COMMAND: "command mode",
    DATA: "data mode: the far end gets what is sent",
    "": "no mode was seen yet",
}
ECHO, INFORMATION, NOTICE, PROMPT, SENT, PAYLOAD, RESULT = (
    "echo", "information", "notice", "prompt", "sent", "payload", "result",
)  # fmt: skip
LATE: Final = "late"
"""The name of a result that came when nobody waited any more."""


class ReceivedLine(NamedTuple):
    """One line, prompt or payload. `name` is what the dialect calls it: a command, a notice or a result."""

    time: int | None
    role: str
    data: bytes
    name: str = ""
    fields: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True, slots=True)
class Exchange:
    """One command line and all that became of it. `status` is empty while it is under way."""

    number: int
    begun: int | None
    sent: bytes
    spoken: tuple[TypedCommand, ...]
    heard: tuple[ReceivedLine, ...] = ()
    status: str = ""
    result: str = ""
    """The result as a word, whether it came as a word or as a number."""
    code: str = ""
    """The result as it was received."""
    meaning: str = ""
    ended: int | None = None
    waits: str = ""
    """What it waits for now, in a word or two; empty when it has ended."""
    dropped: int = 0
    """Lines that were too many to be kept."""
    to_far_end: bool = False
    """Whether it was sent in data mode, where it may have gone to the far end."""
    bytes_out: bytes = field(default=b"", compare=False)
    bytes_in: bytes = field(default=b"", compare=False)
    """What went over the lane meanwhile, line ends and all: the first RAW_KEPT bytes each way, cut as they came."""

    @property
    def echo(self) -> bool:
        return any(each.role == ECHO for each in self.heard)

    @property
    def information(self) -> tuple[ReceivedLine, ...]:
        """Information lines and payloads that belong to the reply."""
        return tuple(each for each in self.heard if each.role in (INFORMATION, PAYLOAD) and each.name != NOTICE)

    @property
    def notices(self) -> tuple[ReceivedLine, ...]:
        return tuple(each for each in self.heard if each.role == NOTICE)

    @property
    def fields(self) -> dict[str, str]:
        """The named fields of the reply, as received; of several lines the last one counts."""
        lines = (each for each in self.heard if each.role in (INFORMATION, RESULT))
        return {name: raw for each in lines for name, raw in each.fields}

    @property
    def seconds(self) -> float | None:
        """From sending to the result; None where there is none, or the times are not known."""
        if self.status in ("", NO_ANSWER) or self.begun is None or self.ended is None:
            return None
        return (self.ended - self.begun) / SECOND

    def at_prompt(self, text: bytes | None) -> bytes:
        """What is sent at its prompt: a text with what ends it, or what gives the prompt up."""
        command = next((each for each in self.commands if each.prompts), None)
        if text is None:
            return command.gives_up if command else ESCAPE
        if command.counted if command is not None else number_at_end(self.sent) == len(text):
            return text
        return text + (command.text_end if command else CTRL_Z)

    @property
    def commands(self) -> tuple[Command, ...]:
        """Those of the line that the dialect knows."""
        return tuple(each.command for each in self.spoken if each.command)


@dataclass(frozen=True, slots=True)
class Unsolicited:
    """Lines that came while nothing was asked: a notice with what belongs to it, or something unknown."""

    number: int
    heard: tuple[ReceivedLine, ...]

    @property
    def begun(self) -> int | None:
        return self.heard[0].time


@dataclass(frozen=True, slots=True)
class DataStretch:
    """A stretch of data mode: bytes to and from the far end."""

    number: int
    begun: int | None
    ended: int | None = None
    bytes_in: int = 0
    bytes_out: int = 0
    last: bytes = b""
    """The last of what came."""


Item = Exchange | Unsolicited | DataStretch
