"""`pale-heron demo`: the simulated bench on the full screen."""

import os
import socket
from pathlib import Path
from typing import Final, NamedTuple

import click

from pale_heron import sim
from pale_heron.cli.ending import end_on_signals
from pale_heron.cli.screen import need_screen
from pale_heron.cli.timing import time_sources
from pale_heron.cli.watch import show
from pale_heron.core.line.settings import LineSettings, nearest_words
from pale_heron.core.link.description import EXCHANGE, SENTENCES, TrialDescription
from pale_heron.core.link.rules import Rule
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.simulated import own_folder
from pale_heron.sim.launch import Device
from pale_heron.sim.marsh import HUT


class DemoReceiver(NamedTuple):
    """A simulated receiver of a scene: its lane, its role, and what happens to it."""

    lane: str
    role: str
    scene: str


TROUBLES = "troubles"
MODULES = "modules"
BRIDGE = "throughput"
BRIDGE_RATE: Final = 2_000_000
SCENES: Final = {
    "saltmarsh": (DemoReceiver("curlew", "buoy 7", "saltmarsh"),),
    "open-sky": (DemoReceiver("curlew", "buoy 7", "open-sky"),),
    "reeds": (DemoReceiver("curlew", "buoy 7", "reeds"),),
    "at-rest": (DemoReceiver("curlew", "hide", "at-rest"),),
    "rtk": (DemoReceiver("curlew", "hide", "rtk"),),
    "two-receivers": (DemoReceiver("bow", "buoy 7", "open-sky"), DemoReceiver("stern", "buoy 7", "second-antenna")),
    "wrong-date": (DemoReceiver("curlew", "buoy 7", "wrong-date"),),
    "full-line": (DemoReceiver("curlew", "buoy 7", "full-line"),),
}
CABLES: Final = {
    "both-ways": (9600, ("lost=3%", "changed=1%", "doubled=1%", "delay=70ms", "jitter=25ms")),
    "bad-cable": (115200, ("changed=0.2%", "missing=0.1%", "stall_from_s=14s", "stall_for_s=1.5s")),
}
"""Line rate and faults of a simulated cable."""

CLOCKS: Final = {"pulse": 9600, "late": 9600, "drift": 38400}
"""Scenes of Clock, with the line rate of their receiver."""

FIRST_CONTACT = "first-contact"
RANGE_WALK = "range-walk"
PROOF = "proof"
EXPECTED: Final = Path(sim.__file__).with_name("walk-expected.toml")
"""What is expected of the walk in the scene of Proof: one of it does not hold."""

NAMES: Final = (*SCENES, *CLOCKS, MODULES, FIRST_CONTACT, *CABLES, RANGE_WALK, BRIDGE, TROUBLES, PROOF)


@click.command("demo")
@click.option("--seed", default=7, type=int, help="The same seed gives the same run.", show_default=True)
@click.option("--scene", default="saltmarsh", show_default=True, help=f"What is played: {', '.join(NAMES)}.")
@click.option("--no-capture", is_flag=True, help="Keep no record of this.")
def demo(seed: int, scene: str, no_capture: bool) -> None:
    """Show the simulated salt marsh on the full screen. Nothing needs to be plugged in.

    Each scene is one story: a cold start, a canyon of reeds, corrections that converge, two receivers, a wrong
    date, a line that is too full, `pulse`, `late` and `drift` for clocks, `modules` that take commands,
    `first-contact`, `both-ways`, `bad-cable`, `range-walk` and `throughput` for trials of a link, `proof`,
    the walk held against what is expected of it, and `troubles`, one lane for each that a line can have.

    Example: pale-heron demo --scene two-receivers
    """
    if scene not in NAMES:
        raise Trouble(f"There is no scene {scene!r}{nearest_words(scene, dict.fromkeys(NAMES))}", "Leave it out")
    need_screen("pale-heron sim and pale-heron record do without one")
    end_on_signals()
    if scene == TROUBLES:
        _troubles(seed, not no_capture)
    elif scene == MODULES:
        _modules(seed, not no_capture)
    elif scene in CABLES:
        _cable(scene, seed, not no_capture)
    elif scene in CLOCKS:
        _clocks(scene, seed, not no_capture)
    elif scene == FIRST_CONTACT:
        _first_contact(seed, not no_capture)
    elif scene == RANGE_WALK:
        _range_walk(seed, not no_capture)
    elif scene == PROOF:
        _range_walk(seed, not no_capture, PROOF, EXPECTED)
    elif scene == BRIDGE:
        _bridge(seed, not no_capture)
    else:
        _play(scene, seed, not no_capture)


def _play(name: str, seed: int, record: bool) -> None:
    devices: list[Device] = []
    lanes = []
    try:
        for place, played in enumerate(SCENES[name]):
            link = own_folder() / f"{played.lane}-of-{os.getpid()}"
            words = ("curlew", "--seed", str(seed + place), "--scene", played.scene, "--host-time")
            devices.append(Device(*words, link=link))
            lanes.append(LaneSpec(played.lane, devices[-1].path, LineSettings(9600), role=played.role))
        show(name, lanes, record=record, view="fix")
    finally:
        for device in devices:
            device.stop()


def _clocks(scene: str, seed: int, record: bool) -> None:
    """A receiver with pulses, a board that prints them, and a time server."""
    link, rate = own_folder() / f"curlew-of-{os.getpid()}", CLOCKS[scene]
    devices: list[Device] = []
    try:
        words = ("curlew", "--seed", str(seed), "--scene", scene, "--rate", str(rate), "--host-time")
        devices.append(Device(*words, link=link))
        devices.append(Device("dunlin", "--seed", str(seed), link=own_folder() / f"dunlin-of-{os.getpid()}"))
        server = Device("snipe", "--scene", scene)
        devices.append(server)
        lanes = [
            LaneSpec("curlew", devices[0].path, LineSettings(rate), role="hide"),
            LaneSpec("dunlin", devices[1].path, LineSettings(9600), role="hide"),
        ]
        sources = time_sources([f"sim:{link.name}", "printed:dunlin"], [server.path])
        show(scene, lanes, record=record, view="clock", time_of=sources)
    finally:
        for device in devices:
            device.stop()


def _modules(seed: int, record: bool) -> None:
    from pale_heron.sim.modules import KINDS, MARSH

    link = own_folder() / f"of-{os.getpid()}"
    power = ("--when-opened", "--after", "0.5")
    devices = Device(MARSH, "--seed", str(seed), *power, link=link, count=KINDS[MARSH])
    names = ("bittern hide", "bittern buoy", "plover", "wren", "teal")
    roles = ("hide", "buoy 7", "buoy 7", "hide", "hide")
    try:
        lanes = [
            LaneSpec(name, path, LineSettings(9600, ending_out="cr"), role=role)
            for name, role, path in zip(names, roles, devices.paths, strict=True)
        ]
        show("modules", lanes, record=record, view="module")
    finally:
        devices.stop()


def _cable(scene: str, seed: int, record: bool) -> None:
    """Two lanes with a way between them that loses and spoils a little: for trials."""
    link = own_folder() / f"way-of-{os.getpid()}"
    rate, faults = CABLES[scene]
    words = [word for fault in faults for word in ("--fault", fault)]
    device = Device("cable", "--seed", str(seed), "--rate", str(rate), *words, link=link, count=2)
    try:
        lanes = [
            LaneSpec(name, path, LineSettings(rate), role=role)
            for name, role, path in zip(("hide", "buoy"), ("hide", "buoy 7"), device.paths, strict=True)
        ]
        show(scene, lanes, record=record, view="link")
    finally:
        device.stop()


def _first_contact(seed: int, record: bool) -> None:
    """A board that answers each message, and a lane that ends its messages as the board does not expect."""
    device = Device("vane", "--seed", str(seed), link=own_folder() / f"vane-of-{os.getpid()}")
    described = TrialDescription(
        EXCHANGE, 0, ("vane",), far="answer", rule=Rule("plus", "100"), every_s=0.0, probes=12, limit_s=2.5
    )
    try:
        lanes = [LaneSpec("vane", device.path, LineSettings(9600, ending_out="cr"), role="hide")]
        show(FIRST_CONTACT, lanes, record=record, view="link", trial=described)
    finally:
        device.stop()


def _range_walk(seed: int, record: bool, view: str = "link", expected: Path | None = None) -> None:
    """Buoy 7 is towed away: what its receiver says is looked for in the hide, by distance."""
    link = own_folder() / f"walk-of-{os.getpid()}"
    device = Device("range-walk", "--seed", str(seed), "--when-opened", link=link, count=3)
    names, roles = ("curlew", "hide", "buoy"), ("buoy 7", "hide", "buoy 7")
    described = TrialDescription(
        SENTENCES,
        0,
        ("curlew", "hide"),
        limit_s=3.0,
        position="curlew",
        place=HUT,
        strength=("hide", "signal"),
        wiring="air",
    )
    try:
        lanes = [
            LaneSpec(
                name,
                path,
                LineSettings(9600, ending_out="cr"),
                role=role,
                dialect="" if name == "curlew" else "bittern",
            )
            for name, role, path in zip(names, roles, device.paths, strict=True)
        ]
        show(RANGE_WALK, lanes, record=record, view=view, trial=described, expected=expected)
    finally:
        device.stop()


def _bridge(seed: int, record: bool) -> None:
    """Teal on its line, and the far end of its TCP connection as a lane that waits for it."""
    port = free_port()
    link = own_folder() / f"teal-of-{os.getpid()}"
    words = ("--seed", str(seed), "--rate", str(BRIDGE_RATE), "--far-port", str(port), "--when-opened")
    device = Device("teal", *words, link=link)
    try:
        lanes = [
            LaneSpec("far", f"listen://127.0.0.1:{port}", role="network"),
            LaneSpec("teal", device.path, LineSettings(BRIDGE_RATE, flow="rtscts", ending_out="cr"), role="hide"),
        ]
        show(BRIDGE, lanes, record=record, view="link")
    finally:
        device.stop()


def free_port() -> int:
    """A TCP port of this machine that nobody has, as far as that can be known beforehand."""
    with socket.create_server(("127.0.0.1", 0)) as server:
        port: int = server.getsockname()[1]
        return port


def _troubles(seed: int, record: bool) -> None:
    # The simulation needs numpy, which no other command should wait for.
    from pale_heron.sim.troubles import TROUBLES

    devices = Device("trouble", "all", "--seed", str(seed), count=len(TROUBLES))
    try:
        lanes = [
            LaneSpec(name, path, play.settings)
            for (name, play), path in zip(TROUBLES.items(), devices.paths, strict=True)
        ]
        show("troubles", lanes, record=record, view="line")
    finally:
        devices.stop()
