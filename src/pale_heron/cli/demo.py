"""`pale-heron demo`: the simulated bench on the full screen."""

import os
from typing import Annotated

import typer

from pale_heron.cli.watch import show
from pale_heron.core.line.settings import LineSettings, nearest_words
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.simulated import simulated_folder
from pale_heron.sim.launch import Device

SCENES = ("saltmarsh", "troubles")


def demo(
    seed: Annotated[int, typer.Option(help="The same seed gives the same run.")] = 7,
    scene: Annotated[str, typer.Option(help=f"What is played: {', '.join(SCENES)}.")] = "saltmarsh",
    no_capture: Annotated[bool, typer.Option("--no-capture", help="Keep no record of this.")] = False,
) -> None:
    """Start the simulated devices of the salt marsh, and the full screen on them. Nothing need be plugged in.

    The scene `troubles` has one lane for each trouble that a line can have.

    Example: pale-heron demo --scene troubles
    """
    if scene == "troubles":
        _troubles(seed, not no_capture)
    elif scene == "saltmarsh":
        _saltmarsh(seed, not no_capture)
    else:
        raise Trouble(f"There is no scene {scene!r}{nearest_words(scene, dict.fromkeys(SCENES))}", "Leave it out")


def _saltmarsh(seed: int, record: bool) -> None:
    link = simulated_folder() / f"curlew-of-{os.getpid()}"
    curlew = Device("curlew", "--seed", str(seed), "--scene", "saltmarsh", "--host-time", link=link)
    try:
        show(
            "saltmarsh",
            [LaneSpec("curlew", curlew.path, LineSettings(9600), role="buoy 7")],
            record=record,
            view="fix",
        )
    finally:
        curlew.stop()


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
