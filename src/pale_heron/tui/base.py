"""What both full screens have in common: colours, keys one by one, and an end that shows no values after a fault."""

import asyncio
import contextlib
import gc
from typing import ClassVar, Final, TypeVar

from rich.text import Text
from textual import events, on
from textual.app import App
from textual.binding import Binding, BindingType
from textual.dom import DOMNode
from textual.driver import Driver
from textual.widgets import Input

from pale_heron.core.trouble import Exit, fault_words
from pale_heron.tui.theme import THEMES, theme_names

Result = TypeVar("Result")
TURN_S: Final = 2.0
"""No key waits longer for the one before it: a view that is loaded, a question that is asked."""

LOOK_S: Final = 0.005


class FullScreen(App[Result]):
    """An application in our colours."""

    TITLE = "pale heron"
    CSS_PATH = "app.tcss"
    BINDINGS: ClassVar[list[BindingType]] = [Binding("ctrl+z", "suspend_process", "to the shell", show=False)]

    def __init__(self) -> None:
        super().__init__()
        self._typed: asyncio.Queue[events.Key | events.Paste] = asyncio.Queue()
        self._passing: asyncio.Task[None] | None = None
        for theme in THEMES:
            self.register_theme(theme)
        self.theme = theme_names(self.console.color_system)[0]

    def get_driver_class(self) -> type[Driver]:
        """What drives the terminal."""
        usual = super().get_driver_class()
        if usual.__name__ != "LinuxDriver":
            return usual
        from pale_heron.tui.driver import SteadyDriver

        return SteadyDriver

    def on_ready(self) -> None:
        """The first picture stands: all that is needed is loaded."""
        gc.freeze()
        gc.enable()

    @on(Driver.SignalResume)
    def redraw(self) -> None:
        """The terminal was somebody else's meanwhile: nothing of ours stands there any more."""
        for screen in self.screen_stack:
            screen.refresh(layout=True)
            for widget in screen.query("*"):
                widget.refresh()

    def _fatal_error(self) -> None:
        """End after a fault of ours with one line, instead of a traceback that shows the values of all variables.

        A value may be a pass phrase that a device was sent.
        """
        self._return_code = Exit.OWN_FAULT
        fault = self._exception or RuntimeError("unknown")
        self.panic(Text(f"pale-heron: {fault_words(fault)}"))

    async def on_event(self, event: events.Event) -> None:
        """Keys and what is pasted go on one by one: each to where the one before it has led.

        As they come they would all go to what has the keys now, and a command that is typed quickly behind the key that
        opens its line would be obeyed by the view.
        """
        if isinstance(event, events.Key | events.Paste) and not event.is_forwarded:
            self._typed.put_nowait(event)
            if self._passing is None:
                self._passing = asyncio.create_task(self._pass_on())
            return
        await super().on_event(event)

    @property
    def has_settled(self) -> bool:
        """Whether what the last key asked for is there, and has the keys."""
        screen = self.screen
        asks = len(self.screen_stack) > 1 and bool(screen.query(Input))
        return screen.is_mounted and (screen.focused is not None or not asks)

    async def _pass_on(self) -> None:
        while True:
            event = await self._typed.get()
            try:
                await self._pass(event)
            except Exception as fault:
                # As the toolkit has it for its own tasks: a task that ends in silence would take all keys with it.
                self._handle_exception(fault)

    async def _pass(self, event: events.Event) -> None:
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(TURN_S):
                while not self.has_settled:
                    await asyncio.sleep(LOOK_S)
        target: DOMNode = self.focused or self.screen
        await super().on_event(event)
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(TURN_S):
                # It goes up from where it was given, until somebody takes it.
                for node in (target, *target.ancestors):
                    passed = asyncio.Event()
                    if node.call_later(passed.set):
                        await passed.wait()
