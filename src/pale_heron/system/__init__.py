"""What systems have in different ways, behind one seam: nothing else of the program asks on which it runs.

`posix` is Linux and, as far as the same calls are there, macOS; `elsewhere` is what is left without them.
"""

from collections.abc import Mapping
from signal import Signals
from typing import Any, Final

try:
    from pale_heron.system import posix as here
except ImportError:
    from pale_heron.system import elsewhere as here  # type: ignore[no-redef]  # the same names with the same types

DRIVER_ERRORS: Final[tuple[type[Exception], ...]] = here.DRIVER_ERRORS
END_SIGNALS: Final[tuple[Signals, ...]] = here.END_SIGNALS
FILE_NUMBERS: Final[bool] = here.FILE_NUMBERS
OWN_GROUP: Final[Mapping[str, Any]] = here.OWN_GROUP
TERMINALS: Final[bool] = here.TERMINALS
claim = here.claim
control_line = here.control_line
control_line_changes = here.control_line_changes
driver_counters = here.driver_counters
error_number = here.error_number
way_to_open = here.way_to_open
host_clock = here.host_clock
is_ours = here.is_ours
is_running = here.is_running
kernel_pulse = here.kernel_pulse
lower_priority = here.lower_priority
processors = here.processors
user_id = here.user_id
wait_for_control_line = here.wait_for_control_line
write_at = here.write_at
