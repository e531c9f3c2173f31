"""What Fix says against what the simulated receiver truly does: time to first fix, scatter, two antennas, outages."""

import math
import statistics
from collections.abc import Iterator

from pale_heron.core.frames import SECOND, Chunk, Direction
from pale_heron.core.gnss.comparison import compare
from pale_heron.core.gnss.earth.geodesy import offset_m
from pale_heron.core.gnss.earth.points import Point
from pale_heron.core.gnss.scatter import scatter
from pale_heron.core.lane import Lane, LaneSnapshot
from pale_heron.sim import marsh
from pale_heron.sim.curlew import Curlew
from pale_heron.sim.scenes import SCENES, START_TIMES, Scene

BEGIN = marsh.BEGIN_UTC * SECOND
SEEDS = range(1, 9)


def played(scene: Scene, seconds: int, seed: int) -> LaneSnapshot:
    """A lane that heard one receiver for so long, once a second."""
    curlew, lane = Curlew(scene, seed), Lane("curlew")
    for second in range(seconds):
        lane.feed(Chunk("curlew", Direction.IN, BEGIN + second * SECOND, curlew.epoch(float(second))))
    lane.finish()
    return lane.snapshot(BEGIN + seconds * SECOND)


def starts() -> Iterator[str]:
    for mode, times in START_TIMES.items():
        told = []
        for seed in SEEDS:
            (start,) = played(Scene("", start=mode, quick=1.0), 60, seed).fix.history.starts
            told.append(start.seconds_to_first_fix or math.nan)
        worst = max(abs(each - times.two_d) for each in told)
        yield (
            f"first fix of a {mode} start: told {statistics.median(told):.1f} s (median of {len(told)}), true from "
            f"{times.two_d:.1f} s on, at most {worst:.1f} s apart (an epoch is 1 s, and enough satellites are needed)"
        )


def scattered() -> Iterator[str]:
    truth = marsh.hide(0.0)
    rows = []
    for seed in SEEDS:
        track = played(SCENES["at-rest"], 1800, seed).fix.track
        about_truth = scatter(track, Point(truth.latitude, truth.longitude, truth.altitude_m))
        assert about_truth is not None
        errors = sorted(
            math.hypot(*offset_m(each.latitude or 0, each.longitude or 0, truth.latitude, truth.longitude))
            for each in track
            if each.has_position
        )
        exact = errors[math.ceil(0.5 * len(errors)) - 1], errors[math.ceil(0.95 * len(errors)) - 1]
        rows.append((about_truth, exact))
    wrong = max(max(abs(found.cep50_m - exact[0]), abs(found.cep95_m - exact[1])) for found, exact in rows)
    ratio = statistics.mean(found.drms_m for found, _ in rows) / statistics.mean(
        found.claimed_drms_m or math.nan for found, _ in rows
    )
    holds = [found.claim_holds for found, _ in rows]
    samples = rows[0][0].samples
    yield (
        f"scatter of {samples} positions about the true place, {len(rows)} receivers: CEP50 and CEP95 within "
        f"{1000 * wrong:.3f} mm of the sorted true errors; RMS {ratio:.2f} × what the errors are drawn from"
    )
    yield f"the claimed accuracy, which is true: holds for {holds.count(True)}, not for {holds.count(False)}"


def two_antennas() -> Iterator[str]:
    lever = SCENES["second-antenna"].lever_m
    offs = []
    for seed in SEEDS:
        bow, stern = played(SCENES["open-sky"], 900, seed), played(SCENES["second-antenna"], 900, seed + 100)
        found = compare(bow.fix.track, stern.fix.track)
        assert found is not None and found.up is not None
        spread = math.sqrt(found.east.deviation**2 + found.north.deviation**2) / math.sqrt(found.independent)
        offs.append((math.hypot(found.east.mean - lever[0], found.north.mean - lever[1]), spread))
    median = statistics.median(off for off, _ in offs)
    within = sum(off <= 2 * spread for off, spread in offs)
    yield (
        f"two antennas 1.26 m apart over 15 min: mean off by {median:.2f} m (median), "
        f"within twice the uncertainty told in {within} of {len(offs)}"
    )


def outages() -> Iterator[str]:
    scene = SCENES["saltmarsh"]
    found = played(scene, 960, 7).fix.history.outages
    worst = max(abs((each.seconds or 0) - scene.bridge_s) for each in found)
    yield f"{len(found)} outages of {scene.bridge_s:.0f} s under the bridge (true: 10): told within {worst:.1f} s"


def run() -> Iterator[str]:
    for part in (starts, scattered, two_antennas, outages):
        yield from part()
