"""Routines, settings and fields as tables: what is read, what is wrong and where, and the rules for two modules."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_dialect import tables

from pale_heron.bench.config.dialects import keep_note, known_dialects, read_text
from pale_heron.bench.config.routine_files import known_routines, routine_of_text
from pale_heron.core.device.schema.dialect import read_dialect
from pale_heron.core.device.schema.fields import MASK, Field
from pale_heron.core.device.schema.routine import Condition, read_routine
from pale_heron.core.device.schema.settings import compare_modules

STEP = '[[step]]\ndo = "send"\nline = "AT"\n'
AGAIN = '[[step]]\ndo = "repeat"\n'
MISTAKES = [
    ("", 1, "name is missing"),
    ('name = "x"\n', 1, "there is no step"),
    ('name = "x"\n[[step]]\nline = "AT"\n', 2, "do is missing"),
    (f'name = "x"\n{STEP}[[step]]\ndo = "sen"\n', 6, "did you mean 'send'"),
    ('name = "x"\n[[step]]\ndo = "send"\n', 3, "'send' needs line"),
    (f'name = "x"\n{STEP}[[step]]\ndo = "poll"\nline = "AT"\nfield = "f"\n', 6, "needs one-of"),
    ('name = "x"\n[[step]]\ndo = "wait"\n', 3, "needs a notice"),
    ('name = "x"\n[[step]]\ndo = "send"\nline = "{pin}"\n', 3, "{pin} is not a variable"),
    ('name = "x"\nlanes = ["a"]\n[[step]]\ndo = "send"\nline = "AT"\nlane = "b"\n', 6, "not one of a"),
    (f'name = "x"\n{STEP}[[step]]\ndo = "repeat"\ntimes = 2\nsteps = 3\n', 8, "only 1 steps"),
    (
        f'name = "x"\n{STEP}[[step]]\ndo = "repeat"\ntimes = 2000\nsteps = 1\n[[step]]\ndo = "repeat"\ntimes = 2\n',
        11,
        "4000",
    ),
    ('name = "x"\n[[step]]\ndo = "pause"\nseconds = -1\n', 4, "is not 0 to"),
    (f'name = "x"\n{STEP}then = "lok"\n{STEP}name = "look"\n', 5, "did you mean 'look'"),
    (f'name = "x"\n{STEP}name = "a"\nelse = "a"\n', 6, "it leads back"),
    (f'name = "x"\n{STEP}name = "a"\n{STEP}name = "a"\n', 5, "is another step too"),
    (f'name = "x"\n{STEP}name = "end"\n', 5, "the end of the routine"),
    (f'name = "x"\n{STEP}then = "end"\n{AGAIN}times = 2\n', 7, "are not repeated"),
    ('name = "x"\nstep = 3\n', 2, "a list of tables"),
    ('name = "x"\n[[step]]\ndo = "check"\nfield = "f"\nmatches = "(("\n', 5, "not a regular expression"),
]


@pytest.mark.parametrize(("text", "line", "words"), MISTAKES)
def test_every_mistake_of_a_routine_is_told_with_its_line(text: str, line: int, words: str) -> None:
    _, wrong = routine_of_text(text)
    assert [each.line for each in wrong if words in each.words] == [line], wrong


keys = st.sampled_from(["do", "line", "field", "one-of", "times", "steps", "seconds", "value", "x", "ask", "secret"])
rows = st.lists(st.dictionaries(keys, tables, max_size=5) | tables, max_size=4)


@given(st.dictionaries(st.sampled_from(["name", "title", "lanes", "variables", "x"]), tables), rows)
def test_any_table_is_a_routine_or_is_told_what_is_wrong(told: dict[str, object], steps: list[object]) -> None:
    routine, problems = read_routine(told | {"step": steps})
    assert problems or (routine.name and routine.steps)


MODULE_KEYS = ["name", "command", "field", "notice", "result", "setting", "milestone", "set", "reply", "parameter", "a"]


@given(
    st.recursive(tables, lambda inner: st.dictionaries(st.sampled_from(MODULE_KEYS), inner, max_size=4), max_leaves=20)
)
def test_any_table_is_a_dialect_of_a_module_or_is_told_what_is_wrong(told: object) -> None:
    dialect, problems = read_dialect(told if isinstance(told, dict) else {"name": told})
    assert problems or dialect.actions or dialect.commands


def test_what_ships_is_sound_and_repeats_are_written_out() -> None:
    for name, text in known_routines().items():
        routine, wrong = routine_of_text(text)
        assert not wrong, (name, wrong)
        assert routine.name == name
        assert routine.dialect in ("", *known_dialects())
    again, wrong = routine_of_text(f'name = "x"\n{STEP}{STEP}[[step]]\ndo = "repeat"\ntimes = 3\nsteps = 1\n')
    assert not wrong
    assert [each.round for each in again.steps] == ["", "1 of 3", "2 of 3", "3 of 3"]


CONDITIONS = [
    (Condition(one_of=("1", "5")), "5", 5, True),
    (Condition(one_of=("1", "5")), "2", 2, False),
    (Condition(least=-105), "17", -79, True),
    (Condition(least=-105), "1", -111, False),
    (Condition(least=-105), "99", None, False),
    (Condition(most=3), "x", "x", False),
    (Condition(matches="^Bit"), "Bittern", "Bittern", True),
    (Condition(matches="^Bit"), None, None, False),
]


@pytest.mark.parametrize(("condition", "raw", "value", "holds"), CONDITIONS)
def test_conditions(condition: Condition, raw: str | None, value: object, holds: bool) -> None:
    assert condition.holds(raw, value) is holds


TOLD = [
    ("signal", "17", -79, "-79 dBm, good"),
    ("signal", "0", -113, "-113 dBm, hardly there"),
    ("signal", "99", None, "unknown (99)"),
    ("signal", "x", "x", "x dBm"),
    ("registration", "5", "5", "5, registered, roaming"),
    ("serial", "999010000012374", "999010000012374", MASK),
    ("nobody described it", "7", "7", "7"),
]


@pytest.mark.parametrize(("name", "raw", "value", "words"), TOLD)
def test_fields_are_typed_and_told(name: str, raw: str, value: object, words: str) -> None:
    field: Field = known_dialects()["standard"].field_of(name)
    assert (field.value(raw), field.in_words(raw)) == (value, words)


RULES = [
    ({"node": "7"}, {"node": "07"}, {"node"}),
    ({"node": "7"}, {"node": "8"}, set()),
    ({"group": "1"}, {"group": "2"}, {"group"}),
    ({"role": "0"}, {"role": "0"}, {"role"}),
    ({"role": "1"}, {"role": "0"}, set()),
    ({"node": "1", "peer": "2"}, {"node": "2", "peer": "1"}, set()),
    ({"node": "1", "peer": "3"}, {"node": "2", "peer": "1"}, {"peer"}),
    ({"node": "1"}, {"node": "2", "peer": "9"}, {"peer"}),
    ({}, {"node": "2"}, set()),
]


@pytest.mark.parametrize(("here", "there", "broken"), RULES)
def test_two_modules_by_rule(here: dict[str, str], there: dict[str, str], broken: set[str]) -> None:
    settings = known_dialects()["bittern"].settings
    found = compare_modules(settings, here, there)
    assert {each.setting.name for each in found if each.holds is False} == broken
    swapped = compare_modules(settings, there, here)
    assert [each.holds for each in swapped] == [each.holds for each in found]


def test_a_dialect_grows_from_another_and_notes_are_kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PALE_HERON_CONFIG", str(tmp_path))
    path = keep_note("plover", "signal", "99 for a minute after the start")
    keep_note("plover", "place", "slow")
    again = known_dialects()["plover"]
    assert again.commands["signal"].note == "99 for a minute after the start"
    assert again.commands["place"].note == "slow"
    assert again.commands["signal"].forms == {"run": ("AT+CSQ",), "test": ("AT+CSQ=?",)}
    assert path.parent == tmp_path / "dialects"
    grown, wrong = read_text('name = "x"\nextends = "bitern"\n')
    assert "did you mean 'bittern'" in wrong[0].words
    assert not grown.commands
