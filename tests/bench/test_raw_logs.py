"""Logs of known truth, as files of raw bytes and as captures: whatever is said of them must be so."""

from collections.abc import Iterable
from itertools import pairwise
from pathlib import Path
from typing import Any, Final

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pale_heron.bench.sources import Source
from pale_heron.bench.summary import summary
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import IN, SECOND, Chunk
from pale_heron.core.gnss.epochs.plausibility import SPLIT_EPOCHS
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.utc import DAY, from_iso, iso

PLACE: Final = "4607.03800,S,06718.40000,W"
NINE: Final = from_iso("2031-05-04T09:00:00Z")


def time_of(second: int) -> str:
    return f"{9 + second // 3600:02d}{second // 60 % 60:02d}{second % 60:02d}.00"


def gga(second: int, *, fixed: bool = True, used: int = 8) -> bytes:
    where = PLACE if fixed else ",,,"
    rest = f"1,{used:02d},0.9,3.4,M,11.2,M,," if fixed else "0,00,99.9,,M,,M,,"
    return sealed(f"GNGGA,{time_of(second)},{where},{rest}")


def rmc(second: int, *, valid: bool = True, date: str = "040531") -> bytes:
    time = time_of(second)
    return sealed(f"GNRMC,{time},A,{PLACE},0.1,,{date},,,A" if valid else f"GNRMC,{time},V,,,,,,,{date},,,N")


def gsa(mode: int, satellites: Iterable[int], system: int) -> bytes:
    numbers = [f"{number:02d}" for number in satellites]
    return sealed(f"GNGSA,A,{mode},{','.join([*numbers, *[''] * (12 - len(numbers))])},1.5,0.9,1.2,{system}")


def said(tmp_path: Path, data: bytes) -> dict[str, Any]:
    """What `summary` says of a file of raw bytes, its one lane beside it."""
    path = tmp_path / "log.nmea"
    path.write_bytes(data)
    whole = summary(Source(path))
    return whole | {"lane": whole["lanes"][0], "fix": whole["lanes"][0]["fix"]}


def ids(found: dict[str, Any]) -> list[str]:
    return [each["id"] for each in found["lane"]["findings"]]


def test_a_date_that_comes_second_dates_the_first_sentence_too(tmp_path: Path) -> None:
    found = said(tmp_path, b"".join(gga(second) + rmc(second) for second in range(60)))
    assert found["duration_s"] == 59.0
    assert found["fix"]["since"] == "2031-05-04T09:00:00.000000000Z"
    assert ids(found) == []


def test_a_log_without_any_date_has_times_of_day(tmp_path: Path) -> None:
    found = said(tmp_path, b"".join(gga(second, fixed=not 20 <= second < 30) for second in range(60)))
    assert (found["duration_s"], found["fix"]["date"]) == (59.0, None)
    assert found["fix"]["since"] == "09:00:30.000000000"
    (outage,) = found["fix"]["outages"]
    assert (outage["begin"], outage["end"], outage["seconds"]) == ("09:00:20.000000000", "09:00:30.000000000", 10.0)
    assert "1970" not in str(found)


def test_a_default_date_before_the_fix_makes_no_years(tmp_path: Path) -> None:
    before = b"".join(rmc(second, valid=False, date="060180") + gga(second, fixed=False) for second in range(10))
    found = said(tmp_path, before + b"".join(rmc(second) + gga(second) for second in range(10, 40)))
    assert found["duration_s"] == 39.0
    (start,) = found["fix"]["starts"]
    assert (start["begin"], start["seconds_to_first_fix"]) == ("2031-05-04T09:00:00.000000000Z", 10.0)
    assert found["fix"]["outages"] == [] and "default-date" in ids(found)


def test_a_date_that_was_wrong_by_rounds_moves_with_the_true_one(tmp_path: Path) -> None:
    """The receiver knows the time first, and the day only with its fix."""
    before = b"".join(gga(second, fixed=False) + rmc(second, valid=False, date="180911") for second in range(30))
    found = said(tmp_path, before + b"".join(gga(second) + rmc(second) for second in range(30, 60)))
    assert (found["duration_s"], found["fix"]["since"]) == (59.0, "2031-05-04T09:00:30.000000000Z")


def test_one_fix_a_day_is_one_epoch_a_day(tmp_path: Path) -> None:
    days = range(1, 11)
    found = said(tmp_path, b"".join(rmc(0, date=f"{day:02d}0531") + gga(0) for day in days))
    assert (found["fix"]["epochs"], found["fix"]["epochs_with_fix"]) == (10, 10)
    assert found["duration_s"] == 9 * 86_400.0
    assert not {"time-still", "default-date", "date-differs"} & set(ids(found))


def test_midnight_between_two_sentences_is_one_second(tmp_path: Path) -> None:
    first = sealed("GNGGA,235959.00," + PLACE + ",1,08,0.9,3.4,M,11.2,M,,")
    first += sealed("GNRMC,235959.00,A," + PLACE + ",0.1,,040531,,,A")
    second = sealed("GNGGA,000000.00," + PLACE + ",1,08,0.9,3.4,M,11.2,M,,")
    second += sealed("GNRMC,000000.00,A," + PLACE + ",0.1,,050531,,,A")
    found = said(tmp_path, first + second)
    assert (found["duration_s"], found["fix"]["epochs"]) == (1.0, 2)


def test_a_start_counts_by_its_own_clock(tmp_path: Path) -> None:
    """Before it knows the time nothing can be counted; from then on everything."""
    dumb = (sealed("GNRMC,,V,,,,,,,,,,N") + sealed("GNGGA,,,,,,0,00,99.9,,M,,M,,")) * 5
    waiting = b"".join(rmc(second, valid=False) + gga(second, fixed=False) for second in range(5, 20))
    found = said(tmp_path, dumb + waiting + b"".join(rmc(second) + gga(second) for second in range(20, 60)))
    (start,) = found["fix"]["starts"]
    assert start["seconds_to_first_fix"] == 15.0
    assert found["fix"]["starts_by_mode"][0]["fixed"] == 1


UNUSED: Final = gsa(1, [], 2) + gsa(1, [], 4)
GPS: Final = gsa(3, [3, 7, 9, 12], 1)
MODES = {
    "the used system first": GPS + UNUSED,
    "the used system last": UNUSED + GPS,
    "between": gsa(1, [], 2) + GPS + gsa(1, [], 4),
}


@pytest.mark.parametrize("name", MODES)
@pytest.mark.parametrize("before", [False, True])
def test_a_system_without_used_satellites_takes_no_fix_away(name: str, before: bool, tmp_path: Path) -> None:
    def epoch(second: int) -> bytes:
        rest = rmc(second) + gga(second)
        return MODES[name] + rest if before else rest + MODES[name]

    found = said(tmp_path, b"".join(epoch(second) for second in range(60)))
    assert (found["fix"]["state"], found["fix"]["epochs_with_fix"], found["fix"]["outages"]) == ("3D", 60, [])
    assert found["fix"]["since"] == "2031-05-04T09:00:00.000000000Z"


def test_a_fix_that_every_gsa_denies_is_gone(tmp_path: Path) -> None:
    lost = UNUSED + gsa(1, [], 1)
    log = [rmc(second) + gga(second) + (GPS + UNUSED if second < 30 else lost) for second in range(60)]
    found = said(tmp_path, b"".join(log))
    assert found["fix"]["state"] == "time only"
    assert [each["begin"][11:19] for each in found["fix"]["outages"]] == ["09:00:30"]


def test_more_than_twelve_used_satellites_of_a_system(tmp_path: Path) -> None:
    both = gsa(3, range(1, 13), 4) + gsa(3, range(13, 21), 4)
    fewer = gsa(3, range(1, 6), 4)
    log = [rmc(second) + gga(second, used=20) + (both if second < 30 else fewer) for second in range(60)]
    assert said(tmp_path, b"".join(log[:30]))["fix"]["satellites_seen"] == 20
    assert said(tmp_path, b"".join(log))["fix"]["satellites_seen"] == 5


def test_who_decides_decides_for_all(tmp_path: Path) -> None:
    for first, second in ((rmc, gga), (gga, rmc)):
        log = b""
        for at in range(30):
            each = {rmc: rmc(at), gga: gga(at, fixed=False)}
            log += each[first] + each[second]
        found = said(tmp_path, log)
        assert (found["fix"]["state"], found["fix"]["epochs_with_fix"], found["fix"]["scatter"]) == (
            "time only",
            0,
            None,
        )


def test_a_log_without_checksums_is_measured_as_well(tmp_path: Path) -> None:
    log = b"".join(
        rmc(second, valid=not 20 <= second < 30) + gga(second, fixed=not 20 <= second < 30) for second in range(60)
    )
    bare = b"".join(line.partition(b"*")[0] + b"\r\n" for line in log.split(b"\r\n") if line)
    whole, found = said(tmp_path, log), said(tmp_path, bare)
    assert found["duration_s"] == whole["duration_s"] == 59.0
    for key in ("state", "since", "epochs", "epochs_with_fix", "outages", "starts", "scatter", "satellites_used"):
        assert found["fix"][key] == whole["fix"][key], key
    assert [each["seconds"] for each in found["fix"]["outages"]] == [10.0]
    assert "disagree-validity" not in ids(found)


def captured(tmp_path: Path, *records: tuple[float, bytes], until: float) -> dict[str, Any]:
    """What is said of a capture that goes on with another lane until a moment."""
    path = tmp_path / "out.pcapng"
    writer = CaptureWriter(path)
    for lane in ("curlew", "clock"):
        writer.add_lane(lane, "/dev/x", LineSettings(9600))
    times = sorted([*((at, "curlew", data) for at, data in records), (until, "clock", b"tick\r\n")])
    for at, lane, data in times:
        writer.chunk(Chunk(lane, IN, NINE + int(at * SECOND), data))
    writer.close()
    found = summary(Source(path))
    lane = next(each for each in found["lanes"] if each["lane"] == "curlew")
    return found | {"lane": lane, "fix": lane["fix"]}


def test_a_fix_holds_no_longer_than_its_receiver_says_so(tmp_path: Path) -> None:
    epochs = [(float(second), rmc(second) + gga(second)) for second in range(30)]
    lively = captured(tmp_path, *epochs, until=30.0)
    assert lively["fix"]["overdue_s"] is None
    (tmp_path / "out.pcapng").unlink()
    silent = captured(tmp_path, *epochs, until=89.0)
    assert (silent["fix"]["state"], silent["fix"]["said"][:19]) == ("fix", "2031-05-04T09:00:29")
    assert silent["fix"]["overdue_s"] == pytest.approx(60.0, abs=0.1)
    (tmp_path / "out.pcapng").unlink()
    # Something arrives all the time, but nothing that says where it is.
    heap = [(30.0 + second, b"heap 123456 free\r\n") for second in range(60)]
    busy = captured(tmp_path, *epochs, *heap, until=89.0)
    assert busy["fix"]["overdue_s"] == pytest.approx(60.0, abs=0.1)


def test_what_fails_is_named(tmp_path: Path) -> None:
    """Bytes that come damaged are not bytes that do not come, and nobody said how many satellites there were."""
    epochs = [(float(second), rmc(second) + gga(second)) for second in range(30)]
    damaged = [(float(second), (rmc(second) + gga(second)).replace(b"W", b"E")) for second in range(30, 60)]
    again = [(float(second), rmc(second) + gga(second)) for second in range(60, 70)]
    for name, between in (("sentences", damaged), ("bytes", [])):
        found = captured(tmp_path, *epochs, *between, *again, until=70.0)
        (outage,) = found["fix"]["outages"]
        assert (outage["lost"], outage["satellites_before"], outage["satellites_at_worst"]) == (name, 8, None)
        assert outage["seconds"] == pytest.approx(31.0, abs=0.1)
        (tmp_path / "out.pcapng").unlink()


@given(
    st.lists(st.tuples(st.integers(1, 20), st.booleans()), min_size=1, max_size=12),
    st.booleans(),
    st.booleans(),
    st.sampled_from(["gga first", "rmc first"]),
    st.integers(0, 86_399),
)
def test_a_generated_log_is_told_as_it_was(
    tmp_path_factory: pytest.TempPathFactory,
    stretches: list[tuple[int, bool]],
    dated: bool,
    sums: bool,
    order: str,
    start: int,
) -> None:
    """Stretches with and without a fix, over midnight too: epochs, outages and their lengths come out exactly."""
    log, second, truth = b"", start, []
    for length, fixed in stretches:
        for _ in range(length):
            day, of_day = divmod(second, 86_400)
            shown = of_day - 9 * 3600
            date = f"{4 + day:02d}0531" if dated else ""
            both = [gga(shown, fixed=fixed), rmc(shown, valid=fixed, date=date)]
            log += b"".join(both if order == "gga first" else both[::-1])
            truth.append(fixed)
            second += 1
    if not sums:
        log = b"".join(line.partition(b"*")[0] + b"\r\n" for line in log.split(b"\r\n") if line)
    found = said(tmp_path_factory.mktemp("log"), log)
    fix = found["fix"]
    assert found["duration_s"] == len(truth) - 1
    assert (fix["epochs"], fix["epochs_with_fix"]) == (len(truth), sum(truth))
    lost, lengths = False, []
    for before, now in pairwise(truth):
        if before and not now:
            lost = True
            lengths.append(0)
        if lost and not now:
            lengths[-1] += 1
        lost = lost and not now
    lasting = not truth[-1] and bool(lengths)
    assert [each["seconds"] for each in fix["outages"]] == [float(length) for length in lengths[:-1]] + (
        [None] if lasting else [float(length) for length in lengths[-1:]]
    )
    assert (fix["state"] in ("fix", "2D", "3D")) == truth[-1]


SYSTEMS: Final = {"GP": (1, range(1, 33)), "GL": (2, range(65, 89)), "GA": (3, range(1, 37)), "GB": (4, range(1, 64))}
"""By talker: the system's number in GSA and GSV, and its satellites (NMEA 0183 4.11)."""


def lists_of(talker: str, used: int, seen: int, both: str) -> bytes:
    """What one system says in an epoch: GSAs of twelve each, and GSVs of four."""
    number, names = SYSTEMS[talker]
    known = list(names)[:seen]
    out = b""
    for at in range(0, max(1, used), 12):
        numbers = [f"{name:02d}" for name in known[at : min(used, at + 12)]]
        padded = ",".join([*numbers, *[""] * (12 - len(numbers))])
        out += sealed(f"{both}GSA,A,{3 if used else 1},{padded},1.5,0.9,1.2,{number}")
    of = max(1, -(-seen // 4))
    for place in range(of):
        told = "".join(f",{name:02d},40,083,{30 + name % 20}" for name in known[4 * place : 4 * place + 4])
        out += sealed(f"{talker}GSV,{of},{place + 1},{seen:02d}{told},1")
    return out


@given(
    st.sampled_from([1, 2, 5, 10]),
    st.integers(3, 40),
    st.dictionaries(
        st.sampled_from(sorted(SYSTEMS)),
        st.integers(0, 20).flatmap(lambda used: st.tuples(st.just(used), st.integers(used, 24))),
        min_size=1,
        max_size=4,
    ),
    st.booleans(),
)
def test_rates_talkers_and_systems_of_a_generated_log(
    tmp_path_factory: pytest.TempPathFactory,
    hertz: int,
    epochs: int,
    systems: dict[str, tuple[int, int]],
    position_with_gns: bool,
) -> None:
    """Every rate, every count of satellites and every type comes out as it was made."""
    used, seen = (sum(each[place] for each in systems.values()) for place in (0, 1))
    both = "GN" if len(systems) > 1 else next(iter(systems))
    log = b""
    for epoch in range(epochs):
        whole, part = divmod(epoch, hertz)
        time = f"{time_of(whole)[:6]}.{100 * part // hertz:02d}"
        fixed = f"{PLACE},{'A' * 6 if position_with_gns else 1},{min(used, 99):02d},0.9,3.4"
        fixed += ",11.2,,,V" if position_with_gns else ",M,11.2,M,,"
        log += sealed(f"{both}{'GNS' if position_with_gns else 'GGA'},{time},{fixed}")
        log += b"".join(lists_of(talker, *counts, both) for talker, counts in systems.items())
        log += sealed(f"{both}RMC,{time},A,{PLACE},0.1,,040531,,,A")
    found = said(tmp_path_factory.mktemp("log"), log)
    fix, lane = found["fix"], found["lane"]
    assert (fix["epochs"], found["duration_s"]) == (epochs, (epochs - 1) / hertz)
    assert (lane["valid_sentences"], lane["bad_checksums"], lane["bytes_in"]) == (log.count(b"\n"), 0, len(log))
    for each in lane["types"]:
        count = log.count(b"$" + each["type"].encode())
        assert (each["count"], each["bad"]) == (count, 0)
        assert each["rate_hz"] == pytest.approx(count / epochs * hertz, rel=1e-3)
    assert fix["satellites_seen"] == seen
    assert fix["satellites_used"] == used
    # A GSA without satellites says that there is no fix: positions beside it are told, once that lasts.
    assert ids(found) == [] if used else ("fix-denied" in ids(found)) is (epochs >= SPLIT_EPOCHS)


def test_the_only_date_may_stand_in_a_last_line_without_its_end(tmp_path: Path) -> None:
    data = b"".join(gga(second) for second in range(20)) + rmc(20).rstrip(b"\r\n")
    found = said(tmp_path, data)
    assert found["fix"]["since"] == "2031-05-04T09:00:00.000000000Z"
    assert found["fix"]["date"] == "2031-05-04"


def epoch(moment: int, *, fixed: bool, date: str | None = None) -> bytes:
    """RMC and GGA of a second of any day, with the date of that day or another."""
    time, day = iso(moment)[11:19].replace(":", ""), iso(moment)[:10]
    date = f"{day[8:]}{day[5:7]}{day[2:4]}" if date is None else date
    where = PLACE if fixed else ",,,"
    status, mode = ("A", "A") if fixed else ("V", "N")
    return sealed(f"GNRMC,{time}.00,{status},{where},0.1,,{date},,,{mode}") + sealed(
        f"GNGGA,{time}.00,{where},{int(fixed)},08,0.9,3.4,M,11.2,M,,"
    )


def seconds_of(begin: int, count: int, *, fixed: bool) -> bytes:
    return b"".join(epoch(begin + second * SECOND, fixed=fixed) for second in range(count))


WEEKS: Final = 1024 * 7 * DAY
OWN: Final = from_iso("2031-05-04T00:00:00Z")
"""Where a receiver begins that has no time."""


@pytest.mark.parametrize(
    ("log", "first_fix", "outages", "duration", "steps"),
    [
        # A cold start with a time of its own, which steps with the first fix.
        (seconds_of(OWN, 30, fixed=False) + seconds_of(NINE, 60, fixed=True), 30.0, [], 89.0, 1),
        # The date is a round of 1 024 weeks off until the fix comes back.
        (
            seconds_of(NINE, 20, fixed=True)
            + seconds_of(NINE + 20 * SECOND - WEEKS, 10, fixed=False)
            + seconds_of(NINE + 30 * SECOND, 20, fixed=True),
            None,
            [10.0],
            49.0,
            0,
        ),
        # Without a fix it steps amid an outage.
        (
            seconds_of(NINE, 20, fixed=True)
            + seconds_of(NINE + 20 * SECOND, 5, fixed=False)
            + seconds_of(NINE - 7000 * SECOND, 5, fixed=False)
            + seconds_of(NINE + 30 * SECOND, 20, fixed=True),
            None,
            [10.0],
            49.0,
            2,
        ),
        # From GPS time to UTC it goes back by the leap seconds.
        (
            seconds_of(NINE, 40, fixed=True) + seconds_of(NINE + 22 * SECOND, 40, fixed=True),
            None,
            [],
            79.0,
            1,
        ),
        # Power was off for ten minutes; how long, nobody vouches for.
        (
            seconds_of(NINE, 30, fixed=True)
            + seconds_of(NINE + 630 * SECOND, 20, fixed=False)
            + seconds_of(NINE + 650 * SECOND, 30, fixed=True),
            None,
            [20.0],
            79.0,
            1,
        ),
        # The log pauses between two fixes, whose times are right.
        (
            seconds_of(NINE, 30, fixed=True) + seconds_of(NINE + 630 * SECOND, 30, fixed=True),
            None,
            [601.0],
            659.0,
            0,
        ),
        # A sentence a minute is no step.
        (b"".join(epoch(NINE + 60 * minute * SECOND, fixed=minute > 4) for minute in range(20)), 300.0, [], 1140.0, 0),
    ],
)
@pytest.mark.parametrize("times", [1, 40])
def test_what_lasted_over_a_step_of_its_clock_counts_its_epochs(
    tmp_path: Path, log: bytes, first_fix: float | None, outages: list[float], duration: float, steps: int, times: int
) -> None:
    """Behind hours of steadiness, which are taken many at a time, it is the same."""
    ahead = b"" if times == 1 or first_fix is not None else seconds_of(NINE - 9000 * SECOND, 9000, fixed=True)
    found = said(tmp_path, ahead + log)
    fix = found["fix"]
    assert [each["seconds_to_first_fix"] for each in fix["starts"]] == ([] if first_fix is None else [first_fix])
    assert [each["seconds"] for each in fix["outages"]] == outages
    assert found["duration_s"] == duration + (9000 if ahead else 0)
    assert ("own-clock-step" in ids(found)) == bool(steps)


@pytest.mark.parametrize("late", [1, 3])
def test_a_date_that_changes_late_at_midnight_changes_no_day(tmp_path: Path, late: int) -> None:
    begin = from_iso("2031-05-04T23:59:00Z")
    data = b"".join(
        epoch(begin + second * SECOND, fixed=not 50 <= second < 70, date="040531" if second < 60 + late else "050531")
        for second in range(120)
    )
    found = said(tmp_path, data)
    assert [each["seconds"] for each in found["fix"]["outages"]] == [20.0]
    assert found["duration_s"] == 119.0
    assert ids(found) == []


@pytest.mark.parametrize(
    ("meanwhile", "lost"),
    [(b"", "bytes"), (gga(45).replace(b"S", b"N", 1), "sentences"), (b"\x00\x81\xff" * 40, "sentences")],
)
def test_a_silence_in_which_bytes_came_damaged_lacked_no_bytes(tmp_path: Path, meanwhile: bytes, lost: str) -> None:
    data = b"".join(map(gga, range(30))) + meanwhile + b"".join(map(gga, range(60, 90)))
    assert [(each["lost"], each["seconds"]) for each in said(tmp_path, data)["fix"]["outages"]] == [(lost, 31.0)]
