"""Two computers' clocks: what is said of them holds the truth, over generated pairs whose truth is known."""

import random
from collections.abc import Iterator
from typing import Final, NamedTuple

import pytest

from pale_heron.core.clock.events import HOST_CLOCK, PULSE, PULSE_SOURCE, host_details
from pale_heron.core.clock.host import HostClock
from pale_heron.core.frames import IN, NMEA, OK, SECOND, Event, Frame
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.proof.joining import HOSTS, MESSAGES, PULSES, SENTENCES, shift_of, ways_to_join
from pale_heron.core.proof.machine_clock import BEHIND_NS, MachineClock
from pale_heron.core.utc import clock, midnight

MS: Final = SECOND // 1000
BEGIN: Final = midnight("2031-05-04") + 9 * 3600 * SECOND
DATE: Final = "040531"
SECONDS: Final = 60
RATE: Final = 4800
BYTE_S: Final = 10 / RATE


class Machine(NamedTuple):
    """A computer, its receiver, and what it hears: all of it known."""

    ahead_s: float
    drift_ppm: float = 0.0
    line: str = "room"
    """room: quiet between rounds; full: never quiet, and late; slow: quiet, and late all the same."""
    lag_s: float = 0.2
    pulses: bool = False
    jitter_s: float = 2e-5
    host_s: float | None = None
    begins_s: float = 0.0

    def here(self, true_s: float) -> int:
        """What its clock shows at a true time after BEGIN."""
        return BEGIN + round((true_s + self.ahead_s + self.drift_ppm * 1e-6 * true_s) * SECOND)


def sentences(machine: Machine, chance: random.Random) -> Iterator[tuple[float, bytes, str]]:
    """True arrival, bytes and type of each; on a full line each comes when the one before has gone."""
    free = 0.0
    for second in range(SECONDS):
        told = BEGIN + second * SECOND
        of_day = clock(told, 2).replace(":", "")
        ready = second + machine.lag_s + chance.uniform(0, 0.02)
        for body in (
            f"GNRMC,{of_day},A,4607.1,S,06718.4,W,0.1,84.4,{DATE},,,A,V",
            f"GNGGA,{of_day},4607.1,S,06718.4,W,1,12,0.8,3.4,M,11.2,M,,",
            *(["GPTXT,01,01,02," + "x" * 60] * (6 if machine.line == "full" else 0)),
        ):
            data = sealed(body)
            at = max(ready, free)
            # A buffer of a few kilobytes: what is older is thrown away.
            if machine.line == "full" and at > ready + 3.0:
                continue
            free = at + len(data) * BYTE_S
            yield at, data, body[:5]


def known(machine: Machine, chance: random.Random) -> MachineClock:
    found = MachineClock()
    found.heed(Event(machine.here(0), "curlew", "opened", {"rate": RATE, "framing": "8N1"}))
    found.heed(Event(machine.here(0), "", PULSE_SOURCE, {"source": "sim:curlew", "resolution_ns": 0}))
    if machine.host_s is not None:
        details = host_details(HostClock(True, machine.host_s / 10, machine.host_s, 0.0), "UTC")
        found.heed(Event(machine.here(0), "", HOST_CLOCK, details))
    if machine.pulses:
        for second in range(int(machine.begins_s), SECONDS):
            if chance.random() > 0.05:
                late = abs(chance.gauss(0, machine.jitter_s)) + (0.3 if chance.random() < 0.01 else 0)
                found.heed(Event(machine.here(second + late), "", PULSE, {"source": "sim:curlew"}))
    for at, data, kind in sentences(machine, chance):
        found.feed(Frame("curlew", IN, machine.here(at), 0, data, NMEA, OK, "", kind))
    return found


def messages(
    one: Machine, other: Machine, chance: random.Random
) -> tuple[list[tuple[int, int]], list[tuple[int, int]]]:
    at = [chance.uniform(0, SECONDS) for _ in range(20)]
    there = [(one.here(each), other.here(each + 0.03 + chance.expovariate(20))) for each in at]
    back = [(other.here(each), one.here(each + 0.05 + chance.expovariate(20))) for each in at]
    return sorted(there), sorted(back)


def missed_by(one: Machine, other: Machine, seed: int, method: str = "") -> tuple[str, float, float]:
    """The method that is taken, the largest error of a moved time anywhere in the second record, and what was said."""
    chance = random.Random(seed)
    clocks = known(one, chance), known(other, chance)
    ways = ways_to_join(("hide", "boat"), clocks, *messages(one, other, chance))
    wanted = [each for each in ways.ways if each.method == method or (not method and each.method not in ways.doubted)]
    if not wanted:
        return "", 0.0, 0.0
    shift, unsure = shift_of(wanted[0], ways.drift, (other.here(0), other.here(SECONDS)))
    errors = [abs(shift.moved(other.here(at)) - one.here(at)) for at in range(0, SECONDS + 1, 5)]
    return wanted[0].method, max(errors) / SECOND, unsure / SECOND


def a_pair(chance: random.Random) -> tuple[Machine, Machine]:
    def machine() -> Machine:
        ahead, drift = chance.uniform(-5, 5), chance.uniform(-80, 80)
        synchronised = chance.random() < 0.4
        ahead, drift = (chance.uniform(-0.02, 0.02), chance.uniform(-5, 5)) if synchronised else (ahead, drift)
        return Machine(
            ahead,
            drift,
            line=chance.choice(("room", "room", "full")),
            lag_s=chance.uniform(0.05, 0.7),
            pulses=chance.random() < 0.6,
            jitter_s=chance.choice((1e-6, 2e-5, 1e-3)),
            host_s=abs(ahead) + 0.002 if synchronised else None,
            begins_s=chance.choice((0.0, 0.0, 30.0)),
        )

    return machine(), machine()


def test_what_is_said_holds_the_truth_for_every_way() -> None:
    """Four hundred pairs; each way of joining is held against the truth at every moment of the second record."""
    held: dict[str, list[bool]] = {}
    for seed in range(400):
        pair = a_pair(random.Random(seed))
        method, error, said = missed_by(*pair, seed)
        held.setdefault("taken", []).append(error <= said)
        if method != MESSAGES:
            held.setdefault(method, []).append(error <= said)
        if seed % 5 == 0:
            for each in (SENTENCES, PULSES, MESSAGES, HOSTS):
                found, error, said = missed_by(*pair, seed, each)
                held.setdefault(f"by {each}", []).extend([error <= said] if found else [])
    shares = {name: (sum(each), len(each)) for name, each in held.items() if each}
    assert {"taken", PULSES, *(f"by {each}" for each in (SENTENCES, PULSES, MESSAGES, HOSTS))} <= shares.keys()
    for name, (good, of) in shares.items():
        assert good >= 0.99 * of, (name, good, of)
    assert shares[PULSES][1] > 40, "pulses are taken where they can be"


def test_a_late_sentence_makes_no_whole_second_of_error() -> None:
    """4800 Bd and a full line: sentences come more than a second late, and would name the wrong second."""
    full = Machine(0.0, line="full", lag_s=0.9, pulses=True)
    other = Machine(2.5, pulses=True)
    for host_s in (None, 0.01):
        pair = full._replace(host_s=host_s), other._replace(ahead_s=0.004, host_s=host_s) if host_s else other
        method, error, said = missed_by(*pair, 1)
        assert error <= said, (host_s, method, error, said)
        assert (method == PULSES) is (host_s is not None), "the hosts name the second that the sentences cannot"
        assert not host_s or said < 0.001
    assert known(full, random.Random(1)).error_by_sentences() is not None
    bounds = known(full, random.Random(1)).error_by_sentences()
    assert bounds is not None and bounds.high - bounds.low >= BEHIND_NS, "how late it comes, nothing says"


def test_what_contradicts_is_told_and_not_taken() -> None:
    """A receiver that is slow with room to spare, beside a host that knows better."""
    slow = Machine(0.0, line="slow", lag_s=1.3, pulses=True, host_s=0.01)
    other = Machine(0.004, pulses=True, host_s=0.01)
    chance = random.Random(3)
    clocks = known(slow, chance), known(other, chance)
    ways = ways_to_join(("hide", "boat"), clocks, *messages(slow, other, chance))
    assert any(words.startswith("hide: by its receivers its clock is 0.3 s ahead") for _, words in ways.contradictions)
    assert {SENTENCES, HOSTS} <= ways.doubted and MESSAGES not in ways.doubted
    method, error, said = missed_by(slow, other, 3)
    assert method == MESSAGES and error <= said
    method, error, said = missed_by(slow, other, 3, HOSTS)
    assert method == HOSTS and error <= said


@pytest.mark.parametrize("jitter_s", [0.0, 1e-6])
def test_no_bound_is_nothing(jitter_s: float) -> None:
    pair = Machine(0.0, pulses=True, jitter_s=jitter_s), Machine(0.0, pulses=True, jitter_s=jitter_s)
    method, error, said = missed_by(*pair, 5)
    assert method == PULSES and 1e-6 <= said < 1e-4 and error <= said


def test_drift_is_taken_out_and_goes_on_where_no_pulse_came() -> None:
    """50 ppm in a minute is 3 ms; pulses that begin after half of it leave less than a tenth of that."""
    first, second = Machine(0.0, pulses=True), Machine(3.2, drift_ppm=50.0, pulses=True, begins_s=30.0)
    method, error, said = missed_by(first, second, 11)
    assert method == PULSES and error <= said < 3e-4
