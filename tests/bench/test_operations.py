"""Operations: one a lane, stopped by one token all the way down, and over whatever goes wrong in them."""

import threading
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import Final

import pytest
from tests.bench.modules import MAKERS, ModuleBench
from tests.waiting import LIMIT_S

from pale_heron.bench.config.routine_files import routine_of_text
from pale_heron.bench.operations import routine
from pale_heron.bench.operations.acknowledged import AcknowledgedSettings
from pale_heron.bench.operations.module import escaping, restart_now, writing
from pale_heron.bench.operations.receiver import SteppedOperation
from pale_heron.bench.operations.registry import Operation, Operations
from pale_heron.bench.operations.routine import FAILED, LEFT_OUT, RoutineRun
from pale_heron.bench.redacting import redact
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import Event
from pale_heron.core.trouble import Trouble
from pale_heron.sim.modem import Modem
from pale_heron.tui.views.module import page_exchanges


class Doing(Operation):
    """Does what it is given."""

    def __init__(self, work: Callable[["Doing"], object], *lanes: str) -> None:
        super().__init__("doing it", lanes or ("m",))
        self._work = work
        self.told: list[str] = []

    def work(self) -> None:
        self._work(self)

    def report(self, failure: str) -> None:
        self.told.append(failure)


def fault(_: object) -> None:
    raise ZeroDivisionError("an owl in the works")


def refuse(_: object) -> None:
    raise Trouble("the module says no", "Ask it nicely")


@pytest.mark.parametrize(
    ("work", "failure"),
    [
        (lambda _: None, ""),
        (fault, "a fault of this program: ZeroDivisionError: an owl in the works"),
        (refuse, "the module says no. Ask it nicely"),
        (lambda self: self.token.stop() or self.token.rest(60.0), "given up"),
    ],
)
def test_it_is_over_whatever_happens_and_its_lanes_are_free_again(
    work: Callable[[Doing], object], failure: str
) -> None:
    operations, doing = Operations(), Doing(work, "m", "n")
    operations.begin(doing)
    assert doing.wait(LIMIT_S) and operations.wait_free("m", LIMIT_S) and operations.wait_free("n", LIMIT_S)
    assert doing.succeeded is (not failure)
    assert doing.told == [doing.failure]
    assert doing.failure.startswith(failure) and bool(doing.failure) is bool(failure)
    operations.do(Doing(lambda _: None, "m", "n"))


def test_it_is_over_even_where_telling_fails() -> None:
    doing = Doing(lambda _: None)
    doing.told = None  # type: ignore[assignment]  # so that reporting it raises
    Operations().do(doing)
    assert doing.succeeded is False and "AttributeError" in doing.failure


def test_two_on_one_lane_do_not_go_together_and_the_second_is_told_what_the_first_is() -> None:
    operations, go = Operations(), threading.Event()
    first = Doing(lambda _: go.wait(LIMIT_S), "m")
    operations.begin(first)
    assert operations.on("m") is first
    for second in (Doing(lambda _: None, "m"), Doing(lambda _: None, "n", "m")):
        with pytest.raises(Trouble, match="doing it is under way on m"):
            operations.begin(second)
    assert operations.on("n") is None, "it took none of its lanes"
    operations.do(Doing(lambda _: None, "n"))
    go.set()
    assert operations.wait_free("m", LIMIT_S)


def test_the_end_of_a_bench_gives_all_of_them_up() -> None:
    operations = Operations()
    doing = [Doing(lambda self: self.token.rest(LIMIT_S), lane) for lane in "mn"]
    for each in doing:
        operations.begin(each)
    operations.stop()
    assert all(each.wait(LIMIT_S) and each.failure == "given up" for each in doing)


STEPS = {
    "set": 'do = "set"\nsetting = "power"\nvalue = "14"',
    "restart": 'do = "restart"',
    "escape": 'do = "escape"',
    "change-line": 'do = "change-line"\nrate = 19200',
    "pause": 'do = "pause"\nseconds = 60',
    "send": 'do = "send"\nline = "AT"',
}


def run_of(bench: ModuleBench, step: str) -> RoutineRun:
    text = f'name = "one"\ntitle = "One step"\n[[step]]\n{step}\n[[step]]\ndo = "mark"\ntext = "behind it"\n'
    routine, wrong = routine_of_text(text)
    assert not wrong
    return RoutineRun(routine, bench, ["m"], {})


@pytest.mark.parametrize("step", STEPS)
def test_giving_up_a_routine_reaches_whatever_step_it_is_at(step: str) -> None:
    """The step is over at once with what it was at, and none comes behind it."""
    bench = ModuleBench(m=MAKERS["bittern"]())
    bench.choose("m", "bittern")
    bench.speaks = lambda _: False
    run = run_of(bench, STEPS[step])
    real = bench.wait_for_news

    def give_up_then_wait(seconds: float) -> None:
        run.stop()
        real(seconds)

    bench.wait_for_news = give_up_then_wait  # type: ignore[method-assign]  # it waits for an answer
    if step in ("pause", "escape"):
        threading.Timer(0.05, run.stop).start()
    Operations().do(run)
    assert run.succeeded is False
    assert [each.outcome for each in run.statuses] == [FAILED, LEFT_OUT]
    assert "given up" in run.statuses[0].seen
    assert bench.marks == []
    assert bench.seconds < 1.0, "nothing more was waited for"


HIDDEN: Final = """name = "one"
title = "Log in"
[variables]
word = { ask = "Password", secret = true }
[[step]]
do = "send"
line = "AT+NOTE={word}"
expect = "any"
[[step]]
do = "send"
line = "AT+TELL=8,{count}"
payload = "{word}"
expect = "any"
[[step]]
do = "wait"
text = "{word} came"
within-s = 0.1
"""


def test_the_secret_of_a_routine_is_one_wherever_it_goes(tmp_path: Path) -> None:
    """In a command that nobody knows, as a payload, in its echo, in what is told, in the record, in a copy of it."""
    word = "ebb at dawn"
    found, wrong = routine_of_text(HIDDEN.replace("{count}", str(len(word))))
    assert not wrong
    bench = ModuleBench(m=MAKERS["bittern"]())
    bench.choose("m", "bittern")
    run = RoutineRun(found, bench, ["m"], {"word": word})
    Operations().do(run)
    assert run.succeeded is False and [each.outcome for each in run.statuses] == ["passed", "passed", FAILED]
    module = bench.module("m")
    assert module.secrets == {word} and len(module.items) >= 2
    painted = str([page_exchanges.detail(module, each, 120, 60) for each in module.items])
    painted += str([page_exchanges.item_rows(module, each, 120, lit=False) for each in module.items])
    assert word not in f"{painted}{bench.notes}{run.statuses}{run.failure}" and word.encode() in b"".join(bench.sent)
    assert "its bytes hold a secret" in painted
    writer = CaptureWriter(tmp_path / "a.pcapng")
    writer.add_lane("m", "/dev/m", None)
    for record in bench.records:
        writer.event(record) if isinstance(record, Event) else writer.chunk(record)
    writer.close()
    assert word.encode() in (tmp_path / "a.pcapng").read_bytes()
    redact(tmp_path / "a.pcapng", tmp_path / "b.pcapng")
    assert word.encode() not in (tmp_path / "b.pcapng").read_bytes()


def test_a_poll_asks_until_its_time_is_over(monkeypatch: pytest.MonkeyPatch) -> None:
    """What is there just before the end is found, and what is told not to have come had all of its time."""
    now = [0.0]
    monkeypatch.setattr(routine, "time", SimpleNamespace(monotonic=lambda: now[0]))
    monkeypatch.setattr(RoutineRun, "_rest", lambda _, seconds: now.append(now.pop() + seconds))
    for node, seen in (("9", "node is 9, asked 4 times"), ("7", "not within 10 s, asked 4 times: node is 7")):
        modem = MAKERS["bittern"]()
        bench = ModuleBench(m=modem)
        bench.choose("m", "bittern")
        now[:] = [0.0]

        def hears(_: str, data: bytes, modem: Modem = modem, node: str = node) -> bytes:
            if now[0] >= 9.5:
                modem.configure(node=node)
            return data

        bench.hears = hears
        run = run_of(
            bench, 'do = "poll"\nline = "AT+NODE?"\nfield = "node"\none-of = ["9"]\nevery-s = 4\nwithin-s = 10'
        )
        Operations().do(run)
        assert seen in run.statuses[0].seen
        assert now == [10.0]


def test_a_fault_of_ours_in_a_step_ends_the_routine_and_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    bench = ModuleBench(m=MAKERS["bittern"]())
    monkeypatch.setattr(bench, "send", fault)
    run, operations = run_of(bench, STEPS["send"]), Operations()
    monkeypatch.setattr(bench, "send", lambda *_: fault(None))
    operations.begin(run)
    assert run.wait(LIMIT_S) and operations.wait_free("m", LIMIT_S)
    assert run.succeeded is False
    assert [each.outcome for each in run.statuses] == [FAILED, LEFT_OUT]
    assert "a fault of this program: ZeroDivisionError" in run.statuses[0].seen
    assert bench.notes[-1][1]["done"] is False


@pytest.mark.parametrize("work", [writing({"power": "14"}), restart_now, escaping()])
def test_an_operation_that_has_a_fault_is_told_as_failed(work: Callable[[SteppedOperation], None]) -> None:
    bench = ModuleBench(m=MAKERS["bittern"]())
    bench.module_of = fault  # type: ignore[method-assign]  # what every one of them asks first
    operation = SteppedOperation("try it", bench, "m", AcknowledgedSettings(), work)
    Operations().do(operation)
    assert operation.succeeded is False
    assert "ZeroDivisionError" in operation.steps[-1].seen
    assert bench.notes[-1] == ("told", {"what": "try it", "done": False, "steps": bench.notes[-1][1]["steps"]})
