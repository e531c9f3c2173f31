"""Captures of earlier versions say today what they said then.

Each stands in `kept` with what `summary --json` of its own version said. A renamed key of an event would show here.
Where that was untrue the file was corrected: an outage in which bytes came was called one of bytes, and where no list
of satellites came there were 0 of them. Mean rates counted one sentence too many a log. Independent samples are counted
by another way since 0.14.
"""

import json
from pathlib import Path
from typing import Any, Final

import pytest
from tests.waiting import until

from pale_heron.bench.replay.replay import Replay
from pale_heron.bench.sources import Source
from pale_heron.bench.summary import summary
from pale_heron.core.frames import Event

KEPT: Final = Path(__file__).parent / "kept"
VERSIONS: Final = sorted(path.stem for path in KEPT.glob("*.pcapng"))


@pytest.mark.parametrize("version", VERSIONS)
def test_what_a_capture_says_does_not_change(version: str) -> None:
    said = json.loads((KEPT / f"{version}.json").read_text("utf-8"))
    now = json.loads(json.dumps(summary(Source(KEPT / f"{version}.pcapng"))))
    assert known_then(now, said) == said


def known_then(now: Any, said: Any) -> Any:
    """What is said now, without the keys that later versions have added."""
    if isinstance(said, dict) and isinstance(now, dict):
        return {key: known_then(now.get(key), value) for key, value in said.items()}
    if isinstance(said, list) and isinstance(now, list) and len(now) == len(said):
        return [known_then(*each) for each in zip(now, said, strict=True)]
    return now


def test_every_kind_of_event_of_then_is_known() -> None:
    found = {record.name for record in Source(KEPT / "0.5.0.pcapng").records() if isinstance(record, Event)}
    assert {"opened", "refused", "settings", "mark", "dialect"} <= found


@pytest.mark.parametrize("version", VERSIONS)
def test_it_plays(version: str) -> None:
    replay = Replay(KEPT / f"{version}.pcapng", speed=1000.0)
    try:
        replay.start()
        until(lambda: len(replay.snapshot().lanes) == 3)
    finally:
        replay.stop()
