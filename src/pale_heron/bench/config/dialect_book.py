"""The dialects of one bench or record: those that stand in the record, else those that are installed.

A record keeps the tables of each dialect that was used, so that it is understood later as it was then, whatever is
installed by that time. It says so at its start (the event `recording`); older records are understood by what is here.
"""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Final

from pale_heron.core.frames import Event
from pale_heron.core.streams import Recognition

if TYPE_CHECKING:
    from pale_heron.core.device.schema.dialect import Dialect
    from pale_heron.core.sharing.dialect_tables import DialectTables

STANDARD: Final = "standard"
BEGUN: Final = "recording"
KEPT: Final = "kept"
"""The event at the start of a record, and what it says of dialects."""

MOST_KEPT: Final = 256
"""More dialects than these in one record are not believed."""


class DialectBook:
    """It can be pickled, with what the record says and without what is installed."""

    def __init__(self, recognition: Recognition = Recognition.AT_ONCE) -> None:
        self.recognition = recognition
        self._tables: dict[str, Mapping[str, Any]] = {}
        self._kept: dict[str, Dialect] = {}
        self._installed: dict[str, Dialect] = {}
        self._sensitive: DialectTables | None = None

    @property
    def standard(self) -> str:
        """The name of the standards' own."""
        return STANDARD

    def heed(self, event: Event) -> None:
        """A record may say that it names which dialects are spoken in it; a live bench decides for itself."""
        named = event.name == BEGUN and event.details.get("dialects") == KEPT
        if named and self.recognition is Recognition.AT_ONCE:
            self.recognition = Recognition.RECORDED

    def named(self, name: str, table: Mapping[str, Any] | None = None) -> "Dialect":
        """The dialect of that name, of this table where there is one; the standards' own where it is not known."""
        if table is not None and len(self._tables) < MOST_KEPT and self._tables.get(name) != table:
            from pale_heron.core.device.schema.dialect import read_dialect

            dialect, problems = read_dialect(table)
            if not problems:
                self._tables[name], self._kept[name] = table, dialect
                self._sensitive = None
        found = self._kept.get(name) or self._known().get(name)
        return found or self._kept.get(STANDARD) or self._known()[STANDARD]

    def recognised(self, line: str) -> str:
        """The name of the dialect of whoever says this line; empty for nobody, and where the record decides."""
        if self.recognition is Recognition.RECORDED:
            return ""
        # Those of the user come last, and go before those that ship.
        known = reversed(self._known().values())
        return next((each.name for each in known if each.commands_modules and each.recognises(line)), "")

    def announces(self, line: str) -> bool:
        """Whether the standards' own explain a line that comes unasked; never where the record decides."""
        if self.recognition is Recognition.RECORDED:
            return False
        notices = self._known()[STANDARD].notices.values()
        return any(each.line.fullmatch(line) for each in notices)

    @property
    def sensitive(self) -> "DialectTables":
        """What any dialect of the record, or one that is installed, says must not be told."""
        if self._sensitive is None:
            from pale_heron.bench.config.dialects import sensitive_tables

            self._sensitive = sensitive_tables()
            if self._kept:
                self._sensitive = type(self._sensitive)((*self._kept.values(), *self._known().values()))
        return self._sensitive

    def _known(self) -> "dict[str, Dialect]":
        """What is installed; its files are read when the first lane needs one."""
        if not self._installed:
            from pale_heron.bench.config.dialects import known_dialects

            self._installed = known_dialects()
        return self._installed

    def __getstate__(self) -> tuple[Recognition, dict[str, Mapping[str, Any]]]:
        return self.recognition, self._tables

    def __setstate__(self, state: tuple[Recognition, dict[str, Mapping[str, Any]]]) -> None:
        self.__init__(state[0])  # type: ignore[misc]  # the one place where the state is laid out
        for name, table in state[1].items():
            self.named(name, table)
