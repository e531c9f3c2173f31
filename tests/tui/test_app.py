"""The application with its widgets, driven by keys and clicks, on a bench that is made up."""

import gc
import signal
import subprocess
import sys
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

import pytest
from tests.streams import BEGIN, GGA, HOSTILE, chunk, said
from tests.waiting import until_shown
from textual.pilot import Pilot

from pale_heron.bench.model import Model
from pale_heron.bench.scrollback.lines import Lines
from pale_heron.bench.snapshot import BenchSnapshot, CaptureState, ReplayState
from pale_heron.core.frames import SECOND, Event
from pale_heron.tui.app import PaleHeron
from pale_heron.tui.painting.paint import plain
from pale_heron.tui.widgets.canvas import Canvas
from pale_heron.tui.widgets.traffic_list import TrafficList

ROOT = Path(__file__).parents[2]


class MadeUpBench:
    """Two lanes whose time is told."""

    def __init__(self, seconds: int = 60) -> None:
        self.model = Model()
        self.lines = Lines(self.model.log)
        self.now = BEGIN
        self.model.feed(Event(BEGIN, "hostile", "opened", {"rate": 9600, "role": "[/b][link]"}))
        for data in said(seconds):
            self.say(data)

    def say(self, data: bytes, lane: str = "curlew") -> None:
        self.model.feed(chunk(data, self.now, lane))
        self.now += SECOND

    def stop(self) -> list[str]:
        return []

    eventful = False
    replay: ReplayState | None = None

    def look(self, *_lanes: str) -> None:
        """It is always as of now."""

    @property
    def seen(self) -> BenchSnapshot:
        return BenchSnapshot(
            bench="[b]saltmarsh[/]",
            now=self.now,
            began=BEGIN,
            lanes=self.model.snapshots(self.now),
            capture=CaptureState("/captures/[b].pcapng", 1, ""),
            replay=self.replay,
            host_ahead_s=0.0,
        )


@asynccontextmanager
async def running(
    bench: MadeUpBench, view: str = "line", size: tuple[int, int] = (142, 42)
) -> AsyncIterator[tuple[PaleHeron, Pilot[None]]]:
    app = PaleHeron(bench, view=view)
    async with app.run_test(size=size) as pilot:
        await until_shown(lambda: shown(app, "rail"))
        yield app, pilot


def shown(app: PaleHeron, name: str) -> str:
    """What a canvas says."""
    return plain(app.screen_stack[0].query_one(f"#{name}", Canvas).rows)


async def says(app: PaleHeron, name: str, words: str) -> None:
    """Wait until a canvas says it."""
    await until_shown(lambda: words in shown(app, name), lambda: shown(app, name))


async def test_clicks_on_tabs_lanes_and_keys_do_what_keys_do() -> None:
    async with running(MadeUpBench()) as (app, pilot):
        await says(app, "line", "Is anything arriving")
        await pilot.click("#tabs", offset=(14, 0))
        await says(app, "traffic-head", "What is being said")
        await pilot.click("#foot", offset=(3, 0))
        await says(app, "traffic-head", "held")
        await pilot.press("3")
        await pilot.click("#rail", offset=(5, 7))
        await says(app, "fix", "3D fix for")
        await pilot.press("tab")
        await says(app, "fix", "Unknown")
        await pilot.press("shift+tab")
        await says(app, "fix", "3D fix for")


async def test_holding_counts_scrolls_and_follows_again() -> None:
    bench = MadeUpBench()
    async with running(bench, "traffic") as (app, pilot):
        listed = app.query_one(TrafficList)
        assert listed.new is None
        end = bench.model.log.end
        await pilot.press("up", "up")
        assert listed.chosen == bench.model.log.get(end - 3)
        bench.say(GGA)
        await until_shown(lambda: listed.new == 1)
        await says(app, "traffic-head", "held: 1 new since")
        await pilot.press("home")
        assert listed.chosen == bench.model.log.get(0)
        await pilot.press("down", "pagedown", "pageup")
        assert listed.chosen == bench.model.log.get(1)
        await pilot.press("end")
        assert listed.new is None
        assert listed.chosen == bench.model.log.get(end)
        await pilot.click("#traffic-list", offset=(20, 3))
        assert listed.chosen is not None
        assert listed.new == 0
        await pilot.press("space")
        assert listed.new is None


async def test_on_a_long_way_traffic_says_that_its_lines_come_later() -> None:
    bench, words = MadeUpBench(), "on the way to the moment"
    state = ReplayState(playing=False, speed=1, share=0.2, ended=False, torn="", seeking=True, begin=BEGIN, end=BEGIN,
                        troubles=(), surveyed=False)  # fmt: skip
    bench.replay = state
    async with running(bench, "traffic") as (app, _):
        await says(app, "traffic-head", "What is being said")
        assert words not in shown(app, "traffic-head"), "a short one is over at once"
        bench.now += 3600 * SECOND
        await says(app, "traffic-head", words)
        bench.replay = state._replace(seeking=False)
        await until_shown(lambda: words not in shown(app, "traffic-head"))


async def test_the_whole_line_opens_and_closes() -> None:
    bench = MadeUpBench()
    bench.say(HOSTILE, "hostile")
    async with running(bench, "traffic") as (app, pilot):
        await pilot.press("enter")
        await until_shown(lambda: "bytes at offset 0" in plain(app.screen.query_one("#lines", Canvas).rows))
        await pilot.press("escape")
        await until_shown(lambda: len(app.screen_stack) == 1)


async def test_colours_change_and_markup_of_devices_stays_text() -> None:
    async with running(MadeUpBench()) as (app, pilot):
        before = app.theme
        await pilot.press("d")
        assert app.theme != before
        assert "[b]saltmars" in shown(app, "head")
        assert "[b].pcapng" in shown(app, "head")
        assert "[/b][link]" in shown(app, "rail")


@pytest.mark.parametrize("size", [(100, 30), (142, 42), (200, 60), (40, 12), (10, 4)])
async def test_every_size_draws_every_view(size: tuple[int, int]) -> None:
    async with running(MadeUpBench(), "line", size) as (app, pilot):
        for key in ("1", "2", "3", "question_mark"):
            await pilot.press(key)
            await pilot.pause(0.2)
        assert app.return_code is None


BROKEN = """
import sys
from tests.tui.test_app import MadeUpBench
from pale_heron.tui.app import PaleHeron
class Broken(MadeUpBench):
    shots = 0
    @property
    def seen(self):
        pass_phrase = "curlews are wading"
        self.shots += 1
        if self.shots > 3:
            raise ValueError("\\x1b[2J an owl in the works")
        return super().seen
app = PaleHeron(Broken())
app.run(headless=True)
sys.exit(app.return_code)
"""


def test_a_fault_of_ours_ends_in_one_line_without_values() -> None:
    done = subprocess.run([sys.executable, "-c", BROKEN], capture_output=True, text=True, timeout=60, cwd=ROOT)
    assert done.returncode == 70
    assert "a fault of this program: ValueError: ·[2J an owl in the works" in done.stderr.replace("\n", " ")
    assert "wading" not in done.stdout + done.stderr
    assert "Traceback" not in done.stderr


STUCK = """
import os
import time
from tests.tui.test_app import MadeUpBench
from pale_heron.tui.app import PaleHeron
class Stuck(MadeUpBench):
    shots = 0
    @property
    def seen(self):
        self.shots += 1
        if self.shots == 4:
            os.write(1, b"stuck\\n")
            time.sleep(60)
        return super().seen
    def stop(self):
        os.write(1, b"stopped\\n")
        return []
PaleHeron(Stuck()).run(headless=True)
"""


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP])
def test_a_signal_ends_it_in_good_order_even_where_drawing_waits_for_ever(number: int) -> None:
    words = [sys.executable, "-c", STUCK]
    process = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, cwd=ROOT)
    assert process.stdout is not None
    assert any("stuck" in line for line in iter(process.stdout.readline, ""))
    process.send_signal(number)
    assert process.wait(20) == 0
    assert "stopped" in process.stdout.read()


async def test_what_is_loaded_is_looked_through_for_garbage_once_the_first_picture_stands() -> None:
    gc.disable()
    async with running(MadeUpBench()):
        await until_shown(gc.isenabled)
