"""Asks before what risks something on a lane. A yes may hold until the mode of its module changes."""

from collections.abc import Callable
from typing import Any, Final

from textual.app import App

from pale_heron.bench.config.dialect_book import STANDARD
from pale_heron.bench.config.dialects import known_dialects
from pale_heron.core.device.dialogue.exchanges import DATA
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot
from pale_heron.tui.screens.panel import Choice

HOLDS: Final = "yes, and ask no more on this lane until its mode changes"


class Consent:
    """`module_of` gives what is known of the module of a lane now."""

    def __init__(self, app: App[Any], module_of: Callable[[str], ModuleSnapshot | None]) -> None:
        self._app = app
        self._module_of = module_of
        self._held: dict[str, object] = {}

    def risk(self, lane: str, text: str) -> str:
        """Why a line asks first: by its dialect, or by the standards until that is known. In data mode none does."""
        module = self._module_of(lane)
        if module is not None and module.mode == DATA:
            return ""
        return (module.dialect if module is not None else known_dialects()[STANDARD]).risk_of(text)

    def ask(
        self,
        lane: str,
        risk: str,
        do: Callable[[], None],
        guarded: Callable[[], None] | None = None,
        left: Callable[[], None] = lambda: None,
    ) -> None:
        """Do it at once, or after a yes where something is risked; for the line there is a guarded way.

        `left` is done where the question is left without an answer.
        """
        if not risk or self._held.get(lane, ()) == self._state(lane):
            do()
            return

        def take(key: str | None) -> None:
            if key is None:
                left()
            elif key == "g" and guarded is not None:
                guarded()
            elif key in ("y", "m"):
                if key == "m":
                    self._held[lane] = self._state(lane)
                do()

        choices = [("n", "no, leave it")]
        choices += [("g", "change the line guarded: both sides, verified, with a way back")] if guarded else []
        choices += [("y", "yes, send it"), ("m", HOLDS)]
        self._app.push_screen(Choice(f"{risk[0].upper()}{risk[1:]}. Send it?", choices), take)

    def _state(self, lane: str) -> object:
        """What has to stay as it is for a yes to hold."""
        module = self._module_of(lane)
        return (module.dialect.name, module.mode, len(module.restarts)) if module is not None else None
