"""One order to a receiver: what is sent, what acknowledges it, what it risks.

[action.line-rate]
meaning = "The line rate, from the next epoch on"
send = "PCURLEW,LINE,{rate}"
answered = "PCURLEW,DONE,LINE,{rate}"
changes-rate = "rate"
[action.line-rate.parameter.rate]
choices = [4800, 9600, 19200]
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from pale_heron.core.device.schema.frame_form import FrameForm
from pale_heron.core.device.schema.parameters import FORBIDDEN_IN_SENTENCES, Parameter, read_parameter
from pale_heron.core.device.schema.toml_table import PLACEHOLDER, TomlTable
from pale_heron.core.line.settings import did_you_mean
from pale_heron.core.patterns import limited

NMEA, TEXT, HEX, FRAME = "nmea", "text", "hex", "frame"
FORMS: Final = (NMEA, TEXT, HEX, FRAME)
STARTS: Final = ("cold", "warm", "hot", "unknown")
WITHIN_S: Final = 2.0
MOST_WITHIN_S: Final = 3600.0

ROLES: Final = {
    "identify": (),
    "start-cold": (),
    "start-warm": (),
    "start-hot": (),
    "sentence": ("sentence", "interval"),
    "update-rate": ("milliseconds",),
    "line-rate": ("rate",),
    "systems": ("systems",),
    "store": (),
    "restart": (),
}
"""Names of actions that the program uses by itself, with the parameters that each must have."""

_HEX_BODY = re.compile(r"(?:\s*(?:[0-9A-Fa-f]{2}|\{[a-z][a-z0-9-]*\}))+\s*").fullmatch


@dataclass(frozen=True, slots=True)
class DeviceAction:
    """One order that the device takes."""

    name: str
    send: str
    meaning: str = ""
    form: str = NMEA
    answered: str = ""
    """A regular expression for the line that acknowledges it, parameters filled in; empty where nothing does."""
    refused: str = ""
    within_s: float = WITHIN_S
    forgets: str = ""
    """What is lost by it, in words; empty for nothing."""
    restarts: bool = False
    starts: str = ""
    """The mode of the start that it begins; empty where it begins none."""
    stores: bool = False
    changes_rate: str = ""
    """The parameter that becomes the line rate."""
    parameters: tuple[Parameter, ...] = ()
    frame: FrameForm | None = None
    """Of the form `frame`: how its line becomes one, and what comes becomes lines."""

    @property
    def risk(self) -> str:
        """Why it asks first; empty where it need not."""
        risks = [f"it forgets {self.forgets}" if self.forgets else "", "it restarts" if self.restarts else ""]
        return " and ".join(filter(None, risks))

    def check(self, values: Mapping[str, str]) -> str:
        """What is wrong with the values; empty where all are legal."""
        for parameter in self.parameters:
            wrong = parameter.check(values.get(parameter.name, ""))
            if wrong:
                return wrong
        return ""

    def text(self, values: Mapping[str, str]) -> str:
        """What is sent, in the words of the send line: a sentence begins with `$`, bytes are hexadecimal.

        Raises ValueError for a value that is not legal.
        """
        wrong = self.check(values)
        if wrong:
            raise ValueError(wrong)
        filled = PLACEHOLDER.sub(lambda place: values[place[1]], self.send)
        if self.form == NMEA:
            return "$" + filled.removeprefix("$")
        if self.form == TEXT:
            return filled.replace("<", "<<")
        data = self.frame.written(filled) if self.frame else bytes.fromhex("".join(filled.split()))
        return "".join(f"<0x{byte:02X}>" for byte in data)

    def answers(self, values: Mapping[str, str], line: str) -> bool | None:
        """Whether a line acknowledges (True) or refuses (False) it; None where it does neither."""
        for pattern, verdict in ((self.answered, True), (self.refused, False)):
            filled = PLACEHOLDER.sub(lambda place: re.escape(values.get(place[1], "")), pattern)
            if pattern and limited(filled).search(line):
                return verdict
        return None


def read_action(name: str, table: TomlTable, frame: FrameForm | None = None) -> DeviceAction:
    """An order as its table has it; `frame` is that of the dialect."""
    form = table.text("form", NMEA)
    if form not in FORMS:
        table.wrong("form", f"{form!r} is not one of {', '.join(FORMS)}{did_you_mean(form, FORMS)}")
    parameters = tuple(read_parameter(key, each, FORBIDDEN_IN_SENTENCES) for key, each in table.tables("parameter"))
    names = [parameter.name for parameter in parameters]
    send = table.text("send", needed=True)
    if form == HEX and send and not _HEX_BODY(send):
        table.wrong("send", f"{send!r} is not bytes of two hexadecimal digits")
    if form == FRAME and frame is None:
        table.wrong("form", "the dialect describes no frames: write [frame]")
    answered, refused = table.pattern("answered"), table.pattern("refused")
    for key, text in (("send", send), ("answered", answered), ("refused", refused)):
        for used in PLACEHOLDER.findall(text):
            if used not in names:
                nearest = did_you_mean(used, names)
                table.wrong(key, f"{{{used}}} is not a parameter of this action{nearest}")
    for parameter in names:
        if f"{{{parameter}}}" not in send:
            table.wrong("send", f"the parameter {parameter!r} is not used in it")
    starts = table.text("starts")
    if starts and starts not in STARTS:
        table.wrong("starts", f"{starts!r} is not one of {', '.join(STARTS)}")
    changes = table.text("changes-rate")
    if changes and changes not in names:
        table.wrong("changes-rate", f"{changes!r} is not a parameter of this action")
    for wanted in ROLES.get(name, ()):
        if wanted not in names:
            table.wrong("send", f"an action called {name!r} needs a parameter {wanted!r}")
    action = DeviceAction(
        name=name,
        send=send,
        meaning=table.text("meaning"),
        form=form,
        answered=answered,
        refused=refused,
        within_s=table.number("within-s", WITHIN_S, 0.05, MOST_WITHIN_S),
        forgets=table.text("forgets"),
        restarts=table.flag("restarts"),
        starts=starts,
        stores=table.flag("stores"),
        changes_rate=changes,
        parameters=parameters,
        frame=frame if form == FRAME else None,
    )
    table.end()
    return action
