"""Lanes by the nicknames that are kept with adapters: `buoy7` is the port where that adapter is plugged in now."""

from collections.abc import Sequence
from dataclasses import replace

from pale_heron.core.trouble import Trouble
from pale_heron.files.adapters import known_adapters
from pale_heron.ports.address import LaneSpec, check_names, parse_lane
from pale_heron.ports.listing import ports


def lane_named(text: str) -> LaneSpec:
    """The lane that a text names, as an address or by a kept nickname. Trouble where it is neither, or not there."""
    spec = parse_lane(text)
    if "/" in spec.address or ":" in spec.address:
        return spec
    kept = {note.nickname for note in known_adapters().values()}
    if spec.address not in kept:
        return spec
    found = [port for port in ports() if port.nickname == spec.address]
    if not found:
        raise Trouble(f"The adapter of {spec.address!r} is not plugged in", "pale-heron ports lists what is there")
    if len(found) > 1:
        devices = " and ".join(port.device for port in found)
        raise Trouble(f"{devices} are both called {spec.address!r}", "Name one of the two by its device")
    lane = found[0].lane()
    name = spec.name if "=" in text else spec.address
    return replace(lane, name=name, settings=spec.settings if "@" in text else lane.settings)


def lanes_named(texts: Sequence[str]) -> list[LaneSpec]:
    """Several lanes, whose nicknames must differ."""
    specs = [lane_named(text) for text in texts]
    check_names(specs)
    return specs
