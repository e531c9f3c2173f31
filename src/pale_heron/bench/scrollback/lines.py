"""All lines of a bench by number: the latest from memory, older ones read back; and those of them that are wanted."""

import bisect
from array import array

from pale_heron.bench.scrollback.read_back import ReadBack, Segment
from pale_heron.bench.scrollback.search import Search
from pale_heron.bench.scrollback.selection import PatternTooSlow, Selection
from pale_heron.bench.traffic_log import TrafficLog
from pale_heron.core.runs import Entry, FrameRun

BLOCK = 1000
AHEAD = 400
"""So many lines that match are looked for at a time, backwards from what is known."""

MOST_LISTED = 100_000


class Lines:
    """Numbers from `begin` to `end`; `get` gives None for a line that is not at hand (yet)."""

    def __init__(self, log: TrafficLog, history: ReadBack | None = None) -> None:
        self.log = log
        self._history = history
        self.cleared = 0
        """Lines before this number are not shown."""

    @property
    def end(self) -> int:
        return self.log.end

    @property
    def begin(self) -> int:
        return max(self.cleared, self.earliest)

    @property
    def earliest(self) -> int:
        """The first number that can be had at all."""
        history = self._history
        if history is None or history.begin is None:
            return self.log.begin
        return min(history.begin, self.log.begin)

    def number(self, index: int) -> int:
        """The number of the line at a place of this list: the place itself."""
        return index

    def index(self, number: int) -> int:
        """Where a line of that number stands in this list."""
        return number

    def entry(self, index: int) -> Entry | None:
        """The line at a place; None where it is not at hand."""
        return self.get(index)

    def get(self, number: int) -> Entry | None:
        """The line of a number; one that is read from the capture comes a little later."""
        entry = self.log.get(number)
        if entry is None and self._history is not None and number < self.log.begin:
            return self._history.get(number)
        return entry

    def held(self) -> list[Entry]:
        """What is in memory."""
        return [entry for number in range(self.log.begin, self.log.end) if (entry := self.log.get(number)) is not None]

    def block(self, number: int) -> Segment | None:
        """Lines around a number; may read a file. None where no line has that number."""
        log = self.log
        if log.begin <= number < log.end:
            first = max(log.begin, number - number % BLOCK)
            last = min(log.end, number - number % BLOCK + BLOCK)
            found = [entry for at in range(first, last) if (entry := log.get(at)) is not None]
            return Segment(last - len(found), found) if found else None
        return self._history.segment(number) if self._history is not None else None

    def number_at(self, moment: int) -> int:
        """The number of the first line at or after a moment; may read a file."""
        low, high = self.log.begin, self.log.end
        first = self.log.get(low)
        if self._history is not None and first is not None and moment < (first.time or 0):
            found = self._history.number_at(moment)
            return self.earliest if found is None else found
        while low < high:
            middle = (low + high) // 2
            entry = self.log.get(middle)
            low, high = (middle + 1, high) if entry is None or (entry.time or 0) < moment else (low, middle)
        return min(low, self.log.end - 1)


class SelectedLines:
    """The lines that a selection lets through, as a list of its own.

    A place never changes: 0 is the first line found in memory when the selection was made, older ones found later
    stand at negative places. Only the last MOST_LISTED stay listed; those before them are looked for again when
    somebody goes back there.
    """

    def __init__(self, lines: Lines, selection: Selection) -> None:
        self.lines = lines
        self.selection = selection
        self._base = 0
        self._newer = array("q")
        self._latest: list[int] = []
        self._older = array("q")
        self._seen = self._oldest_seen = max(lines.log.begin, lines.cleared)
        self._search: Search | None = None
        self._given_up = False
        self.failure = ""
        """Why it lists nothing more; empty while all is well."""
        self.update()

    @property
    def begin(self) -> int:
        return self._base - len(self._older)

    @property
    def end(self) -> int:
        return self._base + len(self._newer) + len(self._latest)

    @property
    def searching(self) -> Search | None:
        """The search for older lines that is under way."""
        return self._search

    def update(self) -> None:
        """Take in what came, and what a search has found."""
        log = self.lines.log
        settled = log.settled
        self._newer.extend(self._matching(max(self._seen, log.begin), settled))
        self._seen = max(self._seen, settled)
        self._latest = self._matching(self._seen, log.end)
        search = self._search
        if search is not None and search.over:
            self._older.extend(search.found)
            self._oldest_seen = search.reached
            self.failure = self.failure or search.failure
            self._search = None
        if len(self._newer) > 2 * MOST_LISTED:
            self._forget(len(self._newer) - MOST_LISTED)

    def _matching(self, begin: int, end: int) -> list[int]:
        if self.failure:
            return []
        found: list[int] = []
        try:
            for number, part in self.lines.log.parts(begin, end):
                if isinstance(part, FrameRun):
                    found += [number + place for place in self.selection.places(part)]
                elif self.selection.matches(part):
                    found.append(number)
        except PatternTooSlow as slow:
            self.failure = str(slow)
            return []
        return found

    def _forget(self, count: int) -> None:
        """List the oldest ones no more."""
        if self._search is not None:
            self._search.stop()
            self._search = None
        self._oldest_seen = self._newer[count]
        del self._newer[:count], self._older[:]
        self._base += count

    def fill(self, lines: int) -> None:
        """Look for older ones where fewer than so many lines are listed, unless somebody gave that up."""
        if self.end - self.begin < lines and not self._given_up:
            self.look_back()

    def give_up(self) -> None:
        """Look for no more older lines until it is asked for."""
        self._given_up = True
        if self._search is not None:
            self._search.stop()

    def look_back(self) -> None:
        """Look for older lines, unless that is under way or all were seen."""
        if self._search is None and self._oldest_seen > self.lines.begin and not self.failure:
            self._search = Search(self.lines, self._oldest_seen - 1, -1, self.selection.matches, most=AHEAD)

    def number(self, index: int) -> int:
        at = index - self._base
        if at < 0:
            return self._older[-at - 1]
        return self._newer[at] if at < len(self._newer) else self._latest[at - len(self._newer)]

    def index(self, number: int) -> int:
        """The place of the last line at or before that number; the nearest there is."""
        if self._latest and number >= self._latest[0]:
            return self._base + len(self._newer) + bisect.bisect_right(self._latest, number) - 1
        if self._newer and number >= self._newer[0]:
            return self._base + bisect.bisect_right(self._newer, number) - 1
        older = bisect.bisect_left(self._older, -number, key=lambda each: -each)
        return max(self.begin, self._base - older - 1)

    def entry(self, index: int) -> Entry | None:
        """The line at a place; None where it is not at hand."""
        return self.lines.get(self.number(index)) if self.begin <= index < self.end else None


Listing = Lines | SelectedLines
