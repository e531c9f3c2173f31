"""What is known of the simulated adapter that a device hangs on: a file beside the link, for the list of ports."""

import json
import os
from pathlib import Path
from typing import NamedTuple

from pale_heron.system import is_running
from pale_heron.system.private import new_file, remove_own

ENDING = ".adapter"


def label_of(link: Path) -> Path:
    """The file that describes the adapter behind a link."""
    return link.with_name(link.name + ENDING)


class Label(NamedTuple):
    """What an adapter says of itself, and whether another program is to seem to hold it."""

    description: str
    serial_number: str
    held: bool = False


def write_label(link: Path, label: Label) -> None:
    """Write it as one JSON object, never through a link; OSError where somebody else's file is there.

    `process` is whoever plays the device, and holds it no more than a wire does.

    Where it is `held` that is left out: the player then counts as another program.
    """
    content = {
        "description": label.description,
        "adapter": "simulated adapter",
        "serial_number": label.serial_number,
        **({} if label.held else {"process": str(os.getpid())}),
    }
    path = label_of(link)
    remove_own(path)
    with os.fdopen(new_file(path), "w", encoding="utf-8") as file:
        json.dump(content, file)


def player_of(link: Path) -> int:
    """The process that plays the device behind a link, while it runs; 0 where nobody does, or nobody says so."""
    try:
        content = json.loads(label_of(link).read_text("utf-8"))
        process = int(content.get("process", 0)) if isinstance(content, dict) else 0
    except (OSError, ValueError):
        return 0
    return process if process and process != os.getpid() and is_running(process) else 0
