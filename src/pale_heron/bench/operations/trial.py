"""Runs a trial of a link on open lanes.

    emptying ──▶ measuring ──▶ draining ──▶ over
                  │     ▲
                  ▼     │       given up at any time: what was counted so far is kept
             waiting for a lane that is gone

It sends, and says in the record what it does; what is counted follows from the record (`core/link`), as on a replay.
"""

import math
import secrets
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import partial
from typing import Any, Final, Protocol

from pale_heron.bench.operations.block_sender import BlockSender
from pale_heron.bench.operations.command_client import CommandBench
from pale_heron.bench.operations.payload_sender import PayloadSender
from pale_heron.bench.operations.registry import Operation, OperationFailed, StopToken
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.framing import BULK, BULK_ENDED
from pale_heron.core.line.diagnosis.stages import LaneOpening
from pale_heron.core.line.settings import ENDINGS_OUT, LineSettings
from pale_heron.core.link.at_stake import at_stake
from pale_heron.core.link.description import EXCHANGE, LETTERS, SENTENCES, THROUGHPUT, TrialDescription
from pale_heron.core.link.tracker import BEGUN, ENDED
from pale_heron.core.link.trial import DONE, TrialSnapshot, block_of
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.probe import PROBE, Probe, encode
from pale_heron.core.wire.visible import safe_label
from pale_heron.ports.sender import SendJob

LOOK_S: Final = 0.02
QUIET_S: Final = 0.3
QUIET_WITHIN_S: Final = 3.0
"""So long the lanes are given to fall silent; one that never does (a receiver) is measured as it is."""

SLACK_S: Final = 0.2
SEEN_WITHIN_S: Final = 10.0
OPEN_WITHIN_S: Final = 5.0
GONE_WITHIN_S: Final = 2.0
"""What could not be sent because its lane went: so soon that is known."""

MOST_OF_THE_AIR: Final = 0.5
"""Of two ends that speak in turns neither may have more of it."""

TAKEN_WITHIN_S: Final = 30.0
JOB_LOOK_S: Final = 0.002
JOB_BYTES: Final = 1 << 16
JOB_S: Final = 0.25
"""What is handed over at a time: so many bytes, or what the line takes so long for."""

AWAY_AT_MOST_S: Final = 60.0
"""A lane that is gone is waited for so long, where the trial has an end of its own; else until somebody stops it."""

EMPTYING, MEASURING, DRAINING, OVER = "emptying", "measuring", "draining", "over"


class TrialBench(CommandBench, Protocol):
    """What a trial needs of a live bench."""

    @property
    def seen(self) -> BenchSnapshot: ...

    def look(self, *lanes: str) -> None: ...

    def jobs(self, lane: str) -> list[SendJob]: ...

    def note(self, lane: str, name: str, details: Mapping[str, Any]) -> None: ...

    def settings_of(self, lane: str) -> LineSettings: ...


class Trial(Operation):
    """`messages` are those of an exchange, one a round, again from the first where they end."""

    def __init__(
        self,
        bench: TrialBench,
        described: TrialDescription,
        messages: Iterable[str] = (),
        before: Mapping[str, int] | None = None,
        token: StopToken | None = None,
        *,
        anyway: bool = False,
    ) -> None:
        """It has its lanes for itself, but for one that only listens.

        `before` are the bytes of each lane that count as left over: all but those that came before. `anyway`: what is
        at stake was asked before, and accepted.
        """
        claimed = () if described.kind == SENTENCES else described.lanes
        super().__init__(f"a trial of the link ({described.kind})", claimed, token)
        self._bench = bench
        self.described = described._replace(trial=secrets.randbelow(0x10000))
        self._messages = tuple(messages)
        self._before = before
        self._anyway = anyway
        self.state = EMPTYING
        self._begun = False
        self._sent: dict[str, int] = {}
        """How many whole blocks went out on each lane."""
        self._modules: dict[str, PayloadSender] = {}
        """Lanes on which a probe goes through the module's own command."""

    @property
    def result(self) -> TrialSnapshot | None:
        """How it stands, as far as the record was gone through; a newer picture is asked for."""
        self._bench.look(*self.described.lanes)
        found = [each for each in self._bench.seen.trials if each.described.trial == self.described.trial]
        return found[-1] if found and self._begun else None

    def work(self) -> None:
        self._await_opening()
        if self.described.kind == SENTENCES:
            self._follow()
            return
        for lane in self.described.lanes:
            self._check(lane)
        for lane in self.described.through:
            self._modules[lane] = PayloadSender(self._bench, lane, lambda: self.token.stopped)
            self._modules[lane].prepare()
        self.described = self.described._replace(left_before=self._empty(), ceilings=self._ceilings())
        if not self._anyway:
            self._check_stake()
        self.state = MEASURING
        self._begin()
        if self.described.kind == EXCHANGE:
            self._ask()
            return
        if self.described.kind == THROUGHPUT:
            self._send_blocks()
        else:
            self._send_probes()
        self.state = DRAINING
        self._drain()

    def _await_opening(self) -> None:
        """Lanes that are being opened are waited for; one that is refused, or stays away, is no reason to wait on."""
        self.state = "waiting for its lanes to open"
        self._until(lambda: not self._gone(), OPEN_WITHIN_S)
        self.state = EMPTYING

    def _begin(self) -> None:
        """The record says what is being done."""
        if self.described.kind == THROUGHPUT:
            for lane in self.described.lanes:
                self._bench.note(lane, BULK, {"trial": self.described.trial})
        self._bench.note(self.described.lanes[0], BEGUN, self.described.details())
        self._begun = True

    def report(self, failure: str) -> None:
        """However it ends, the record says so, and what was counted stands."""
        if self._begun:
            self._bench.note(self.described.lanes[0], ENDED, {"trial": self.described.trial, "why": failure or DONE})
            if self.described.kind == THROUGHPUT:
                for lane in self.described.lanes:
                    self._bench.note(lane, BULK_ENDED, {"trial": self.described.trial})
            self._until(self._counted, SEEN_WITHIN_S + self.described.limit_s, stoppable=False)
        self.state = OVER

    def _counted(self) -> bool:
        found = self.result
        return found is not None and found.end is not None and not any(each.waiting for each in found.ranges)

    def _check(self, lane: str) -> None:
        if self._bench.settings_of(lane).listen_only:
            raise Trouble(f"{lane} only listens: nothing is sent", "Switch listen only off in the settings first")
        if self._bench.jobs(lane):
            raise Trouble(f"Something else is being sent on {lane}", "Stop it first: it would be in the measured part")

    def _check_stake(self) -> None:
        """Nothing goes to a module as it is that does more than count."""
        for lane in self.described.lanes:
            module = None if lane in self._modules else self._bench.module_of(lane)
            warning = at_stake(module, safe_label(lane), messages=self.described.kind == EXCHANGE)
            if warning:
                raise Trouble(warning, "Lead it to where it should be first, or say that it is meant: --anyway")

    def _ceilings(self) -> dict[str, float]:
        """Bytes a second that each lane carries at most; without those whose rate governs nothing."""
        # As the lanes were opened: only then is it known whether a rate governs them.
        opened = {lane.name: lane.settings for lane in self._bench.seen.lanes if lane.name in self.described.lanes}
        return {lane: each.bytes_per_s for lane, each in opened.items() if each and not each.decorative}

    def _bytes_in(self) -> dict[str, int]:
        self._bench.look(*self.described.lanes)
        return {lane.name: lane.line.bytes_in for lane in self._bench.seen.lanes if lane.name in self.described.lanes}

    def _empty(self) -> dict[str, int]:
        """Wait until nothing comes any more; how many bytes came until then."""
        before = self._bytes_in()
        first, quiet_since = dict(self._before if self._before is not None else before), time.monotonic()
        end = quiet_since + QUIET_WITHIN_S
        now = before
        while time.monotonic() < min(end, quiet_since + QUIET_S) or not now:
            self.token.rest(LOOK_S)
            now = self._bytes_in()
            if now != before:
                before, quiet_since = now, time.monotonic()
        return {lane: now.get(lane, 0) - first.get(lane, 0) for lane in self.described.lanes}

    # Sentences

    def _follow(self) -> None:
        """Nothing is sent: what comes is followed until it is stopped, or its time is over."""
        self.state = MEASURING
        self._begin()
        end = time.monotonic() + self.described.for_s if self.described.for_s else math.inf
        while time.monotonic() < end:
            self.token.rest(min(LOOK_S, max(0.0, end - time.monotonic())))

    # Probes

    def _send_probes(self) -> None:
        trial, begin = self.described, time.monotonic()
        both = len(self.described.lanes) == 2 and not trial.one_way
        senders = list(zip(LETTERS, self.described.lanes, strict=False))[: 1 + both]
        number = 0
        while not trial.probes or number < trial.probes:
            number += 1
            # Each at its own time: what one was late by does not make the next one late.
            self.token.rest(max(0.0, begin + (number - 1) * trial.every_s - time.monotonic()))
            gone = self._gone()
            if not gone:
                probes = [
                    (lane, encode(Probe(PROBE, trial.trial, letter, number), trial.size)) for letter, lane in senders
                ]
                gone = self._send_all(probes)
            if gone:
                begin += self._await(gone)

    def _send_all(self, probes: Sequence[tuple[str, bytes]]) -> str:
        """Send one from each end; gives a lane that went away over it, or nothing."""
        jobs, begin = [], time.monotonic()
        try:
            for index, (lane, probe) in enumerate(probes):
                if lane in self._modules:
                    # On the air one speaks at a time: they share the interval.
                    self.token.rest(max(0.0, begin + index * self.described.every_s / len(probes) - time.monotonic()))
                    self._pace(self._modules[lane].send(probe))
                else:
                    jobs.append(self._send(lane, probe))
            for job in jobs:
                self._finish(job)
        except (OperationFailed, Trouble):
            if self._until(lambda: bool(self._gone()), GONE_WITHIN_S):
                return self._gone()
            raise
        return ""

    def _pace(self, airtime_s: float | None) -> None:
        """Refuse what would fill the air: others need it too, and where it is limited by law a module falls silent."""
        if airtime_s is not None and airtime_s > MOST_OF_THE_AIR * max(self.described.every_s, airtime_s / 1000):
            least = airtime_s / MOST_OF_THE_AIR
            raise OperationFailed(
                f"a probe is {1000 * airtime_s:.0f} ms in the air: every {self.described.every_s:g} s is more than "
                f"{MOST_OF_THE_AIR:.0%} of the time; send one every {math.ceil(10 * least) / 10:g} s"
            )

    def _gone(self) -> str:
        """A lane of the trial that is not open; nothing where all are."""
        self._bench.look(*self.described.lanes)
        opened = {lane.name: lane.opening for lane in self._bench.seen.lanes}
        return next((lane for lane in self.described.lanes if opened.get(lane) is not LaneOpening.OPEN), "")

    def _await(self, lane: str) -> float:
        """Wait until all are back; how long that took. The record says when each went and returned."""
        begin, limit = time.monotonic(), AWAY_AT_MOST_S if self.described.probes else math.inf
        self.state = f"waiting for {lane} to return"
        while self._gone():
            if time.monotonic() - begin > limit:
                raise OperationFailed(f"{lane} was gone for {limit:g} s")
            self.token.rest(LOOK_S)
        self.state = MEASURING
        return time.monotonic() - begin

    # Blocks

    def _send_blocks(self) -> None:
        """As fast as the lines take them, a little ahead; until their time is over, or their number is reached."""
        trial = self.described
        end = time.monotonic() + trial.for_s if trial.for_s else math.inf
        both = len(self.described.lanes) == 2 and not trial.one_way
        # Of both ends the slower one: a network takes far more at once than the line behind it carries.
        carried = min((trial.ceilings.get(lane, math.inf) for lane in self.described.lanes), default=math.inf)
        at_once = max(1, int(min(JOB_BYTES, JOB_S * carried)) // trial.size)
        sending = [
            BlockSender(lane, partial(block_of, trial, letter), trial.probes or math.inf, at_once, carried)
            for letter, lane in list(zip(LETTERS, self.described.lanes, strict=False))[: 1 + both]
        ]
        taken, taken_at = 0, time.monotonic()
        try:
            while (now := time.monotonic()) < end and not all(each.done for each in sending):
                self.token.check()
                for each in sending:
                    each.clear()
                    while each.has_room:
                        self._bench.send(each.lane, each.next_job())
                if sum(each.taken for each in sending) > taken:
                    taken, taken_at = sum(each.taken for each in sending), now
                elif now - taken_at > TAKEN_WITHIN_S:
                    raise OperationFailed("the line takes nothing: look at its flow control")
                time.sleep(JOB_LOOK_S)
        finally:
            # What was handed over and did not go out yet is not sent any more.
            for each in sending:
                each.stop()
        self._until(lambda: all(each.over for each in sending), TAKEN_WITHIN_S)
        self._sent = {each.lane: each.taken // trial.size for each in sending}

    def _send(self, lane: str, data: bytes) -> SendJob:
        ending = self.described.ending or self._bench.settings_of(lane).ending_out
        job = SendJob(data + ENDINGS_OUT[ending], "a trial of the link")
        self._bench.send(lane, job)
        return job

    def _finish(self, job: SendJob) -> None:
        """Wait until it went out."""
        end = time.monotonic() + TAKEN_WITHIN_S
        while not job.over:
            if time.monotonic() > end:
                job.stop()
                raise OperationFailed("the line takes nothing: look at its flow control")
            self.token.rest(JOB_LOOK_S)
        if job.failure:
            raise OperationFailed(job.failure)

    def _drain(self) -> None:
        """Wait for what is under way, no longer than it may take after the last byte."""
        trial = self.described

        def settled() -> bool:
            found = self.result
            return found is not None and all(
                each.settled >= self._sent.get(each.sender, trial.probes) for each in found.directions
            )

        if trial.kind != THROUGHPUT:
            self._until(settled, trial.limit_s + SLACK_S)
            return
        before, quiet_since = self._bytes_in(), time.monotonic()
        while not settled() and time.monotonic() - quiet_since < trial.limit_s:
            self.token.rest(LOOK_S)
            now = self._bytes_in()
            if now != before:
                before, quiet_since = now, time.monotonic()

    # Exchanges

    def _ask(self) -> None:
        trial, number, due = self.described, 0, time.monotonic()
        messages = self._messages
        while not trial.probes or number < trial.probes:
            number += 1
            self.token.rest(max(0.0, due - time.monotonic()))
            due = time.monotonic() + trial.every_s
            message = messages[(number - 1) % len(messages)] if messages else trial.rule.message(number)
            self._finish(self._send(self.described.lanes[0], message.encode("utf-8")))
            self._until(partial(self._rounds_over, number), trial.limit_s + SEEN_WITHIN_S)

    def _rounds_over(self, number: int) -> bool:
        found = self.result
        return found is not None and found.exchange is not None and found.exchange.rounds >= number

    def _until(self, done: Callable[[], bool], seconds: float, *, stoppable: bool = True) -> bool:
        """Wait until that is so, at most so long; whether it is."""
        end = time.monotonic() + seconds
        while not done():
            if time.monotonic() >= end:
                return False
            if stoppable:
                self.token.check()
            time.sleep(LOOK_S)
        return True
