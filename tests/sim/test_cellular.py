"""The simulated cellular module: all that its dialect lists, messages kept and packed, codes of services."""

from collections.abc import Iterator

import pytest
from tests.sim.test_modules import answers, passed, started

from pale_heron.bench.config.dialect_book import DialectBook
from pale_heron.core.device.schema.commands import QUERY, RUN, TEST
from pale_heron.sim.packed import submitted
from pale_heron.sim.plover import Plover


def told_commands(kind: str) -> Iterator[str]:
    """Each command line of a module's dialect that needs no value, and each test form."""
    for command in DialectBook().named(kind).commands.values():
        for form, texts in command.forms.items():
            yield from (text for text in texts if "{" not in text and form in (RUN, QUERY, TEST))


def test_the_cellular_one_answers_all_that_its_dialect_lists() -> None:
    """A reply, a prompt, or why not now: never that it does not know the command."""
    refused = [
        line for line in told_commands("plover") if answers(started(Plover()), line, seconds=10.0) in ("", "ERROR")
    ]
    assert refused == []


def test_a_message_is_kept_without_sending_it_as_text_and_packed() -> None:
    """27.005, 3.5.3 and 4.4: what was written as one can be read as the other."""
    plover = started(Plover())
    answers(plover, "AT+CMGF=1", 10.0)
    plover.hear(b'AT+CMGW="+999123"\r', 11.0)
    assert passed(plover, 11.0, 0.5).endswith(b"> ")
    plover.hear(b"ebb at ten\x1a", 12.0)
    assert b"+CMGW: 1" in passed(plover, 12.0, 0.5)
    assert answers(plover, "AT+CMGR=1", 13.0) == '+CMGR: "STO UNSENT","+999123",|ebb at ten|OK'
    answers(plover, "AT+CMGF=0", 14.0)
    head, data, _ = answers(plover, "AT+CMGL=2", 15.0).split("|")
    length = int(head.rpartition(",")[2])
    plover.hear(b"AT+CMGW=%d\r" % length, 16.0)
    passed(plover, 16.0, 0.5)
    plover.hear(data.encode() + b"\x1a", 17.0)
    assert b"+CMGW: 2" in passed(plover, 17.0, 0.5)
    answers(plover, "AT+CMGF=1", 18.0)
    assert answers(plover, "AT+CMGR=2", 19.0) == '+CMGR: "STO UNSENT","+999123",|ebb at ten|OK'


@pytest.mark.parametrize("cut", range(1, 14))
def test_a_packed_message_cut_anywhere_is_answered(cut: int) -> None:
    data = submitted("+999123", "ebb")[0][: 2 * cut]
    plover = started(Plover())
    plover.hear(b"AT+CMGW=%d\r" % max(1, len(data) // 2 - 1), 10.0)
    passed(plover, 10.0, 0.5)
    plover.hear(data.encode() + b"\x1a", 11.0)
    said = passed(plover, 11.0, 0.5)
    assert b"+CMS ERROR: 304" in said or b"+CMGW: 1" in said


def test_a_service_code_is_answered_by_a_notice() -> None:
    plover = started(Plover())
    passed(plover, 3.0, 7.0)
    assert answers(plover, 'AT+CUSD=1,"*100#",15', 12.0, 3.0) == 'OK|+CUSD: 0,"Low water 10:40",15'
    assert answers(plover, 'AT+CUSD=1,"*7#"', 15.5, 2.0) == "OK|+CUSD: 4"
