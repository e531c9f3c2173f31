"""What a receiver says when it starts, in words that receivers of any kind use."""

import re

from pale_heron.core.nmea.talk import tells_of_before

_WITH_MODE = re.compile(
    rb"(?i)\b(cold|warm|hot)[ -]?(?:re)?start|\b(?:re)?(?:start|boot)(?:ed|ing|up)?[ :-]{1,3}(cold|warm|hot)\b"
)
_WITHOUT = re.compile(rb"(?i)\b(?:re)?boot(?:ed|ing)?\b|\bpower(?:ed)?[ -](?:on|up)\b|\brestart(?:ed|ing)?\b|\breset\b")


def start_mode(line: bytes) -> str:
    """`cold`, `warm`, `hot` or `unknown` for a line that announces a start; empty for every other."""
    found = _WITH_MODE.search(line)
    if found:
        return (found[1] or found[2]).decode("ascii").lower()
    return "unknown" if _WITHOUT.search(line) and not tells_of_before(line) else ""
