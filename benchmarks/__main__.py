"""`python -m benchmarks [NAME...]`: runs the benchmarks and prints what was measured beside the figure to hold."""

import sys

from benchmarks import (
    clock,
    clock_truth,
    day,
    decode,
    exchanges,
    fault_files,
    fault_lanes,
    faults,
    files,
    history,
    hostile,
    idle,
    kill,
    lanes,
    link,
    live,
    memory,
    proof,
    real_logs,
    receivers,
    soak,
    startup,
    truth,
    unplug,
)

ALL = {
    "decode": decode.run,
    "startup": startup.run,
    "memory": memory.run,
    "kill": kill.run,
    "unplug": unplug.run,
    "faults": faults.run,
    "fault-lanes": fault_lanes.run,
    "fault-files": fault_files.run,
    "hostile": hostile.run,
    "truth": truth.run,
    "day": day.run,
    "receivers": receivers.run,
    "exchanges": exchanges.run,
    "history": history.run,
    "lanes": lanes.run,
    "link": link.run,
    "live": live.run,
    "clock": clock.run,
    "clock-truth": clock_truth.run,
    "proof": proof.run,
    "files": files.run,
    "real-logs": real_logs.run,
    "idle": idle.run,
    "soak": soak.run,
}


def main() -> None:
    wanted = sys.argv[1:] or list(ALL)
    unknown = [name for name in wanted if name not in ALL]
    if unknown:
        sys.exit(f"no benchmark called {', '.join(unknown)}; there are {', '.join(ALL)}")
    for name in wanted:
        print(f"{name}:", flush=True)
        for row in ALL[name]():
            print(f"  {row}", flush=True)


main()
