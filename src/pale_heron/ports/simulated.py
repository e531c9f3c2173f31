"""Where simulated devices can be found, and what is known of the simulated adapter that each hangs on."""

import contextlib
import json
import os
import tempfile
from pathlib import Path

from pale_heron.core.trouble import Trouble
from pale_heron.system import user_id
from pale_heron.system.private import private_folder

LABEL = ".adapter"
"""Beside the link of a device lies a file of this ending: what its adapter says of itself, as a JSON object."""


def own_folder() -> Path:
    """The same for whoever leaves a link there: made for this user alone. Trouble where somebody else has it."""
    folder = simulated_folder()
    try:
        private_folder(folder.parent)
        return private_folder(folder)
    except OSError as problem:
        raise Trouble(
            f"Simulated devices cannot be left in {folder}: {problem.strerror}",
            "Set XDG_RUNTIME_DIR to a folder of your own",
        ) from None


def simulated_folder() -> Path:
    """Where running simulated devices leave a link to their pseudo-terminal."""
    runtime = os.environ.get("XDG_RUNTIME_DIR")
    base = Path(runtime) / "pale-heron" if runtime else Path(tempfile.gettempdir()) / f"pale-heron-{user_id()}"
    return base / "sim"


def read_label(link: Path) -> dict[str, str]:
    """What is known of the adapter; empty where nothing is."""
    with contextlib.suppress(OSError, ValueError):
        label = json.loads(link.with_name(link.name + LABEL).read_text("utf-8"))
        if isinstance(label, dict):
            return {str(name): str(value) for name, value in label.items()}
    return {}
