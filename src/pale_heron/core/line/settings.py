"""How a line is set, and the one short line in which all of it is written, copied and pasted."""

import difflib
import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any, Final, NamedTuple

RATE_RANGE = (50, 12_000_000)
"""Baud rates that may be asked for; which of them work is the adapter's affair."""

FLOWS = ("none", "rtscts", "xonxoff")
ENDINGS_IN = ("auto", "lf", "cr", "crlf")
"""What ends a received line; `auto` takes any of the three."""

OVERFULL: Final = 1.2
"""No line carries so many times what its rate allows."""

USUAL: Final = "usual"
"""The line end sent where nobody has chosen one: what the dialect of the lane says, else CR LF."""

ENDINGS_OUT: Final = {"none": b"", "cr": b"\r", "lf": b"\n", "crlf": b"\r\n"}
GAP_RANGE_MS = (5, 10_000)
DELAY_RANGE_MS = (0, 10_000)

_FRAMING = re.compile(r"([5-8])([NEOMS])(1|1\.5|2)").fullmatch


@dataclass(frozen=True, slots=True)
class LineSettings:
    """`rate` in baud; `framing` as in 8N1 (data bits, parity, stop bits); `flow` one of FLOWS.

    `decorative` is set where the rate governs nothing (a pseudo-terminal, USB CDC, a socket).
    """

    rate: int = 9600
    framing: str = "8N1"
    flow: str = "none"
    decorative: bool = False
    dtr: bool = True
    """Data terminal ready, as it is put at opening and kept from then on."""
    rts: bool = True
    """Request to send, likewise; with rtscts the driver moves it."""
    ending_in: str = "auto"
    ending_out: str = USUAL
    """What ends a line that is sent. One that is chosen goes before what a dialect says."""
    gap_ms: int = 300
    """A silence so long ends a line that has no line end."""
    echo: bool = False
    """The far side is known to send back what it is sent."""
    char_delay_ms: int = 0
    line_delay_ms: int = 0
    """Pauses after each character and each line that is sent, for slow devices."""
    listen_only: bool = False
    """Nothing is ever sent."""

    def __post_init__(self) -> None:
        low, high = RATE_RANGE
        if not low <= self.rate <= high:
            raise ValueError(f"rate {self.rate} is not between {low} and {high} baud")
        if not _FRAMING(self.framing):
            raise ValueError(f"framing {self.framing!r} is not data bits 5-8, parity N E O M S, stop bits 1 1.5 2: 8N1")
        _one_of("flow control", self.flow, FLOWS)
        _one_of("line end received", self.ending_in, ENDINGS_IN)
        _one_of("line end sent", self.ending_out, (USUAL, *ENDINGS_OUT))
        _within("idle gap", self.gap_ms, GAP_RANGE_MS)
        _within("delay a character", self.char_delay_ms, DELAY_RANGE_MS)
        _within("delay a line", self.line_delay_ms, DELAY_RANGE_MS)

    @property
    def chosen_end(self) -> str:
        """The line end that somebody chose; empty where nobody did."""
        return "" if self.ending_out == USUAL else self.ending_out

    @property
    def line_end(self) -> bytes:
        """What ends a line that is sent where no dialect says otherwise."""
        return ENDINGS_OUT[self.chosen_end or "crlf"]

    @property
    def data_bits(self) -> int:
        return int(self.framing[0])

    @property
    def parity(self) -> str:
        return self.framing[1]

    @property
    def stop_bits(self) -> float:
        return float(self.framing[2:])

    @property
    def bits_per_byte(self) -> float:
        """Start bit, data bits, parity bit, stop bits: 10 for 8N1."""
        return 1 + self.data_bits + (self.parity != "N") + self.stop_bits

    @property
    def bytes_per_s(self) -> float:
        """The most that the line carries in one direction."""
        return self.rate / self.bits_per_byte

    @property
    def byte_ns(self) -> int:
        """How long one byte takes on the line; 0 where the rate governs nothing."""
        return 0 if self.decorative else int(1e9 / self.bytes_per_s)

    def __str__(self) -> str:
        flow = "" if self.flow == "none" else f" {self.flow}"
        return f"{self.rate} {self.framing}{flow}"


def _one_of(what: str, value: str, allowed: Mapping[str, bytes] | tuple[str, ...]) -> None:
    if value not in allowed:
        raise ValueError(f"{what} {value!r} is not one of {', '.join(allowed)}")


def _within(what: str, value: int, bounds: tuple[int, int]) -> None:
    if not bounds[0] <= value <= bounds[1]:
        raise ValueError(f"{what} {value} is not {bounds[0]} to {bounds[1]} ms")


def _switch(text: str) -> bool:
    if text not in ("on", "off"):
        raise ValueError(f"{text!r} is neither on nor off")
    return text == "on"


def _whole(text: str) -> int:
    if not text.isascii() or not text.isdecimal():
        raise ValueError(f"{text!r} is not a whole number")
    return int(text)


class SettingKey(NamedTuple):
    """One setting as it is written: its field, how its text is read, and in what words people read of it."""

    field: str
    read: Callable[[str], Any]
    label: str
    allowed: str


KEYS: Final[Mapping[str, SettingKey]] = {
    "rate": SettingKey("rate", _whole, "rate", f"{RATE_RANGE[0]} to {RATE_RANGE[1]} baud"),
    "framing": SettingKey("framing", str, "framing", "data bits 5 to 8, parity N E O M S, stop bits 1 1.5 2"),
    "flow": SettingKey("flow", str, "flow control", ", ".join(FLOWS)),
    "dtr": SettingKey("dtr", _switch, "DTR", "on, off: at opening and after"),
    "rts": SettingKey("rts", _switch, "RTS", "on, off: at opening and after"),
    "in": SettingKey("ending_in", str, "line end received", ", ".join(ENDINGS_IN)),
    "out": SettingKey("ending_out", str, "line end sent", f"{USUAL}: as its dialect says; {', '.join(ENDINGS_OUT)}"),
    "gap": SettingKey(
        "gap_ms", _whole, "idle gap", f"{GAP_RANGE_MS[0]} to {GAP_RANGE_MS[1]} ms end a line without line end"
    ),
    "echo": SettingKey("echo", _switch, "echo expected", "on where the far side sends back what it is sent"),
    "char-delay": SettingKey("char_delay_ms", _whole, "delay a character", f"0 to {DELAY_RANGE_MS[1]} ms"),
    "line-delay": SettingKey("line_delay_ms", _whole, "delay a line", f"0 to {DELAY_RANGE_MS[1]} ms"),
    "listen-only": SettingKey("listen_only", _switch, "listen only", "on: nothing is ever sent"),
}
"""The keys of the short line, of a bench file and of the settings panel."""

SETTING_FIELDS: Final = (*(key.field for key in KEYS.values()), "decorative")
_LEADING = ("rate", "framing", "flow")


def said(value: Any) -> str:
    """A value as it is written."""
    return ("off", "on")[value] if isinstance(value, bool) else str(value)


def short_line(settings: LineSettings) -> str:
    """`9600,8N1,none,dtr=off`: rate, framing and flow control, then what differs from the usual."""
    usual = LineSettings()
    parts = [said(getattr(settings, KEYS[name].field)) for name in _LEADING]
    for name, key in KEYS.items():
        value = getattr(settings, key.field)
        if name not in _LEADING and value != getattr(usual, key.field):
            parts.append(f"{name}={said(value)}")
    return ",".join(parts)


def parse_short_line(text: str) -> LineSettings:
    """The settings that a short line says. ValueError names the part that is wrong and the nearest key."""
    found: dict[str, Any] = {}
    for place, part in enumerate(part.strip() for part in text.strip().split(",")):
        name, equals, value = part.partition("=")
        if not equals and name in KEYS and KEYS[name].read is _switch:
            name, value = name, "on"
        elif not equals:
            if place >= len(_LEADING):
                raise ValueError(f"{part!r} is not a setting{nearest_words(part, KEYS)}")
            name, value = _LEADING[place], part
        key = KEYS.get(name)
        if key is None:
            raise ValueError(f"{name!r} is not a setting{nearest_words(name, KEYS)}")
        try:
            found[key.field] = key.read(value)
        except ValueError as problem:
            raise ValueError(f"{key.label}: {problem}") from None
    return LineSettings(**found)


def changed(settings: LineSettings, name: str, text: str) -> LineSettings:
    """The settings with one key set to what `text` says. ValueError where it cannot be."""
    key = KEYS[name]
    return replace(settings, **{key.field: key.read(text.strip())})


def did_you_mean(name: str, known: Iterable[str]) -> str:
    """`; did you mean 'rate'?`, or nothing: for a message that lists what there is beside it."""
    names = list(known)
    near = [each for each in names if each.casefold() == name.casefold()] or difflib.get_close_matches(name, names, 1)
    return f"; did you mean {near[0]!r}?" if near else ""


def nearest_words(name: str, known: Iterable[str]) -> str:
    """`; did you mean 'rate'?`, or which there are."""
    names = list(known)
    return did_you_mean(name, names) or (f"; there are {', '.join(names)}" if names else "; there are none")


def settings_details(settings: LineSettings) -> dict[str, Any]:
    """The settings as an event carries them."""
    return asdict(settings)


def settings_of(details: object) -> LineSettings | None:
    """The settings that an event carries; None where it carries none or impossible ones (a capture may hold anything).

    What is missing is as usual: captures of earlier versions carry fewer.
    """
    if not isinstance(details, dict) or "rate" not in details:
        return None
    usual = LineSettings()
    try:
        return LineSettings(
            **{
                name: type(getattr(usual, name))(details[name])
                for name in SETTING_FIELDS
                if isinstance(details.get(name), str | int | float)
            }
        )
    except (ValueError, TypeError, OverflowError):
        return None


def is_too_fast(bytes_per_s: float | None, settings: LineSettings) -> bool:
    """Whether this is more than a line with these settings carries, by more than a clock may be off."""
    return bytes_per_s is not None and not settings.decorative and bytes_per_s > OVERFULL * settings.bytes_per_s
