"""Time servers on loopback: right, wrong by a set time, not set, refusing, silent, and answers that are none."""

import contextlib
import socket
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.core.clock.ntp import NtpProblem, answer_to, moment_of, ntp_time, question, read_answer
from pale_heron.core.frames import SECOND
from pale_heron.core.trouble import Trouble
from pale_heron.ports import network_time
from pale_heron.ports.clock import StampClock
from pale_heron.ports.network_time import SAMPLES, ask, server_typed

Answering = Callable[[bytes, int], bytes | None]
CLOCK = StampClock()


@contextmanager
def server(answering: Answering, host: str = "127.0.0.1", before: tuple[bytes, ...] = ()) -> Iterator[int]:
    """Answers each question by what is given; None is silence. `before` comes first."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    with socket.socket(family, socket.SOCK_DGRAM) as listening:
        listening.bind((host, 0))
        listening.settimeout(0.05)
        ended = threading.Event()

        def work() -> None:
            while not ended.is_set():
                try:
                    asked, address = listening.recvfrom(1024)
                except TimeoutError:
                    continue
                for stray in before:
                    listening.sendto(stray, address)
                answer = answering(asked, CLOCK.now())
                if answer is not None:
                    listening.sendto(answer, address)

        thread = threading.Thread(target=work)
        thread.start()
        try:
            yield listening.getsockname()[1]
        finally:
            ended.set()
            thread.join()


def ahead(nanoseconds: int, stratum: int = 1, reference: bytes = b"PPS\0", leap: int = 0) -> Answering:
    return lambda asked, now: answer_to(asked, now + nanoseconds, now + nanoseconds, stratum, reference, leap)


@pytest.fixture(autouse=True)
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(network_time, "PAUSE_S", 0.0)


@pytest.mark.parametrize("wrong", [0, 7 * SECOND, -3600 * SECOND])
@pytest.mark.parametrize("host", ["127.0.0.1", "::1"])
def test_a_server_is_read_rightly(wrong: int, host: str) -> None:
    try:
        with server(ahead(wrong, 2, bytes((192, 0, 2, 7))), host) as port:
            found = ask(host, port, CLOCK)
    except OSError:
        assert host == "::1", "only IPv6 may be missing on a machine"
        return
    best = found.best
    assert best is not None and found.samples == SAMPLES and not found.error
    assert (best.stratum, best.reference_id, best.leap) == (2, "192.0.2.7", 0)
    # Whatever the machine does meanwhile: the error of an offset is at most half of the way there and back.
    assert abs(best.offset_ns - wrong) <= best.delay_ns / 2 + 1000
    assert found.server == (f"[{host}]:{port}" if ":" in host else f"{host}:{port}")


@pytest.mark.parametrize(
    ("answering", "words"),
    [
        (ahead(0, leap=3), "its own clock is not set"),
        (ahead(0, 16), "its own clock is not set"),
        (ahead(0, 0, b"", leap=3), "its own clock is not set"),
        (ahead(0, 0, b""), "its own clock is not set"),
        (ahead(0, 0, b"RATE"), "asked too often"),
        (ahead(0, 0, b"DENY"), "refuses this computer"),
        (ahead(0, 0, b"\x1b[31"), "tells no time (·[31)"),
        (lambda asked, _: asked, "no answer of a server"),
        (lambda asked, _: asked[:20], "20 bytes, not 48"),
    ],
)
def test_an_answer_that_tells_no_time_says_why(answering: Answering, words: str) -> None:
    with server(answering) as port:
        found = ask("127.0.0.1", port, CLOCK)
    assert found.best is None and words.replace("its own", "the server's own") in found.error


def test_a_server_that_is_silent_or_not_there_is_given_up(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(network_time, "LIMIT_S", 0.05)
    with server(lambda *_: None) as port:
        assert ask("127.0.0.1", port, CLOCK).error == "no answer within 0.05 s"
    assert "refused" in ask("127.0.0.1", port, CLOCK).error
    assert "cannot be the name" in ask("a..b", 123, CLOCK).error
    assert "the name is not known" in ask("no.such.host.invalid", 123, CLOCK).error


def test_an_answer_to_another_question_is_passed_over() -> None:
    late: list[bytes] = []

    def answering(asked: bytes, now: int) -> bytes:
        late.append(asked)
        return answer_to(late[0], now, now, 1, b"PPS\0")

    asked = question(1000 * SECOND)
    with pytest.raises(NtpProblem, match="another question"):
        read_answer(answering(question(7), 5), asked, 1000 * SECOND, 1001 * SECOND)


@given(st.integers(0, 2**62), st.integers(-(2**31), 2**31))
def test_times_of_ntp_come_back_in_every_era(moment: int, apart_s: int) -> None:
    assert abs(moment_of(ntp_time(moment), moment + apart_s * SECOND) - moment) <= 1


@given(st.integers(0, 2**60), st.integers(0, 10**10), st.integers(0, 10**9), st.integers(-(10**15), 10**15))
def test_offset_and_delay_are_those_of_the_four_times(left: int, there: int, held: int, ahead_ns: int) -> None:
    """With a way back as long as the way there the offset is exact."""
    asked = question(left)
    arrived = left + there + ahead_ns + 10**15
    found = read_answer(
        answer_to(asked, arrived, arrived + held, 1, b"PPS\0"), asked, left + 10**15, left + 10**15 + 2 * there + held
    )
    assert abs(found.offset_ns - ahead_ns) <= 2 and abs(found.delay_ns - 2 * there) <= 4


@given(st.binary(max_size=80))
def test_no_answer_ends_the_program(answer: bytes) -> None:
    with contextlib.suppress(NtpProblem):
        read_answer(answer, question(5), 5, 6)


@pytest.mark.parametrize(
    ("text", "read"),
    [
        ("192.0.2.1", ("192.0.2.1", 123)),
        ("192.0.2.1:1123", ("192.0.2.1", 1123)),
        ("[::1]:1123", ("::1", 1123)),
        ("[::1]", ("::1", 123)),
        ("::1", ("::1", 123)),
        ("time.marsh.invalid", ("time.marsh.invalid", 123)),
    ],
)
def test_how_a_server_is_written(text: str, read: tuple[str, int]) -> None:
    assert server_typed(text) == read


@pytest.mark.parametrize("text", ["", "x:", "x:0", "x:70000", "[::1]:x", "x:-1"])
def test_what_is_no_server_is_told(text: str) -> None:
    with pytest.raises(Trouble, match="is no server"):
        server_typed(text)


def test_what_anybody_may_send_ends_no_question() -> None:
    """Empty packets, scraps, and somebody else's question, as they reach an open port."""
    strays = (b"", b"x" * 47, question(CLOCK.now()), bytes(48))
    with server(ahead(0), before=strays) as port:
        found = ask("127.0.0.1", port, CLOCK)
    assert found.samples == SAMPLES and not found.error
