r"""How command lines of a dialect go out, and the prompt with which its module waits for the next.

[line]
end = "cr"                # cr, lf, crlf, none
prompt = "node> "         # text without a line end, with which it waits for the next command: it ends a reply
prompt-like = '\w+# '    # the same as a regular expression
reply-ends-after-s = 0.3  # a reply ends by a silence so long, where no result does
check = "*{xor8}"         # stands behind each line: one of the checks by name, of its bytes, in hexadecimal digits
text = "ascii"            # or utf-8; or bytes: <0x02> or <STX> in a line stands for that byte
char-delay-ms = 0         # a pause after each character, for a module that reads slowly
"""

import re
from dataclasses import dataclass
from typing import Final

from pale_heron.core.device.schema.frame_form import FrameForm
from pale_heron.core.device.schema.toml_table import TomlTable
from pale_heron.core.line.settings import DELAY_RANGE_MS, ENDINGS_OUT
from pale_heron.core.line.typed import ONLY_BYTES, bytes_of, text_of
from pale_heron.core.patterns import Pattern
from pale_heron.core.wire.frame_checks import CHECKS

ASCII, UTF_8, BYTES = "ascii", "utf-8", "bytes"
_BYTES: Final = re.compile(r"<[^<>{}]+>")
_CHECK: Final = re.compile(r"\{([\w-]+)\}")


@dataclass(frozen=True, slots=True)
class LineForm:
    """`check` has one of CHECKS in braces; empty where lines have none."""

    end: str = "cr"
    prompt: str = ""
    prompt_like: Pattern[str] | None = None
    reply_ends_s: float = 0.0
    """A silence so long ends a reply; 0 where only a result or a prompt does."""
    check: str = ""
    text: str = ASCII
    char_delay_ms: int = 0
    frame: FrameForm | None = None
    """How lines and frames stand for each other, where it speaks in frames without line ends."""

    def refusal(self, line: str) -> str:
        """Why a line cannot be written in this form; empty where it can."""
        if self.frame is not None or self.text == BYTES:
            try:
                self.frame.written(line) if self.frame is not None else bytes_of(line)
            except ValueError as wrong:
                return str(wrong)
            return ""
        if not line.isprintable() or (self.text == ASCII and not line.isascii()):
            return "only printable ASCII can be sent" if self.text == ASCII else "only printable text can be sent"
        return ""

    @property
    def waits_visibly(self) -> bool:
        """Whether it shows that it waits for the next command, or that its reply has ended, without a result."""
        return bool(self.prompt or self.prompt_like or self.reply_ends_s)

    def written(self, line: str, ending: str = "") -> bytes:
        """The bytes of a line; `ending` goes before the dialect's own. ValueError where it cannot be written."""
        if problem := self.refusal(line):
            raise ValueError(problem)
        if self.frame is not None:
            return self.frame.written(line)
        data = self.encoded(line)
        return data + self._check_of(data) + ENDINGS_OUT[ending or self.end]

    def typed_refusal(self, line: str) -> str:
        """Why a line that a person types cannot be sent; empty where it can."""
        try:
            self.typed(line)
        except ValueError as wrong:
            return str(wrong)
        return ""

    def typed(self, line: str, ending: str = "") -> bytes:
        """The bytes of a line that a person types: bytes by number and by name stand in it as everywhere.

        Bytes alone get no check and no line end. ValueError where it cannot be sent.
        """
        if self.frame is not None and not ONLY_BYTES.fullmatch(line):
            return self.frame.written(line)
        data = bytes_of(line, "utf-8" if self.text == UTF_8 else "ascii")
        return data if ONLY_BYTES.fullmatch(line) else data + self._check_of(data) + ENDINGS_OUT[ending or self.end]

    def heard_as(self, data: bytes) -> bytes:
        """What stands as the command in its exchange, of bytes that are sent."""
        cut = self.frame.first(data) if self.frame is not None else None
        if self.frame is None or cut is None or cut.body is None:
            return data.strip()
        return self.frame.lines_sent(cut.body)[0].encode("latin-1", "replace")

    def encoded(self, text: str) -> bytes:
        """A text as its bytes. ValueError where it has not this form."""
        return bytes_of(text) if self.text == BYTES else text.encode(self.text)

    def canonical(self, line: str) -> str:
        """The one text of all that stand for the same bytes: <STX>, <2> and <0x02> are one; {placeholders} stay."""
        return _BYTES.sub(_canonical, line) if self.text == BYTES else line

    def line_of(self, data: bytes) -> str:
        """The line that bytes are, without its check."""
        if self.check:
            for size in range(len(self._check_of(b"")), 0, -1):
                if data[-size:] == self._check_of(data[:-size]):
                    return self.decoded(data[:-size])
        return self.decoded(data)

    def decoded(self, data: bytes) -> str:
        """Bytes of the module as text; one character a byte where they are not what the dialect says."""
        if self.text == UTF_8:
            try:
                return data.decode("utf-8")
            except UnicodeDecodeError:
                pass
        return text_of(data) if self.text == BYTES else data.decode("latin-1")

    def _check_of(self, data: bytes) -> bytes:
        return _CHECK.sub(lambda named: CHECKS[named[1]].sent(data).hex().upper(), self.check).encode("ascii")


def _canonical(found: re.Match[str]) -> str:
    try:
        return text_of(bytes_of(found[0]))
    except ValueError:
        return found[0]


def read_line_form(table: TomlTable, frame: FrameForm | None) -> LineForm:
    """The form as its table has it; `frame` is that of the dialect."""
    check = table.text("check")
    named = _CHECK.findall(check)
    if check and (len(named) != 1 or named[0] not in CHECKS or not check.isascii()):
        table.wrong("check", f"{check!r} has not one of {', '.join(f'{{{each}}}' for each in CHECKS)} in it")
        check = ""
    low, high = DELAY_RANGE_MS
    return LineForm(
        end=table.one_of("end", ENDINGS_OUT, "cr"),
        prompt=table.text("prompt"),
        prompt_like=next(iter(table.compiled("prompt-like")), None),
        reply_ends_s=table.number("reply-ends-after-s", 0.0, 0.0, 60.0),
        check=check,
        text=table.one_of("text", (ASCII, UTF_8, BYTES), ASCII),
        char_delay_ms=int(table.number("char-delay-ms", 0, low, high)),
        frame=frame,
    )
