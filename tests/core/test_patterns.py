"""Expressions that people write, on lines that devices choose."""

import pickle
from time import monotonic

import pytest
import regex
from hypothesis import example, given
from hypothesis import strategies as st
from tests.waiting import LIMIT_S

from pale_heron.bench.config.dialects import read_text
from pale_heron.bench.scrollback.lines import Lines, SelectedLines
from pale_heron.bench.scrollback.search import Search
from pale_heron.bench.scrollback.selection import Selection, text_matcher
from pale_heron.bench.traffic_log import TrafficLog
from pale_heron.core import patterns
from pale_heron.core.frames import Event
from pale_heron.core.patterns import Broken, Pattern, limited

ENDLESS = r"(x|xx)+$"
"""Tries every way of taking the x one or two at a time before it gives up."""

ROW = "x" * 60 + "!"
"""An expression without a limit takes longer than the age of the universe here."""


def test_an_endless_expression_is_passed_over_and_says_so() -> None:
    begin, endless = monotonic(), Pattern(ENDLESS)
    assert endless.search(ROW) is None
    assert endless.slow
    assert [endless.search("x") for _ in range(1000)] == [None] * 1000, "it is not tried again"
    assert monotonic() - begin < LIMIT_S


def test_one_that_is_a_little_slow_each_time_is_passed_over_in_the_end(monkeypatch: pytest.MonkeyPatch) -> None:
    now = iter(range(10_000))
    monkeypatch.setattr(patterns, "thread_time", lambda: next(now) * 0.002)
    lazy = Pattern("a")
    tried = [lazy.search("a") is not None for _ in range(200)]
    assert tried[0] and lazy.slow and not tried[-1]


def test_a_machine_that_does_other_things_is_no_fault_of_the_expression(monkeypatch: pytest.MonkeyPatch) -> None:
    class Stalled:
        """Runs out of time twice without having done anything."""

        tried = 0

        def search(self, text: str, timeout: float) -> str:
            self.tried += 1
            if self.tried < 3:
                raise TimeoutError
            return f"{text} within {timeout:g} s"

    fair = Pattern("a")
    fair._pattern = Stalled()
    monkeypatch.setattr(patterns, "thread_time", lambda: 1.0)
    assert fair.search("a") == "a within 2 s"
    assert not fair.slow


@given(st.text(max_size=40))
def test_a_fair_expression_matches_as_usual(text: str) -> None:
    found = Pattern(r"(?P<first>\w+) (?P<rest>.*)").fullmatch(text)
    words = text.split(" ", 1)
    whole = len(words) == 2 and words[0] and all(each.isalnum() or each == "_" for each in words[0])
    if found is not None:
        assert found["first"] == words[0] and found["rest"] == words[1]
    elif whole and "\n" not in text:
        assert not words[0].isascii(), "what counts as a letter in other scripts is the package's affair"


PIECES = [
    "a",
    "b",
    "+",
    "\\+",
    "\\.",
    ".",
    "a?",
    "b*",
    "[ab]",
    "(a|b)",
    "(?:a)?",
    "a{2}",
    "\\d",
    "^",
    "$",
    "|",
    "(?i)",
    " ",
]


@given(st.lists(st.sampled_from(PIECES), max_size=6).map("".join), st.text("ab+. 1A", max_size=6))
@example("ab?", "a")
@example("a|b", "b")
@example("(?i)a", "A")
@example("ab(?i)", "AB")
def test_what_is_passed_over_for_its_beginning_would_not_have_matched(written: str, text: str) -> None:
    try:
        usual = regex.compile(written)
    except regex.error:
        return
    found = Pattern(written).fullmatch(text)
    assert (found is not None) == (usual.fullmatch(text) is not None)


def test_case_counts_after_a_jump_as_it_did_before() -> None:
    kept = pickle.loads(pickle.dumps(Pattern("at", ignore_case=True)))
    assert kept.fullmatch("AT") and not pickle.loads(pickle.dumps(Pattern("at"))).fullmatch("AT")


def test_it_is_equal_and_the_same_object_by_its_text_and_tells_what_is_broken() -> None:
    assert Pattern("a+") == Pattern("a+") != Pattern("a+", ignore_case=True)
    before = Pattern("a+")
    # The library forgets what it has compiled, now and then.
    regex.purge()
    assert before == Pattern("a+") and hash(before) == hash(Pattern("a+"))
    assert limited("a+") is limited("a+")
    assert Pattern(r"(?P<a>.)(?P<b>.)").groupindex == {"a": 1, "b": 2}
    with pytest.raises(Broken):
        Pattern("(")


def test_an_endless_expression_neither_holds_up_searching_nor_what_is_shown() -> None:
    log = TrafficLog(3000)
    log.extend(Event(count, "", "mark", {"text": ROW}) for count in range(3000))
    lines, begin = Lines(log), monotonic()
    search = Search(lines, 2999, -1, text_matcher(f"/{ENDLESS}/"))
    assert search.wait(LIMIT_S)
    assert "takes too long" in search.failure and not search.found
    listed = SelectedLines(lines, Selection(text=f"/{ENDLESS}/"))
    listed.look_back()
    assert (listed.end, listed.searching) == (0, None)
    assert "takes too long" in listed.failure
    assert monotonic() - begin < LIMIT_S


def test_an_endless_pattern_of_a_dialect_does_not_stop_its_lane() -> None:
    dialect, wrong = read_text(
        f"""name = "endless"
[command.attention]
run = "AT"
[result.ok]
line = "OK"
status = "ok"
[notice.row]
line = '{ENDLESS}'
"""
    )
    assert not wrong
    begin = monotonic()
    for _ in range(500):
        assert dialect.notices["row"].line.fullmatch(ROW) is None
    assert dialect.slow == (ENDLESS,)
    assert monotonic() - begin < LIMIT_S


@pytest.mark.parametrize(
    "pattern",
    [
        r"\d{1,5}(?:,\d{1,5}){20}",
        "[({]{3}",
        r"\({400}",
        "(?:a{99}){99}",
        "a{1000}" * 20,
        r"[^\]]{9}x{,4}",
        "(" * 40 + ")" * 40,
    ],
)
def test_what_people_write_is_compiled(pattern: str) -> None:
    assert Pattern(pattern).pattern == pattern


@pytest.mark.parametrize(
    "pattern",
    [
        "(?:a{9999}){9999}",
        "(" * 400 + "a" + ")" * 400,
        "(((a{99}){99}){99})",
        "a{999999999999}",
        "(a{200}b{200}){900}",
        ")",
        "(",
    ],
)
def test_what_would_take_for_ever_to_compile_is_broken(pattern: str) -> None:
    with pytest.raises(Broken):
        Pattern(pattern)
