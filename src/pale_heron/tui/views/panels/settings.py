"""All settings of a lane, and the one line that holds them."""

from typing import Final

from pale_heron.core.line.settings import KEYS, LineSettings, said, short_line
from pale_heron.tui.painting.paint import BLANK, Line, line, wrapped
from pale_heron.tui.views.panels.rows import keys_lines, selectable

RAISED: Final = (
    "  Off holds from just after opening: Linux itself raises DTR and RTS for some milliseconds while it opens a port, "
    "and other systems may. A board that resets on that needs the wire taken off."
)


def paint(
    title: str, settings: LineSettings, settings_error: str, chosen: int, can_break: bool, width: int
) -> list[Line]:
    """What differs from the usual is lit; `settings_error` says what the driver did not take."""
    usual = LineSettings()
    rows = [
        line((f"{title}: settings", "*heron"), ("   changes hold at once and are recorded", "quiet")),
        BLANK,
    ]
    for index, name in enumerate(KEYS):
        key = KEYS[name]
        value = getattr(settings, key.field)
        role = "text" if value == getattr(usual, key.field) else "*amber"
        unit = " ms" if key.field.endswith("_ms") else " baud" if name == "rate" else ""
        words = line((f"{key.label:<20}", "quiet"), (f"{said(value) + unit:<16}", role), (key.allowed, "faint"))
        rows.append(selectable(words, index, chosen, width))
    if not (settings.dtr and settings.rts):
        rows += [BLANK, *wrapped(line((RAISED, "amber")), width)]
    if settings.decorative:
        rows += [BLANK, line(("  This port is virtual: the rate is decorative.", "amber"))]
    rows += [BLANK, line(("  as one line   ", "quiet"), (short_line(settings), "*text"))]
    if settings_error:
        rows += wrapped(line((f"  ✕ {settings_error}", "coral")), width)
    keys = [
        ("↑↓", "choose"),
        ("←→", "change"),
        ("enter", "type a value"),
        ("y", "copy the line"),
        ("p", "paste one"),
    ]
    keys += [("b", "send a break")] if can_break else []
    return [*rows, BLANK, *keys_lines([*keys, ("escape", "close")], width)]
