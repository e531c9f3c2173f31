"""Where the pages of the documentation lie: in the sources, or beside an installed copy."""

import site
import sysconfig
from functools import cache
from pathlib import Path
from typing import Final

from pale_heron.files.user_folders import is_there

SOURCES: Final = Path(__file__).parents[3] / "docs"
INSTALLED: Final = Path("share", "doc", "pale-heron")


@cache
def page(name: str) -> str:
    """The path of a page here; where it was left out of an installation, its place in the sources."""
    places = (SOURCES, Path(sysconfig.get_path("data")) / INSTALLED, Path(site.getuserbase()) / INSTALLED)
    return str(next((place / name for place in places if is_there(place / name)), Path("docs", name)))
