"""Two programs of others, written from the standards alone, pass against the simulated devices.

They know the serial library and nothing of this project: what they rely on is what a real host relies on.
"""

import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Final

import pytest
from tests.waiting import LIMIT_S

from pale_heron.sim.launch import Device

MODEM_HOST: Final = '''
import sys, time
import serial

port = serial.Serial(sys.argv[1], 9600, timeout=0.05)

def read_until(done, within):
    """All that comes until `done` says that it is enough."""
    got, end = b"", time.monotonic() + within
    while not done(got):
        if time.monotonic() > end:
            sys.exit(f"nothing like that within {within} s: {got!r}")
        got += port.read(256)
    return got

FINAL = (b"\\r\\nOK\\r\\n", b"ERROR", b"NO CARRIER\\r\\n")

def tell(line, within=30, after=b""):
    """V.250, 5.2.1: AT, body, CR; 5.7.1: the final result ends it."""
    port.write(line + b"\\r")
    got = read_until(lambda got: any(each in got for each in FINAL) and got.endswith(b"\\r\\n"), within)
    return got.decode()

end = time.monotonic() + 30
while True:
    # 5.2.1: a module that is not ready does not answer: asked again.
    port.write(b"AT\\r")
    time.sleep(0.3)
    if b"OK" in port.read(4096):
        break
    assert time.monotonic() < end, "never ready"
assert "OK" in tell(b"ATE0V1")
assert "ATI" not in tell(b"ATI"), "6.2.4: no echo any more"
assert "OK" in tell(b"AT+CMEE=1")
for command in (b"AT+CFUN=?", b"AT+CMGD=?", b"AT+CSQ=?", b"AT+CPIN=?", b"AT+CNMI=?", b"AT+IPR=?"):
    assert "OK" in tell(command), (command, "5.4.2.4: every extended command has a test form")
assert "+CME ERROR: 50" in tell(b"AT+CREG=9"), "27.007, 9.2"
assert "READY" in tell(b"AT+CPIN?")
end = time.monotonic() + 60
while not any(",%s" % state in tell(b"AT+CREG?") for state in (1, 5)):
    assert time.monotonic() < end, "27.007, 7.2: never registered"
    time.sleep(0.5)
assert "OK" in tell(b"AT+CMGF=1;+CNMI=2,1,0,0,0"), "5.2.1: two on one line"
port.write(b'AT+CMGS="+99905550199",145\\r')
read_until(lambda got: got.endswith(b"> "), 10)
port.write(b"ebb at ten\\x1a")
sent = read_until(lambda got: b"\\r\\nOK\\r\\n" in got, 60)
assert b"+CMGS: " in sent, "27.005, 3.5.1"
came = read_until(lambda got: b"+CMTI: " in got and got.endswith(b"\\r\\n"), 60).decode()
slot = came.split("+CMTI:")[1].split(",")[1].split()[0]
assert "REC UNREAD" in tell(f"AT+CMGR={slot}".encode()), "27.005, 3.4.3"
assert "REC READ" in tell(b'AT+CMGL="ALL"')
assert "OK" in tell(b"AT+CMGF=0")
packed = tell(f"AT+CMGR={slot}".encode()).split("\\r\\n")
length = int(packed[1].rsplit(",", 1)[1])
assert len(bytes.fromhex(packed[2])) == length + 1, "27.005, 4.2: the number of the centre is not counted"
port.write(b"AT+COPS=?\\r")
time.sleep(0.5)
port.write(b"x")
assert b"OK" in read_until(lambda got: got.endswith(b"OK\\r\\n"), 5), "V.250, 5.6.1: aborted by a character"
assert "OK" in tell(b"ATZ") and "OK" in tell(b"AT&F")
print("modem host passed")
'''

GNSS_HOST: Final = """
import sys, time
import serial

port = serial.Serial(sys.argv[1], 9600, timeout=0.2)
end, held, seen, listed, used = time.monotonic() + 60, b"", set(), {}, {}
fixes = 0
while fixes < 12:
    assert time.monotonic() < end, (seen, fixes)
    held += port.read(256)
    *lines, held = held.split(b"\\r\\n")
    for line in lines:
        if not line.startswith(b"$"):
            continue
        assert len(line) + 2 <= 82, (line, "5.3: 82 characters with line end")
        body, star, digits = line[1:].partition(b"*")
        total = 0
        for byte in body:
            total ^= byte
        assert star and int(digits, 16) == total, line
        fields = body.decode("ascii").split(",")
        talker, formatter = fields[0][:2], fields[0][2:]
        seen.add(formatter)
        if formatter == "GSV":
            parts, part = int(fields[1]), int(fields[2])
            assert 1 <= part <= parts <= 9
            assert (len(fields) - 4) % 4 in (0, 1), "4.11: a signal id behind the last group"
            satellites = [fields[at] for at in range(4, len(fields) - 3, 4) if fields[at]]
            listed.setdefault(talker, set()).update(int(each) for each in satellites)
        if formatter == "GSA":
            assert len(fields) >= 18 and fields[2] in "123"
            used.update({int(each): fields[18] for each in fields[3:15] if each} if len(fields) > 18 else {})
        if formatter == "GGA" and fields[6] not in ("", "0"):
            fixes += 1
            assert fields[10] == "M" and fields[12] == "M"
            latitude = int(fields[2][:2]) + float(fields[2][2:]) / 60
            assert 0 <= latitude <= 90 and fields[3] in "NS" and fields[5] in "EW"
        if formatter == "RMC" and fields[2] == "A":
            assert len(fields[9]) == 6 and fields[12] in "ADEFMNPRS"
assert {"GGA", "RMC", "GSA", "GSV"} <= seen
names = {"1": "GP", "2": "GL", "3": "GA", "4": "GB"}
for number, system in used.items():
    talker = names.get(system, "")
    assert not listed.get(talker) or number in listed[talker], (number, system, listed)
print("gnss host passed")
"""


@pytest.fixture
def device() -> Iterator[Callable[..., Device]]:
    started: list[Device] = []

    def start(*words: str) -> Device:
        started.append(Device(*words))
        return started[-1]

    yield start
    for each in started:
        each.stop()


def passes(script: str, path: str, folder: Path) -> str:
    (folder / "host.py").write_text(script)
    done = subprocess.run(
        [sys.executable, "-I", str(folder / "host.py"), path],
        capture_output=True, text=True, timeout=4 * LIMIT_S, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    return done.stdout


def test_a_host_of_modems(device: Callable[..., Device], tmp_path: Path) -> None:
    assert "modem host passed" in passes(MODEM_HOST, device("plover").path, tmp_path)


def test_a_host_of_receivers(device: Callable[..., Device], tmp_path: Path) -> None:
    assert "gnss host passed" in passes(GNSS_HOST, device("curlew", "--start", "hot").path, tmp_path)
