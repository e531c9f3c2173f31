"""The one error that people see: what went wrong, and the way out."""


class Trouble(Exception):
    """`what` says what, where and with which value; `way_out` what to do about it."""

    def __init__(self, what: str, way_out: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.way_out = way_out

    def __str__(self) -> str:
        return f"{self.what}. {self.way_out}" if self.way_out else f"{self.what}."
