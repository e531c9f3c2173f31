"""The rate finder on a lane that is made up: what it asks, what it judges, and that it leaves everything as it was."""

from collections.abc import Callable
from dataclasses import replace
from typing import cast

import pytest
from tests.streams import chunk, said

from pale_heron.bench.operations import baud_search as finder_module
from pale_heron.bench.operations.baud_search import ASK, BaudSearch
from pale_heron.bench.operations.registry import Operations
from pale_heron.core.frames import Chunk
from pale_heron.core.line import rates
from pale_heron.core.line.rates import CANDIDATES
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec
from pale_heron.ports.clock import StampClock
from pale_heron.ports.sender import SendJob
from pale_heron.ports.worker import LaneWorker
from pale_heron.sim.wire import resampled


class MadeUpLane:
    """Behaves as a reader whose device speaks at one rate, or answers AT at that rate."""

    name = "curlew"

    def __init__(self, rate: int, clock: StampClock, speaks: bool, settings: LineSettings) -> None:
        self.rate = rate
        self.clock = clock
        self.spec = LaneSpec("curlew", "/dev/x", settings)
        self.tried: list[int] = []
        self.sent: list[bytes] = []
        self.is_open = True
        self._said = b"".join(said(3)) * 2 if speaks else b""
        self.taps: list[Callable[[Chunk], None]] = []

    def tap(self, listener: Callable[[Chunk], None]) -> Callable[[], None]:
        self.taps.append(listener)
        if self._said:
            listener(chunk(resampled(self._said, self.rate, self.spec.settings.rate), self.clock.now()))
        return lambda: self.taps.remove(listener) if listener in self.taps else None

    def change(self, settings: LineSettings) -> None:
        self.spec = replace(self.spec, settings=settings)
        self.tried.append(settings.rate)

    def send(self, job: SendJob) -> None:
        self.sent.append(job.data)
        if self.spec.settings.rate == self.rate:
            self.taps[-1](chunk(b"AT\r\r\nOK\r\n", self.clock.now()))


@pytest.fixture(autouse=True)
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing real is listened to here."""
    monkeypatch.setattr(finder_module, "SETTLE_S", 0.0)
    monkeypatch.setattr(finder_module, "LOOK_S", 0.001)
    monkeypatch.setattr(rates, "LISTEN_NS", 5_000_000)
    monkeypatch.setattr(rates, "AT_LEAST_NS", 1_000_000)


def searched(lane: MadeUpLane, ask: bool) -> BaudSearch:
    finder = BaudSearch(cast(LaneWorker, lane), lane.clock, ask)
    finder.run()
    assert finder.over and finder.state.over
    return finder


@pytest.mark.parametrize("rate", [4800, 38400, 115200])
@pytest.mark.parametrize("ask", [False, True])
def test_the_rate_is_found_and_the_lane_left_as_it_was(rate: int, ask: bool) -> None:
    clock = StampClock()
    lane = MadeUpLane(rate, clock, not ask, LineSettings(9600, dtr=False))
    finder = searched(lane, ask)
    best = finder.state.best
    assert best is not None
    assert best.rate == rate
    assert lane.tried == [*CANDIDATES, 9600]
    assert lane.spec.settings == LineSettings(9600, dtr=False)
    assert lane.taps == []
    assert lane.sent == ([ASK] * len(CANDIDATES) if ask else [])
    assert [row["rate"] for row in finder.results] == list(CANDIDATES)


class SeldomLane(MadeUpLane):
    """A device that speaks once in so many tries; nothing is heard of it between."""

    def __init__(self, rate: int, every: int) -> None:
        super().__init__(rate, StampClock(), True, LineSettings(9600))
        self._every = every

    def tap(self, listener: Callable[[Chunk], None]) -> Callable[[], None]:
        said, longer = self._said, len(self.tried) > len(CANDIDATES)
        if not longer and len(self.tried) % self._every != 1:
            self._said = b""
        try:
            return super().tap(listener)
        finally:
            self._said = said


@pytest.mark.parametrize("rate", [115200, 4800, 2400])
def test_one_that_speaks_seldom_is_given_more_time_where_it_was_not_heard(
    rate: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(rates, "SELDOM_NS", 50_000_000)
    lane = SeldomLane(rate, 5)
    finder = searched(lane, ask=False)
    best = finder.state.best
    assert best is not None and best.rate == rate
    assert len(lane.tried) > len(CANDIDATES) + 1 and lane.tried[-1] == 9600
    assert sorted(row["rate"] for row in finder.results) == sorted(CANDIDATES), "each rate stands once"


def test_a_rate_of_its_own_is_tried_first() -> None:
    lane = MadeUpLane(31250, StampClock(), True, LineSettings(31250))
    assert searched(lane, False).state.tried[0].fits
    assert lane.tried[0] == 31250


def test_a_search_that_is_given_up_goes_back_to_the_rate_of_before(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(rates, "LISTEN_NS", 10**12)
    lane = MadeUpLane(38400, StampClock(), False, LineSettings(9600))
    finder = BaudSearch(cast(LaneWorker, lane), lane.clock, False)
    operations = Operations()
    operations.begin(finder)
    assert finder.state.trying == 9600
    finder.stop()
    assert operations.wait_free("curlew", 20)
    assert finder.state.over
    assert lane.tried[-1] == 9600


def test_a_lane_that_is_not_open_is_not_judged(monkeypatch: pytest.MonkeyPatch) -> None:
    clock = StampClock()
    gone = MadeUpLane(9600, clock, False, LineSettings())
    gone.is_open = False
    with pytest.raises(Trouble, match="curlew is not open"):
        BaudSearch(cast(LaneWorker, gone), clock, False)
    # It goes while the third rate is listened to: what was tried stands, and nothing is said of the others.
    monkeypatch.setattr(rates, "LISTEN_NS", 10**6)
    pulled = MadeUpLane(115200, clock, False, LineSettings())
    real = pulled.change

    def change(settings: LineSettings) -> None:
        pulled.is_open = len(pulled.tried) < 2
        real(settings)

    pulled.change = change  # type: ignore[method-assign]
    state = searched(pulled, False).state
    assert state.problem == "curlew was lost: search again when it is back"
    assert [each.rate for each in state.tried] == list(CANDIDATES[:2])


def test_a_lane_that_is_gone_or_only_listens_is_told() -> None:
    clock = StampClock()
    deaf = MadeUpLane(9600, clock, False, LineSettings(listen_only=True))
    with pytest.raises(Trouble, match="only listens"):
        BaudSearch(cast(LaneWorker, deaf), clock, True)
    gone = MadeUpLane(9600, clock, False, LineSettings())

    def refuse(_: SendJob) -> None:
        raise Trouble("curlew is not open", "Line says why")

    gone.send = refuse  # type: ignore[method-assign]
    state = searched(gone, True).state
    assert state.problem == "curlew is not open. Line says why"
    assert state.best is None
