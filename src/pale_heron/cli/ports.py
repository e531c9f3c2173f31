"""`pale-heron ports`: what there is to open."""

import json
import time
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from pale_heron.ports.listing import Port

LOOK_S = 0.4


@click.command("ports")
@click.option("--json", "as_json", is_flag=True, help="One JSON object a port, or a change with --watch.")
@click.option("--watch", is_flag=True, help="Go on, and say what came and what went.")
def ports(as_json: bool, watch: bool) -> None:
    """List serial ports and running simulated devices.

    Example: pale-heron ports --watch
    """
    # Slow to load, and of no use to the other commands.
    from pale_heron.ports.watch import PortWatch

    watcher = PortWatch()
    watcher.look()
    found = [seen.port for seen in watcher.seen()]
    for port in found:
        _say(port, "", as_json)
    if not found and not as_json:
        print("No serial port here. Plug an adapter in (see it come: pale-heron ports --watch),")
        print("or start a simulated device: pale-heron sim curlew")
    while watch:
        time.sleep(LOOK_S)
        for change in watcher.look():
            _say(change.port, change.what, as_json)


def _say(port: "Port", change: str, as_json: bool) -> None:
    if as_json:
        print(json.dumps(port._asdict() | ({"change": change} if change else {}), ensure_ascii=False), flush=True)
        return
    own = " ".join(part for part in (port.nickname, f"({port.role})" if port.role else "") if part)
    known = [own, port.description, port.adapter, port.usb_id, port.serial_number, port.location]
    words = "  ".join(part for part in (*known, "the rate is decorative" if port.virtual else "") if part)
    hint = f" ({port.hint})" if port.hint else ""
    print(f"{change + ' ' if change else ''}{port.device}  {words}  {port.state}{hint}", flush=True)
