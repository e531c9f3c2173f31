"""A bench on a simulated module whose time passes as fast as it is asked for."""

from collections.abc import Callable, Mapping
from typing import Any

from tests.streams import BEGIN

from pale_heron.bench.config.dialects import known_dialects
from pale_heron.bench.frame_tap import FrameTap
from pale_heron.bench.model import Model
from pale_heron.bench.operations.acknowledged import AcknowledgedSettings
from pale_heron.bench.operations.receiver import SteppedOperation, Work
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot
from pale_heron.core.frames import IN, OUT, SECOND, SECRET_FOLLOWS, Chunk, Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.ports.sender import SendJob
from pale_heron.sim.air import Air
from pale_heron.sim.bittern import Bittern
from pale_heron.sim.modem import Modem
from pale_heron.sim.modules import BUOY, HIDE
from pale_heron.sim.plover import Plover
from pale_heron.sim.teal import Teal
from pale_heron.sim.wire import resampled
from pale_heron.sim.wren import VANE_ADDRESS, VANE_PIN, Wren

DIALECTS = known_dialects()
TICK_S = 0.02
RATE = 9600


def bitterns() -> tuple[Bittern, Bittern]:
    """Two on one air, set as they are in the marsh at first."""
    air = Air(7)
    hide, buoy = Bittern(air, "hide", 7), Bittern(air, "buoy", 8)
    hide.configure(**HIDE)
    buoy.configure(**BUOY)
    return hide, buoy


def wren() -> Wren:
    """One that is paired with the vane."""
    found = Wren(7)
    found.configure(peer=VANE_ADDRESS, pin=VANE_PIN)
    return found


MAKERS: Mapping[str, Callable[[], Modem]] = {
    "bittern": lambda: bitterns()[0],
    "plover": Plover,
    "wren": wren,
    "teal": Teal,
}


class ModuleBench:
    """Lanes on modules, by nickname. `hears` may spoil what a module is told: none of it, where it gives None."""

    def __init__(self, **modems: Modem) -> None:
        self.modems = modems
        self.line = {name: LineSettings(RATE, ending_out="cr") for name in modems}
        self.model = Model()
        for name, settings in self.line.items():
            self.model.add(name, settings)
        self.notes: list[tuple[str, Mapping[str, Any]]] = []
        self.marks: list[str] = []
        self.hears: Callable[[str, bytes], bytes | None] = lambda _, data: data
        self.gone: set[str] = set()
        """Lanes that are lost."""
        self.speaks: Callable[[str], bool] = lambda _: True
        self.seconds = 0.0
        self.sent: list[bytes] = []
        self.records: list[Chunk | Event] = []
        """What a capture of it would hold."""

    @property
    def now(self) -> int:
        return BEGIN + int(self.seconds * SECOND)

    def settings_of(self, lane: str) -> LineSettings:
        return self.line[lane]

    def change(self, lane: str, settings: LineSettings) -> None:
        self.line[lane] = settings

    def is_open(self, lane: str) -> bool:
        return lane not in self.gone

    def note(self, _lane: str, name: str, details: Mapping[str, Any]) -> None:
        self.notes.append((name, details))

    def mark(self, text: str) -> None:
        self.marks.append(text)

    def choose(self, lane: str, dialect: str) -> None:
        self._feed(Event(self.now, lane, "dialect", {"name": dialect}))

    def send(self, lane: str, job: SendJob) -> None:
        self.sent.append(job.data)
        for skip, count in job.hidden:
            self._feed(Event(self.now, lane, SECRET_FOLLOWS, {"skip": skip, "bytes": count}))
        self._feed(Chunk(lane, OUT, self.now, job.data))
        modem = self.modems[lane]
        heard = self.hears(lane, resampled(job.data, self.line[lane].rate, modem.rate))
        if heard:
            modem.hear(heard, self.seconds)
        self.advance(TICK_S)

    def _feed(self, record: Chunk | Event) -> None:
        self.records.append(record)
        self.model.feed(record)

    def advance(self, seconds: float) -> None:
        """Let time pass, in small steps."""
        end = self.seconds + seconds
        while self.seconds < end:
            self.seconds = min(end, self.seconds + TICK_S)
            for lane, modem in self.modems.items():
                rate = modem.rate
                said = modem.say(self.seconds)
                if said and self.speaks(lane):
                    self._feed(Chunk(lane, IN, self.now, resampled(said, rate, self.line[lane].rate)))
            self.model.tick(self.now)

    def recognising(self, lane: str) -> bool:
        return lane in self.model.recognised

    def wait_for_news(self, _seconds: float) -> None:
        self.advance(TICK_S)

    def module_of(self, lane: str) -> ModuleSnapshot | None:
        return self.model.module_of(lane)

    def module(self, lane: str) -> ModuleSnapshot:
        found = self.module_of(lane)
        assert found is not None
        return found

    def listen(self, lane: str) -> FrameTap:
        return self.model.listen(lane)

    def leave(self, ear: FrameTap) -> None:
        self.model.leave(ear)


class Hasty(SteppedOperation):
    """An operation whose waits let the bench's time pass. Runs at once."""

    def __init__(self, bench: ModuleBench, lane: str, work: Work) -> None:
        super().__init__("test", bench, lane, AcknowledgedSettings(), work)
        self._fast = bench

    def rest(self, seconds: float) -> None:
        self._fast.advance(seconds)

    def set_line(self, settings: LineSettings) -> None:
        self._fast.change(self.lane, settings)
        self._fast.advance(0.3)


def performed(bench: ModuleBench, work: Work, lane: str = "m") -> Hasty:
    """Do it, and give how it went."""
    operation = Hasty(bench, lane, work)
    operation.run()
    return operation
