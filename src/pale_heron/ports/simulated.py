"""Where simulated devices can be found."""

import os
import tempfile
from pathlib import Path


def simulated_folder() -> Path:
    """Where running simulated devices leave a link to their pseudo-terminal."""
    runtime = os.environ.get("XDG_RUNTIME_DIR")
    base = Path(runtime) / "pale-heron" if runtime else Path(tempfile.gettempdir()) / f"pale-heron-{os.getuid()}"
    return base / "sim"
