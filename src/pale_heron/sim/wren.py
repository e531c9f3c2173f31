"""Wren, a simulated short-range radio: paired by pin, then a transparent link to its peer on the weather vane.

Its own commands: `+PLUME`, `+TRILL`, `+PERCH` (0 calls, 1 answers), `+NEST?`, `+PEER`, `+LINK` (data mode), `+NEAR`
(strength of the peer), `+KEEP`, `+RENEW`. `+++` between silences leads back to commands, `O` into the link again.
"""

from typing import Final

from pale_heron.sim.calls import Answer, Call, Knob, between, short
from pale_heron.sim.modem import Modem

LINKING_S: Final = 1.4
GIVING_UP_S: Final = 3.0
VANE_ADDRESS: Final = "5A:C0:17"
VANE_PIN: Final = "2718"
KNOBS: Final = {
    "+PLUME": Knob("name", short(16), '"1 to 16 characters"', "wren", quoted=True),
    "+TRILL": Knob("pin", lambda text: len(text) == 4 and text.isdecimal(), '"4 digits"', "0000", quoted=True),
    "+PERCH": Knob("role", between(0, 1), "(0,1)", "0"),
    "+NEST": Knob("address", short(8), "", "5A:C0:09", writable=False),
    "+PEER": Knob("peer", short(8), '"address"', "", quoted=True),
}


class Wren(Modem):
    """One radio; the vane with its own is part of it."""

    TITLE = "Wren"
    VERSION = "0.9"

    def __init__(self, seed: int = 7) -> None:
        handlers = {
            "+LINK": self._link,
            "+NEAR": lambda _: Answer((f"+NEAR: {-58 - seed % 9}",)),
            "O": self._online,
            "H": self._hang_up,
        }
        super().__init__(KNOBS, handlers)
        self._seed = seed
        self._linked = False
        self._stretch = 0

    def powered(self, seconds: float) -> None:
        super().powered(seconds)
        self.line("+READY", seconds + 0.1)

    def restart(self, seconds: float, why: str) -> None:
        super().restart(seconds, why)
        self._linked = False

    def to_far_end(self, data: bytes, seconds: float) -> None:
        """The vane answers a question mark with its name."""
        if b"?" in data:
            self.put(b"VANE,north mast\r\n", seconds + 0.03)

    def _link(self, call: Call) -> Answer:
        known = self.running["peer"] == VANE_ADDRESS and self.running["pin"] == VANE_PIN and self.running["role"] == "0"
        if call.form or not known:
            return Answer(result="NO CARRIER", after_s=GIVING_UP_S)
        self._linked = True
        return Answer((f'+LINKED: "{VANE_ADDRESS}"',), "CONNECT", LINKING_S, self._enter)

    def _online(self, _call: Call) -> Answer:
        return Answer(result="CONNECT", then=self._enter) if self._linked else Answer(result="NO CARRIER")

    def _hang_up(self, _call: Call) -> Answer:
        self._linked = False
        return Answer(after_s=0.2)

    def _enter(self, seconds: float) -> None:
        self.data_mode = True
        self._stretch += 1
        self._weather(seconds, self._stretch)

    def _weather(self, seconds: float, stretch: int) -> None:
        """What the vane says each second, as long as somebody listens."""
        if not self.data_mode or stretch != self._stretch:
            return
        bearing = (200 + 7 * int(seconds) + self._seed) % 360
        self.put(f"VANE,{bearing:03d},{4.2 + int(seconds) % 5 / 2:.1f}\r\n".encode(), seconds)
        self.later(seconds, 1.0, lambda at: self._weather(at, stretch))
