"""Clock: what time is it, and how late does it reach us? The answer, and the pages of evidence."""

from collections.abc import Callable
from typing import Final

from pale_heron.answers.clock import clock_answer
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.tui import acts
from pale_heron.tui.acts import act
from pale_heron.tui.painting.paint import BLANK, Line, Span, headline
from pale_heron.tui.views.clock import page_host, page_pulses, page_time
from pale_heron.tui.views.table import VIEWS

QUESTION: Final = VIEWS["clock"].question
HELP: Final = (
    "A receiver tells the time of a second, and its sentences come some time after it: that is their lag, the arrival "
    "of the first byte by this computer's clock minus the time that the sentence tells. It holds the error of this "
    "computer's clock as well, so the view says how good that is.",
    "The strip shows where in the second each sentence comes. The steadiest one is the best to take time from: its lag "
    "is what a time daemon has to be given. Where a lag wanders it says so.",
    "Whole seconds between the two clocks are told apart from lags, with the cause that fits them.",
    "At other line rates the last byte would come earlier or later: the bytes of a round say when.",
    "Pulses (p adds a source, P lets one go): how many came, were missed or came twice, how even they are, and how "
    "this computer's clock runs against them. The first interval is left out. Where none come it says what "
    "to look at.",
    "Host: this computer's clock against pulses, sentences and servers (n asks one), with how sure each is. How steady "
    "it is over a span is the Allan deviation.",
)
PAGES: Final = {"time": "time", "pulses": "pulses", "host": "host"}
_PAINTERS: Final[dict[str, Callable[[BenchSnapshot, ClockPicture, int], list[Line]]]] = {
    "time": page_time.paint,
    "pulses": page_pulses.paint,
    "host": page_host.paint,
}


def paint(snapshot: BenchSnapshot, picture: ClockPicture, page: str, width: int) -> list[Line]:
    """The whole view."""
    now = snapshot.now if snapshot.replay is None or snapshot.replay.playing else None
    head = headline(QUESTION, clock_answer(picture, now), width)
    return [*head[:-1], _tabs(page), BLANK, *_PAINTERS[page](snapshot, picture, width)]


def _tabs(page: str) -> Line:
    spans = [Span("v ", "amber", act(acts.next_clock_page))]
    for name, title in PAGES.items():
        chosen = "*heron@select" if name == page else "quiet"
        spans += [Span(f" {title} ", chosen, act(acts.show_clock_page, name)), Span(" ")]
    return tuple(spans)
