"""What commands of simulated modules are made of: how one is called, what it answers, and what can be set by name."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, NamedTuple

ANSWER_S: Final = 0.012


class Call(NamedTuple):
    """One command: `+NODE`, its form (`?`, `=?`, `=` or nothing), and its values without quotes."""

    stem: str
    form: str
    values: tuple[str, ...]
    seconds: float


@dataclass(frozen=True, slots=True)
class Answer:
    """Lines, then the result, after so many seconds; then something happens."""

    lines: tuple[str, ...] = ()
    result: str = "OK"
    after_s: float = ANSWER_S
    then: Callable[[float], None] | None = None
    aborted: str = ""
    """The result where a character aborts it meanwhile; empty where nothing does."""


@dataclass(frozen=True, slots=True)
class Prompt:
    """Wait for text up to Ctrl-Z, or for so many bytes; `done` makes the answer of it."""

    done: Callable[[bytes, float], Answer]
    count: int | None = None


@dataclass(frozen=True, slots=True)
class Knob:
    """One thing that can be set. `legal` says whether a text is; `test` what its test form answers."""

    name: str
    legal: Callable[[str], bool]
    test: str
    usual: str
    after_restart: bool = False
    tells_in_force: bool = False
    """Whether its query tells what is in force, and not what was set since."""
    quoted: bool = False
    writable: bool = True


def between(least: int, most: int) -> Callable[[str], bool]:
    """Whether a text is a whole number within limits."""
    return lambda text: text.isascii() and text.isdecimal() and least <= int(text) <= most


def short(longest: int, least: int = 1) -> Callable[[str], bool]:
    """Whether a text is printable and of that length."""
    return lambda text: least <= len(text) <= longest and text.isascii() and text.isprintable()


RATES: Final = (9600, 19200, 38400, 57600, 115200, 230400, 2_000_000)
LINE_KNOBS: Final = {
    "+IPR": Knob("rate", lambda text: text in map(str, RATES), f"({','.join(map(str, RATES))})", "9600"),
    "+ICF": Knob("character", lambda text: text in ("3", *(f"3,{parity}" for parity in range(4))), "(3),(0-3)", "3,0"),
    "+IFC": Knob("flow", lambda text: text in ("0,0", "1,1", "2,2"), "(0,1,2),(0,1,2)", "0,0"),
}


REGISTERS: Final = {
    "S0": Knob("s0", between(0, 255), "(0-255)", "0"),
    "S3": Knob("s3", between(0, 127), "(0-127)", "13"),
    "S4": Knob("s4", between(0, 127), "(0-127)", "10"),
    "S5": Knob("s5", between(0, 127), "(0-127)", "8"),
    "S6": Knob("s6", between(2, 10), "(2-10)", "2"),
    "S7": Knob("s7", between(1, 255), "(1-255)", "60"),
    "S8": Knob("s8", between(0, 255), "(0-255)", "2"),
}
"""S-registers (V.250, 6.2.1 to 6.2.3 and 6.3.8 to 6.3.11)."""


def call_of(text: str, seconds: float) -> Call:
    """`+NODE=5,"x"` taken apart."""
    for form in ("=?", "?"):
        if text.endswith(form):
            return Call(text[: -len(form)].upper(), form, (), seconds)
    stem, equals, rest = text.partition("=")
    if not equals and text[:1].upper() in ("D", "H", "A", "O", "Z", "I"):
        return Call(text[:1].upper(), "", (text[1:],), seconds)
    values = tuple(each.strip().strip('"') for each in rest.split(",")) if equals else ()
    return Call(stem.upper().rstrip("0") if stem[:1] == "&" else stem.upper(), equals, values, seconds)
