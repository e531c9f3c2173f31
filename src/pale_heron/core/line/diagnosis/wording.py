"""The words in which the evidence of a lane is given."""

import statistics
from typing import Final

from pale_heron.core.figures import count, several
from pale_heron.core.line.diagnosis.evidence import DriverErrors, Evidence
from pale_heron.core.line.diagnosis.stages import legible_lately

LOST_DEVICE: Final = (
    "Plug it in again: the lane is opened by itself as soon as it is back, under whatever name, and the record goes on."
)
LOST_NETWORK: Final = (
    "It is tried again by itself. Is the other side still running, and is the network between you up? A server that "
    "closes at once may have another client."
)
SILENT_DEVICE: Final = "Look at its supply and its cable; it may also sleep, or have been set to send nothing."
SILENT_NETWORK: Final = (
    "The connection stands. Look at the device behind it, and at the network between you; it may also sleep, or have "
    "been set to send nothing."
)


def signal_words(evidence: Evidence) -> str:
    errors = evidence.errors or DriverErrors()
    return f"the driver counted {errors.framing} framing errors and {errors.breaks} breaks: something moves on the wire"


def waited(evidence: Evidence) -> str:
    return f"0 bytes in {evidence.since_s(evidence.opened) or 0:.0f} s"


def distinct(evidence: Evidence) -> str:
    garbage = evidence.garbage
    if garbage is None:
        return ""
    values = "1 value alone" if garbage.distinct == 1 else f"{garbage.distinct} different values"
    return f"{values} in {garbage.of} bytes"


def like_words(evidence: Evidence) -> str:
    garbage = evidence.garbage
    if garbage is None:
        return ""
    pace = f"a slower device, about 1/{garbage.times} of this rate" if garbage.times else "a device at another rate"
    return f"{distinct(evidence)}: text of {pace}"


def garbage_share(evidence: Evidence) -> str:
    share, judged = legible_lately(evidence.line)
    at = f" at {evidence.settings}" if evidence.settings else ""
    return f"{100 * (share or 0.0):.0f} % of the last {several(judged, 'byte')} are legible{at}, no sentence is valid"


def best_words(evidence: Evidence) -> str:
    best = evidence.best_rate
    return f"{best.rate} gave {best.words}" if best else ""


def wanted_rate(evidence: Evidence) -> str:
    best = evidence.best_rate
    if best is not None:
        return f"Set {best.rate} baud."
    garbage, settings = evidence.garbage, evidence.settings
    if garbage and garbage.times and settings:
        return f"Try about {settings.rate // garbage.times} baud, or try the rates one after the other (r)."
    return "Try the rates one after the other (r), or look up the device's rate in its manual."


def damage(evidence: Evidence) -> str:
    damaged = count(evidence.line.recent_damaged)
    return f"{damaged} of {several(evidence.checked, 'sentence')} in the last minute are damaged"


def load_words(evidence: Evidence) -> str:
    settings = evidence.settings
    assert settings is not None, "a load is known only with settings"
    return f"{evidence.line.bytes_per_s or 0:.0f} of {settings.bytes_per_s:.0f} bytes a second at {settings}"


def silence(evidence: Evidence) -> str:
    since = evidence.since_s(evidence.line.last_byte) or 0
    return f"{several(evidence.line.bytes_in, 'byte')}, none for {since:.0f} s"


def staircase_words(evidence: Evidence) -> str:
    _, lf, cr, _ = evidence.dialogue.endings
    return f"{max(lf, cr)} of {several(evidence.text_lines, 'line')} end with {'LF' if lf > cr else 'CR'} alone"


def ended_by_pause(evidence: Evidence) -> str:
    if evidence.line.endless:
        return f"{evidence.line.endless} times more bytes than any line has, without an end"
    return f"{evidence.dialogue.endings[3]} of {several(evidence.text_lines, 'line')} were ended by a pause alone"


def other_ends_words(evidence: Evidence) -> str:
    assert evidence.settings is not None, "other line ends are named only with settings"
    ending = evidence.settings.ending_in.upper()
    if evidence.dialogue.other_ends:
        return f"{evidence.dialogue.other_ends} line ends within lines are not {ending}"
    waiting = evidence.line.bytes_in - evidence.line.framed_bytes
    return f"{several(waiting, 'byte')} waiting for a {ending} that does not come"


def beside_words(evidence: Evidence) -> str:
    messages = sum(each.count for each in evidence.line.types if each.kind == "rtcm3")
    rtcm = f"{messages} RTCM 3 messages" if messages else ""
    opaque = framed_words(evidence) if evidence.line.is_framed else ""
    return " and ".join(filter(None, (rtcm, opaque))) + " between the lines"


def framed_words(evidence: Evidence) -> str:
    found = evidence.line.protocol
    return f"{found.frames} {found.name}, all with the right check" if found else ""


def rubbish_words(evidence: Evidence) -> str:
    share = evidence.line.recent_readable_share
    legible = "" if share is None else f", {100 * share:.0f} % of all bytes are legible"
    return f"{several(evidence.binary_bytes, 'byte')} in the last minute{legible}"


def lost_bytes(evidence: Evidence) -> str:
    errors = evidence.errors or DriverErrors()
    return f"{several(errors.overrun, 'overrun')}, {several(errors.buffer, 'byte')} lost in the buffer"


def delays(evidence: Evidence) -> str:
    last = evidence.dialogue.delays_s
    return f"the last {len(last)} answers took a median of {statistics.median(last):.2f} s in the middle"
