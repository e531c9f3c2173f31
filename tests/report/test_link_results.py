"""Charts of trials and their tables: what they say is what the capture holds."""

import csv
import json
import xml.etree.ElementTree as ElementTree
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.test_link_reach import counted, walk

from pale_heron.bench.sources import Source
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event
from pale_heron.core.link.blocks import encode_block
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.fates import DAMAGED, DELIVERED, LOST
from pale_heron.core.link.probe_log import ProbeLog
from pale_heron.core.link.tracker import BEGUN, ENDED, LinkTracker
from pale_heron.core.link.trial import block_of
from pale_heron.core.link.trial_snapshot import TrialSnapshot
from pale_heron.core.samples import HISTOGRAM_BINS, Sample
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import iso
from pale_heron.core.wire.probe import PROBE, Probe, encode
from pale_heron.report.kinds import LINK_CHARTS
from pale_heron.report.link_charts import HOLDS_IT, LINK_KINDS, last_drawable, save_link_chart
from pale_heron.report.table_file import TableFile
from pale_heron.report.tables import HEADS, Tables

BEGIN = 1_935_000_000 * SECOND
MS = SECOND // 1000
TOOK = 84 * MS


def played(fates: str) -> tuple[tuple[TrialSnapshot, ...], ProbeLog]:
    """One way: o delivered, x lost, ! damaged; half a second for each."""
    probes = ProbeLog()
    tracker = LinkTracker(probes)
    trial = TrialDescription("delivery", 7, ("hide", "buoy"), one_way=True, limit_s=1.0, cell=("short", "day"))
    tracker.heed(Event(BEGIN, "", BEGUN, trial.details()))
    for number, fate in enumerate(fates, 1):
        at, probe = BEGIN + number * 500 * MS, encode(Probe(PROBE, 7, "A", number), 32)
        tracker.feed(Chunk("hide", OUT, at, probe + b"\r\n"))
        arrived = {"o": probe, "!": probe[:20] + b"~" + probe[21:]}.get(fate)
        if arrived:
            tracker.feed(Chunk("buoy", IN, at + TOOK, arrived + b"\r\n"))
    end = BEGIN + (len(fates) + 4) * 500 * MS
    tracker.advance(end)
    tracker.heed(Event(end, "", ENDED, {"trial": 7, "why": "done"}))
    return tracker.snapshot(), probes


def streamed() -> tuple[TrialSnapshot, ...]:
    """Blocks one way for four seconds, at half of what the line carries."""
    tracker = LinkTracker()
    trial = TrialDescription(
        "throughput", 9, ("hide", "buoy"), one_way=True, size=960, ceilings={"hide": 9600.0, "buoy": 9600.0}
    )
    tracker.heed(Event(BEGIN, "", BEGUN, trial.details()))
    for number in range(1, 21):
        at, block = BEGIN + number * 200 * MS, encode_block(block_of(trial, "A", number))
        tracker.feed(Chunk("hide", OUT, at, block))
        tracker.feed(Chunk("buoy", IN, at + TOOK, block))
    tracker.heed(Event(BEGIN + 5 * SECOND, "", ENDED, {"trial": 9, "why": "done"}))
    return tracker.snapshot()


def table(what: str, form: str, trials: tuple[TrialSnapshot, ...], probes: ProbeLog, path: Path) -> int:
    """Write one table; gives the number of rows."""
    source = Source(None)
    source.trials = trials
    with path.open("w", newline="") as out:
        file = TableFile(HEADS[what], form, out)
        Tables({what: [file]}).end(source, (), probes)
    return file.rows


def walked() -> TrialSnapshot:
    """A trial of which two in a row are lost at 60 m."""
    results = [(at + 0.2, LOST if 60 <= at < 62 else DELIVERED) for at in range(100)]
    (trial,), _ = played("o")
    return trial._replace(ranges=(counted(walk(100), results).snapshot(),))


def words(path: Path) -> str:
    return " ".join(
        text for each in ElementTree.fromstring(path.read_bytes()).iter() if (text := each.text or "").strip()
    )


@settings(max_examples=30, deadline=None)
@given(st.text("ox!", min_size=1, max_size=60))
def test_a_table_of_probes_has_each_of_them_with_its_fate(tmp_path_factory: pytest.TempPathFactory, fates: str) -> None:
    trials, probes = played(fates)
    path = tmp_path_factory.mktemp("results") / "probes.csv"
    assert table("probes", "csv", trials, probes, path) == len(fates)
    rows = sorted(csv.DictReader(path.open(newline="")), key=lambda row: int(row["number"]))
    named = {"o": DELIVERED, "x": LOST, "!": DAMAGED}
    assert [row["result"] for row in rows] == [named[fate] for fate in fates]
    assert {row["latency_ms"] for row in rows if row["result"] == DELIVERED} <= {"84.0"}
    assert all(row["sent"] == iso(BEGIN + int(row["number"]) * 500 * MS) for row in rows)
    assert {(row["trial"], row["from"], row["to"]) for row in rows} == {("1", "hide", "buoy")}
    lines = tmp_path_factory.mktemp("results") / "probes.jsonl"
    table("probes", "jsonl", trials, probes, lines)
    again = sorted(map(json.loads, lines.read_text().splitlines()), key=lambda row: row["number"])
    assert [row["result"] for row in again] == [named[fate] for fate in fates]
    assert all(row["came"] is None for row in again if row["result"] == LOST)


def test_a_table_of_trials_has_a_row_a_direction(tmp_path: Path) -> None:
    trials, probes = played("oooxx!o")
    path = tmp_path / "trials.csv"
    assert table("trials", "csv", trials, probes, path) == 1
    (row,) = csv.DictReader(path.open(newline=""))
    assert (row["sent"], row["delivered"], row["lost"], row["damaged"]) == ("7", "4", "2", "1")
    assert (row["row"], row["column"], row["verdict"], row["latency_ms_median"]) == ("short", "day", "fails", "84.0")
    assert row["payload_bit_s"] == ""
    table("trials", "jsonl", trials, probes, tmp_path / "trials.jsonl")
    (whole,) = map(json.loads, (tmp_path / "trials.jsonl").read_text().splitlines())
    assert whole["directions"][0]["outages"][0]["lost"] == 3


@pytest.mark.parametrize("form", ["svg", "pdf"])
@pytest.mark.parametrize(
    ("kind", "told"),
    [
        ("latency", ("half within 84.0 ms", "6 probes of 9 came", "how often")),
        ("delivery", ("6 of 9 probes good", "lost", "damaged", "hide ▸ buoy")),
        ("throughput", ("the line carries at most 76.8 kbit/s", "50.0 % of what it carries", "steady")),
        (
            "reach",
            ("delivered as far as 99 m; the first two in a row were missed at 60 m", "distance, m", "the known point"),
        ),
    ],
)
def test_a_chart_says_what_the_trial_holds(kind: str, told: tuple[str, ...], form: str, tmp_path: Path) -> None:
    trials, probes = played("oxx!ooooo")
    trials = (*trials, *streamed(), walked())
    charted = last_drawable(kind, "walk.pcapng", trials, probes)
    path = tmp_path / f"chart.{form}"
    save_link_chart(kind, charted, path)
    data = path.read_bytes()
    save_link_chart(kind, charted, path)
    assert path.read_bytes() == data, "the same capture gives the same bytes"
    if form == "svg":
        assert all(each in words(path) for each in (*told, "capture: walk.pcapng")), words(path)


def test_where_a_trial_lacks_it_the_chart_says_what_is_needed(tmp_path: Path) -> None:
    trials, probes = played("")
    assert set(LINK_KINDS) == set(HOLDS_IT) == set(LINK_CHARTS)
    for kind in LINK_CHARTS:
        with pytest.raises(Trouble, match="needs"):
            save_link_chart(kind, last_drawable(kind, "x", trials, probes), tmp_path / "a.svg")


@given(st.lists(st.floats(0, 10), min_size=1, max_size=300))
def test_a_histogram_counts_everything_once(values: list[float]) -> None:
    sample = Sample()
    for each in values:
        sample.add(each)
    times = sample.times()
    assert times is not None
    shape = times.histogram
    assert sum(shape.counts) == len(values) and len(shape.counts) in (1, HISTOGRAM_BINS)
    assert shape.low == times.least and (shape.high == times.most or (shape.open_ended and shape.high < times.most))
    step = (shape.high - shape.low) / len(shape.counts)
    below = sum(each < shape.low + step * len(shape.counts) / 2 for each in values)
    if step and len(shape.counts) == HISTOGRAM_BINS:
        assert abs(sum(shape.counts[: HISTOGRAM_BINS // 2]) - below) <= values.count(
            shape.low + step * HISTOGRAM_BINS / 2
        )
