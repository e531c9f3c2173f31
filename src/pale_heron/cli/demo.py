"""`pale-heron demo`: the simulated bench on the full screen."""

import os
from typing import Annotated

import typer

from pale_heron.cli.watch import show
from pale_heron.core.line.settings import LineSettings
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.simulated import simulated_folder
from pale_heron.sim.launch import Device


def demo(
    seed: Annotated[int, typer.Option(help="The same seed gives the same run.")] = 7,
    no_capture: Annotated[bool, typer.Option("--no-capture", help="Keep no record of this.")] = False,
) -> None:
    """Start the simulated devices of the salt marsh, and the full screen on them. Nothing need be plugged in.

    Example: pale-heron demo --seed 3
    """
    link = simulated_folder() / f"curlew-of-{os.getpid()}"
    curlew = Device("curlew", link, "--seed", str(seed), "--scene", "saltmarsh", "--host-time")
    try:
        show(
            "saltmarsh",
            [LaneSpec("curlew", curlew.path, LineSettings(9600), role="buoy 7")],
            record=not no_capture,
            view="fix",
        )
    finally:
        curlew.stop()
