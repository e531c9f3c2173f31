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
DARK_256: Final = {
    "ground": "#1c1c1c",
    "panel": "#262626",
    "select": "#3a3a3a",
    "line": "#4e4e4e",
    "faint": "#767676",
    "text": "#dadada",
    "quiet": "#9e9e9e",
    "heron": "#87afd7",
    "amber": "#d7af5f",
    "reed": "#87af87",
    "coral": "#d7875f",
    "tide": "#5fafaf",
    "heather": "#af87d7",
}
LIGHT_256: Final = {
    "ground": "#eeeeee",
    "panel": "#e4e4e4",
    "select": "#d0d0d0",
    "line": "#bcbcbc",
    "faint": "#949494",
    "text": "#262626",
    "quiet": "#585858",
    "heron": "#005f87",
    "amber": "#875f00",
    "reed": "#005f00",
    "coral": "#af0000",
    "tide": "#005f5f",
    "heather": "#5f5f87",
}
"""For terminals of 256 colours: colours that these have, since the nearest to a dark slate is a loud blue there."""

PALETTES: Final = {
    "heron-dark": DARK,
    "heron-light": LIGHT,
    "heron-dark-256": DARK_256,
    "heron-light-256": LIGHT_256,
}


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


THEMES: Final = tuple(_theme(name, roles, "dark" in name) for name, roles in PALETTES.items())


def theme_names(color_system: str | None) -> tuple[str, str]:
    """The dark and the light theme for what the terminal can show."""
    return ("heron-dark", "heron-light") if color_system == "truecolor" else ("heron-dark-256", "heron-light-256")


@lru_cache(maxsize=1024)
def style_of(theme: str, role: str, ground: str) -> Style:
    """The style of a role: `*` bold, `/` italic, `role@ground` on another ground than the widget's own."""
    colours = PALETTES.get(theme, DARK)
    bold, italic = role.startswith("*"), role.startswith("/")
    name, _, own_ground = role.lstrip("*/").partition("@")
    return Style(color=colours[name], bgcolor=colours[own_ground or ground], bold=bold or None, italic=italic or None)
