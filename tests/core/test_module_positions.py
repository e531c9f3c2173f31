"""Where a module says that it is: its zeros are no place, and what its dialect calls unknown is none."""

from typing import Any, Final

import pytest

from pale_heron.core.device.dialogue.position import position_of
from pale_heron.core.device.schema.dialect import read_dialect

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
