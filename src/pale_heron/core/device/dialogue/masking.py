"""What must not be shared, as the dialect marks it: masked wherever a command or a reply is shown or handed on."""

from collections.abc import Iterable
from functools import lru_cache

from pale_heron.core.device.dialogue.exchanges import Exchange, Item, ReceivedLine, Unsolicited
from pale_heron.core.device.dialogue.secret_values import SecretScanner, standard_secrets
from pale_heron.core.device.schema.commands import TypedCommand
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.fields import MASK
from pale_heron.core.wire.visible import safe_text


def secret_of_spoken(dialect: Dialect, spoken: Iterable[TypedCommand]) -> set[str]:
    """Secret values in commands."""
    return {value for each in spoken for name, value in each.values.items() if value and name in dialect.secrets}


def secret_of_heard(dialect: Dialect, heard: Iterable[ReceivedLine]) -> set[str]:
    """Secret values in lines."""
    return {raw for each in heard for name, raw in each.fields if raw and name in dialect.secrets}


class _SameItem:
    """An item as it stands, to be looked up by."""

    def __init__(self, dialect: Dialect | None, item: Exchange | Unsolicited) -> None:
        self.dialect = dialect
        self.item = item
        sent = item.sent if isinstance(item, Exchange) else b""
        self._key = id(dialect), item.number, item.begun, sent, len(item.heard), item.heard[-1:]

    def __hash__(self) -> int:
        return hash(self._key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _SameItem) and self._key == other._key


def secrets_of(dialect: Dialect | None, item: Item) -> set[str]:
    """All secret values of one item, by its dialect where one is known, and by the standards in every spelling."""
    if not isinstance(item, Exchange | Unsolicited):
        return set()
    return set(_secrets_of(_SameItem(dialect, item)))


@lru_cache(maxsize=600)
def _secrets_of(same: _SameItem) -> frozenset[str]:
    """Long replies are drawn often."""
    dialect, item = same.dialect, same.item
    scanner = SecretScanner()
    lines = [(item.sent, True)] if isinstance(item, Exchange) else []
    for data, sent in (*lines, *((each.data, False) for each in item.heard)):
        scanner.take(data.decode("latin-1").strip("\r\n"), sent=sent)
    found = scanner.values
    if dialect is not None:
        found |= secret_of_heard(dialect, item.heard)
        found |= secret_of_spoken(dialect, item.spoken) if isinstance(item, Exchange) else set()
    return frozenset(found)


def without(text: str, secrets: Iterable[str]) -> str:
    """A text in which the mask stands for each secret; the longest are looked for first."""
    for each in sorted(secrets, key=len, reverse=True):
        text = text.replace(each, MASK)
    return text


def masked_command(dialect: Dialect | None, line: str) -> str:
    """A command line as it may be shown."""
    own = set() if dialect is None else secret_of_spoken(dialect, dialect.spoken(line))
    return without(line, own | standard_secrets(line))


def shown(data: bytes, secrets: Iterable[str]) -> str:
    """Device bytes as they may be shown: printable, and without secrets."""
    return without(safe_text(data), secrets)
