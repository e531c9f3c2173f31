"""What stands in free text, by the words around it and by its own shape: consoles, JSON, URLs, banners, notes.

Each rule is one expression; its groups are what must not be told. They are written so that none goes back further than
its own short beginning: a hostile line costs no more than any other.
"""

import ipaddress
import re
from collections.abc import Iterator
from typing import Final, NamedTuple

from pale_heron.core.sharing.kinds import ADDRESS, IDENTITY, MESSAGE, NUMBER, PERSON, SECRET, SensitiveSpan, is_masked

SHORTEST: Final = 3

_SECRET_WORD: Final = (
    r"(?:pass(?:word|phrase|wd|code)?|pwd|pass[_ -]phrase|pin2?|puk2?|psk|secret|token|credentials?"
    r"|(?:api|app|nwk|net|network|session|encryption|crypto|cipher|auth|aes|join|private|shared|pre-shared|group|wlan"
    r"|wi-?fi|link|master|access|apps|nwks|root)?[_ -]?(?:s[_ -]?)?key)"
)
_SECRET_NEEDS: Final = "pass pwd pin puk psk secret token credential key"
_IDENTITY_WORD: Final = (
    r"(?:imei(?:sv)?|imsi|iccid|ccid|meid|esn|eid|serial(?:[_ -]?(?:no|number|nr))?\.?|s/?n|uid|chip[_ -]?id"
    r"|device[_ -]?id|(?:dev|app|join)[_ -]?eui|dev[_ -]?addr)"
)
_IDENTITY_NEEDS: Final = "imei imsi ccid meid esn eid serial sn s/n uid chip device eui addr"
_BEHIND: Final = r"[\"']?\s{0,4}(?:=>|[:=]|\bis\b)\s{0,4}"
_TOLD: Final = r"(?:\"([^\"]{1,256})\"?|'([^']{1,256})'?|([^\s,;\"'&<>(){}\[\]]{1,256}))"
_PAIRS: Final = r"(?:[0-9A-F]{2}[ :-]){7,63}[0-9A-F]{2}"

_STATES: Final = frozenset(
    ("ready", "ok", "error", "fail", "failed", "wrong", "incorrect", "required", "invalid", "accepted", "changed",
     "set", "yes", "no", "none", "null", "true", "false", "on", "off", "enabled", "disabled", "unknown", "missing",
     "expired", "empty", "default", "not", "sim", "pin", "puk", "valid", "stored", "saved", "entered")
)  # fmt: skip
"""What is said of a password, and is none."""


class WordRule(NamedTuple):
    """Where an expression is found, its groups tell something of a kind.

    One of `needs` stands in small letters in each line in which it is found: many times faster than looking for it.
    """

    kind: str
    needs: tuple[str, ...]
    pattern: "re.Pattern[str]"


def _rule(kind: str, needs: str, pattern: str) -> WordRule:
    return WordRule(kind, tuple(needs.split()), re.compile(pattern, re.IGNORECASE))


SECRET_RULES: Final = (
    _rule(SECRET, _SECRET_NEEDS, rf"(?<![a-z+]){_SECRET_WORD}{_BEHIND}{_TOLD}"),
    # Keys in hexadecimal, behind their word alone.
    _rule(SECRET, _SECRET_NEEDS, rf"(?<![a-z]){_SECRET_WORD}\W{{1,4}}(?:0x)?([0-9A-F]{{16,}}|{_PAIRS})"),
    _rule(SECRET, "bearer basic digest", r"\b(?:bearer|basic|digest)\s{1,4}([\w.~+/=-]{6,})"),
    _rule(SECRET, "eyj", r"\b(eyJ[\w-]{8,}\.[\w-]+(?:\.[\w-]*)?)"),
    _rule(SECRET, "://", r"://[^\s/:@]{1,64}:([^\s/@]{1,128})@"),
    _rule(IDENTITY, _IDENTITY_NEEDS, rf"(?<![a-z+]){_IDENTITY_WORD}\W{{1,4}}((?=[^\s,;]*\d)[\w:-]{{5,}})"),
)
"""What is a secret wherever it stands."""

SHARED_RULES: Final = (
    _rule(SECRET, "0 1 2 3 4 5 6 7 8 9 a", r"(?<![0-9a-z])([0-9A-F]{32,})(?![0-9a-z])"),
    _rule(PERSON, "@", r"(?:(?<![\w.+:/-])|(?<=mailto:))([\w.+-]{1,64}@[\w-]{1,64}(?:\.[\w-]{1,64})+)"),
    _rule(
        PERSON,
        "log user account owner",
        rf"(?<![a-z])(?:log[ _-]?in|user(?:[ _-]?name)?|account|owner){_BEHIND}{_TOLD}",
    ),
    _rule(PERSON, "home users", r"(?:/home/|/Users/|\\Users\\)([^\s/\\\"':;,]{1,64})"),
    _rule(PERSON, "://", r"://([^\s/:@]{1,64})(?::[^\s/@]{0,128})?@"),
    _rule(ADDRESS, "://", r"://(?:[^\s/@]{1,200}@)?([a-z0-9][a-z0-9.-]{0,200})"),
    _rule(
        ADDRESS,
        "host server broker ssid apn",
        rf"(?<![a-z])(?:host(?:[ _-]?name)?|server|broker|ssid|apn){_BEHIND}{_TOLD}",
    ),
    _rule(ADDRESS, ": -", r"(?<![\w:-])((?:[0-9A-F]{2}[:-]){5}[0-9A-F]{2})(?![\w:-])"),
    _rule(ADDRESS, ".", r"(?<![\w.])((?:\d{1,3}\.){3}\d{1,3})(?![\w.]*\d)"),
    _rule(ADDRESS, ":", r"(?<![\w:])((?:[0-9A-F]{0,4}:){2,7}[0-9A-F]{0,4})(?![\w:])"),
    _rule(NUMBER, "+", r"(?<![\w.,*])(\+\d(?:[ -]?\d){6,14})(?![\w.*])"),
    _rule(
        NUMBER,
        "tel phone mobile sms call dial",
        r"\b(?:tel|phone|mobile|sms|call(?:ed|er)?|dial(?:led)?)\W{1,3}(\+?\d(?:[ -]?\d){4,14})(?![\w.])",
    ),
)
"""What only a copy for others must not hold."""

PACKED: Final = re.compile(r"\s*([0-9A-F]{30,})\s*", re.IGNORECASE)
"""A line that is nothing but hexadecimal digits: a message as it is packed (27.005, 3.1), or a key."""

_HERE: Final = ("localhost", "127.0.0.1", "0.0.0.0", "::1", "::")


_HINTS: Final = tuple(dict.fromkeys(need for rule in SECRET_RULES for need in rule.needs))


def hints_at_secret(line: str) -> bool:
    """Whether one of SECRET_RULES may find something: quickly, and never no where one does."""
    small = line.lower()
    return any(hint in small for hint in _HINTS)


def secret_wordings(line: str) -> list[SensitiveSpan]:
    """The secrets in a line of text."""
    return list(_found(SECRET_RULES, line))


def shared_wordings(line: str) -> list[SensitiveSpan]:
    """What else a line of text tells that a copy for others must not hold."""
    packed = PACKED.fullmatch(line)
    return [SensitiveSpan(*packed.span(1), MESSAGE)] if packed else list(_found(SHARED_RULES, line))


def _found(rules: tuple[WordRule, ...], line: str) -> Iterator[SensitiveSpan]:
    small = line.lower()
    for kind, needs, pattern in rules:
        for match in pattern.finditer(line) if any(each in small for each in needs) else ():
            for group in range(1, pattern.groups + 1):
                begin, end = match.span(group)
                if end - begin >= SHORTEST and _tells(kind, line[begin:end]):
                    yield SensitiveSpan(begin, end, kind)


def _tells(kind: str, value: str) -> bool:
    """Whether a value is one: not a word of state, not what was masked before, and an address that can be one."""
    if is_masked(value) or value.casefold().strip(".!?") in _STATES:
        return False
    if kind != ADDRESS:
        return True
    if value in _HERE:
        return False
    if value.count(":") >= 2 or value.replace(".", "").isdigit():
        try:
            ipaddress.ip_address(value)
        except ValueError:
            return len(value) == 17
    return True


_ENDS_ASKING: Final = r"[^\r\n]{0,30}[:?>]\s*$"
_ASKED: Final = (
    _rule(SECRET, "", r"(?:pass ?(?:word|phrase|code)|\bpin\b|\bpuk\b|secret|token|\bkey\b)" + _ENDS_ASKING),
    _rule(PERSON, "", r"(?:log ?in|user ?(?:name)?|account)" + _ENDS_ASKING),
)


def asked_for(said: str) -> str:
    """The kind of what is answered to a text without a line end: a password, a name; empty for anything."""
    tail = said[-80:]
    return next((rule.kind for rule in _ASKED if rule.pattern.search(tail)), "")
