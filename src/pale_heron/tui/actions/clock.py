"""What is done in Clock: sources of pulses are added and let go, time servers are asked."""

from collections.abc import Sequence
from typing import Any, Final, Protocol

from textual.app import App

from pale_heron.bench.live.timekeeping import Timekeeper
from pale_heron.core.clock.sources import CONTROL_LINES, KERNEL, LINE, PRINTED, SIMULATED, source_typed
from pale_heron.core.lane import LaneSnapshot
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.screens.panel import AskLine, Choice

FIRST_DEVICE: Final = "/dev/pps0"
LINE_KEYS: Final = dict(zip("dcrs", CONTROL_LINES, strict=True))


class TimedBench(Protocol):
    """A bench that keeps time."""

    timekeeper: Timekeeper


class ClockActions:
    """`bench` is a live one."""

    def __init__(self, app: App[Any], bench: TimedBench) -> None:
        self._app = app
        self._keeper = bench.timekeeper

    def add_source(self, lane: LaneSnapshot | None, lanes: Sequence[LaneSnapshot]) -> None:
        """Ask where pulses come from, and listen."""
        choices = [("k", "the kernel: a PPS device (RFC 2783)")]
        if lane is not None:
            name = safe_label(lane.name)
            choices += [
                ("c", f"a control line of {name}: dcd, cts, ri or dsr"),
                ("l", f"lines that {name} prints, each one a pulse"),
            ]
        choices.append(("s", "a simulated receiver on this machine"))

        def take(key: str | None) -> None:
            if key == "k":
                self._ask(f"{KERNEL}:{FIRST_DEVICE}")
            elif key == "c" and lane is not None:
                self._ask_line(lane.name)
            elif key == "l" and lane is not None:
                self._ask(f"{PRINTED}:{lane.name}")
            elif key == "s":
                first = next((each.name for each in lanes), "curlew")
                self._ask(f"{SIMULATED}:{first}")

        self._app.push_screen(Choice("Where do pulses come from?", choices), take)

    def _ask_line(self, lane: str) -> None:
        choices = [(key, name.upper()) for key, name in LINE_KEYS.items()]

        def take(key: str | None) -> None:
            if key is not None:
                self._listen(f"{LINE}:{lane}:{LINE_KEYS[key]}")

        self._app.push_screen(Choice(f"Which control line of {safe_label(lane)}?", choices), take)

    def _ask(self, usual: str) -> None:
        question = "Which source? pps:DEVICE, line:LANE:dcd, printed:LANE or printed:LANE:PATTERN, sim:NAME"
        self._app.push_screen(
            AskLine(question, usual, _wrong_source), lambda text: self._listen(text) if text is not None else None
        )

    def _listen(self, text: str) -> None:
        try:
            self._keeper.listen(source_typed(text.strip()))
        except Trouble as trouble:
            self._app.notify(str(trouble), severity="warning", markup=False)

    def leave_source(self) -> None:
        """Ask which source is listened to no more."""
        sources = self._keeper.sources
        if not sources:
            self._app.notify("No source of pulses is listened to: p adds one", severity="warning", markup=False)
            return
        choices = [(str(number), safe_label(text)) for number, text in enumerate(sources[:9], 1)]

        def take(key: str | None) -> None:
            if key is not None:
                self._keeper.leave(sources[int(key) - 1])

        self._app.push_screen(Choice("Listen to which source no more? What it gave is kept.", choices), take)

    def ask_server(self) -> None:
        """Ask which time server, and ask it."""

        def take(text: str | None) -> None:
            if text is not None:
                from pale_heron.ports.network_time import server_typed

                self._keeper.ask(*server_typed(text.strip()))

        question = "Which time server is asked? HOST or HOST:PORT; again every 64 s"
        self._app.push_screen(AskLine(question, "", _wrong_server), take)


def _wrong_source(text: str) -> str:
    try:
        source_typed(text.strip())
    except ValueError as problem:
        return str(problem)
    return ""


def _wrong_server(text: str) -> str:
    from pale_heron.ports.network_time import server_typed

    try:
        server_typed(text.strip())
    except Trouble as trouble:
        return str(trouble)
    return ""
