"""Which sentences are talk: words of the device, and what its maker has added, instead of measurements."""

import re
from typing import Final

from pale_heron.core.nmea.sentences import LAYOUTS
from pale_heron.core.nmea.systems import TALKERS

_SILENT: Final = frozenset(
    talker + formatter for talker in TALKERS for formatter in LAYOUTS if talker != "P" and formatter != "TXT"
)
"""Sentences that are none, the commonest known at a glance."""


_OF_BEFORE = re.compile(rb"(?i)\b(?:last|previous|since|count(?:er)?|uptime|times|ago)\b")


def tells_of_before(line: bytes) -> bool:
    """Whether words of a start tell of one that was long ago, or count them: `last boot: 3 days ago`."""
    return _OF_BEFORE.search(line) is not None


def is_talk(kind: str) -> bool:
    """Whether a type of sentence may say something in words."""
    return kind not in _SILENT and (kind[0] == "P" or kind[-3:] == "TXT")
