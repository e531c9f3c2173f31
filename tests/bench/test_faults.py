"""What happens to a recording under way costs no byte unsaid, and no file ends a command: rows of the benchmarks."""

from pathlib import Path

import pytest
from benchmarks import fault_files, fault_lanes, faults

RECORDS = (
    "the record is deleted",
    "the record is cut off",
    "another file takes its place",
    "no more room",
    "stopped for a while",
)
LANES = ("an RFC 2217 server that closes at once", "lines that would act on the terminal")
FILES = (
    "export over a device",
    "export over a pipe",
    "a capture with such dialects",
    "names that are escape sequences",
)


@pytest.mark.parametrize("fault", [each for each in faults.FAULTS if each.name in RECORDS], ids=lambda each: each.name)
def test_what_was_sent_is_recorded_or_its_loss_is_told(fault: faults.Fault, tmp_path: Path) -> None:
    found = faults.outcome(fault, tmp_path)
    assert found.held, found


@pytest.mark.parametrize("name", LANES)
def test_however_soon_the_other_side_goes_all_it_sent_is_recorded(name: str, tmp_path: Path) -> None:
    found = fault_lanes.outcome(fault_lanes.ENDS[name](), tmp_path)
    assert found.held, found


@pytest.mark.parametrize("name", FILES)
def test_a_command_says_what_is_wrong_and_leaves_what_stood_there(name: str, tmp_path: Path) -> None:
    fault_files.prepare(tmp_path)
    found = fault_files.outcome(fault_files.FAULTS[name], tmp_path)
    assert found.held, found
