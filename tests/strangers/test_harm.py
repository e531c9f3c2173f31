"""What must not happen to a module, whoever made it: data taken for commands, commands taken for data."""

from collections.abc import Mapping
from typing import Any

import pytest

from pale_heron.bench.model import Model
from pale_heron.bench.operations.command_client import CommandClient
from pale_heron.bench.operations.module import escaping
from pale_heron.core.device.schema.dialect import Dialect, merge, read_dialect
from pale_heron.core.frames import Event
from pale_heron.core.trouble import Trouble
from tests.bench.modules import ModuleBench, performed
from tests.strangers import modules
from tests.strangers.stranger import Stranger

BRIDGE: Mapping[str, Any] = {
    "name": "reedbridge",
    "extends": "v250",
    "recognise": {"says": ["BRIDGE model"]},
    "mode": {"escape": "---", "guard-s": 0.3, "escape-silent": True},
    "result": {
        "sent": {"line": "SENT", "status": "ok"},
        "open": {"line": "OPEN", "status": "ok", "enters": "data"},
    },
    "notice": {
        "came": {
            "line": r"\+RX,(?P<link>\d+),(?P<length>\d+):", "meaning": "{length} bytes came",
            "arrives": "length", "behind": True,
        },
    },
    "command": {
        "transmit": {
            "set": "AT+TX={length}", "prompts": True, "counted": "length", "ends": ["sent"],
            "parameter": {"length": {"least": 1, "most": 200}},
        },
        "say": {
            "set": "AT+SAY={length},{text}", "counted": "length", "inline": "text",
            "parameter": {"length": {}, "text": {"longest": 200}},
        },
        "poll": {"run": "AT+POLL"},
        "through": {"run": "AT+THROUGH"},
    },
}  # fmt: skip


def bench_on(stranger: Stranger, dialect: Mapping[str, Any] | None = None) -> tuple[ModuleBench, CommandClient]:
    """A bench on a stranger, whose dialect is in the record where it has one."""
    bench = ModuleBench(m=stranger)  # type: ignore[arg-type]  # it hears and says as a modem does
    bench.advance(1.0)
    if dialect is not None:
        bench._feed(Event(bench.now, "m", "dialect", {"name": dialect["name"], "table": grown(dialect)}))
    return bench, CommandClient(bench, "m")


def grown(written: Mapping[str, Any]) -> Mapping[str, Any]:
    """The tables with those that they grow from."""
    from pale_heron.bench.config.dialects import table_of

    base = table_of(written.get("extends", ""))
    table = merge(base, written) if base else dict(written)
    assert not read_dialect(table)[1]
    return table


def dialect_of(written: Mapping[str, Any]) -> Dialect:
    return read_dialect(grown(written))[0]


@pytest.mark.parametrize("known", [True, False])
def test_a_prompt_behind_ok_gets_its_bytes_and_no_command(known: bool) -> None:
    bridge = modules.Bridge()
    _, client = bench_on(bridge, BRIDGE if known else None)
    assert client.run("AT").status == "ok"
    found = client.run("AT+TX=5", b"ebb 7")
    assert bridge.aired == [b"ebb 7"]
    assert found.status == ("ok" if known else "unclear"), found
    assert any(each.data == b"Got 5 bytes" for each in found.heard)
    assert client.run("AT").result == "OK"
    assert bridge.aired == [b"ebb 7"]


@pytest.mark.parametrize(("known", "words"), [(True, "prompts for 5 bytes"), (False, "perhaps for 5 bytes")])
def test_without_the_bytes_nothing_goes_over_the_air(known: bool, words: str) -> None:
    bridge = modules.Bridge()
    bench, client = bench_on(bridge, BRIDGE if known else None)
    client.run("AT")
    with pytest.raises(Trouble, match=words):
        client.run("AT+TX=5")
    if known:
        assert client.run("AT").status == "ok"
    else:
        with pytest.raises(Trouble, match="waits at its prompt"):
            client.run("AT")
    bench.advance(3.0)
    assert bridge.aired == []


def test_a_count_that_is_wrong_is_told_before_anything_is_sent() -> None:
    bridge = modules.Bridge()
    _, client = bench_on(bridge, BRIDGE)
    for line, payload in (("AT+TX=5", b"ebb"), ("AT+SAY=2,ebb 7", None)):
        with pytest.raises(Trouble, match="bytes are to be sent"):
            client.run(line, payload)
    assert not any(each.startswith(("AT+TX", "AT+SAY")) for each in bridge.log)
    assert client.run("AT+SAY=5,a,b c").status == "ok"
    assert bridge.aired == [b"a,b c"]


def test_bytes_right_behind_a_colon_are_no_lines() -> None:
    bench, client = bench_on(modules.Bridge(), BRIDGE)
    assert client.run("AT+POLL").status == "ok"
    bench.advance(0.5)
    (came,) = [
        each for item in bench.module("m").items for each in getattr(item, "heard", ()) if each.role == "payload"
    ]
    assert came.data == b"tide\r\nX"


def test_an_escape_without_an_answer_and_one_with_a_frame_before_it() -> None:
    bridge = modules.Bridge()
    bench, client = bench_on(bridge, BRIDGE)
    assert client.run("AT+THROUGH").result == "OPEN"
    assert bench.module("m").mode == "data"
    assert performed(bench, escaping()).succeeded
    assert client.run("AT").status == "ok"
    assert bridge.log[-1] == "AT"

    radio = modules.HexRadio()
    bench, client = bench_on(radio, RADIO)
    assert performed(bench, escaping()).succeeded
    assert client.run("ATID").fields == {"network": "3332"}
    assert radio.aired == b""
    bench.advance(6.0)
    assert bench.module("m").mode == "data"
    with pytest.raises(Trouble, match="by itself"):
        client.run("ATID")
    assert radio.aired == b""


RADIO: Mapping[str, Any] = {
    "name": "reedradio",
    "mode": {"escape": "+++", "guard-s": 0.5, "command-ends-after-s": 4.0, "starts-in": "data"},
    "result": {
        "ok": {"line": "OK", "status": "ok"},
        "error": {"line": "ERROR", "status": "error"},
    },
    "line": {"reply-ends-after-s": 0.4},
    "command": {
        "network": {
            "query": "ATID", "set": "ATID{network}", "reply": "(?P<network>[0-9A-F]+)",
            "parameter": {"network": {"longest": 4}},
        },
    },
}  # fmt: skip


def test_a_connection_with_ok_behind_it_takes_commands_still() -> None:
    bench, client = bench_on(modules.Cell())
    assert client.run("ATD1").result == "CONNECT"
    bench.advance(0.5)
    module = bench.module("m")
    assert (module.mode, module.mode_why) == ("command", "OK came right behind the connection")
    assert client.run("AT").status == "ok"


def test_data_mode_is_a_belief_that_an_answer_ends() -> None:
    bench, client = bench_on(modules.Cell(transparent=True))
    client.run("ATD1")
    with pytest.raises(Trouble, match=r"data mode \(CONNECT came\)"):
        client.run("AT")
    cell = bench.modems["m"]
    far = client.run("AT", anyway=True)
    assert (far.status, far.to_far_end) == ("no-answer", True)
    assert isinstance(cell, modules.Cell)
    assert cell.log[-1] == "to the far end: AT"
    # It leaves data mode without a word.
    cell.in_data = False
    bench.advance(1.0)
    assert client.run("AT", anyway=True).status == "ok"
    module = bench.module("m")
    assert (module.mode, module.mode_why) == ("command", "AT was answered OK")
    assert module.unanswered == 0


def test_a_mode_that_depends_on_a_setting() -> None:
    table = {
        "name": "reedcell", "extends": "v250",
        "result": {"connect": {"enters": "data", "enters-if": "through=1"}},
        "command": {
            "through": {
                "set": "AT+THR={through}", "query": "AT+THR?", "reply": r"\+THR: (?P<through>\d)",
                "parameter": {"through": {"choices": ["0", "1"]}},
            },
        },
    }  # fmt: skip
    for value, mode in (("0", "command"), ("1", "data"), ("", "")):
        model = Model()
        conversation = _talked(dialect_of(table), value)
        assert conversation.mode == mode, value
        assert not value or conversation.mode_why
        assert value or "nobody knows" in conversation.mode_why
        del model


def _talked(dialect: Dialect, value: str) -> Any:
    from pale_heron.core.device.dialogue.conversation import Conversation
    from pale_heron.core.frames import IN, OUT, SECOND, Chunk
    from tests.streams import BEGIN

    conversation = Conversation(dialect)
    steps = [(OUT, f"AT+THR={value}\r".encode()), (IN, b"OK\r\n")] if value else []
    steps += [(OUT, b"ATD1\r"), (IN, b"CONNECT\r\n")]
    for at, (direction, data) in enumerate(steps):
        conversation.feed(Chunk("m", direction, BEGIN + at * SECOND, data))
    return conversation
