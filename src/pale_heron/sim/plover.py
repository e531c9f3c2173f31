"""Plover, a simulated cellular module: commands of V.250, 27.007 and 27.005, and a receiver of its own.

Its own commands: `+PLACE?` (time, latitude, longitude, altitude, fix, satellites), `+KEEP`, `+RENEW`.
"""

from datetime import UTC, datetime
from typing import Final

from pale_heron.sim import marsh
from pale_heron.sim.modem import Answer, Call, Knob, Modem, Prompt, between

PIN: Final = "2718"
SEARCHING_S: Final = 6.0
SEARCH_ALL_S: Final = 9.0
FIX_AFTER_S: Final = 20.0
MESSAGE_AFTER_S: Final = 12.0
CALL_AFTER_S: Final = 45.0
RINGS: Final = 3
RING_EVERY_S: Final = 2.0
OPERATOR: Final = "Saltmarsh Net"
SENDER: Final = "+99905550142"
OWN_NUMBER: Final = "+99905550107"
SLOTS: Final = 10
WORDS: Final = {3: "not allowed", 4: "cannot do that", 11: "SIM PIN required", 16: "wrong code", 21: "no such place",
                30: "no network", 50: "wrong values"}  # fmt: skip
KNOBS: Final = {
    "+CMEE": Knob("cmee", between(0, 2), "(0-2)", "0"),
    "+CMGF": Knob("cmgf", between(0, 1), "(0,1)", "0"),
    "+CTZR": Knob("ctzr", between(0, 1), "(0,1)", "0"),
    "+CSCS": Knob("cscs", lambda text: text in ("GSM", "IRA"), '("GSM","IRA")', "GSM", quoted=True),
    "+CNMI": Knob("cnmi", lambda text: text in ("0,0", "2,0", "2,1", "2,2"), "(0-3),(0-2)", "2,1"),
    "S0": Knob("s0", between(0, 255), "(0-255)", "000"),
}


class Plover(Modem):
    """One module on the buoy. `begin` is UTC when power comes, seconds since 1970."""

    TITLE = "Plover"
    VERSION = "4.0.2"

    def __init__(self, seed: int = 7, begin: int = marsh.BEGIN_UTC, locked: bool = False) -> None:
        handlers = {
            "+CPIN": self._sim,
            "+CREG": self._creg,
            "+CEREG": self._creg,
            "+COPS": self._operator,
            "+CSQ": self._signal,
            "+CBC": lambda call: Answer((f"+CBC: 0,{max(5, 87 - int(call.seconds / 60))}",)),
            "+CGSN": lambda _: Answer(("999010000012374",)),
            "+CIMI": lambda _: Answer(("999010123456789",)),
            "+CNUM": lambda _: Answer((f'+CNUM: ,"{OWN_NUMBER}",145',)),
            "+CFUN": self._functions,
            "+CCLK": self._clock,
            "+CLIP": self._clip,
            "+CMGS": self._send,
            "+CMGL": self._list,
            "+CMGR": self._read,
            "+CMGD": self._delete,
            "+CPMS": lambda _: Answer((f'+CPMS: "SM",{len(self._messages)},{SLOTS}',)),
            "+PLACE": self._place,
            "H": self._hang_up,
            "+CHUP": self._hang_up,
            "A": lambda _: Answer(result="NO CARRIER"),
            "D": lambda _: Answer(result="NO ANSWER", after_s=4.0),
            "Z": lambda _: Answer(),
        }
        super().__init__(KNOBS, handlers)
        self._seed = seed
        self._begin = begin
        self._locked = locked
        self._tries = 3
        self._on = True
        self._registered = False
        self._notices = "0"
        self._shows_caller = False
        self._rings_left = 0
        self._messages: dict[int, tuple[str, str, str, str]] = {}
        self._reference = 0

    def refused(self, number: int) -> Answer:
        detail = self.running["cmee"]
        if detail == "0":
            return Answer(result="ERROR")
        return Answer(result=f"+CME ERROR: {number if detail == '1' else WORDS.get(number, 'unknown')}")

    def powered(self, seconds: float) -> None:
        super().powered(seconds)
        self._registered = False
        self.line("+READY", seconds + 0.4)
        if not self._locked:
            self.later(seconds, SEARCHING_S, self._register)

    def _register(self, seconds: float) -> None:
        if not self._on or self._locked or self._registered:
            return
        self._registered = True
        if self._notices != "0":
            self.line("+CREG: 1", seconds)
        self.later(seconds, MESSAGE_AFTER_S, self._message_comes)
        self.later(seconds, CALL_AFTER_S, self._call_comes)

    def _sim(self, call: Call) -> Answer:
        if call.form == "?":
            return Answer((f"+CPIN: {'SIM PIN' if self._locked else 'READY'}",))
        if call.form != "=" or not self._locked:
            return self.refused(3)
        if call.values[0] != PIN:
            self._tries -= 1
            return self.refused(16)
        self._locked = False
        return Answer(after_s=0.3, then=lambda at: self.later(at, SEARCHING_S, self._register))

    def _creg(self, call: Call) -> Answer:
        if call.form == "?":
            registration = "1" if self._registered else "2" if self._on and not self._locked else "0"
            return Answer((f"{call.stem}: {self._notices},{registration}",))
        if call.form == "=?":
            return Answer((f"{call.stem}: (0-2)",))
        if not call.values or call.values[0] not in ("0", "1", "2"):
            return self.refused(50)
        self._notices = call.values[0]
        return Answer()

    def _operator(self, call: Call) -> Answer:
        if call.form == "=?":
            found = f'+COPS: (2,"{OPERATOR}","Marsh","99901"),(3,"Other Shore","Shore","99907"),,(0-4),(0-2)'
            return Answer((found,), after_s=SEARCH_ALL_S)
        if call.form == "?":
            return Answer((f'+COPS: 0,0,"{OPERATOR}"' if self._registered else "+COPS: 0",))
        return Answer(after_s=2.0) if call.values and call.values[0] in ("0", "1", "2", "4") else self.refused(50)

    def _signal(self, call: Call) -> Answer:
        if not self._registered:
            return Answer(("+CSQ: 99,99",))
        return Answer((f"+CSQ: {17 + (int(call.seconds) + self._seed) % 5},0",))

    def _functions(self, call: Call) -> Answer:
        if call.form == "?":
            return Answer((f"+CFUN: {1 if self._on else 4}",))
        if not call.values or call.values[0] not in ("0", "1", "4"):
            return self.refused(50)
        self._on = call.values[0] == "1"
        self._registered = False

        def search(at: float) -> None:
            self.later(at, SEARCHING_S, self._register)

        return Answer(after_s=0.6, then=search if self._on else None)

    def _clock(self, call: Call) -> Answer:
        if call.form != "?":
            return self.refused(3)
        now = datetime.fromtimestamp(self._begin + int(call.seconds), UTC)
        # In local time with the zone behind it, in quarters of an hour (27.007, 8.15).
        local = datetime.fromtimestamp(now.timestamp() - 3 * 3600, UTC)
        return Answer((f'+CCLK: "{local:%y/%m/%d,%H:%M:%S}-12"',))

    def _clip(self, call: Call) -> Answer:
        if call.form == "?":
            return Answer((f"+CLIP: {int(self._shows_caller)},1",))
        self._shows_caller = call.values[:1] == ("1",)
        return Answer()

    def _send(self, call: Call) -> Answer | Prompt:
        if self.running["cmgf"] != "1":
            return Answer(result="+CMS ERROR: 304")
        if not self._registered:
            return Answer(result="+CMS ERROR: 331")
        if call.form != "=" or not call.values[0]:
            return Answer(result="+CMS ERROR: 305")
        return Prompt(self._sent)

    def _sent(self, _text: bytes, _seconds: float) -> Answer:
        self._reference += 1
        return Answer((f"+CMGS: {self._reference}",), after_s=1.6)

    def _message_comes(self, seconds: float) -> None:
        slot = next(each for each in range(1, SLOTS + 2) if each not in self._messages)
        sent = datetime.fromtimestamp(self._begin + int(seconds), UTC)
        self._messages[slot] = ("REC UNREAD", SENDER, f"{sent:%y/%m/%d,%H:%M:%S}+00", "Ebb at 10:40. OK")
        if self.running["cnmi"].endswith("1"):
            self.line(f'+CMTI: "SM",{slot}', seconds)

    def _message_lines(self, head: str, slot: int) -> tuple[str, ...]:
        status, sender, sent, text = self._messages[slot]
        self._messages[slot] = ("REC READ", sender, sent, text)
        return (f'{head}"{status}","{sender}",,"{sent}"\r\n{text}',)

    def _list(self, call: Call) -> Answer:
        if self.running["cmgf"] != "1":
            return Answer(result="+CMS ERROR: 304")
        wanted = call.values[0] if call.values else "ALL"
        chosen = [each for each, message in self._messages.items() if wanted in ("ALL", message[0])]
        return Answer(tuple(each for slot in chosen for each in self._message_lines(f"+CMGL: {slot},", slot)))

    def _read(self, call: Call) -> Answer:
        slot = int(call.values[0]) if call.values and call.values[0].isdecimal() else 0
        if slot not in self._messages:
            return Answer(result="+CMS ERROR: 321")
        return Answer(self._message_lines("+CMGR: ", slot))

    def _delete(self, call: Call) -> Answer:
        if call.values[1:] == ("4",):
            self._messages.clear()
            return Answer()
        slot = int(call.values[0]) if call.values and call.values[0].isdecimal() else 0
        return Answer() if self._messages.pop(slot, None) else Answer(result="+CMS ERROR: 321")

    def _call_comes(self, seconds: float) -> None:
        self._rings_left = RINGS
        self._ring(seconds)

    def _ring(self, seconds: float) -> None:
        if not self._rings_left:
            return
        self._rings_left -= 1
        self.result("RING", seconds)
        if self._shows_caller:
            self.line(f'+CLIP: "{SENDER}",145', seconds)
        self.later(seconds, RING_EVERY_S, self._ring)

    def _hang_up(self, _call: Call) -> Answer:
        self._rings_left = 0
        return Answer(after_s=0.1)

    def _place(self, call: Call) -> Answer:
        if call.form != "?":
            return self.refused(50)
        now = datetime.fromtimestamp(self._begin + int(call.seconds), UTC)
        if call.seconds < FIX_AFTER_S:
            return Answer((f"+PLACE: {now:%H%M%S}.00,,,,0,03",))
        slot = marsh.buoy(call.seconds)
        place = f"{slot.latitude:.6f},{slot.longitude:.6f},{slot.altitude_m:.1f},3,09"
        return Answer((f"+PLACE: {now:%H%M%S}.00,{place}",))
