"""Plover, a simulated cellular module: commands of V.250, 27.007 and 27.005, and a receiver of its own.

Its own commands: `+PLACE?` (time, latitude, longitude, altitude, fix, satellites), `+KEEP`, `+RENEW`.
"""

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import ClassVar, Final

from pale_heron.sim import marsh
from pale_heron.sim.calls import Answer, Call, Knob, between
from pale_heron.sim.message_box import SLOTS, KeptMessage, MessageBox
from pale_heron.sim.modem import Modem

PUK: Final = "27182818"
TRIES: Final = 3
SERIAL: Final = "999010000012374"
REGISTRATIONS: Final = ("+CREG", "+CEREG", "+CGREG", "+C5GREG")
WITHOUT_5G: Final = "+C5GREG"
"""It can do without the fifth generation, so it is never registered there."""

TIDE: Final = "*100#"
"""A service code, answered with the tide."""

AREA, CELL, ACCESS = "1A2B", "01C3D4E5", "7"
ACCESS_POINT: Final = "marsh.example"
ADDRESS: Final = "192.0.2.77"
CENTRE: Final = "+99905550100"
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
WORDS: Final = {
    3: "operation not allowed",
    4: "operation not supported",
    11: "SIM PIN required",
    12: "SIM PUK required",
    16: "incorrect password",
    21: "invalid index",
    30: "no network service",
    50: "incorrect parameters",
}
"""How 27.007 (9.2.1) has errors in words, of those that it has."""


def _is_notice_form(text: str) -> bool:
    """One to five values, the first two of 0, 1 and 2 (27.005, 3.4.1)."""
    values = text.split(",")
    return len(values) <= 5 and all(each in ("0", "1", "2") for each in values)


def _is_saving(text: str) -> bool:
    """A mode, and timers of eight bits (27.007, 7.38)."""
    mode, *timers = text.split(",")
    return mode in ("0", "1") and len(timers) <= 4 and all(set(each) <= set("01") for each in timers)


KNOBS: Final = {
    "+CMEE": Knob("cmee", between(0, 2), "(0-2)", "0"),
    "+CMGF": Knob("cmgf", between(0, 1), "(0,1)", "0"),
    "+CTZR": Knob("ctzr", between(0, 1), "(0,1)", "0"),
    "+CTZU": Knob("ctzu", between(0, 1), "(0,1)", "0"),
    "+CSCS": Knob("cscs", lambda text: text in ("GSM", "IRA"), '("GSM","IRA")', "GSM", quoted=True),
    "+CNMI": Knob("cnmi", _is_notice_form, "(0-2),(0-2),(0),(0),(0,1)", "2,1,0,0,0"),
    "+CPSMS": Knob("saving", _is_saving, '(0,1),,,("00000000"-"11111111"),("00000000"-"11111111")', "0"),
    "+CGATT": Knob("attached", between(0, 1), "(0,1)", "1"),
}


class Plover(Modem):
    """One module on the buoy. `begin` is UTC when power comes, seconds since 1970."""

    TITLE = "Plover"
    VERSION = "4.0.2"
    GROUPS = "+CGSM,+DS"
    TESTED = frozenset({*REGISTRATIONS, "+COPS"})
    TESTS: ClassVar[Mapping[str, str]] = {
        "+CSQ": "(0-31,99),(0-7,99)",
        "+CESQ": "(0-63,99),(0-7,99),(0-96,255),(0-49,255),(0-34,255),(0-97,255)",
        "+CBC": "(0-3),(0-100)",
        "+CFUN": "(0,1,4),(0)",
        "+CLIP": "(0,1)",
        "+CMGL": '("REC UNREAD","REC READ","STO UNSENT","STO SENT","ALL")',
        "+CMGD": f"(1-{SLOTS}),(0,4)",
        "+CPMS": '("SM"),("SM"),("SM")',
        "+CGSN": "(0,1)",
        "+CGDCONT": '(1),"IP",,,(0),(0)',
        "+CGACT": "(0,1)",
        "+CPAS": "(0,3,4)",
        "+PLACE": "",
        "+CUSD": "(0-2)",
        "+CEDRXS": '(0-3),(4),("0000"-"1111")',
    }

    def __init__(self, seed: int = 7, begin: int = marsh.BEGIN_UTC, locked: bool = False) -> None:
        self._box = MessageBox(lambda: self.running["cmgf"] == "1", lambda: self._registered)
        handlers = {
            "+CPIN": self._sim,
            "+CREG": self._creg,
            "+CEREG": self._creg,
            "+CGREG": self._creg,
            "+C5GREG": self._creg,
            "+CUSD": self._service_code,
            "+CEDRXS": self._listening,
            "+COPS": self._operator,
            "+CSQ": self._signal,
            "+CBC": lambda call: Answer((f"+CBC: 0,{max(5, 87 - int(call.seconds / 60))}",)),
            "+CGSN": self._serial,
            "+GSN": lambda _: Answer((SERIAL,)),
            "+CESQ": self._signal_more,
            "+CPAS": self._activity,
            "+CEER": lambda _: Answer(("+CEER: no cause is known",)),
            "+CGDCONT": self._context,
            "+CGACT": self._context_active,
            "+CGPADDR": self._context_address,
            "+CSCA": self._centre,
            "+CLAC": lambda _: Answer(tuple(sorted(each for each in {*self.handlers, *self.knobs} if each[:1] == "+"))),
            "+CIMI": lambda _: Answer(("999010123456789",)),
            "+CNUM": lambda _: Answer((f'+CNUM: ,"{OWN_NUMBER}",145',)),
            "+CFUN": self._functions,
            "+CCLK": self._clock,
            "+CLIP": self._clip,
            **self._box.handlers,
            "+PLACE": self._place,
            "H": self._hang_up,
            "+CHUP": self._hang_up,
            "A": lambda _: Answer(result="NO CARRIER"),
            "O": lambda _: Answer(result="NO CARRIER"),
            "D": lambda _: Answer(result="NO ANSWER", after_s=4.0, aborted="NO CARRIER"),
        }
        super().__init__(KNOBS, handlers)
        self._rings_left = 0
        self._seed = seed
        self._begin = begin
        self._locked = locked
        self._tries = TRIES
        self._pin = marsh.PLOVER_PIN
        self._on = True
        self._registered = False
        self._notices = dict.fromkeys(REGISTRATIONS, "0")
        self._service_notices = "0"
        self._cycle = ""
        self._shows_caller = False

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
        for stem, level in self._notices.items():
            if level != "0" and stem != WITHOUT_5G:
                self.notice(f"{stem}: 1{_cells(level)}", seconds)
        self.later(seconds, MESSAGE_AFTER_S, self._message_comes)
        self.later(seconds, CALL_AFTER_S, self._call_comes)

    def _sim(self, call: Call) -> Answer:
        barred = self._tries <= 0
        if call.form == "?":
            state = "SIM PUK" if barred else "SIM PIN" if self._locked else "READY"
            return Answer((f"+CPIN: {state}",))
        if call.form != "=" or not self._locked:
            return self.refused(3)
        if barred:
            # The unblocking code, and a new PIN (27.007, 8.3).
            if len(call.values) != 2 or not call.values[1].isdecimal():
                return self.refused(12)
            if call.values[0] != PUK:
                return self.refused(16)
            self._pin = call.values[1]
        elif call.values != (self._pin,):
            self._tries -= 1
            return self.refused(16)
        self._locked, self._tries = False, TRIES
        return Answer(after_s=0.3, then=lambda at: self.later(at, SEARCHING_S, self._register))

    def _creg(self, call: Call) -> Answer:
        if call.form == "?":
            registered = self._registered and call.stem != WITHOUT_5G
            registration = "1" if registered else "2" if self._on and not self._locked else "0"
            level = self._notices[call.stem]
            cells = _cells(level) if registered else ""
            return Answer((f"{call.stem}: {level},{registration}{cells}",))
        if call.form == "=?":
            return Answer((f"{call.stem}: (0-2)",))
        if not call.values or call.values[0] not in ("0", "1", "2"):
            return self.refused(50)
        self._notices[call.stem] = call.values[0]
        return Answer()

    def _serial(self, call: Call) -> Answer:
        if call.form == "=" and call.values == ("1",):
            return Answer((f'+CGSN: "{SERIAL}"',))
        return Answer((SERIAL,)) if call.values in ((), ("0",)) else self.refused(50)

    def _activity(self, _call: Call) -> Answer:
        return Answer((f"+CPAS: {3 if self._rings_left else 0}",))

    def _context(self, call: Call) -> Answer:
        if call.form == "?":
            return Answer((f'+CGDCONT: 1,"IP","{ACCESS_POINT}","",0,0',))
        return Answer() if call.values[:2] == ("1", "IP") else self.refused(50)

    def _context_active(self, call: Call) -> Answer:
        if call.form == "?":
            return Answer((f"+CGACT: 1,{int(self._attached)}",))
        if not self._registered:
            return self.refused(30)
        return Answer(after_s=0.8) if call.values[:1] in (("0",), ("1",)) else self.refused(50)

    def _context_address(self, call: Call) -> Answer:
        if call.values not in ((), ("1",)):
            return self.refused(50)
        return Answer((f'+CGPADDR: 1,"{ADDRESS}"' if self._attached else "+CGPADDR: 1",))

    def _centre(self, call: Call) -> Answer:
        return Answer((f'+CSCA: "{CENTRE}",145',) if call.form == "?" else ())

    def _service_code(self, call: Call) -> Answer:
        if call.form == "?":
            return Answer((f"+CUSD: {self._service_notices}",))
        if not call.values or call.values[0] not in ("0", "1", "2"):
            return self.refused(50)
        self._service_notices = call.values[0]
        if len(call.values) == 1 or call.values[0] == "2":
            return Answer()
        if not self._registered:
            return self.refused(30)
        # 4: the network does not know the code (27.007, 7.15).
        reply = '+CUSD: 0,"Low water 10:40",15' if call.values[1] == TIDE else "+CUSD: 4"
        return Answer(then=lambda at: self.later(at, 1.5, lambda then: self.notice(reply, then)))

    def _listening(self, call: Call) -> Answer:
        """Of the one access that it has: 4 (27.007, 7.40)."""
        if call.form == "?":
            return Answer((f'+CEDRXS: 4,"{self._cycle}"',) if self._cycle else ())
        mode, access, cycle = (*call.values, "", "", "")[:3]
        if (
            mode not in ("0", "1", "2", "3")
            or access not in ("", "4")
            or not (len(cycle) in (0, 4) and set(cycle) <= {*"01"})
        ):
            return self.refused(50)
        self._cycle = "" if mode in ("0", "3") else cycle or "0010"
        return Answer()

    @property
    def _attached(self) -> bool:
        return self._registered and self.running["attached"] == "1"

    def _operator(self, call: Call) -> Answer:
        if call.form == "=?":
            found = f'+COPS: (2,"{OPERATOR}","Marsh","99901"),(3,"Other Shore","Shore","99907"),,(0-4),(0-2)'
            return Answer((found,), after_s=SEARCH_ALL_S, aborted="OK")
        if call.form == "?":
            return Answer((f'+COPS: 0,0,"{OPERATOR}",{ACCESS}' if self._registered else "+COPS: 0",))
        return Answer(after_s=2.0) if call.values and call.values[0] in ("0", "1", "2", "3", "4") else self.refused(50)

    def _signal(self, call: Call) -> Answer:
        if not self._registered:
            return Answer(("+CSQ: 99,99",))
        return Answer((f"+CSQ: {17 + (int(call.seconds) + self._seed) % 5},0",))

    def _signal_more(self, call: Call) -> Answer:
        if not self._registered:
            return Answer(("+CESQ: 99,99,255,255,255,255",))
        return Answer((f"+CESQ: 99,99,255,255,22,{52 + (int(call.seconds) + self._seed) % 5}",))

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

    def _message_comes(self, seconds: float) -> None:
        sent = datetime.fromtimestamp(self._begin + int(seconds), UTC)
        came = KeptMessage("REC UNREAD", SENDER, sent, "Ebb at 10:40. OK")
        how = (self.running["cnmi"] + ",0").split(",")[1]
        if how == "2":
            self.notice("\r\n".join(self._box.shown("+CMT: ", came._replace(status=""))), seconds)
            return
        slot = self._box.put(came)
        if how == "1":
            self.notice(f'+CMTI: "SM",{slot}', seconds)

    def _call_comes(self, seconds: float) -> None:
        self._rings_left = RINGS
        self._ring(seconds)

    def _ring(self, seconds: float) -> None:
        if not self._rings_left:
            return
        self._rings_left -= 1
        self.ring(seconds)
        if self._shows_caller:
            self.notice(f'+CLIP: "{SENDER}",145,,,,0', seconds)
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


def _cells(level: str) -> str:
    """Area, cell and technology, where they are asked for (27.007, 7.2)."""
    return f',"{AREA}","{CELL}",{ACCESS}' if level == "2" else ""
