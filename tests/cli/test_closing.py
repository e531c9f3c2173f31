"""The end of a session that takes long, and of a user's patience."""

import os
import signal
import threading
from collections.abc import Iterator
from types import SimpleNamespace

import click
import pytest

from pale_heron.cli import closing
from pale_heron.system import END_SIGNALS


@pytest.fixture(autouse=True)
def handlers() -> Iterator[None]:
    before = {number: signal.getsignal(number) for number in (signal.SIGINT, *END_SIGNALS)}
    yield
    for number, handler in before.items():
        signal.signal(number, handler)


class _SlowSession:
    """Ends when it is told; its record may hang."""

    def __init__(self) -> None:
        self.go_on = threading.Event()
        self.whole: bool | None = None
        self.operations = SimpleNamespace(listens_s=0.0)

    def stop(self, *, whole: bool) -> list[str]:
        self.whole = whole
        self.go_on.wait()
        return ["hide"]

    def snapshot(self) -> SimpleNamespace:
        return SimpleNamespace(capture=SimpleNamespace(path="/captures/marsh.pcapng"))


def test_what_takes_long_says_so_and_goes_on(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    session = _SlowSession()
    monkeypatch.setattr(closing, "TELL_S", 0.0)
    monkeypatch.setattr(click, "echo", lambda text, **_: (print(text), session.go_on.set()))
    assert closing.closed(session, whole=False) == ["hide"]  # type: ignore[arg-type]
    assert session.whole is False
    assert "The record is being closed. Ctrl-C ends at once." in capsys.readouterr().out


@pytest.mark.parametrize("number", [signal.SIGINT, *END_SIGNALS])
def test_who_does_not_wait_is_told_where_the_record_lies(
    number: signal.Signals, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    session = _SlowSession()
    monkeypatch.setattr(closing, "TELL_S", 0.0)

    def echo(text: str, **_: object) -> None:
        print(text)
        if "Ctrl-C" in text:
            os.kill(os.getpid(), number)

    monkeypatch.setattr(click, "echo", echo)
    with pytest.raises(click.exceptions.Exit) as ended:
        closing.closed(session)  # type: ignore[arg-type]
    session.go_on.set()
    assert ended.value.exit_code == 130
    assert "ended before all was closed; what was recorded lies in /captures/marsh.pcapng" in capsys.readouterr().out
