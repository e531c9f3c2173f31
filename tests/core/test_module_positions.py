"""Where a module says that it is: its zeros are no place, and what its dialect calls unknown is none."""

from typing import Any, Final

import pytest
from tests.streams import BEGIN

from pale_heron.core.device.dialogue.position import position_of
from pale_heron.core.device.dialogue.tracker import ModuleTracker
from pale_heron.core.device.schema.dialect import read_dialect
from pale_heron.core.frames import IN, OUT, Chunk
from pale_heron.core.gnss.facts import LatestSentence, facts
from pale_heron.core.gnss.reported import MODULE

KINDS: Final = {"at": "time", "lat": "latitude", "lon": "longitude", "used": "satellites-used"}
PLACED: Final[dict[str, Any]] = {
    "name": "marsh",
    "command": {
        "where": {
            "query": ["AT+WHERE?"],
            "reply": r"\+WHERE: (?P<at>[^,]*),(?P<lat>[^,]*),(?P<lon>[^,]*),(?P<used>[^,]*)",
        }
    },
    "field": {name: {"kind": kind, "unknown": ["-999"]} for name, kind in KINDS.items()},
}
DIALECT, PROBLEMS = read_dialect(PLACED)

SAID: Final = {
    "094107.00,-46.117300,-67.306667,9": (-46.1173, -67.306667),
    "094107.00,0.000000,0.000000,0": None,
    "0,0.000000,0.000000,": None,
    "094107.00,0.000000,0.000000,7": (0.0, 0.0),
    "094107.00,-999,-999,0": None,
    "094107.00,,,": None,
    # Packed degrees and minutes with a sign: no angle in degrees has four digits before its point.
    "094107.00,-4607.03800,-06718.40000,9": (-46.1173, -67.3066666667),
    "094107.00,+0007.50,00018.6,9": (0.125, 0.31),
    "094107.00,-4667.03800,-06718.40000,9": None,
}


@pytest.mark.parametrize("said", SAID)
def test_a_module_is_where_it_says_unless_it_does_not_know(said: str) -> None:
    assert not PROBLEMS
    found = position_of(DIALECT, zip(KINDS, said.split(","), strict=True), 1, said.encode())
    expected = SAID[said]
    if expected is None:
        assert found is None or not found.has_position
    else:
        assert found is not None and (found.values["latitude"], found.values["longitude"]) == expected


def test_what_else_a_module_says_of_its_fix() -> None:
    fields = {"lat": "latitude", "lon": "longitude", "day": "date", "dop": "hdop", "v": "speed", "way": "course"}
    reply = r"\+FIX: " + ",".join(f"(?P<{name}>[^,]*)" for name in fields)
    table = {"name": "marsh", "command": {"fix": {"query": "AT+FIX?", "reply": reply}}}
    table["field"] = {name: {"kind": kind} for name, kind in fields.items()}
    for unit, knots in (("knots", 18.52), ("km/h", 10.0), ("m/s", 36.0)):
        table["field"]["v"]["unit"] = unit
        dialect, problems = read_dialect(table)
        assert not problems
        tracker = ModuleTracker(dialect)
        tracker.feed(Chunk("m", OUT, BEGIN, b"AT+FIX?\r"))
        line = b"\r\n+FIX: -46.1173,-67.3067,011226,0.9,18.52,271.5\r\n"
        (found,) = tracker.feed(Chunk("m", IN, BEGIN + 1, line))
        assert found.values["speed_knots"] == pytest.approx(knots)
        assert (found.values["date"], found.values["hdop"], found.values["course_deg"]) == ("2026-12-01", 0.9, 271.5)
        latest = {MODULE: LatestSentence(found, 0)}
        known = facts(latest, {MODULE: found}, BEGIN + 1)
        assert {"date", "hdop", "course_deg", "speed_knots"} <= set(known)
    table["field"]["v"]["unit"] = "miles"
    assert "a speed is in one of" in str(read_dialect(table)[1])


@pytest.mark.parametrize(
    ("said", "place"),
    [
        ("3,-461173000,-673066667,51200", (-46.1173, -67.3066667, 51.2)),
        ("1,-461173000,-673066667,51200", None),  # it tells where it was last, and says that it does not know
        ("3,ebb,-673066667,51200", None),
    ],
)
def test_scaled_numbers_and_a_mode_that_says_none(said: str, place: tuple[float, float, float] | None) -> None:
    """As frames have them: angles in ten millionths of a degree, millimetres, and the mode beside them."""
    scaled = {"lat": ("latitude", 1e-7), "lon": ("longitude", 1e-7), "high": ("altitude", 1e-3)}
    table: dict[str, Any] = {
        "name": "marsh",
        "command": {"fix": {"query": "fix", "reply": r"(?P<mode>\d),(?P<lat>[^,]*),(?P<lon>[^,]*),(?P<high>[^,]*)"}},
        "field": {name: {"kind": kind, "scale": scale} for name, (kind, scale) in scaled.items()},
    }
    table["field"]["mode"] = {"kind": "fix-mode", "words": {"1": "none", "3": "3D"}}
    dialect, problems = read_dialect(table)
    assert not problems
    found = position_of(dialect, zip(["mode", *scaled], said.split(","), strict=True), 1, said.encode())
    if place is None:
        assert found is None or not found.has_position
    else:
        assert found is not None
        values = found.values["latitude"], found.values["longitude"], found.values["altitude_m"]
        assert values == pytest.approx(place, abs=1e-9)
    table["field"]["mode"]["words"] = {"1": "searching"}
    assert "which of its words is 'none'" in str(read_dialect(table)[1])
