"""Operations on the simulated receiver, its time passing faster: told, verified by listening, and led back."""

import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import pytest
from tests.streams import BEGIN, chunk

from pale_heron.bench.config.dialects import known_dialects
from pale_heron.bench.operations import receiver
from pale_heron.bench.operations.acknowledged import AcknowledgedSettings
from pale_heron.bench.operations.receiver import (
    SteppedOperation,
    changing_rate,
    choosing_sentences,
    sending,
    storing,
)
from pale_heron.bench.operations.registry import Operations
from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.lane import Lane
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.trouble import Trouble
from pale_heron.ports.sender import SendJob
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.scenes import SCENES
from pale_heron.sim.wire import resampled

DIALECT = known_dialects()["curlew"]
STEP_S = 0.2


class FastBench:
    """A lane on a Curlew: each look at it lets an epoch pass. What it hears can be spoilt by `deaf` and `dead`."""

    def __init__(self, **settings: Any) -> None:
        self.curlew = Curlew(SCENES["at-rest"], 7)
        self.curlew.configure(every_ms=200)
        self.settings = LineSettings(9600, **settings)
        self.lane = Lane("curlew", self.settings)
        self.heard: list[Frame] = []
        self.ever: list[Frame] = []
        self.notes: list[tuple[str, Mapping[str, Any]]] = []
        self.rate = 9600
        self.opened = True
        self.dead_at: set[int] = set()
        """Line rates at which the device says nothing that can be read."""
        self.answers: Callable[[bytes], bytes] = lambda answer: answer
        self.obeys: Callable[[bytes, float], bytes] = self.curlew.obey
        self.seconds = 0.0

    def settings_of(self, lane: str) -> LineSettings:
        assert lane == "curlew"
        return self.settings

    def change(self, _lane: str, settings: LineSettings) -> None:
        self.settings = settings

    def is_open(self, _lane: str) -> bool:
        return self.opened

    def note(self, _lane: str, name: str, details: Mapping[str, Any]) -> None:
        self.notes.append((name, details))

    def send(self, _lane: str, job: SendJob) -> None:
        for line in job.data.splitlines():
            self._come(self.answers(self.obeys(line, self.seconds)))

    def listen(self, _lane: str) -> "FastBench":
        return self

    def leave(self, ear: "FastBench") -> None:
        assert ear is self

    def take(self) -> list[Frame]:
        self.seconds += STEP_S
        self._come(self.curlew.epoch(self.seconds))
        self.rate = self.curlew.setup.rate
        heard, self.heard = self.heard, []
        return heard

    def module_of(self, _lane: str) -> None:
        return None

    def recognising(self, _lane: str) -> bool:
        return False

    def wait_for_news(self, seconds: float) -> None:
        time.sleep(seconds)

    def _come(self, data: bytes) -> None:
        if self.rate in self.dead_at:
            return
        heard = resampled(data, self.rate, self.settings.rate)
        come = self.lane.feed(chunk(heard, BEGIN + int(self.seconds * SECOND)))
        self.heard += come
        self.ever += come


@pytest.fixture(autouse=True)
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    """The device's time passes twenty times as fast, and so do the waits."""
    monkeypatch.setattr(receiver, "LOOK_S", 0.005)
    monkeypatch.setattr(receiver, "SETTLE_S", 0.01)
    monkeypatch.setattr(receiver, "LEGIBLE_WITHIN_S", 0.4)
    monkeypatch.setattr(receiver, "BACK_WITHIN_S", 0.6)


@pytest.fixture
def bench() -> FastBench:
    return FastBench()


def done(
    bench: FastBench, work: Callable[[SteppedOperation], None], acknowledged: AcknowledgedSettings | None = None
) -> SteppedOperation:
    operation = SteppedOperation("try it", bench, "curlew", acknowledged or AcknowledgedSettings(), work)
    operation.run()
    return operation


def test_a_lane_that_is_lost_during_a_change_is_no_wrong_rate(bench: FastBench) -> None:
    real = bench.change

    def change(lane: str, settings: LineSettings) -> None:
        real(lane, settings)
        bench.opened, bench.dead_at = False, {38400, 9600}

    bench.change = change  # type: ignore[method-assign]
    told = done(bench, changing_rate(DIALECT, 38400))
    assert told.failure.startswith("curlew was lost meanwhile")
    assert bench.settings.rate == 38400 and "go back" not in words_of(told)


def test_what_is_not_stored_is_in_doubt_after_it_was_away(bench: FastBench) -> None:
    acknowledged = AcknowledgedSettings()
    done(bench, sending(DIALECT.actions["update-rate"], {"milliseconds": "500"}), acknowledged)
    acknowledged.was_away()
    assert acknowledged.words("update-rate") == "not stored; it was away since"
    done(bench, sending(DIALECT.actions["update-rate"], {"milliseconds": "200"}), acknowledged)
    assert acknowledged.words("update-rate") == "running, not stored"
    done(bench, sending(DIALECT.actions["store"], {}), acknowledged)
    acknowledged.was_away()
    assert acknowledged.words("update-rate") == "running, stored", "what is stored lasts"
    done(bench, sending(DIALECT.actions["update-rate"], {"milliseconds": "1000"}), acknowledged)
    acknowledged.restarted()
    assert acknowledged.running["update-rate"] == "200"


def words_of(operation: SteppedOperation) -> str:
    return "; ".join(f"{step.words}: {step.outcome} {step.seen}" for step in operation.steps)


def test_telling_waits_for_the_answer_and_keeps_a_record(bench: FastBench) -> None:
    acknowledged = AcknowledgedSettings()
    told = done(bench, sending(DIALECT.actions["update-rate"], {"milliseconds": "500"}), acknowledged)
    assert told.succeeded and "acknowledged after" in words_of(told)
    assert bench.curlew.setup.every_ms == 500
    assert acknowledged.words("update-rate") == "running, not stored"
    done(bench, sending(DIALECT.actions["store"], {}), acknowledged)
    assert acknowledged.words("update-rate") == "running, stored"
    assert [name for name, _ in bench.notes] == ["told", "told"]


def test_a_start_sets_the_stopwatch_before_it_is_sent(bench: FastBench) -> None:
    assert done(bench, sending(DIALECT.actions["start-cold"], {})).succeeded
    assert bench.notes[0] == ("start", {"mode": "cold"})


def test_a_refusal_and_silence_are_results(bench: FastBench) -> None:
    bench.answers = lambda _: b"$PCURLEW,REFUSED,no mood*00\r\n"
    refused = done(bench, sending(DIALECT.actions["start-hot"], {}))
    assert refused.succeeded is False and "it refuses: $PCURLEW,REFUSED,no mood" in words_of(refused)
    bench.answers = lambda _: b""
    silent = done(bench, sending(replace(DIALECT.actions["identify"], within_s=0.2), {}))
    assert silent.succeeded is False and "no answer within 0.2 s" in words_of(silent)


def test_nothing_is_told_on_a_lane_that_only_listens() -> None:
    with pytest.raises(Trouble, match="only listens"):
        SteppedOperation("try it", FastBench(listen_only=True), "curlew", AcknowledgedSettings(), lambda _: None)


def test_chosen_sentences_are_verified_by_listening(bench: FastBench) -> None:
    chosen = done(bench, choosing_sentences(DIALECT, {"GSV": 0, "GLL": 0, "GST": 2}, 5.0))
    assert chosen.succeeded, words_of(chosen)
    assert "verified" in words_of(chosen)
    heard = {frame.type[2:] for frame in bench.ever[-60:]}
    assert "GSV" not in heard and "GST" in heard


def test_a_sentence_that_still_comes_is_told() -> None:
    bench = FastBench()

    def obeys(line: bytes, at: float) -> bytes:
        answer = bench.curlew.obey(line, at)
        bench.curlew.obey(sealed("PCURLEW,SEND,GSV,1"), at)
        return answer

    bench.obeys = obeys
    operation = done(bench, choosing_sentences(DIALECT, {"GSV": 0}, 5.0))
    assert operation.succeeded is False
    assert "still coming: GSV" in words_of(operation)


class Stalling:
    """A clock of a machine that does something else for a while each time that this program has looked."""

    def __init__(self) -> None:
        self.stalls_s = 0.0
        self.sleep = time.sleep

    def monotonic(self) -> float:
        return time.monotonic() + self.stalls_s


@pytest.mark.parametrize(("stays", "verdict"), [(True, "still coming: GSV"), (False, "verified: the last unwanted")])
def test_a_busy_machine_makes_no_sentence_vanish(stays: bool, verdict: str, monkeypatch: pytest.MonkeyPatch) -> None:
    bench, clock = FastBench(), Stalling()
    monkeypatch.setattr(receiver, "time", clock)
    take = bench.take

    def late() -> list[Frame]:
        clock.stalls_s += 3.5
        return [frame for _ in range(18) for frame in take()]

    bench.take = late  # type: ignore[method-assign]
    if stays:
        bench.obeys = lambda _line, _at: sealed("PCURLEW,DONE,SEND,GSV,0")
    operation = done(bench, choosing_sentences(DIALECT, {"GSV": 0}, 5.0))
    assert verdict in words_of(operation)


def test_who_falls_silent_is_not_said_to_have_obeyed(bench: FastBench, monkeypatch: pytest.MonkeyPatch) -> None:
    clock = Stalling()
    monkeypatch.setattr(receiver, "time", clock)
    monkeypatch.setattr(bench.curlew, "epoch", lambda _: b"")
    take = bench.take

    def late() -> list[Frame]:
        clock.stalls_s += 1.0
        return take()

    bench.take = late  # type: ignore[method-assign]
    operation = done(bench, choosing_sentences(DIALECT, {"GSV": 0}, 5.0))
    assert "nothing at all comes any more" in words_of(operation)
    assert "verified" not in words_of(operation)


def test_a_rate_that_works_is_kept(bench: FastBench) -> None:
    changed = done(bench, changing_rate(DIALECT, 38400))
    assert changed.succeeded, words_of(changed)
    assert bench.settings.rate == bench.curlew.setup.rate == 38400


def test_a_rate_that_the_receiver_only_claims_to_take_leads_back(bench: FastBench) -> None:
    bench.obeys = lambda *_: b"$PCURLEW,DONE,LINE,38400*00\r\n"
    changed = done(bench, changing_rate(DIALECT, 38400))
    assert changed.succeeded is False
    assert "go back to 9600 baud: done valid sentences at 9600" in words_of(changed)
    assert bench.settings.rate == 9600


def test_a_receiver_that_dies_at_its_new_rate_is_told_with_the_way_out(bench: FastBench) -> None:
    bench.dead_at = {38400}
    changed = done(bench, changing_rate(DIALECT, 38400))
    assert changed.succeeded is False
    assert "nothing valid at 9600 either: r finds the rate" in words_of(changed)
    assert bench.settings.rate == 9600


def test_a_lost_answer_is_no_lost_receiver(bench: FastBench) -> None:
    action = replace(DIALECT.actions["line-rate"], within_s=0.2)
    dialect = replace(DIALECT, actions={**DIALECT.actions, "line-rate": action})
    bench.answers = lambda _: b""
    changed = done(bench, changing_rate(dialect, 38400))
    assert changed.succeeded, words_of(changed)
    assert "not legible at 9600 any more" in words_of(changed)
    bench.obeys = lambda *_: b""
    unheard = done(bench, changing_rate(dialect, 9600))
    assert unheard.succeeded is False
    assert "it goes on at 38400 baud" in words_of(unheard)


def test_what_was_stored_lasts_over_a_restart(bench: FastBench) -> None:
    done(bench, choosing_sentences(DIALECT, {"GSV": 0}, 5.0))
    done(bench, changing_rate(DIALECT, 38400))
    stored = done(bench, storing(DIALECT, (9600,)))
    assert stored.succeeded, words_of(stored)
    assert "it lasted" in words_of(stored)


def test_what_did_not_last_is_found_out_and_followed(bench: FastBench) -> None:
    acknowledged = AcknowledgedSettings()
    done(bench, changing_rate(DIALECT, 38400), acknowledged)

    def forgets(line: bytes, at: float) -> bytes:
        return b"$PCURLEW,DONE,STORE*00\r\n" if b"STORE" in line else bench.curlew.obey(line, at)

    bench.obeys = forgets
    stored = done(bench, storing(DIALECT, (9600,)), acknowledged)
    assert stored.succeeded is False
    assert "the rate did not last: it is back at 9600 baud" in words_of(stored)
    assert bench.settings.rate == 9600
    done(bench, choosing_sentences(DIALECT, {"GSV": 0}, 5.0), acknowledged)
    again = done(bench, storing(DIALECT, (9600,)), acknowledged)
    assert again.succeeded is False and "it did not last: back: GSV" in words_of(again)


def test_it_can_be_given_up(bench: FastBench) -> None:
    operation = SteppedOperation(
        "wait", bench, "curlew", AcknowledgedSettings(), lambda self: [None for _ in self.frames(60.0)] and None
    )
    operations = Operations()
    operations.begin(operation)
    operation.stop()
    assert operations.wait_free("curlew", 20)
    assert operation.succeeded is False and "given up" in words_of(operation)


def test_a_value_that_the_dialect_does_not_allow_is_told_and_nothing_is_sent(bench: FastBench) -> None:
    told = done(bench, choosing_sentences(DIALECT, {"GSV": 256}, 5.0))
    assert told.succeeded is False
    assert "interval = '256' is not 0 to 255 epochs" in words_of(told)
    assert bench.curlew.setup.intervals["GSV"] == 4
