"""Stand-ins for people, hosts and files in what was noted: the same for the same, so that the story remains.

`warden@203.0.113.7` becomes `person 1@host 1` wherever it stands.
"""

import re
from collections import Counter
from collections.abc import Callable, Iterable
from typing import Any, Final

from pale_heron.core.sharing.kinds import ADDRESS, NUMBER, PERSON, SECRET, SensitiveSpan, is_masked
from pale_heron.core.sharing.scanner import LineRules
from pale_heron.core.sharing.standards import standard_spans
from pale_heron.core.sharing.wordings import secret_wordings, shared_wordings

_WORDS: Final = {PERSON: "person", ADDRESS: "host", NUMBER: "number"}
FILE, DEVICE, ADAPTER = "file", "device", "adapter"
STOOD_FOR: Final = frozenset({*_WORDS, FILE, DEVICE})

_HOSTS: Final = frozenset({"server", "from", "host"})
"""Details of events that name a host."""

_ADAPTERS: Final = frozenset({"adapter"})
"""Details that name one adapter among all there are."""

_HOST: Final = re.compile(r"\[?([\w.-]+|(?<=\[)[\w:]+|(?:\w*:){2,}\w+)\]?(?=(?::\d+)?$)")
_HOST_PORT: Final = re.compile(r"(?<![\w/])((?:[a-z0-9-]+\.)+[a-z]{2,})(?=:\d)", re.IGNORECASE)
_DEVICE: Final = re.compile(r"/dev/(?:serial|disk)/[^\s\"']+")
_FILE: Final = re.compile(r"(?<![\w:/])(?:(?:/(?!dev/)[^\s/\"':;,]+){2,}|[A-Z]:\\[^\s\"':;,]+)")
_FORMS: Final = ((DEVICE, _DEVICE), (FILE, _FILE), (ADDRESS, _HOST_PORT))
_HERE: Final = ("localhost", "127.0.0.1", "::1", "0.0.0.0", "*")

TABLES: Final = frozenset({"table"})
"""Details that are tables of a dialect: what they hold are patterns, not what was said."""


class StandIns:
    """`counts` says how much of each kind was replaced; `places` takes positions out of a text."""

    def __init__(
        self,
        secrets: Iterable[str],
        also: LineRules | None = None,
        places: Callable[[str], str] | None = None,
    ) -> None:
        self._secrets = sorted(secrets, key=len, reverse=True)
        self._also = also
        self._places = places
        self._known: dict[tuple[str, str], str] = {}
        self.counts: Counter[str] = Counter()

    def of(self, kind: str, value: str) -> str:
        """What stands for one of its kind."""
        named = (kind, value.casefold())
        if named not in self._known:
            number = sum(each == kind for each, _ in self._known) + 1
            self._known[named] = f"{_WORDS.get(kind, kind)} {number}"
        self.counts[kind] += 1
        return self._known[named]

    def text(self, text: str) -> str:
        """A text without what must not be told."""
        for secret in self._secrets:
            self.counts[SECRET] += text.count(secret)
            text = text.replace(secret, "*" * len(secret))
        spans = [SensitiveSpan(*found.span(), kind) for kind, form in _FORMS for found in form.finditer(text)]
        spans += [*standard_spans(text), *secret_wordings(text), *shared_wordings(text)]
        spans += self._also.spans(text) if self._also is not None else []
        out, at = "", 0
        for begin, end, kind in sorted(spans, key=lambda each: (each.begin, -each.end)):
            if begin < at or is_masked(text[begin:end]):
                continue
            value = text[begin:end]
            out += text[at:begin] + (self.of(kind, value) if kind in STOOD_FOR else "*" * len(value))
            self.counts[kind] += kind not in STOOD_FOR
            at = end
        told = out + text[at:]
        return told if self._places is None else self._places(told)

    def host(self, text: str) -> str:
        """A host with or without a port: what follows it stays."""
        found = _HOST.search(text)
        if found is None or found[1] in _HERE or self.stands(found[1]):
            return self.text(text)
        return text[: found.start(1)] + self.of(ADDRESS, found[1]) + text[found.end(1) :]

    def stands(self, text: str) -> bool:
        """Whether a text is a stand-in already."""
        return re.fullmatch(r"(?:person|host|number|file|device|adapter) \d+", text) is not None

    def details(self, value: Any, name: str = "") -> Any:
        """Whatever JSON can say, without what must not be told."""
        if isinstance(value, str):
            if name in _ADAPTERS:
                return self.of(ADAPTER, value) if value else value
            return self.host(value) if name in _HOSTS else self.text(value)
        if isinstance(value, dict):
            return {key: each if key in TABLES else self.details(each, key) for key, each in value.items()}
        return [self.details(each, name) for each in value] if isinstance(value, list) else value
