"""Bittern, a simulated long-range radio: a node of a group on a channel, which passes on what it is given.

Its own commands: `+NODE`, `+GROUP`, `+CHANNEL` and `+PACE` (these two from the next restart on), `+POWER`, `+STANCE`,
`+PEER`, `+CIPHER`, `+BEACON`, `+SUPPLY`, `+NOISE`, `+TELL=node,length` (prompts for so many bytes), `+KEEP`, `+RENEW`.
"""

from typing import Final

from pale_heron.sim.air import NOISE_DBM, Air, Tuned
from pale_heron.sim.calls import Answer, Call, Knob, Prompt, between, short
from pale_heron.sim.modem import Modem

MOST_BYTES: Final = 200
MOST_BAUD: Final = 115_200
BROWN_OUT_DBM: Final = 21
"""From this power on the weak supply of the hut breaks down now and then."""

KNOBS: Final = {
    "+NODE": Knob("node", between(1, 250), "(1-250)", "7"),
    "+GROUP": Knob("group", between(0, 255), "(0-255)", "0"),
    "+CHANNEL": Knob("channel", between(0, 15), "(0-15)", "0", after_restart=True),
    "+PACE": Knob("pace", between(1, 5), "(1-5)", "3", after_restart=True),
    "+POWER": Knob("power", between(2, 22), "(2-22)", "14"),
    "+STANCE": Knob("role", between(0, 1), "(0,1)", "0"),
    "+PEER": Knob("peer", between(1, 250), "(1-250)", "7"),
    "+CIPHER": Knob("cipher", short(32), '"1 to 32 characters"', "open", quoted=True),
    "+BEACON": Knob("beacon", between(0, 3600), "(0-3600)", "0"),
}


class Bittern(Modem):
    """One radio on the air, at a place of the marsh."""

    TITLE = "Bittern"
    VERSION = "2.3"

    def __init__(self, air: Air, place: str, seed: int = 7) -> None:
        super().__init__(
            KNOBS,
            {
                "+TELL": self._tell,
                "+NOISE": lambda _: Answer((f"+NOISE: {NOISE_DBM + self._flicker():.0f}",)),
                "+SUPPLY": lambda _: Answer((f"+SUPPLY: {3310 - 18 * int(self.in_force['power'])}",)),
            },
        )
        self._air = air
        self._kept_rate = int(self.in_force["rate"])
        self.place = place
        self._seed = seed
        self._beacons = 0
        self._sent = 0
        air.radios.append(self)
        self.later(0.0, 1.0, self._beacon)

    @property
    def rate(self) -> int:
        """It says OK to the highest rate too, and stays where it is: the line driver of this one cannot do it."""
        wanted = super().rate
        if wanted <= MOST_BAUD:
            self._kept_rate = wanted
        return self._kept_rate

    @property
    def node(self) -> int:
        return int(self.in_force["node"])

    @property
    def tuned(self) -> Tuned:
        held = self.in_force
        return Tuned(int(held["group"]), int(held["channel"]), int(held["pace"]), held["cipher"])

    def powered(self, seconds: float) -> None:
        super().powered(seconds)
        self.line(f"+READY: node {self.node}", seconds + 0.25)

    def restart(self, seconds: float, why: str) -> None:
        super().restart(seconds, why)
        self.later(seconds, 2.0, self._beacon)

    def receive(self, sender: int, payload: bytes, strength: float, snr: float, seconds: float) -> None:
        """A frame has come."""
        if not self.data_mode:
            head = f"\r\n+HEARD: {sender},{len(payload)},{strength:.0f},{snr:.0f}\r\n".encode()
            self.unasked(head + payload + b"\r\n", seconds)

    def _flicker(self) -> float:
        self._sent += 1
        return (self._sent * 7 + self._seed) % 5 - 2

    def _tell(self, call: Call) -> Answer | Prompt:
        if call.form != "=" or len(call.values) != 2 or not all(map(str.isdecimal, call.values)):
            return self.refused(50)
        to, count = map(int, call.values)
        if not 1 <= count <= MOST_BYTES or not 1 <= to <= 250:
            return self.refused(50)
        return Prompt(lambda payload, seconds: self._transmit(to, payload, seconds), count)

    def _transmit(self, to: int, payload: bytes, seconds: float) -> Answer:
        power = int(self.in_force["power"])
        self._sent += 1
        if power >= BROWN_OUT_DBM and self._sent % 3 == 0:
            # The supply breaks down in the middle of sending: no result, only a new start.
            self.later(seconds, 0.05, lambda at: self.restart(at, "brown-out"))
            return Answer(after_s=60.0)
        took = self._air.transmit(self, to, payload, power, seconds, self.later)
        return Answer((f"+TOLD: {to},{len(payload)},{1000 * took:.0f}",), after_s=took)

    def pass_on(self, payload: bytes, seconds: float) -> None:
        """Send to its peer what a board on its other line gives it."""
        if not self.data_mode and payload:
            to, power = int(self.in_force["peer"]), int(self.in_force["power"])
            self._air.transmit(self, to, payload[:MOST_BYTES], power, seconds, self.later)

    def _beacon(self, seconds: float) -> None:
        every = int(self.in_force["beacon"])
        if every:
            self._beacons += 1
            payload = f"beacon {self._beacons}".encode()
            self._air.transmit(
                self, int(self.in_force["peer"]), payload, int(self.in_force["power"]), seconds, self.later
            )
        self.later(seconds, every or 1.0, self._beacon)
