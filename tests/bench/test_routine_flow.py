"""Where the steps of a routine lead: onward, elsewhere, back, and never for ever."""

import pytest
from tests.strangers.stranger import Stranger
from tests.strangers.test_harm import bench_on

from pale_heron.bench.config.routine_files import routine_of_text
from pale_heron.bench.operations.registry import Operations
from pale_heron.bench.operations.routine import RoutineRun

ROUTINE = """name = "until"
[[step]]
name = "look"
do = "send"
line = "AT+N?"
[[step]]
do = "wait"
text = "\\\\+N: {wanted}"
within-s = 0.3
then = "end"
else = "again"
[[step]]
name = "again"
do = "send"
line = "AT+NEXT"
then = "look"
at-most = 3
[[step]]
do = "mark"
text = "nobody comes here"
[variables]
wanted = "2"
"""


class Counter(Stranger):
    """It counts on when it is told to, and says how far it is."""

    def __init__(self) -> None:
        super().__init__()
        self.count = 0

    def command(self, line: str) -> None:
        self.log.append(line)
        self.count += line == "AT+NEXT"
        self.lines(*([f"+N: {self.count}"] if line == "AT+N?" else []), "OK" if line != "AT+BAD" else "ERROR")


def run_of(text: str, counter: Counter, **values: str) -> RoutineRun:
    bench, client = bench_on(counter)
    client.run("AT")
    counter.log.clear()
    routine, wrong = routine_of_text(text)
    assert not wrong, wrong
    run = RoutineRun(routine, bench, ["m"], values)  # type: ignore[arg-type]  # a bench without trials
    Operations().do(run)
    return run


@pytest.mark.parametrize(
    ("wanted", "log", "passed", "outcomes"),
    [
        ("0", ["AT+N?"], True, ["passed", "passed", "left out", "left out"]),
        ("2", ["AT+N?", "AT+NEXT"] * 2 + ["AT+N?"], True, ["passed", "passed", "passed", "left out"]),
        ("9", ["AT+N?", "AT+NEXT"] * 3 + ["AT+N?"], False, ["passed", "elsewhere", "failed", "left out"]),
    ],
)
def test_a_loop_ends_where_it_holds_and_fails_at_its_limit(
    wanted: str, log: list[str], passed: bool, outcomes: list[str]
) -> None:
    counter = Counter()
    run = run_of(ROUTINE, counter, wanted=wanted)
    assert (counter.log, run.succeeded) == (log, passed)
    assert [each.outcome for each in run.statuses] == outcomes
    assert ("that is the most that it may be" in run.failure) is not passed
    places = [place for place, _ in run.done]
    assert len(places) == len(log) + log.count("AT+N?") + (not passed), "all that was done, each time"


def test_the_record_tells_each_time_and_a_secret_stays_one() -> None:
    text = 'name = "x"\n[variables]\nword = { value = "ebb9", secret = true }\n[[step]]\nname = "a"\ndo = "wait"\n'
    text += 'text = "{word}"\nwithin-s = 0.05\nelse = "a"\nat-most = 2\n'
    counter = Counter()
    run = run_of(text, counter)
    assert [each.outcome for _, each in run.done] == ["elsewhere", "elsewhere", "failed"]
    assert "time 2" in run.done[1][1].seen
    assert "ebb9" not in f"{run.done}{run.failure}{run.statuses}"


def test_giving_up_leads_nowhere() -> None:
    bench, client = bench_on(Counter())
    client.run("AT")
    routine, wrong = routine_of_text(ROUTINE)
    assert not wrong
    run = RoutineRun(routine, bench, ["m"], {})  # type: ignore[arg-type]
    run.stop()
    Operations().do(run)
    assert run.succeeded is False and len(run.done) <= 1
