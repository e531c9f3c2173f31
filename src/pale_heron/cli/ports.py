"""`pale-heron ports`: what there is to open."""

import json
import time
from dataclasses import asdict
from typing import TYPE_CHECKING, Annotated

import typer

if TYPE_CHECKING:
    from pale_heron.ports.listing import Port

WATCH_S = 0.5


def ports(
    as_json: Annotated[bool, typer.Option("--json", help="One JSON object a port, or a change with --watch.")] = False,
    watch: Annotated[bool, typer.Option("--watch", help="Go on, and say what came and what went.")] = False,
) -> None:
    """List the serial ports of this machine, and simulated devices that run on it.

    Example: pale-heron ports --watch
    """
    # Slow to load, and of no use to the other commands.
    from pale_heron.ports.listing import ports as list_them

    found = list_them()
    for port in found:
        _say(port, "", as_json)
    if not found and not as_json:
        print("No serial port here. Plug an adapter in (see it come: pale-heron ports --watch),")
        print("or start a simulated device: pale-heron sim curlew")
    while watch:
        time.sleep(WATCH_S)
        before, found = {port.device: port for port in found}, list_them()
        now = {port.device: port for port in found}
        for device in now.keys() - before.keys():
            _say(now[device], "came", as_json)
        for device in before.keys() - now.keys():
            _say(before[device], "went", as_json)


def _say(port: "Port", change: str, as_json: bool) -> None:
    if as_json:
        print(json.dumps(asdict(port) | ({"change": change} if change else {}), ensure_ascii=False), flush=True)
        return
    known = [port.description, port.adapter, port.usb_id, port.serial_number, port.location]
    words = "  ".join(part for part in known if part)
    way_out = f" ({port.way_out})" if port.way_out else ""
    print(f"{change + ' ' if change else ''}{port.device}  {words}  {port.state}{way_out}", flush=True)
