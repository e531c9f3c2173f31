"""Fix as its keys move it, and a receiver told things from the full screen: the real application, its real record."""

from collections.abc import AsyncIterator, Callable, Iterable
from contextlib import asynccontextmanager
from pathlib import Path

from tests.painted import snapshot
from tests.streams import BEGIN, chunk, said
from tests.waiting import until_shown
from textual.pilot import Pilot
from textual.widgets import Input

from pale_heron.bench.config.dialects import known_dialects
from pale_heron.bench.config.own_keys import OwnKey
from pale_heron.bench.live.session import Session
from pale_heron.bench.model import Model
from pale_heron.bench.operations.orders import recognised
from pale_heron.bench.scrollback.lines import Lines
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.capture.reader import CaptureReader
from pale_heron.core.frames import SECOND, Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.ports.address import LaneSpec
from pale_heron.sim.launch import Device
from pale_heron.sim.scenes import SCENES
from pale_heron.tui.app import PaleHeron
from pale_heron.tui.painting.paint import plain
from pale_heron.tui.screens.sentences import SentencesPanel
from pale_heron.tui.widgets.canvas import Canvas


class TwoReceivers:
    """A bench whose time is told: a buoy with two antennas, ninety seconds of them."""

    SECONDS = 90

    def __init__(self) -> None:
        self.model = Model()
        self.lines = Lines(self.model.log)
        pairs = zip(said(self.SECONDS), said(self.SECONDS, SCENES["second-antenna"], 8), strict=True)
        for second, (bow, stern) in enumerate(pairs):
            moment = BEGIN + second * SECOND
            self.model.feed(chunk(bow, moment, "bow"))
            self.model.feed(chunk(stern, moment, "stern"))
        self.now = BEGIN + self.SECONDS * SECOND

    eventful = False

    def look(self, *_lanes: str) -> None:
        """It is always as of now."""

    @property
    def seen(self) -> BenchSnapshot:
        shown = snapshot(now=self.now)
        return BenchSnapshot("two", self.now, BEGIN, self.model.snapshots(self.now), shown.capture, None, 0.0)

    def stop(self) -> list[str]:
        return []


class Shown:
    """The application as a test sees it."""

    def __init__(self, app: PaleHeron, pilot: Pilot[None]) -> None:
        self.app = app
        self.pilot = pilot

    def text(self) -> str:
        stack = self.app.screen_stack
        return "\n".join(plain(canvas.rows) for screen in stack for canvas in screen.query(Canvas) if canvas.display)

    async def shows(self, *words: str) -> None:
        await self.until(lambda: all(word in self.text() for word in words))

    async def until(self, done: Callable[[], object]) -> None:
        await until_shown(done, lambda: f"it says:\n{self.text()}")

    async def press(self, *keys: str) -> None:
        await self.pilot.press(*keys)
        await self.pilot.pause(0.1)

    async def type(self, text: str) -> None:
        await self.until(lambda: self.app.screen.query(Input))
        self.app.screen.query_one(Input).value = text
        await self.press("enter")


@asynccontextmanager
async def running(
    bench: TwoReceivers | Session, view: str = "fix", own_keys: Iterable[OwnKey] = (), file: Path | None = None
) -> AsyncIterator[Shown]:
    app = PaleHeron(bench, view=view, own_keys=own_keys, bench_file=file)
    async with app.run_test(size=(142, 42), notifications=True) as pilot:
        await pilot.pause(0.3)
        yield Shown(app, pilot)


async def test_keys_go_through_the_pages_and_back() -> None:
    async with running(TwoReceivers()) as shown:
        for words in (
            "the way of the last hour",
            "DOES THE CLAIM HOLD",
            "THE LATEST START",
            "from bow to stern",
            "SKY",
        ):
            await shown.press("v")
            await shown.shows(words)
        await shown.press("V")
        await shown.shows("DIFFERENCES", "09:40:14 first")
        await shown.press("tab")
        await shown.shows("from stern to bow")
        await shown.press("c")
        await shown.shows("Compare stern with")
        await shown.press("1")
        await shown.shows("DIFFERENCES")


async def test_another_lane_to_compare_with_is_compared_at_once() -> None:
    bench = TwoReceivers()
    for second, data in enumerate(said(bench.SECONDS, SCENES["second-antenna"], 9)):
        bench.model.feed(chunk(data, BEGIN + second * SECOND, "mast"))
    async with running(bench) as shown:
        await shown.press("V")
        await shown.shows("from bow to stern")
        before = [row for row in shown.text().splitlines() if row.startswith("north")]
        await shown.press("c", "2")
        await shown.shows("from bow to mast")
        assert [row for row in shown.text().splitlines() if row.startswith("north")] != before


async def test_a_moment_of_the_ribbon_leads_to_traffic() -> None:
    bench = TwoReceivers()
    async with running(bench) as shown:
        await shown.press(*["left"] * 60)
        await shown.shows("09:40:30 worst within")
        await shown.press("right")
        await shown.shows("09:40:31 worst within")
        await shown.press("enter")
        await shown.shows("What is being said")
        chosen = shown.app.traffic.list.chosen
        assert chosen is not None and chosen.time is not None
        assert abs(chosen.time - BEGIN - 31 * SECOND) <= SECOND
        await shown.press("3", "escape")
        assert "worst within" not in shown.text()


async def test_a_reference_is_typed_checked_and_forgotten() -> None:
    async with running(TwoReceivers()) as shown:
        await shown.press("v", "v", "p")
        await shown.type("46.1 S 67.3")
        await shown.shows("one letter for each angle")
        await shown.type("46.117 S 67.306 W 9 m")
        await shown.shows("REFERENCE  typed", "-46.1170000", "about the reference")
        await shown.press("p")
        await shown.type("46.07038 S 67.1840 W")
        await shown.shows("Packed minutes taken for decimals")
        await shown.press("p")
        await shown.type("")
        await shown.shows("none: p types a point")
        await shown.press("P")
        await shown.shows("the mean of")
        await shown.press("P")
        await shown.shows("none: p types a point")
        await shown.press("h")
        await shown.shows("the last 15 min 00 s")


async def test_a_drawing_is_kept(tmp_path: Path) -> None:
    async with running(TwoReceivers()) as shown:
        await shown.press("v", "v", "v", "v", "x")
        await shown.shows("Keep which drawing", "comparison: two receivers")
        await shown.press("1")
        await shown.type(str(tmp_path / "two.png"))
        await shown.shows("ends with .svg or .pdf")
        await shown.type(str(tmp_path / "two.svg"))
        await shown.until(lambda: (tmp_path / "two.svg").exists())
        assert "From bow to stern" in (tmp_path / "two.svg").read_text()


async def test_the_receiver_is_told_verified_and_the_record_says_so(tmp_path: Path) -> None:
    device = Device("curlew", "--scene", "at-rest", "--quick", "20", "--every", "200", "--rate", "38400")
    spec = LaneSpec("curlew", device.path, LineSettings(38400), dialect="curlew")
    session = Session("test", [spec], tmp_path / "a.pcapng")
    session.start()
    try:
        async with running(session) as shown:
            await shown.shows("3D fix for")
            await shown.press("o")
            await shown.shows(": orders", "choose sentences", "asks first")
            await shown.press("enter")
            await shown.shows("which sentences?", "every fact that is known now stays known")
            await shown.press("down", "down", "down", "0")
            await shown.shows("never", "no longer known: satellites in view")
            await shown.press("enter")
            await shown.shows("No longer known then")
            await shown.press("y")
            await shown.shows("CHOOSE SENTENCES  done", "verified", "sentence GSV", "running, not stored")
            await shown.press("down", "enter")
            await shown.type("12345")
            await shown.shows("is not one of")
            await shown.type("115200")
            await shown.shows("CHANGE THE LINE RATE  done", "valid sentences after")
            assert session.settings_of("curlew").rate == 115200
            await shown.press("down", "enter")
            await shown.shows("It restarts. Send it?")
            await shown.press("y")
            await shown.shows("STORE AND VERIFY  done", "it lasted", "running, stored")
            await shown.press("down", "down", "enter")
            await shown.shows("It forgets position, time and all orbits. Send it?")
            await shown.press("y")
            await shown.shows("START-COLD  done")
            await shown.press("escape", "v", "v", "v")
            await shown.shows("cold, asked for", "warm          1      1", "cold          1      1 ")
            cold = session.snapshot().lanes[0].fix.history.starts[-1]
            assert cold.mode == "cold" and cold.seconds_to_first_fix is not None
            assert cold.seconds_to_first_fix >= 1.0, "the device takes 1.35 s; a busy machine adds to it"
            await shown.shows(f"cold          1      1 {cold.seconds_to_first_fix:>6.1f} s")
    finally:
        session.stop()
        device.stop()
    events = [each for each in CaptureReader(tmp_path / "a.pcapng").records() if isinstance(each, Event)]
    assert [each.details["mode"] for each in events if each.name == "start"] == ["warm", "cold"]
    told = [each.details for each in events if each.name == "told"]
    assert [each["done"] for each in told] == [True] * 4
    assert told[0]["what"] == "choose sentences"


async def test_a_lane_that_only_listens_is_told_nothing() -> None:
    device = Device("curlew", "--scene", "at-rest", "--quick", "20", "--every", "200", "--rate", "38400")
    session = Session("test", [LaneSpec("curlew", device.path, LineSettings(38400, listen_only=True))], None)
    session.start()
    try:
        async with running(session) as shown:
            await shown.shows("3D fix for")
            await shown.press("o")
            await shown.shows(": orders")
            await shown.press("d")
            await shown.shows("Which dialect does it speak?")
            await shown.press("1")
            await shown.shows("choose sentences")
            await shown.press("down", "down", "down", "enter")
            await shown.until(lambda: any("only listens" in str(each.message) for each in shown.app._notifications))
    finally:
        session.stop()
        device.stop()


def test_a_dialect_is_recognised_by_what_the_device_says() -> None:
    bench = TwoReceivers()
    entries = [entry for place in range(bench.model.log.end) if (entry := bench.model.log.get(place))]
    found = recognised(entries, "bow", known_dialects())
    assert found is not None and found[0].name == "curlew" and "Curlew" in found[1]
    assert recognised(entries, "nobody", known_dialects()) is None


async def test_only_what_the_dialect_allows_can_be_wanted() -> None:
    panel = SentencesPanel("curlew", dict, ("GSV",), (None, 1, 2), 1.0, None)
    async with running(TwoReceivers()) as shown:
        await shown.app.push_screen(panel)
        await shown.press("0")
        assert "never" not in shown.text()
        await shown.press("right", "right", "right", "right")
        await shown.shows("1 epoch in 2")
        await shown.press("left", "left", "left")
        assert "1 epoch in" not in shown.text()


async def test_finding_says_how_to_go_on_and_goes_round() -> None:
    async with running(TwoReceivers(), "traffic") as shown:
        await shown.until(lambda: shown.app.traffic.list.number)
        await shown.press("slash")
        await shown.type("antenna ok")
        await shown.shows("n finds on, N back")
        places = [shown.app.traffic.list.number]
        while "from the end on" not in shown.text():
            await shown.press("N")
            await shown.until(lambda: shown.app.traffic.list.number != places[-1])
            places.append(shown.app.traffic.list.number)
            await shown.shows("n finds on, N back")
        assert places[:-1] == sorted(places[:-1], reverse=True) and places[-1] == max(places)
        await shown.press("slash")
        await shown.type("there is no such line")
        await shown.shows("stands nowhere")


async def test_a_typed_reference_that_is_laid_aside_comes_back() -> None:
    async with running(TwoReceivers(), "fix") as shown:
        await shown.until(lambda: "SKY" in shown.text())
        await shown.press("v", "v", "p")
        await shown.type("46.1 S 67.3 W")
        lane = shown.app.fix._chosen["bow"]
        await shown.until(lambda: lane.reference is not None and "scatter" in lane.kept)
        typed = lane.reference
        await shown.press("P")
        await shown.until(lambda: lane.reference is None)
        await shown.press("P")
        await shown.until(lambda: lane.reference == typed)
