"""All trials of a bench or a capture, each found again from what the record says of it.

What a trial is made of is loaded when the first one begins: most lanes never see one.
"""

from collections import deque
from collections.abc import Callable, Iterable
from functools import partial
from typing import TYPE_CHECKING, Final

from pale_heron.core.frames import Chunk, Event
from pale_heron.core.runs import Entry

if TYPE_CHECKING:
    from pale_heron.core.link.description import TrialDescription
    from pale_heron.core.link.fates import HearResult, ProbeResult
    from pale_heron.core.link.reach import Histories
    from pale_heron.core.link.sentence_trial import SentenceTrialTracker
    from pale_heron.core.link.trial import TrialTracker
    from pale_heron.core.link.trial_snapshot import TrialEnd, TrialSnapshot

SeeProbe = Callable[["TrialDescription", int, "ProbeResult"], None]
"""Called with a trial, when it began, and what became of one of its probes."""

BEGUN: Final = "trial"
SIGN: Final = "trial-first-sign"
SENT_OUT: Final = "trial-sent-out"
ENDED: Final = "trial-ended"
WIRED: Final = "trial-wiring"
"""The events of a capture."""

REPLACED: Final = "another one of the same number began"
CUT_OFF: Final = "the record ends here"

MOST_KEPT: Final = 500
MOST_AT_ONCE: Final = 64


class LinkTracker:
    """Takes events and chunks in the order of recording, and lines in theirs. It can be pickled.

    Probes are found in bytes, as they come; sentences are lines, whose places are known a moment later. A trial of
    sentences therefore begins and ends where its events stand among the lines.
    """

    def __init__(self, see: SeeProbe | None = None) -> None:
        """`see` is called with what became of each probe of each trial."""
        self._see = see
        self._running: dict[int, TrialTracker] = {}
        self._following: dict[int, SentenceTrialTracker] = {}
        self._coming = 0
        """Trials of sentences that began, and do not have their place among the lines yet."""
        self._over: deque[TrialSnapshot] = deque(maxlen=MOST_KEPT)
        self._ending: list[TrialTracker | SentenceTrialTracker] = []
        """Over, but not all that they sent has its place yet."""
        self.active = False
        """Whether a trial runs: without one no chunk is of interest."""

    def _seeing(self, described: "TrialDescription", begin: int) -> "HearResult | None":
        return None if self._see is None else partial(self._see, described, begin)

    @property
    def follows_lines(self) -> bool:
        """Whether lines are of interest: a trial of sentences is under way, or stands among those that come."""
        return bool(self._following) or self._coming > 0

    def heed(self, event: Event) -> None:
        """A trial begins or ends; other events mean nothing here."""
        if event.name == BEGUN:
            described = _described(event)
            if described is not None and _is_followed(described):
                self._coming += 1
            elif described is not None and len(self._running) < MOST_AT_ONCE:
                from pale_heron.core.link.trial import TrialTracker

                self._end(described.trial, event.time, _cut(REPLACED, "replaced"))
                self._running[described.trial] = TrialTracker(
                    described, event.time, self._seeing(described, event.time)
                )
        elif event.name == ENDED:
            trial = event.details.get("trial")
            if isinstance(trial, int):
                self._end(trial, event.time, _told(event))
        elif event.name == WIRED:
            self._wire(event)
        elif event.name == SENT_OUT:
            trial = event.details.get("trial")
            if isinstance(trial, int) and trial in self._running:
                self._running[trial].sent_out(event.time)
        elif event.name == SIGN:
            trial = event.details.get("trial")
            if isinstance(trial, int) and trial in self._running:
                self._running[trial].begin_counting(event)
        else:
            for running in self._running.values():
                running.heed(event)
        self.active = bool(self._running)

    def feed(self, chunk: Chunk) -> None:
        """Bytes of a lane."""
        for trial in self._running.values():
            trial.feed(chunk)

    def hear(self, entries: Iterable[Entry]) -> None:
        """Lines and events that have their places."""
        for entry in entries:
            if isinstance(entry, Event):
                self._heed_among_lines(entry)
                continue
            for following in self._following.values():
                following.hear(entry)

    def _heed_among_lines(self, event: Event) -> None:
        if event.name == BEGUN:
            described = _described(event)
            if described is None or not _is_followed(described):
                return
            self._coming -= 1
            if len(self._following) < MOST_AT_ONCE:
                from pale_heron.core.link.sentence_trial import SentenceTrialTracker

                self._end_following(described.trial, event.time, _cut(REPLACED, "replaced"))
                self._following[described.trial] = SentenceTrialTracker(
                    described, event.time, self._seeing(described, event.time)
                )
        elif event.name == ENDED:
            trial = event.details.get("trial")
            if isinstance(trial, int):
                self._end_following(trial, event.time, _told(event))
        elif event.name == SENT_OUT:
            trial = event.details.get("trial")
            if isinstance(trial, int) and trial in self._following:
                self._following[trial].sent_out(event.time)
        elif event.name == WIRED:
            # Once more: a trial of sentences may have begun since it was recorded.
            self._wire(event)
        else:
            for following in self._following.values():
                following.heed(event)

    def settled(self, floor: int) -> None:
        """Every line of before `floor` was given."""
        for following in self._following.values():
            following.advance(floor)

    def locate(self, now: int | None, histories: "Histories") -> None:
        """Look up where things were of which by `now` everything was said; where that is None, all."""
        for trial in (*self._all_running, *self._ending):
            for each in trial.ranges:
                each.locate(now, histories)
        over = [trial for trial in self._ending if not any(each.waits for each in trial.ranges)]
        for trial in over:
            self._ending.remove(trial)
            self._over.append(trial.snapshot())

    @property
    def locates(self) -> bool:
        """Whether anything has to be looked up."""
        return bool(self._ending) or any(trial.ranges for trial in self._all_running)

    @property
    def _all_running(self) -> "tuple[TrialTracker | SentenceTrialTracker, ...]":
        return (*self._running.values(), *self._following.values())

    def advance(self, now: int) -> None:
        """Time passes."""
        for trial in self._running.values():
            trial.advance(now)

    def finish(self, now: int) -> None:
        """The record ends: what still runs is over too."""
        for trial in list(self._running):
            self._end(trial, now, _cut(CUT_OFF, "record-ended"))
        for trial in list(self._following):
            self._end_following(trial, now, _cut(CUT_OFF, "record-ended"))
        self.active = False

    def snapshot(self) -> "tuple[TrialSnapshot, ...]":
        """All of them, the oldest first."""
        others = (trial.snapshot() for trial in (*self._ending, *self._all_running))
        return tuple(sorted((*self._over, *others), key=lambda each: each.begin))

    def _wire(self, event: Event) -> None:
        """How a trial was wired, as a person says during it or afterwards."""
        trial, wiring = event.details.get("trial"), str(event.details.get("wiring", ""))
        for tracker in (*self._ending, *self._all_running):
            if tracker.described.trial == trial:
                tracker.described = tracker.described._replace(wiring=wiring)
                return
        for index in reversed(range(len(self._over))):
            over = self._over[index]
            if over.described.trial == trial:
                self._over[index] = over._replace(described=over.described._replace(wiring=wiring))
                return

    def _end(self, trial: int, now: int, end: "TrialEnd") -> None:
        self._close(self._running.pop(trial, None), now, end)

    def _end_following(self, trial: int, now: int, end: "TrialEnd") -> None:
        self._close(self._following.pop(trial, None), now, end)

    def _close(self, tracker: "TrialTracker | SentenceTrialTracker | None", now: int, end: "TrialEnd") -> None:
        if tracker is None:
            return
        tracker.finish(now, end)
        if any(each.waits for each in tracker.ranges):
            self._ending.append(tracker)
        else:
            self._over.append(tracker.snapshot())


def _described(event: Event) -> "TrialDescription | None":
    from pale_heron.core.link.description import description_of

    return description_of(event.details)


def _is_followed(described: "TrialDescription") -> bool:
    from pale_heron.core.link.description import FOLLOWED

    # A stream is no lines: it is followed in its bytes.
    return described.kind in FOLLOWED and not described.stream


def _told(event: Event) -> "TrialEnd":
    from pale_heron.core.link.trial_snapshot import end_of

    return end_of(event.details)


def _cut(why: str, by: str) -> "TrialEnd":
    from pale_heron.core.link.trial_snapshot import TrialEnd

    return TrialEnd(why, by, listened=False)
