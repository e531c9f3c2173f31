"""The table of causes: what may be wrong with a lane, and the signs for and against it.

Each *cause* stands on a symptom, with the weight that experience gives it there, and on *signs*: what is seen raises or
lowers it, and is said in words. To add a cause, add a row.
"""

from collections.abc import Callable
from typing import Final, NamedTuple

from pale_heron.core.figures import several
from pale_heron.core.line.diagnosis import wording
from pale_heron.core.line.diagnosis.evidence import Evidence
from pale_heron.core.line.diagnosis.stages import LaneOpening, is_silent
from pale_heron.core.wire.visible import safe_text

REFUSALS: Final = {
    "held": "Another program holds the port.",
    "no-permission": "This user may not open the port.",
    "absent": "The port is not there.",
    "no-answer": "The other side does not answer.",
    "busy": "The port is open in this program already.",
}
"""What is said of each reason why a lane cannot be opened."""

Phrase = str | Callable[[Evidence], str]


class Sign(NamedTuple):
    """`words` say it where it `holds`; it adds `weight` to its cause, or takes it away."""

    holds: Callable[[Evidence], object]
    weight: float
    words: Phrase


class Cause(NamedTuple):
    """One row of the table. `base` is its weight on the symptom alone; the signs of the symptom have weight 0."""

    id: str
    symptom: Callable[[Evidence], object]
    base: float
    text: Phrase
    next: Phrase
    signs: tuple[Sign, ...]


def seen(words: Phrase) -> Sign:
    """The symptom itself, in words."""
    return Sign(lambda _: True, 0.0, words)


_ZERO = seen(wording.waited)
_SEEN_ON_WIRE = Sign(lambda evidence: evidence.signal_seen, -0.4, wording.signal_words)

CAUSES: Final[tuple[Cause, ...]] = (
    Cause(
        "lost",
        lambda evidence: evidence.opening is LaneOpening.LOST,
        1.0,
        lambda evidence: "The other side has gone." if evidence.networked else "The device has gone.",
        lambda evidence: wording.LOST_NETWORK if evidence.networked else wording.LOST_DEVICE,
        (seen(lambda evidence: evidence.open_error),),
    ),
    Cause(
        "refused",
        lambda evidence: evidence.opening is LaneOpening.REFUSED,
        1.0,
        lambda evidence: REFUSALS.get(evidence.refusal, "The lane cannot be opened."),
        lambda evidence: evidence.hint,
        (seen(lambda evidence: evidence.open_error),),
    ),
    Cause(
        "no-client",
        lambda evidence: evidence.opening is LaneOpening.OPEN and evidence.waits_at,
        1.0,
        "Nobody is connected.",
        lambda evidence: (
            f"Give the far side one of these to connect to: {', '.join(evidence.waits_at[:4])}. "
            "A firewall here, or another network there, may keep it out."
        ),
        (seen("it waits for a client"),),
    ),
    Cause(
        "far-side-mute",
        lambda evidence: evidence.mute and evidence.networked,
        0.6,
        "Connected, but nothing has come: the far side may speak only when it is asked.",
        "Send it something (:), such as AT. If nothing answers, see whether it is the right port.",
        (_ZERO,),
    ),
    Cause(
        "asked-only",
        lambda evidence: evidence.wire_mute and not (evidence.settings and evidence.settings.listen_only),
        0.62,
        "Nothing has come since opening: it may speak only when it is asked, as modules, consoles and loops do.",
        "Send AT, or Enter alone (:), and see whether anything answers.",
        (
            _ZERO,
            Sign(
                lambda evidence: evidence.dialogue.unanswered,
                -0.4,
                lambda evidence: f"but {several(evidence.dialogue.sent, 'line')} sent, none answered",
            ),
            _SEEN_ON_WIRE,
        ),
    ),
    Cause(
        "unpowered",
        lambda evidence: evidence.wire_mute,
        0.6,
        "Nothing has come since opening: the device may have no power, or have nothing to say yet.",
        "Look at its supply and its lamp; press its reset and watch for a first line.",
        (_ZERO, _SEEN_ON_WIRE),
    ),
    Cause(
        "wrong-port",
        lambda evidence: evidence.wire_mute,
        0.55,
        "It may be another port.",
        "Add the other ports as lanes (a), or pull the plug of the one you mean and see which goes (w in the list).",
        (_SEEN_ON_WIRE,),
    ),
    Cause(
        "swapped",
        lambda evidence: evidence.wire_mute,
        0.5,
        "TX and RX may be swapped.",
        "Our RX belongs on the device's TX. With a voltmeter: an idle TX rests high, an open pin does not.",
        (
            Sign(
                lambda evidence: evidence.dialogue.unanswered,
                0.15,
                lambda evidence: f"{several(evidence.dialogue.sent, 'line')} sent, none answered",
            ),
            _SEEN_ON_WIRE,
        ),
    ),
    Cause(
        "held-in-reset",
        lambda evidence: evidence.wire_mute and evidence.settings is not None,
        0.35,
        "DTR or RTS may hold the device in reset.",
        "Switch DTR and RTS one after the other in the settings (s), and watch for a first line.",
        (
            Sign(
                lambda evidence: evidence.settings and evidence.settings.dtr != evidence.settings.rts,
                0.3,
                "one of DTR and RTS is on, the other off",
            ),
            Sign(
                lambda evidence: evidence.settings and evidence.settings.dtr and evidence.settings.rts,
                0.0,
                "both DTR and RTS are on",
            ),
            Sign(
                lambda evidence: evidence.settings and not (evidence.settings.dtr or evidence.settings.rts),
                -0.1,
                "both DTR and RTS are off",
            ),
        ),
    ),
    Cause(
        "no-ground",
        lambda evidence: evidence.wire_mute,
        0.3,
        "The grounds may not be joined, or the levels not fit.",
        "Join the grounds of both sides first. RS-232 and logic levels do not mix: use the adapter that fits.",
        (Sign(lambda evidence: evidence.signal_seen, 0.45, wording.signal_words),),
    ),
    Cause(
        "silent",
        lambda evidence: (
            evidence.opening is LaneOpening.OPEN
            and not (evidence.asked_only or evidence.waits_at)
            and is_silent(evidence.line, evidence.now)
        ),
        0.85,
        "The device spoke and has fallen silent.",
        lambda evidence: wording.SILENT_NETWORK if evidence.networked else wording.SILENT_DEVICE,
        (
            seen(wording.silence),
            Sign(
                lambda evidence: evidence.dialogue.restarts, 0.05, "it had restarted before: look at the supply first"
            ),
        ),
    ),
    Cause(
        "own-bytes",
        lambda evidence: evidence.only_own_bytes,
        0.9,
        "Only our own bytes come back.",
        "Something joins our TX to our RX: a loop, a bridge of solder, or an echo with nothing behind it. Take the "
        "device off: if they still come back, it is on this side.",
        (
            seen(lambda evidence: f"{several(evidence.dialogue.echoed, 'line')} came back as sent"),
            Sign(
                lambda evidence: evidence.settings and evidence.settings.echo,
                -0.3,
                "an echo is expected here, but nothing else comes",
            ),
        ),
    ),
    Cause(
        "rate-mismatch",
        lambda evidence: evidence.illegible and evidence.rate_governs,
        0.55,
        "Bytes arrive, but they are not legible: the rate is wrong.",
        wording.wanted_rate,
        (
            seen(wording.garbage_share),
            Sign(lambda evidence: evidence.like_text, 0.25, wording.like_words),
            Sign(lambda evidence: evidence.like_noise, -0.3, wording.distinct),
            Sign(lambda evidence: evidence.best_rate, 0.2, wording.best_words),
            Sign(
                lambda evidence: evidence.tried and not evidence.best_rate, -0.5, "no rate that was tried was legible"
            ),
            Sign(
                lambda evidence: evidence.errors and evidence.errors.framing,
                0.05,
                lambda evidence: f"{evidence.errors.framing if evidence.errors else 0} framing errors",
            ),
        ),
    ),
    Cause(
        "no-rate",
        lambda evidence: evidence.illegible and evidence.rate_governs,
        0.25,
        "Bytes arrive that no rate would make legible: noise, the wrong level, or a binary protocol.",
        "Join the grounds, look at the level (inverted, or RS-232 on logic pins) and at the cable. If the device "
        "speaks a binary protocol, set it to speak NMEA 0183 or text.",
        (
            Sign(
                lambda evidence: evidence.like_noise,
                0.5,
                lambda evidence: f"{wording.distinct(evidence)}, as many as chance gives",
            ),
            Sign(lambda evidence: evidence.like_text, -0.25, ""),
            Sign(
                lambda evidence: evidence.tried and not evidence.best_rate,
                0.45,
                lambda evidence: f"none of {len(evidence.tried)} rates was legible",
            ),
        ),
    ),
    Cause(
        "illegible-beyond",
        lambda evidence: evidence.illegible and not evidence.rate_governs,
        0.6,
        "Bytes arrive, but they are not legible, and the rate of this port changes nothing.",
        "Look at the rate on the far side of the bridge or adapter, or whether the device speaks a binary protocol.",
        (
            seen(wording.garbage_share),
            Sign(lambda evidence: evidence.like_text, 0.25, wording.like_words),
            Sign(lambda evidence: evidence.like_noise, -0.1, wording.distinct),
        ),
    ),
    Cause(
        "few-damaged",
        lambda evidence: evidence.few_damaged,
        0.3,
        "Single sentences arrive damaged.",
        "Look for noise: a long cable, a missing ground, a supply that switches.",
        (seen(wording.damage),),
    ),
    Cause(
        "many-damaged",
        lambda evidence: evidence.many_damaged,
        0.7,
        "Many sentences arrive damaged.",
        "A rate slightly off, bytes lost on the way (overrun), or more sentences than the line carries.",
        (seen(wording.damage), Sign(lambda evidence: evidence.is_full, -0.15, "the line is full")),
    ),
    Cause(
        "overrun",
        lambda evidence: evidence.errors and (evidence.errors.overrun or evidence.errors.buffer),
        0.75,
        "The adapter or its driver loses bytes.",
        "Use flow control (rtscts) where both sides have it, a lower rate, or another adapter or USB port.",
        (seen(wording.lost_bytes),),
    ),
    Cause(
        "line-full",
        lambda evidence: evidence.is_full,
        0.6,
        "The line is full: sentences queue up, come late or are cut.",
        "Raise the rate on both sides, switch off sentences that nobody reads, or lower their rate.",
        (seen(wording.load_words), Sign(lambda evidence: evidence.line.recent_damaged, 0.2, wording.damage)),
    ),
    Cause(
        "no-line-end",
        lambda evidence: evidence.no_line_ends,
        0.55,
        "Text comes without line ends.",
        "Each pause ends a line here (idle gap in the settings). If the device can, set it to end its lines with "
        "CR LF.",
        (seen(wording.ended_by_pause), Sign(lambda evidence: evidence.line.endless, 0.2, "")),
    ),
    Cause(
        "other-line-end",
        lambda evidence: evidence.other_line_ends,
        0.6,
        "Lines end otherwise than this lane is set to: they run together.",
        "Set the line end received to auto (s).",
        (seen(wording.other_ends_words),),
    ),
    Cause(
        "staircase",
        lambda evidence: evidence.single_line_ends,
        0.2,
        "Lines end with one character alone.",
        "Here both are read. What shows such lines as a staircase elsewhere wants CR LF; send with the same ending.",
        (seen(wording.staircase_words),),
    ),
    Cause(
        "late-replies",
        lambda evidence: evidence.round_pause,
        0.6,
        "Answers come only after a pause of a round number: a time-out answers.",
        "The end of what is sent is probably not recognised: try another line end sent (s), CR first.",
        (
            seen(wording.delays),
            Sign(
                lambda evidence: evidence.settings and evidence.settings.chosen_end == "none",
                0.2,
                "no line end is sent",
            ),
        ),
    ),
    Cause(
        "no-reply",
        lambda evidence: evidence.unanswered,
        0.65,
        "What is sent is not answered, while other lines arrive.",
        "Look at the wire of our TX. Then the line end sent (s): CR is what V.250 asks for. Its echo and answers may "
        "be switched off, or the module is in data mode and passes everything on.",
        (
            seen(
                lambda evidence: (
                    f"{several(evidence.dialogue.unanswered, 'line')} sent without an answer, "
                    f"{evidence.dialogue.notices or evidence.line.recent_lines} others came meanwhile"
                ),
            ),
            Sign(
                lambda evidence: evidence.dialogue.echoed,
                -0.05,
                "its echo came back, so our TX reaches it",
            ),
            Sign(
                lambda evidence: evidence.settings and evidence.settings.chosen_end in ("none", "lf"),
                0.1,
                lambda evidence: f"what is sent ends with {evidence.settings.chosen_end if evidence.settings else ''}",
            ),
        ),
    ),
    Cause(
        "login-prompt",
        lambda evidence: evidence.dialogue.login,
        0.75,
        "A log-in prompt: this is a computer's console, not a module or a receiver.",
        "It is the wrong port, or a console runs on it: end the console there, or choose another port.",
        (seen(lambda evidence: safe_text(evidence.dialogue.login)),),
    ),
    Cause(
        "restarts",
        lambda evidence: evidence.dialogue.restarts,
        0.7,
        "The device restarts by itself: its banner came again.",
        "Look at the supply under load (brown-out): a stronger one, a shorter cable, a capacitor; then at a watchdog.",
        (
            seen(
                lambda evidence: (
                    f"{several(len(evidence.dialogue.restarts), 'time')}: {safe_text(evidence.dialogue.banner)}"
                ),
            ),
        ),
    ),
    Cause(
        "no-sky",
        lambda evidence: evidence.empty_fix and evidence.line.recent_valid,
        0.5,
        "The wiring is right, but the receiver has no fix yet.",
        "Give the antenna a free sky and wait: time comes first, then satellites, then the position.",
        (
            seen(
                lambda evidence: (
                    f"{evidence.line.recent_valid} valid sentences in the last minute, their positions are empty"
                ),
            ),
            Sign(
                lambda evidence: evidence.time_known,
                0.0,
                lambda evidence: (
                    "it has the time"
                    + (
                        ""
                        if evidence.satellites_seen is None
                        else f" and sees {several(evidence.satellites_seen, 'satellite')}"
                    )
                ),
            ),
            Sign(lambda evidence: not evidence.time_known, 0.0, "it does not even have the time"),
        ),
    ),
    Cause(
        "rubbish-between",
        lambda evidence: evidence.rubbish_beside_text,
        0.45,
        "Between the lines stand bytes that are neither text nor frames of anything known.",
        "Noise, another level, two devices on one line; or a binary protocol of its own: switch that off where nobody "
        "reads it, and what is left is the fault.",
        (seen(wording.rubbish_words), Sign(lambda evidence: evidence.line.recent_damaged, 0.2, wording.damage)),
    ),
    Cause(
        "framed-protocol",
        lambda evidence: evidence.line.is_framed and not evidence.binary_beside_text,
        0.4,
        "This is a binary protocol, and its frames are whole.",
        "Rate and wiring are right. Nothing here reads it: set the device to NMEA 0183 or text where it can.",
        (seen(wording.framed_words),),
    ),
    Cause(
        "ungoverned",
        lambda evidence: evidence.ungoverned,
        0.3,
        "Bytes come faster than this rate carries: it is not the rate of the device.",
        "A USB port or a bridge passes them on at a pace of its own; how full the line is cannot be told here.",
        (seen(wording.load_words),),
    ),
    Cause(
        "binary-beside-text",
        lambda evidence: evidence.binary_beside_text,
        0.25,
        "A binary protocol stands beside the text.",
        "No harm is done: it is recognised, counted and passed over. Switch it off where nobody reads it.",
        (seen(wording.beside_words),),
    ),
)
