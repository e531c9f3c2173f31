"""What happened to a piece of a stream: which bytes were changed, are missing, or were added.

The least number of such edits that makes what came out of what was sent (the edit distance, computed along its
diagonals: E. Ukkonen, Algorithms for approximate string matching, 1985). What both have in common at the end and at the
beginning is taken off first, so a gap of any length, or an insertion, is found at once. Where several lie together,
words that stand in both exactly once part them.
"""

from typing import Final, Literal, NamedTuple

Change = Literal["changed", "missing", "added"]
CHANGED: Final[Change] = "changed"
MISSING: Final[Change] = "missing"
ADDED: Final[Change] = "added"

MOST_EDITS: Final = 64
"""Beyond so many it is not worth while: the piece counts as changed from end to end."""


ANCHOR: Final = 8
"""So many bytes that are the same, and stand nowhere else, are the same piece."""


class Edit(NamedTuple):
    """One byte, at an offset of what was sent. `expected` is None for an added byte, `got` for a missing one."""

    kind: Change
    offset: int
    expected: int | None
    got: int | None


def edits(sent: bytes, came: bytes) -> list[Edit]:
    """The edits that lead from one to the other, in order. The fewest there can be, up to MOST_EDITS beside gaps."""
    found: list[Edit] = []
    waiting = [(0, sent, came)]
    while waiting:
        at, lost, got = waiting.pop()
        # From the end first: where a whole block is missing, the one behind it begins just like it.
        back = common(lost[::-1], got[::-1])
        lost, got = lost[: len(lost) - back], got[: len(got) - back]
        front = common(lost, got)
        at, lost, got = at + front, lost[front:], got[front:]
        least = _least(lost, got)
        if least is not None:
            found += [each._replace(offset=each.offset + at) for each in least]
            continue
        anchor = _anchor(lost, got)
        if anchor is None:
            found += [each._replace(offset=each.offset + at) for each in _replaced(lost, got)]
            continue
        here, there = anchor
        waiting += [(at + here, lost[here:], got[there:]), (at, lost[:here], got[:there])]
    return found


def _anchor(lost: bytes, got: bytes) -> tuple[int, int] | None:
    """Where both have the same bytes, which stand in each of them once: what lies before it and behind it is apart."""
    for there in range(0, len(got) - ANCHOR + 1, ANCHOR // 2):
        word = got[there : there + ANCHOR]
        here = lost.find(word)
        if here >= 0 and (here or there) and lost.find(word, here + 1) < 0 and got.count(word) == 1:
            return here, there
    return None


def common(one: bytes, other: bytes) -> int:
    """How many bytes at the beginning are the same."""
    least, most = 0, min(len(one), len(other))
    if one[:most] == other[:most]:
        return most
    while most - least > 1:
        middle = (least + most) // 2
        if one[least:middle] == other[least:middle]:
            least = middle
        else:
            most = middle
    return least


def _replaced(lost: bytes, got: bytes) -> list[Edit]:
    """Byte for byte, and what is longer as missing, or added, behind it."""
    shorter = min(len(lost), len(got))
    changed = [Edit(CHANGED, at, lost[at], got[at]) for at in range(shorter) if lost[at] != got[at]]
    missing = [Edit(MISSING, shorter + at, value, None) for at, value in enumerate(lost[shorter:])]
    added = [Edit(ADDED, shorter, None, value) for value in got[shorter:]]
    return [*changed, *missing, *added]


def _least(lost: bytes, got: bytes) -> list[Edit] | None:
    """The fewest edits; None where they are more than MOST_EDITS, but for one gap or one insertion of any length.

    `reach[k]` is how far in `lost` one comes with so many edits on diagonal k, where k is the offset in `got` less
    that in `lost`. Each round allows one edit more; `steps` keeps the rounds for the way back.
    """
    if not lost or not got:
        return _replaced(lost, got)
    goal = len(got) - len(lost)
    if abs(goal) > MOST_EDITS:
        return None
    reach = {0: common(lost, got)}
    steps = [reach]
    while reach.get(goal, -1) < len(lost):
        if len(steps) > MOST_EDITS:
            return None
        before, reach = reach, {}
        for k in range(-len(steps), len(steps) + 1):
            at = max(before.get(k, -2) + 1, before.get(k + 1, -2) + 1, before.get(k - 1, -1))
            at = min(at, len(lost), len(got) - k)
            if at < max(0, -k):
                continue
            reach[k] = at + common(lost[at : at + _AHEAD], got[at + k : at + k + _AHEAD])
            while reach[k] - at and (reach[k] - at) % _AHEAD == 0:
                more = common(lost[reach[k] : reach[k] + _AHEAD], got[reach[k] + k : reach[k] + k + _AHEAD])
                if not more:
                    break
                reach[k] += more
        steps.append(reach)
    return _way_back(lost, got, steps, goal)


_AHEAD: Final = 64


def _way_back(lost: bytes, got: bytes, steps: list[dict[int, int]], k: int) -> list[Edit]:
    found: list[Edit] = []
    for round_ in range(len(steps) - 1, 0, -1):
        before = steps[round_ - 1]
        # In the order in which they were preferred: a changed byte, a missing one, an added one.
        changed, missing, added = before.get(k, -2) + 1, before.get(k + 1, -2) + 1, before.get(k - 1, -1)
        best = min(max(changed, missing, added), len(lost), len(got) - k)
        if changed >= best and best > 0 and best + k > 0:
            found.append(Edit(CHANGED, best - 1, lost[best - 1], got[best + k - 1]))
        elif missing >= best and best > 0:
            found.append(Edit(MISSING, best - 1, lost[best - 1], None))
            k += 1
        else:
            found.append(Edit(ADDED, best, None, got[best + k - 1]))
            k -= 1
    return found[::-1]
