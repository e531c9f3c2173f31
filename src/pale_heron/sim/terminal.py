"""A device's end of a line, which behaves like a UART: it keeps to its rate, and heeds the other side's."""

from pathlib import Path
from typing import Protocol

from pale_heron.core.trouble import Trouble
from pale_heron.sim.label import Label, label_of, player_of, write_label
from pale_heron.sim.loopback import LoopbackServer
from pale_heron.sim.wire import resampled
from pale_heron.system import TERMINALS
from pale_heron.system.private import remove_own

MOST_QUEUED = 4096
"""The device's own output buffer, in bytes; what does not fit is lost, as in a receiver that is asked for too much."""

BITS_PER_BYTE = 10
LONGEST_STALL_S = 1.0
"""What a real device would have said while this machine did something else is made up for, up to so long."""


class FarEnd(Protocol):
    """What carries the bytes: a pseudo-terminal, or TCP on this machine."""

    path: str

    @property
    def other_rate(self) -> int: ...

    @property
    def taken(self) -> bool: ...

    def read(self) -> bytes: ...

    def write(self, data: bytes) -> int: ...

    def lock(self) -> None: ...

    def forbid(self) -> None: ...

    def close(self) -> None: ...


def far_end(rate: int, *, over_tcp: bool) -> FarEnd:
    """One of the two: TCP where it is asked for, or where the system has nothing else."""
    if over_tcp or not TERMINALS:
        return LoopbackServer()
    from pale_heron.system.pseudo_terminal import PseudoTerminal

    return PseudoTerminal(rate)


class Terminal:
    """`path` is what another program opens. `link` gives it a stable name, which is removed at the end.

    What comes in is handed out in whole lines, or byte for byte as it came. A `patient` one loses nothing: what finds
    no room waits in its queue, as with a device that heeds flow control.
    """

    def __init__(
        self,
        rate: int,
        link: Path | None = None,
        whole_lines: bool = True,
        *,
        patient: bool = False,
        label: Label | None = None,
        over_tcp: bool = False,
    ) -> None:
        """`label` says what simulated adapter the link hangs on. Raises Trouble where the link cannot be made.

        A link cannot lead to a TCP port: there `link` is passed over.
        """
        self.rate = rate
        self._whole_lines = whole_lines
        self._patient = patient
        self.lost = 0
        self._far = far_end(rate, over_tcp=over_tcp)
        self.path = self._far.path
        self._queue = b""
        self._refused = b""
        """What was on the line, and found no room on the other side."""
        self._credit = 0.0
        self._arriving = b""
        """What the other side has sent, and a line of this rate has not brought yet."""
        self._arrived = 0.0
        self._heard = b""
        self._link = None if isinstance(self._far, LoopbackServer) else link
        if self._link is not None:
            self._make_link(self._link, label)

    def _make_link(self, link: Path, label: Label | None) -> None:
        try:
            link.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            if link.is_symlink():
                if link.exists() and (player := player_of(link)):
                    raise Trouble(
                        f"{link} is another simulated device, played by process {player}",
                        "Choose another --link, or end that one first",
                    )
                remove_own(link)
            if label is not None:
                # Before the link, and removed after it: whoever sees the link can read the label.
                write_label(link, label)
            link.symlink_to(self.path)
        except OSError as problem:
            self._link = None
            raise Trouble(f"The link {link} cannot be made: {problem.strerror}", "Choose another --link") from None

    def lock(self) -> None:
        """Hold it as a program does that wants it for itself."""
        self._far.lock()

    def forbid(self) -> None:
        """Take away the right to open it."""
        self._far.forbid()

    @property
    def name(self) -> str:
        """What people open: the link where there is one."""
        return str(self._link or self.path)

    @property
    def other_rate(self) -> int:
        """The rate that the other side has set, in baud; the device's own where nothing is set."""
        return self._far.other_rate or self.rate

    @property
    def taken(self) -> bool:
        """Whether a program has opened it."""
        return self._far.taken

    def send(self, data: bytes) -> None:
        """Queue bytes; those beyond the device's buffer are lost and counted."""
        room = len(data) if self._patient else self.room
        self._queue += data[:room]
        self.lost += max(0, len(data) - room)

    @property
    def room(self) -> int:
        """Bytes that the device's buffer still takes."""
        return MOST_QUEUED - len(self._queue)

    @property
    def queued(self) -> int:
        """How many bytes are still to go out."""
        return len(self._queue) + len(self._refused)

    def work(self, seconds: float, *, reading: bool = True) -> list[bytes]:
        """Let `seconds` pass: send what the rate allows, and give the lines (or bytes) that have come in.

        While it is not `reading`, whoever sends to it has to wait once the line's own buffer is full.
        """
        per_second = self.rate / BITS_PER_BYTE
        self._credit = min(self._credit + seconds * per_second, LONGEST_STALL_S * per_second) if self._queue else 0.0
        count = min(int(self._credit), len(self._queue))
        if count:
            self._credit -= count
            piece, self._queue = self._queue[:count], self._queue[count:]
            self._put(resampled(piece, self.rate, self.other_rate))
        elif self._refused:
            self._put(b"")
        return self._lines(self._received(seconds * per_second)) if reading else []

    def _received(self, carried: float) -> bytes:
        """Take from the other side, no faster than the line brings it; so much was carried meanwhile."""
        most = LONGEST_STALL_S * self.rate / BITS_PER_BYTE
        self._arrived = min(self._arrived + carried, most) if self._arriving else 0.0
        if len(self._arriving) < most:
            self._arriving += resampled(self._far.read(), self.other_rate, self.rate)
        count = min(int(self._arrived), len(self._arriving))
        self._arrived -= count
        data, self._arriving = self._arriving[:count], self._arriving[count:]
        return data

    def _put(self, data: bytes) -> None:
        """On the line; with nobody reading, the terminal's buffer is full some time and the rest is lost, or waits."""
        data = self._refused + data
        written = self._far.write(data)
        if self._patient:
            self._refused = data[written:]
        else:
            self.lost += len(data) - written

    def _lines(self, data: bytes) -> list[bytes]:
        if not data:
            return []
        if not self._whole_lines:
            return [data]
        self._heard = (self._heard + data)[-4096:]
        *lines, self._heard = self._heard.replace(b"\r", b"\n").split(b"\n")
        return [line for line in lines if line]

    def close(self) -> None:
        """End: whoever has it open sees it hang up."""
        if self._link is not None and self._link.is_symlink() and str(self._link.readlink()) == self.path:
            self._link.unlink()
            label_of(self._link).unlink(missing_ok=True)
        self._far.close()
