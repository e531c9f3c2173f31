"""The page `exchanges` of Module: commands and answers as they happen, and the chosen exchange in full."""

from collections.abc import Iterable, Iterator, Sequence
from itertools import chain, groupby, islice
from typing import Final

from pale_heron.core import figures
from pale_heron.core.device.dialogue.exchanges import (
    ECHO,
    INFORMATION,
    LATE,
    NOTICE,
    PAYLOAD,
    PROMPT,
    RESULT,
    SENT,
    DataStretch,
    Exchange,
    Item,
    ReceivedLine,
    Unsolicited,
)
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot
from pale_heron.core.device.schema.notices import ERROR, NO_ANSWER, OK, UNCLEAR
from pale_heron.core.frames import SECOND
from pale_heron.core.sharing.masking import shown, without
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import beside_hex, safe_label, starred
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import BLANK, Line, Span, beside, cut, line, padded, titled, width_of, wrapped
from pale_heron.tui.views.module.choices import ModuleChoices

WIDE = 110
DETAIL = 44
INDENT = 10
HEX_ROW = 16
MOST_HEX_ROWS = 10
WITH_ENDS = "sent, received, with line ends"
LIST_NAMED, LIST_UNNAMED, LIST_NOTICES = 3, 2, 2
"""So many lines of a reply, and notices that came meanwhile, stand in the list."""

FOLDED = 3
"""More notices than that, one behind the other, are one row beside the list."""
_STANDS: Final = {
    OK: ("●", "reed"),
    ERROR: ("✕", "coral"),
    NO_ANSWER: ("✕", "coral"),
    UNCLEAR: ("?", "amber"),
    "": ("◐", "amber"),
}
_ROLES: Final = {
    ECHO: "echo",
    INFORMATION: "reply",
    NOTICE: "notice",
    PROMPT: "prompt",
    SENT: "sent",
    PAYLOAD: "payload",
    RESULT: "result",
}


def paint(module: ModuleSnapshot, look: ModuleChoices, width: int, room: int) -> list[Line]:
    """The list, and beside or under it the chosen one."""
    if not module.items:
        return [
            line(("No command and no answer yet. : opens the entry line; AT is the first command to try.", "quiet"))
        ]
    chosen = chosen_item(module, look.chosen)
    if look.opened is not None:
        return opened(module, chosen, look.opened, width, room)
    if width >= WIDE:
        left = width - DETAIL - 3
        rows = _list(module, chosen, left, room)
        return beside([(rows, left), (detail(module, chosen, DETAIL, room), DETAIL)], gap=3)
    below = min(12, room // 2)
    rows = _list(module, chosen, width, room - below - 1)
    # What the list leaves free is of use for the chosen one.
    below = room - len(rows) - 1
    return [*rows, line(("─" * width, "line")), *detail(module, chosen, width, below)]


def chosen_item(module: ModuleSnapshot, number: int | None) -> Item:
    """The one of that number; the newest where it is None or no longer kept."""
    found = next((each for each in module.items if each.number == number), None)
    return found or module.items[-1]


def _list(module: ModuleSnapshot, chosen: Item, width: int, room: int) -> list[Line]:
    """As many items as fit, the chosen one among them, the newest last."""
    index = next(at for at, each in enumerate(module.items) if each.number == chosen.number)
    rows: list[Line] = []
    first = index
    # From the chosen one downwards to the newest, then upwards as far as there is room.
    for item in module.items[index:]:
        rows += item_rows(module, item, width, lit=item.number == chosen.number)
    rows = rows[:room]
    while first > 0 and len(rows) < room:
        first -= 1
        rows = [*item_rows(module, module.items[first], width, lit=False), *rows]
    return rows[-room:] if len(rows) > room and index > first else rows[:room]


def item_rows(module: ModuleSnapshot, item: Item, width: int, *, lit: bool) -> list[Line]:
    """One item of the list: its line, and under it what the reply said."""
    if isinstance(item, DataStretch):
        rows = [_data_row(module, item)]
    elif isinstance(item, Unsolicited):
        rows = _unsolicited_rows(module, item)
    else:
        rows = _exchange_rows(module, item, width)
    ground = "@select" if lit else ""
    bar = Span("▌" if lit else " ", f"heron{ground}")
    action = act(acts.choose_exchange, item.number)
    out = []
    for row in rows:
        spans = padded((bar, *row), width)
        out.append(tuple(each._replace(role=each.role.partition("@")[0] + ground, action=action) for each in spans))
    return out


def _time(time: int | None) -> Span:
    return Span("             " if time is None else f"{clock(time, 3)} ", "quiet")


def _exchange_rows(module: ModuleSnapshot, item: Exchange, width: int) -> list[Line]:
    secret = module.secrets
    sign, role = _STANDS[item.status]
    result, took = _result(item)
    meaning = "; ".join(each.meaning for each in item.commands)
    tail = line((f" {result}", role if item.status != OK else "text"), (f"{took:>10}", "quiet"))
    tail_width = sum(len(each.text) for each in tail)
    head = line((f"{sign} ", role), _time(item.begun), (shown(item.sent, secret), "*text"), (f"  {meaning}", "quiet"))
    rows: list[Line] = [(*padded(cut(head, width - tail_width - 2), width - tail_width - 1), *tail)]
    named = [each for each in item.heard if each.fields and each.role == INFORMATION]
    for each in named[:LIST_NAMED]:
        words = line((_fields_words(module, each), "tide"))
        rows += [line((" " * 15, "text"), *row) for row in wrapped(words, width - 17)[:3]]
    unnamed = [each for each in item.information if not each.fields]
    for each in unnamed[:LIST_UNNAMED]:
        rows.append(line((" " * 15, "text"), (shown(each.data, secret), "text")))
    if item.status == UNCLEAR:
        rows.append(line((" " * 15, "text"), (without(safe_label(item.meaning), secret), "amber")))
    more = max(0, len(named) - LIST_NAMED) + max(0, len(unnamed) - LIST_UNNAMED) + item.dropped
    if more:
        rows.append(line((" " * 15, "text"), (f"and {figures.several(more, 'line')} more: i shows all", "quiet")))
    notices = item.notices
    for each in notices[:LIST_NOTICES]:
        rows.append(line((" " * 13, "text"), ("◂ ", "heather"), (_notice(module, each), "heather")))
    if len(notices) > LIST_NOTICES:
        folded = f"and {figures.several(len(notices) - LIST_NOTICES, 'notice')} more meanwhile"
        rows.append(line((" " * 13, "text"), ("◂ ", "heather"), (folded, "quiet")))
    return rows


def _result(item: Exchange) -> tuple[str, str]:
    if not item.status:
        return f"waits for {item.waits}", ""
    if item.status == NO_ANSWER:
        return item.result or ("to the far end" if item.to_far_end else "no answer"), ""
    if item.status == UNCLEAR:
        return "no result known", ""
    took = "" if item.seconds is None else milliseconds(item.seconds)
    return safe_label(item.result), took


def milliseconds(seconds: float) -> str:
    """`22 ms`, `1.44 s`."""
    return f"{1000 * seconds:.0f} ms" if seconds < 1 else f"{seconds:.2f} s"


def _fields_words(module: ModuleSnapshot, heard: ReceivedLine) -> str:
    """The fields of a reply in one line, by their names."""
    parts = ((name, _in_words(module, name, raw)) for name, raw in heard.fields if raw)
    return " · ".join(f"{_name(name)} {words}" for name, words in parts)


def _in_words(module: ModuleSnapshot, name: str, raw: str) -> str:
    """The value of a field, without secrets."""
    return without(safe_label(module.dialect.field_of(name).in_words(raw)), module.secrets)


def _name(name: str) -> str:
    return name.replace("_", " ")


def _notice(module: ModuleSnapshot, heard: ReceivedLine) -> str:
    """What a notice means, or what it says where nobody knows."""
    dialect, secret = module.dialect, module.secrets
    if heard.name == LATE:
        return f"{shown(heard.data, secret)}: a result that came too late"
    notice = dialect.notices.get(heard.name)
    if notice is not None and notice.meaning:
        masked = {
            name: _in_words(module, name, raw) if dialect.field_of(name).secret else raw for name, raw in heard.fields
        }
        return without(safe_label(notice.in_words(masked)), secret)
    result = dialect.results.get(heard.name)
    said = shown(heard.data, secret)
    return f"{said}: {result.meaning}" if result is not None else said


def _unsolicited_rows(module: ModuleSnapshot, item: Unsolicited) -> list[Line]:
    first = item.heard[0]
    known = bool(first.name)
    words = _notice(module, first)
    note = "" if known else "  unasked, unknown"
    rows = [line(("◂ ", "heather"), _time(first.time), (words, "heather" if known else "text"), (note, "quiet"))]
    return [*rows, *(line((" " * 15, "text"), (shown(each.data, module.secrets), "tide")) for each in item.heard[1:2])]


def _data_row(module: ModuleSnapshot, item: DataStretch) -> Line:
    words = f"data mode: ◂ {figures.size(item.bytes_in)}  ▸ {figures.size(item.bytes_out)}"
    last = f"  …{shown(item.last, module.secrets)[-40:]}" if item.last else ""
    state = "" if item.ended else "  now"
    return line(("≋ ", "amber"), _time(item.begun), (words, "amber"), (state, "amber"), (last, "quiet"))


def detail(module: ModuleSnapshot, item: Item, width: int, room: int) -> list[Line]:
    """One item with everything that is known of it, and its bytes, as far as there is room."""
    if isinstance(item, DataStretch):
        rows = [
            *wrapped(_data_row(module, item), width),
            BLANK,
            *_bytes([item.last], "the last that came", width, module.secrets),
        ]
    else:
        rows = [*_head(module, item, width), BLANK]
        lines = _line_rows(module, item, _folded(item.heard), width)
        rows += islice(chain.from_iterable(lines), max(0, room + 1 - len(rows)))
        if len(rows) <= room:
            rows += _end_rows(item, item.heard, width, module.secrets)
    if len(rows) > room:
        rows = [*rows[: room - 1], line(("more: i shows all", "quiet"))]
    return rows


def opened(module: ModuleSnapshot, item: Item, first: int, width: int, room: int) -> list[Line]:
    """One item over the whole page, from its line `first` on: every line whole, then the bytes."""
    keys = line(("↑↓ pages, home, end: scroll   i closes", "quiet"))
    if isinstance(item, DataStretch):
        return [*detail(module, item, width, room - 1)[: room - 1], keys]
    head = _head(module, item, width)[: room // 2]
    count = len(item.heard)
    first = max(0, min(first, count - 1))
    left = room - len(head) - 2
    rows: list[Line] = []
    last = first
    for each in _line_rows(module, item, ((heard, 0) for heard in item.heard[first:]), width):
        if len(rows) + len(each) > left and rows:
            break
        rows += each
        last += 1
    if last == count:
        rows += _end_rows(item, item.heard[first:], width, module.secrets)
    where = f"LINES {first + 1} TO {last} OF {figures.count(count + item_dropped(item))}" if count else "NO LINE YET"
    return [*head, line((where, "quiet"), ("   ", "quiet"), *keys), *rows[: left + 1]]


def item_dropped(item: Item) -> int:
    """Lines that were too many to be kept."""
    return item.dropped if isinstance(item, Exchange) else 0


def _head(module: ModuleSnapshot, item: Exchange | Unsolicited, width: int) -> list[Line]:
    if isinstance(item, Unsolicited):
        return [line(("CAME UNASKED", "quiet"))]
    return _command_rows(module, item, width)


def _command_rows(module: ModuleSnapshot, item: Exchange, width: int) -> list[Line]:
    dialect, secret = module.dialect, module.secrets
    rows = [cut(line(("SENT  ", "quiet"), (shown(item.sent, secret), "*text")), width)]
    for spoken in item.spoken:
        command = spoken.command
        if command is None:
            rows += wrapped(
                line((f"{without(safe_label(spoken.text), secret)}: not in the dialect {dialect.name}", "quiet")), width
            )
            continue
        source = f" ({command.source})" if command.source else ""
        rows += wrapped(line((command.meaning, "text"), (source, "quiet")), width)
        for name, value in spoken.values.items():
            parameter = command.parameters[name]
            parts = _in_words(module, name, value) if dialect.field_of(name).secret else without(value, secret)
            meaning = parameter.choices.get(value, "")
            rows += wrapped(line((f"  {_name(name)} ", "quiet"), safe_label(f"{parts} {meaning}")), width)
        # The note of now, which may have been written since.
        note = dialect.commands.get(command.name, command).note
        if note:
            rows += wrapped(line(("  ✎ ", "heather"), (safe_label(note), "heather")), width)
    sign, role = _STANDS[item.status]
    result, took = _result(item)
    rows += wrapped(
        line((f"{sign} {result} ", role), (took, "text"), (f"  {without(safe_label(item.meaning), secret)}", "quiet")),
        width,
    )
    return rows


def _folded(heard: tuple[ReceivedLine, ...]) -> Iterator[tuple[ReceivedLine, int]]:
    """Lines, each with how many of its kind that follow it at once are left out: of many notices the first stands."""
    for is_notice, group in groupby(heard, lambda each: each.role == NOTICE):
        if not is_notice:
            yield from ((each, 0) for each in group)
            continue
        together = list(group)
        folded = len(together) - 1 if len(together) > FOLDED else 0
        yield from ((each, folded) for each in (together[:1] if folded else together))


def _line_rows(
    module: ModuleSnapshot, item: Item, heard: Iterable[tuple[ReceivedLine, int]], width: int
) -> Iterator[list[Line]]:
    """The rows of each line: when, what it is, its text whole, and what it says."""
    for each, folded in heard:
        since = "" if item.begun is None or each.time is None else f"+{(each.time - item.begun) / SECOND:.3f} "
        role = "heather" if each.role == NOTICE else "text"
        lead = line((f"{since:<8}", "quiet"), (f"{_ROLES[each.role]:<8}", "quiet"))
        room = max(8, width - width_of(lead))
        text = shown(each.data, module.secrets)
        pieces = [text[at : at + room] for at in range(0, len(text), room)] or [""]
        rows = [(*lead, Span(pieces[0], role))]
        rows += [line((" " * width_of(lead), "text"), (piece, role)) for piece in pieces[1:]]
        notes = wrapped(line((_notice(module, each), "quiet")), width - INDENT) if each.role == NOTICE else []
        if folded:
            notes.append(line((f"and {figures.several(folded, 'notice')} more behind it", "quiet")))
        for name, raw in each.fields:
            if raw:
                field = module.dialect.field_of(name)
                said = (f"{field.meaning or _name(field.name)}  ", "quiet"), (_in_words(module, name, raw), "tide")
                notes += wrapped(line(*said), width - INDENT)
        yield [*rows, *(cut(line((" " * INDENT, "text"), *row), width) for row in notes)]


def _end_rows(item: Item, heard: Sequence[ReceivedLine], width: int, secret: frozenset[str]) -> list[Line]:
    """What is not here, and the bytes of what is."""
    rows: list[Line] = []
    if dropped := item_dropped(item):
        many = figures.several(dropped, "line")
        words = f"and {many} that were too many to keep here: Traffic and the record have them"
        rows += wrapped(line((words, "amber")), width)
    if isinstance(item, Exchange):
        return [*rows, BLANK, *_bytes([item.bytes_out or item.sent, item.bytes_in], WITH_ENDS, width, secret)]
    pieces = [each.data for each in islice(heard, 2 * MOST_HEX_ROWS)]
    return [*rows, BLANK, *_bytes(pieces, "received, without line ends", width, secret)]


def _bytes(pieces: list[bytes], note: str, width: int, secrets: frozenset[str]) -> list[Line]:
    """The first bytes of each piece, hexadecimal beside text, each piece on rows of its own."""
    if any(starred(each, secrets) != each for each in pieces):
        return [line(("its bytes hold a secret: they are not shown", "quiet"))]
    row = min(HEX_ROW, (width - 1) // 4)
    cut_up = [data[at : at + row] for data in pieces for at in range(0, len(data), row)]
    rows = [line((f"{each.hex(' ').upper():<{3 * row}} ", "quiet"), (beside_hex(each), "text")) for each in cut_up]
    more = len(rows) - MOST_HEX_ROWS
    note += f", {figures.several(more, 'row')} more" if more > 0 else ""
    return titled("BYTES", rows[:MOST_HEX_ROWS], note) if rows else []
