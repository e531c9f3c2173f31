"""Proof put together: what is expected, judged once a second, and what its keys do."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Final

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.frames import SECOND
from pale_heron.core.trouble import Trouble
from pale_heron.files.pages import page
from pale_heron.files.user_folders import is_there
from pale_heron.tui.widgets.canvas import Canvas

if TYPE_CHECKING:
    from pale_heron.bench.config.expectation_file import ExpectationFile
    from pale_heron.core.proof.expectation import Judged
    from pale_heron.core.proof.together import HappenedTogether, WhileSending


LEAST_SHOWN_NS: Final = 10 * SECOND


class ProofView(Canvas):
    """`go_to` shows a moment in Traffic; `wanted` is what is expected from the start, if anything."""

    def __init__(
        self,
        snapshot: Callable[[], BenchSnapshot],
        go_to: Callable[[int], None],
        wanted: "ExpectationFile | None" = None,
    ) -> None:
        super().__init__(id="proof", classes="view")
        self._snapshot = snapshot
        self._go_to = go_to
        self._page = "held"
        self._moment: int | None = None
        self._shown_ns: int | None = None
        """How much time is shown; None for all of it."""
        self._found: tuple[Sequence[HappenedTogether], Sequence[WhileSending]] = ((), ())
        self._found_at = -1
        self._wanted = wanted
        self._file = ""
        self._judged: Sequence[Judged] = ()
        self._judged_at = -1

    def draw(self) -> None:
        """One picture."""
        # Loaded with the first picture of this view: the first picture of all does not wait for it.
        from pale_heron.tui.views.proof import proof

        snapshot = self._snapshot()
        self._judge(snapshot)
        title = self._wanted.title if self._wanted is not None else ""
        width = max(20, self.size.width - 2)
        if self._page == "held":
            self.show(proof.paint(snapshot, title, self._judged, width))
        else:
            self._draw_lanes(snapshot, width)

    def _draw_lanes(self, snapshot: BenchSnapshot, width: int) -> None:
        from pale_heron.core.proof.picture import all_happenings, time_picture
        from pale_heron.core.proof.together import together, while_sending
        from pale_heron.tui.views.proof import lanes, proof

        if snapshot.now // SECOND != self._found_at:
            # Looked for over all of the record: once a second is enough.
            self._found_at = snapshot.now // SECOND
            happened = all_happenings(snapshot.lanes, snapshot.chronicle, snapshot.marks)
            sending = tuple(while_sending(snapshot.lanes, snapshot.chronicle.strips))
            self._found = together(happened), sending
        begin, end = self._stretch(snapshot)
        picture = time_picture(
            snapshot.lanes, snapshot.chronicle, snapshot.marks, begin, end, lanes.room(width), snapshot.now
        )
        look = lanes.LanesLook(self._moment, *self._found, whole=self._shown_ns is None)
        self.show(proof.paint_lanes(snapshot, self._judged, picture, look, width))

    def _stretch(self, snapshot: BenchSnapshot) -> tuple[int, int]:
        """What is shown: all of the record, or so much around the chosen moment, else the end of it."""
        begin, end = snapshot.began, max(snapshot.now, snapshot.began + SECOND)
        if self._shown_ns is None or self._shown_ns >= end - begin:
            return begin, end
        middle = self._moment if self._moment is not None else end
        first = max(begin, min(middle - self._shown_ns // 2, end - self._shown_ns))
        return first, first + self._shown_ns

    def show_page(self, page: str) -> None:
        self._page = page
        self.scroll_home(animate=False)
        self.draw()

    def next_page(self) -> None:
        """The other page."""
        self.show_page("lanes" if self._page == "held" else "held")

    def take_moment(self, moment: int) -> None:
        """Choose a moment; chosen again, Traffic goes there."""
        if self._moment == moment:
            self.enter_moment()
            return
        self._moment = moment
        self.draw()

    def move(self, step: int) -> None:
        """Move the chosen moment by a column; from nowhere it begins at the end."""
        from pale_heron.tui.views.proof.lanes import room

        begin, end = self._stretch(self._snapshot())
        stride = max(1, (end - begin) // room(max(20, self.size.width - 2)))
        moment = end - 1 if self._moment is None else self._moment + step * stride
        self._moment = max(self._snapshot().began, min(self._snapshot().now, moment))
        self.draw()

    def zoom(self, times: float) -> None:
        """Show so many times the stretch; never less than a few seconds, nor more than there is."""
        snapshot = self._snapshot()
        begin, end = self._stretch(snapshot)
        wanted = max(LEAST_SHOWN_NS, int((end - begin) * times))
        self._shown_ns = wanted if wanted < snapshot.now - snapshot.began else None
        self.draw()

    def enter_moment(self) -> None:
        """Show the chosen moment in Traffic."""
        if self._moment is not None:
            self._go_to(self._moment)

    def let_go(self) -> None:
        """Choose no moment."""
        self._moment = None
        self.draw()

    def _judge(self, snapshot: BenchSnapshot) -> None:
        """Figures such as a scatter take a moment: once a second is enough."""
        if self._wanted is None or snapshot.now // SECOND == self._judged_at:
            return
        from pale_heron.bench.evident import evident_now
        from pale_heron.core.proof.expectation import judge

        self._judged_at = snapshot.now // SECOND
        known = evident_now(snapshot)
        self._judged = tuple(judge(each, known) for each in self._wanted.expectations)

    def choose_file(self) -> None:
        """Ask for a file of expectations, and hold what there is against it."""
        from pale_heron.bench.config.expectation_file import read_expectations
        from pale_heron.tui.screens.panel import AskLine

        def wrong(text: str) -> str:
            try:
                read_expectations(Path(text.strip()).expanduser())
            except Trouble as trouble:
                return str(trouble)
            return ""

        def take(text: str | None) -> None:
            if text is not None:
                self._file = text.strip()
                self._wanted, self._judged_at = read_expectations(Path(self._file).expanduser()), -1
                self.draw()

        question = f"Which file of expectations? {page('expectations.md')} says what may stand there"
        self.app.push_screen(AskLine(question, self._file, wrong), take)

    def draft(self) -> None:
        """Write a file of expectations that all hold now, and hold what comes against it."""
        from pale_heron.bench.config.expectation_file import ExpectationFile, drafted
        from pale_heron.bench.evident import evident_now
        from pale_heron.core.proof.draft import draft
        from pale_heron.files.whole import written_whole
        from pale_heron.tui.screens.panel import AskLine

        snapshot = self._snapshot()
        made = draft(evident_now(snapshot))
        if not made:
            self.app.notify("There is nothing yet that could be expected again", severity="warning", markup=False)
            return

        def wrong(text: str) -> str:
            return f"{text} is there already: choose another name" if is_there(Path(text).expanduser()) else ""

        def take(text: str | None) -> None:
            if not text:
                return
            title = f"as good as {snapshot.bench}"
            try:
                with written_whole(Path(text).expanduser()) as fresh:
                    fresh.write_text(drafted(title, made), "utf-8")
            except OSError as problem:
                self.app.notify(f"{text} cannot be written: {problem.strerror}", severity="error", markup=False)
                return
            self._file, self._wanted, self._judged_at = text, ExpectationFile(title, made), -1
            self.app.notify(f"{len(made)} expectations are in {text}", markup=False)

        question = "Write what holds now to which file? All of it passes today"
        self.app.push_screen(AskLine(question, f"{snapshot.bench}-expected.toml", wrong), take)

    def make_report(self) -> None:
        """Ask for a file, and write a report of the record there."""
        from functools import partial

        from pale_heron.tui.actions.drawing import keep_drawing

        snapshot = self._snapshot()
        if not snapshot.capture.path:
            self.app.notify("A report is made of a record: none is kept", severity="warning", markup=False)
            return
        make = partial(_write_report, Path(snapshot.capture.path), self._wanted)
        keep_drawing(self, "report", snapshot, make, endings=(".html", ".pdf"))


def _write_report(capture: Path, wanted: "ExpectationFile | None", path: Path) -> None:
    """In a thread of its own: the capture is gone through once more."""
    from pale_heron.report.report import ReportWishes
    from pale_heron.report.writing import matter_of, write_report

    write_report(matter_of(capture, wanted), ReportWishes(), path)
