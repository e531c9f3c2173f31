"""The short form in which a lane is named: `[nickname=]ADDRESS[@rate[,framing][,flow][,key=value]...]`."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from pale_heron.core.line.settings import LineSettings, parse_short_line
from pale_heron.core.trouble import Trouble

EXAMPLES = "curlew=/dev/ttyUSB0@9600,8N1,none  or  hide=socket://127.0.0.1:7000"
LISTEN = "listen"
SCHEMES = ("socket", "rfc2217", LISTEN)
RESERVED = "events"
MOST_LANES = 64
"""More are not opened at once: each has a thread of its own, and a place on the screen."""

LONGEST = 4096
_NICKNAME = re.compile(r"[\w .+-]{1,24}").fullmatch
_SCHEME = re.compile(r"([a-z0-9]+)://(.*)").fullmatch
_HOST_PORT = re.compile(r"([^/@\s]*):(\d{1,5})").fullmatch


@dataclass(frozen=True, slots=True)
class LaneSpec:
    """One lane to be opened: nickname, address as pyserial takes it, settings, and what it is for."""

    name: str
    address: str
    settings: LineSettings = field(default_factory=LineSettings)
    role: str = ""
    adapter: str = ""
    """What the adapter is known by, where the lane belongs to it whatever its device name."""
    dialect: str = ""
    """The name of the dialect that its device speaks; empty where that is to be recognised."""
    intended: Mapping[str, str] = field(default_factory=dict)
    """How its module's settings are meant to be, by their names."""

    @property
    def networked(self) -> bool:
        return "://" in self.address

    @property
    def remote(self) -> bool:
        """It is a serial port of another machine (RFC 2217)."""
        return self.address.startswith("rfc2217://")

    @property
    def listens(self) -> bool:
        """It waits for a client."""
        return self.address.startswith(f"{LISTEN}://")


def check_count(count: int) -> None:
    """Raises Trouble where so many lanes are too many."""
    if count > MOST_LANES:
        raise Trouble(
            f"{count} lanes are named; {MOST_LANES} are the most that are opened at once",
            "Leave some out, or use several programs",
        )


def parse_lane(text: str) -> LaneSpec:
    """The lane that `text` names. Raises Trouble that quotes the part which is wrong."""
    nickname, address = _split_nickname(text)
    address, settings = _split_settings(text, address)
    if not address:
        raise Trouble(f"LANE {text[:80]!r} names no address", f"Write it as in {EXAMPLES}")
    odd = next((place for place, letter in enumerate(address, 1) if not letter.isprintable()), 0)
    if odd:
        raise Trouble(
            f"Letter {odd} of the address {address[:80]!r} is one that no terminal shows as it is",
            "Give the device a plain name: a link to it, ln -s",
        )
    if len(text) > LONGEST or "=" in address.partition("://")[0].partition("/")[0]:
        raise Trouble(f"{text[:80]!r} is no address", f"Write it as in {EXAMPLES}")
    _check_address(text, address)
    name = nickname or address.rstrip("/").rpartition("/")[2].lstrip("*:")
    if not _NICKNAME(name) and nickname:
        raise Trouble(
            f"Nickname {name!r} in {text!r} is not 1 to 24 letters, digits, spaces or . + - _", f"As in {EXAMPLES}"
        )
    name = re.sub(r"[^\w .+-]", "-", name)[:24]
    if name == RESERVED:
        raise Trouble(f"Nickname {name!r} is used by captures themselves", "Choose another nickname")
    return LaneSpec(name, address, settings)


def check_names(specs: Sequence[LaneSpec]) -> None:
    """Trouble where two lanes have one nickname."""
    names = [spec.name for spec in specs]
    for name in names:
        if names.count(name) > 1:
            raise Trouble(f"Two lanes are called {name!r}", "Give one of them a nickname: nickname=ADDRESS")


def host_and_port(address: str) -> tuple[str, int]:
    """Of an address with a scheme; an IPv6 address without its brackets, empty where none is named."""
    host, _, port = address.partition("://")[2].rpartition(":")
    return host.removeprefix("[").removesuffix("]"), int(port)


def _split_nickname(text: str) -> tuple[str, str]:
    nickname, equals, rest = text.strip().partition("=")
    named = equals and "/" not in nickname and ":" not in nickname and "@" not in nickname
    return (nickname.strip(), rest.strip()) if named else ("", text.strip())


def _split_settings(text: str, address: str) -> tuple[str, LineSettings]:
    index, at, settings = address.rpartition("@")
    if not at:
        return address, LineSettings()
    try:
        return index, parse_short_line(settings)
    except ValueError as problem:
        raise Trouble(f"In {text!r}: {problem}", "Write rate, framing, flow: @9600,8N1,none") from None


def _check_address(text: str, address: str) -> None:
    scheme = _SCHEME(address)
    if scheme is None:
        return
    if scheme[1] not in SCHEMES:
        raise Trouble(
            f"{text!r} begins with {scheme[1]}://", "Lanes are device paths, socket://, rfc2217:// or listen://"
        )
    host = scheme[2].rpartition(":")[0]
    if ":" in host and not (host.startswith("[") and host.endswith("]")):
        raise Trouble(
            f"{text!r} has colons in its host", f"An IPv6 address stands in brackets: {scheme[1]}://[::1]:7000"
        )
    index = _HOST_PORT(scheme[2])
    listens = scheme[1] == LISTEN
    if index is None or not 0 < int(index[2]) < 65536 or not (index[1] or listens):
        if listens:
            raise Trouble(f"{text!r} has no port (1 to 65535)", "As in listen://:4444 or listen://127.0.0.1:4444")
        raise Trouble(f"{text!r} has no host and port (1 to 65535)", f"As in {scheme[1]}://127.0.0.1:7000")
