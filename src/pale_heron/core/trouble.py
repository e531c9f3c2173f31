"""The one error that people see: what went wrong, and the way out; and the words for a fault of our own."""

from enum import IntEnum


class Exit(IntEnum):
    """What the exit status of a command says."""

    DONE = 0
    NO = 1
    WRONG_USAGE = 2
    OWN_FAULT = 70
    INTERRUPTED = 130


class Trouble(Exception):
    """`what` says what, where and with which value; `hint` what to do about it; `cause` is a word for programs."""

    def __init__(self, what: str, hint: str = "", cause: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.hint = hint
        self.cause = cause

    def __str__(self) -> str:
        whole = self.what if self.what.endswith(("?", "!", ".")) else f"{self.what}."
        return f"{whole} {self.hint}" if self.hint else whole


def fault_words(fault: BaseException) -> str:
    """One line about a fault of this program: its kind and place, and none of the values around it."""
    trace = fault.__traceback__
    while trace is not None and trace.tb_next is not None:
        trace = trace.tb_next
    place = "place unknown"
    if trace is not None:
        file = trace.tb_frame.f_code.co_filename.replace("\\", "/").rpartition("/")[2]
        place = f"{file}:{trace.tb_lineno}"
    text = "".join(letter if letter.isprintable() else "·" for letter in str(fault))[:200]
    return (
        f"a fault of this program: {type(fault).__name__}: {text} ({place}). "
        "What was recorded is kept. Please report this line."
    )
