"""What an adapter is known by, whatever device name it has today, and what the user said of it.

The key is the serial number with the USB ids, else the place on the USB where it is plugged in. Nickname, role and
settings are remembered under it in `adapters.toml` of the user's configuration folder.
"""

from collections.abc import Iterable
from pathlib import Path
from typing import NamedTuple

from pale_heron.core.line.settings import LineSettings, parse_short_line
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.files.toml_file import read_tables
from pale_heron.files.toml_rows import kept_rows
from pale_heron.files.user_folders import config_folder

HEAD = "# What pale heron knows of adapters, by serial number or place.\n"


class AdapterNote(NamedTuple):
    """What the user said of an adapter. `settings` is a short line, empty where none were kept."""

    nickname: str = ""
    role: str = ""
    settings: str = ""

    @property
    def line_settings(self) -> LineSettings:
        """The settings; the usual ones where none or impossible ones were kept."""
        try:
            return parse_short_line(self.settings) if self.settings else LineSettings()
        except ValueError:
            return LineSettings()


def adapter_key(usb_id: str, serial_number: str, location: str) -> str:
    """What an adapter is known by; empty where it has neither serial number nor place."""
    if serial_number:
        return f"serial {serial_number} {usb_id}".strip()
    return f"place {location}" if location else ""


def adapters_file() -> Path:
    """Where what the user said is kept."""
    return config_folder() / "adapters.toml"


def known_adapters() -> dict[str, AdapterNote]:
    """What is remembered, by key; a file that cannot be read counts as empty."""
    try:
        written = read_tables(adapters_file())[1].get("adapter", [])
    except Trouble:
        return {}
    found = {}
    for row in written if isinstance(written, list) else []:
        if isinstance(row, dict) and isinstance(row.get("key"), str):
            words = (safe_label(str(row.get(name, ""))) for name in ("nickname", "role", "settings"))
            found[row["key"]] = AdapterNote(*words)
    return found


def remember(key: str, known: AdapterNote) -> None:
    """Keep it under the key, in place of what was; comments of the user stay. Trouble where it cannot be written."""
    with kept_rows(adapters_file(), "adapter", "file of adapters", HEAD) as row:
        written = {"key": key, "nickname": known.nickname, "role": known.role, "settings": known.settings}
        row("key", key).update(written)


def free_nickname(wanted: str, taken: Iterable[str]) -> str:
    """The nickname, or with a number behind it where it is taken."""
    names = set(taken)
    return next(
        name for name in (wanted, *(f"{wanted[:20]}-{count}" for count in range(2, 10_000))) if name not in names
    )
