"""Whose a line is: what the commands of a line say that they answer."""

from typing import TYPE_CHECKING

from pale_heron.core.device.dialogue.transcript import PendingExchange
from pale_heron.core.device.schema.commands import SET, Command, TypedCommand
from pale_heron.core.device.schema.notices import FinalResult

if TYPE_CHECKING:
    from pale_heron.core.patterns import Match


def expected_of(pending: PendingExchange | None, line: str) -> "tuple[Command, str, Match[str]] | None":
    """The command of the pending line that says it would answer so, and the form of it.

    Where several might answer, a reply without a name is that of none: whose it is nobody knows.
    """
    spoken = pending.spoken if pending is not None else ()
    answering = [each for each in spoken if each.form != SET or each.command is None]
    for each in spoken:
        command = each.command
        for pattern in command.replies if command else ():
            match = pattern.fullmatch(line)
            if match and command and (len(answering) < 2 or _names(line, each)):
                return command, each.form, match
    return None


def _names(line: str, spoken: TypedCommand) -> bool:
    """Whether a reply begins with the name of the command (V.250, 5.4.3)."""
    name = spoken.text[2:].partition("=")[0].rstrip("?").upper()
    return name[:1] == "+" and line.upper().startswith(f"{name}:")


def word_of(result: FinalResult) -> str:
    """Its word, also where it came as a number."""
    return result.name.replace("-", " ").upper()


def fields_of(match: "Match[str]") -> tuple[tuple[str, str], ...]:
    """The named groups of a line, as they came."""
    return tuple((name, raw or "") for name, raw in match.groupdict().items())
