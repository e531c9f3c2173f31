"""What can be done with the chosen lane of a live bench: send, set, find its rate; and with the bench: add, save.

The screens for it are loaded when they are asked for: the first picture does not wait for them.
"""

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol, runtime_checkable

from textual.app import App

from pale_heron.bench.config.bench_file import save_bench
from pale_heron.bench.config.own_keys import OwnKey
from pale_heron.bench.frame_tap import FrameTap
from pale_heron.bench.operations.registry import Operations
from pale_heron.bench.scrollback.lines import Lines
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.line.diagnosis.stages import LaneOpening
from pale_heron.core.line.settings import LineSettings, changed
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.sender import SendJob
from pale_heron.tui.actions.consent import Consent
from pale_heron.tui.screens.panel import AskLine, Choice

if TYPE_CHECKING:
    from pale_heron.bench.live.timekeeping import Timekeeper
    from pale_heron.bench.operations.baud_search import BaudSearch
    from pale_heron.core.device.dialogue.tracker import ModuleSnapshot
    from pale_heron.core.frames import Chunk


@runtime_checkable
class LiveBench(Protocol):
    """What can be done with a bench whose lanes are open."""

    bench: str
    operations: Operations
    timekeeper: "Timekeeper"

    @property
    def lines(self) -> Lines: ...

    @property
    def seen(self) -> BenchSnapshot: ...

    def look(self, *lanes: str) -> None: ...

    def specs(self) -> list[LaneSpec]: ...

    def add_lane(self, spec: LaneSpec) -> None: ...

    def change(self, lane: str, settings: LineSettings) -> None: ...

    def send(self, lane: str, job: SendJob) -> None: ...

    def jobs(self, lane: str) -> list[SendJob]: ...

    def tap(self, lane: str, listener: "Callable[[Chunk], None]") -> Callable[[], None]: ...

    def send_break(self, lane: str) -> None: ...

    def find_rate(self, lane: str, ask: bool) -> "BaudSearch": ...

    def note_rates(self, lane: str, finder: "BaudSearch") -> None: ...

    def mark(self, text: str) -> None: ...

    def is_open(self, lane: str) -> bool: ...

    def let_go(self, lane: str) -> None: ...

    def take_up(self, lane: str) -> None: ...

    def settings_of(self, lane: str) -> LineSettings: ...

    def note(self, lane: str, name: str, details: Mapping[str, Any]) -> None: ...

    def listen(self, lane: str) -> FrameTap: ...

    def leave(self, ear: FrameTap) -> None: ...

    def module_of(self, lane: str) -> "ModuleSnapshot | None": ...

    def recognising(self, lane: str) -> bool: ...

    def wait_for_news(self, seconds: float) -> None: ...

    def choose_dialect(self, lane: str, name: str) -> None: ...

    def intend(self, lane: str, settings: Mapping[str, str]) -> None: ...

    def snapshot_of(self, lane: str) -> LaneSnapshot | None: ...


class LaneActions:
    """`lane` gives the chosen one as it is now."""

    def __init__(
        self,
        app: App[Any],
        bench: LiveBench,
        lane: Callable[[], LaneSnapshot | None],
        file: Path | None,
        consent: Consent,
        own_keys: Callable[[], Sequence[OwnKey]] = tuple,
    ) -> None:
        self._app = app
        self._consent = consent
        self._own_keys = own_keys
        self._bench = bench
        self._lane = lane
        self._file = file
        self._history: list[str] = []
        self._memories: dict[str, Any] = {}

    def _of(self, name: str) -> Callable[[], LineSettings]:
        """The settings that a lane has now."""

        def settings() -> LineSettings:
            spec = next((spec for spec in self._bench.specs() if spec.name == name), None)
            return spec.settings if spec else LineSettings()

        return settings

    def _secret_asked(self, name: str) -> Callable[[], bool]:
        """Whether a lane asks for a secret now."""

        def asked() -> bool:
            lane = self._bench.snapshot_of(name)
            return lane is not None and lane.secret_asked

        return asked

    def _speaks(self, name: str) -> Callable[[], bool]:
        """Whether a lane speaks sentences."""

        def speaks() -> bool:
            lane = self._bench.snapshot_of(name)
            return lane is not None and lane.line.valid_sentences > 0

        return speaks

    def send(self) -> None:
        from pale_heron.tui.screens.send import SendLine

        lane = self._lane()
        if lane is not None:
            asked = self._secret_asked(lane.name)
            name, speaks = lane.name, self._speaks(lane.name)
            self._app.push_screen(
                SendLine(self._bench, name, self._of(name), self._history, asked, speaks, self._consent)
            )

    def settings(self) -> None:
        from pale_heron.tui.screens.settings import SettingsPanel

        lane = self._lane()
        if lane is None:
            return
        name = lane.name

        def settings_error() -> str:
            now = self._lane()
            return now.settings_error if now is not None and now.name == name else ""

        def send_break() -> None:
            self._attempt(lambda: self._bench.send_break(name))

        def change(settings: LineSettings) -> None:
            self._bench.change(name, settings)

        self._app.push_screen(SettingsPanel(name, self._of(name), change, settings_error, send_break))

    def find_rate(self) -> None:
        from pale_heron.tui.screens.rates import RateScreen

        lane = self._lane()
        if lane is None:
            return
        name, settings = lane.name, self._of(lane.name)()
        if lane.settings is not None and lane.settings.decorative:
            words = f"{name} is virtual: its rate is decorative, and no other one would change what comes"
            self._app.notify(words, severity="warning", markup=False)
            return
        finders = [self._bench.find_rate(name, ask=False)]

        def again(ask: bool) -> "BaudSearch":
            finders.append(self._bench.find_rate(name, ask))
            return finders[-1]

        def take(rate: int | None) -> None:
            self._bench.note_rates(name, finders[-1])
            if rate is not None:
                self._bench.change(name, changed(settings, "rate", str(rate)))

        self._app.push_screen(RateScreen(name, finders[0], again, settings.listen_only), take)

    def orders(self) -> None:
        """The orders that the device of the lane takes, by its dialect."""
        from pale_heron.bench.config.dialects import known_dialects
        from pale_heron.bench.operations.orders import recognised
        from pale_heron.tui.screens.orders import OrdersPanel
        from pale_heron.tui.views.panels.orders import OrdersMemory

        lane = self._lane()
        if lane is None:
            return
        dialects = {name: each for name, each in known_dialects().items() if each.actions}
        memory = self._memories.setdefault(lane.name, OrdersMemory())
        spec = next((spec for spec in self._bench.specs() if spec.name == lane.name), None)
        if memory.dialect is None and spec is not None and spec.dialect in dialects:
            memory.dialect = dialects[spec.dialect]
        if memory.dialect is None:
            found = recognised(self._bench.lines.held(), lane.name, dialects)
            if found is not None:
                memory.dialect, memory.recognised = found

        def now() -> LaneSnapshot | None:
            return self._bench.snapshot_of(lane.name)

        self._app.push_screen(OrdersPanel(self._bench, now, memory, dialects))

    def add_lane(self) -> None:
        from pale_heron.tui.screens.ports import PortsScreen

        def take(spec: LaneSpec | None) -> None:
            if spec is not None:
                self._attempt(lambda: self._bench.add_lane(spec))

        self._app.push_screen(PortsScreen(tuple(spec.name for spec in self._bench.specs())), take)

    def close_or_open(self) -> None:
        """Let the port of the chosen lane go, so that another program can have it; or open it again."""
        lane = self._lane()
        if lane is None:
            return
        if lane.opening is LaneOpening.LET_GO:
            self._bench.take_up(lane.name)
            return
        operation = self._bench.operations.on(lane.name)
        if operation is None:
            self._bench.let_go(lane.name)
            return

        def take(key: str | None) -> None:
            if key == "y":
                self._bench.let_go(lane.name)

        question = f"{operation.title} is under way on {lane.name} and fails without it. Close it?"
        self._app.push_screen(Choice(question, (("n", "no"), ("y", "yes, close it"))), take)

    def save_bench(self) -> None:
        """Save to the file that the bench came from, or to one that is asked for."""

        def save(text: str | None) -> None:
            if text:
                path = Path(text).expanduser()
                if self._attempt(lambda: save_bench(path, self._bench.specs(), self._own_keys())):
                    self._file = path
                    kept = figures.several(len(self._bench.specs()), "lane")
                    kept += f" and {figures.several(len(keys), 'key')}" if (keys := self._own_keys()) else ""
                    self._app.notify(f"Saved {kept} in {path}", markup=False)

        proposed = str(self._file or f"{self._bench.bench}.toml")
        self._app.push_screen(AskLine("Save the bench in which file? Comments in it are kept", proposed), save)

    def job_words(self) -> str:
        """What is being sent on any lane, in a few words."""
        parts = []
        for spec in self._bench.specs():
            for job in self._bench.jobs(spec.name):
                if job.every_s is not None:
                    words = f"{figures.several(job.times, 'time')}, every {figures.duration(job.every_s)}"
                elif job.total > job.sent:
                    words = f"{figures.share(job.sent / job.total)} of {figures.size(job.total)}"
                else:
                    continue
                parts.append(f"▸ {spec.name}: {words}")
        return "   ".join(parts)

    def _attempt(self, do: Callable[[], None]) -> bool:
        """Do it; trouble is shown on the screen."""
        try:
            do()
        except Trouble as trouble:
            self._app.notify(str(trouble), severity="error", markup=False)
            return False
        return True
