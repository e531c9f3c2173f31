"""Colours by role, dark and light, as in the marsh: slate and feather greys, one warm colour for attention."""

from functools import lru_cache
from typing import Final

from rich.style import Style
from textual.theme import Theme

DARK: Final = {
    "ground": "#141b22",
    "panel": "#1b2530",
    "select": "#24333f",
    "line": "#2e3d4b",
    "faint": "#53677a",
    "text": "#d8e0e6",
    "quiet": "#8698a8",
    "heron": "#8db5cf",
    "amber": "#e2a64b",
    "reed": "#8cbb87",
    "coral": "#e0725c",
    "tide": "#62b3ae",
    "heather": "#b59ad2",
}
LIGHT: Final = {
    "ground": "#f3f5f4",
    "panel": "#e6ebec",
    "select": "#d3dde2",
    "line": "#c3ced4",
    "faint": "#94a4ae",
    "text": "#1d2930",
    "quiet": "#566873",
    "heron": "#23658d",
    "amber": "#95590a",
    "reed": "#33702f",
    "coral": "#ad3822",
    "tide": "#166f6a",
    "heather": "#6d4b97",
}
PALETTES: Final = {"heron-dark": DARK, "heron-light": LIGHT}


def _theme(name: str, roles: dict[str, str], dark: bool) -> Theme:
    return Theme(
        name=name,
        primary=roles["heron"],
        secondary=roles["tide"],
        accent=roles["heather"],
        warning=roles["amber"],
        error=roles["coral"],
        success=roles["reed"],
        foreground=roles["text"],
        background=roles["ground"],
        surface=roles["panel"],
        panel=roles["panel"],
        dark=dark,
        variables={"scrollbar": roles["line"], "scrollbar-background": roles["ground"]}
        | {f"role-{role}": colour for role, colour in roles.items()},
    )


THEMES: Final = (_theme("heron-dark", DARK, True), _theme("heron-light", LIGHT, False))


@lru_cache(maxsize=1024)
def style_of(theme: str, role: str, ground: str) -> Style:
    """The style of a role: `*` bold, `/` italic, `role@ground` on another ground than the widget's own."""
    colours = PALETTES.get(theme, DARK)
    bold, italic = role.startswith("*"), role.startswith("/")
    name, _, own_ground = role.lstrip("*/").partition("@")
    return Style(color=colours[name], bgcolor=colours[own_ground or ground], bold=bold or None, italic=italic or None)
