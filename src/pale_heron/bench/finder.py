"""Tries one rate after the other on an open lane, listening; what comes is recorded like everything else."""

import threading
import time
from dataclasses import replace
from typing import NamedTuple

from pale_heron.core.line.rates import Judged, RateTrial, candidates, recommended
from pale_heron.core.trouble import Trouble
from pale_heron.ports.clock import StampClock
from pale_heron.ports.reader import Reader
from pale_heron.ports.sender import Sending

LOOK_S = 0.05
SETTLE_S = 0.3
"""The driver takes the new rate, and what came at the old one is out."""

ASK = b"AT\r"
"""What every module of ITU-T V.250 answers with a result code."""


class FinderState(NamedTuple):
    """How the search stands. `trying` is the rate being listened to; None when it is over."""

    rates: tuple[int, ...]
    tried: tuple[Judged, ...]
    trying: int | None
    best: Judged | None
    asking: bool
    problem: str

    @property
    def over(self) -> bool:
        return self.trying is None


class RateFinder:
    """One search on one lane, from `start` to its end or `stop`. With `ask` it sends AT at each rate.

    Afterwards the lane has the rate that it had before; nothing is decided here.
    """

    def __init__(self, reader: Reader, clock: StampClock, ask: bool) -> None:
        """Raises Trouble where something would be sent on a lane that only listens."""
        if ask and reader.spec.settings.listen_only:
            raise Trouble(f"{reader.name} only listens: nothing is sent", "Search by listening alone")
        self._reader = reader
        self._clock = clock
        self._ask = ask
        self._before = reader.spec.settings
        self._rates = candidates(self._before)
        self._tried: list[Judged] = []
        self._trying: int | None = self._rates[0]
        self._trial: RateTrial | None = None
        self._problem = ""
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name=f"rate finder {reader.name}", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        """End it early and go back to the rate of before."""
        self._stop.set()
        self._thread.join(2.0)

    @property
    def state(self) -> FinderState:
        """How it stands now; the rate under way is among what was tried."""
        trial, tried = self._trial, tuple(self._tried)
        now = (*tried, trial.judged()) if trial is not None and self._trying is not None else tried
        return FinderState(self._rates, now, self._trying, recommended(now), self._ask, self._problem)

    @property
    def results(self) -> list[dict[str, object]]:
        """What each rate gave, as an event carries it."""
        return [judged._asdict() for judged in self._tried]

    def _run(self) -> None:
        try:
            for rate in self._rates:
                if self._stop.is_set():
                    break
                self._trying = rate
                self._try(rate)
        except Trouble as trouble:
            self._problem = str(trouble)
        finally:
            self._reader.tap = None
            self._reader.change(self._before)
            self._trial, self._trying = None, None

    def _try(self, rate: int) -> None:
        self._reader.tap = None
        self._reader.change(replace(self._before, rate=rate))
        self._stop.wait(SETTLE_S)
        trial = self._trial = RateTrial(rate, self._clock.now())
        self._reader.tap = trial.feed
        if self._ask:
            self._reader.send(Sending(ASK))
        while not self._stop.is_set() and not trial.settled(self._clock.now()):
            time.sleep(LOOK_S)
        self._tried.append(trial.judged())
        self._trial = None
