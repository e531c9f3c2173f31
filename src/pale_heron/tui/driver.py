"""The terminal, also where the program was stopped and goes on, and where its environment tells an old size."""

import os

from textual.drivers.linux_driver import LinuxDriver


class SteadyDriver(LinuxDriver):
    """Leaves the terminal before it takes it up again: whoever stopped the program may have had it meanwhile.

    The toolkit does that where the wish to stop came as Ctrl-Z; after a stop that nobody can catch it would take the
    modes of a full screen for those that it has to leave behind.
    """

    def _sigcont_application(self, *_: object) -> None:
        if self._auto_restart and not self._must_signal_resume:
            self._stop_reading()
            self.suspend_application_mode()
            self.exit_event.clear()
            self._must_signal_resume = True
        super()._sigcont_application()

    def _stop_reading(self) -> None:
        """What is typed from here on waits in the terminal; where the toolkit stops reading, it throws that away."""
        self.exit_event.set()
        if self._key_thread is not None:
            self._key_thread.join()

    def _get_terminal_size(self) -> tuple[int, int]:
        """The size of the terminal itself: COLUMNS and LINES, if a shell hands them on, stay as they were at first."""
        try:
            return os.get_terminal_size(self.fileno)
        except OSError:
            return super()._get_terminal_size()
