"""Lanes by the nicknames of their adapters, and files of lanes as editors leave them."""

from pathlib import Path

import pytest

from pale_heron.bench.config.bench_file import lanes_of
from pale_heron.core.trouble import Trouble
from pale_heron.files.adapters import AdapterNote
from pale_heron.ports import nicknames
from pale_heron.ports.listing import Port
from pale_heron.ports.nicknames import lane_named


def plugged_in(nickname: str, device: str) -> Port:
    return Port(device, "", "", "", "", "", "free", "", key=f"serial {device}", nickname=nickname, settings="38400")


def test_a_kept_nickname_is_a_lane(monkeypatch: pytest.MonkeyPatch) -> None:
    kept = {"serial 1": AdapterNote("buoy7", "radio", "38400"), "serial 2": AdapterNote("away")}
    monkeypatch.setattr(nicknames, "known_adapters", lambda: kept)
    found = [plugged_in("buoy7", "/dev/ttyUSB3")]
    monkeypatch.setattr(nicknames, "ports", lambda: found)
    lane = lane_named("buoy7")
    assert (lane.name, lane.address, lane.settings.rate) == ("buoy7", "/dev/ttyUSB3", 38400)
    assert lane_named("buoy7@9600").settings.rate == 9600
    assert lane_named("hide=buoy7").name == "hide"
    assert lane_named("/dev/buoy7").address == "/dev/buoy7" and lane_named("COM3").address == "COM3"
    with pytest.raises(Trouble, match="'away' is not plugged in"):
        lane_named("away")
    found.append(plugged_in("buoy7", "/dev/ttyUSB4"))
    with pytest.raises(Trouble, match="ttyUSB3 and /dev/ttyUSB4 are both called"):
        lane_named("buoy7")


@pytest.mark.parametrize("text", ['\ufeff[[lane]]\naddress = "/dev/x"\n', '[[lane]]\naddress = "/dev/x"\n'])
def test_a_bench_file_may_begin_with_a_byte_order_mark(text: str, tmp_path: Path) -> None:
    path = tmp_path / "bench.toml"
    path.write_text(text, "utf-8")
    assert [spec.address for spec in lanes_of([], path)] == ["/dev/x"]


@pytest.mark.parametrize("text", ["a = " + "[" * 3000 + "]" * 3000, "[" + ".".join(["a"] * 5000) + "]", "a = {" * 3000])
def test_tables_nested_too_deep_are_no_fault_of_the_program(text: str, tmp_path: Path) -> None:
    path = tmp_path / "deep.toml"
    path.write_text(text)
    with pytest.raises(Trouble):
        lanes_of([], path)
