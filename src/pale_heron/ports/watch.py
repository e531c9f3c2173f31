"""Looks at the ports twice a second, in a thread of its own: asking who holds what takes too long for a screen."""

import threading
import time
from collections.abc import Callable
from typing import NamedTuple

from pale_heron.core.trouble import fault_words
from pale_heron.ports.listing import Port, ports

LOOK_S = 0.4
GONE_KEPT_S = 60.0


class SeenPort(NamedTuple):
    """A port, and since when it is there or gone: seconds on the monotonic clock, None where it was there before us."""

    port: Port
    came: float | None
    went: float | None
    fading: bool = False
    """What identifies it was missing in the last look: the system drops that first when a plug is pulled."""


class PortChange(NamedTuple):
    """`what` is came or went."""

    what: str
    port: Port


def _looked_again(before: SeenPort, port: Port) -> SeenPort:
    """The same port, a look later. What identified it stays for one look more: then it is gone, or another."""
    if before.port.key and not port.key and not before.fading:
        return before._replace(port=before.port._replace(state=port.state, hint=port.hint), fading=True)
    return before._replace(port=port, fading=False)


class PortWatch:
    """What there is, what came and what went. `list_ports` is asked again and again after `start`."""

    def __init__(self, list_ports: Callable[[], list[Port]] = ports) -> None:
        self._list_ports = list_ports
        self._lock = threading.Lock()
        self._seen: dict[str, SeenPort] = {}
        self._first = True
        self.fault = ""
        """A fault of ours in looking, in words; empty while all is well."""
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, name="port watch", daemon=True)

    def start(self) -> None:
        """Look from now on; nobody waits for the first look."""
        self._thread.start()

    @property
    def looked(self) -> bool:
        """Whether the first look is over."""
        return not self._first

    def stop(self) -> None:
        self._ended.set()

    def look(self) -> list[PortChange]:
        """Look once; gives what changed."""
        found = {port.device: port for port in self._list_ports()}
        now = time.monotonic()
        changes = []
        with self._lock:
            for device, port in found.items():
                before = self._seen.get(device)
                if before is None or before.went is not None:
                    self._seen[device] = SeenPort(port, None if self._first else now, None)
                    changes.append(PortChange("came", port))
                else:
                    self._seen[device] = _looked_again(before, port)
            for device, seen in list(self._seen.items()):
                if device not in found and seen.went is None:
                    self._seen[device] = seen._replace(went=now)
                    changes.append(PortChange("went", seen.port))
                elif seen.went is not None and now - seen.went > GONE_KEPT_S:
                    del self._seen[device]
            changes = [] if self._first else changes
            self._first = False
        return changes

    def seen(self) -> list[SeenPort]:
        """Ports that are there, then those that went lately, each by device name."""
        with self._lock:
            return sorted(self._seen.values(), key=lambda seen: (seen.went is not None, seen.port.device))

    def _run(self) -> None:
        while not self._ended.is_set():
            try:
                self.look()
            except Exception as fault:
                # Whatever a driver says: the next look may go well.
                self.fault = fault_words(fault)
            self._ended.wait(LOOK_S)
