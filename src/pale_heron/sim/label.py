"""What is told of the simulated adapter that a device hangs on: a file beside the link, for the list of ports."""

import json
import os
from pathlib import Path

ENDING = ".adapter"


def label_of(link: Path) -> Path:
    """The file that tells of the adapter behind a link."""
    return link.with_name(link.name + ENDING)


def write_label(link: Path, description: str, serial_number: str, held: bool = False) -> None:
    """Tell of it, as one JSON object; `process` is whoever plays the device, and holds it no more than a wire does.

    With `held` that is left out: the player then counts as another program.
    """
    told = {"description": description, "adapter": "simulated adapter", "serial_number": serial_number}
    label_of(link).write_text(json.dumps(told | ({} if held else {"process": str(os.getpid())})))
