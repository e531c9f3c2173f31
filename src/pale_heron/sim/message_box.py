"""The text messages of a simulated cellular module: sent, written, listed, read and deleted (3GPP 27.005)."""

from collections.abc import Callable
from datetime import datetime
from typing import Final, NamedTuple

from pale_heron.sim import packed
from pale_heron.sim.calls import Answer, Call, Prompt

SLOTS: Final = 10
LISTS: Final = {"0": "REC UNREAD", "1": "REC READ", "2": "STO UNSENT", "3": "STO SENT", "4": "ALL"}
"""Which messages are listed: by number where they are packed, by word where they are text (3.4.2 and 4.1)."""


class KeptMessage(NamedTuple):
    """One message; `sent` is None where it was written here and never sent."""

    status: str
    number: str
    sent: datetime | None
    text: str


class MessageBox:
    """Ten places. `as_text` says whether messages are text or packed now, `registered` whether any can be sent."""

    def __init__(self, as_text: Callable[[], bool], registered: Callable[[], bool]) -> None:
        self._as_text = as_text
        self._registered = registered
        self._messages: dict[int, KeptMessage] = {}
        self._reference = 0
        self.handlers: dict[str, Callable[[Call], Answer | Prompt]] = {
            "+CMGS": self._send,
            "+CMGW": self._write,
            "+CMGL": self._list,
            "+CMGR": self._read,
            "+CMGD": self._delete,
            "+CPMS": self._memory,
        }

    def put(self, message: KeptMessage) -> int:
        """Keep one; gives its place."""
        slot = next(each for each in range(1, SLOTS + 2) if each not in self._messages)
        self._messages[slot] = message
        return slot

    def _send(self, call: Call) -> Answer | Prompt:
        if call.form != "=" or not call.values or not call.values[0]:
            return Answer(result="+CMS ERROR: 305")
        if not self._registered():
            return Answer(result="+CMS ERROR: 331")
        return self._asked(call, self._sent)

    def _asked(self, call: Call, done: Callable[[str, str], Answer]) -> Answer | Prompt:
        """Wait for the text, or for the packed message and open it."""
        if self._as_text():
            number = call.values[0]
            return Prompt(lambda text, _: done(number, text.decode("latin-1")))
        if not call.values[0].isdecimal():
            return Answer(result="+CMS ERROR: 304")
        length = int(call.values[0])
        return Prompt(lambda text, _: _opened(text.decode("latin-1").strip(), length, done))

    def _write(self, call: Call) -> Answer | Prompt:
        if len(self._messages) >= SLOTS:
            return Answer(result="+CMS ERROR: 322")
        if call.form != "=" and self._as_text():
            return Prompt(lambda text, _: self._written("", text.decode("latin-1")))
        return self._asked(call, self._written) if call.values else Answer(result="+CMS ERROR: 304")

    def _written(self, number: str, text: str) -> Answer:
        return Answer((f"+CMGW: {self.put(KeptMessage('STO UNSENT', number, None, text))}",), after_s=0.2)

    def _sent(self, _number: str, _text: str) -> Answer:
        self._reference = self._reference % 255 + 1
        return Answer((f"+CMGS: {self._reference}",), after_s=1.6)

    def shown(self, head: str, message: KeptMessage) -> tuple[str, str]:
        """Head and body of a message: text, or packed (27.005, 3.4.3 and 4.2)."""
        status, number, sent, text = message
        if self._as_text():
            state = f'"{status}",' if status else ""
            when = f',"{sent:%y/%m/%d,%H:%M:%S}+00"' if sent else ""
            return f'{head}{state}"{number}",{when}', text
        data, length = packed.delivered(number, sent, text) if sent else packed.submitted(number, text)
        state = next((each for each, word in LISTS.items() if word == status), "")
        return f"{head}{state + ',' if state else ''},{length}", data

    def _message_lines(self, head: str, slot: int) -> tuple[str, ...]:
        message = self._messages[slot]
        if message.status == "REC UNREAD":
            self._messages[slot] = message._replace(status="REC READ")
        return ("\r\n".join(self.shown(head, message)),)

    def _list(self, call: Call) -> Answer:
        as_text = self._as_text()
        known = LISTS.values() if as_text else LISTS
        wanted = call.values[0] if call.values else "REC UNREAD" if as_text else "0"
        if wanted not in known:
            return Answer(result=f"+CMS ERROR: {305 if as_text else 304}")
        state = wanted if as_text else LISTS[wanted]
        chosen = [each for each, message in self._messages.items() if state in ("ALL", message.status)]
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

    def _memory(self, call: Call) -> Answer:
        used = f"{len(self._messages)},{SLOTS}"
        if call.form == "?":
            return Answer(("+CPMS: " + ",".join([f'"SM",{used}'] * 3),))
        if not call.values or any(each != "SM" for each in call.values):
            return Answer(result="+CMS ERROR: 302")
        return Answer((f"+CPMS: {used},{used},{used}",))


def _opened(text: str, length: int, done: Callable[[str, str], Answer]) -> Answer:
    """A packed message as number and text; refused where it is not as long as was said, or cut."""
    if not packed.is_whole(text, length):
        return Answer(result="+CMS ERROR: 304")
    try:
        return done(*packed.addressed(text))
    except IndexError:
        return Answer(result="+CMS ERROR: 304")
