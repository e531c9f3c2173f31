"""Every trouble that a simulated device can play, by name, and the finding it must lead to."""

from collections.abc import Callable
from typing import Final, NamedTuple

from pale_heron.core.line.settings import LineSettings
from pale_heron.sim import actors
from pale_heron.sim.actors import Actor
from pale_heron.sim.scenes import Scene

OPEN_SKY = Scene("an open sky", quick=8.0)


class TroublePlay(NamedTuple):
    """`rate` is the device's own, `settings` those of the lane; `finding` the id of what the screen must say first.

    `sends` is what somebody has to type, every few seconds, for the trouble to show. `locked` holds the port as another
    program would, `forbidden` takes away the right to open it (not from root, who may open everything).
    """

    title: str
    make: Callable[[int], Actor]
    finding: str
    settings: LineSettings = LineSettings()
    rate: int = 9600
    sends: str = ""
    locked: bool = False
    forbidden: bool = False


TROUBLES: Final = {
    "silent": TroublePlay("says nothing at all", lambda _: actors.Mute(), "asked-only"),
    "falls-silent": TroublePlay(
        "speaks for 12 seconds, then no more", lambda seed: actors.Receiver(OPEN_SKY, seed, silent_after=12.0), "silent"
    ),
    "loopback": TroublePlay(
        "sends back what it is sent, and nothing else", lambda _: actors.Loop(), "own-bytes", sends="AT"
    ),
    "wrong-rate": TroublePlay(
        "speaks at 38400 baud while the lane is at 9600",
        lambda seed: actors.Receiver(OPEN_SKY, seed),
        "rate-mismatch",
        rate=38400,
    ),
    "noise": TroublePlay("sends random bytes", actors.noise, "no-rate"),
    "few-damaged": TroublePlay(
        "spoils one sentence in a hundred",
        lambda seed: actors.Receiver(Scene("noise now and then", quick=8.0, damaged_share=0.015), seed),
        "few-damaged",
    ),
    "many-damaged": TroublePlay(
        "spoils one sentence in four",
        lambda seed: actors.Receiver(Scene("much noise", quick=8.0, damaged_share=0.25), seed),
        "many-damaged",
    ),
    "no-line-end": TroublePlay("ends no line", lambda _: actors.level_without_ends(), "no-line-end"),
    "staircase": TroublePlay("ends its lines with LF alone", lambda _: actors.log_with_lf(), "staircase"),
    "run-together": TroublePlay(
        "ends its lines with LF alone, on a lane set to CR LF",
        lambda _: actors.log_with_lf(),
        "other-line-end",
        LineSettings(ending_in="crlf", gap_ms=2000),
    ),
    "late-replies": TroublePlay(
        "answers when its time-out is over", lambda _: actors.Late(1.0), "late-replies", sends="AT"
    ),
    "deaf": TroublePlay("sends notices and answers nothing", lambda _: actors.notices(), "no-reply", sends="AT"),
    "no-sky": TroublePlay(
        "a receiver indoors", lambda seed: actors.Receiver(Scene("indoors", quick=0.02), seed), "no-sky"
    ),
    "line-full": TroublePlay(
        "ten rounds of sentences a second at 9600 baud",
        lambda seed: actors.Receiver(OPEN_SKY, seed, every_ms=100),
        "line-full",
    ),
    "login": TroublePlay("a computer's console", lambda _: actors.Console(), "login-prompt"),
    "brown-out": TroublePlay("starts again every 6 seconds", lambda _: actors.brown_out(), "restarts"),
    "binary-beside-text": TroublePlay(
        "RTCM 3 and an opaque protocol between sentences",
        lambda seed: actors.Mixed(OPEN_SKY, seed),
        "binary-beside-text",
    ),
    "rubbish-between": TroublePlay(
        "bytes of chance between whole sentences",
        lambda seed: actors.Mixed(OPEN_SKY, seed, rubbish=True),
        "rubbish-between",
    ),
    "framed-protocol": TroublePlay("a binary protocol alone", actors.framed, "framed-protocol"),
    "held": TroublePlay(
        "another program holds its port", lambda seed: actors.Receiver(OPEN_SKY, seed), "refused", locked=True
    ),
    "forbidden": TroublePlay(
        "its port may not be opened (but by root)",
        lambda seed: actors.Receiver(OPEN_SKY, seed),
        "refused",
        forbidden=True,
    ),
    "unplugged": TroublePlay(
        "its plug is pulled every 14 seconds, and comes back under another name",
        lambda seed: actors.Unplugged(OPEN_SKY, seed),
        "lost",
    ),
    "endless-line": TroublePlay(
        "one line that never ends, as fast as it goes",
        lambda _: actors.endless(),
        "no-line-end",
        LineSettings(921_600),
        921_600,
    ),
}
