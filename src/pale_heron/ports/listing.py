"""What ports there are, as the system tells, and the simulated devices that run on this machine."""

from dataclasses import dataclass

from serial.tools import list_ports

from pale_heron.core.wire.visible import safe_label
from pale_heron.ports.holders import holders, missing_right
from pale_heron.ports.simulated import simulated_folder


@dataclass(frozen=True, slots=True)
class Port:
    """One port; texts are empty where the system knows nothing."""

    device: str
    description: str
    adapter: str
    usb_id: str
    serial_number: str
    location: str
    state: str
    """free, held by NAME (process ID), no permission, or simulated."""
    way_out: str


def ports() -> list[Port]:
    """All ports, real ones first, by device name."""
    return [*_real(), *_simulated()]


def _real() -> list[Port]:
    found = []
    for info in sorted(list_ports.comports(), key=lambda info: info.device):
        usb = f"{info.vid:04x}:{info.pid:04x}" if info.vid is not None and info.pid is not None else ""
        state, way_out = _state(info.device)
        found.append(
            Port(
                device=safe_label(info.device),
                description=safe_label(_known(info.description)),
                adapter=safe_label(_known(info.manufacturer)),
                usb_id=usb,
                serial_number=safe_label(_known(info.serial_number)),
                location=safe_label(_known(info.location)),
                state=state,
                way_out=way_out,
            )
        )
    return found


def _known(text: str | None) -> str:
    return "" if text in (None, "n/a") else str(text)


def _state(device: str) -> tuple[str, str]:
    right = missing_right(device)
    if right:
        return "no permission", right
    held = holders(device)
    if held:
        return ", ".join(f"held by {name} (process {pid})" for pid, name in held), "End that program first"
    return "free", ""


def _simulated() -> list[Port]:
    folder = simulated_folder()
    links = sorted(folder.iterdir()) if folder.is_dir() else []
    return [
        Port(str(link), f"simulated {safe_label(link.name)}", "", "", "", "", "simulated", "")
        for link in links
        if link.is_symlink() and link.exists()
    ]
