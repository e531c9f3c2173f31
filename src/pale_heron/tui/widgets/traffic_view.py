"""Traffic put together: the head, the list or the latest of each type, and the chosen line; and what its keys do."""

from collections.abc import Callable
from functools import partial
from typing import Final, Protocol

from textual import events
from textual.app import ComposeResult
from textual.containers import Horizontal, Vertical
from textual.widget import Widget

from pale_heron.bench.scrollback.lines import Lines, SelectedLines
from pale_heron.bench.scrollback.search import Search
from pale_heron.bench.scrollback.selection import Selection, is_mark, is_trouble, text_matcher
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core import figures
from pale_heron.core.frames import SECOND, Frame
from pale_heron.core.moments import moment
from pale_heron.core.runs import Entry
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.tui.painting.paint import BLANK, Line
from pale_heron.tui.screens.panel import AskLine, Choice, TextPage
from pale_heron.tui.screens.selecting import SelectionPanel
from pale_heron.tui.views.traffic import detail, latest, traffic
from pale_heron.tui.views.traffic.detail import BASES
from pale_heron.tui.views.traffic.traffic import CLOCKS
from pale_heron.tui.widgets.canvas import Canvas
from pale_heron.tui.widgets.traffic_list import TrafficList

FORMS = (("t", "text"), ("h", "hex"), ("j", "json"))
LAGGING_NS: Final = 5 * SECOND


class TrafficBench(Protocol):
    """What Traffic needs of a bench."""

    @property
    def lines(self) -> Lines: ...


class TrafficView(Vertical):
    """`seek` is there on a replay alone: going to a moment moves the whole bench there."""

    def __init__(self, bench: TrafficBench, snapshot: Callable[[], BenchSnapshot]) -> None:
        super().__init__(id="traffic", classes="view")
        self._bench = bench
        self._snapshot = snapshot
        self.seek: Callable[[int], None] | None = None
        self.list = TrafficList(lambda: bench.lines, id="traffic-list")
        self._head = Canvas(id="traffic-head")
        self._latest = Canvas(id="traffic-latest")
        self._detail = Canvas(id="traffic-detail")
        self._clock = CLOCKS[0]
        self._base = next(iter(BASES))
        self._wanted = ""
        self._search: Search | None = None
        self._looked_for = ""
        self._turned = False
        self._turn: Callable[[], Search] | None = None
        """Begins a search again from the other end, where it goes round; whether it has done so."""
        self._note = ""
        self._by_type = False
        self._chosen_type = 0
        self._tallest = 0
        self.job_words: Callable[[], str] = str

    def compose(self) -> ComposeResult:
        yield self._head
        with Horizontal(id="traffic-body"):
            yield self.list
            yield self._latest
            yield self._detail

    def on_mount(self) -> None:
        self._latest.display = False

    def draw(self) -> None:
        """One picture."""
        snapshot = self._snapshot()
        self._take_search()
        self.list.update(self._look(snapshot))
        self._head.show(traffic.head(snapshot, self._state(snapshot), self._head.size.width - 2))
        if self._by_type:
            self._draw_latest(snapshot)
        chosen = self._chosen(snapshot)
        self._detail.show(self._steady(detail.paint(chosen, self._detail.size.width - 2, self._detail.size.height)))

    def _steady(self, rows: list[Line]) -> list[Line]:
        """While lines run by, the page of the newest stays as tall as the tallest: its scroll bar would come and go."""
        if self.list.held or self._by_type:
            self._tallest = 0
            return rows
        self._tallest = max(self._tallest, len(rows))
        return [*rows, *[BLANK] * (self._tallest - len(rows))]

    def _draw_latest(self, snapshot: BenchSnapshot) -> None:
        found = latest.rows_of(snapshot, self.list.selection)
        self._chosen_type = max(0, min(self._chosen_type, len(found) - 1))
        width = self._latest.size.width - 1
        self._latest.show(latest.paint(found, self._chosen_type, snapshot.now, width, self._latest.seen))
        # The heading stands above the first.
        self._latest.bring_into_view(self._chosen_type + 1 if self._chosen_type else 0)

    def _look(self, snapshot: BenchSnapshot) -> traffic.ListStyle:
        number = self.list.reference
        if number is None and self._clock == CLOCKS[-1]:
            number = self.list.number
        reference = self._bench.lines.get(number) if number is not None else None
        return traffic.ListStyle(
            lanes=len(snapshot.lanes),
            clock=self._clock,
            began=snapshot.began,
            reference=reference.time if reference else None,
            found="" if self._wanted.startswith("/") else self._wanted,
            recorded=bool(snapshot.capture.path),
            secrets=traffic.secrets_of(snapshot),
        )

    def _state(self, snapshot: BenchSnapshot) -> traffic.HeadState:
        lines, listed = self._bench.lines, self.list
        note = self._note
        if self._search is not None:
            note = f"looking for {self._looked_for}: {figures.share(self._search.share)}, escape gives up"
        elif isinstance(listed.listing, SelectedLines) and listed.listing.failure:
            note = safe_label(listed.listing.failure)
        elif isinstance(listed.listing, SelectedLines) and listed.listing.searching is not None:
            note = f"looking for older lines: {figures.share(listed.listing.searching.share)}, escape gives up"
        elif snapshot.replay is not None and snapshot.replay.seeking and self._lags(snapshot.now):
            note = "on the way to the moment, whose lines come with it"
        else:
            note = note or self.job_words()
        return traffic.HeadState(
            new=listed.new if snapshot.replay is None else None,
            held_at=listed.held_at,
            selection="" if listed.selection.shows_all else listed.selection.words(),
            note=note,
            cleared=max(0, lines.cleared - lines.earliest) if lines.cleared else 0,
        )

    def _lags(self, now: int) -> bool:
        """Whether the newest line is long past: on a long way lines are not placed one by one."""
        lines = self._bench.lines
        newest = lines.log.get(lines.log.end - 1)
        return newest is None or (newest.time or 0) < now - LAGGING_NS

    def _chosen(self, snapshot: BenchSnapshot) -> detail.DetailInput:
        lines, number, entry = self._bench.lines, self.list.number, self.list.chosen
        if self._by_type:
            found = latest.rows_of(snapshot, self.list.selection)
            entry = found[self._chosen_type].tally.latest if self._chosen_type < len(found) else None
        lane = next((lane for lane in snapshot.lanes if entry is not None and lane.name == entry.lane), None)
        if isinstance(entry, Frame):
            entry = traffic.masked(entry, traffic.secrets_of(snapshot))
        reference = self.list.reference
        return detail.DetailInput(
            entry=entry,
            number=number or 0,
            heard=tuple(each.type for each in lane.line.types if each.hz) if lane else (),
            base=self._base,
            reference=lines.get(reference) if reference is not None and not self._by_type else None,
            reference_number=reference or 0,
        )

    @property
    def keys_to(self) -> Widget:
        """What gets the keys: the list; the latest of each type are moved through by this view itself."""
        self.can_focus = self._by_type
        return self if self._by_type else self.list

    def on_key(self, event: events.Key) -> None:
        moves = {"up": -1, "down": 1, "pageup": -10, "pagedown": 10}
        if event.key == "escape":
            self._give_up()
            if isinstance(self.list.listing, SelectedLines):
                self.list.listing.give_up()
        elif self._by_type and event.key in moves:
            event.stop()
            self._chosen_type += moves[event.key]
            self.draw()

    def hold(self) -> None:
        """Hold the list, or let it follow again."""
        if self.list.held:
            self.list.follow()
        else:
            self.list.hold(self._snapshot().now)
        self.draw()

    def follow(self) -> None:
        """Go to the newest line and follow."""
        self._note = ""
        self.list.follow()
        self.draw()

    def by_type(self) -> None:
        """Change between the list and the latest of each type."""
        self._by_type = not self._by_type
        self.list.display = not self._by_type
        self._latest.display = self._by_type
        self.screen.set_focus(self.keys_to)
        self.call_after_refresh(self.draw)

    def pick_latest(self, index: int) -> None:
        """Choose a row of the latest."""
        self._chosen_type = index
        self.draw()

    def next_clock(self) -> None:
        """Tell the time in the next way."""
        self._clock = CLOCKS[(CLOCKS.index(self._clock) + 1) % len(CLOCKS)]
        self.draw()

    def next_base(self) -> None:
        """Show the bytes in the next base."""
        bases = list(BASES)
        self._base = bases[(bases.index(self._base) + 1) % len(bases)]
        self.draw()

    def compare(self) -> None:
        """Make the chosen line the one that others are compared with; again: none."""
        number = self.list.number
        self.list.reference = None if number == self.list.reference else number
        self.draw()

    def clear(self) -> None:
        """Show only what comes from now on; the record has it all."""
        self._bench.lines.cleared = self._bench.lines.end
        self.list.select(self.list.selection)
        self.list.follow()
        self.draw()

    def show_cleared(self) -> None:
        """Show again what was there before the view was cleared."""
        self._bench.lines.cleared = 0
        self.list.select(self.list.selection)
        self.draw()

    def choose_selection(self) -> None:
        """Choose what is shown."""
        self.app.push_screen(SelectionPanel(self._snapshot, lambda: self.list.selection, self._select))

    def _select(self, selection: Selection) -> None:
        self.list.select(selection)
        self.draw()

    def look_closer(self) -> None:
        """The chosen line on a page of its own."""
        snapshot = self._snapshot()
        self.list.hold(snapshot.now)
        self.app.push_screen(TextPage(partial(detail.paint, self._chosen(snapshot))))

    def copy(self) -> None:
        """Copy the chosen line in one of several forms."""
        entry = self._chosen(self._snapshot()).entry
        if entry is None:
            return

        def take(key: str | None) -> None:
            if key is not None:
                form = dict(FORMS)[key]
                self.app.copy_to_clipboard(detail.copied(entry, form))
                self.app.notify(f"Handed to the terminal as {form}: one that has no clipboard drops it", markup=False)

        self.app.push_screen(Choice("Copy the line as", FORMS), take)

    def find(self) -> None:
        """Ask for a text and look for it, backwards from the chosen line."""

        def take(text: str | None) -> None:
            if text:
                self._wanted = text
                self.find_again(-1)
            elif text is not None:
                self._wanted = ""

        self.app.push_screen(AskLine("Find a text, or /regular expression/", self._wanted, _wrong_text), take)

    def find_again(self, step: int) -> None:
        """Look for the same text again, forward (1) or back (-1)."""
        if self._wanted:
            self._look_for(repr(self._wanted), step, text_matcher(self._wanted), wraps=True)
        else:
            self.find()

    def next_trouble(self, step: int) -> None:
        self._look_for("trouble", step, is_trouble)

    def next_mark(self, step: int) -> None:
        self._look_for("a mark", step, is_mark)

    def _look_for(self, what: str, step: int, matches: Callable[[Entry], bool], *, wraps: bool = False) -> None:
        self._give_up()
        lines, number = self._bench.lines, self.list.number
        if number is None:
            return
        shown = self.list.selection.matches
        start = number + step
        if not self.list.held and step < 0:
            start = number
        self._looked_for = what
        self._step = step
        self._turned = False

        def wanted(entry: Entry) -> bool:
            return matches(entry) and shown(entry)

        def turn() -> Search:
            """From the other end on."""
            return Search(lines, lines.begin if step > 0 else lines.end - 1, step, wanted)

        self._turn = turn if wraps else None
        self._search = Search(lines, start, step, wanted)
        if self._search.wait(0.05):
            self.draw()

    def _take_search(self) -> None:
        search = self._search
        if search is None or not search.over:
            return
        self._search = None
        where = "after" if self._step > 0 else "before"
        if search.found:
            turned = ("from the end on: " if self._step < 0 else "from the start on: ") if self._turned else ""
            self._note = f"{turned}n finds on, N back" if self._turn is not None else ""
            self.list.go_to(search.found[0])
        elif self._turn is not None and not self._turned and not search.failure:
            self._turned = True
            self._search = self._turn()
        elif self._turned and not search.failure:
            self._note = f"{self._looked_for} stands nowhere"
        else:
            self._note = safe_label(search.failure) or f"no more {self._looked_for} {where} this line"

    def _give_up(self) -> None:
        if self._search is not None:
            self._search.stop()
            self._search = None
        self._note = ""

    def go_to_time(self) -> None:
        """Ask for a time and go there."""
        snapshot = self._snapshot()
        begin = snapshot.replay.begin if snapshot.replay else snapshot.began

        def check(text: str) -> str:
            try:
                self._moment(text, begin)
            except Trouble as trouble:
                return str(trouble)
            return ""

        def take(text: str | None) -> None:
            if text:
                self.go_to_moment(self._moment(text, begin))

        question = "Which time? 09:41:07 (UTC), +90s from the start, or -10s from the chosen line"
        self.app.push_screen(AskLine(question, "", check), take)

    def _moment(self, text: str, begin: int) -> int:
        chosen = self.list.chosen
        if text.startswith("-") and chosen is not None and chosen.time is not None:
            return chosen.time - (moment(f"+{text[1:]}", 0))
        return moment(text, begin)

    def go_to_moment(self, wanted: int) -> None:
        """Go to the line of a moment; on a replay the whole bench goes there."""
        if self.seek is not None:
            self.seek(wanted)
            return
        self._note = "going there"
        lines = self._bench.lines

        def look() -> None:
            number = lines.number_at(wanted)
            self.app.call_from_thread(self._arrive, number)

        self.run_worker(look, thread=True, exclusive=True, group="go to time", exit_on_error=False)

    def _arrive(self, number: int) -> None:
        self._note = ""
        self.list.go_to(number)
        self.draw()


def _wrong_text(text: str) -> str:
    try:
        if text:
            text_matcher(text)
    except ValueError as problem:
        return str(problem)
    return ""
