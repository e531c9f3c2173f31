"""What every chart made for print has in common: title, axes, legend, the capture it comes from, span and sample.

Colours are dark enough for paper. Matplotlib is slow to load: nothing else imports this room before a chart is wanted.
"""

import textwrap
import warnings
from collections.abc import Mapping
from datetime import UTC
from pathlib import Path
from typing import IO, Any, Final

import matplotlib
import numpy as np
from matplotlib.axes import Axes
from matplotlib.dates import AutoDateLocator, ConciseDateFormatter, DateFormatter
from matplotlib.figure import Figure
from matplotlib.text import Text

from pale_heron.core.trouble import Trouble
from pale_heron.files.whole import written_whole

INK, GREY, BLUE, TEAL, AMBER, PLUM, GREEN, RED = (
    "#1b2530",
    "#73848f",
    "#2f6690",
    "#1d7a76",
    "#b06a10",
    "#7a559c",
    "#4d7d48",
    "#b0413e",
)
FORMATS: Final = (".svg", ".pdf")
SIZE_IN = (8.27, 5.6)
LETTERS: Final = 112
"""Of what stands below a drawing: so many in a line, on a page too."""


class NothingToDraw(Trouble):
    """The capture does not hold what a chart shows."""


def check_format(path: Path) -> None:
    """Raises Trouble for a name that says no format."""
    if path.suffix.lower() not in FORMATS:
        raise Trouble(f"{path} has no ending that says a format", f"End its name with {' or '.join(FORMATS)}")


_DOTS: Final = dict.fromkeys(range(0x2400, 0x2427), "·")
"""The pictures of control characters, which fonts have not."""


def draw(
    figure: Figure, out: Path | IO[bytes], form: str, metadata: Mapping[str, None], *, paths: bool = False, **how: Any
) -> None:
    """A drawing in a format. Text stays text, so that it can be searched, unless it becomes `paths`."""
    with (
        matplotlib.rc_context({"svg.hashsalt": "pale-heron", "svg.fonttype": "path" if paths else "none"}),
        warnings.catch_warnings(),
    ):
        # A name may have letters that the font has not: a box stands for them, and nobody needs to be told.
        warnings.filterwarnings("ignore", message="Glyph .* missing")
        for text in figure.findobj(Text):
            text.set_text(text.get_text().translate(_DOTS))
        figure.savefig(out, format=form, metadata=dict(metadata), **how)


def save(figure: Figure, path: Path) -> None:
    """Write a drawing, whole or not at all. Raises Trouble where it cannot be written."""
    check_format(path)
    form = path.suffix.lower()
    try:
        # No date in it: the same capture gives the same bytes.
        date = {"Date": None} if form == ".svg" else {"CreationDate": None}
        with written_whole(path) as fresh:
            draw(figure, fresh, form[1:], date)
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Choose another place") from None


def titled(title: str, sample: str, source: str) -> Figure:
    """A figure with its title above, and the sample and the source below."""
    figure = Figure(figsize=SIZE_IN, layout="constrained")
    figure.suptitle(title, color=INK, fontsize=13, x=0.02, ha="left")
    lines = [line for said in sample.splitlines() for line in textwrap.wrap(said, LETTERS)]
    words = "\n".join((*lines, f"capture: {source}"))
    figure.supxlabel(words, color=GREY, fontsize=7.5, x=0.02, ha="left")
    return figure


def plain(axes: Any) -> None:
    """Quiet frames and grids, for each of the axes."""
    for each in np.ravel(axes):
        each.tick_params(colors=INK, labelsize=8)
        each.grid(color="#d5dbe0", linewidth=0.6)
        each.set_axisbelow(True)
        for side in each.spines.values():
            side.set_color("#a9b5bd")


def times_of(nanoseconds: Any) -> Any:
    """As matplotlib takes them; UTC."""
    return np.asarray(nanoseconds, dtype="int64").astype("datetime64[ns]")


def clock_axis(axes: Axes, *, dated: bool) -> None:
    """UTC along the bottom; without days where nobody knows them."""
    locator = AutoDateLocator(tz=UTC)
    axes.xaxis.set_major_locator(locator)
    form = ConciseDateFormatter(locator, tz=UTC) if dated else DateFormatter("%H:%M:%S", tz=UTC)
    axes.xaxis.set_major_formatter(form)
    axes.set_xlabel("UTC", color=INK, fontsize=9)
