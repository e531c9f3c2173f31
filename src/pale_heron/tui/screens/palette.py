"""The palette: what the keys of the view do, and what fits the words that are typed, in all views."""

from typing import TYPE_CHECKING, NamedTuple, cast

from textual.command import DiscoveryHit, Hit, Hits, Provider

from pale_heron.tui.actions.finding import found
from pale_heron.tui.actions.table import KeyAction, working
from pale_heron.tui.acts import show_view
from pale_heron.tui.views.table import VIEWS

if TYPE_CHECKING:
    from pale_heron.tui.app import PaleHeron


class _PaletteRow(NamedTuple):
    """An action as a row of the palette; `view` is gone to first, where that is another one."""

    app: "PaleHeron"
    action: KeyAction
    view: str = ""

    @property
    def title(self) -> str:
        there = f"  in {VIEWS[self.view].title}" if self.view else ""
        return f"{self.action.label}  ({self.action.shown_key}){there}"

    def do(self) -> None:
        """Do it once the palette is closed."""
        self.app.call_later(self._done)

    def _done(self) -> None:
        if self.view:
            self.app.show_view(self.view)
        self.action.act.run(self.app)


class CommandSearch(Provider):
    """What the keys do, and no more."""

    @property
    def _shown(self) -> "PaleHeron":
        return cast("PaleHeron", self.app)

    async def discover(self) -> Hits:
        app = self._shown
        # Of this view first; to go to another one has keys that stand above.
        for action in sorted(working(*app.shown), key=lambda action: (not action.views, action.act.do is show_view)):
            if action.in_palette:
                command = _PaletteRow(app, action)
                yield DiscoveryHit(command.title, command.do, help=action.help)

    async def search(self, query: str) -> Hits:
        app = self._shown
        view, replay = app.shown
        for each in found(query, view, replay=replay):
            command = _PaletteRow(app, each.action, each.view)
            yield Hit(each.score, command.title, command.do, help=each.action.help)
