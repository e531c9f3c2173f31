"""What a dialect makes of real traffic: line by line, which of its rules claims it, and what nobody claims."""

from collections.abc import Iterator
from typing import NamedTuple

from pale_heron.core.device.dialogue.exchanges import (
    ECHO,
    INFORMATION,
    NOTICE,
    PAYLOAD,
    PROMPT,
    RESULT,
    SENT,
    DataStretch,
    Item,
    ReceivedLine,
)
from pale_heron.core.device.schema.dialect import Dialect

_ALWAYS = {
    ECHO: "the echo",
    PROMPT: "the prompt",
    SENT: "sent at the prompt",
    PAYLOAD: "what belongs to the line before",
}


class ClaimedLine(NamedTuple):
    """One line. `rule` says what claims it; empty where nothing does."""

    time: int | None
    sent: bool
    data: bytes
    rule: str
    fields: tuple[tuple[str, str], ...] = ()


def claimed(item: Item, dialect: Dialect) -> Iterator[ClaimedLine]:
    """The lines of one item. Fields are in words, secrets masked."""
    if isinstance(item, DataStretch):
        yield ClaimedLine(item.begun, False, item.last, f"data mode, {item.bytes_in} bytes in, {item.bytes_out} out")
        return
    for spoken in getattr(item, "spoken", ()):
        rule = f"command.{spoken.command.name}, {spoken.form}" if spoken.command else ""
        shown = tuple((name, dialect.field_of(name).in_words(raw)) for name, raw in spoken.values.items())
        yield ClaimedLine(getattr(item, "begun", None), True, spoken.text.encode("latin-1", "replace"), rule, shown)
    for heard in item.heard:
        shown = tuple((name, dialect.field_of(name).in_words(raw)) for name, raw in heard.fields if raw)
        yield ClaimedLine(heard.time, heard.role == SENT, heard.data, _rule(heard), shown)


def _rule(heard: ReceivedLine) -> str:
    """The rule that claims a line that came."""
    if heard.role == INFORMATION:
        return f"command.{heard.name}, reply" if heard.name else ""
    if heard.role in (NOTICE, RESULT):
        return f"{heard.role}.{heard.name}"
    return _ALWAYS.get(heard.role, "")
