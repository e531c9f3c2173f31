"""What goes by while a file is gone through once: lines, pulses and exchanges, for whoever writes them down."""

from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING, Protocol

from pale_heron.bench.model import Model
from pale_heron.bench.pipeline import Record
from pale_heron.core.clock.events import PULSE
from pale_heron.core.frames import Event, Frame
from pale_heron.core.runs import Entry
from pale_heron.core.wire.visible import starred

if TYPE_CHECKING:
    from pale_heron.core.device.dialogue.exchanges import Item


class PassListener(Protocol):
    """Is called as it goes by, in the order of time; secrets of modules have stars."""

    def lines(self, lines: Sequence[Frame | Event]) -> None: ...

    def pulse(self, event: Event) -> None: ...

    def item(self, lane: str, item: "Item", secrets: frozenset[str]) -> None: ...


class PassTeller:
    """Tells a listener, after each batch of records."""

    def __init__(self, model: Model, listener: PassListener) -> None:
        self._model = model
        self._listener = listener
        self._told: dict[str, int] = {}

    def tell(self, records: Iterable[Record], settled: Iterable[Entry]) -> None:
        """What was fed, and the lines that have their place now."""
        for record in records:
            if isinstance(record, Event) and record.name == PULSE:
                self._listener.pulse(record)
        self._listener.lines([self._masked(line) for line in settled])
        for lane, item in self._items():
            self._listener.item(lane, item, self._model.secrets_of(lane))

    def _masked(self, line: Entry) -> Entry:
        secrets = self._model.secrets_of(line.lane) if isinstance(line, Frame) else None
        return line._replace(data=starred(line.data, secrets)) if isinstance(line, Frame) and secrets else line

    def _items(self) -> Iterator[tuple[str, "Item"]]:
        for lane, module in self._model.modules():
            for item in module.items_since(self._told.get(lane, 0)):
                yield lane, item
            self._told[lane] = module.ended
