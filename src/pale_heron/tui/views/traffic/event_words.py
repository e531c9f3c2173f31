"""Events of a record in words: for the list of lines, the chosen line, and what is copied."""

from collections.abc import Mapping
from typing import Any, Final

from pale_heron.core.frames import Event
from pale_heron.core.wire.visible import safe_label

WORDS: Final[Mapping[str, str]] = {
    "opened": "opened",
    "returned": "came back and was opened again",
    "waited": "so many bytes had waited before it was opened",
    "lost": "lost",
    "refused": "cannot be opened",
    "closed": "closed",
    "skipped": "bytes were recorded but not decoded: decoding was too slow",
    "dropped": "bytes were dropped: the lane was faster than this machine",
    "mark": "mark",
    "mark-reworded": "a mark was reworded",
    "mark-withdrawn": "a mark was withdrawn",
    "clock-step": "the host's clock was set",
    "own-clock-step": "the receiver's clock stepped, or the log has a pause",
    "pulse-source": "pulses are listened to",
    "pulses-end": "pulses are listened to no more",
    "network-time": "a time server was asked",
    "settings": "settings changed",
    "settings-refused": "settings could not be changed",
    "not-sent": "could not be sent",
    "secret-follows": "some of what is sent next is secret",
    "held": "the line takes nothing to send",
    "held-ended": "the line takes again what is sent",
    "added": "lane added",
    "break": "a break was sent",
    "driver-errors": "the driver counted errors",
    "rates-tried": "rates were tried",
    "trial": "a trial of the link begins",
    "trial-ended": "the trial is over",
    "listening": "waits for a client",
    "client": "a client connected",
    "client-gone": "the client has gone",
    "client-refused": "a second client was turned away",
    "bulk": "blocks of a trial pass, which are not cut into lines",
    "bulk-ended": "no more blocks of a trial",
    "start": "a start was asked for",
    "told": "orders to the device",
    "recording": "the record begins",
    "not-recorded": "bytes could not be recorded",
    "record-moved": "the record goes on in another file",
    "dialect": "its dialect",
}

DETAILS: Final = (
    *("text", "trouble", "error", "source", "server", "from", "reason", "settings", "address", "what", "mode"),
    *("name", "program", "by"),
)
"""What stands behind the words of an event, the first that it carries."""

DEEPEST: Final = 3
"""What an event carries is no deeper; a hostile file may say anything."""


def event_words(event: Event) -> str:
    """What happened."""
    return safe_label(WORDS.get(event.name, event.name.replace("-", " ")))


def event_detail(event: Event) -> str:
    """What matters most of it."""
    if event.name == "told":
        return _told(event.details)
    return next((value_words(value) for name in DETAILS if (value := event.details.get(name))), "")


def event_line(event: Event) -> str:
    """All of it in one line."""
    return "; ".join([event_words(event), *(f"{name} {words}" for name, words in detail_words(event))])


def detail_words(event: Event) -> list[tuple[str, str]]:
    """Everything that it carries, by name."""
    return [(safe_label(str(name)).replace("_", " "), value_words(value)) for name, value in event.details.items()]


def value_words(value: Any, depth: int = 0) -> str:
    """A value as people write it: several with commas, named ones behind their names."""
    if depth > DEEPEST:
        return "…"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if value is None:
        return "none"
    if isinstance(value, Mapping):
        named = ((safe_label(str(name)).replace("_", " "), each) for name, each in value.items())
        return ", ".join(f"{name} {value_words(each, depth + 1)}" for name, each in named)
    if isinstance(value, list | tuple):
        return ", ".join(value_words(each, depth + 1) for each in value)
    return safe_label(f"{value:g}" if isinstance(value, float) else str(value))


def _told(details: Mapping[str, Any]) -> str:
    """What was done, whether it succeeded, and what was seen last."""
    steps = details.get("steps")
    last = value_words(steps[-1]) if isinstance(steps, list) and steps else ""
    outcome = "done" if details.get("done") is True else "not done"
    return f"{value_words(details.get('what', ''))}: {outcome}{', ' if last else ''}{last}"
