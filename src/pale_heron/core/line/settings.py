"""How a line is set: rate, framing, flow control."""

import re
from dataclasses import dataclass

RATE_RANGE = (50, 12_000_000)
"""Baud rates that may be asked for; which of them work is the adapter's affair."""

FLOWS = ("none", "rtscts", "xonxoff")

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

    def __post_init__(self) -> None:
        low, high = RATE_RANGE
        if not low <= self.rate <= high:
            raise ValueError(f"rate {self.rate} is not between {low} and {high} baud")
        if not _FRAMING(self.framing):
            raise ValueError(f"framing {self.framing!r} is not data bits 5-8, parity N E O M S, stop bits 1 1.5 2: 8N1")
        if self.flow not in FLOWS:
            raise ValueError(f"flow control {self.flow!r} is none of {', '.join(FLOWS)}")

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

    def __str__(self) -> str:
        flow = "" if self.flow == "none" else f" {self.flow}"
        return f"{self.rate} {self.framing}{flow}"
