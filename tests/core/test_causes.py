"""What garbage, answers, echoes and banners give away; and how evidence moves causes up and down."""

import random
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.painted import snapshot
from tests.streams import BEGIN, GGA, RTCM, chunk, gga, said, sentences

from pale_heron.answers.line import line_answer
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event
from pale_heron.core.lane import Lane, LaneSnapshot
from pale_heron.core.line.diagnosis.causes import CAUSES
from pale_heron.core.line.diagnosis.stages import StageStatus
from pale_heron.core.line.dialogue_stats import DialogueStats
from pale_heron.core.line.rates import BaudResult, BaudTrial, candidates, follows_rate, likeness, recommended
from pale_heron.core.line.settings import LineSettings, settings_details
from pale_heron.core.wire.framer import Framer
from pale_heron.sim.scenes import SCENES
from pale_heron.sim.wire import resampled

EPOCHS = said(14, SCENES["open-sky"])
LOG = b"".join(b"[%7.3f] gate %d closed, level %d\r\nOK\r\n" % (at / 7, at % 3, at * 37 % 100) for at in range(60))
RATES = (1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200)


def tried(data: bytes, device: int, ours: int) -> BaudResult:
    """What a trial at our rate makes of a device's bytes, two bursts a second apart."""
    trial = BaudTrial(ours, BEGIN)
    half = len(data) // 2
    for at, piece in enumerate((data[:half], data[half:])):
        trial.feed(chunk(resampled(piece, device, ours), BEGIN + (at + 1) * SECOND))
    assert trial.settled(BEGIN + 3 * SECOND)
    return trial.result()


@pytest.mark.parametrize("data", [b"".join(EPOCHS[10:12]), LOG, RTCM * 20], ids=["sentences", "log", "messages"])
@pytest.mark.parametrize("device", RATES)
def test_only_the_rate_of_the_device_fits(data: bytes, device: int) -> None:
    judged = [tried(data, device, ours) for ours in RATES]
    assert [each.rate for each in judged if each.fits] == [device]
    best = recommended(judged)
    assert best is not None
    assert best.rate == device
    assert recommended([each for each in judged if each.rate != device]) is None


def test_a_device_that_finds_the_rate_itself_keeps_the_present_one() -> None:
    heard = [tried(LOG, rate, rate)._replace(lines=3 + at) for at, rate in enumerate(RATES)]
    assert follows_rate(heard)
    assert recommended(heard) == heard[0]
    assert recommended([tried(LOG, 9600, 1200), *heard]) == heard[-1], "the present rate was out of its range"
    # Two may be chance, and neighbours both be near enough.
    assert not follows_rate(heard[:2])
    assert not follows_rate([heard[0], *(heard[0]._replace(rate=heard[0].rate + off) for off in (1, 2))])


PROMPT = b"hatch 3 shut, level 12.7 m; hatch 4 open, level 9.1 m; wind from the west at 7 kn. "


@pytest.mark.parametrize("device", RATES)
@pytest.mark.parametrize(("data", "words"), [(PROMPT, "text, no ends"), (PROMPT + b"\r\n", "1 line")])
def test_a_device_that_ends_no_line_or_speaks_seldom_is_found_too(data: bytes, words: str, device: int) -> None:
    judged = []
    for ours in RATES:
        trial = BaudTrial(ours, BEGIN)
        trial.feed(chunk(resampled(data, device, ours), BEGIN + SECOND))
        judged.append(trial.result())
    assert [each.rate for each in judged if each.fits] == [device]
    best = recommended(judged)
    assert best is not None and best.words == words and best.sample.startswith("hatch 3 shut")


@given(st.binary(min_size=1, max_size=400), st.lists(st.integers(0, 400)))
def test_a_judgement_does_not_depend_on_how_the_bytes_are_cut(data: bytes, cuts: list[int]) -> None:
    whole, cut = BaudTrial(9600, BEGIN), BaudTrial(9600, BEGIN)
    whole.feed(chunk(data, BEGIN + 1))
    edges = sorted({0, len(data), *(at for at in cuts if at < len(data))})
    for begin, end in pairwise(edges):
        cut.feed(chunk(data[begin:end], BEGIN + 1))
    assert cut.result() == whole.result()


def test_after_a_change_of_rate_the_load_is_that_of_the_new_one() -> None:
    lane = Lane("curlew", LineSettings(9600))
    for second in range(30):
        lane.feed(chunk(b"x" * 900, BEGIN + second * SECOND))
    lane.event(Event(BEGIN + 30 * SECOND, "curlew", "settings", settings_details(LineSettings(4800))))
    for second in range(31, 36):
        lane.feed(chunk(b"x" * 160, BEGIN + second * SECOND))
    found = lane.snapshot(BEGIN + 36 * SECOND)
    assert max(found.line.activity) == 160, "what came at the other rate fills no line of this one"
    assert found.line.bytes_in == 30 * 900 + 5 * 160


def test_where_the_rate_governs_nothing_no_rate_is_blamed() -> None:
    lane = Lane("bridge", LineSettings(9600, decorative=True), address="socket://127.0.0.1:7000")
    lane.event(Event(BEGIN, "bridge", "opened", settings_details(LineSettings(9600, decorative=True))))
    for second in range(20):
        lane.feed(chunk(random.Random(second).randbytes(200), BEGIN + second * SECOND))
    found = lane.snapshot(BEGIN + 20 * SECOND)
    assert [each.id for each in found.findings][:1] == ["illegible-beyond"]
    assert not {"rate-mismatch", "no-rate"} & {each.id for each in found.findings}
    assert "(r)" not in found.findings[0].next


def test_some_bytes_are_no_proof() -> None:
    chance = random.Random(5)
    assert not tried(chance.randbytes(2000), 9600, 9600).fits
    assert not tried(b"\x00" * 500, 9600, 9600).fits
    assert not tried(b"ab" * 30, 9600, 9600).fits, "no line has ended"
    assert tried(b"AT\r\r\nOK\r\n", 9600, 9600).fits
    assert recommended([]) is None
    assert candidates(LineSettings(31250))[:2] == (31250, 9600)


@pytest.mark.parametrize("data", [b"".join(EPOCHS[10:]), LOG], ids=["sentences", "log"])
@pytest.mark.parametrize("device", RATES)
@pytest.mark.parametrize("ours", RATES)
def test_garbage_tells_slower_devices_and_other_rates_from_noise(data: bytes, device: int, ours: int) -> None:
    garbage = resampled(data, device, ours)
    found = likeness(garbage)
    if device != ours and len(garbage) >= 512:
        assert found is not None
        assert found.kind == ("slower" if 2 * device <= ours else "another")
        if device * 2 == ours:
            assert found.times == 2


def test_noise_is_like_nothing_and_little_of_it_tells_nothing() -> None:
    for seed in range(20):
        noise = random.Random(seed).randbytes(512)
        found = likeness(noise)
        assert found is not None
        assert found.kind == "nothing"
    assert likeness(b"\x80" * 100) is None


class Spoken:
    """A lane's talk, told line by line with its time in seconds."""

    def __init__(self) -> None:
        self.lane = Lane("module")
        self.lane.event(Event(BEGIN, "module", "opened", settings_details(LineSettings())))
        self.now = BEGIN

    def says(self, at: float, text: bytes) -> None:
        self.now = BEGIN + int(at * SECOND)
        self.lane.feed(chunk(text, self.now, "module"))

    def sends(self, at: float, text: bytes) -> None:
        self.now = BEGIN + int(at * SECOND)
        self.lane.feed(chunk(text, self.now, "module", OUT))

    @property
    def shot(self) -> LaneSnapshot:
        return self.lane.snapshot(self.now + 3 * SECOND)


def test_answers_are_paired_echoes_and_notices_told_apart() -> None:
    spoken = Spoken()
    for at in range(3):
        spoken.says(at, b"+TIDE: %d\r\n" % at)
    for at in range(4):
        spoken.sends(10 + 3 * at, b"AT\r\n")
        spoken.says(10.05 + 3 * at, b"AT\r\n")
        spoken.says(10.06 + 3 * at, b"+TIDE: 9\r\n")
        spoken.says(10.2 + 3 * at, b"OK\r\n")
    dialogue = spoken.shot.dialogue
    assert (dialogue.sent, dialogue.answered, dialogue.echoed, dialogue.unanswered) == (4, 4, 4, 0)
    assert dialogue.delays_s == pytest.approx((0.2,) * 4)
    assert [step.step for step in spoken.shot.steps][-1] == "answering"
    assert spoken.shot.steps[-1].state == "reached"
    assert spoken.shot.findings == ()


def test_a_banner_that_was_asked_for_is_no_restart() -> None:
    spoken = Spoken()
    spoken.says(0, b"node 7: boot\r\n")
    spoken.sends(10, b"RESTART\r\n")
    spoken.says(11, b"node 7: boot\r\n")
    assert spoken.shot.dialogue.restarts == ()
    spoken.says(30, b"node 7: boot\r\n")
    assert len(spoken.shot.dialogue.restarts) == 1
    assert spoken.shot.findings[0].id == "restarts"


@pytest.mark.parametrize("between", [("lost", "returned"), ("client-gone", "client")])
def test_a_greeting_behind_a_connection_is_no_restart(between: tuple[str, str]) -> None:
    """A server greets whoever connects, a device greets when its plug is put in again; neither starts by itself."""
    spoken = Spoken()
    for at in range(0, 50, 10):
        spoken.says(at, b"node 7: boot\r\n")
        spoken.says(at + 0.1, b"tide 4\r\n")
        for name in between:
            spoken.lane.event(Event(BEGIN + (at + 5) * SECOND, "module", name, {"from": "192.0.2.7:4000"}))
    assert spoken.shot.dialogue.restarts == ()
    spoken.says(60, b"node 7: boot\r\n")
    spoken.says(600, b"node 7: boot\r\n")
    assert len(spoken.shot.dialogue.restarts) == 1, "the second one that nothing has led to"


def test_many_bytes_are_not_too_few_to_say() -> None:
    spoken = Spoken()
    for at in range(40):
        spoken.says(at, b"legible it is\r\n" * 6 + bytes(range(128, 148)))
        spoken.says(at + 0.6, b"")
    shown = snapshot(spoken.lane, now=spoken.now + SECOND)
    words = line_answer(shown, shown.lanes[0]).text
    assert "Too few" not in words and "Legible in part: " in words, words


def test_talk_stays_small_whatever_a_device_says() -> None:
    dialogue, framer, chance = DialogueStats(), Framer("x", OUT), random.Random(2)
    for at in range(3000):
        direction_out = framer.feed(chunk(b"boot %d:%d\r\n" % (chance.randrange(10**6), at), at * SECOND, "x", OUT))
        for frame in direction_out:
            dialogue.feed(frame if at % 2 else frame._replace(direction=chunk(b"").direction))
    assert max(len(value) for value in vars(dialogue).values() if hasattr(value, "__len__")) <= 60


def test_what_came_at_another_rate_says_nothing_of_this_one() -> None:
    lane = Lane("curlew")
    lane.event(Event(BEGIN, "curlew", "opened", settings_details(LineSettings(9600))))
    for second in range(6):
        lane.feed(chunk(resampled(EPOCHS[second + 5], 38400, 9600), BEGIN + second * SECOND))
    assert lane.snapshot(BEGIN + 6 * SECOND).findings[0].id == "rate-mismatch"
    lane.event(Event(BEGIN + 7 * SECOND, "curlew", "settings", settings_details(LineSettings(38400))))
    for second in range(8, 12):
        lane.feed(chunk(sentences(gga(second)), BEGIN + second * SECOND))
    shot = lane.snapshot(BEGIN + 12 * SECOND)
    assert shot.findings == ()
    assert shot.line.recent_readable_share == 1.0
    assert shot.line.bytes_in > 4 * len(GGA), "the totals stay"


def test_a_device_that_changes_its_rate_is_noticed_within_seconds() -> None:
    lane = Lane("curlew")
    lane.event(Event(BEGIN, "curlew", "opened", settings_details(LineSettings(9600))))
    for second in range(40):
        said = EPOCHS[second % 14] if second < 30 else resampled(EPOCHS[second % 14], 38400, 9600)
        lane.feed(chunk(said, BEGIN + second * SECOND))
        shot = lane.snapshot(BEGIN + second * SECOND)
        if second == 29:
            assert "rate-mismatch" not in [finding.id for finding in shot.findings]
    assert shot.findings[0].id == "rate-mismatch"
    assert shot.steps[2].state == "broken"
    lane.feed(chunk(GGA, BEGIN + 41 * SECOND))
    assert lane.snapshot(BEGIN + 41 * SECOND).steps[2].state == "reached"


def weights(lane: Lane, now: int) -> dict[str, float]:
    return {finding.id: finding.weight for finding in lane.snapshot(now).findings}


def test_evidence_moves_causes() -> None:
    def silent(settings: LineSettings, *events: Event) -> dict[str, float]:
        lane = Lane("x")
        lane.event(Event(BEGIN, "x", "opened", settings_details(settings)))
        for event in events:
            lane.event(event)
        return weights(lane, BEGIN + 10 * SECOND)

    usual = silent(LineSettings())
    assert max(usual, key=lambda name: usual[name]) == "asked-only"
    quiet = silent(LineSettings(listen_only=True))
    assert "asked-only" not in quiet and max(quiet, key=lambda name: quiet[name]) == "unpowered"
    one_off = silent(LineSettings(dtr=False))
    assert max(one_off, key=lambda name: one_off[name]) == "held-in-reset"
    moving = silent(LineSettings(), Event(BEGIN, "x", "driver-errors", {"framing": 9, "breaks": 3}))
    assert max(moving, key=lambda name: moving[name]) == "no-ground"
    assert moving["unpowered"] < usual["unpowered"]


def test_rates_that_were_tried_decide_between_a_wrong_rate_and_none() -> None:
    def after(rows: list[dict[str, object]]) -> str:
        lane = Lane("x")
        lane.event(Event(BEGIN, "x", "opened", settings_details(LineSettings())))
        for second in range(5):
            lane.feed(chunk(bytes(range(128, 256)) * 2, BEGIN + second * SECOND, "x"))
        lane.event(Event(BEGIN + 5 * SECOND, "x", "rates-tried", {"rates": rows}))
        return lane.snapshot(BEGIN + 5 * SECOND).findings[0].id

    none = BaudResult(9600, 500, 0, 0, 0, 0.0, "", False)
    assert after([none._asdict()]) == "no-rate"
    assert after([none._asdict(), none._replace(rate=38400, valid=3, fits=True)._asdict()]) == "rate-mismatch"
    assert after([{"rate": "x"}, {}, {"rate": [], "bytes": None}]) == "rate-mismatch", "a capture may hold anything"


def test_overruns_dropped_by_the_driver_are_a_finding_of_their_own() -> None:
    lane = Lane("x")
    lane.event(Event(BEGIN, "x", "opened", settings_details(LineSettings())))
    lane.feed(chunk(sentences("GPTXT,1,1,02,x") * 3, BEGIN, "x"))
    lane.event(Event(BEGIN, "x", "driver-errors", {"overrun": 4, "buffer": 12}))
    finding = lane.snapshot(BEGIN + SECOND).findings[0]
    assert (finding.id, finding.evidence) == ("overrun", "4 overruns, 12 bytes lost in the buffer")


def test_every_cause_is_whole() -> None:
    assert len({cause.id for cause in CAUSES}) == len(CAUSES) >= 20
    for cause in CAUSES:
        assert 0 < cause.base <= 1
        assert cause.signs
        for words in (cause.text, cause.next):
            assert not isinstance(words, str) or words.endswith(".")


def spoken(*lines: tuple[float, str, bytes]) -> LaneSnapshot:
    """A lane on which these went out (>) and came (<), looked at a minute after the first one."""
    lane = Lane("board", LineSettings(9600), address="/dev/x")
    lane.event(Event(BEGIN, "board", "opened", settings_details(LineSettings(9600))))
    for at, way, data in lines:
        lane.feed(Chunk("board", OUT if way == ">" else IN, BEGIN + round(at * SECOND), data))
    lane.tick(BEGIN + 60 * SECOND)
    return lane.snapshot(BEGIN + 60 * SECOND)


ASKED = ((1.0, ">", b"41\r\n"), (1.1, "<", b"141\r\n"), (2.0, ">", b"42\r\n"), (2.1, "<", b"142\r\n"))
LOGS = tuple((1.0 + at, "<", b"gate %d open\r\n" % at) for at in range(9))


@pytest.mark.parametrize(
    ("lines", "quiet"),
    [
        (ASKED, True),
        (tuple((at, way, b"AT\r\n") for at, way in ((1.0, ">"), (1.1, "<"), (2.0, ">"), (2.1, "<"))), True),
        (((0.5, "<", b"marsh-7 login: "),), True),
        ((*LOGS, (12.0, "<", b"marsh-7 login: ")), True),
        (LOGS, False),
        ((*LOGS, *((9 + at, way, data) for at, way, data in ASKED)), False),
        ((*ASKED, (4.0, ">", b"43\r\n")), False),
        (((0.5, "<", b"marsh-7 login: "), (2.0, "<", b"gate 4 open\r\n")), False),
        (((0.5, "<", GGA), *((1 + at, way, data) for at, way, data in ASKED)), False),
    ],
    ids=[
        "answers",
        "loop",
        "prompt",
        "logs-then-prompt",
        "logs",
        "logs-and-answers",
        "unanswered",
        "prompt-left",
        "gps",
    ],
)
def test_silence_of_what_speaks_when_asked_is_no_fault(
    lines: tuple[tuple[float, str, bytes], ...], quiet: bool
) -> None:
    found = spoken(*lines)
    assert found.asked_only is quiet
    assert ("silent" in {each.id for each in found.findings}) is not quiet
    assert (found.steps[1].state is StageStatus.BROKEN) is not quiet
