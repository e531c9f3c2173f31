"""Proof put together: what is expected, judged once a second, and what its keys do."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.frames import SECOND
from pale_heron.core.trouble import Trouble
from pale_heron.tui.widgets.canvas import Canvas

if TYPE_CHECKING:
    from pale_heron.bench.config.expectation_file import ExpectationFile
    from pale_heron.core.proof.expectation import Judged


class ProofView(Canvas):
    """`wanted` is what is expected from the start, if anything."""

    def __init__(self, snapshot: Callable[[], BenchSnapshot], wanted: "ExpectationFile | None" = None) -> None:
        super().__init__(id="proof", classes="view")
        self._snapshot = snapshot
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
        self.show(proof.paint(snapshot, title, self._judged, max(20, self.size.width - 2)))

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

        question = "Which file of expectations? docs/expectations.md says what may stand there"
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
            return f"{text} is there already: choose another name" if Path(text).expanduser().exists() else ""

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
    from pale_heron.report.contents import ReportWishes
    from pale_heron.report.writing import matter_of, write_report

    write_report(matter_of(capture, wanted), ReportWishes(), path)
