"""Makes the example report: a walk of the simulated buoy out of the reach of its link, held against expectations.

`make report` runs it. The capture is thrown away; what is kept are docs/example-report.html and .pdf.
"""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from pale_heron.cli.demo import EXPECTED
from pale_heron.sim.launch import Device
from pale_heron.sim.marsh import HUT

HERE = Path(__file__).parent
SECONDS = 220
MARKS = (
    ("towed out", "+20s", "begin"),
    ("past the sluice", "+110s", "note"),
    ("towed out", "+205s", "end"),
)


def run(*words: str | Path) -> None:
    """One command of the program; that something does not hold is no error here."""
    done = subprocess.run([sys.executable, "-m", "pale_heron", *map(str, words)], check=False)
    if done.returncode not in (0, 1):
        sys.exit(done.returncode)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_RUNTIME_DIR"] = folder
        capture = Path(folder) / "range-walk.pcapng"
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
        for text, at, kind in MARKS:
            run("mark", capture, text, "--at", at, "--kind", kind)
        said = ["--expect", EXPECTED, "--by", "the marsh team", "--where", "the hide, north dyke"]
        for form in ("html", "pdf"):
            run("report", capture, "-o", HERE / f"example-report.{form}", "--force", *said)


if __name__ == "__main__":
    main()
