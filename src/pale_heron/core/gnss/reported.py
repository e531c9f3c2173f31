"""A position that no sentence carries: a module has it in a reply or a notice of its own."""

from collections.abc import Mapping
from typing import Any, Final, NamedTuple

MODULE: Final = "module"
"""What stands where a sentence's formatter would."""


class ReportedPosition(NamedTuple):
    """`values` by the keys of GGA, None where the module left one empty; `raw` the digits they were read from."""

    time: int | None
    """Nanoseconds UTC, when its line came."""
    data: bytes
    """The line."""
    values: Mapping[str, Any]
    raw: Mapping[str, str]

    @property
    def type(self) -> str:
        return MODULE

    @property
    def has_position(self) -> bool:
        return self.values["latitude"] is not None

    @property
    def clock(self) -> bytes:
        """The time of day of it, as hhmmss with any decimals; empty where it gives none."""
        return self.raw.get("time", "").encode("latin-1", "replace")

    @property
    def where(self) -> tuple[bytes, ...]:
        """The raw digits of its place."""
        return tuple(self.raw.get(key, "").encode("latin-1", "replace") for key in ("latitude", "longitude"))
