"""What the pages of Module say, without a screen, from modules that were really told things."""

import re

import pytest
from tests.bench.modules import MAKERS, ModuleBench, bitterns, performed
from tests.painted import snapshot
from tests.streams import BEGIN, HOSTILE, chunk

from pale_heron.bench.config.routine_files import known_routines, routine_from, routine_of_text
from pale_heron.bench.operations.command_client import CommandClient
from pale_heron.bench.operations.module import asking, keeping, reading, writing
from pale_heron.bench.snapshot import BenchSnapshot
from pale_heron.core.device.dialogue import transcript
from pale_heron.core.device.dialogue.exchanges import Exchange
from pale_heron.core.device.schema.fields import MASK
from pale_heron.core.frames import OUT, Chunk
from pale_heron.core.lane import Lane
from pale_heron.sim.calls import Answer
from pale_heron.tui.painting.paint import plain, width_of
from pale_heron.tui.views.module import module, page_routine
from pale_heron.tui.views.module.choices import PAGES, CurrentOperation, ModuleChoices
from pale_heron.tui.widgets.entry_line import matching


def shown(bench: ModuleBench) -> BenchSnapshot:
    taken = snapshot(now=bench.now)
    return BenchSnapshot("marsh", bench.now, BEGIN, bench.model.snapshots(bench.now), taken.capture, None, 0.0)


def page(name: str, bench: ModuleBench, width: int = 114, **look: object) -> str:
    taken = shown(bench)
    other = taken.lanes[1] if len(taken.lanes) > 1 else None
    rows = module.paint(taken, taken.lanes[0], ModuleChoices(page=name, other=other, **look), width, 36)
    return plain(rows)


def told(kind: str, *lines: str) -> ModuleBench:
    bench = ModuleBench(m=MAKERS[kind]())
    bench.advance(2.0)
    client = CommandClient(bench, "m")
    for line in ("ATI", *lines):
        client.run(line)
    return bench


def test_exchanges_stand_with_meaning_fields_result_and_time() -> None:
    bench = told("plover", "AT+CMEE=1", "AT+CPIN?", "AT+CSQ", "AT+COPS?", "AT+NONSENSE", "AT+CGSN")
    text = page("exchanges", bench)
    for words in ("How the SIM stands", "sim READY, ready", "signal unknown (99)", "+CME ERROR", " ms"):
        assert words in text
    assert "6 of 7 commands done, 1 refused" in text
    assert MASK in text
    assert "999010000012374" not in text
    assert "it cannot do that" in page("exchanges", bench, chosen=_number(bench, b"AT+NONSENSE"))
    assert "27.007, 8.5" in page("exchanges", bench, chosen=_number(bench, b"AT+CSQ"))


def _number(bench: ModuleBench, sent: bytes) -> int:
    items = bench.module("m").items
    return next(each.number for each in items if isinstance(each, Exchange) and each.sent == sent)


def test_state_has_every_reading_with_its_age_and_how_to_ask() -> None:
    bench = told("plover")
    assert "AT+CSQ asks" in page("state", bench)
    bench.advance(10.0)
    assert performed(bench, asking()).succeeded
    bench.advance(4.0)
    text = page("state", bench)
    for words in (
        "registered at home",
        "dBm, ",
        "87 %",
        "Saltmarsh Net",
        "s ago",
        "command mode",
        "powered",
        "registered",
    ):
        assert words in text


def test_settings_tell_intended_read_and_standing() -> None:
    bench = told("bittern")
    intended = {"node": "9", "pace": "4", "cipher": "other words"}
    assert performed(bench, reading()).succeeded
    text = page("settings", bench, intended=intended)
    assert "3 of 3 intended settings differ: node, pace, cipher" in text
    assert "other words" not in text
    assert "1 to 250; kept by storing" in text
    assert performed(bench, writing(intended)).succeeded
    text = page("settings", bench, intended=intended, row=3)
    assert "All 3 intended settings are as intended" in text
    assert "pending a restart" in text
    assert "in force from the next restart on" in " ".join(text.split())


def test_two_modules_say_what_breaks_the_link() -> None:
    hide, buoy = bitterns()
    bench = ModuleBench(hide=hide, buoy=buoy)
    bench.advance(2.0)
    assert "Nothing has been sent to hide yet" in page("pair", ModuleBench(hide=hide))
    for lane in ("hide", "buoy"):
        performed(bench, reading(), lane)
    text = page("pair", bench)
    assert "3 of 7 rules are broken: node, pace, peer" in text
    assert "both have node 7: neither will hear the other" in text
    assert "hide calls 8, but buoy is 7: beacons reach nobody" in text
    performed(bench, writing({"node": "8", "pace": "3"}), "buoy")
    # Its pace holds from the next restart on: nobody knows yet.
    assert "Against buoy 1 of 7 rules cannot be judged yet" in page("pair", bench)
    assert performed(bench, keeping(), "buoy").succeeded
    assert "all 7 rules hold" in page("pair", bench)


def test_silence_and_data_mode_are_said_first() -> None:
    bench = told("wren", "AT+LINK")
    assert "data mode (CONNECT came): what is sent goes to the far end" in page("exchanges", bench)
    bench = told("teal")
    bench.hears = lambda _lane, _data: None
    for _ in range(2):
        CommandClient(bench, "m").run("AT")
    text = page("exchanges", bench)
    assert "No answer to the last 2 commands at 9600 8N1" in text
    (lane,) = shown(bench).lanes
    assert lane.steps[-1].state.value in ("broken", "not-yet")


@pytest.mark.parametrize("width", [72, 90, 114, 144, 172])
@pytest.mark.parametrize("name", list(PAGES))
def test_no_page_is_wider_than_its_room(name: str, width: int) -> None:
    bench = told("bittern", "AT+NODE=8", "AT+CIPHER?", "AT+" + "X" * 120)
    operation = performed(bench, reading())
    doing = CurrentOperation("read all settings", operation.steps, True)
    taken = shown(bench)
    rows = module.paint(taken, taken.lanes[0], ModuleChoices(page=name, doing=doing, intended={"node": "3"}), width, 30)
    assert len(rows) <= 30
    assert max(map(width_of, rows)) <= width


def test_the_list_keeps_the_chosen_exchange_in_sight() -> None:
    bench = told("bittern", *(f"AT+POWER={2 + place % 20}" for place in range(60)))
    first = _number(bench, b"AT+POWER=2")
    text = page("exchanges", bench, chosen=first)
    assert "▌● " in text
    assert "AT+POWER=2 " in text
    newest = page("exchanges", bench)
    assert "AT+POWER=21" in newest
    assert "It has started" not in newest


def test_hostile_bytes_of_a_module_stay_text() -> None:
    lane = Lane("m")
    bench = told("teal")
    lane.streams.speak(bench.module("m").dialect)
    lane.feed(Chunk("m", OUT, BEGIN, b"AT\r"))
    for place, data in enumerate((b"\r\n" + HOSTILE, b'\r\n+NET: 1,"\x1b[2J[b]",-60,"x"\r\n', b"\r\nOK\r\n")):
        lane.feed(chunk(data, BEGIN + place, "m"))
    taken = snapshot(lane, now=BEGIN + 10**9)
    for name in PAGES:
        text = plain(module.paint(taken, taken.lanes[0], ModuleChoices(page=name), 114, 36))
        assert not any(ord(letter) < 0x20 or 0x7F <= ord(letter) < 0xA0 for letter in text.replace("\n", ""))


def test_a_routine_is_painted_before_its_run_and_made_of_what_was_told() -> None:
    routine, _ = routine_of_text(known_routines()["teal-join"])
    text = plain(page_routine.paint(routine, ["teal"], None, 114, 30))
    assert "0 of 7 steps" in text
    assert 'AT+JOIN="saltmarsh"' in text
    bench = told("teal", 'AT+JOIN="saltmarsh","reeds and water"', "AT+NET?")
    items = [each for each in bench.module("m").items if isinstance(each, Exchange)]
    made = routine_from("again", bench.module("m"), items)
    assert "reeds and water" not in made
    again, wrong = routine_of_text(made)
    assert not wrong
    assert [each.line for each in again.steps] == ["ATI", 'AT+JOIN="saltmarsh","{phrase}"', "AT+NET?"]
    assert again.variables["phrase"].secret
    assert "first-contact" in plain(page_routine.paint_none(114))


COMPLETIONS = [("AT+NO", "AT+NODE?"), ("at+no", "AT+NODE?"), ("AT+NODE=", "AT+NODE={node}"), ("ATE", "ATE{echo}")]


@pytest.mark.parametrize(("typed", "wanted"), COMPLETIONS)
def test_commands_are_completed(typed: str, wanted: str) -> None:
    dialect = told("bittern").module("m").dialect
    assert wanted in [template for _, template, _, _ in matching(dialect, typed)]
    assert not matching(dialect, "XYZ")


def long_reply(lines: int, notices: int = 0) -> ModuleBench:
    """A module that answers `AT+LIST` with so many lines, and so many notices among them."""
    bench = told("bittern")
    reply = [f"+ITEM: {number},{'x' * 150} END{number}" for number in range(lines)]
    reply[5:5] = ["+READY: node 7"] * notices
    bench.modems["m"].handlers["+LIST"] = lambda _: Answer(tuple(reply))
    CommandClient(bench, "m").run("AT+LIST")
    return bench


def listed(bench: ModuleBench) -> list[Exchange]:
    return [each for each in bench.module("m").items if isinstance(each, Exchange) and each.sent == b"AT+LIST"]


def test_a_long_reply_is_kept_counted_and_read_whole() -> None:
    bench = long_reply(700)
    (item,) = listed(bench)
    assert len(item.information) == 700
    assert "and 698 lines more: i shows all" in page("exchanges", bench)
    seen: set[int] = set()
    first = 0
    while first < len(item.heard):
        text = page("exchanges", bench, opened=first)
        seen |= {int(number) for number in re.findall(r"END(\d+)", re.sub(r"\s", "", text))}
        assert "AT+LIST" in text
        until = re.search(r"LINES \d+ TO (\d+) OF", text)
        assert until and int(until[1]) > first
        first = int(until[1])
    assert seen == set(range(700))


def test_more_lines_than_memory_allows_are_counted(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(transcript, "BYTES_KEPT", 20_000)
    bench = long_reply(150)
    (item,) = listed(bench)
    assert 20 < len(item.information) < 100
    assert len(item.information) + item.dropped in (150, 151), "its result is one line too"
    assert f"and {item.dropped} lines that were too many to keep here" in page("exchanges", bench, opened=10**6)
    monkeypatch.setattr(transcript, "LONG", 20)
    for _ in range(6):
        CommandClient(bench, "m").run("AT+LIST")
    kept = sum(len(heard.data) for each in listed(bench) for heard in each.heard)
    assert kept < 5 * 20_000
    assert {len(each.heard) + each.dropped for each in listed(bench)} == {len(item.heard) + item.dropped}


def test_notices_within_a_reply_fold_and_what_was_sent_has_its_bytes() -> None:
    bench = long_reply(8, notices=40)
    text = page("exchanges", bench)
    assert "and 38 notices more meanwhile" in text
    assert text.count("It is ready, as node 7") < 6
    assert page("exchanges", bench, opened=6).count("It is ready, as node 7") > 6
    assert "41 54 2B 4E 4F 44 45 3F" in page("exchanges", told("bittern", "AT+NODE?"), opened=0)
