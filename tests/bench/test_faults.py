"""What happens to a recording under way costs no byte unsaid: rows of the benchmark's table."""

from pathlib import Path

import pytest
from benchmarks.faults import FAULTS, Fault, outcome

TESTED = (
    "the record is deleted",
    "the record is cut off",
    "another file takes its place",
    "no more room",
    "stopped for a while",
)


@pytest.mark.parametrize("fault", [each for each in FAULTS if each.name in TESTED], ids=lambda each: each.name)
def test_what_was_sent_is_recorded_or_its_loss_is_told(fault: Fault, tmp_path: Path) -> None:
    found = outcome(fault, tmp_path)
    assert found.held, found
