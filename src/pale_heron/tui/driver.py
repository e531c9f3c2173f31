"""The terminal, also where the program was stopped and goes on."""

from textual.drivers.linux_driver import LinuxDriver


class SteadyDriver(LinuxDriver):
    """Leaves the terminal before it takes it up again: whoever stopped the program may have had it meanwhile.

    The toolkit does that where the wish to stop came as Ctrl-Z; after a stop that nobody can catch it would take the
    modes of a full screen for those that it has to leave behind.
    """

    def _sigcont_application(self, *_: object) -> None:
        if self._auto_restart and not self._must_signal_resume:
            self.suspend_application_mode()
            self._must_signal_resume = True
        super()._sigcont_application()
