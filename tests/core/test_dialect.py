"""Dialects: what is read, what is wrong with them and where, what is sent; and what a choice of sentences means."""

import random
from itertools import product
from pathlib import Path
from types import SimpleNamespace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.streams import BEGIN, chunk

from pale_heron.bench.config.dialect_book import DialectBook
from pale_heron.bench.config.dialects import known_dialects, read_text
from pale_heron.bench.operations import payload_sender
from pale_heron.core.device.schema.actions import ROLES
from pale_heron.core.device.schema.dialect import read_dialect
from pale_heron.core.device.schema.sentence_plan import CurrentSentence, plan
from pale_heron.core.device.schema.toml_table import PLACEHOLDER
from pale_heron.core.frames import OUT, SECOND, Event
from pale_heron.core.lane import Lane
from pale_heron.core.line.typed import compose
from pale_heron.core.streams import Recognition
from pale_heron.core.wire.probe import probe_of

KNOWN = known_dialects()
CURLEW = KNOWN["curlew"]
SHIPPED = ("curlew", "v250", "standard", "bittern", "plover", "wren", "teal")


def test_the_shipped_dialect_is_sound_and_has_every_role() -> None:
    assert set(ROLES) <= set(CURLEW.actions)
    assert CURLEW.recognises("$PCURLEW,IAM,Curlew,1.4,7*00")
    assert not CURLEW.recognises("$GNTXT,01,01,02,antenna ok*00")


@pytest.mark.parametrize("name", SHIPPED)
@given(chance=st.randoms(use_true_random=False))
@settings(max_examples=20)
def test_a_command_is_found_by_what_it_begins_with_as_by_trying_every_form(name: str, chance: random.Random) -> None:
    dialect = KNOWN[name]
    for command in dialect.commands.values():
        for form in (text for texts in command.forms.values() for text in texts):
            typed = PLACEHOLDER.sub(lambda _: chance.choice(["", "1", "0", "abc", "?", "12,3"]), form)
            typed = "".join(chance.choice((letter.lower(), letter.upper())) for letter in typed)
            ranked = sorted(each for forms in dialect._recogniser._by_head.values() for each in forms)
            for spoken in dialect.spoken(typed):
                tried = next((each for each in ranked if each.pattern.fullmatch(spoken.text)), None)
                assert (spoken.command, spoken.form) == ((tried.command, tried.form) if tried else (None, "")), typed
                secret = {value for key, value in spoken.values.items() if key in dialect.secrets and value}
                assert secret <= dialect.secrets_told(typed)


TOLD = [
    ("identify", {}, b"$PCURLEW,WHO*2E\r\n"),
    ("sentence", {"sentence": "GSV", "interval": "0"}, b"$PCURLEW,SEND,GSV,0"),
    ("line-rate", {"rate": "38400"}, b"$PCURLEW,LINE,38400"),
    ("systems", {"systems": "GE"}, b"$PCURLEW,USE,GE"),
]


@pytest.mark.parametrize(("name", "values", "sent"), TOLD)
def test_what_is_sent_has_its_checksum_and_is_acknowledged(name: str, values: dict[str, str], sent: bytes) -> None:
    action = CURLEW.actions[name]
    data = compose(action.text(values), b"\r\n").data
    assert data.startswith(sent[:-5] if sent.endswith(b"\r\n") else sent)
    assert data[-5:-4] == b"*"
    answer = "$PCURLEW,IAM,Curlew" if name == "identify" else data.decode().replace("PCURLEW,", "PCURLEW,DONE,")
    assert action.answers(values, answer) is True
    assert action.answers(values, "$GNGGA,094107.00") is None
    if action.refused:
        assert action.answers(values, "$PCURLEW,REFUSED,SEND with these values") is False


WRONG_VALUES = [
    ("sentence", {"sentence": "XXX", "interval": "1"}, "one of RMC"),
    ("sentence", {"sentence": "GSV", "interval": "256"}, "0 to 255 epochs"),
    ("sentence", {"sentence": "GSV"}, "interval"),
    ("line-rate", {"rate": "38401"}, "921600 baud"),
    ("systems", {"systems": "GG"}, "one or more of G R E C"),
    ("update-rate", {"milliseconds": "99"}, "100 to 1000 ms"),
    ("update-rate", {"milliseconds": "200*7F\r\n$X"}, "nothing that can be sent"),
]


@pytest.mark.parametrize(("name", "values", "words"), WRONG_VALUES)
def test_a_value_that_is_not_legal_is_never_sent(name: str, values: dict[str, str], words: str) -> None:
    with pytest.raises(ValueError, match=words):
        CURLEW.actions[name].text(values)


def test_text_and_hexadecimal_forms() -> None:
    dialect, wrong = read_text(
        'name = "other"\n[action.hello]\nform = "text"\nsend = "AT<1"\n'
        '[action.wake]\nform = "hex"\nsend = "B5 {level} 0d"\n[action.wake.parameter.level]\nchoices = ["01", "FF"]\n'
    )
    assert not wrong
    assert compose(dialect.actions["hello"].text({}), b"\r").data == b"AT<1\r"
    assert compose(dialect.actions["wake"].text({"level": "FF"}), b"").data == b"\xb5\xff\x0d"


MISTAKES = [
    ("", 1, "name is missing"),
    ('name = "x"\n', 1, "it has nothing to send"),
    ('name = "X y"\n[action.a]\nsend = "A"\n', 1, "lower-case"),
    ('name = "x"\ntitel = "X"\n[action.a]\nsend = "A"\n', 2, "did you mean 'title'"),
    ('name = "x"\n[action.a]\nmeaning = "no send"\n', 2, "send is missing"),
    ('name = "x"\n[action.a]\nsend = "A {rate}"\n', 3, "{rate} is not a parameter"),
    ('name = "x"\n[action.a]\nsend = "A"\n[action.a.parameter.rate]\nleast = 1\n', 3, "'rate' is not used in it"),
    ('name = "x"\n[action.line-rate]\nsend = "A"\n', 3, "needs a parameter 'rate'"),
    ('name = "x"\n[action.a]\nsend = "A"\nanswered = "(("\n', 4, "not a regular expression"),
    ('name = "x"\n[action.a]\nsend = "A"\nform = "binary"\n', 4, "not one of nmea, text, hex"),
    ('name = "x"\n[action.a]\nsend = "0g"\nform = "hex"\n', 3, "two hexadecimal digits"),
    ('name = "x"\n[action.a]\nsend = "A"\nwithin-s = "soon"\n', 4, "a number is wanted"),
    ('name = "x"\n[action.a]\nsend = "A"\nstarts = "lukewarm"\n', 4, "not one of cold"),
    ('name = "x"\n[action.a]\nsend = "A {n}"\n[action.a.parameter.n]\nleast = 5\nmost = 1\n', 5, "more than most"),
    (
        'name = "x"\n[action.a]\nsend = "A {n}"\n[action.a.parameter.n]\nchoices = [1]\nmost = 1\n',
        5,
        "only one of",
    ),
    ('name = "x"\naction = 3\n', 2, "a table is wanted"),
    ('name = "x"\n[action.a]\nsend = 3\n', 3, "text in quotes is wanted"),
    ('name = "x"\n[action.a\n', 2, "no TOML"),
]


@pytest.mark.parametrize(("text", "line", "words"), MISTAKES)
def test_every_mistake_is_told_with_its_line(text: str, line: int, words: str) -> None:
    _, wrong = read_text(text)
    assert [each.line for each in wrong if words in each.words] == [line], wrong


HEAD = """name = "x"
[command.a]
query = "AT+A?"
set = "AT+A={v}"
reply = 'A (?P<v>.)'
[command.a.parameter.v]
least = 0
"""
MODULE_MISTAKES = [
    ('name = "x"\n[command.a]\nmeaning = "no form"\n', 2, "at least one of set, query, test, run"),
    ('name = "x"\n[command.a]\nset = "AT+A={v}"\n', 3, "{v} is not a parameter"),
    ('name = "x"\n[command.a]\nrun = "AT"\n[command.a.parameter.v]\nleast = 1\n', 2, "'v' is used in no form"),
    ('name = "x"\n[command.a]\nrun = "AT"\nrisk = ["eats"]\n', 4, "'eats' is not one of erases"),
    ('name = "x"\n[command.a]\nrun = "AT"\nreply = "(("\n', 4, "not a regular expression"),
    ('name = "x"\n[command.a]\nrun = "AT"\narrives = "n"\n', 4, "'n' is not a field of its reply"),
    ('name = "x"\n[command.a]\nrun = "AT"\ncounted = "n"\n', 4, "'n' is not a parameter"),
    ('name = "x"\n[command.a]\nrun = ["AT", 3]\n', 3, "3 is no text"),
    (HEAD + '[notice.n]\nmeaning = "no line"\n', 8, "one regular expression"),
    (HEAD + '[notice.n]\nline = "N"\nenters = "dat"\n', 10, "did you mean 'data'"),
    (HEAD + '[result.r]\nline = "R"\nstatus = "fine"\n', 10, "not one of ok, error"),
    (HEAD + '[field.w]\nmeaning = "nowhere"\n', 8, "has a field 'w'"),
    (HEAD + '[field.v]\nkind = "numbr"\n', 9, "did you mean 'number'"),
    (HEAD + "[field.v]\ngrades = [[1, 'a'], [2, 'b']]\n", 9, "must go down"),
    (HEAD + "[field.v]\ngrades = [[1]]\n", 9, "not a pair"),
    (HEAD + '[setting.s]\ncommand = "b"\n', 9, "'b' is not a command"),
    (HEAD + '[setting.s]\ncommand = "a"\nvalue = "w"\n', 10, "'w' is not a parameter"),
    (HEAD + '[setting.a]\nvalue = "v"\nrule = "same"\n', 10, "not one of equal"),
    (HEAD + '[setting.a]\nvalue = "v"\nrule = "refers"\nrefers = "b"\n', 11, "'b' is not a setting"),
    (HEAD + '[milestone.ready]\nnotice = "up"\n', 9, "'up' is not a notice"),
    (HEAD + '[milestone.awake]\nnotice = "up"\n', 9, "not one of powered"),
    (HEAD + '[milestone.ready]\nnotice = "up"\nfield = "v"\n', 9, "one of the two"),
    (HEAD + '[line]\nend = "cr lf"\n', 9, "not one of none, cr"),
    (HEAD + "[mode]\nguard-s = 99\n", 9, "is not 0 to 60"),
    (HEAD + '[payload]\ncommand = "b"\n', 9, "'b' is not one of a"),
    ('extends = "v251"\nname = "x"\n', 1, "did you mean 'v250'"),
    (HEAD + '[notice.n]\nline = "N (?P<from>.)"\nmeaning = "from {form}"\n', 10, "did you mean 'from'"),
    (HEAD + '[result.r]\nline = ".*"\n', 9, "'.*' is any line at all"),
    (HEAD + '[notice.n]\nline = "(?P<all>.*)"\n', 9, "is any line at all"),
    (HEAD + '[result.r]\nline = "R"\nof = ["b"]\n', 10, "'b' is not a command"),
    (HEAD + '[recognise]\nsays = ["X-1", "[a-z]*"]\n', 9, "'[a-z]*' is found in any line"),
    (HEAD + '[setting.a]\nvalue = "v"\nrule = "equal"\nbroken = "{hear} and {there}"\n', 11, "{hear} is neither"),
    (
        'name = "x"\n[command.a]\nset = "A={v}"\n[command.a.parameter.v]\nmost = 1\n[setting.a]\nvalue = "v"\n',
        6,
        "no query",
    ),
    (HEAD + '[notice.n]\nline = "N"\n\n[comand.b]\nrun = "B"\n', 11, "did you mean 'command'"),
    (HEAD + '[line]\ncheck = "*{crc}"\n', 9, "not one of {xor8}, {sum8}"),
    (HEAD + '[line]\ntext = "utf8"\n', 9, "did you mean 'utf-8'"),
    ('name = "x"\n[command.a]\nrun = "AT"\nprompt = "text? "\n', 4, "say prompts = true"),
    (HEAD + '[result.r]\nline = "R"\n[result.s]\nline = "R"\n', 11, "'r' has the same line"),
    (HEAD + '[milestone.ready]\nfield = "w"\nvalues = ["1"]\n', 9, "has a field 'w'"),
    ('name = "x"\n[command.a]\nreply = "A (?P<v>.)"\nexamples = ["B 1"]\nrun = "AT"\n', 4, "not one of its replies"),
    (HEAD + '[notice.n]\nline = "N"\nexamples = ["N", "M"]\n', 10, "'M' is not such a line"),
    (
        'name = "x"\n[command.a]\nquery = "A?"\nset = ["A={v}", "B={w}"]\nreply = "(?P<v>.) (?P<w>.)"\n'
        '[command.a.parameter.v]\n[command.a.parameter.w]\n[setting.v]\ncommand = "a"\n[setting.w]\ncommand = "a"\n',
        4,
        "no form takes v, w together",
    ),
    (HEAD + '[notice.n]\nline = "N"\nbehind = true\n', 10, "needs arrives"),
    (HEAD + '[notice.n]\nline = "N"\nenters = "data"\nenters-if = "through"\n', 11, "is not NAME=VALUE"),
    ('name = "x"\n[command.a]\nrun = "AT"\nends = ["sent"]\n', 4, "'sent' is not a result"),
]


@pytest.mark.parametrize(("text", "line", "words"), MODULE_MISTAKES)
def test_every_mistake_of_a_module_is_told_with_its_line(text: str, line: int, words: str) -> None:
    _, wrong = read_text(text)
    assert [each.line for each in wrong if words in each.words] == [line], wrong


SPOKEN = [
    ("ate0", [("echo", "set", {"echo": "0"})]),
    ("ATE0V1+CSQ;+CREG?", [("echo", "set", {"echo": "0"}), ("verbosity", "set", {"verbosity": "1"}),
                           ("signal", "run", {}), ("registration", "query", {})]),
    ('AT+CMGS="+54;1"', [("send-message", "set", {"to": "+54;1"})]),
    ("AT+COPS=?", [("operator", "test", {})]),
    ("ATD123;", [("call", "set", {"number": "123"})]),
    ("ATS0=2", [("rings", "set", {"rings": "2"})]),
    ('AT+COPS=1,2,"99901"', [("operator", "set", {"choice": "1", "format": "2", "operator": "99901"})]),
    ("AT&F", [("defaults", "run", {})]),
    ("AT+NONSENSE=1;+CSQ", [("", "", {}), ("signal", "run", {})]),
    ("hello", [("", "", {})]),
]  # fmt: skip


@pytest.mark.parametrize(("line", "wanted"), SPOKEN)
def test_a_line_is_cut_into_its_commands(line: str, wanted: list[tuple[str, str, dict[str, str]]]) -> None:
    spoken = KNOWN["standard"].spoken(line)
    assert [(each.command.name if each.command else "", each.form, dict(each.values)) for each in spoken] == wanted


def test_risks_ask_only_where_something_is_done() -> None:
    asking = {"AT+IPR?": False, "AT+IPR=?": False, "AT+IPR=9600": True, "AT&F": True}
    assert {line: bool(KNOWN["standard"].spoken(line)[0].risk) for line in asking} == asking


tables = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(max_size=8),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(
            st.sampled_from(["name", "action", "parameter", "send", "choices", "answered", "a", "least", "letters"]),
            inner,
        )
    ),
    max_leaves=25,
)


@given(st.dictionaries(st.sampled_from(["name", "title", "recognise", "action", "x"]), tables))
def test_any_table_is_a_dialect_or_is_told_what_is_wrong(told: dict[str, object]) -> None:
    dialect, problems = read_dialect(told)
    assert problems or (dialect.name and (dialect.actions or dialect.commands))


def test_a_dialect_of_the_user_is_used_and_a_broken_one_is_not(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PALE_HERON_CONFIG", str(tmp_path))
    folder = tmp_path / "dialects"
    folder.mkdir()
    (folder / "mine.toml").write_text('name = "mine"\n[action.a]\nsend = "A"\n')
    (folder / "broken.toml").write_text('name = "broken"\n')
    (folder / "binary.toml").write_bytes(b"\xff\xfe")
    assert set(known_dialects()) == {*SHIPPED, "mine"}


HEARD = {
    "RMC": CurrentSentence(1.0, 76.0),
    "GGA": CurrentSentence(1.0, 80.0),
    "GSA": CurrentSentence(4.0, 200.0),
    "GSV": CurrentSentence(2.0, 130.0),
    "ZDA": CurrentSentence(1.0, 38.0),
}
CHOICES = ("RMC", "GGA", "GSA", "GSV", "GST")


def test_a_plan_tells_bytes_and_the_facts_that_vanish() -> None:
    as_it_is = plan(HEARD, CHOICES, {}, 1.0)
    assert (as_it_is.bytes_now, as_it_is.bytes_then, as_it_is.facts_lost, as_it_is.changes) == (524.0, 524.0, (), {})
    fewer = plan(HEARD, CHOICES, {"GSV": 0, "GGA": 2, "GST": 1}, 1.0)
    assert fewer.bytes_then == 524.0 - 130.0 - 40.0 + 55
    assert fewer.facts_lost == ("satellites in view", "C/N0 of each", "elevations and azimuths")
    assert "error of latitude" in fewer.appearing
    assert fewer.changes == {"GGA": 2, "GSV": 0, "GST": 1}
    without_rmc = plan(HEARD, CHOICES, {"RMC": 0}, 1.0)
    assert "date" not in without_rmc.facts_lost, "ZDA tells it too"
    assert "speed" in without_rmc.facts_lost


def test_a_plan_at_five_epochs_a_second() -> None:
    heard = {"GGA": CurrentSentence(5.0, 400.0), "GSV": CurrentSentence(5.0, 650.0)}
    found = plan(heard, ("GGA", "GSV"), {"GGA": 5, "GSV": 1}, 5.0)
    assert {row.name: row.bytes_per_s for row in found.rows} == {"GGA": 80.0, "GSV": 650.0}


INLINE = """
name = "reed"
title = "A radio that takes its bytes in the command"
[command.post]
meaning = "Sends a text"
set = "AT+POST={length},{text}"
counted = "length"
inline = "text"
[command.post.parameter.length]
least = 1
most = 200
[command.post.parameter.text]
longest = 200
[payload]
command = "post"
"""


def test_data_may_stand_in_the_command_itself() -> None:
    """Its commas are none of the command, its length is counted, and no prompt is waited for."""
    dialect, problems = read_text(INLINE)
    assert not problems, problems
    command = dialect.commands["post"]
    assert not command.prompts and dialect.payload_command == "post"
    probe = probe_of(0x3F7A, "A", 40, 7).decode()
    line = command.text("set", {"length": str(len(probe)), "text": probe})
    assert line == f"AT+POST=40,{probe}" and "," in probe
    (spoken,) = dialect.spoken(line)
    assert (spoken.command, spoken.values) == (command, {"length": "40", "text": probe})
    assert read_text(INLINE.replace('inline = "text"', 'inline = "txt"'))[1]


def test_a_probe_goes_out_in_the_command_itself(monkeypatch: pytest.MonkeyPatch) -> None:
    """Without a setting that names a peer none is asked for."""
    dialect, _ = read_text(INLINE)
    told: list[tuple[str, bytes | None]] = []

    class Client:
        def __init__(self, *_: object) -> None:
            self.dialect = dialect

        def command(self, name: str) -> object:
            return dialect.commands.get(name)

        def run(self, line: str, payload: bytes | None = None) -> object:
            told.append((line, payload))
            return SimpleNamespace(status="ok", fields={})

    monkeypatch.setattr(payload_sender, "CommandClient", Client)
    sender = payload_sender.PayloadSender(None, "hide", lambda: False)  # type: ignore[arg-type]
    sender.prepare()
    assert sender.send(b"#p,1,2") is None
    assert told == [("AT+POST=6,#p,1,2", None)]


NESTED = "(" * 400 + "a" + ")" * 400
HOSTILE_VALUES = [
    "inf",
    "-inf",
    "nan",
    "1" + "0" * 400,
    f"'{NESTED}'",
    "'(?:a{9999}){9999}'",
    "[[[[[[1]]]]]]",
    "{ a = { b = 1 } }",
]
HOSTILE_KEYS = [
    "code",
    "line",
    "within-s",
    "least",
    "scale",
    "says",
    "reply",
    "choices",
    "words",
    "grades",
    "fields",
    "head",
]


HOSTILE_TABLES = ["result.x", "command.x", "field.x", "line", "mode", "frame", "frame.in.x", "setting.x"]


@pytest.mark.parametrize("table", HOSTILE_TABLES)
def test_whatever_a_file_says_is_read_or_told(table: str) -> None:
    """Numbers that no integer holds, expressions that nest too deep: they end nothing."""
    for key, value in product(HOSTILE_KEYS, HOSTILE_VALUES):
        text = f'name = "x"\n[command.ok]\nrun = "OK"\n[{table}]\n{key} = {value}\n'
        dialect, wrong = read_text(text)
        assert wrong, f"{value[:20]} is no value that anybody means for {key}"
        assert all(each.line >= 1 and each.words for each in wrong)
        assert dialect.name in ("", "x")


def test_a_dialect_that_a_capture_brings_is_read_or_left_out() -> None:
    """An event may hold any table at all; the lane is heard all the same, as the standards explain it."""
    deep: dict[str, object] = {}
    for _ in range(300):
        deep = {"a": deep}
    for table in (
        {"name": 10**400},
        {"name": "x", "result": {"y": {"code": float("inf"), "line": "Y"}}},
        deep,
        {"name": "x"},
    ):
        lane = Lane("m", dialects=DialectBook(Recognition.AT_ONCE))
        lane.event(Event(BEGIN, "m", "dialect", {"name": "x", "table": table}))
        lane.feed(chunk(b"AT\r", BEGIN, "m", OUT))
        lane.feed(chunk(b"\r\nOK\r\n", BEGIN + SECOND, "m"))
        module = lane.snapshot(BEGIN + 2 * SECOND).module
        assert module is not None
        assert module.dialect.name == "standard"
        assert module.exchanges == 1
