"""Where captures lie."""

import os
import re
from datetime import UTC, datetime
from pathlib import Path

from platformdirs import user_data_path

FOLDER_VARIABLE = "PALE_HERON_CAPTURES"


def capture_folder() -> Path:
    """The folder that PALE_HERON_CAPTURES names, else `captures` in the user's data folder."""
    named = os.environ.get(FOLDER_VARIABLE)
    return Path(named).expanduser() if named else user_data_path("pale-heron") / "captures"


def new_capture_path(bench: str, time: int) -> Path:
    """A name that is not taken, as in `saltmarsh-20310504-094107.pcapng` (UTC)."""
    stem = re.sub(r"[^A-Za-z0-9_-]+", "-", bench).strip("-") or "bench"
    stamp = f"{stem}-{datetime.fromtimestamp(time // 10**9, UTC):%Y%m%d-%H%M%S}"
    folder = capture_folder()
    names = (f"{stamp}{'' if count == 1 else f'-{count}'}.pcapng" for count in range(1, 1000))
    return next(folder / name for name in names if not (folder / name).exists())
