"""Numbers with their nouns."""


def several(number: int, noun: str) -> str:
    """`1 byte`, `12 bytes`."""
    return f"{number} {noun}{'' if number == 1 else 's'}"
