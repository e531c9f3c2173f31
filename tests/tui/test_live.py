"""What keys do on a live bench: real lanes on simulated terminals, the real application, its real record."""

import asyncio
import threading
import time
from collections.abc import AsyncIterator, Callable, Iterator
from contextlib import asynccontextmanager
from dataclasses import dataclass
from pathlib import Path

import pytest
from tests.streams import GGA, sentences
from tests.waiting import until_shown
from textual.pilot import Pilot
from textual.widgets import Input

from pale_heron.bench.config.bench_file import load_bench
from pale_heron.bench.live.session import Session
from pale_heron.capture.reader import CaptureReader
from pale_heron.core.frames import OUT, Chunk, Event
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec
from pale_heron.sim.label import Label
from pale_heron.sim.terminal import Terminal
from pale_heron.tui.app import PaleHeron
from pale_heron.tui.painting.paint import Line, plain
from pale_heron.tui.widgets.canvas import Canvas
from pale_heron.tui.widgets.traffic_list import TrafficList

TICK_S = 0.005


class Player:
    """A device: speaks a sentence now and then, keeps what it is sent, and answers as it is told."""

    def __init__(
        self, path: Path, rate: int = 9600, every_s: float = 0.2, says: bytes = GGA, label: Label | None = None
    ) -> None:
        self.terminal = Terminal(rate, path, whole_lines=False, patient=True, label=label)
        self.heard = b""
        self.says = says
        self.damaged = b""
        self._every = every_s
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()

    def _run(self) -> None:
        due = last = time.monotonic()
        while not self._ended.wait(TICK_S):
            now = time.monotonic()
            for data in self.terminal.work(now - last):
                self.heard += data
            last = now
            if now >= due:
                due = now + self._every
                self.terminal.send(self.damaged or self.says)
                self.damaged = b""

    def end(self) -> None:
        self._ended.set()
        self._thread.join()
        self.terminal.close()


@dataclass
class Bench:
    """Everything that a test needs."""

    app: PaleHeron
    pilot: Pilot[None]
    session: Session
    device: Player
    capture: Path

    async def until(self, done: Callable[[], object]) -> None:
        await until_shown(done, lambda: f"it says:\n{self.screen()}")

    async def shows(self, *words: str) -> None:
        await self.until(lambda: all(word in self.screen() for word in words))

    async def press(self, *keys: str) -> None:
        await self.pilot.press(*keys)
        await self.pilot.pause(0.05)

    async def type(self, text: str) -> None:
        """Into the line that is open."""
        await self.until(lambda: self.app.screen.query(Input))
        self.app.screen.query_one(Input).value = text
        await self.press("enter")

    def screen(self) -> str:
        """All that is painted, the topmost screen last."""
        stack = self.app.screen_stack
        return "\n".join(plain(canvas.rows) for screen in stack for canvas in screen.query(Canvas) if canvas.display)

    def records(self) -> list[Chunk | Event]:
        return list(CaptureReader(self.capture).records())

    @property
    def list(self) -> TrafficList:
        return self.app.screen_stack[0].query_one(TrafficList)


@pytest.fixture
def device(tmp_path: Path) -> Iterator[Player]:
    player = Player(tmp_path / "curlew")
    yield player
    player.end()


@asynccontextmanager
async def running(device: Player, tmp_path: Path, view: str = "traffic", settings: str = "") -> AsyncIterator[Bench]:
    from pale_heron.core.line.settings import parse_short_line

    spec = LaneSpec("curlew", str(tmp_path / "curlew"), parse_short_line(settings or "9600"), "buoy 7")
    session = Session("test", [spec], tmp_path / "a.pcapng")
    session.start()
    app = PaleHeron(session, view=view)
    async with app.run_test(size=(142, 42)) as pilot:
        bench = Bench(app, pilot, session, device, tmp_path / "a.pcapng")
        await bench.until(lambda: session.snapshot().lanes[0].line.valid_sentences > 2)
        try:
            yield bench
        finally:
            session.stop()


async def test_what_is_sent_is_completed_recorded_and_shown(device: Player, tmp_path: Path) -> None:
    async with running(device, tmp_path) as bench:
        await bench.press("colon")
        await bench.shows("send to curlew", "line end CRLF")
        bench.app.screen.query_one(Input).value = "$PCURLEW,WHO"
        await bench.shows("17 bytes:", "checksum 36 added")
        await bench.press("enter")
        await bench.until(lambda: device.heard == b"$PCURLEW,WHO*36\r\n")
        await bench.type("AT+CMGD=1,4")
        await bench.shows("It erases what cannot be brought back. Send it?")
        await bench.press("escape")
        await bench.type("<0x55 ESC")
        await bench.shows("a < without its >")
        await bench.type("<0x55 ESC>")
        await bench.until(lambda: device.heard.endswith(b"U\x1b"))
        await bench.press("up")
        assert bench.app.screen.query_one(Input).value == "<0x55 ESC>"
        await bench.press("down", "f3", "z")
        await bench.shows("1 byte: 1A", "no line end behind bytes alone")
        await bench.press("enter")
        await bench.until(lambda: device.heard.endswith(b"\x1b\x1a"))
        await bench.press("escape", "l")
        await bench.shows("▸ PCURLEW")
        bench.session.stop()
        sent = b"".join(each.data for each in bench.records() if isinstance(each, Chunk) and each.direction is OUT)
        assert sent == device.heard == b"$PCURLEW,WHO*36\r\nU\x1b\x1a"


async def test_sending_repeats_and_stops_and_a_file_goes_at_its_pace(device: Player, tmp_path: Path) -> None:
    readings = tmp_path / "readings.txt"
    readings.write_text("".join(f"reading {count}\n" for count in range(100)))
    async with running(device, tmp_path, settings="9600,8N1,none,line-delay=50") as bench:
        await bench.press("colon")
        bench.app.screen.query_one(Input).value = "AT"
        await bench.press("f4")
        await bench.type("0.1")
        await bench.until(lambda: device.heard.count(b"AT\r\n") >= 3)
        await bench.shows("every 0.1 s")
        await bench.press("f6")
        await bench.until(lambda: not bench.session.jobs("curlew"))
        count = device.heard.count(b"AT")
        await bench.press("f5")
        await bench.type(str(tmp_path / "nothing"))
        await bench.shows("cannot be read: No such file")
        await bench.type(str(readings))
        await bench.shows("Lines of readings.txt end with LF, the lane sends CRLF")
        began = time.monotonic()
        await bench.press("a")
        await bench.shows("readings.txt", "to go")
        await bench.until(lambda: device.heard.endswith(b"reading 99\n"))
        assert time.monotonic() - began >= 100 * 0.05 * 0.9
        assert device.heard.count(b"AT") == count
        assert device.heard.count(b"reading") == 100


async def test_a_lane_that_only_listens_refuses_to_send(device: Player, tmp_path: Path) -> None:
    async with running(device, tmp_path, settings="9600,8N1,none,listen-only") as bench:
        await bench.press("colon")
        await bench.type("AT")
        await bench.shows("curlew only listens: nothing is sent")
        await bench.press("f3", "r", "escape")
        for refused in (
            lambda: bench.session.find_rate("curlew", ask=True),
            lambda: bench.session.send_break("curlew"),
        ):
            with pytest.raises(Trouble, match="only listens"):
                refused()
        assert device.heard == b""


async def test_settings_change_while_open_are_recorded_pasted_and_saved(device: Player, tmp_path: Path) -> None:
    async with running(device, tmp_path, "line") as bench:
        await bench.press("s")
        await bench.shows("changes hold at once", "as one line   9600,8N1,none")
        await bench.press("right")
        await bench.shows("as one line   19200,8N1,none")
        await bench.until(lambda: device.terminal.other_rate == 19200)
        await bench.press("enter")
        await bench.type("49")
        await bench.shows("rate 49 is not between 50")
        await bench.type("12345")
        await bench.until(lambda: device.terminal.other_rate == 12345)
        await bench.press("down", "down", "down", "space")
        await bench.shows("dtr=off")
        await bench.press("p")
        await bench.type("9600,8N1,none,colour=red")
        await bench.shows("'colour' is not a setting")
        await bench.type("9600,8N1,none,in=lf,out=cr,gap=50")
        await bench.shows("as one line   9600,8N1,none,in=lf,out=cr,gap=50")
        await bench.press("y", "b", "escape", "w")
        await bench.type(str(tmp_path / "bench.toml"))
        await bench.until(lambda: (tmp_path / "bench.toml").exists())
        (spec,) = load_bench(tmp_path / "bench.toml")
        assert (spec.settings.ending_in, spec.settings.gap_ms, spec.role) == ("lf", 50, "buoy 7")
        bench.session.stop()
        rates = [
            each.details["rate"] for each in bench.records() if isinstance(each, Event) and each.name == "settings"
        ]
        assert rates[:2] == [19200, 12345]
        assert rates[-1] == 9600


async def test_the_rate_is_found_by_listening_and_switched_to(device: Player, tmp_path: Path) -> None:
    device.terminal.rate = 38400
    device.says = sentences("GPGSV,1,1,00") * 3
    async with running_anywhere(device, tmp_path) as bench:
        await bench.press("r")
        await bench.shows("which rate?", "not legible")
        await bench.shows("38400", "◂ best", "Take 38400 baud")
        assert device.heard == b"", "listening sends nothing"
        await bench.press("enter")
        await bench.until(lambda: bench.session.specs()[0].settings.rate == 38400)
        await bench.until(lambda: device.terminal.other_rate == 38400)
        await bench.shows("RATES TRIED", "Yes:")
        bench.session.stop()
        assert any(isinstance(each, Event) and each.name == "rates-tried" for each in bench.records())


@asynccontextmanager
async def running_anywhere(device: Player, tmp_path: Path) -> AsyncIterator[Bench]:
    """On Line, with a rate that does not fit; nothing valid is waited for. The rate counts in the simulated folder."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
        folder = tmp_path / "pale-heron" / "sim"
        folder.mkdir(parents=True)
        (folder / "curlew").symlink_to(device.terminal.path)
        session = Session("test", [LaneSpec("curlew", str(folder / "curlew"))], tmp_path / "a.pcapng")
        session.start()
        app = PaleHeron(session, view="line")
        async with app.run_test(size=(142, 42)) as pilot:
            bench = Bench(app, pilot, session, device, tmp_path / "a.pcapng")
            await bench.until(lambda: session.snapshot().lanes[0].line.bytes_in > 50)
            try:
                yield bench
            finally:
                session.stop()


async def test_a_mark_is_typed_or_given_up_and_found_again(device: Player, tmp_path: Path) -> None:
    async with running(device, tmp_path) as bench:
        await bench.press("m")
        await bench.type("under the bridge")
        await bench.press("m", "escape", "m")
        await bench.type("  ")
        await asyncio.sleep(0.5)
        await bench.press("k")
        await bench.until(lambda: isinstance(bench.list.chosen, Event) and bench.list.chosen.name == "mark")
        await bench.press("k")
        await bench.shows("no more a mark before this line")
        bench.session.stop()
        assert [e.details["text"] for e in bench.records() if isinstance(e, Event) and e.name == "mark"] == [
            "under the bridge"
        ]


async def test_finding_troubles_and_texts_forward_and_back(device: Player, tmp_path: Path) -> None:
    async with running(device, tmp_path) as bench:
        device.damaged = GGA.replace(b"4607", b"4608")
        await bench.until(lambda: bench.session.snapshot().lanes[0].line.damaged == 1)
        await asyncio.sleep(0.5)
        await bench.press("e")
        await bench.until(lambda: bench.list.chosen is not None and getattr(bench.list.chosen, "bad", False))
        damaged = bench.list.number
        await bench.press("slash")
        await bench.type("/GNG[G/")
        await bench.shows("is broken")
        await bench.type("/GNG.A,0941/")
        await bench.until(lambda: bench.list.number == (damaged or 0) - 1)
        await bench.press("n")
        await bench.until(lambda: bench.list.number == damaged)
        await bench.press("N", "x", "n")
        await bench.shows("from ◆: +", "1 line,", "0 bytes between them")
        await bench.press("E")
        await bench.shows("no more trouble after this line")


async def test_showing_only_what_is_wanted(device: Player, tmp_path: Path) -> None:
    device.says = GGA + sentences("GPGSV,1,1,00", "GNVTG,,T,,M,,N,,K,N")
    async with running(device, tmp_path) as bench:
        await bench.press("f")
        await bench.shows("Show only", "GNVTG", "GPGSV")
        for _ in range(3):
            await bench.press("down")
        await bench.press("o")
        await bench.shows("now: only ")
        await bench.press("escape")
        await bench.until(lambda: bench.list.chosen is not None)
        listing = bench.list.listing
        shown = {entry.type for at in range(listing.begin, listing.end) if (entry := listing.entry(at)) is not None}
        assert len(shown) == 1
        await bench.press("f", "a", "home", "down", "down", "enter")
        await bench.type("vtg")
        await bench.press("escape")
        await bench.shows("show: with 'vtg'")
        await bench.until(lambda: getattr(bench.list.chosen, "type", "") == "GNVTG")
        await bench.press("f", "a", "escape", "l")
        await bench.shows("what changed is lit", "GNGGA")
        await bench.press("down", "down", "up")
        await bench.until(lambda: [row.startswith("▌") for row in latest_rows(bench)][:3] == [False, True, False])
        await bench.press("l", "up")
        assert bench.list.held, "keys go to the list again"


def latest_rows(bench: Bench) -> list[str]:
    """The latest of each type, without their heading."""
    return plain(bench.app.screen_stack[0].query_one("#traffic-latest", Canvas).rows).splitlines()[1:]


async def test_clearing_hides_and_the_record_keeps_everything(device: Player, tmp_path: Path) -> None:
    async with running(device, tmp_path) as bench:
        before = bench.session.lines.end
        await bench.press("c")
        await bench.shows("cleared:")
        await bench.press("home")
        assert (bench.list.number or 0) >= before
        await bench.press("C", "home")
        assert bench.list.number == 0
        assert bench.session.snapshot().lanes[0].line.frames >= before - 1


async def test_times_bases_and_going_to_a_time(device: Player, tmp_path: Path) -> None:
    async with running(device, tmp_path) as bench:
        for words in ("time here", "since start", "since ◆", "time UTC"):
            await bench.press("t")
            await bench.until(lambda words=words: words in plain([_heading(bench)]))
        for words in ("U is 85", "U is 0b01010101", "text with control", "U is 0x55"):
            await bench.press("b")
            await bench.shows(words)
        await bench.press("g")
        await bench.type("soon")
        await bench.shows("is not a time")
        await bench.type("+0s")
        await bench.until(lambda: bench.list.held and (bench.list.number or 0) < 3)
        await bench.press("y", "j")
        assert bench.app.clipboard.startswith("{")


def _heading(bench: Bench) -> Line:
    from pale_heron.tui.views.traffic import traffic

    return traffic.heading(bench.list.look)


async def test_a_lane_is_added_from_the_list_of_ports(
    device: Player, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    monkeypatch.setenv("PALE_HERON_CONFIG", str(tmp_path / "config"))
    folder = tmp_path / "pale-heron" / "sim"
    async with running(device, tmp_path) as bench:
        await bench.press("a")
        await bench.shows("add a lane")
        other = Player(folder / "hide", label=Label("simulated receiver", "MARSH-1"))
        await bench.shows("sim/hide", "came")
        while not any(row.startswith("▌ ") and "sim/hide" in row for row in bench.screen().splitlines()):
            await bench.press("down")
            await asyncio.sleep(0.3)
        await bench.press("r")
        await bench.type("hide")
        await bench.type("the hut")
        await bench.shows("hide is remembered with its adapter")
        await bench.press("enter")
        await bench.until(lambda: len(bench.session.snapshot().lanes) == 2)
        await bench.until(lambda: bench.session.snapshot().lanes[1].line.valid_sentences > 0)
        assert bench.session.snapshot().lanes[1].role == "the hut"
        bench.session.stop()
        other.end()
        lanes = {each.lane for each in bench.records() if isinstance(each, Chunk)}
        assert lanes == {"curlew", "hide"}
