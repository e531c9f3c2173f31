"""One frame as the object that `decode --json` prints."""

from typing import Any

from pale_heron.core.frames import Frame, Kind, Status
from pale_heron.core.nmea.sentence import Checksums, checksums, parse, readings
from pale_heron.core.utc import iso
from pale_heron.core.wire import rtcm3
from pale_heron.core.wire.rtcm3_messages import message_fields
from pale_heron.core.wire.visible import safe_text


def _plain(value: int | float | str | list[str]) -> int | float | str | list[str]:
    return safe_text(value.encode("latin-1")) if isinstance(value, str) else value


def printable(frame: Frame) -> str | None:
    """The text of a sentence or line without its line ends; None for bytes that are no text."""
    if frame.kind in (Kind.BYTES, Kind.RTCM3):
        return None
    return safe_text(frame.data.strip(b"\r\n"))


def _checksums(frame: Frame) -> Checksums:
    """The checksum that a sentence should have, and the one that it has. Of a good one the framer has compared them."""
    if frame.status is not Status.OK:
        return checksums(frame.data)
    both = frame.data.rstrip(b"\r\n")[-2:].decode("ascii").upper()
    return Checksums(both, both)


def decoded(frame: Frame, timed: bool = True) -> dict[str, Any]:
    """Everything that a frame says. With `timed` False (a raw file) there is neither time nor direction nor lane."""
    out: dict[str, Any] = {
        "time": iso(frame.time) if timed and frame.time is not None else None,
        "lane": frame.lane if timed else None,
        "direction": frame.direction.value if timed else None,
        "offset": frame.offset,
        "length": len(frame.data),
        "kind": frame.kind.value,
        "status": frame.status.value,
        "reason": frame.reason,
        "text": printable(frame),
    }
    if frame.kind is Kind.NMEA:
        sentence = parse(frame.data)
        expected, found = _checksums(frame)
        said = readings(sentence)
        out |= {
            "talker": safe_text(sentence.talker.encode("latin-1")),
            "sentence": safe_text(sentence.formatter.encode("latin-1")),
            "checksum_expected": expected,
            "checksum_found": found,
            "fields": said.values,
        }
        if said.problems:
            out["problems"] = dict(said.problems)
    elif frame.kind is Kind.RTCM3:
        out |= {"message": rtcm3.message_number(frame.data), "payload_length": rtcm3.payload_length(frame.data)}
        fields = {each.key: _plain(each.value) for each in message_fields(frame.data)}
        out |= {"fields": fields} if fields else {}
    return out
