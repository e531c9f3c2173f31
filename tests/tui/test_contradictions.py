"""Nothing that one view says is denied by another, nor by itself: every trouble and every state, at many moments."""

import random
import re
from collections.abc import Callable, Iterator
from typing import Final

import pytest
from tests.painted import looked, opened, snapshot
from tests.streams import BEGIN

from pale_heron.answers.fix import fix_answer
from pale_heron.answers.line import line_answer
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.frames import IN, OUT, SECOND, Chunk
from pale_heron.core.lane import Lane
from pale_heron.core.line.settings import LineSettings
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.scenes import SCENES
from pale_heron.sim.troubles import TROUBLES
from pale_heron.sim.wire import resampled
from pale_heron.tui.painting import shell
from pale_heron.tui.painting.paint import plain
from pale_heron.tui.views.fix import fix
from pale_heron.tui.views.fix.choices import PAGES
from pale_heron.tui.views.line import line as line_view
from pale_heron.tui.views.traffic import traffic

RATE: Final = 9600
MOMENTS: Final = (1, 4, 11, 23, 40, 70)
"""Seconds after the lane was opened."""

COUNTED: Final = re.compile(
    r"(?<![\d.,:/ ] )(?<![\d.,:/])\b1 (?:lines|sentences|bytes|positions|epochs|satellites|probes|blocks|rounds|frames"
    r"|outages|starts|times|stalls|answers)\b"
)


class Told:
    """What all views say of a lane at one moment, in words."""

    def __init__(self, shown: BenchSnapshot) -> None:
        self.shown, self.lane = shown, shown.lanes[0]
        self.line = line_answer(shown, self.lane).text
        self.line_page = plain(line_view.paint(shown, self.lane, 114))
        self.fix = fix_answer(shown, self.lane, looked(shown).scatter).text
        self.fix_page = plain(fix.paint(shown, self.lane, looked(shown), 114, 60))
        pages = [plain(fix.paint(shown, self.lane, looked(shown, page), 114, 60)) for page in PAGES]
        self.traffic = plain(traffic.head(shown, traffic.HeadState(), 114))
        self.rail = plain(shell.rail(shown, 0, 30))
        self.all = "\n".join((self.line_page, *pages, self.traffic, self.rail))


def share_of(text: str) -> float | None:
    """The first share in a text, in percent."""
    match = re.search(r"(\d+(?:\.\d+)?) %", text)
    return float(match[1]) if match else None


def fact(told: Told, name: str) -> bool:
    found = told.lane.fix.value(name)
    return found is not None and found.value is not None


DENIED: Final[dict[str, Callable[[Told], bool]]] = {
    "not legible, yet nearly all bytes are": lambda told: (
        "are not legible" in told.line and (share_of(told.line) or 0.0) > 50
    ),
    "yes, of a few": lambda told: told.line.startswith("Yes") and (share_of(told.line) or 0.0) < 90,
    "no, of nearly all": lambda told: told.line.startswith("No: ") and (share_of(told.line) or 0.0) > 50,
    "nothing yet, and bytes": lambda told: told.line.startswith("Nothing yet") and told.lane.line.bytes_in > 0,
    "nothing is said, and lines come": lambda told: (
        "othing is being said" in told.traffic and told.lane.line.recent_lines > 0
    ),
    "no sentence, and what sentences say": lambda told: (
        "no sentence" in told.line and told.lane.fix.epochs > 0 and told.lane.fix.overdue_s is None
    ),
    "the chain waits for what it has": lambda told: (
        told.rail.rstrip().endswith("valid") and fact(told, "time") and told.lane.fix.overdue_s is None
    ),
    "it waits for the time that it has": lambda told: "Waiting for: time" in told.fix and fact(told, "time"),
    "it waits for the date that it has": lambda told: "Waiting for: date" in told.fix and fact(told, "date"),
    "a fix, and none": lambda told: " fix for " in told.fix and "No fix yet" in told.fix_page,
    "a fix of what is overdue": lambda told: " fix for " in told.fix and told.lane.fix.overdue_s is not None,
    "silent, and speaking": lambda told: (
        "silent for" in told.line
        and told.lane.line.last_byte is not None
        and told.shown.now - told.lane.line.last_byte < 3 * SECOND
    ),
    "a dead device that answers": lambda told: (
        told.lane.dialogue.answered > 0 and any(each.id in ("unpowered", "swapped") for each in told.lane.findings)
    ),
    "fuller than full": lambda told: (line_view.load_of(told.lane) or 0.0) > 1.05,
    "one of many": lambda told: bool(COUNTED.search(told.all)),
    "unknown, and known at once": lambda told: told.fix.startswith("Unknown:") and told.lane.fix.epochs_with_fix > 0,
    "a figure that is none": lambda told: bool(re.search(r"\b(?:nan|inf|None)\b(?! damaged)", told.all)),
    "a time before there were receivers": lambda told: "1970" in told.all,
}


def deny(told: Told, when: str) -> None:
    for name, is_so in DENIED.items():
        assert not is_so(told), f"{name}, {when}: {told.line!r}, {told.fix!r}, {lines_with(is_so, told)}"


def lines_with(is_so: Callable[[Told], bool], told: Told) -> list[str]:
    """The lines that make it so, where single lines do."""
    found = []
    for row in told.all.splitlines():
        one = object.__new__(Told)
        one.__dict__.update(vars(told), all=row)
        found += [row.strip()] if is_so(one) else []
    return found[:3]


def played(said: Callable[[float], bytes], rate: int, lane: Lane) -> Iterator[tuple[int, BenchSnapshot]]:
    """The lane at each of the moments, as what the device said until then left it."""
    done, waiting = 0.0, b""
    for moment in MOMENTS:
        while done < moment:
            done += 0.05
            now = BEGIN + round(done * SECOND)
            # A line carries no more than its rate: the rest waits in the device.
            room = round(0.05 * rate / 10)
            waiting += said(done)
            data, waiting = resampled(waiting[:room], rate, RATE), waiting[room:]
            if data:
                lane.feed(Chunk(lane.name, IN, now, data))
            lane.tick(now)
        yield moment, snapshot(lane, now=BEGIN + moment * SECOND)


@pytest.mark.parametrize("name", TROUBLES)
def test_no_trouble_makes_the_views_deny_each_other(name: str) -> None:
    play = TROUBLES[name]
    actor = play.make(7)
    lane = opened(Lane("device", LineSettings(RATE), address="/dev/x"))
    chance = random.Random(name)

    def said(at: float) -> bytes:
        heard = b""
        if chance.random() < 0.01:
            lane.feed(Chunk(lane.name, OUT, BEGIN + round(at * SECOND), b"AT\r\n"))
            heard = actor.hear(b"AT\r\n", at)
        return heard + actor.say(at)

    for moment, shown in played(said, getattr(play, "rate", None) or RATE, lane):
        deny(Told(shown), f"{name} after {moment} s")


@pytest.mark.parametrize("name", SCENES)
@pytest.mark.parametrize("falls_silent", [False, True])
@pytest.mark.parametrize("checksums", [False, True])
def test_no_receiver_makes_the_views_deny_each_other(name: str, falls_silent: bool, checksums: bool) -> None:
    curlew = Curlew(SCENES[name], 7, BEGIN)
    lane = opened(Lane("curlew", LineSettings(RATE)))
    epochs = iter(range(10_000))
    due = next(epochs)

    def said(at: float) -> bytes:
        nonlocal due
        if at < due or (falls_silent and at > 23):
            return b""
        due = next(epochs)
        epoch = curlew.epoch(float(due - 1))
        return epoch if checksums else re.sub(rb"\*[0-9A-F]{2}", b"", epoch)

    for moment, shown in played(said, RATE, lane):
        deny(Told(shown), f"{name} after {moment} s")
