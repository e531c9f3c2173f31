"""The list of ports as first screen, where no lane was named."""

from pale_heron.ports.address import LaneSpec
from pale_heron.tui.base import FullScreen
from pale_heron.tui.screens.ports import PortsScreen


class PortsApp(FullScreen[LaneSpec]):
    """Ends with the chosen lane, or with None."""

    ENABLE_COMMAND_PALETTE = False

    def on_mount(self) -> None:
        self.push_screen(PortsScreen(), self.exit)


def choose_ports() -> list[LaneSpec]:
    """The lane that the user picks; none where they end instead."""
    spec = PortsApp().run()
    return [spec] if spec else []
