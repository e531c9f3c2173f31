"""What is told of a stranger's settings, notices and starts, and what is not known of them."""

from collections.abc import Mapping
from typing import Any

import pytest

from pale_heron.bench.config.intended_settings import compared, rows_of
from pale_heron.bench.model import Model
from pale_heron.bench.operations.module import reading, writing
from pale_heron.bench.operations.routine import RoutineRun
from pale_heron.core.device.dialogue.exchanges import Exchange, Unsolicited
from pale_heron.core.device.dialogue.tracker import DOUBTFUL, ModuleTracker
from pale_heron.core.device.schema.dialect import Dialect, read_dialect
from pale_heron.core.device.schema.routine import read_routine
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.tui.views.module.page_state import every
from tests.bench.modules import performed
from tests.strangers import modules
from tests.strangers.test_harm import RADIO, bench_on, dialect_of
from tests.streams import BEGIN

CELL: Mapping[str, Any] = {
    "name": "sedgecell", "extends": "standard", "recognise": {"says": ["SEDGE cell"]},
    "notice": {"up": {"line": "SEDGE up", "restarts": True}},
    "command": {
        "band": {
            "query": "AT+BAND?", "set": "AT+BAND={band}", "reply": r"\+BAND: (?P<band>\d+)",
            "parameter": {"band": {"least": 1, "most": 40}},
        },
        "scan": {"run": "AT+SCAN", "then": r"\+SCAN: (?P<found>\d+)", "then-within-s": 5},
        "restart": {"run": "AT+RESTART", "risk": ["restarts"]},
    },
    "setting": {
        "band": {"restart": True, "rule": "equal", "broken": "bands {here} and {there}"},
        "first": {"command": "context", "value": "access_point", "row": {"context": "1"}},
        "second": {"command": "context", "value": "access_point", "row": {"context": "2"}},
    },
}  # fmt: skip


def test_rows_of_a_table_are_told_apart_and_written_whole() -> None:
    cell = modules.Cell()
    bench, client = bench_on(cell, CELL)
    assert client.run("AT").status == "ok"
    assert performed(bench, reading(("first", "second"))).succeeded
    module = bench.module("m")
    assert {name: module.settings[name].read for name in ("first", "second")} == {"first": "tide", "second": "ebb"}
    assert {name: module.readings[name].raw for name in ("access point 1", "access point 2")} == {
        "access point 1": "tide",
        "access point 2": "ebb",
    }
    assert performed(bench, writing({"second": "slack"})).succeeded
    assert cell.contexts == {"1": "tide", "2": "slack"}
    assert 'AT+CGDCONT=2,"IP","slack"' in cell.log


def test_what_is_pending_is_not_in_force() -> None:
    bench, client = bench_on(modules.Cell(), CELL)
    client.run("AT")
    assert performed(bench, reading(("band",))).succeeded
    assert performed(bench, writing({"band": "8"})).succeeded
    here = bench.module("m")
    (rule,) = compared(here, here)
    assert (rule.holds, rule.words) == (None, "pending a restart: it would hold then")
    client.run("AT+RESTART")
    bench.advance(2.0)
    assert performed(bench, reading(("band",))).succeeded
    here = bench.module("m")
    (rule,) = compared(here, here)
    assert rule.holds is True


def test_a_lane_that_vanished_in_mid_write_leaves_nothing_known() -> None:
    bench, client = bench_on(modules.Cell(), CELL)
    client.run("AT+BAND?")
    bench._feed(Chunk("m", OUT, bench.now, b"AT+BAND=8\r"))
    bench._feed(Event(bench.now, "m", "lost", {}))
    row = next(each for each in rows_of(bench.module("m"), {"band": "3"}) if each.setting.name == "band")
    assert (row.differs, row.state.storage) == (None, DOUBTFUL)


def test_a_check_takes_no_value_from_before_a_restart() -> None:
    bench, client = bench_on(modules.Cell(), CELL)
    client.run("AT+BAND?")
    for again, passes in ((True, False), (False, True)):
        steps = [{"do": "restart"}] if again else []
        steps += [{"do": "send", "line": "AT+BAND?"}] if not again else []
        steps += [{"do": "check", "field": "band", "one-of": ["3"]}]
        routine, problems = read_routine({"name": "looks", "step": steps})
        assert not problems
        run = RoutineRun(routine, bench, ["m"], {})  # type: ignore[arg-type]  # a bench without trials
        run.run()
        assert run.succeeded is passes, run.statuses
        assert passes or "since it was written or restarted" in run.statuses[-1].seen


def test_an_answer_that_comes_later_has_its_own_limit() -> None:
    bench, client = bench_on(modules.Cell(), CELL)
    found = client.run("AT+SCAN")
    assert (found.status, found.fields) == ("ok", {"found": "3"})
    assert found.seconds is not None
    assert found.seconds > 1.5
    assert client.run("AT").status == "ok"
    assert bench.module("m").unanswered == 0


def test_a_result_of_some_commands_is_none_of_others() -> None:
    table = {
        "name": "reed", "extends": "v250",
        "result": {
            "node": {"line": r"node is (?P<node>\w+)", "status": "ok", "of": ["node"], "meaning": "it is {node}"},
        },
        "command": {"node": {"run": "AT+NODE"}, "other": {"run": "AT+OTHER"}},
    }  # fmt: skip
    for line, ended in ((b"AT+OTHER", "OK"), (b"AT+NODE", "node is 4F")):
        tracker = ModuleTracker(dialect_of(table))
        tracker.feed(Chunk("m", OUT, BEGIN, line + b"\r"))
        tracker.feed(Chunk("m", IN, BEGIN + SECOND // 10, b"node is 4F\r\nOK\r\n"))
        first = next(each for each in tracker.snapshot().items if isinstance(each, Exchange))
        assert first.code == ended
        assert line != b"AT+NODE" or first.meaning == "it is 4F"


def test_a_dialect_that_becomes_known_pairs_what_was_said_before() -> None:
    terse = {
        "name": "terse", "recognise": {"says": ["W/OK"]},
        "result": {"done": {"line": "W/OK", "status": "ok"}}, "line": {"reply-ends-after-s": 0.4},
        "command": {"address": {"query": "AT+ADR?", "reply": r"\+ADR=(?P<address>\d+)"}, "attention": {"run": "AT"}},
    }  # fmt: skip
    bench, client = bench_on(modules.Terse())
    told = [client.run(line) for line in ("AT+ADR?", "AT")]
    assert [each.status for each in told] == ["unclear", "unclear"]
    assert "is that its word for done?" in told[1].meaning
    bench._feed(Event(bench.now, "m", "dialect", {"name": "terse", "table": terse}))
    bench.advance(0.1)
    paired = [each for each in bench.module("m").items if isinstance(each, Exchange)]
    assert [(each.sent, each.status) for each in paired] == [(b"AT+ADR?", "ok"), (b"AT", "ok")]
    assert paired[0].fields == {"address": "12"}
    assert client.run("AT").result == "W/OK"


def test_the_standards_explain_from_the_first_line() -> None:
    cell = modules.Cell()
    bench, _ = bench_on(cell)
    assert bench.module_of("m") is None
    cell.ring()
    bench.advance(0.5)
    heard = {each.name for item in bench.module("m").items if isinstance(item, Unsolicited) for each in item.heard}
    assert heard == {"ring", "message-came", "no-carrier"}


@pytest.mark.parametrize(
    ("line", "restarts"),
    [(b"last boot: 3 days ago\r\n", 0), (b"reboot count 0\r\n", 0), (b"reed node 7: boot\r\n", 1)],
)
def test_words_alone_are_no_start(line: bytes, restarts: int) -> None:
    """Thirty times a minute apart; and once more after a silence, which is a start where the words are a banner."""
    model = Model()
    model.add("m", LineSettings(9600))
    at = BEGIN
    for _ in range(30):
        model.feed(Chunk("m", IN, at, line))
        at += 60 * SECOND
    model.feed(Chunk("m", IN, at + 200 * SECOND, line))
    (lane,) = model.snapshots(at + 201 * SECOND)
    assert len(lane.dialogue.restarts) == restarts


def test_results_that_are_switched_off_cost_no_limit() -> None:
    tracker = ModuleTracker(dialect_of({"name": "plain", "extends": "standard", "command": {"x": {"run": "ATX9"}}}))
    for at, line in enumerate((b"ATQ1\r", b"AT+COPS=?\r")):
        tracker.feed(Chunk("m", OUT, BEGIN + 2 * at * SECOND, line))
    tracker.tick(BEGIN + 4 * SECOND)
    told = [each for each in tracker.snapshot().items if isinstance(each, Exchange)]
    assert [each.status for each in told] == ["unclear", "unclear"]
    assert all("ATQ0 brings them back" in each.meaning for each in told)


def test_hexadecimal_settings_have_a_range_and_are_compared_as_numbers() -> None:
    table = {**RADIO, "command": {
        "channel": {
            "query": "ATCH", "set": "ATCH{channel}", "reply": "(?P<channel>[0-9A-F]+)",
            "parameter": {"channel": {"least": 11, "most": 26, "hexadecimal": True}},
        },
    }, "field": {"channel": {"kind": "hexadecimal"}}, "setting": {"channel": {}}}  # fmt: skip
    dialect: Dialect = dialect_of(table)
    channel = dialect.settings["channel"]
    assert not channel.differs("0C", "C")
    assert dialect.commands["channel"].check({"channel": "1A"}) == ""
    assert "B to 1A, hexadecimal" in dialect.commands["channel"].check({"channel": "1B"})
    assert dialect.field_of("channel").value("1A") == 26


def test_the_standards_say_what_lists_and_supplies_hold() -> None:
    tracker = ModuleTracker(dialect_of({"name": "plain", "extends": "standard", "command": {"x": {"run": "ATX9"}}}))
    tracker.feed(Chunk("m", OUT, BEGIN, b"AT+CBC\r"))
    tracker.feed(Chunk("m", IN, BEGIN + 1, b"\r\n+CBC: 0,87,3975\r\n\r\nOK\r\n"))
    tracker.feed(Chunk("m", OUT, BEGIN + 2, b'AT+CMGL="ALL"\r'))
    listed = b'+CMGL: 1,"REC READ","+9990",,"26/12/01,10:40:00+00"\r\nOK\r\n+CMGL: 2,"STO SENT","+9991",,\r\nebb\r\n'
    tracker.feed(Chunk("m", IN, BEGIN + 3, b"\r\n" + listed + b"\r\nOK\r\n"))
    tracker.feed(Chunk("m", OUT, BEGIN + 4, b"ATS0?\r"))
    tracker.feed(Chunk("m", IN, BEGIN + 5, b"\r\n000\r\n\r\nOK\r\n"))
    snapshot = tracker.snapshot()
    supply, messages, rings = [each for each in snapshot.items if isinstance(each, Exchange)]
    assert supply.fields == {"supply": "0", "charge": "87", "millivolts": "3975"}
    assert snapshot.readings["voltage"].words == "3975 mV"
    told = [dict(each.fields) for each in messages.heard if each.fields]
    assert (told[0]["sender"], told[0]["sent_at"]) == ("+9990", "26/12/01,10:40:00+00")
    assert (told[1]["receiver"], "sender" in told[1]) == ("+9991", False)
    assert [each.data for each in messages.heard if each.role == "payload"] == [b"OK", b"ebb"]
    assert snapshot.dialect.field_of("rings").in_words(rings.fields["rings"]) == "0 rings"
    assert snapshot.dialect.risk_of("ATD123;") == "it may cost money"


def test_every_row_of_a_table_stands_in_state() -> None:
    bench, client = bench_on(modules.Cell(), CELL)
    assert client.run("AT+CGDCONT?").status == "ok"
    rows = [(label, reading.raw if reading else "") for label, _, reading in every(bench.module("m"))]
    assert ("access point 1", "tide") in rows
    assert ("access point 2", "ebb") in rows
    assert ("access point", "") not in rows


def test_a_console_is_logged_into_and_its_coloured_prompt_ends_replies() -> None:
    table = {
        "name": "reedconsole", "line": {"end": "cr", "prompt-like": r"\w+:\S+# "},
        "command": {
            "log-in": {
                "set": "{user}", "prompts": True, "prompt": "Password: ", "text-end": "\r", "payload-secret": True,
                "parameter": {"user": {"choices": ["warden"]}},
            },
            "lamp": {
                "query": "lamp", "set": "lamp {lamp}", "reply": "lamp is (?P<lamp>on|off)",
                "parameter": {"lamp": {"choices": ["on", "off"]}},
            },
        },
    }  # fmt: skip
    console = modules.Console()
    bench, client = bench_on(console, table)
    assert client.run("warden", b"sedge").status == "ok"
    assert console.stage == "shell"
    found = client.run("lamp on")
    assert (found.status, found.fields, console.lamp) == ("ok", {"lamp": "on"}, "on")
    assert client.run("lamp").fields == {"lamp": "on"}
    assert bench.module("m").mode == "command"


def test_a_search_for_operators_is_a_list_and_its_words_are_those_of_the_standard() -> None:
    standard = dialect_of({"name": "plain", "extends": "standard", "command": {"x": {"run": "ATX9"}}})
    field = standard.field_of("operators")
    said = '(2,"Marsh Mobile","Marsh","99901",7),(3,"Other Shore","Shore","99907"),(1,"","","99909"),,(0-4),(0-2)'
    told = "Marsh Mobile 99901 current; Other Shore 99907 forbidden; 99909 available"
    assert field.in_words(said) == told
    assert field.in_words("(0-4)") == "(0-4)"
    wrong = {"name": "x", "command": {"a": {"run": "A", "reply": "(?P<f>.*)"}}}
    for table, words in (
        ({"item": "(?P<a>.)", "shown": "{b}"}, "no group of item"),
        ({"item": "."}, "belong together"),
    ):
        assert words in str(read_dialect({**wrong, "field": {"f": table}})[1])
