"""The list of ports as first screen, where no lane was named."""

from collections.abc import Iterable
from functools import partial

from textual.app import SystemCommand
from textual.binding import Binding
from textual.screen import Screen

from pale_heron.ports.address import LaneSpec
from pale_heron.tui.base import FullScreen
from pale_heron.tui.screens.ports import PortsScreen
from pale_heron.tui.views.panels.ports import KEYS


class PortsApp(FullScreen[LaneSpec]):
    """Ends with the chosen lane, or with None."""

    def on_mount(self) -> None:
        self.push_screen(PortsScreen(), self.exit)

    def get_system_commands(self, screen: Screen[object]) -> Iterable[SystemCommand]:
        """The palette offers what the keys do, and no more."""
        words = dict(KEYS)
        for binding in PortsScreen.BINDINGS if isinstance(screen, PortsScreen) else ():
            if isinstance(binding, Binding) and binding.key in words:
                title = f"{binding.description}  ({binding.key})"
                yield SystemCommand(title, words[binding.key], partial(screen.run_action, binding.action))


def choose_ports() -> list[LaneSpec]:
    """The lane that the user picks; none where they end instead."""
    spec = PortsApp().run()
    return [spec] if spec else []
