"""The page `exchanges` of Module: commands and answers as they happen, and the chosen exchange in full."""

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
from pale_heron.core.device.dialogue.masking import secrets_of, shown
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.notices import ERROR, NO_ANSWER, OK
from pale_heron.core.frames import SECOND
from pale_heron.core.utc import clock
from pale_heron.core.wire.visible import safe_label, safe_text
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import BLANK, Line, Span, beside, cut, line, padded, titled, wrapped
from pale_heron.tui.views.module.choices import ModuleChoices

WIDE = 110
DETAIL = 44
INDENT = 10
HEX_ROW = 16
MOST_HEX_ROWS = 10
_STANDS: Final = {OK: ("●", "reed"), ERROR: ("✕", "coral"), NO_ANSWER: ("✕", "coral"), "": ("◐", "amber")}
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
    if width >= WIDE:
        left = width - DETAIL - 3
        rows = _list(module, chosen, left, room)
        return beside([(rows, left), (detail(module.dialect, chosen, DETAIL, room), DETAIL)], gap=3)
    below = min(12, room // 2)
    rows = _list(module, chosen, width, room - below - 1)
    return [*rows, line(("─" * width, "line")), *detail(module.dialect, chosen, width, below)]


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
        rows += item_rows(module.dialect, item, width, lit=item.number == chosen.number)
    rows = rows[:room]
    while first > 0 and len(rows) < room:
        first -= 1
        rows = [*item_rows(module.dialect, module.items[first], width, lit=False), *rows]
    return rows[-room:] if len(rows) > room and index > first else rows[:room]


def item_rows(dialect: Dialect, item: Item, width: int, *, lit: bool) -> list[Line]:
    """One item of the list: its line, and under it what the reply said."""
    if isinstance(item, DataStretch):
        rows = [_data_row(item)]
    elif isinstance(item, Unsolicited):
        rows = _unsolicited_rows(dialect, item)
    else:
        rows = _exchange_rows(dialect, item, width)
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


def _exchange_rows(dialect: Dialect, item: Exchange, width: int) -> list[Line]:
    secret = secrets_of(dialect, item)
    sign, role = _STANDS[item.status]
    result, took = _result(item)
    meaning = "; ".join(each.meaning for each in item.commands)
    tail = line((f" {result}", role if item.status != OK else "text"), (f"{took:>10}", "quiet"))
    tail_width = sum(len(each.text) for each in tail)
    head = line((f"{sign} ", role), _time(item.begun), (shown(item.sent, secret), "*text"), (f"  {meaning}", "quiet"))
    rows: list[Line] = [(*padded(cut(head, width - tail_width - 2), width - tail_width - 1), *tail)]
    parts = [_fields_words(dialect, each) for each in item.heard if each.fields and each.role == INFORMATION]
    for words in parts[:3]:
        rows += [line((" " * 15, "text"), *row) for row in wrapped(line((words, "tide")), width - 17)[:3]]
    if len(parts) > 3:
        rows.append(line((" " * 15, "text"), (f"and {len(parts) - 3} more", "quiet")))
    unnamed = [each for each in item.information if not each.fields]
    for each in unnamed[:2]:
        rows.append(line((" " * 15, "text"), (shown(each.data, secret), "text")))
    if len(unnamed) > 2:
        rows.append(line((" " * 15, "text"), (f"and {figures.several(len(unnamed) - 2, 'line')} more", "quiet")))
    for each in item.notices:
        rows.append(line((" " * 13, "text"), ("◂ ", "heather"), (_notice(dialect, each, secret), "heather")))
    return rows


def _result(item: Exchange) -> tuple[str, str]:
    if not item.status:
        return f"waits for {item.waits}", ""
    if item.status == NO_ANSWER:
        return item.result or "no answer", ""
    took = "" if item.seconds is None else milliseconds(item.seconds)
    return safe_label(item.result), took


def milliseconds(seconds: float) -> str:
    """`22 ms`, `1.44 s`."""
    return f"{1000 * seconds:.0f} ms" if seconds < 1 else f"{seconds:.2f} s"


def _fields_words(dialect: Dialect, heard: ReceivedLine) -> str:
    """The fields of a reply in one line, by their names."""
    parts = ((dialect.field_of(name), raw) for name, raw in heard.fields if raw)
    return " · ".join(f"{_name(field.name)} {safe_label(field.in_words(raw))}" for field, raw in parts)


def _name(name: str) -> str:
    return name.replace("_", " ")


def _notice(dialect: Dialect, heard: ReceivedLine, secret: set[str]) -> str:
    """What a notice means, or what it says where nobody knows."""
    if heard.name == LATE:
        return f"{shown(heard.data, secret)}: a result that came too late"
    notice = dialect.notices.get(heard.name)
    if notice is not None and notice.meaning:
        masked = {
            name: dialect.field_of(name).in_words(raw) if name in dialect.secrets else raw for name, raw in heard.fields
        }
        return safe_label(notice.in_words(masked))
    result = dialect.results.get(heard.name)
    said = shown(heard.data, secret)
    return f"{said}: {result.meaning}" if result is not None else said


def _unsolicited_rows(dialect: Dialect, item: Unsolicited) -> list[Line]:
    secret = secrets_of(dialect, item)
    first = item.heard[0]
    known = bool(first.name)
    words = _notice(dialect, first, secret)
    note = "" if known else "  unasked, unknown"
    rows = [line(("◂ ", "heather"), _time(first.time), (words, "heather" if known else "text"), (note, "quiet"))]
    return [*rows, *(line((" " * 15, "text"), (shown(each.data, secret), "tide")) for each in item.heard[1:2])]


def _data_row(item: DataStretch) -> Line:
    words = f"data mode: ◂ {figures.size(item.bytes_in)}  ▸ {figures.size(item.bytes_out)}"
    last = f"  …{safe_text(item.last[-40:])}" if item.last else ""
    state = "" if item.ended else "  now"
    return line(("≋ ", "amber"), _time(item.begun), (words, "amber"), (state, "amber"), (last, "quiet"))


def detail(dialect: Dialect, item: Item, width: int, room: int) -> list[Line]:
    """One item with everything that is known of it, and its bytes."""
    if isinstance(item, DataStretch):
        rows = [*wrapped(_data_row(item), width), BLANK, *_bytes([item.last], width)]
    elif isinstance(item, Unsolicited):
        rows = [line(("CAME UNASKED", "quiet")), BLANK, *_heard_rows(dialect, item, item.heard, width)]
    else:
        rows = [*_command_rows(dialect, item, width), BLANK, *_heard_rows(dialect, item, item.heard, width)]
    return rows[:room]


def _command_rows(dialect: Dialect, item: Exchange, width: int) -> list[Line]:
    secret = secrets_of(dialect, item)
    rows = [cut(line(("SENT  ", "quiet"), (shown(item.sent, secret), "*text")), width)]
    for spoken in item.spoken:
        command = spoken.command
        if command is None:
            rows += wrapped(line((f"{safe_label(spoken.text)}: not in the dialect {dialect.name}", "quiet")), width)
            continue
        source = f" ({command.source})" if command.source else ""
        rows += wrapped(line((command.meaning, "text"), (source, "quiet")), width)
        for name, value in spoken.values.items():
            parameter = command.parameters[name]
            parts = dialect.field_of(name).in_words(value) if name in dialect.secrets else value
            meaning = parameter.choices.get(value, "")
            rows += wrapped(line((f"  {_name(name)} ", "quiet"), safe_label(f"{parts} {meaning}")), width)
        # The note of now, which may have been written since.
        note = dialect.commands.get(command.name, command).note
        if note:
            rows += wrapped(line(("  ✎ ", "heather"), (safe_label(note), "heather")), width)
    sign, role = _STANDS[item.status]
    result, took = _result(item)
    rows += wrapped(
        line((f"{sign} {result} ", role), (took, "text"), (f"  {safe_label(item.meaning)}", "quiet")), width
    )
    return rows


def _heard_rows(dialect: Dialect, item: Item, heard: tuple[ReceivedLine, ...], width: int) -> list[Line]:
    secret = secrets_of(dialect, item)
    begun = item.begun
    rows: list[Line] = []
    for each in heard:
        since = "" if begun is None or each.time is None else f"+{(each.time - begun) / SECOND:.3f} "
        role = "heather" if each.role == NOTICE else "text"
        head = line((f"{since:<8}", "quiet"), (f"{_ROLES[each.role]:<8}", "quiet"), (shown(each.data, secret), role))
        rows.append(cut(head, width))
        notes = wrapped(line((_notice(dialect, each, secret), "quiet")), width - INDENT) if each.role == NOTICE else []
        parts = [(dialect.field_of(name), raw) for name, raw in each.fields if raw]
        notes += [
            line((f"{field.meaning or _name(field.name)}  ", "quiet"), (safe_label(field.in_words(raw)), "tide"))
            for field, raw in parts
        ]
        rows += [cut(line((" " * INDENT, "text"), *row), width) for row in notes]
    if isinstance(item, Exchange) and item.dropped:
        rows.append(line((f"and {figures.several(item.dropped, 'line')} that were too many to keep", "quiet")))
    if secret:
        return [*rows, BLANK, line(("its bytes hold a secret: they are not shown", "quiet"))]
    return [*rows, BLANK, *_bytes([each.data for each in heard], width)]


def _bytes(pieces: list[bytes], width: int) -> list[Line]:
    """The first bytes of each piece, hexadecimal beside text, each piece on rows of its own."""
    row = min(HEX_ROW, (width - 1) // 4)
    cut_up = [data[at : at + row] for data in pieces for at in range(0, len(data), row)]
    rows = [line((f"{each.hex(' ').upper():<{3 * row}} ", "quiet"), (safe_text(each), "text")) for each in cut_up]
    more = len(rows) - MOST_HEX_ROWS
    note = "without line ends" + (f", {figures.several(more, 'row')} more" if more > 0 else "")
    return titled("BYTES", rows[:MOST_HEX_ROWS], note) if rows else []
