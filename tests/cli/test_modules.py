"""Commands that speak to modules, in processes of their own, against all four simulated modules."""

import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from tests.cli.test_commands import run

from pale_heron.capture.reader import CaptureReader
from pale_heron.core.frames import Chunk
from pale_heron.sim.launch import Device
from pale_heron.sim.modules import KINDS, MARSH

NAMES = ("hide", "buoy", "plover", "wren", "teal")
KEYS = {"command", "echo", "information", "fields", "notices", "result", "result_code", "elapsed_ms", "status"}


@pytest.fixture(scope="module")
def lanes(tmp_path_factory: pytest.TempPathFactory) -> Iterator[dict[str, str]]:
    """Lanes as they are named on the command line."""
    device = Device(MARSH, link=tmp_path_factory.mktemp("marsh") / "m", count=KINDS[MARSH])
    yield {name: f"{name}={path}@9600" for name, path in zip(NAMES, device.paths, strict=True)}
    device.stop()


def objects(out: bytes) -> list[dict[str, object]]:
    return [json.loads(line) for line in out.decode().splitlines()]


def test_send_prints_one_object_an_exchange(lanes: dict[str, str]) -> None:
    done = run("send", lanes["hide"], "AT", "AT+NODE?", "AT+NONSENSE", "AT+CIPHER?", "--dialect", "bittern", "--json")
    assert done.returncode == 1, done.stderr
    first, node, wrong, cipher = objects(done.stdout)
    assert set(first) >= KEYS
    assert (first["status"], first["result"], first["echo"]) == ("ok", "OK", True)
    assert (node["information"], node["fields"]) == (["+NODE: 7"], {"node": "7"})
    assert (wrong["status"], wrong["result_code"]) == ("error", "ERROR")
    assert "dawn" not in str(cipher)
    assert isinstance(first["elapsed_ms"], float)
    assert 5 < first["elapsed_ms"] < 1000


def test_a_modem_that_is_none_of_ours_works_with_the_standards_alone(lanes: dict[str, str]) -> None:
    words = ("AT", "AT+CSQ;+CPIN?", "AT+CMGF=1", 'AT+CMGS="+99905550142"')
    done = run("send", lanes["plover"], *words, "--dialect", "standard", "--payload", "Ebb", "--json")
    told = objects(done.stdout)
    assert [each["command"] for each in told] == list(words)
    fields = told[1]["fields"]
    assert isinstance(fields, dict)
    assert {"signal", "sim"} <= set(fields)
    assert told[3]["status"] in ("ok", "error")
    shown = run("send", lanes["plover"], "AT+CSQ").stdout.decode()
    assert "How strong the signal is" in shown


def test_no_answer_is_an_answer(lanes: dict[str, str]) -> None:
    wrong_rate = lanes["teal"].replace("@9600", "@115200")
    done = run("send", wrong_rate, "AT", "--json")
    assert done.returncode == 1
    (told,) = objects(done.stdout)
    assert (told["status"], told["result"], told["elapsed_ms"]) == ("no-answer", None, None)


def test_settings_are_compared_mended_and_a_bench_file_says_what_is_intended(
    lanes: dict[str, str], tmp_path: Path
) -> None:
    done = run("settings", lanes["hide"], lanes["buoy"], "--json")
    told = json.loads(done.stdout)
    broken = {each["setting"]: each["words"] for each in told["rules"] if each["holds"] is False}
    assert done.returncode == 1
    assert set(broken) == {"node", "pace", "peer"}
    address = lanes["buoy"].partition("=")[2].rpartition("@")[0]
    bench = tmp_path / "marsh.toml"
    bench.write_text(
        f'[[lane]]\nnickname = "buoy"\naddress = "{address}"\nintended = {{ node = "8", pace = 3 }}\n', encoding="utf-8"
    )
    before = run("settings", "--bench", bench)
    assert before.returncode == 1
    assert b"differs" in before.stdout
    mended = run("settings", "--bench", bench, "--write", "--json")
    assert mended.returncode == 0, mended.stderr
    rows = {each["setting"]: each for each in json.loads(mended.stdout)["lanes"][0]["settings"]}
    assert (rows["node"]["differs"], rows["pace"]["standing"]) == (False, "pending a restart")
    wrong = run("settings", lanes["hide"], "--set", "node=999")
    assert wrong.returncode == 2
    assert b"1 to 250" in wrong.stderr


ROUTINES = [
    ("bittern-pair", ("hide", "buoy"), (), 12),
    ("plover-message", ("plover",), (), 7),
    ("wren-link", ("wren",), (), 6),
    ("teal-join", ("teal",), ("phrase=reeds and water",), 7),
    ("first-contact", ("teal",), (), 7),
]


@pytest.mark.parametrize(("name", "names", "values", "steps"), ROUTINES, ids=[row[0] for row in ROUTINES])
def test_the_routines_that_ship_run_to_their_end(
    name: str, names: tuple[str, ...], values: tuple[str, ...], steps: int, lanes: dict[str, str]
) -> None:
    chosen = [word for value in values for word in ("--set", value)]
    done = run("routine", name, *(lanes[each] for each in names), *chosen, "--json")
    told = objects(done.stdout)
    assert done.returncode == 0, told
    assert told[-1] == {"routine": name, "passed": True, "steps": steps, "done": steps}
    assert all(each["standing"] == "passed" and isinstance(each["seconds"], float) for each in told[:-1])
    assert "reeds and water" not in done.stdout.decode()


FAILING = """name = "too-much"
[variables]
channel = "9"
[[step]]
do = "send"
line = "AT+CHANNEL={channel}"
[[step]]
do = "ask"
question = "Is the buoy in sight?"
[[step]]
do = "set"
setting = "channel"
value = "3"
[[step]]
do = "mark"
text = "channel {channel} was tried"
[[step]]
do = "send"
line = "AT+NOISE?"
[[step]]
do = "check"
field = "noise"
most = -200
[[step]]
do = "send"
line = "AT"
"""


def test_a_routine_stops_where_it_fails_and_says_what_it_saw(lanes: dict[str, str], tmp_path: Path) -> None:
    file = tmp_path / "too-much.toml"
    file.write_text(FAILING)
    capture = tmp_path / "run.pcapng"
    done = run("routine", file, lanes["hide"], "--yes", "--dialect", "bittern", "-o", capture, "--json")
    told = objects(done.stdout)
    assert done.returncode == 1
    assert [each["standing"] for each in told[:-1]] == ["passed"] * 5 + ["failed"]
    assert "wanted at most -200" in str(told[-2]["seen"])
    assert told[-1] == {"routine": "too-much", "passed": False, "steps": 7, "done": 5}
    events = [record for record in CaptureReader(capture).records() if not isinstance(record, Chunk)]
    assert {"mark", "told", "dialect"} <= {event.name for event in events}
    no = run("routine", file, lanes["hide"], "--dialect", "bittern", "--json")
    assert [each["standing"] for each in objects(no.stdout)[:-1]] == ["passed", "failed"]


WRONG = {
    "a routine that there is not": (["routine", "nowhere", "/dev/null"], "Known are"),
    "too few lanes": (["routine", "bittern-pair", "{hide}"], "Name as many lanes"),
    "a variable that does not exist": (["routine", "teal-join", "{teal}", "--set", "x=1"], "It has: network, phrase"),
    "a variable without value": (["routine", "teal-join", "{teal}"], "No value for phrase"),
    "a dialect that does not exist": (["send", "{teal}", "AT", "--dialect", "teel"], "did you mean 'teal'"),
    "a lane that is not there": (["send", "/nowhere", "AT"], "/nowhere"),
    "three lanes to compare": (["settings", "{hide}", "{buoy}", "{teal}"], "Name one, or two"),
    "two kinds to compare": (["settings", "{hide}", "{teal}"], "no rule between them"),
    "nothing to redact": (["redact", "/dev/null"], "is not a capture"),
}


@pytest.mark.parametrize("name", WRONG)
def test_wrong_usage_says_what_and_the_way_out(name: str, lanes: dict[str, str]) -> None:
    words, told = WRONG[name]
    done = run(*(word.format(**lanes) for word in words))
    assert done.returncode == 2, done.stdout
    assert told in done.stderr.decode()


def test_a_copy_to_share_holds_no_secret_and_all_else(lanes: dict[str, str], tmp_path: Path) -> None:
    capture, copy = tmp_path / "run.pcapng", tmp_path / "copy.pcapng"
    file = tmp_path / "pins.toml"
    line = 'AT+JOIN=\\"saltmarsh\\",\\"reeds and water\\"'
    file.write_text(
        f'name = "pins"\n[[step]]\ndo = "send"\nline = "{line}"\n[[step]]\ndo = "mark"\ntext = "own words"\n'
    )
    assert run("routine", file, lanes["teal"], "--dialect", "teal", "-o", capture).returncode == 0
    assert b"reeds and water" in capture.read_bytes()
    assert b"not masked" in capture.read_bytes()
    for words, seen in (((), False), (("--show-secrets",), True)):
        decoded = run("decode", capture, "--json", *words)
        assert (b"reeds and water" in decoded.stdout) is seen
        assert b"AT+JOIN" in decoded.stdout
    done = run("redact", capture, "-o", copy, "--secret", "own words")
    assert done.returncode == 0, done.stderr
    data = copy.read_bytes()
    assert b"reeds and water" not in data
    assert b"own words" not in data
    assert b"A copy made for sharing" in data
    before, after = (list(CaptureReader(path).records()) for path in (capture, copy))
    chunks = [(each.time, len(each.data)) for each in before if isinstance(each, Chunk)]
    assert chunks == [(each.time, len(each.data)) for each in after if isinstance(each, Chunk)]
    assert [each.time for each in before] == [each.time for each in after]
    again = run("redact", capture, "-o", copy)
    assert again.returncode == 2
