"""Runs a trial of a link on open lanes.

    emptying ──▶ measuring ──▶ listening ──▶ over
                  │     ▲   stopped: it sends no more, and listens; stopped once more: over at once
                  ▼     │
             waiting for a lane that is gone

It sends, and says in the record what it does; what is counted follows from the record (`core/link`), as on a replay.
"""

import math
import secrets
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import partial
from typing import Final

from pale_heron.bench.operations.block_sender import BlockSender
from pale_heron.bench.operations.first_sign import await_line, await_probe
from pale_heron.bench.operations.payload_sender import PayloadSender
from pale_heron.bench.operations.registry import Operation, OperationFailed, StopToken
from pale_heron.bench.operations.trial_lanes import (
    JOB_LOOK_S,
    LOOK_S,
    TAKEN_WITHIN_S,
    TAKES_NOTHING,
    TrialBench,
    TrialLanes,
)
from pale_heron.core.figures import several
from pale_heron.core.framing import BULK, BULK_ENDED
from pale_heron.core.link.at_stake import at_stake
from pale_heron.core.link.description import EXCHANGE, FOLLOWED, LETTERS, THROUGHPUT, TrialDescription
from pale_heron.core.link.tracker import BEGUN, ENDED, SENT_OUT, SIGN
from pale_heron.core.link.trial import block_of
from pale_heron.core.link.trial_snapshot import COUNT, DONE, FAILED, INTERRUPTED, LANE_LOST, TIME, TrialSnapshot
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.probe import PROBE, Probe, encode
from pale_heron.core.wire.visible import safe_label
from pale_heron.ports.sender import SendJob

SLACK_S: Final = 0.2
SEEN_WITHIN_S: Final = 10.0
OPEN_WITHIN_S: Final = 5.0
GONE_WITHIN_S: Final = 2.0
"""What could not be sent because its lane went: so soon that is known."""

MOST_OF_THE_AIR: Final = 0.5
"""Of two ends that speak in turns neither may have more of it."""

JOB_BYTES: Final = 1 << 16
JOB_S: Final = 0.25
"""What is handed over at a time: so many bytes, or what the line takes so long for."""

SPACED_S: Final = 1.0
SPACED_ROUNDS: Final = (8, 12, 16)
AWAY_AT_MOST_S: Final = 60.0
"""A lane that is gone is waited for so long, where the trial has an end of its own; else until somebody stops it."""

EMPTYING, MEASURING, OVER = "emptying", "measuring", "over"


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
        claimed = () if described.kind in FOLLOWED else described.lanes
        super().__init__(f"a trial of the link ({described.kind})", claimed, token)
        self._bench = bench
        self._lanes = TrialLanes(bench, described.lanes, described.ending, self.token)
        self.described = described._replace(trial=secrets.randbelow(0x10000))
        self._messages = tuple(messages)
        self._before = before
        self._anyway = anyway
        self.state = EMPTYING
        self._begun = False
        self._sent: dict[str, int] = {}
        """How many whole blocks went out on each lane."""
        self._at_once = StopToken()
        """Stopped where somebody does not want to wait for what is under way either."""
        self._ended_by = FAILED
        self._listened = False
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
        if self.described.kind in FOLLOWED:
            self.state = MEASURING
            self._begin()
            self._send_and_listen(self._follow)
            return
        for lane in self.described.lanes:
            self._check(lane)
        for lane in self.described.through:
            self._modules[lane] = PayloadSender(self._bench, lane, lambda: self.token.stopped)
            self._modules[lane].prepare()
        if not self._anyway:
            self._check_stake()
        self.described = self.described._replace(
            left_before=self._lanes.empty(self._before), ceilings=self._lanes.ceilings()
        )
        self.state = MEASURING
        self._begin()
        self._await_far_end()
        send = {EXCHANGE: self._ask, THROUGHPUT: self._send_blocks}.get(self.described.kind, self._send_probes)
        self._send_and_listen(send)

    def stop(self) -> None:
        """Send no more, and listen for what is under way; asked once more, end at once."""
        if self.token.stopped:
            self._at_once.stop()
        self.token.stop()

    @property
    def listens_s(self) -> float:
        """So long it may go on after it was stopped."""
        return self.described.limit_s + SLACK_S if self._begun and not self._at_once.stopped else 0.0

    def _send_and_listen(self, send: Callable[[], None]) -> None:
        """However the sending ends, what is under way is listened for, and then it is said by what it ended."""
        try:
            send()
            self._ended_by = COUNT if self.described.probes else TIME
        except (OperationFailed, Trouble):
            self._ended_by = INTERRUPTED if self.token.stopped else LANE_LOST if self._lanes.gone() else FAILED
            raise
        finally:
            self._bench.note(self.described.lanes[0], SENT_OUT, {"trial": self.described.trial, "by": self._ended_by})
            self._listened = self._listen()

    def _await_opening(self) -> None:
        """Lanes that are being opened are waited for, a listening one until somebody connects."""
        self.state = "waiting for its lanes to open"
        if not self._lanes.until(lambda: not self._lanes.gone(), max(OPEN_WITHIN_S, self.described.wait_s)):
            raise OperationFailed(f"{self._lanes.gone()} is not open: nobody connected, or the port is not there")
        self.state = EMPTYING

    def _await_far_end(self) -> None:
        """Until its first sign, and no longer than asked for: then the trial shows that nobody is there."""
        described = self.described
        lane, within = described.lanes[0], described.wait_s
        if described.far == "lane" or described.through or not within:
            return
        self.state = f"waiting for the first sign of the far end, at most {within:g} s"

        def send(data: bytes) -> None:
            self._lanes.finish(self._lanes.send(lane, data))

        if described.kind == EXCHANGE:
            message = self._messages[0] if self._messages else described.rule.message(1)
            waited = await_line(self._bench, lane, message, send, within, described.limit_s, self.token)
        else:
            waited = await_probe(self._bench, lane, described.trial, send, within, self.token)
        # Its answers are none of the trial.
        self._lanes.empty()
        self._bench.note(lane, SIGN, {"trial": described.trial, "waited_s": waited})
        self.state = MEASURING

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
            why = {"why": failure or DONE, "by": self._ended_by, "listened": self._listened}
            self._bench.note(self.described.lanes[0], ENDED, {"trial": self.described.trial, **why})
            if self.described.kind == THROUGHPUT:
                for lane in self.described.lanes:
                    self._bench.note(lane, BULK_ENDED, {"trial": self.described.trial})
            self._lanes.until(self._counted, SEEN_WITHIN_S + self.described.limit_s, stoppable=False)
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

    # Sentences

    def _follow(self) -> None:
        """Nothing is sent: what comes is followed until it is stopped, or its time is over."""
        end = time.monotonic() + self.described.for_s if self.described.for_s else math.inf
        while time.monotonic() < end:
            self.token.rest(min(LOOK_S, max(0.0, end - time.monotonic())))

    # Probes

    def _send_probes(self) -> None:
        """Each end sends as many as are asked for; a number that could not go out is not used again."""
        trial, begin = self.described, time.monotonic()
        until = begin + trial.for_s if trial.for_s else math.inf
        both = len(self.described.lanes) == 2 and not trial.one_way
        left = dict.fromkeys(LETTERS[: 1 + both], trial.probes or math.inf)
        number, turn = 0, 0
        while any(left.values()):
            # Each at its own time: what one was late by does not make the next one late.
            due = begin + turn * trial.every_s
            if due >= until:
                return
            self.token.rest(max(0.0, due - time.monotonic()))
            number, turn = number + 1, turn + 1
            gone = self._lanes.gone()
            if not gone:
                probes = [
                    (letter, lane, encode(Probe(PROBE, trial.trial, letter, number), trial.size))
                    for letter, lane in zip(LETTERS, trial.lanes, strict=False)
                    if left.get(letter)
                ]
                gone, sent = self._send_all(probes)
                for letter in sent:
                    left[letter] -= 1
                    lane = trial.lanes[LETTERS.index(letter)]
                    self._sent[lane] = self._sent.get(lane, 0) + 1
            if gone:
                begin += self._await(gone)

    def _send_all(self, probes: Sequence[tuple[str, str, bytes]]) -> tuple[str, set[str]]:
        """Send one from each end; gives a lane that went away over it, or nothing, and who has sent."""
        jobs: list[tuple[str, SendJob]] = []
        sent: set[str] = set()
        begin = time.monotonic()
        try:
            for index, (letter, lane, probe) in enumerate(probes):
                if lane in self._modules:
                    # On the air one speaks at a time: they share the interval.
                    self.token.rest(max(0.0, begin + index * self.described.every_s / len(probes) - time.monotonic()))
                    self._pace(self._modules[lane].send(probe))
                    sent.add(letter)
                else:
                    jobs.append((letter, self._lanes.send(lane, probe)))
            for letter, job in jobs:
                self._lanes.finish(job)
                sent.add(letter)
        except (OperationFailed, Trouble):
            if self._lanes.until(lambda: bool(self._lanes.gone()), GONE_WITHIN_S):
                sent |= {letter for letter, job in jobs if job.over and not job.failure}
                return self._lanes.gone(), sent
            raise
        return "", sent

    def _pace(self, airtime_s: float | None) -> None:
        """Refuse what would fill the air: others need it too, and where it is limited by law a module falls silent."""
        if airtime_s is not None and airtime_s > MOST_OF_THE_AIR * max(self.described.every_s, airtime_s / 1000):
            least = airtime_s / MOST_OF_THE_AIR
            raise OperationFailed(
                f"a probe is {1000 * airtime_s:.0f} ms in the air: every {self.described.every_s:g} s is more than "
                f"{MOST_OF_THE_AIR:.0%} of the time; send one every {math.ceil(10 * least) / 10:g} s"
            )

    def _await(self, lane: str) -> float:
        """Wait until all are back; how long that took. The record says when each went and returned."""
        begin, limit = time.monotonic(), AWAY_AT_MOST_S if self.described.ends_by_itself else math.inf
        self.state = f"waiting for {lane} to return"
        while self._lanes.gone():
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
                    raise OperationFailed(TAKES_NOTHING)
                time.sleep(JOB_LOOK_S)
        finally:
            # What was handed over and did not go out yet is not sent any more.
            for each in sending:
                each.stop()
        self._lanes.until(lambda: all(each.over for each in sending), TAKEN_WITHIN_S)
        self._sent = {each.lane: each.taken // trial.size for each in sending}

    def _listen(self) -> bool:
        """Wait for what is under way, no longer than it may take; whether that was watched to its end."""
        described = self.described
        throughput = described.kind == THROUGHPUT
        before, quiet_since = self._lanes.bytes_in(), time.monotonic()
        end = quiet_since + described.limit_s + SLACK_S
        while not self._at_once.stopped:
            awaited = self._awaited()
            now = time.monotonic()
            if awaited == 0 or (now >= end if not throughput else now - quiet_since >= described.limit_s):
                return True
            left = max(0.0, (quiet_since + described.limit_s if throughput else end) - now)
            self.state = f"waiting {left:.0f} s for what is under way; once more ends at once"
            if throughput and awaited:
                self.state = f"waiting for {several(awaited, 'block')} that have not come yet; {self.state}"
            time.sleep(LOOK_S)
            # What a buffer on the way took at once comes for as long as it takes.
            bytes_in = self._lanes.bytes_in()
            if bytes_in != before:
                before, quiet_since = bytes_in, time.monotonic()
        return False

    def _awaited(self) -> int | None:
        """How many may still come; None where the record was not gone through so far."""
        found = self.result
        if found is None:
            return None
        if found.exchange is not None:
            return found.exchange.under_way
        # What went out last may not have been gone through yet.
        short = any(self._sent.get(each.sender, 0) > each.sent for each in found.directions)
        return None if short else sum(each.awaited for each in found.directions)

    # Exchanges

    def _ask(self) -> None:
        """One round after the other. Behind one without an answer it rests, so that a late answer shows as late."""
        trial, done, due = self.described, 0, time.monotonic()
        messages = self._messages
        while not trial.probes or done < trial.probes:
            # Some rounds behind a rest tell what the far end rests by itself from what the link takes.
            spaced = SPACED_S if done in SPACED_ROUNDS and trial.every_s < SPACED_S else 0.0
            self.token.rest(max(spaced, due - time.monotonic()))
            gone = self._lanes.gone()
            if not gone:
                due = time.monotonic() + trial.every_s
                message = messages[done % len(messages)] if messages else trial.rule.message(done + 1)
                gone, sent = self._send_all([(LETTERS[0], trial.lanes[0], message.encode("utf-8"))])
                # One that could not go out is no round, and is sent again.
                done += len(sent)
            if gone:
                self._await(gone)
                continue
            unanswered = self._unanswered()
            self._lanes.until(partial(self._rounds_over, done), trial.limit_s + SEEN_WITHIN_S)
            if self._unanswered() > unanswered:
                self.token.rest(trial.limit_s)

    def _unanswered(self) -> int:
        found = self.result
        return found.exchange.unanswered if found is not None and found.exchange is not None else 0

    def _rounds_over(self, number: int) -> bool:
        found = self.result
        exchange = found.exchange if found is not None else None
        return bool(self._lanes.gone()) or (exchange is not None and exchange.sent >= number and not exchange.under_way)
