"""Bench files as people write them, wrong ones, and saving that keeps their notes."""

from pathlib import Path

import pytest

from pale_heron.bench.config.bench_file import lanes_of, load_bench, load_own_keys, save_bench
from pale_heron.bench.config.own_keys import OwnKey
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.trouble import Trouble
from pale_heron.ports.address import LaneSpec

WRITTEN = """# the hut and the buoy
[[lane]]
nickname = "curlew"   # the one with the blue cable
address = "/dev/ttyUSB0"
role = "buoy 7"
rate = 38400
dtr = false
in = "lf"

[[lane]]
nickname = "hide"
address = "socket://127.0.0.1:7000"
listen-only = true
"""
LANES = [
    LaneSpec("curlew", "/dev/ttyUSB0", LineSettings(38400, dtr=False, ending_in="lf"), "buoy 7"),
    LaneSpec("hide", "socket://127.0.0.1:7000", LineSettings(listen_only=True)),
]


@pytest.fixture
def bench(tmp_path: Path) -> Path:
    path = tmp_path / "saltmarsh.toml"
    path.write_text(WRITTEN)
    return path


def test_a_bench_file_gives_its_lanes_and_takes_more(bench: Path) -> None:
    assert load_bench(bench) == LANES
    assert [spec.name for spec in lanes_of(["far=/dev/x"], bench)] == ["curlew", "hide", "far"]
    with pytest.raises(Trouble, match="Two lanes are called 'hide'"):
        lanes_of(["hide=/dev/x"], bench)


def test_saving_keeps_comments_and_changes_only_what_changed(bench: Path) -> None:
    save_bench(bench, LANES)
    assert bench.read_text() == WRITTEN
    changed = LaneSpec("curlew", "/dev/ttyUSB3", LineSettings(9600, gap_ms=50), "buoy 7", "serial M-7")
    save_bench(bench, [changed, LaneSpec("far", "/dev/y")])
    text = bench.read_text()
    assert "# the hut and the buoy" in text
    assert "# the one with the blue cable" in text
    assert load_bench(bench) == [changed, LANES[1], LaneSpec("far", "/dev/y")]


def test_a_new_bench_file_holds_what_is_not_as_usual(tmp_path: Path) -> None:
    save_bench(tmp_path / "new" / "a.toml", LANES)
    assert load_bench(tmp_path / "new" / "a.toml") == LANES
    assert "char-delay" not in (tmp_path / "new" / "a.toml").read_text()


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        (("rate = 38400", "rat = 38400"), r"line 6: 'rat' is not a key of a lane; did you mean 'rate'\?"),
        (("rate = 38400", "rate = 3"), "line 6: rate = 3: rate 3 is not between 50"),
        (("rate = 38400", 'rate = "fast"'), "line 6: rate = 'fast': 'fast' is not a whole number"),
        (("dtr = false", 'dtr = "maybe"'), "line 7: dtr = 'maybe'"),
        (("listen-only", "listen-onyl"), "line 13: 'listen-onyl' is not a key of a lane; did you mean 'listen-only'"),
        (('address = "/dev/ttyUSB0"\n', ""), "line 2: a lane without address"),
        (("socket://127.0.0.1:7000", "socket://here"), "line 12: .* has no host and port"),
        (("[[lane]]\nnickname = \"curlew\"", "[[lanes]]\nnickname = \"curlew\""), "'lanes' is not a key; did"),
        (("rate = 38400", "rate = "), "is not TOML: .*line 6"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_told_with_file_line_and_nearest_key(bench: Path, wrong: tuple[str, str], words: str) -> None:
    bench.write_text(WRITTEN.replace(*wrong, 1))
    with pytest.raises(Trouble, match=words) as told:
        load_bench(bench)
    assert str(bench) in told.value.what


KEYS = """
# what I need at the board
[[key]]
key = "f5"
lane = "hide"
send = "lamp 1"   # on

[[key]]
key = "f6"
lane = "hide"
routine = "bring-up"
every = 60
label = "hello"
"""
OWN = [OwnKey("f5", "hide", "lamp 1"), OwnKey("f6", "hide", "", "bring-up", 60.0, "hello")]


def test_own_keys_are_read_changed_in_place_freed_and_added(bench: Path) -> None:
    save_bench(bench, LANES)
    assert bench.read_text() == WRITTEN, "where there are none, none are written"
    assert load_own_keys(bench) == []
    bench.write_text(WRITTEN + KEYS)
    assert load_own_keys(bench) == OWN
    assert load_bench(bench) == LANES
    save_bench(bench, LANES, OWN)
    assert bench.read_text() == WRITTEN + KEYS
    changed = [OWN[1]._replace(every_s=0.0), OwnKey("f12", "curlew", "$PCURLEW,ID", every_s=0.5)]
    save_bench(bench, LANES, changed)
    assert load_own_keys(bench) == changed
    assert "# the hut and the buoy" in bench.read_text() and "lamp" not in bench.read_text()
    save_bench(bench, LANES, [])
    assert load_own_keys(bench) == []


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        (('"f5"', '"f1"'), "line 17: key = 'f1' is not one of f2, f3"),
        (('"f6"', '"f5"'), "line 22: f5 is another key already"),
        (
            ('lane = "hide"\nsend', 'lane = "hyde"\nsend'),
            "line 18: lane = 'hyde' is no lane of this file; did you mean 'hide'",
        ),
        (('send = "lamp 1"', 'sent = "lamp 1"'), "line 19: sent is not a field of a key; did you mean 'send'"),
        (('send = "lamp 1"', "send = 1"), "line 19: send = 1: text in quotes is wanted"),
        (('routine = "bring-up"\n', ""), "send or routine is wanted"),
        (
            ("every = 60", "every = 0.01"),
            "line 25: every = 0.01: 0.01 is neither 0, for once, nor 0.05 to 86400 seconds",
        ),
        (("every = 60", 'every = "60s"'), "line 25: every = '60s': seconds are wanted"),
        (("every = 60", "every = nan"), "is neither 0"),
        (('"hello"', f'"{"x" * 25}"'), "line 26: label has more than 24 letters"),
        (('[[key]]\nkey = "f5"', '[key]\nkey = "f5"'), "line"),
    ],
)
def test_what_is_wrong_with_a_key_is_told_with_its_line(bench: Path, wrong: tuple[str, str], words: str) -> None:
    assert wrong[0] in KEYS
    bench.write_text(WRITTEN + KEYS.replace(*wrong))
    with pytest.raises(Trouble) as raised:
        load_own_keys(bench)
    assert words in str(raised.value)
