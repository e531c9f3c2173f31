"""Tries one rate after the other on an open lane, listening; what comes is recorded like everything else."""

import time
from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

from pale_heron.bench.operations.registry import Operation, OperationFailed
from pale_heron.core.line.rates import BaudResult, BaudTrial, candidates, recommended
from pale_heron.core.trouble import Trouble
from pale_heron.ports.clock import StampClock
from pale_heron.ports.sender import SendJob
from pale_heron.ports.worker import LaneWorker

LOOK_S = 0.05
SETTLE_S = 0.3
SET_WITHIN_S = END_WITHIN_S = 2.0
"""The driver takes the new rate, and what came at the old one is out."""

ASK = b"AT\r"
"""What every module of ITU-T V.250 answers with a result code."""


class BaudSearchState(NamedTuple):
    """How the search stands. `trying` is the rate being listened to; None when it is over."""

    rates: tuple[int, ...]
    tried: tuple[BaudResult, ...]
    trying: int | None
    best: BaudResult | None
    asking: bool
    problem: str

    @property
    def over(self) -> bool:
        return self.trying is None


class BaudSearch(Operation):
    """One search on one lane. With `ask` it sends AT at each rate.

    Afterwards the lane has the rate that it had before; nothing is decided here.
    """

    def __init__(self, reader: LaneWorker, clock: StampClock, ask: bool) -> None:
        """Raises Trouble for a lane that is not open, and where something would be sent on one that only listens."""
        if not reader.is_open:
            raise Trouble(f"{reader.name} is not open", "Line says why; search again when the lane is there")
        if ask and reader.spec.settings.listen_only:
            raise Trouble(f"{reader.name} only listens: nothing is sent", "Search by listening alone")
        super().__init__("looking for the rate", (reader.name,))
        self._reader = reader
        self._clock = clock
        self._ask = ask
        self._before = reader.spec.settings
        self._rates = candidates(self._before)
        self._tried: list[BaudResult] = []
        self._trying: int | None = self._rates[0]
        self._trial: BaudTrial | None = None
        self._end_tap: Callable[[], None] = lambda: None

    @property
    def state(self) -> BaudSearchState:
        """How it stands now; the rate under way is among what was tried."""
        trial, tried = self._trial, tuple(self._tried)
        now = (*tried, trial.result()) if trial is not None and self._trying is not None else tried
        return BaudSearchState(self._rates, now, self._trying, recommended(now), self._ask, self.failure)

    @property
    def results(self) -> list[dict[str, object]]:
        """What each rate gave, as an event carries it."""
        return [result._asdict() for result in self._tried]

    def stop(self) -> None:
        """End it early; the line is set to go back to its rate of before when this returns."""
        super().stop()
        self.wait(END_WITHIN_S)

    def work(self) -> None:
        """Try one rate after the other; stopped early it leaves the lane as it was just the same."""
        try:
            for rate in self._rates:
                if self.token.stopped:
                    break
                self._trying = rate
                self._try(rate)
            self._listen_longer()
        finally:
            self._end_tap()
            self._reader.change(self._before)

    def report(self, _failure: str) -> None:
        """It is over."""
        self._trial, self._trying = None, None

    def _listen_longer(self) -> None:
        """Where something was heard and no rate fits: rates at which nothing came may just have been out of turn."""
        heard = any(each.bytes for each in self._tried)
        if recommended(tuple(self._tried)) is not None or not heard:
            return
        for rate in [each.rate for each in self._tried if not each.bytes]:
            if self.token.stopped:
                return
            self._trying = rate
            self._tried = [each for each in self._tried if each.rate != rate]
            self._try(rate, seldom=True)
            if self._tried[-1].fits:
                return

    def _try(self, rate: int, *, seldom: bool = False) -> None:
        self._end_tap()
        self._reader.change(replace(self._before, rate=rate))
        self._settle(rate)
        trial = self._trial = BaudTrial(rate, self._clock.now(), seldom=seldom)
        self._end_tap = self._reader.tap(trial.feed)
        if self._ask:
            self._reader.send(SendJob(ASK))
        while not self.token.stopped and not trial.settled(self._clock.now()):
            if not self._reader.is_open:
                raise OperationFailed(f"{self._reader.name} was lost: search again when it is back")
            time.sleep(LOOK_S)
        self._tried.append(trial.result())
        self._trial = None

    def _settle(self, rate: int) -> None:
        """Wait until the line is set, and what came at the rate before is out."""
        end = time.monotonic() + SET_WITHIN_S
        while self._reader.spec.settings.rate != rate and not self.token.stopped and time.monotonic() < end:
            time.sleep(LOOK_S)
        if not self.token.stopped:
            time.sleep(SETTLE_S)
