"""The terminal: where the program was stopped and goes on, where its environment tells an old size, and at its end."""

import os
import select
import signal
import threading

from textual.drivers.linux_driver import LinuxDriver


class SteadyDriver(LinuxDriver):
    """Leaves the terminal before it takes it up again: whoever stopped the program may have had it meanwhile.

    The toolkit does that where the wish to stop came as Ctrl-Z; after a stop that nobody can catch it would take the
    modes of a full screen for those that it has to leave behind.
    """

    _watched = False

    def start_application_mode(self) -> None:
        super().start_application_mode()  # type: ignore[no-untyped-call]  # the toolkit does not say
        if not self._watched and os.isatty(self.fileno):
            self._watched = True
            threading.Thread(target=self._end_with_terminal, name="terminal", daemon=True).start()

    def _end_with_terminal(self) -> None:
        """The system tells its end by a signal to those alone whose session it leads; others would read on for ever."""
        watch = select.poll()
        watch.register(self.fileno, 0)
        watch.poll()
        os.kill(os.getpid(), signal.SIGHUP)

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
