"""A far end that counts: three trials in a row, restarts, doubles and broken ways, by our own counts and by firmware.

The firmware is the C code of docs/probe-format.md, compiled as it stands there.
"""

import random
import re
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Final

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.fates import COUNTED_BEFORE, RESTARTED
from pale_heron.core.link.judging import completeness
from pale_heron.core.link.tracker import BEGUN, ENDED, LinkTracker
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.link.verdict import verdict
from pale_heron.core.wire.probe import ANSWER, Probe, decode, encode, probe_of

MS: Final = SECOND // 1000
PAGE: Final = Path(__file__).parents[2] / "docs" / "probe-format.md"
MAIN: Final = """
void put(const char *text) { fputs(text, stdout); fputs("=\\n", stdout); fflush(stdout); }
void byte_came(char byte);
int main(void) {
    for (int byte; (byte = getchar()) != EOF;) {
        if (byte == '?') { fputs(".\\n", stdout); fflush(stdout); }
        else byte_came((char)byte);
    }
}
"""

STRICT: Final = ("-std=c99", "-Wall", "-Wextra", "-Werror")
FarEnd = Callable[[bytes], list[bytes]]
"""Given what arrives, the answers that it sends."""


class Counting:
    """A far end as the page describes it, and one that counts on from trial to trial, and its doubles as two."""

    def __init__(self, *, afresh: bool = True) -> None:
        self._afresh = afresh
        self._counted: tuple[int, str] | None = None
        self._got: set[int] = set()
        self._answers = self._damaged = self._count = 0

    def __call__(self, data: bytes) -> list[bytes]:
        probe = decode(data)
        if probe is None:
            self._damaged += 1
            return []
        if self._afresh and self._counted != (probe.trial, probe.sender):
            self._counted = probe.trial, probe.sender
            self._answers = self._damaged = 0
            self._got.clear()
        self._got.add(probe.number)
        self._count += 1
        self._answers += 1
        got = len(self._got) if self._afresh else self._count
        return [encode(Probe(ANSWER, probe.trial, probe.sender, probe.number, self._answers, got, self._damaged))]


@pytest.fixture(scope="module")
def firmware(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The documented code, compiled without a warning."""
    code = re.search(r"```c\n(.*?)```", PAGE.read_text("utf-8"), re.DOTALL)
    assert code is not None
    folder = tmp_path_factory.mktemp("firmware")
    (folder / "far.c").write_text(code[1] + MAIN)
    subprocess.run(["cc", *STRICT, "-o", "far", "far.c"], cwd=folder, check=True)
    assert code[1].count("\n") < 75
    return folder / "far"


class Running:
    """The program; a reset ends it and begins it again."""

    def __init__(self, program: Path) -> None:
        self._program = program
        self._process: subprocess.Popen[bytes] | None = None
        self.reset()

    def reset(self) -> None:
        self.end()
        self._process = subprocess.Popen([self._program], stdin=subprocess.PIPE, stdout=subprocess.PIPE)

    def end(self) -> None:
        if self._process is not None:
            self._process.communicate()

    def __call__(self, data: bytes) -> list[bytes]:
        process = self._process
        assert process is not None and process.stdin is not None and process.stdout is not None
        process.stdin.write(data + b"\r\n?")
        process.stdin.flush()
        found = []
        while (line := process.stdout.readline().strip()) != b".":
            if line != b"=":
                found.append(line)
        return found


@pytest.fixture
def running(firmware: Path) -> Iterator[Running]:
    far = Running(firmware)
    yield far
    far.end()


def play(
    far: FarEnd,
    trial: int,
    count: int = 100,
    lost_there: float = 0.0,
    lost_back: float = 0.0,
    twice_there: float = 0.0,
    reset_at: int = 0,
    reset: Callable[[], None] | None = None,
    seed: int = 1,
) -> tuple[TrialSnapshot, list[int], int]:
    """One trial; what of it got there, and how many answers came back."""
    chance, tracker, arrived, back = random.Random(seed), LinkTracker(), [], 0
    described = TrialDescription("delivery", trial, ("hide",), far="answer", probes=count, size=32, limit_s=1.0)
    tracker.heed(Event(0, "", BEGUN, described.details()))
    for number in range(1, count + 1):
        now, data = number * 100 * MS, probe_of(trial, "A", 32, number)
        if number == reset_at and reset is not None:
            reset()
        tracker.feed(Chunk("hide", OUT, now, data + b"\r\n"))
        if chance.random() >= lost_there:
            arrived.append(number)
            for _ in range(1 + (chance.random() < twice_there)):
                for answer in far(data):
                    if chance.random() >= lost_back:
                        back += 1
                        tracker.feed(Chunk("hide", IN, now + 20 * MS, answer + b"\r\n"))
    tracker.heed(Event((count + 11) * 100 * MS, "", ENDED, {"trial": trial, "by": "count", "listened": True}))
    (found,) = tracker.snapshot()
    return found, arrived, back


def test_firmware_counts_three_trials_in_a_row_with_a_reset_between(running: Running) -> None:
    for place, trial in enumerate((0x3F7A, 0x0001, 0x3F7B)):
        found, _, _ = play(running, trial)
        there, way_back = found.directions
        assert (there.delivered, there.lost, there.unknown, there.twice) == (100, 0, 0, 0)
        assert (way_back.sent, way_back.delivered) == (100, 100)
        assert verdict(found).result == "holds"
        found, arrived, back = play(running, trial + 100, lost_there=0.2, lost_back=0.1, twice_there=0.2, seed=place)
        check_bounds(found, arrived, back)
        assert verdict(found).result == "fails"
        if place == 1:
            running.reset()


def test_a_reset_in_the_middle_is_told_and_is_no_loss(running: Running) -> None:
    for far, reset in ((running, running.reset), (counting := Counting(), lambda: counting.__init__())):  # type: ignore[misc]
        found, _, _ = play(far, 7, reset_at=50, reset=reset)
        there, _ = found.directions
        assert there.lost == there.damaged == 0 and len(there.restarts) == 1
        # The first answer behind it only says from where it counts.
        assert dict(there.not_known) == {RESTARTED: 1} and there.delivered == 99
        said = verdict(found)
        assert said.result == "inconclusive" and not completeness(found).complete
        assert "began to count again at" in said.why and "far-restart" in [each.id for each in said.findings]


def test_a_far_end_that_never_begins_afresh_is_believed_from_its_first_answer_on() -> None:
    far = Counting(afresh=False)
    play(far, 1)
    for trial in (2, 3):
        found, arrived, _ = play(far, trial, lost_there=0.3, seed=trial)
        there, _ = found.directions
        behind = [number for number in arrived if number > arrived[0]]
        assert there.delivered == len(behind)
        assert there.lost == arrived[-1] - arrived[0] - len(behind)
        assert dict(there.not_known)[COUNTED_BEFORE] == arrived[0]


def check_bounds(found: TrialSnapshot, arrived: list[int], back: int, hidden: int = 0) -> None:
    """Up to the last answer everything is known of the way there; of what lies behind it nothing.

    A restart that no answer shows at once hides what was counted before it: at most so many look lost.
    """
    there, way_back = found.directions
    assert there.settled + there.unknown == there.sent
    assert there.delivered <= len(arrived) and there.delivered + there.unknown >= len(arrived) - hidden
    assert there.lost <= there.sent - len(arrived) + hidden
    assert way_back.delivered + way_back.twice <= back
    assert found.trip is not None and found.trip.delivered <= len(arrived)


@given(st.floats(0, 0.6), st.floats(0, 0.6), st.sampled_from([0.0, 0.3]), st.integers(0, 60), st.integers(0, 10**6))
def test_whatever_the_ways_do_nothing_is_claimed_that_is_not_so(
    there: float, back: float, twice: float, reset_at: int, seed: int
) -> None:
    far = Counting()
    found, arrived, came = play(
        far,
        7,
        60,
        there,
        back,
        twice,
        reset_at,
        lambda: far.__init__(),
        seed,  # type: ignore[misc]
    )
    # Where every answer comes back, a restart shows with the first one behind it.
    check_bounds(found, arrived, came, sum(number < reset_at for number in arrived) if back else 0)
    if verdict(found).result == "holds":
        assert len(arrived) == 60 and came >= 60


def test_doubles_on_the_way_there_are_told() -> None:
    found, _, _ = play(Counting(), 7, twice_there=0.5)
    there, way_back = found.directions
    assert there.delivered == 100 and 30 < there.twice < 70
    assert way_back.sent == 100 + there.twice and way_back.lost == 0
