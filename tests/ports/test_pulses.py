"""Sources of pulses: what the kernel, a driver and a simulated device tell, and why there is nothing to tell."""

import errno
import os
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Final

import pytest
from tests.waiting import until

from pale_heron.bench.live.timekeeping import AGAIN_S, Timekeeper
from pale_heron.core.clock.events import PULSE, PULSE_SOURCE, PULSES_END
from pale_heron.core.clock.sources import PULSE_FILE, source_typed
from pale_heron.core.clock.tracker import ClockTracker
from pale_heron.core.frames import SECOND, Event
from pale_heron.core.trouble import Trouble
from pale_heron.ports import pulses
from pale_heron.ports.clock import StampClock
from pale_heron.ports.pulses import ControlLinePulses, KernelPulses, NoPulses, SimulatedPulses, read_pulse
from pale_heron.ports.simulated import own_folder
from pale_heron.system import pulse_calls

HOST: Final = 1_935_000_000 * SECOND


def test_the_kernels_stamps_become_ours(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Its clock was set back by 5 s meanwhile: stamps do not follow."""
    said: list[tuple[int, int] | None] = [(7, HOST), (7, HOST), None, (8, HOST + SECOND)]
    monkeypatch.setattr(pulses, "kernel_pulse", lambda _file, _wait: said.pop(0))
    device = tmp_path / "pps0"
    device.touch()
    steps = iter([0, -5 * SECOND, *([-5 * SECOND] * 10)])
    clock = StampClock(lambda: HOST + next(steps), lambda: 0)
    reader = KernelPulses(device, clock)
    found = [reader.next() for _ in range(4)]
    reader.close()
    assert [each and (each.sequence, each.moment - HOST) for each in found] == [
        (7, 5 * SECOND),
        None,
        None,
        (8, 6 * SECOND),
    ]


def test_how_the_kernel_is_asked(monkeypatch: pytest.MonkeyPatch) -> None:
    """The layout of PPS_FETCH: times of assert stand behind the two sequences, how long to wait at the end."""
    asked: list[tuple[int, ...]] = []

    def ioctl(_file: int, request: int, data: bytearray, _change: bool) -> int:
        assert (request, len(data)) == (0xC00870A4, 64)
        asked.append(pulse_calls._FETCHED.unpack(data))
        if len(asked) > 1:
            raise OSError(errno.ETIMEDOUT if len(asked) == 2 else errno.ENODEV, "no")
        data[:40] = (
            (41).to_bytes(4, "little") + bytes(4) + (12).to_bytes(8, "little") + (345).to_bytes(4, "little") + bytes(20)
        )
        return 0

    monkeypatch.setattr(pulse_calls.fcntl, "ioctl", ioctl)
    assert pulse_calls.kernel_pulse(3, 1.25) == (41, 12 * SECOND + 345)
    assert asked[0][9:] == (1, 250_000_000, 0)
    assert pulse_calls.kernel_pulse(3, 1.25) is None
    with pytest.raises(OSError, match="no"):
        pulse_calls.kernel_pulse(3, 1.25)


@pytest.mark.parametrize(
    ("there", "number", "words"),
    [
        ([], errno.ENOENT, "the kernel has no PPS device"),
        (["pps1"], errno.ENOENT, "there are /dev/pps1"),
        ([], errno.EACCES, "this user may not read"),
        ([], errno.EBUSY, "cannot be opened"),
    ],
)
def test_why_a_device_cannot_be_opened(
    there: list[str], number: int, words: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for each in there:
        (tmp_path / each).mkdir()
    monkeypatch.setattr(pulses, "KERNEL_FOLDER", tmp_path)

    def refuse(*_: object) -> int:
        raise OSError(number, os.strerror(number))

    monkeypatch.setattr(pulses.os, "open", refuse)
    with pytest.raises(NoPulses, match=words):
        KernelPulses(tmp_path / "pps0", StampClock())


class Driver:
    """A serial driver with control lines, as it is called: it goes through `levels`, one a look."""

    def __init__(self, levels: list[bool], counts: list[int] | None, waits: int | None) -> None:
        self.levels, self.counts, self.waits = levels, counts, waits

    def level(self, _file: int, _line: str) -> bool:
        return self.levels.pop(0) if len(self.levels) > 1 else self.levels[0]

    def changes(self, _file: int, _line: str) -> int | None:
        if self.counts is None:
            return None
        return self.counts.pop(0) if len(self.counts) > 1 else self.counts[0]

    def wait(self, _file: int, _line: str) -> None:
        if self.waits is not None:
            raise OSError(self.waits, "no")


@pytest.mark.parametrize(
    ("levels", "counts", "waits", "usb", "resolution"),
    [
        ([False, True], None, None, False, 0),
        ([False, False, True], None, None, True, 1_000_000),
        # On and off again between two looks, and the driver has counted both.
        ([False, False], [4, 6], None, False, 0),
        ([False, False, True], None, errno.ENOTTY, False, 2_000_000),
        ([True, False, True], [1, 2, 3], errno.EINVAL, True, 2_000_000),
    ],
)
def test_a_control_line_that_goes_on_is_a_pulse(
    levels: list[bool],
    counts: list[int] | None,
    waits: int | None,
    usb: bool,
    resolution: int,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    driver = Driver(levels, counts, waits)
    monkeypatch.setattr(pulses, "control_line", driver.level)
    monkeypatch.setattr(pulses, "control_line_changes", driver.changes)
    monkeypatch.setattr(pulses, "wait_for_control_line", driver.wait)
    clock = StampClock()
    reader = ControlLinePulses(-1, "dcd", clock, usb=usb)
    before = clock.now()
    found = reader.next()
    assert found is not None and before <= found.moment <= clock.now()
    assert reader.resolution_ns == resolution
    if waits is None:
        driver.waits = errno.EIO
        with pytest.raises(NoPulses, match="gone"):
            reader.next()


def test_a_terminal_has_no_control_lines() -> None:
    one, other = os.openpty()
    with pytest.raises(NoPulses, match="no control line DCD"):
        ControlLinePulses(other, "dcd", StampClock(), usb=False)
    os.close(one)
    os.close(other)


@pytest.fixture
def kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[tuple[Timekeeper, list[Event]]]:
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    events: list[Event] = []
    keeper = Timekeeper(events.append, lambda _name: None, StampClock())
    yield keeper, events
    keeper.stop()


def seen(events: list[Event], name: str) -> Callable[[], int]:
    return lambda: sum(each.name == name for each in events)


def test_a_source_is_told_absent_then_heard_then_left(kept: tuple[Timekeeper, list[Event]]) -> None:
    keeper, events = kept
    keeper.listen(source_typed("sim:curlew"))
    until(lambda: any("no simulated device" in str(each.details.get("trouble", "")) for each in events))
    place = own_folder() / f"curlew{PULSE_FILE}"
    for number in range(100):
        place.with_suffix(".new").write_text(f"{1_935_000_000 + number}.000000123#{number}\n")
        place.with_suffix(".new").rename(place)
        if seen(events, PULSE)() >= 3:
            break
        threading.Event().wait(AGAIN_S / 10)
    assert seen(events, PULSE)() >= 3
    with pytest.raises(Trouble, match="already"):
        keeper.listen(source_typed("sim:curlew"))
    with pytest.raises(Trouble, match="no lane"):
        keeper.listen(source_typed("line:curlew:dcd"))
    keeper.leave("sim:curlew")
    tracker = ClockTracker()
    for each in list(events):
        tracker.heed(each)
    (found,) = tracker.snapshot().pulses
    assert found.pulses == seen(events, PULSE)() and found.trouble == ""
    assert events[0].name == PULSE_SOURCE and seen(events, PULSES_END)() == 1
    gone = SimulatedPulses("curlew", StampClock())
    place.unlink()
    with pytest.raises(NoPulses):
        gone.next()


@pytest.mark.parametrize("text", ["", "x", "1.2", "1.2#", "#4", "1.x#4", "1#x"])
def test_what_is_no_pulse_is_refused(text: str) -> None:
    with pytest.raises(ValueError, match="invalid"):
        read_pulse(text)
