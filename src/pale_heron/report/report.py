"""What a report is made of, and of what it is made, whatever it is written as."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from pale_heron.bench.redacting import EXACT
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.proof.expectation import Judged
from pale_heron.core.proof.joining import JoinedClocks
from pale_heron.core.proof.measured import Evident

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from pale_heron.core.link.probe_log import ProbeLog


class ReportAnswer(NamedTuple):
    """What is said of one subject (a lane, a trial); `role` is how it stands."""

    subject: str
    role: str
    words: str


class ReportTable(NamedTuple):
    """Rows under their heads; the first column is what the row is about."""

    title: str
    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]


class ReportChart(NamedTuple):
    """`draw` may raise NothingToDraw."""

    title: str
    draw: "Callable[[], Figure]"


class ReportPart(NamedTuple):
    """One question."""

    title: str
    question: str
    answers: tuple[ReportAnswer, ...]
    tables: tuple[ReportTable, ...] = ()
    charts: tuple[ReportChart, ...] = ()
    notes: tuple[str, ...] = ()


class ShortAnswer(NamedTuple):
    """For somebody in a hurry: a question, how it stands, and a sentence."""

    question: str
    role: str
    words: str


class Report(NamedTuple):
    """The whole of it. `facts` are names and values; `left_out` says what is not here, and why.

    `in_short` and `overview` stand first: an answer to each question, and all lanes in one drawing.
    """

    title: str
    facts: tuple[tuple[str, str], ...]
    in_short: tuple[ShortAnswer, ...]
    overview: ReportChart | None
    parts: tuple[ReportPart, ...]
    left_out: tuple[str, ...]
    until: int = 0
    """When what it tells of ended, nanoseconds since 1970."""


class ReportWishes(NamedTuple):
    """What whoever asks for it says."""

    title: str = ""
    by: str = ""
    where: str = ""
    place: str = EXACT
    short: bool = False
    """One page for a glance: answers and expectations alone."""


class ReportMatter(NamedTuple):
    """What it is made of."""

    source: str
    facts: tuple[tuple[str, str], ...]
    known: Evident
    shown: BenchSnapshot
    probes: "ProbeLog"
    judged: Sequence[Judged] = ()
    expected_title: str = ""
    dated: bool = True
    timed: bool = True
    """Whether somebody saw its bytes come: not of a raw log."""
    joined: JoinedClocks | None = None
