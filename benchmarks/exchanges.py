"""Exchanges with a module: how many a second, and how soon after a reply its result is known and shown."""

import asyncio
import os
import statistics
import threading
import time
import tty
from collections.abc import Iterator
from contextlib import contextmanager

from pale_heron.bench.live.session import Session
from pale_heron.bench.operations.command_client import CommandClient
from pale_heron.core.line.diagnosis.stages import LaneOpening
from pale_heron.core.line.settings import LineSettings
from pale_heron.ports.address import LaneSpec
from pale_heron.tui.app import PaleHeron
from pale_heron.tui.painting.paint import plain
from pale_heron.tui.widgets.canvas import Canvas

COUNT = 300
FLOORS = 5
SHOWN = 40
PICTURE_S = 0.1


class Responder:
    """The other end of a pseudo-terminal: numbers its answers and notes when each was written."""

    def __init__(self) -> None:
        self._own, self._other = os.openpty()
        tty.setraw(self._other)
        self.path = os.ttyname(self._other)
        self.written: list[float] = []
        threading.Thread(target=self._answer, daemon=True).start()

    def _answer(self) -> None:
        held = b""
        while True:
            try:
                held += os.read(self._own, 1024)
            except OSError:
                return
            while b"\r" in held:
                _, _, held = held.partition(b"\r")
                reply = b"\r\n+COUNT: %d\r\n\r\nOK\r\n" % len(self.written)
                self.written.append(time.monotonic())
                os.write(self._own, reply)

    def close(self) -> None:
        os.close(self._own)
        os.close(self._other)


def run() -> Iterator[str]:
    floor = statistics.median(_bare() for _ in range(FLOORS))
    yield f"bare write and read on a pseudo-terminal: {floor:.0f} exchanges/s (the floor)"
    with _session() as (session, responder):
        client = CommandClient(session, "m")
        client.run("AT")
        responder.written.clear()
        begin, delays = time.monotonic(), []
        for place in range(COUNT):
            assert client.run("AT+COUNT?").status == "ok"
            delays.append(time.monotonic() - responder.written[place])
        rate = COUNT / (time.monotonic() - begin)
    delays.sort()
    slower = floor / rate
    yield f"through the session, recorded: {rate:.0f} exchanges/s, {slower:.1f} times the floor (to hold: 15)"
    middle, late = 1000 * statistics.median(delays), 1000 * delays[int(0.95 * COUNT)]
    yield f"from the last byte of the reply to the result known: median {middle:.1f} ms, 95 % {late:.1f} ms"
    shown = sorted(asyncio.run(_shown()))
    middle, late = 1000 * statistics.median(shown), 1000 * shown[int(0.95 * len(shown))]
    yield (
        f"from the last byte of the reply to the result on the screen, {len(shown)} times: median {middle:.0f} ms, "
        f"95 % {late:.0f} ms (a picture every {1000 * PICTURE_S:.0f} ms)"
    )


def _bare() -> float:
    responder = Responder()
    line = os.open(responder.path, os.O_RDWR | os.O_NOCTTY)
    begin = time.monotonic()
    for _ in range(COUNT):
        os.write(line, b"AT+COUNT?\r")
        held = b""
        while not held.endswith(b"OK\r\n"):
            held += os.read(line, 1024)
    took = time.monotonic() - begin
    os.close(line)
    responder.close()
    return COUNT / took


@contextmanager
def _session() -> Iterator[tuple[Session, Responder]]:
    responder = Responder()
    session = Session("bench", [LaneSpec("m", responder.path, LineSettings(115200, ending_out="cr"))], None)
    session.start()
    while (lane := session.snapshot_of("m")) is None or lane.opening is not LaneOpening.OPEN:
        time.sleep(0.01)
    try:
        yield session, responder
    finally:
        session.stop()
        responder.close()


async def _shown() -> list[float]:
    delays = []
    with _session() as (session, responder):
        CommandClient(session, "m").run("AT")
        app = PaleHeron(session, view="module")
        async with app.run_test(size=(142, 42)) as pilot:
            await pilot.pause(0.5)
            body = app.query_one("#module-body", Canvas)
            for place in range(SHOWN):
                number = len(responder.written)
                await asyncio.to_thread(CommandClient(session, "m").run, "AT+COUNT?")
                while f"+COUNT: {number}" not in plain(body.rows):
                    await asyncio.sleep(0.002)
                delays.append(time.monotonic() - responder.written[number])
                # Not in step with the pictures.
                await asyncio.sleep(0.013 * (place % 8))
    return delays
