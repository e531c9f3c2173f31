"""Where captures lie."""

import re
from datetime import UTC, datetime
from pathlib import Path

from pale_heron.files.user_folders import capture_folder, is_there


def new_capture_path(bench: str, time: int) -> Path:
    """A name that is not taken, as in `saltmarsh-20310504-094107.pcapng` (UTC)."""
    stem = re.sub(r"[^A-Za-z0-9_-]+", "-", bench).strip("-") or "bench"
    stamp = f"{stem}-{datetime.fromtimestamp(time // 10**9, UTC):%Y%m%d-%H%M%S}"
    folder = capture_folder()
    names = (f"{stamp}{'' if count == 1 else f'-{count}'}.pcapng" for count in range(1, 1000))
    return next(folder / name for name in names if not is_there(folder / name))
