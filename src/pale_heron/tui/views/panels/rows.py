"""What panels are made of: rows to choose from, and the keys at the foot."""

from collections.abc import Sequence

from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import Line, line, padded, width_of


def selectable(row: Line, index: int, chosen: int, width: int) -> Line:
    """A row of a panel, clickable, lit where it is the chosen one."""
    ground = "@select" if index == chosen else ""
    bar = line(("▌ " if index == chosen else "  ", "heron"))
    spans = (span._replace(role=span.role.partition("@")[0] + ground) for span in padded((*bar, *row), width))
    return tuple(span._replace(action=act(acts.pick, index)) for span in spans)


def keys_lines(keys: Sequence[tuple[str, str]], width: int) -> list[Line]:
    """The keys of a panel, at its foot; a key and its word stay together."""
    rows: list[Line] = []
    now: Line = ()
    for key, word in keys:
        added = line((key, "amber"), (f" {word}   ", "quiet"))
        if now and width_of(now) + width_of(added) > width + 3:
            rows.append(now)
            now = ()
        now = (*now, *added)
    return [*rows, now]
