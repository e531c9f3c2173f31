"""Makes the example report: a short walk of the simulated buoy, held against expectations of which one fails.

`make report` runs it. The capture is thrown away; what is kept are docs/example-report.html and .pdf.
"""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from pale_heron.sim.launch import Device
from pale_heron.sim.marsh import HUT

HERE = Path(__file__).parent
SECONDS = 100
EXPECTED = """title = "Buoy 7 on its way out"

[[expect]]
what = "the receiver has a fix all the time"
lane = "curlew"
that = "fix.share"
at_least = 0.99
samples = 60

[[expect]]
what = "nothing is damaged on the cable"
lane = "curlew"
that = "line.bad_share"
at_most = 0.001
samples = 500

[[expect]]
what = "nine of ten sentences come over the air"
that = "link.not_delivered_share"
at_most = 0.1
samples = 60

[[expect]]
what = "half a second is enough"
that = "link.latency_p95_ms"
at_most = 500
samples = 50

[[expect]]
what = "less than 1 % is lost for certain"
that = "link.lost_at_most_share"
at_most = 0.01
samples = 60
"""


def run(*words: str | Path) -> None:
    """One command of the program; that something does not hold is no error here."""
    done = subprocess.run([sys.executable, "-m", "pale_heron", *map(str, words)], check=False)
    if done.returncode not in (0, 1):
        sys.exit(done.returncode)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_RUNTIME_DIR"] = folder
        capture, expected = Path(folder) / "range-walk.pcapng", Path(folder) / "expected.toml"
        expected.write_text(EXPECTED, "utf-8")
        devices = Device("range-walk", "--when-opened", "--tcp", count=3)
        try:
            lanes = [
                f"{name}={path}@9600" for name, path in zip(("curlew", "hide", "buoy"), devices.paths, strict=True)
            ]
            words = ["trial", "sentences", lanes[0], lanes[1], "--also", lanes[2], "--for", f"{SECONDS}s"]
            place = f"{abs(HUT[0]):.5f} S {abs(HUT[1]):.5f} W"
            run(*words, "--position", "curlew", "--place", place, "--wiring", "air", "-o", capture)
        finally:
            devices.stop()
        said = ["--expect", expected, "--by", "the marsh team", "--where", "the hide, north dyke"]
        for form in ("html", "pdf"):
            run("report", capture, "-o", HERE / f"example-report.{form}", *said)


if __name__ == "__main__":
    main()
