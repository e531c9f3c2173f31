"""Eight modules that nobody here has met: each written from a description of its habits, and from the standards."""

from pale_heron.core.wire.checksum import xor8
from tests.strangers.stranger import Stranger


class Bridge(Stranger):
    """A Wi-Fi bridge. `OK` comes first, then a prompt, then a count of what came, then the second result.

    What comes over the air is announced with its length, the bytes right behind a colon. Transparent mode has no
    answer to its escape.
    """

    def __init__(self) -> None:
        super().__init__()
        self.owed = 0
        self.aired: list[bytes] = []
        self.through = False
        self.lines("bridge 2.1 up", after=0.3)

    def whole(self, held: bytes) -> int:
        if self.through:
            return len(held)
        if self.owed:
            return self.owed if len(held) >= self.owed else 0
        return super().whole(held)

    def took(self, piece: bytes) -> None:
        if self.through:
            if piece == b"---":
                self.through = False
                self.log.append("command mode")
            else:
                self.aired.append(piece)
        elif self.owed:
            self.aired.append(piece)
            self.log.append(f"aired {len(piece)}")
            self.owed = 0
            self.lines(f"Got {len(piece)} bytes")
            self.lines("SENT", after=0.2)
        else:
            super().took(piece)

    def command(self, line: str) -> None:
        if not line:
            return
        self.log.append(line)
        self.tell(f"{line}\r\r\n")
        name, _, value = line.partition("=")
        if line in ("AT", "ATI"):
            self.lines(*(["BRIDGE model 3"] if line == "ATI" else []), "OK")
        elif name == "AT+TX" and value.isdecimal():
            self.owed = int(value)
            self.lines("OK")
            self.tell("> ", after=0.08)
        elif name == "AT+SAY":
            count, _, text = value.partition(",")
            self.aired.append(text.encode())
            self.lines("OK" if count == str(len(text)) else "ERROR")
        elif line == "AT+POLL":
            self.lines("OK")
            self.tell("\r\n+RX,0,7:tide\r\nX", after=0.1)
        elif line == "AT+THROUGH":
            self.through = True
            self.lines("OPEN")
        else:
            self.lines("ERROR")


class Terse(Stranger):
    """Result words of its own (`W/OK`, `W/NO`), and value lines with no result behind them."""

    def __init__(self) -> None:
        super().__init__()
        self.values = {"ADR": "12", "PWR": "3"}

    def command(self, line: str) -> None:
        self.log.append(line)
        name, _, value = line.removeprefix("AT+").partition("=")
        if line == "AT":
            self.tell("W/OK\r\n")
        elif line.startswith("AT+") and line.endswith("?") and line[3:-1] in self.values:
            self.tell(f"+{line[3:-1]}={self.values[line[3:-1]]}\r\n")
        elif value and name in self.values:
            self.values[name] = value
            self.tell("W/OK\r\n")
        else:
            self.tell("W/NO\r\n")


class Console(Stranger):
    """A console behind a log-in, with colours in its prompt."""

    PROMPT = "\x1b[1;32mreed\x1b[0m:\x1b[34m~\x1b[0m# "

    def __init__(self) -> None:
        super().__init__()
        self.stage = "name"
        self.lamp = "off"
        self.tell("\r\nreed login: ", after=0.2)

    def command(self, line: str) -> None:
        self.log.append(line)
        if self.stage == "name":
            self.stage = "password"
            self.tell(f"{line}\r\nPassword: ")
        elif self.stage == "password":
            self.stage = "shell" if line == "sedge" else "name"
            self.tell(
                "\r\nWelcome. Last boot: 3 days ago\r\n" + self.PROMPT if self.stage == "shell" else "\r\nlogin: "
            )
        else:
            word, _, value = line.partition(" ")
            if word == "lamp" and value in ("on", "off"):
                self.lamp = value
            answers = {"lamp": f"lamp is {self.lamp}\r\n", "uptime": "reboot count 0, up 3 days\r\n"}
            self.tell(f"{line}\r\n", answers.get(word, f"{word}: not found\r\n"), self.PROMPT)


class HexRadio(Stranger):
    """A transparent radio: settings in hexadecimal, a guard time, frames from the air without line ends.

    It leaves command mode by itself after some seconds without a word, and without saying so.
    """

    GUARD_S = 0.5
    QUIET_S = 4.0

    def __init__(self, *, leaves: bool = True) -> None:
        super().__init__()
        self.settings = {"ID": 0x3332, "CH": 0x0C, "PL": 4}
        self.in_command = False
        self.leaves = leaves
        self.last_heard = -9.0
        self.opened_at = 0.0
        self.aired = b""
        self._plus = 0.0

    def hear(self, data: bytes, seconds: float) -> None:
        silent = seconds - self.last_heard
        self.last_heard = seconds
        if not self.in_command:
            if data == b"+++" and silent >= self.GUARD_S:
                self._plus = seconds
            else:
                self.aired += data
                self._plus = 0.0
            return
        self.opened_at = seconds
        super().hear(data, seconds)

    def tick(self) -> None:
        if self._plus and self.now - self._plus >= self.GUARD_S:
            self._plus, self.in_command, self.opened_at = 0.0, True, self.now
            self.log.append("command mode")
            # A frame from the air came just then, and has no line end.
            self.tell("buoy 7.1 OK\r", after=0.0)
        if self.in_command and self.leaves and self.now - self.opened_at > self.QUIET_S:
            self.in_command = False
            self.log.append("left command mode")

    def command(self, line: str) -> None:
        self.log.append(line)
        name, value = line[2:4], line[4:].strip()
        if line == "AT":
            self.tell("OK\r")
        elif name == "CN":
            self.in_command = False
            self.tell("OK\r")
        elif name in self.settings and not value:
            self.tell(f"{self.settings[name]:X}\r")
        elif name in self.settings:
            try:
                self.settings[name] = int(value, 16)
                self.tell("OK\r")
            except ValueError:
                self.tell("ERROR\r")
        else:
            self.tell("ERROR\r")


class Board(Stranger):
    """A board that switches a lamp: `$55 tx1`, CR LF at the end, replies that end by silence."""

    end = b"\r\n"

    def __init__(self) -> None:
        super().__init__()
        self.lamp = "0"

    def command(self, line: str) -> None:
        self.log.append(line)
        words = line.split()
        if line == "$55 tx1":
            self.tell("sent 1\r\nair 12 ms\r\n")
        elif words[:1] == ["lamp"] and words[1:] in (["0"], ["1"]):
            self.lamp = words[1]
            self.tell(f"lamp {self.lamp}\r\n")
        elif words == ["lamp"]:
            self.tell(f"lamp {self.lamp}\r\n")
        else:
            self.tell("?\r\n")


class Receiver(Stranger):
    """A receiver with orders of its own: it takes sentences with a right checksum alone, and acknowledges them."""

    end = b"\r\n"

    def __init__(self) -> None:
        super().__init__()
        self.systems = "GR"
        self._next = 0.0

    def tick(self) -> None:
        if self.now >= self._next:
            self._next = self.now + 0.5
            self.sentence("GNRMC,101500.00,V,,,,,,,010626,,,N")
            self.sentence("PSEDG,AGE,4")

    def sentence(self, body: str) -> None:
        self.tell(f"${body}*{xor8(body.encode()):02X}\r\n", after=0.0)

    def command(self, line: str) -> None:
        body, star, digits = line[1:].partition("*")
        if line[:1] != "$" or not star or digits != f"{xor8(body.encode()):02X}":
            self.log.append(f"passed over: {line}")
            return
        self.log.append(body)
        words = body.split(",")
        if words[:2] == ["PSEDG", "SYS"] and set(words[2]) <= set("GREC"):
            self.systems = words[2]
            self.sentence(f"PSEDG,ACK,SYS,{words[2]}")
        elif words[:2] == ["PSEDG", "KEEP"]:
            self.sentence("PSEDG,ACK,KEEP")
        else:
            self.sentence(f"PSEDG,NAK,{words[1]}")


class Cell(Stranger):
    """A cellular module: two contexts in one table, a call that goes on in command mode, a reply that comes later."""

    def __init__(self, *, transparent: bool = False) -> None:
        super().__init__()
        self.contexts = {"1": "tide", "2": "ebb"}
        self.transparent = transparent
        self.in_data = False
        self.pending: str | None = None
        self.band = "3"

    def command(self, line: str) -> None:
        if self.in_data:
            self.log.append(f"to the far end: {line}")
            return
        self.log.append(line)
        self.tell(f"{line}\r\r\n")
        if line == "AT":
            self.lines("OK")
        elif line == "ATI":
            self.lines("SEDGE cell 1", "OK")
        elif line == "AT+CGDCONT?":
            self.lines(*(f'+CGDCONT: {cid},"IP","{apn}"' for cid, apn in self.contexts.items()), "OK")
        elif line.startswith("AT+CGDCONT="):
            cid, _, apn = line.removeprefix("AT+CGDCONT=").replace('"', "").split(",")
            self.contexts[cid] = apn
            self.lines("OK")
        elif line == "AT+SCAN":
            self.lines("OK")
            self.lines("+SCAN: 3", after=2.0)
        elif line.startswith("ATD"):
            self.lines("CONNECT")
            self.in_data = self.transparent
            if not self.transparent:
                self.lines("OK", after=0.1)
        elif line == "AT+BAND?":
            self.lines(f"+BAND: {self.band}", "OK")
        elif line.startswith("AT+BAND="):
            self.pending = line.removeprefix("AT+BAND=")
            self.lines("OK")
        elif line == "AT+RESTART":
            self.band, self.pending = self.pending or self.band, None
            self.lines("OK")
            self.lines("SEDGE up", after=1.0)
        elif line == "AT+CSQ":
            self.lines("+CSQ: 18,99", "OK")
        else:
            self.lines("ERROR")

    def ring(self) -> None:
        """Somebody calls, and a message comes; nobody has said a word to it."""
        self.lines("RING", '+CMTI: "SM",4', "NO CARRIER")


class Registers(Stranger):
    """Frames without line ends: 0xA5, how many bytes follow, what is done, register, value, and their CRC-8.

    Its line is not clean: before what it says stands `noise`.
    """

    def __init__(self, noise: bytes = b"") -> None:
        super().__init__()
        self.registers = {0x01: 0x20, 0x02: 0x07}
        self.noise = noise

    def whole(self, held: bytes) -> int:
        if held[0] != 0xA5:
            return 1
        return held[1] + 2 if len(held) > 1 and len(held) >= held[1] + 2 else 0

    def took(self, piece: bytes) -> None:
        if piece[0] != 0xA5 or crc8(piece[:-1]) != piece[-1]:
            self.log.append("passed over")
            return
        self.log.append(piece.hex())
        do, register = piece[2], piece[3]
        if do == 0x02 and register in self.registers:
            self.registers[register] = piece[4]
        known = register in self.registers
        body = bytes((0x80 | do, register, self.registers.get(register, 0), 0 if known else 1))
        head = bytes((0xA5, len(body) + 1)) + body
        self.tell(self.noise, head + bytes((crc8(head),)))


def crc8(data: bytes) -> int:
    """CRC-8 with the polynomial x^8 + x^2 + x + 1, most significant bit first, begun with 0."""
    value = 0
    for byte in data:
        value ^= byte
        for _ in range(8):
            value = (value << 1 ^ 0x07 if value & 0x80 else value << 1) & 0xFF
    return value


def framed(body: str) -> str:
    """A frame of the registers around a body, in hexadecimal as their log has it."""
    data = bytes.fromhex(body)
    whole = bytes((0xA5, len(data) + 1)) + data
    return (whole + bytes((crc8(whole),))).hex()
