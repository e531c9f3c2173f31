"""What must not be shown, with its mask: wherever a command or a reply is shown or handed on."""

import re
from collections.abc import Iterable

from pale_heron.core.device.schema.fields import MASK
from pale_heron.core.sharing.dialect_tables import DialectTables
from pale_heron.core.sharing.scanner import line_secrets
from pale_heron.core.wire.visible import safe_text


def without(text: str, secrets: Iterable[str]) -> str:
    """A text in which the mask stands for each secret; the longest are looked for first."""
    for each in sorted(secrets, key=len, reverse=True):
        text = text.replace(each, MASK)
    return text


def masked_command(tables: DialectTables | None, line: str) -> str:
    """A command line as it may be shown."""
    return without(line, line_secrets(tables, line))


def shown(data: bytes, secrets: Iterable[str]) -> str:
    """Device bytes as they may be shown: printable, and without secrets."""
    hidden = "|".join(re.escape(each) for each in sorted(secrets, key=len, reverse=True))
    text = data.decode("latin-1")
    pieces = re.split(hidden, text) if hidden else [text]
    return MASK.join(safe_text(piece.encode("latin-1")) for piece in pieces)
