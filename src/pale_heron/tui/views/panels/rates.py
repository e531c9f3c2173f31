"""The search for a rate: what each gave, and which to take."""

from pale_heron.bench.operations.baud_search import BaudSearchState
from pale_heron.core import figures
from pale_heron.core.line.rates import UNENDED, BaudResult, follows_rate
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import BLANK, Line, line, wrapped
from pale_heron.tui.views.panels.rows import keys_lines, selectable

WARNING = (
    "t sends AT at every rate and judges by the result code. A module in data mode passes it on to the far end, and "
    "where data is paid for that costs money; other devices may take it for something else. Listening alone sends "
    "nothing."
)


def paint(lane: str, state: BaudSearchState, chosen: int, listen_only: bool, width: int) -> list[Line]:
    """The rates that were tried, the best marked, and what to do."""
    way = "listening, and asking with AT" if state.asking else "listening"
    done, total = len(state.tried) - (not state.over), len(state.rates)
    share = f"{done} of {total} rates" + ("" if state.over else f", now {state.trying} baud")
    rows = [
        line((f"{safe_label(lane)}: which rate?", "*heron"), (f"   {way}: {share}", "quiet")),
        line((_bar(done, total, width - 2), "tide")),
        BLANK,
        line((f"  {'rate':>8}  {'bytes':>7}  {'verdict':<14}{'legible':>8}   sample", "faint")),
    ]
    for index, result in enumerate(state.tried):
        mark = "◂ best" if result == state.best else ""
        rows.append(selectable(_row(result, mark, width), index, chosen, width))
    rows.append(BLANK)
    rows += wrapped(_advice(state), width)
    if state.problem:
        rows += wrapped(line((safe_label(state.problem), "coral")), width)
    if not listen_only:
        rows += [BLANK, *wrapped(line((WARNING, "quiet")), width)]
    keys = [("↑↓", "choose"), ("enter", "switch to it")]
    keys += [] if listen_only else [("t", "try again, asking with AT")]
    return [
        *rows,
        BLANK,
        *keys_lines([*keys, ("l", "listen again"), ("escape", "stay at the old rate")], width),
    ]


def _row(result: BaudResult, mark: str, width: int) -> Line:
    role = "reed" if result.fits else "quiet"
    legible = figures.share(result.legible_share)
    room = max(8, width - 60)
    return line(
        (f"{result.rate:>8}  ", "*text" if result.fits else "text"),
        (f"{result.bytes:>7}  ", "text"),
        (f"{result.words:<14}", role),
        (f"{legible:>8}   ", "quiet"),
        (f"{safe_label(result.sample)[:room]:<{room}} ", "text" if result.fits else "faint"),
        (mark, "reed"),
    )


def _advice(state: BaudSearchState) -> Line:
    if state.best is not None and follows_rate(state.tried):
        fitting = sum(each.fits for each in state.tried)
        return line(
            (f"It answers at {fitting} rates", "*reed"),
            (": it finds the rate itself. Any will do; Enter takes ", "text"),
            (f"{state.best.rate} baud", "*reed"),
            (".", "text"),
        )
    if state.best is not None:
        return line(
            ("Take ", "text"),
            (f"{state.best.rate} baud", "*reed"),
            (f": {state.best.words}. Enter switches.", "text"),
            (" No line has ended: judge by the sample." if state.best.words == UNENDED else "", "amber"),
        )
    if not state.over:
        return line(("Nothing legible yet.", "amber"))
    if not any(result.bytes for result in state.tried):
        words = "Nothing came at any rate: it is not the rate. Line says what else it may be."
    else:
        words = "No rate was legible: look at the level and the ground, or the device speaks a binary protocol."
    return line((words, "*amber"))


def _bar(done: int, total: int, width: int) -> str:
    filled = width * done // max(1, total)
    return "━" * filled + "─" * (width - filled)
