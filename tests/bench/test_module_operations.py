"""Commands, settings and the guarded change of a line against the simulated modules, also where they die."""

import dataclasses
import socket
import time
from collections.abc import Callable

import pytest
from tests.bench.modules import MAKERS, RATE, ModuleBench, bitterns, performed, wren

from pale_heron.bench.config.intended_settings import checked, compared, rows_of
from pale_heron.bench.model import Model
from pale_heron.bench.operations.command_client import CommandClient, exchange_object
from pale_heron.bench.operations.line_change import LineChange, changing_line
from pale_heron.bench.operations.module import asking, escaping, keeping, reading, writing
from pale_heron.core.device.dialogue.exchanges import DATA, DataStretch, Exchange
from pale_heron.core.device.dialogue.tracker import PENDING, STORED, UNSEEN
from pale_heron.core.device.schema.dialect import read_dialect
from pale_heron.core.device.schema.fields import MASK
from pale_heron.core.device.schema.notices import NO_ANSWER, UNCLEAR
from pale_heron.core.trouble import Trouble
from pale_heron.ports.sender import SendJob
from pale_heron.sim.calls import Answer, Call


def on(kind: str) -> tuple[ModuleBench, CommandClient]:
    """A bench on one module that has started and said what it is."""
    bench = ModuleBench(m=MAKERS[kind]())
    bench.advance(2.0)
    client = CommandClient(bench, "m")
    assert client.run("ATI").status == "ok"
    return bench, client


@pytest.mark.parametrize("kind", list(MAKERS))
def test_every_module_is_recognised_answers_and_is_read(kind: str) -> None:
    bench, client = on(kind)
    assert client.dialect is not None
    assert client.dialect.name == kind
    assert client.run("AT+NONSENSE").status == "error"
    assert performed(bench, reading()).succeeded
    module = bench.module("m")
    assert set(module.settings) == set(module.dialect.settings)
    assert all(state.read for name, state in module.settings.items() if name not in ("network-name", "phrase"))
    assert performed(bench, asking()).succeeded
    assert {"identity", "firmware"} <= set(module.readings)
    assert module.milestones.keys() >= {"powered"}


@pytest.mark.parametrize("kind", list(MAKERS))
def test_echo_words_and_numbers_are_followed(kind: str) -> None:
    bench, client = on(kind)
    assert (bench.module("m").echo, bench.module("m").words) == (True, True)
    assert client.run("ATE0V0").code == "0"
    bench.advance(0.2)
    found = client.run("AT+NONSENSE")
    assert (found.result, found.code, found.echo) == ("ERROR", "4", False)
    assert (bench.module("m").echo, bench.module("m").words) == (False, False)
    assert client.run("ATE1V1").result == "OK"


def test_two_bitterns_are_compared_mended_and_hear_each_other() -> None:
    hide, buoy = bitterns()
    bench = ModuleBench(hide=hide, buoy=buoy)
    bench.advance(2.0)
    for lane in ("hide", "buoy"):
        assert performed(bench, reading(), lane).succeeded
    rules = {each.setting.name: each for each in compared(bench.module("hide"), bench.module("buoy"))}
    broken = {name: each.words for name, each in rules.items() if not each.holds}
    assert set(broken) == {"node", "pace", "peer"}
    assert broken["node"] == "both have node 7: neither will hear the other"
    assert "beacon" not in rules
    assert MASK in rules["cipher"].setting.shown("ebb at dawn")

    wanted = checked(bench.module("buoy").dialect, {"node": "8", "pace": "3"})
    assert performed(bench, writing(wanted), "buoy").succeeded
    states = bench.module("buoy").settings
    assert (states["node"].storage, states["pace"].storage) == ("running, not stored", "pending a restart")
    assert not any(heard.name == "heard" for item in bench.module("hide").items for heard in getattr(item, "heard", ()))
    assert performed(bench, keeping(), "buoy").succeeded
    states = bench.module("buoy").settings
    assert (states["node"].storage, states["pace"].storage) == ("running, stored", "running, stored")
    assert all(each.holds for each in compared(bench.module("hide"), bench.module("buoy")))
    bench.advance(12.0)
    heard = [heard for item in bench.module("hide").items for heard in getattr(item, "heard", ())]
    assert any(each.name == "heard" for each in heard)
    assert any(each.data.startswith(b"beacon ") for each in heard if each.role == "payload")
    assert "signal" in bench.module("hide").readings


def test_what_is_intended_is_compared_and_written_once() -> None:
    bench, _ = on("bittern")
    intended = {"node": "9", "group": "12"}
    assert performed(bench, writing(intended)).succeeded
    rows = {row.setting.name: row for row in rows_of(bench.module("m"), intended)}
    assert (rows["node"].differs, rows["group"].differs, rows["power"].differs) == (False, False, None)
    assert b"AT+GROUP=12\r" not in bench.sent
    bench.sent.clear()
    again = performed(bench, writing(intended))
    assert again.succeeded
    assert not any(b"=" in each for each in bench.sent)


def test_one_setting_that_is_refused_keeps_no_other_from_being_written() -> None:
    bench, _ = on("bittern")
    bench.hears = lambda _, data: data.replace(b"AT+NODE=", b"AT+NONE=")
    operation = performed(bench, writing({"node": "9", "group": "13", "pace": "2"}, store=True))
    rows = {row.setting.name: row for row in rows_of(bench.module("m"), {"node": "9", "group": "13", "pace": "2"})}
    assert [rows[name].differs for name in ("node", "group", "pace")] == [True, False, False]
    assert not operation.succeeded and "node" in operation.steps[-1].seen.lower()
    assert "group" not in operation.steps[-1].seen, "what was written is no failure"


def test_a_setting_may_be_called_as_anything(monkeypatch: pytest.MonkeyPatch) -> None:
    """Names of parameters are the dialect's own, also those that a program has a use for."""
    dialect, _ = read_dialect(
        {"name": "marsh", "command": {"label": {"set": 'AT+LABEL="{name}",{form},{self}', "reply": ""}}}
    )
    bench, client = on("bittern")
    monkeypatch.setattr(client, "command", dialect.commands.get)
    client.ask("label", "set", {"name": "curlew", "form": "2", "self": "x"})
    assert b'AT+LABEL="curlew",2,x\r' in bench.sent


@pytest.mark.parametrize(
    ("values", "words"),
    [({"node": "251"}, "1 to 250"), ({"nod": "7"}, "did you mean 'node'"), ({"role": "2"}, "0 base")],
)
def test_what_cannot_be_set_is_never_sent(values: dict[str, str], words: str) -> None:
    bench, _ = on("bittern")
    with pytest.raises(Trouble, match=words):
        checked(bench.module("m").dialect, values)


def test_a_prompt_takes_its_text_and_is_given_up_without_one() -> None:
    bench, client = on("plover")
    bench.advance(8.0)
    client.run("AT+CMGF=1")
    sent = client.run('AT+CMGS="+99905550142"', b"Ebb at 10:40")
    assert (sent.status, sent.fields["reference"]) == ("ok", "1")
    given_up = client.run('AT+CMGS="+99905550142"')
    assert (given_up.status, given_up.result, bench.sent[-1]) == ("error", "OK", b"\x1b")
    assert "the prompt was given up" in given_up.meaning
    bench, client = on("bittern")
    assert client.run("AT+TELL=8,5", b"hello").fields["told_bytes"] == "5"


def test_messages_calls_and_notices_stand_where_they_come() -> None:
    bench, client = on("plover")
    client.run("AT+CLIP=1;+CREG=1;+CMGF=1")
    bench.advance(8.0)
    found = client.run("AT+COPS=?")
    assert found.seconds is not None
    assert found.seconds > 5
    bench.advance(60.0)
    names = {heard.name for item in bench.module("m").items for heard in getattr(item, "heard", ())}
    assert {"message-came", "ring", "calling-number"} <= names
    read = client.run("AT+CMGR=1")
    assert [each.data for each in read.information][-1] == b"Ebb at 10:40. OK"
    assert bench.module("m").milestones.keys() >= {"powered", "ready", "registered"}


def test_its_own_position_feeds_the_fix_of_the_lane() -> None:
    bench, client = on("plover")
    bench.advance(25.0)
    for _ in range(3):
        assert client.run("AT+PLACE?").status == "ok"
        bench.advance(1.0)
    (lane,) = bench.model.snapshots(bench.now)
    latitude = lane.fix.value("latitude")
    assert latitude is not None
    assert latitude.source == "module"
    assert abs(latitude.value + 46.117) < 0.01
    assert lane.fix.state.has_position


def test_data_mode_is_entered_asked_about_and_left() -> None:
    bench, client = on("wren")
    assert client.run("AT+LINK").result == "CONNECT"
    assert bench.module("m").mode == DATA
    with pytest.raises(Trouble, match="data mode"):
        client.run("AT")
    bench.advance(3.0)
    data = next(each for each in bench.module("m").items if isinstance(each, DataStretch))
    assert data.bytes_in > 10
    assert "first data" in bench.module("m").milestones
    bench.advance(1.5)
    assert performed(bench, escaping()).succeeded
    assert client.run("ATH").status == "ok"


def test_a_module_that_is_met_in_data_mode_is_led_back() -> None:
    met = wren()
    bench = ModuleBench(m=met)
    bench.advance(2.0)
    met.hear(b"AT+LINK\r", bench.seconds)
    bench.advance(3.0)
    bench.model = Model()
    bench.model.add("m", bench.line["m"])
    bench.choose("m", "wren")
    client = CommandClient(bench, "m")
    # A line of the far end may come just then: that is no answer either.
    assert client.run("AT").status in (NO_ANSWER, UNCLEAR)
    bench.advance(2.0)
    assert performed(bench, escaping()).succeeded
    assert client.attention().status == "ok"


def test_a_bridge_carries_bytes_to_a_listener_and_tells_its_end() -> None:
    bench, client = on("teal")
    client.run('AT+JOIN="saltmarsh","reeds and water"')
    bench.advance(3.0)
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = server.getsockname()[1]
        assert client.run(f'AT+OPEN="127.0.0.1",{port}').result == "CONNECT"
        far, _ = server.accept()
        with far:
            bench.send("m", SendJob(b"from the hut"))
            assert far.recv(64) == b"from the hut"
            far.sendall(b"from the shore")
            for _ in range(50):
                time.sleep(0.01)
                bench.advance(0.05)
                data = bench.module("m").items[-1]
                if isinstance(data, DataStretch) and data.bytes_in >= 14:
                    break
            assert isinstance(data, DataStretch)
            assert data.last == b"from the shore"
    for _ in range(50):
        time.sleep(0.01)
        bench.advance(0.05)
        if bench.module("m").mode != DATA:
            break
    assert bench.module("m").mode == "command"
    assert client.run(f'AT+OPEN="127.0.0.1",{port}').result == "NO CARRIER"
    assert client.run('AT+OPEN="192.0.2.1",80').result == "NO CARRIER"


def test_secrets_are_masked_wherever_they_are_handed_on() -> None:
    bench, client = on("wren")
    told = exchange_object(client.run('AT+TRILL="4711"'), client.secrets)
    read = exchange_object(client.run("AT+TRILL?"), client.secrets)
    assert "4711" not in f"{told}{read}"
    assert read["fields"] == {"pin": MASK}
    assert bench.module("m").secrets >= {"4711"}
    assert "4711" in str(exchange_object(client.run("AT+TRILL?")))


def test_a_brown_out_is_a_restart_and_ends_what_waits() -> None:
    bench, client = on("bittern")
    client.run("AT+POWER=22")
    results = [client.run("AT+TELL=8,2", b"hi") for _ in range(3)]
    assert NO_ANSWER in {each.status for each in results}
    assert len(bench.module("m").restarts) == 2
    assert bench.module("m").settings["power"].written is None


def test_a_guarded_change_of_the_line_is_stored_and_survives_the_restart() -> None:
    bench, _ = on("teal")
    change = performed(bench, changing_line(LineChange(57600, "rtscts")))
    assert change.succeeded, change.steps
    assert (bench.line["m"].rate, bench.line["m"].flow) == (57600, "rtscts")
    bench.modems["m"].restart(bench.seconds, "test")
    bench.advance(3.0)
    assert CommandClient(bench, "m").run("AT").status == "ok"


def test_a_change_that_it_only_says_it_made_is_led_back() -> None:
    bench, client = on("bittern")
    change = performed(bench, changing_line(LineChange(230_400)))
    assert change.succeeded is False
    assert bench.line["m"].rate == RATE
    assert client.run("AT+IPR?").fields["rate"] == str(RATE)
    assert "as before" in change.steps[-1].seen


def commands_heard(bench: ModuleBench) -> int:
    return sum(each.endswith(b"\r") for each in bench.sent)


def dying(bench: ModuleBench, after: int, *, comes_back: bool, obeys: bool) -> Callable[[str, bytes], bytes | None]:
    """A module that dies, or has its power switched off and on, as it hears its next command or just has obeyed it."""
    died: list[float] = []

    def hears(lane: str, data: bytes) -> bytes | None:
        if commands_heard(bench) <= after or died:
            return data if not died or comes_back else None
        died.append(bench.seconds)
        modem = bench.modems[lane]
        if not obeys:
            modem.restart(bench.seconds, "died")
            return data if comes_back else None
        modem.later(bench.seconds, 0.01, lambda at: modem.restart(at, "died"))
        return data

    bench.speaks = lambda _lane: not died or comes_back
    return hears


STEPS = 6
"""Commands that a change which succeeds takes: attention, rate, attention, store, restart, attention."""


@pytest.mark.parametrize("obeys", [False, True])
@pytest.mark.parametrize("after", range(STEPS))
def test_a_module_that_dies_at_any_step_leaves_the_line_as_it_was(after: int, obeys: bool) -> None:
    bench, _ = on("teal")
    bench.sent.clear()
    bench.hears = dying(bench, after, comes_back=False, obeys=obeys)
    change = performed(bench, changing_line(LineChange(57600)))
    assert commands_heard(bench) > after, "it was through before it could die: fewer steps to test"
    assert change.succeeded is False
    assert bench.line["m"].rate == RATE
    told = " ".join(step.seen for step in change.steps)
    assert "nothing was changed" in told or "power off and on" in told


@pytest.mark.parametrize("obeys", [False, True])
@pytest.mark.parametrize("after", range(STEPS))
def test_a_module_that_restarts_at_any_step_is_found_again(after: int, obeys: bool) -> None:
    bench, client = on("teal")
    bench.sent.clear()
    bench.hears = dying(bench, after, comes_back=True, obeys=obeys)
    change = performed(bench, changing_line(LineChange(57600)))
    bench.advance(5.0)
    assert client.run("AT").status == "ok", change.steps
    assert bench.line["m"].rate == (57600 if change.succeeded else RATE)


@pytest.mark.parametrize("back_s", [15.0, None])
def test_a_lane_that_goes_after_the_store_is_waited_for_and_tried_at_both_rates(back_s: float | None) -> None:
    bench, client = on("teal")
    restarted: list[float] = []

    def hears(lane: str, data: bytes) -> bytes | None:
        if data.startswith(b"AT+RENEW") or restarted:
            if not restarted:
                restarted.append(bench.seconds)
                bench.gone.add(lane)
                bench.modems[lane].restart(bench.seconds, "power")
                if back_s is not None:
                    bench.modems[lane].later(bench.seconds, back_s, lambda _: bench.gone.discard(lane))
            return None if lane in bench.gone else data
        return data

    bench.hears = hears
    change = performed(bench, changing_line(LineChange(57600)))
    assert change.succeeded is False and restarted
    assert bench.line["m"].rate == RATE
    if back_s is None:
        told = change.steps[-1].seen
        assert "may be at 9600 8N1 or at 57600 8N1 now" in told and "as before" not in told
    else:
        bench.advance(5.0)
        assert [client.run("AT+IPR?") for _ in range(2)][1].fields["rate"] == str(RATE), "it was found, and led back"
        assert "both lines are tried" in " ".join(step.seen for step in change.steps)


def test_exchanges_keep_their_numbers_in_order() -> None:
    bench, client = on("bittern")
    for _ in range(5):
        client.run("AT+NODE?")
    numbers = [each.number for each in bench.module("m").items if isinstance(each, Exchange)]
    assert numbers == sorted(numbers)
    assert wren().rate == RATE


def tells_in_force(*names: str, deaf: bool = False) -> ModuleBench:
    """A Bittern whose queries tell what is in force, not what was written; a deaf one never takes it over either."""
    modem = bitterns()[0]
    for name in names:
        modem.knobs[name] = dataclasses.replace(modem.knobs[name], after_restart=True, tells_in_force=True)
    if deaf:
        modem.handlers["+KEEP"] = lambda _: Answer()
    bench = ModuleBench(m=modem)
    bench.advance(2.0)
    assert CommandClient(bench, "m").run("ATI").status == "ok"
    return bench


def test_a_query_that_tells_the_value_in_force_is_no_failure() -> None:
    bench = tells_in_force("+NODE", "+PACE")
    written = performed(bench, writing({"node": "9", "pace": "5"}, store=True))
    assert written.succeeded, written.steps
    assert "node still reads 7" in " ".join(step.seen for step in written.steps)
    states = bench.module("m").settings
    assert (states["node"].now, states["node"].storage) == ("9", UNSEEN)
    assert (states["pace"].now, states["pace"].storage) == ("5", PENDING), "its dialect says that it needs a restart"
    assert not performed(bench, reading(("node",))).failure
    assert bench.module("m").settings["node"].now == "9"
    assert performed(bench, keeping()).succeeded
    states = bench.module("m").settings
    assert (states["node"].read, states["node"].storage, states["pace"].read) == ("9", STORED, "5")


def test_what_was_not_seen_and_not_kept_fails_after_the_restart() -> None:
    bench = tells_in_force("+NODE", deaf=True)
    assert performed(bench, writing({"node": "9"})).succeeded
    kept = performed(bench, keeping())
    assert not kept.succeeded
    assert "node is 7, but 9 was set" in kept.steps[-1].seen
    assert not any("intended" in step.seen for step in kept.steps)


def test_a_value_that_it_made_itself_is_a_failure() -> None:
    bench = ModuleBench(m=bitterns()[0])
    bench.advance(2.0)
    node = ["7"]

    def answer(call: Call) -> Answer:
        if call.form == "?":
            return Answer((f"+NODE: {node[0]}",))
        node[0] = "3"
        return Answer()

    bench.modems["m"].handlers["+NODE"] = answer
    assert "node is 3, intended 9" in performed(bench, writing({"node": "9"})).steps[-1].seen
