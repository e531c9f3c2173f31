"""Text messages in their packed form, as 3GPP 23.040 (9.2.2.1) and 23.038 (6.1.2.1) have it, for simulated ones."""

from datetime import datetime
from typing import Final

INTERNATIONAL: Final = 0x91


def swapped(digits: str) -> str:
    """Digits in pairs, each turned round, filled with F to a whole byte."""
    even = digits + "F" * (len(digits) % 2)
    return "".join(even[at + 1] + even[at] for at in range(0, len(even), 2))


def seven_bits(text: str) -> str:
    """Letters of seven bits one behind the other, as hexadecimal. Plain ASCII letters alone."""
    number = sum((ord(letter) & 0x7F) << 7 * place for place, letter in enumerate(text))
    return number.to_bytes(-(-7 * len(text) // 8), "little").hex().upper()


def delivered(sender: str, sent: datetime, text: str) -> tuple[str, int]:
    """The whole of it as hexadecimal, and how many bytes it has without the number of its centre, which is left out."""
    digits = sender.removeprefix("+")
    stamp = swapped(sent.strftime("%y%m%d%H%M%S") + "00")
    body = f"04{len(digits):02X}{INTERNATIONAL:02X}{swapped(digits)}0000{stamp}{len(text):02X}{seven_bits(text)}"
    return "00" + body, len(body) // 2


def submitted(to: str, text: str) -> tuple[str, int]:
    """The same of one that is to be sent."""
    digits = to.removeprefix("+")
    body = f"0100{len(digits):02X}{INTERNATIONAL:02X}{swapped(digits)}0000{len(text):02X}{seven_bits(text)}"
    return "00" + body, len(body) // 2


def addressed(packed: str) -> tuple[str, str]:
    """To whom a packed message to be sent goes, and its letters where they are of seven bits.

    IndexError where it is cut.
    """
    data = bytes.fromhex(packed)
    at = 1 + data[0]
    first, many, kind = data[at], data[at + 2], data[at + 3]
    end = at + 4 + -(-many // 2)
    number = swapped(data[at + 4 : end].hex().upper())[:many]
    # A validity period of no, seven, one, or seven bytes (9.2.3.3).
    end += (0, 7, 1, 7)[first >> 3 & 3]
    letters, packing = data[end + 2], data[end + 1]
    bits = int.from_bytes(data[end + 3 :], "little")
    text = "".join(chr(bits >> 7 * place & 0x7F) for place in range(letters)) if not packing else ""
    return ("+" if kind == INTERNATIONAL else "") + number, text


def is_whole(packed: str, length: int) -> bool:
    """Whether a message to be sent is as long as was said, the number of its centre not counted (27.005, 4.3)."""
    try:
        data = bytes.fromhex(packed)
    except ValueError:
        return False
    return bool(data) and len(data) == 1 + data[0] + length
