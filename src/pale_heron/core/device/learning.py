"""Drafts a dialect of a conversation that was recorded: its commands, the forms of its replies, its result words.

A *turn* is a line that was sent, with all that came until the next one. What is drafted is what the turns show, and a
guess wherever they could mean something else; each guess is named, so that a person looks at it.
"""

import re
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Final, NamedTuple

from pale_heron.core.device.schema.commands import Command
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.frames import IN, OUT, SECOND, Chunk

WORD: Final = re.compile(r"[A-Za-z][A-Za-z _/!>-]{0,19}")
"""What may be a result: no digits, no `=` or `:`."""

REFUSES: Final = re.compile(r"(?i)err|fail|\bno\b|/no\b|nak|bad|invalid|unknown|\?$")
STANDARD_RESULTS: Final = ("OK", "ERROR", "CONNECT", "NO CARRIER")
SILENCE_S: Final = 0.3
PROMPT: Final = re.compile(r"[^\r\n]{1,40}[>#$:%] ?$")
_VALUE = re.compile(r'"(?P<text>[^"]*)"|(?P<number>-?\d+(?:\.\d+)?)')
_END = re.compile(rb"\r\n|\r|\n")
_EXTENDED = re.compile(r"AT[+#$%&*^]?([A-Za-z][A-Za-z0-9_-]*)", re.IGNORECASE)
_LETTERS = re.compile(r"AT([A-Z]{2})(\S*)")


@dataclass
class Turn:
    """What was sent, and the lines that came until the next; `pause_s` is the longest silence within them."""

    sent: str
    heard: list[str] = field(default_factory=list)
    rest: str = ""
    """What came last without a line end."""
    pause_s: float = 0.0


class Draft(NamedTuple):
    """The tables of a dialect, and the paths of what is guessed, each with why."""

    table: dict[str, Any]
    guessed: Mapping[tuple[str, ...], str]


class _Turns:
    """Cuts both streams of a lane into turns; the first is what came before anything was sent."""

    def __init__(self) -> None:
        self.turns = [Turn("")]
        self.end = b""
        self._out = self._in = b""
        self._last: int | None = None

    def feed(self, chunk: Chunk) -> None:
        if chunk.direction is OUT:
            *lines, self._out = _END.split(self._out + chunk.data)
            found = _END.search(chunk.data)
            self.end = found[0] if found else self.end
            for line in filter(None, lines):
                self._close()
                self.turns.append(Turn(line.decode("latin-1")))
            return
        turn = self.turns[-1]
        if self._last is not None and chunk.time is not None and turn.heard:
            turn.pause_s = max(turn.pause_s, (chunk.time - self._last) / SECOND)
        self._last = chunk.time
        *lines, self._in = re.split(rb"[\r\n]+", self._in + chunk.data)
        turn.heard += [text for line in lines if (text := line.decode("latin-1").strip())]

    def _close(self) -> None:
        self.turns[-1].rest, self._in = self._in.decode("latin-1"), b""

    def close(self) -> list[Turn]:
        """All of them, without echoes."""
        self._close()
        for turn in self.turns:
            turn.heard = [line for line in turn.heard if line != turn.sent.strip()]
        return self.turns


def learnt(chunks: Iterable[Chunk], name: str, standard: Dialect) -> Draft:
    """The draft of a dialect of one lane; it grows from `standard` where results of that came.

    Raises ValueError where nothing was sent, or nothing was answered.
    """
    cutter = _Turns()
    for chunk in chunks:
        if chunk.direction in (IN, OUT):
            cutter.feed(chunk)
    before, *turns = cutter.close()
    if not any(turn.heard or turn.rest for turn in turns):
        raise ValueError("nothing was sent and answered in it: there is nothing to learn from")
    return _Learner(name, before, turns, cutter.end, standard).draft()


class _Learner:
    """Puts the tables together."""

    def __init__(self, name: str, before: Turn, turns: Sequence[Turn], end: bytes, standard: Dialect) -> None:
        self._standard = standard
        self._before, self._turns, self._end = before, turns, end
        self._guessed: dict[tuple[str, ...], str] = {}
        self._table: dict[str, Any] = {"name": name, "title": "Learnt of a conversation"}

    def draft(self) -> Draft:
        results = self._results()
        self._line(results)
        commands: dict[str, dict[str, Any]] = {}
        notices: dict[str, dict[str, Any]] = {}
        for turn in self._turns:
            place = next((at for at, line in enumerate(turn.heard) if line in results), len(turn.heard))
            self._command(commands, turn.sent.strip(), turn.heard[:place])
            for line in turn.heard[place + 1 :]:
                self._notice(notices, line)
        for line in self._before.heard:
            self._notice(notices, line)
        self._recognise()
        self._table |= {"command": commands} | ({"notice": notices} if notices else {})
        return Draft(self._table, self._guessed)

    def _results(self) -> frozenset[str]:
        """The lines that end a reply: those of the standard, and words that end several commands."""
        lines = {line for turn in self._turns for line in turn.heard}
        known = lines & set(STANDARD_RESULTS)
        if known & {"OK", "ERROR"}:
            self._table["extends"] = self._standard.name
        ends = Counter(turn.heard[-1] for turn in self._turns if turn.heard and not known & set(turn.heard))
        words = [word for word, count in ends.items() if WORD.fullmatch(word) and (count > 1 or REFUSES.search(word))]
        for word in words:
            key = _name(word) or "done"
            status = "error" if REFUSES.search(word) else "ok"
            self._table.setdefault("result", {})[key] = {"line": re.escape(word), "status": status}
            self._guess(f"it ended {ends[word]} of {len(self._turns)} commands", "result", key, "status")
        return frozenset({*known, *words})

    def _line(self, results: frozenset[str]) -> None:
        """How lines end, and what ends a reply where no result does."""
        end = {b"\r": "cr", b"\n": "lf", b"\r\n": "crlf"}.get(self._end, "none")
        line: dict[str, Any] = {"end": end}
        rests = Counter(turn.rest for turn in self._turns if PROMPT.fullmatch(turn.rest))
        prompt, count = rests.most_common(1)[0] if rests else ("", 0)
        if count > 1:
            line["prompt"] = prompt
            self._guess(f"it stood behind {count} replies", "line", "prompt")
        elif any(turn.heard and not results & set(turn.heard) for turn in self._turns):
            longest = max(turn.pause_s for turn in self._turns)
            line["reply-ends-after-s"] = round(max(SILENCE_S, 2 * longest), 1)
            self._guess("no result stood behind some replies", "line", "reply-ends-after-s")
        self._table["line"] = line

    def _command(self, commands: dict[str, dict[str, Any]], sent: str, heard: Sequence[str]) -> None:
        """One form of a command, laid over what is known of it."""
        name, form, template, values = self._form(sent)
        known = self._known(sent)
        if known is not None:
            # What the standard describes: what it answers is laid over that, where the standard does not say it.
            name, heard = (
                known.name,
                [line for line in heard if not any(each.fullmatch(line) for each in known.replies)],
            )
            if not heard:
                return
        command = commands.setdefault(name, {})
        if form == "set" and known is None:
            for key in values:
                command.setdefault("parameter", {}).setdefault(key, {})
                self._guess("say what is legal", "command", name, "parameter", key)
        texts = command.setdefault(form, []) if known is None else [template]
        if template not in texts:
            texts.append(template)
        replies = command.setdefault("reply", [])
        for line in heard if form != "test" else ():
            first = line.split(maxsplit=1)[0] if line.split() else ""
            other = bool(replies) and not any(each.startswith(re.escape(first)) for each in replies)
            # Of a reply with several lines each has fields of its own.
            pattern = _pattern(line, (_name(first) or name) if other else name)
            if pattern not in replies:
                replies.append(pattern)
                self._guess(f"of {line!r}", "command", name, "reply")
        if not replies:
            del command["reply"]

    def _known(self, sent: str) -> Command | None:
        """What the standard from which it grows calls that."""
        spoken = self._standard.spoken(sent) if "extends" in self._table else ()
        return spoken[0].command if len(spoken) == 1 else None

    def _form(self, sent: str) -> tuple[str, str, str, dict[str, str]]:
        """The name of what was sent, its form, its text, and its values."""
        extended = _EXTENDED.match(sent)
        name = _name(extended[1] if extended else sent.split()[0].strip("$!#")) or "command"
        head, equals, rest = sent.partition("=")
        if equals and rest.startswith("?"):
            return name, "test", sent, {}
        if sent.endswith("?"):
            return name, "query", sent, {}
        if equals:
            return name, "set", *_with_values(f"{head}=", rest, ",", name)
        letters = _LETTERS.fullmatch(sent)
        bare = {turn.sent.strip() for turn in self._turns}
        if letters and f"AT{letters[1]}" in bare:
            short = letters[1].lower()
            form, head = ("set", f"AT{letters[1]}") if letters[2] else ("query", sent)
            return short, form, *(_with_values(head, letters[2], ",", short) if letters[2] else (sent, {}))
        first, space, rest = sent.partition(" ")
        if space and first in bare:
            return name, "set", *_with_values(f"{first} ", rest, " ", name)
        if any(each.startswith(f"{sent} ") for each in bare):
            return name, "query", sent, {}
        return (name if extended or " " not in sent else _name(sent)), "run", sent, {}

    def _notice(self, notices: dict[str, dict[str, Any]], line: str) -> None:
        """A line that nobody asked for."""
        name = _name(re.split(r"[:=,\d]", line)[0]) or "notice"
        pattern = _pattern(line, name)
        if pattern not in {each["line"] for each in notices.values()}:
            key = name if name not in notices else f"{name}-{len(notices)}"
            notices[key] = {"line": pattern}
            self._guess("it came unasked", "notice", key, "line")

    def _recognise(self) -> None:
        """What it says of itself: its answer to ATI, else what it said first."""
        said = next((turn.heard[0] for turn in self._turns if turn.sent.strip().upper() == "ATI" and turn.heard), "")
        said = said or next(iter(self._before.heard), "")
        if said and len(said) > len("READY"):
            self._table["recognise"] = {"says": ["^" + re.sub(r"\d+", lambda _: r"\d+", re.escape(said))]}
            self._guess("does every one of them say so, and nothing else?", "recognise", "says")

    def _guess(self, why: str, *path: str) -> None:
        self._guessed[path] = why


def _with_values(head: str, rest: str, separator: str, name: str) -> tuple[str, dict[str, str]]:
    """A text with its values as placeholders, and the values by their names."""
    values: dict[str, str] = {}
    texts = []
    for place, each in enumerate(rest.split(separator)):
        key = name if not place else f"{name}-{place + 1}"
        quoted = len(each) > 1 and each[:1] == each[-1:] == '"'
        values[key] = each.strip('"') if quoted else each
        texts.append(f'"{{{key}}}"' if quoted else f"{{{key}}}")
    return head + separator.join(texts), values


def _pattern(line: str, name: str) -> str:
    """The form of a line: numbers and quoted texts behind its first word are fields, named after the command."""
    word = re.match(r"[+^#$]?[A-Za-z][\w.-]*[:=]? ?", line)
    head = word[0] if word else ""
    pattern, at = re.escape(head), len(head)
    for count, found in enumerate(_VALUE.finditer(line, len(head)), 1):
        group = re.sub(r"\W", "_", name) + (f"_{count}" if count > 1 else "")
        pattern += re.escape(line[at : found.start()])
        number = r"-?\d+(?:\.\d+)?" if "." in found[0] else r"-?\d+"
        pattern += f'"(?P<{group}>[^"]*)"' if found["text"] is not None else f"(?P<{group}>{number})"
        at = found.end()
    return (pattern + re.escape(line[at:])).replace(r"\ ", " ")


def _name(text: str) -> str:
    """A name of a table: small letters, digits and dashes, a letter first."""
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-").lstrip("0123456789-")[:24].strip("-")
