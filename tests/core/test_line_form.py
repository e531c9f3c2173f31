"""How lines of a dialect go out, and its prompts: shells, checks behind commands, texts with ends of their own."""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_conversation import outcomes, talked

from pale_heron.bench.config.dialects import read_text
from pale_heron.core.device.dialogue.exchanges import Exchange
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.line_form import LineForm
from pale_heron.core.frames import IN, OUT
from pale_heron.core.line.typed import bytes_of, text_of

TEXT = """name = "shell"
[line]
end = "lf"
prompt = "node> "
check = "*{xor8}"
text = "utf-8"
char-delay-ms = 4
[result.refused]
line = "\\\\? (?P<why>.*)"
[notice.tide]
line = "tide (?P<tide>\\\\w+)"
[command.level]
run = "level"
reply = "(?P<level>[0-9.]+) m"
[command.name]
set = "name {name}"
[command.name.parameter.name]
longest = 20
[command.say]
run = "say"
prompts = true
prompt = "text? "
text-end = ".\\n"
gives-up = "!\\n"
"""


def shell() -> Dialect:
    dialect, wrong = read_text(TEXT)
    assert not wrong, wrong
    return dialect


@pytest.mark.parametrize("cut", [0, 1, 3])
def test_a_prompt_without_a_line_end_ends_a_reply(cut: int) -> None:
    dialect = shell()
    assert dialect.commands_modules
    level, named = dialect.line.written("level"), dialect.line.written("nme buoy")
    steps = [(IN, b"\r\nnode> "), (OUT, level), (IN, level + b"2.31 m\r\nnode> "), 0.5, (IN, b"\r\ntide ebb\r\nnode> ")]
    steps += [(OUT, named), (IN, named + b"? no such command\r\nnode> ")]
    conversation = talked(steps, dialect, cut)
    assert [each[1:3] for each in outcomes(conversation)] == [("ready", "level"), ("? no such command", "why")]
    assert conversation.mode == "command" and not conversation.busy
    exchanges = [each for each in conversation.items if isinstance(each, Exchange)]
    assert [each.status for each in exchanges] == ["ok", "error"]
    assert [each.echo for each in exchanges] == [True, True]


@pytest.mark.parametrize("cut", [0, 1, 3])
@pytest.mark.parametrize(("text", "sent"), [(b"ebb at ten", b"ebb at ten.\n"), (None, b"!\n")])
def test_a_prompt_of_its_own_words_takes_a_text_with_an_end_of_its_own(
    text: bytes | None, sent: bytes, cut: int
) -> None:
    dialect = shell()
    said = dialect.line.written("say")
    conversation = talked([(OUT, said), (IN, said + b"text? ")], dialect, cut)
    exchange = conversation.items[-1]
    assert isinstance(exchange, Exchange) and exchange.waits == "its payload"
    assert exchange.at_prompt(text) == sent
    conversation = talked([(OUT, said), (IN, said + b"text? "), (OUT, sent), (IN, b"\r\nnode> ")], dialect, cut)
    assert outcomes(conversation) == [(said.strip(), "ready", "", "its prompt came")]


@given(
    st.text(st.characters(codec="utf-8", exclude_categories=("C", "Z")), min_size=1), st.sampled_from(["xor8", "sum8"])
)
def test_a_line_comes_back_without_its_check(line: str, check: str) -> None:
    form = LineForm(check=f"*{{{check}}}", text="utf-8")
    written = form.written(line)
    assert written.endswith(b"\r") and re.search(rb"\*[0-9A-F]{2}\r$", written)
    assert form.line_of(written.strip(b"\r\n")) == line


@pytest.mark.parametrize(
    ("line", "form", "words"),
    [("AT\x1b", LineForm(), "ASCII"), ("é", LineForm(), "ASCII"), ("\x1b", LineForm(text="utf-8"), "printable text")],
)
def test_what_cannot_be_written_says_so(line: str, form: LineForm, words: str) -> None:
    assert words in form.refusal(line)
    with pytest.raises(ValueError, match=words):
        form.written(line)


def test_letters_of_utf_8_are_read_as_such_and_others_byte_for_byte() -> None:
    dialect = shell()
    assert [each.values for each in dialect.spoken("name Ærø")] == [{"name": "Ærø"}]
    assert dialect.line.decoded("tide fløde".encode()) == "tide fløde"
    assert dialect.line.decoded(b"tide \xff") == "tide ÿ"


FRAMED = """name = "framed"
[line]
text = "bytes"
check = "{sum8}"
[result.done]
line = "<0x06>"
status = "ok"
[result.refused]
line = "<0x15>(?P<why>.*)"
status = "error"
[command.node]
set = "<STX>N{node}<3>"
query = "<STX>N?<ETX>"
reply = "<0x02>N (?P<node>\\\\d+)<0x03>"
[command.node.parameter.node]
least = 1
most = 250
"""


@pytest.mark.parametrize("cut", [0, 1, 3])
def test_commands_and_replies_of_bytes(cut: int) -> None:
    dialect, wrong = read_text(FRAMED)
    assert not wrong, wrong
    form = dialect.line
    asked, told = form.written("<STX>N?<ETX>"), form.written("<0x02>N7<ETX>")
    assert (asked, told) == (b"\x02N?\x0392\r", b"\x02N7\x038A\r")
    steps = [(OUT, asked), (IN, b"\x02N 7\x03\r\n\x06\r\n"), (OUT, told), (IN, b"\x15busy\r\n")]
    conversation = talked(steps, dialect, cut)
    first, second = [each for each in conversation.items if isinstance(each, Exchange)]
    assert (first.status, second.status) == ("ok", "error")
    assert [each.fields for each in first.heard if each.fields] == [(("node", "7"),)]
    assert [(each.spoken[0].form, dict(each.spoken[0].values)) for each in (first, second)] == [
        ("query", {}),
        ("set", {"node": "7"}),
    ]


@given(st.binary())
def test_bytes_have_a_text_that_stands_for_them_alone(data: bytes) -> None:
    assert bytes_of(text_of(data)) == data
    assert text_of(data).isprintable()


@pytest.mark.parametrize("line", ["<0x100>", "<", "<owl>", "é"])
def test_what_is_no_byte_is_named(line: str) -> None:
    assert LineForm(text="bytes").refusal(line)
