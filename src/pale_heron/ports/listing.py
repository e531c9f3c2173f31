"""What ports there are, as the system lists them, and the simulated devices that run on this machine."""

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from serial.tools import list_ports
from serial.tools.list_ports_common import ListPortInfo

from pale_heron.core.wire.visible import safe_label
from pale_heron.files.adapters import AdapterNote, adapter_key, known_adapters
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.holders import KERNEL_CONSOLE, DeviceHolders, console_on, missing_right
from pale_heron.ports.opening import VIRTUAL
from pale_heron.ports.refusals import console_hint
from pale_heron.ports.simulated import LABEL, read_label, simulated_folder
from pale_heron.system import is_ours, is_running

FREE = "free"


class Port(NamedTuple):
    """One port; texts are empty where the system knows nothing."""

    device: str
    description: str
    adapter: str
    usb_id: str
    serial_number: str
    location: str
    state: str
    """free, held by NAME (process ID), a console, open here, or no permission."""
    hint: str
    virtual: bool = False
    """The baud rate is decorative: USB CDC, Bluetooth, a pseudo-terminal."""
    simulated: bool = False
    key: str = ""
    """What the adapter is known by; empty where it has nothing of its own."""
    nickname: str = ""
    role: str = ""
    settings: str = ""
    """What the user said of the adapter."""

    @property
    def free(self) -> bool:
        return self.state == FREE

    @property
    def console(self) -> bool:
        """Whether the kernel speaks on it: what is sent there may restart this computer."""
        return self.state == KERNEL_CONSOLE

    @property
    def known(self) -> AdapterNote:
        return AdapterNote(self.nickname, self.role, self.settings)

    def lane(self) -> LaneSpec:
        """The lane that it would be, by what the user said of the adapter."""
        name = self.nickname or self.device.rpartition("/")[2][:24]
        return LaneSpec(name, self.device, self.known.line_settings, self.role, self.key)


def ports() -> list[Port]:
    """All ports, real ones first, by device name."""
    known, infos, links = known_adapters(), sorted(list_ports.comports(), key=lambda info: info.device), _links()
    held = DeviceHolders([*(info.device for info in infos), *(str(link) for link in links)])
    return [*_real(infos, known, held), *_simulated(links, known, held)]


def device_of(key: str) -> str | None:
    """The device name that an adapter has now; None where it is not plugged in."""
    return next((device for device, own in _keys() if own == key), None)


def key_of(device: str) -> str:
    """What the adapter behind a device name is known by; empty where it is not there or has nothing of its own."""
    return next((key for name, key in _keys() if name == device), "")


def _keys() -> list[tuple[str, str]]:
    """Device names and keys, without asking who holds what."""
    real = [
        (info.device, adapter_key(_usb(info.vid, info.pid), _known(info.serial_number), _known(info.location)))
        for info in list_ports.comports()
    ]
    return real + [(str(link), adapter_key("", read_label(link).get("serial_number", ""), "")) for link in _links()]


def _usb(vendor: int | None, product: int | None) -> str:
    return f"{vendor:04x}:{product:04x}" if vendor is not None and product is not None else ""


def _real(infos: Sequence[ListPortInfo], known: dict[str, AdapterNote], held: DeviceHolders) -> list[Port]:
    found = []
    for info in infos:
        usb = _usb(info.vid, info.pid)
        serial_number, location = safe_label(_known(info.serial_number)), safe_label(_known(info.location))
        key = adapter_key(usb, serial_number, location)
        said = known.get(key, AdapterNote())
        state, hint = _state(info.device, held)
        found.append(
            Port(
                device=safe_label(info.device),
                description=safe_label(_known(info.description)),
                adapter=safe_label(_known(info.manufacturer)),
                usb_id=usb,
                serial_number=serial_number,
                location=location,
                state=state,
                hint=hint,
                virtual=info.device.startswith(VIRTUAL),
                key=key,
                nickname=said.nickname,
                role=said.role,
                settings=said.settings,
            )
        )
    return found


def _known(text: str | None) -> str:
    return "" if text in (None, "n/a") else str(text)


def _state(device: str, walked: DeviceHolders, player: str = "") -> tuple[str, str]:
    """How a port stands, and the way out where it is not free. `player` is the process that plays a simulated one."""
    right = missing_right(device)
    if right:
        return "no permission", right
    held = [each for each in walked.by_others(device) if str(each.pid) != player]
    console = console_on(device, held)
    if console and held:
        return f"held by {console}", f"End it: {console_hint(device)}"
    if held:
        return ", ".join(f"held by {name} (process {pid})" for pid, name in held), "End that program first"
    if console:
        return console, "Take it out of the kernel's command line (console=), then restart"
    if walked.by_us(device):
        return "open here", "It is a lane of this bench"
    return FREE, ""


def _links() -> list[Path]:
    folder = simulated_folder()
    # In a shared folder others may plant what they like.
    try:
        links = sorted(folder.iterdir()) if is_ours(folder) else []
    except OSError:
        # None was left there yet, or it cannot be searched.
        return []
    return [link for link in links if link.is_symlink() and link.suffix != LABEL and link.exists() and _played(link)]


def _played(link: Path) -> bool:
    """Whether whoever plays the device is still there: a killed one leaves its link behind."""
    process = read_label(link).get("process", "")
    return not process.isdecimal() or is_running(int(process))


def _simulated(links: Sequence[Path], known: dict[str, AdapterNote], held: DeviceHolders) -> list[Port]:
    found = []
    for link in links:
        label = read_label(link)
        if not link.exists():
            # It was unplugged meanwhile, and its label is gone with it.
            continue
        serial_number = safe_label(label.get("serial_number", ""))
        key = adapter_key("", serial_number, "")
        said = known.get(key, AdapterNote())
        state, hint = _state(str(link), held, label.get("process", ""))
        found.append(
            Port(
                device=str(link),
                description=safe_label(label.get("description", f"simulated {link.name}")),
                adapter=safe_label(label.get("adapter", "")),
                usb_id="",
                serial_number=serial_number,
                location="",
                state=state,
                hint=hint,
                simulated=True,
                key=key,
                nickname=said.nickname,
                role=said.role,
                settings=said.settings,
            )
        )
    return found
