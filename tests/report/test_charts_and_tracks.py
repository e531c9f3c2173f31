"""Charts and tracks: what they say is what the capture holds, and general readers of their formats take them."""

import csv
import json
import re
import xml.etree.ElementTree as ElementTree
from dataclasses import replace
from pathlib import Path
from typing import Any

import gpxpy
import numpy as np
import pytest
from tests.painted import opened
from tests.streams import BEGIN, fed, framed, gga, said, sentences, track

from pale_heron.core.clock.own_time import OwnTime
from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.earth.points import Point
from pale_heron.core.gnss.epochs.log import Epoch, EpochLog, Epochs
from pale_heron.core.gnss.states import LEVELS, MADE
from pale_heron.core.lane import Lane
from pale_heron.core.trouble import Trouble
from pale_heron.report import charts
from pale_heron.report.charts import KINDS, ChartInput, save_chart
from pale_heron.report.figures import NothingToDraw
from pale_heron.report.kinds import CHARTS, TRACKS
from pale_heron.report.tracks import Track, segments, write_tracks
from pale_heron.sim.scenes import SCENES

SECONDS = 150


def charted(*scenes: str) -> ChartInput:
    lanes = []
    for place, name in enumerate(scenes):
        lane = opened(fed(said(SECONDS, SCENES[name], 7 + place), name))
        lane.finish()
        lanes.append(lane.snapshot(BEGIN + SECONDS * SECOND))
    return ChartInput("buoy.pcapng", lanes[0], lanes[1] if len(lanes) > 1 else None, None, ((BEGIN, "bridge"),))


BUOY = charted("saltmarsh", "second-antenna")


@pytest.mark.parametrize("kind", CHARTS)
@pytest.mark.parametrize("form", ["svg", "pdf"])
def test_every_chart_is_written_with_title_units_source_and_sample(kind: str, form: str, tmp_path: Path) -> None:
    path = tmp_path / f"chart.{form}"
    save_chart(kind, BUOY, path)
    data = path.read_bytes()
    save_chart(kind, BUOY, path)
    assert path.read_bytes() == data, "the same capture gives the same bytes"
    if form == "pdf":
        assert data.startswith(b"%PDF-") and data.rstrip().endswith(b"%%EOF")
        return
    words = " ".join(text for each in ElementTree.fromstring(data).iter() if (text := each.text or "").strip())
    assert "saltmarsh (buoy 7)" in words
    assert "capture: buoy.pcapng" in words
    assert re.search(r"\d+ (positions|epochs|satellites|moments)|\d+ of \d+ satellites", words)
    assert "2031-05-04 09:4" in words or kind == "scatter"
    unit = {"sky": "60°", "ribbon": "dB-Hz", "signal": "dB-Hz", "scatter": "north, m"}.get(kind, "east, m")
    assert unit in words


def test_the_scatter_chart_says_the_figures_of_the_scatter(tmp_path: Path) -> None:
    lane = opened(fed(said(100, SCENES["at-rest"]), "curlew")).snapshot(BEGIN + 100 * SECOND)
    where = Point(-46.117, -67.306, 9.2)
    save_chart("scatter", ChartInput("x.pcapng", lane, reference=where), tmp_path / "s.svg")
    text = (tmp_path / "s.svg").read_text()
    for words in ("CEP50 ", "CEP95 ", "2DRMS ", "vertical 95 %", "the reference", "expected 0.8"):
        assert words in text


def test_where_there_is_nothing_to_draw_it_says_what_is_needed(tmp_path: Path) -> None:
    empty = ChartInput("x", Lane("curlew").snapshot(BEGIN))
    assert set(KINDS) == set(CHARTS)
    for kind in CHARTS:
        with pytest.raises(Trouble, match=r"needs|two receivers"):
            save_chart(kind, empty, tmp_path / "a.svg")
    with pytest.raises(Trouble, match=r"\.svg or \.pdf"):
        save_chart("sky", BUOY, tmp_path / "sky.png")
    with pytest.raises(Trouble, match="cannot be written"):
        save_chart("sky", BUOY, Path("/proc/no/sky.svg"))


def gappy() -> Epochs:
    """Ten positions, an epoch without one, five positions, a minute of nothing, three positions across a date line."""
    log = EpochLog()
    here = track([(-46.1173, -67.3067)])[0]._replace(altitude_m=3.4, separation_m=11.2, used=11, hdop=0.8)

    def add(second: int, epoch: Epoch) -> None:
        moment = BEGIN + second * SECOND
        log.append(epoch._replace(arrived=moment + 7, utc=moment))

    for second in range(10):
        add(second, here)
    add(10, here._replace(latitude=None, longitude=None, level=1))
    for second in range(11, 16):
        add(second, here)
    for second, longitude in ((76, 179.9999), (77, -179.9999), (78, -179.9998)):
        add(second, here._replace(longitude=longitude, level=9, made=MADE.index("RTK fixed")))
    return log.view()


def test_missing_positions_and_silence_split_a_track() -> None:
    assert [len(segment) for segment in segments(gappy())] == [10, 5, 3]
    assert [len(segment) for segment in segments(gappy(), every_s=5)] == [2, 1, 1]
    seconds = [((epoch.utc or 0) - BEGIN) // SECOND for segment in segments(gappy(), every_s=5) for epoch in segment]
    assert seconds == [0, 5, 11, 76]
    assert list(segments(track([]))) == []
    rare = EpochLog()
    for place in range(20):
        moment = BEGIN + 30 * place * SECOND
        rare.append(gappy()[0]._replace(arrived=moment, utc=moment))
    assert [len(segment) for segment in segments(rare.view())] == [1, 19], "rare epochs are no gaps once they are usual"


@pytest.mark.parametrize(
    ("level", "made", "altitude_m", "fix"),
    [
        ("2D", "single", 3.4, "2d"),
        ("single", "single", 3.4, "3d"),
        # RMC alone gives no height, and says of no dimension.
        ("single", "single", None, None),
        ("differential", "precise service", 3.4, "pps"),
        ("differential", "differential", None, "dgps"),
        ("RTK float", "RTK float", 3.4, "dgps"),
        ("estimated", "estimated", 3.4, None),
    ],
)
def test_gpx_names_a_fix_as_its_standard_does(
    level: str, made: str, altitude_m: float | None, fix: str | None, tmp_path: Path
) -> None:
    log = EpochLog()
    log.append(gappy()[0]._replace(level=LEVELS.index(level), made=MADE.index(made), altitude_m=altitude_m))
    write_tracks("gpx", [Track("curlew", segments(log.view()))], tmp_path / "track.gpx")
    (read,) = gpxpy.parse((tmp_path / "track.gpx").read_text()).tracks
    assert read.segments[0].points[0].type_of_gpx_fix == fix


@pytest.mark.parametrize("form", TRACKS)
def test_tracks_are_read_by_general_readers(form: str, tmp_path: Path) -> None:
    path = tmp_path / f"track.{form}"
    name = 'curlew <&"> 7'
    assert write_tracks(form, [Track(name, segments(gappy()))], path) == 18
    text = path.read_text()
    if form == "gpx":
        (read,) = gpxpy.parse(text).tracks
        assert (read.name, [len(segment.points) for segment in read.segments]) == (name, [10, 5, 3])
        point = read.segments[0].points[0]
        assert (point.latitude, point.longitude, point.elevation, point.geoid_height) == (-46.1173, -67.3067, 3.4, 11.2)
        assert (point.satellites, point.horizontal_dilution, point.type_of_gpx_fix) == (11, 0.8, "3d")
        assert point.time is not None and point.time.isoformat() == "2031-05-04T09:40:00+00:00"
        assert read.segments[2].points[0].type_of_gpx_fix == "dgps"
    elif form == "kml":
        root = ElementTree.fromstring(text)
        space = {"k": "http://www.opengis.net/kml/2.2"}
        assert root.findtext(".//k:Folder/k:name", namespaces=space) == name
        lines = root.findall(".//k:LineString/k:coordinates", space)
        # The last one is cut where it crosses 180°.
        assert [len((line.text or "").split()) for line in lines] == [10, 5, 2, 3]
        assert (lines[2].text or "").split()[1] == "180.000000000,-46.117300000,3.400"
        assert (lines[0].text or "").split()[0] == "-67.306700000,-46.117300000,3.400"
        assert len(root.findall(".//k:Point", space)) == len(root.findall(".//k:TimeStamp", space)) == 18
    elif form == "geojson":
        features = json.loads(text)["features"]
        lines_of = [each for each in features if each["geometry"]["type"] == "LineString"]
        points = [each for each in features if each["geometry"]["type"] == "Point"]
        assert [len(each["geometry"]["coordinates"]) for each in lines_of] == [10, 5]
        (cut,) = [each["geometry"]["coordinates"] for each in features if each["geometry"]["type"] == "MultiLineString"]
        assert [[place[0] for place in line] for line in cut] == [[179.9999, 180.0], [-180.0, -179.9999, -179.9998]]
        assert points[0]["geometry"]["coordinates"] == [-67.3067, -46.1173, 14.6], (
            "above the ellipsoid, as RFC 7946 asks"
        )
        assert points[0]["properties"]["fix"] == "single" and points[0]["properties"]["altitude_m"] == 3.4
    else:
        rows = list(csv.DictReader(text.splitlines()))
        assert [row["segment"] for row in rows] == ["1"] * 10 + ["2"] * 5 + ["3"] * 3
        assert (rows[0]["lane"], rows[-1]["fix"], rows[0]["satellites_used"]) == (name, "RTK fixed", "11")
        assert (float(rows[0]["latitude_deg"]), float(rows[0]["longitude_deg"])) == (-46.1173, -67.3067)


def one(**more: Any) -> Epochs:
    """One position."""
    log = EpochLog()
    log.append(gappy()[0]._replace(**more))
    return log.view()


def test_a_single_position_is_a_point_and_no_line(tmp_path: Path) -> None:
    for form in ("kml", "geojson"):
        path = tmp_path / f"one.{form}"
        assert write_tracks(form, [Track("curlew", segments(one()))], path) == 1
        assert "Point" in path.read_text() and "Line" not in path.read_text()


def test_an_unknown_height_is_not_sea_level(tmp_path: Path) -> None:
    path = tmp_path / "one.kml"
    write_tracks("kml", [Track("curlew", segments(one(altitude_m=None)))], path)
    assert "clampToGround" in path.read_text() and "absolute" not in path.read_text()
    assert "-67.306700000,-46.117300000<" in path.read_text()


def test_the_last_meridian_is_written_as_each_format_has_it(tmp_path: Path) -> None:
    path = tmp_path / "one.gpx"
    write_tracks("gpx", [Track("curlew", segments(one(longitude=180.0)))], path)
    assert gpxpy.parse(path.read_text()).tracks[0].segments[0].points[0].longitude == -180.0


@pytest.mark.parametrize("form", TRACKS)
def test_times_of_a_day_that_nobody_knows_are_not_written(form: str, tmp_path: Path) -> None:
    path = tmp_path / f"track.{form}"
    log = EpochLog()
    for second in range(3):
        log.append(gappy()[0]._replace(arrived=9 * 3600 * SECOND + second * SECOND, utc=None))
    assert write_tracks(form, [Track("log", segments(log.view()), dated=False)], path) == 3
    assert "1970" not in path.read_text() and "<time>" not in path.read_text()


def drawn(kind: str, epochs: list[Epoch], tmp_path: Path) -> str:
    log = EpochLog(None)
    for epoch in epochs:
        log.append(epoch)
    fix = BUOY.lane.fix._replace(track=log.view())
    save_chart(kind, replace(BUOY, lane=BUOY.lane._replace(fix=fix)), tmp_path / "c.svg")
    return (tmp_path / "c.svg").read_text()


def test_a_position_that_stands_out_is_drawn(tmp_path: Path) -> None:
    """Of many positions a step shows the range, not an average in which an outlier drowns."""
    here = gappy()[0]
    epochs = [
        here._replace(arrived=BEGIN + at * SECOND, utc=BEGIN + at * SECOND, latitude=-46.1173 + 0.001 * (at == 50_000))
        for at in range(60_000)
    ]
    times, latitude = np.arange(60_000), np.array([epoch.latitude for epoch in epochs])
    _, low, high = charts._enveloped(times, latitude)
    assert (low.min(), high.max()) == (latitude.min(), latitude.max())
    assert "60000 positions" in drawn("position", epochs, tmp_path)


def test_no_line_is_drawn_over_a_gap() -> None:
    times = np.array([0, 1, 2, 60, 61], dtype="int64") * SECOND
    filled, values = charts._with_gaps(times, np.arange(5.0))
    assert len(filled) == 6 and np.isnan(values[3]) and (np.diff(filled) > 0).all()


def test_what_nobody_reported_is_left_out(tmp_path: Path) -> None:
    here = gappy()[0]._replace(altitude_m=None)
    text = drawn("position", [here._replace(utc=BEGIN + at * SECOND) for at in range(9)], tmp_path)
    assert "north, m" in text and "above sea" not in text


@pytest.mark.parametrize("kind", ["position", "ribbon", "scatter"])
def test_a_day_that_nobody_knows_stands_on_no_chart(kind: str, tmp_path: Path) -> None:
    lane = Lane("log", raw=True)
    own = OwnTime()
    stream = b"".join(sentences(gga(second)) for second in range(90))
    lane.take(frame._replace(time=own.read(frame)) for frame in framed([stream], None))
    lane.finish()
    undated = ChartInput("log.nmea", lane.snapshot(own.time), dated=own.dated)
    save_chart(kind, undated, tmp_path / "c.svg")
    text = (tmp_path / "c.svg").read_text()
    assert "of a day that is not known" in text and "1970" not in text


def test_a_way_is_not_shown_as_a_scatter(tmp_path: Path) -> None:
    for speed, moving in ((4.0, True), (0.1, False)):
        way = [
            gappy()[0]._replace(utc=BEGIN + at * SECOND, latitude=-46.0 + at / 1e5, speed_knots=speed)
            for at in range(9)
        ]
        text = drawn("scatter", way, tmp_path)
        assert ("it was moving for most of the time" in text) == moving and "2031-05-04" in text


def test_all_positions_the_same_are_millimetres_apart_at_most(tmp_path: Path) -> None:
    text = drawn("scatter", [gappy()[0]._replace(utc=BEGIN + at * SECOND) for at in range(9)], tmp_path)
    assert "CEP50 0.000 m" in text and "e-1" not in text.partition("CEP50")[2][:40]


def test_nothing_is_written_where_there_is_no_position(tmp_path: Path) -> None:
    path = tmp_path / "t.gpx"
    path.write_text("what was there")
    assert write_tracks("gpx", [Track("curlew", segments(track([])))], path) == 0
    assert path.read_text() == "what was there"
    assert [each.name for each in tmp_path.iterdir()] == ["t.gpx"]
    with pytest.raises(Trouble, match="cannot be written"):
        write_tracks("csv", [], Path("/proc/no/t.csv"))


def test_a_receiver_without_a_date_is_drawn_by_arrival(tmp_path: Path) -> None:
    lane = fed([sentences(gga(second)) for second in range(30)])
    lane.finish()
    undated = replace(BUOY, lane=lane.snapshot(BEGIN + 30 * SECOND))
    save_chart("position", undated, tmp_path / "p.svg")
    assert "2031-05-04 09:40:00 to 09:40:29 UTC" in (tmp_path / "p.svg").read_text()


def test_all_lanes_are_drawn_on_one_axis(tmp_path: Path) -> None:
    from tests.core.test_time_picture import END, model_of, session

    from pale_heron.report.record_chart import RecordChartInput, save_record_chart

    seen = model_of(session()).published
    charted = RecordChartInput("a.pcapng", seen.lanes, seen.chronicle, seen.marks, BEGIN, END)
    save_record_chart("lanes", charted, tmp_path / "lanes.svg")
    drawn = (tmp_path / "lanes.svg").read_text()
    for words in ("received, B/s", "hide", "lane lost", "mark", "2 lanes", "in steps of 1.0 s"):
        assert words in drawn, words
    save_record_chart("lanes", charted, tmp_path / "again.svg")
    assert (tmp_path / "again.svg").read_bytes() == (tmp_path / "lanes.svg").read_bytes()
    with pytest.raises(NothingToDraw):
        save_record_chart(
            "lanes", RecordChartInput("a", (), seen.chronicle._replace(strips={}), (), 0, 0), tmp_path / "n.svg"
        )
