"""The panels on their own, with stand-ins for what they ask: every row, every key, every refusal."""

from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from tests.streams import BEGIN, GGA, fed, framed
from tests.waiting import until_shown
from textual.command import CommandPalette
from textual.pilot import Pilot
from textual.screen import Screen
from textual.widgets import Input

from pale_heron import tui
from pale_heron.bench.operations.baud_search import BaudSearchState
from pale_heron.bench.scrollback.selection import Selection
from pale_heron.bench.snapshot import BenchSnapshot, CaptureState
from pale_heron.core.frames import IN, SECOND, Chunk, Direction, Frame, Kind, Status
from pale_heron.core.lane import Lane
from pale_heron.core.line.diagnosis.stages import LaneOpening
from pale_heron.core.line.rates import CANDIDATES, BaudResult
from pale_heron.core.line.settings import KEYS, LineSettings, short_line
from pale_heron.core.trouble import Trouble
from pale_heron.files.adapters import known_adapters
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.holders import KERNEL_CONSOLE
from pale_heron.ports.listing import Port
from pale_heron.ports.watch import PortWatch
from pale_heron.tui.actions.consent import Consent
from pale_heron.tui.actions.lane import LaneActions
from pale_heron.tui.base import FullScreen
from pale_heron.tui.painting.paint import plain, width_of
from pale_heron.tui.screens.orders import current_sentences
from pale_heron.tui.screens.panel import AskLine, Choice, Panel
from pale_heron.tui.screens.ports import PortsScreen
from pale_heron.tui.screens.rates import RateScreen
from pale_heron.tui.screens.selecting import SelectionPanel
from pale_heron.tui.screens.settings import SettingsPanel
from pale_heron.tui.widgets.canvas import Canvas

NOTHING = object()


class Host(FullScreen[None]):
    """Holds one screen and keeps its result."""

    CSS_PATH = Path(tui.__file__).parent / "app.tcss"

    def __init__(self, screen: Screen[Any]) -> None:
        super().__init__()
        self._shown = screen
        self.result: object = NOTHING

    def on_mount(self) -> None:
        self.push_screen(self._shown, self._keep)

    def _keep(self, result: object) -> None:
        self.result = result


class Shown:
    """A screen that is shown, its keys and its words."""

    def __init__(self, host: Host, pilot: Pilot[None]) -> None:
        self.host, self.pilot = host, pilot

    async def press(self, *keys: str) -> None:
        await self.pilot.press(*keys)
        await self.pilot.pause(0.05)

    async def type(self, text: str) -> None:
        await self.until(lambda: self.host.screen.query(Input))
        self.host.screen.query_one(Input).value = text
        await self.press("enter")

    async def until(self, done: Callable[[], object]) -> None:
        await until_shown(done, lambda: self.text)

    async def says(self, *words: str) -> None:
        await self.until(lambda: all(word in self.text for word in words))

    @property
    def text(self) -> str:
        canvases = [canvas for screen in self.host.screen_stack for canvas in screen.query(Canvas)]
        return "\n".join(plain(canvas.rows) for canvas in canvases)


@asynccontextmanager
async def showing(screen: Screen[Any], size: tuple[int, int] = (142, 42)) -> AsyncIterator[Shown]:
    host = Host(screen)
    async with host.run_test(size=size) as pilot:
        await pilot.pause(0.2)
        yield Shown(host, pilot)


class Set:
    """Settings that a panel changes."""

    def __init__(self, settings: LineSettings) -> None:
        self.settings = settings
        self.settings_error = ""
        self.breaks = 0

    def panel(self) -> SettingsPanel:
        def count() -> None:
            self.breaks += 1

        return SettingsPanel("curlew", lambda: self.settings, self._take, lambda: self.settings_error, count)

    def _take(self, settings: LineSettings) -> None:
        self.settings = settings


async def test_every_setting_goes_round_its_usual_values() -> None:
    told = Set(LineSettings())
    async with showing(told.panel()) as shown:
        for name, key in KEYS.items():
            before = getattr(told.settings, key.field)
            seen = set()
            for _ in range(14):
                await shown.pilot.press("right")
                seen.add(getattr(told.settings, key.field))
            assert len(seen) >= 2, name
            assert before in seen or name in ("gap", "rate")
            await shown.press("left", "down")
        assert "as one line" in shown.text
        told.settings_error = "the driver says no"
        await shown.says("✕ the driver says no")
        await shown.press("b")
        assert told.breaks == 1


async def test_a_typed_value_outside_the_usual_ones_is_taken_and_left_again() -> None:
    told = Set(LineSettings())
    async with showing(told.panel()) as shown:
        await shown.press("enter")
        await shown.type("31250")
        assert told.settings.rate == 31250
        await shown.press("right")
        assert told.settings.rate == 38400
        await shown.press("y")
        assert shown.host.clipboard == short_line(told.settings)
        await shown.press("p")
        await shown.type("4800,7E1")
        assert (told.settings.rate, told.settings.framing) == (4800, "7E1")
        await shown.press("p", "escape", "enter", "escape")
        assert told.settings.rate == 4800


def snapshot_of(*names: str) -> BenchSnapshot:
    lanes = tuple(fed([GGA], name).snapshot(BEGIN) for name in names)
    return BenchSnapshot("bench", BEGIN, BEGIN, lanes, CaptureState("/x", 1, ""), None, 0.0)


async def test_lanes_directions_and_trouble_are_switched() -> None:
    chosen = [Selection()]
    panel = SelectionPanel(
        lambda: snapshot_of("curlew", "hide"), lambda: chosen[0], lambda new: chosen.__setitem__(0, new)
    )
    async with showing(panel) as shown:
        await shown.press("space")
        assert chosen[0].trouble_only
        await shown.press("down", "space")
        assert chosen[0].direction is Direction.IN
        await shown.press("space", "space")
        assert chosen[0].direction is None
        await shown.press("down", "o", "down", "space")
        assert chosen[0].hidden_lanes == {"curlew"}
        await shown.press("down", "o")
        assert chosen[0].hidden_lanes == {"curlew"}
        await shown.says("LANES", "TYPES", "now: trouble only, without curlew")
        await shown.press("a")
        assert chosen[0].shows_all
        await shown.press("home", "down", "down", "enter")
        await shown.type("/(/")
        await shown.says("is broken")
        await shown.type("gga")
        assert chosen[0].text == "gga"


async def test_only_this_type_hides_those_too_that_come_later() -> None:
    chosen = [Selection(hidden_types=frozenset({"text"}))]
    panel = SelectionPanel(lambda: snapshot_of("curlew"), lambda: chosen[0], lambda new: chosen.__setitem__(0, new))
    later = Frame("curlew", IN, BEGIN, 0, b"cut", Kind.TEXT, Status.PARTIAL, "", "text")
    (gga,) = framed([GGA], BEGIN)
    async with showing(panel) as shown:
        await shown.press("down", "down", "down", "o")
        await shown.says("now: only GNGGA")
        assert chosen[0].matches(gga) and not chosen[0].matches(later)
        await shown.press("space")
        await shown.says("now: only no type")
        assert not chosen[0].matches(gga)
        await shown.press("down", "space")
        await shown.says("now: only event")
        await shown.press("a")
        assert chosen[0].shows_all


class FakeFinder:
    """A search that stands where it is told."""

    def __init__(self, state: BaudSearchState) -> None:
        self.state = state
        self.stopped = False

    def stop(self) -> None:
        self.stopped = True


SILENT = BaudResult(9600, 0, 0, 0, 0, None, "", False)
GARBAGE = BaudResult(9600, 900, 0, 0, 0, 0.0, "·" * 40, False)
FITTING = BaudResult(38400, 300, 4, 0, 0, 1.0, "$GNGGA,0941", True)
STATES = {
    "nothing yet": ((GARBAGE,), 115200, "Nothing legible yet."),
    "silence": ((SILENT,), None, "Nothing came at any rate"),
    "garbage": ((GARBAGE,), None, "No rate was legible"),
    "found": ((GARBAGE, FITTING), None, "Take 38400 baud: 4 valid. Enter switches."),
    "lines": ((GARBAGE, FITTING._replace(valid=0, lines=7)), None, "7 lines"),
    "any rate": (
        tuple(FITTING._replace(rate=rate, valid=0, result_codes=1) for rate in (9600, 115200, 38400)),
        None,
        "It answers at 3 rates: it finds the rate itself. Any will do; Enter takes 9600 baud.",
    ),
    "answers": ((GARBAGE, FITTING._replace(valid=0, result_codes=1)), None, "1 answers"),
}


@pytest.mark.parametrize("name", STATES)
@pytest.mark.parametrize("width", [60, 88, 140])
def test_a_search_is_told_in_words(name: str, width: int) -> None:
    tried, trying, words = STATES[name]
    best = next((each for each in tried if each.fits), None)
    finder = FakeFinder(BaudSearchState(CANDIDATES, tried, trying, best, False, "the lane is gone" if best else ""))
    rows = RateScreen("curlew", finder, lambda _: finder, False).paint(width)
    assert words in plain(rows).replace("\n", " ")
    assert all(width_of(row) <= width + 3 for row in rows)
    assert "t sends AT" in plain(rows)
    assert "AT" not in plain(RateScreen("curlew", finder, lambda _: finder, True).paint(width))


async def test_a_search_is_begun_again_with_at_and_its_rate_taken() -> None:
    finders = [FakeFinder(BaudSearchState(CANDIDATES, (GARBAGE, FITTING), None, FITTING, False, ""))]
    asked = []

    def again(ask: bool) -> FakeFinder:
        asked.append(ask)
        finders.append(FakeFinder(finders[0].state))
        return finders[-1]

    async with showing(RateScreen("curlew", finders[0], again, False)) as shown:
        await shown.press("t", "l")
        assert asked == [True, False]
        assert [finder.stopped for finder in finders] == [True, True, False]
        await shown.press("enter")
        assert shown.host.result == 38400
        assert finders[-1].stopped


async def test_a_refusal_to_begin_again_is_told() -> None:
    def refuse(_ask: bool) -> FakeFinder:
        raise Trouble("curlew only listens", "Search by listening alone")

    finder = FakeFinder(BaudSearchState(CANDIDATES, (SILENT,), None, None, False, ""))
    async with showing(RateScreen("curlew", finder, refuse, False)) as shown:
        await shown.press("l")
        await shown.until(lambda: [each.message for each in shown.host._notifications])
        await shown.press("escape")
        assert shown.host.result is None


def port(device: str, **said: Any) -> Port:
    return Port(device, "adapter", "", "", "", "", "free", "")._replace(**said)


class Plugs:
    """Ports that tests plug in and out."""

    def __init__(self, *found: Port) -> None:
        self.found = list(found)

    def screen(self, *taken: str) -> PortsScreen:
        return PortsScreen(taken, PortWatch(lambda: list(self.found)))


async def test_the_first_free_port_is_chosen_set_and_opened() -> None:
    held = port("/dev/ttyUSB0", state="held by owl (process 7)", hint="End that program first")
    plugs = Plugs(
        held, port("/dev/ttyUSB1", nickname="curlew", role="buoy 7", settings="38400,8N1,none", key="serial A")
    )
    async with showing(plugs.screen("curlew")) as shown:
        await shown.says("2 here, 1 free", "38400 8N1", "buoy 7", "add a lane")
        await shown.press("up")
        await shown.says("held by owl", "End that program first")
        await shown.press("down", "left", "s", "down", "down", "down", "space", "escape")
        await shown.says("19200,8N1,none,dtr=off")
        await shown.press("enter")
        settings = LineSettings(19200, dtr=False)
        assert shown.host.result == LaneSpec("curlew-2", "/dev/ttyUSB1", settings, "buoy 7", "serial A")


@pytest.mark.parametrize(("key", "opened"), [("n", False), ("escape", False), ("y", True)])
async def test_the_kernels_console_is_opened_after_a_yes_alone(key: str, opened: bool) -> None:
    async with showing(Plugs(port("/dev/ttyS0", state=KERNEL_CONSOLE)).screen()) as shown:
        await shown.press("enter")
        await shown.says("may restart it")
        await shown.press(key)
        if not opened:
            await shown.says("1 here")
            await shown.press("q")
        assert (shown.host.result is not None) is opened


async def test_the_plug_that_is_pulled_is_named_and_remembered(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PALE_HERON_CONFIG", str(tmp_path))
    plugs = Plugs(port("/dev/ttyUSB0", key="serial A"), port("/dev/ttyUSB1", key="serial B"))
    async with showing(plugs.screen()) as shown:
        await shown.press("w")
        await shown.says("Pull the plug of the one you mean")
        pulled = plugs.found.pop()
        await shown.says("It is /dev/ttyUSB1. Which nickname?")
        await shown.type("")
        await shown.says("A nickname is 1 to 24")
        await shown.type("curlew")
        await shown.says("What is curlew for?")
        await shown.type("buoy 7")
        await shown.says("curlew is remembered with its adapter (serial B)")
        assert known_adapters()["serial B"].role == "buoy 7"
        # Back under another name: what is chosen is still the adapter that was pulled.
        plugs.found.append(pulled._replace(device="/dev/ttyUSB7"))
        await shown.says("came")
        row = next(row for row in shown.text.splitlines() if row.startswith("▌ ") and "/dev/" in row)
        assert "/dev/ttyUSB7" in row
        await shown.press("w", "escape")
        await shown.says("2 here, 2 free")
        await shown.press("q")
        assert shown.host.result is None


async def test_an_adapter_with_nothing_of_its_own_cannot_be_remembered() -> None:
    async with showing(Plugs(port("/dev/ttyUSB0")).screen()) as shown:
        await shown.press("r")
        await shown.says("nothing of its own to be remembered by")


async def test_a_network_lane_is_typed() -> None:
    async with showing(Plugs().screen("hide")) as shown:
        await shown.says("None here.")
        await shown.press("enter", "down", "left", "s", "r", "n")
        await shown.type("hide=socket://nowhere")
        await shown.says("has no host and port")
        await shown.type("hide=socket://127.0.0.1:7000")
        assert shown.host.result == LaneSpec("hide-2", "socket://127.0.0.1:7000")


async def test_a_choice_is_made_by_key_or_by_cursor_or_given_up() -> None:
    choices = (("t", "text"), ("h", "hexadecimal"))
    for keys, expected in ((("h",), "h"), (("down", "enter"), "h"), (("z", "enter"), "t"), (("escape",), None)):
        async with showing(Choice("Copy as", choices)) as shown:
            await shown.press(*keys)
            assert shown.host.result == expected


@pytest.mark.parametrize("size", [(142, 42), (60, 15), (20, 6)])
async def test_panels_fit_every_size(size: tuple[int, int]) -> None:
    async with showing(Set(LineSettings()).panel(), size) as shown:
        for _ in range(len(KEYS)):
            await shown.press("down")
        canvas = shown.host.screen.query_one(Canvas)
        lit = [at for at, row in enumerate(canvas.rows) if any("@select" in span.role for span in row)]
        assert set(lit) <= set(canvas.seen), "the chosen row can be seen"


async def test_a_line_that_is_asked_for_can_be_given_up() -> None:
    async with showing(AskLine("What?", "before", lambda text: "" if text == "good" else f"{text} is wrong")) as shown:
        await shown.type("bad")
        await shown.says("bad is wrong")
        await shown.type("good")
        assert shown.host.result == "good"


PANELS: dict[str, Callable[[], Panel[Any]]] = {
    "settings": lambda: Set(LineSettings()).panel(),
    "selection": lambda: SelectionPanel(lambda: snapshot_of("curlew"), Selection, lambda _: None),
    "choice": lambda: Choice("Copy as", (("t", "text"),)),
}


@pytest.mark.parametrize("name", PANELS)
async def test_every_list_says_what_it_is_for_and_has_the_commands(name: str) -> None:
    panel = PANELS[name]()
    async with showing(panel, (80, 24)) as shown:
        await shown.press("?")
        await shown.says(panel.ABOUT.split(".")[0][:60], "KEYS IN EVERY LIST", "closes this list")
        await shown.press("escape")
        assert shown.host.screen is panel
        await shown.press("ctrl+p")
        assert isinstance(shown.host.screen, CommandPalette)
        await shown.press("escape")
        assert shown.host.screen is panel


def test_no_list_is_without_words() -> None:
    assert all(panel.ABOUT for panel in Panel.__subclasses__())


class _Closing:
    """A bench on which something may be under way, and what becomes of its lane."""

    def __init__(self, under_way: str = "") -> None:
        self.done: list[str] = []
        operation = SimpleNamespace(title=under_way) if under_way else None
        self.operations = SimpleNamespace(on=lambda _: operation)

    def let_go(self, lane: str) -> None:
        self.done.append(f"let go {lane}")

    def take_up(self, lane: str) -> None:
        self.done.append(f"take up {lane}")


@pytest.mark.parametrize(
    ("under_way", "opening", "key", "done"),
    [
        ("", "open", "", ["let go hide"]),
        ("", "let-go", "", ["take up hide"]),
        ("write what differs", "open", "n", []),
        ("write what differs", "open", "escape", []),
        ("write what differs", "open", "y", ["let go hide"]),
    ],
)
async def test_a_lane_on_which_something_is_under_way_is_closed_after_a_yes(
    under_way: str, opening: str, key: str, done: list[str]
) -> None:
    lane: Any = SimpleNamespace(name="hide", opening=LaneOpening(opening))
    bench: Any = _Closing(under_way)
    async with showing(Choice("Something else", (("t", "text"),))) as shown:
        LaneActions(shown.host, bench, lambda: lane, None, Consent(shown.host, lambda _: None)).close_or_open()
        if key:
            await shown.says("write what differs is under way on hide and fails without it. Close it?")
            assert not bench.done
            await shown.press(key)
        assert bench.done == done


def test_what_is_no_sentence_is_offered_as_none() -> None:
    lane = Lane("curlew")
    for at in range(20):
        lane.feed(Chunk("curlew", IN, BEGIN + at * SECOND, GGA + b"\xff\x80" * 30))
    lane.tick(BEGIN + 21 * SECOND)
    shown = lane.snapshot(BEGIN + 21 * SECOND)
    assert {"bytes"} <= {each.type for each in shown.line.types}
    assert list(current_sentences(shown)) == ["GGA"]
