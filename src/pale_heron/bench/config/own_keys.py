"""A person's own keys: what each sends to which lane, or which routine it runs, once or again and again."""

from collections.abc import Mapping, Sequence
from typing import Any, Final, NamedTuple

from pale_heron.core import figures
from pale_heron.core.line.settings import nearest_words

KEYS: Final = tuple(f"f{number}" for number in range(2, 13))
FIELDS: Final = ("key", "lane", "send", "routine", "every", "label")
LEAST_EVERY_S, MOST_EVERY_S = 0.05, 86_400.0
LONGEST_LABEL: Final = 24


class OwnKey(NamedTuple):
    """`send` is in the words of the send line; or `routine` is the name of one. `every_s` 0: once."""

    key: str
    lane: str
    send: str = ""
    routine: str = ""
    every_s: float = 0.0
    label: str = ""

    @property
    def title(self) -> str:
        """What it is called."""
        return self.label or (self.routine or self.send)[:LONGEST_LABEL]

    @property
    def words(self) -> str:
        """What it does, in a few words."""
        does = f"runs {self.routine} on" if self.routine else f"sends {self.send!r} to"
        again = f", every {figures.duration(self.every_s)}" if self.every_s else ""
        return f"{does} {self.lane}{again}"


def read_own_key(row: Mapping[str, Any], lanes: Sequence[str]) -> OwnKey:
    """The key of a row of a bench file with these lanes. ValueError, whose first word is the field that is wrong."""
    for name in row:
        if name not in FIELDS:
            raise ValueError(f"{name} is not a field of a key{nearest_words(name, dict.fromkeys(FIELDS))}")
    key, lane, send, routine, label = (row.get(name, "") for name in ("key", "lane", "send", "routine", "label"))
    for name, text in (("lane", lane), ("send", send), ("routine", routine), ("label", label)):
        if not isinstance(text, str):
            raise ValueError(f"{name} = {text!r}: text in quotes is wanted")
    if key not in KEYS:
        raise ValueError(f"key = {key!r} is not one of {', '.join(KEYS)}")
    if lane not in lanes:
        raise ValueError(f"lane = {lane!r} is no lane of this file{nearest_words(lane, dict.fromkeys(lanes))}")
    if bool(send) == bool(routine):
        raise ValueError("send or routine is wanted, one of the two")
    if len(label) > LONGEST_LABEL:
        raise ValueError(f"label has more than {LONGEST_LABEL} letters")
    every = row.get("every", 0.0)
    if isinstance(every, bool) or not isinstance(every, int | float) or (wrong := every_refusal(float(every))):
        raise ValueError(f"every = {every!r}: {wrong if isinstance(every, int | float) else 'seconds are wanted'}")
    return OwnKey(key, lane, send, routine, float(every), label)


def every_refusal(seconds: float) -> str:
    """Why something cannot be done every so many seconds; empty where it can. 0 is once."""
    if seconds == 0.0 or LEAST_EVERY_S <= seconds <= MOST_EVERY_S:
        return ""
    return f"{seconds:g} is neither 0, for once, nor {LEAST_EVERY_S:g} to {MOST_EVERY_S:.0f} seconds"


def row_of(own: OwnKey) -> dict[str, Any]:
    """What stands in the row of a key; what is as usual is left out."""
    values: dict[str, Any] = {"key": own.key, "lane": own.lane, "send": own.send, "routine": own.routine}
    values |= {"every": own.every_s, "label": own.label}
    return {name: value for name, value in values.items() if value}
