"""Tracks in open formats: GPX 1.1, KML 2.2, GeoJSON (RFC 7946), CSV (RFC 4180).

Only positions that stand by themselves are written; where some are missing between them the track is split. What order
and height each format asks for:

    GPX      latitude and longitude as attributes; elevation above mean sea level, geoid height beside it
    KML      longitude, latitude, altitude above sea level ("absolute")
    GeoJSON  longitude, latitude, height above the WGS 84 ellipsoid (left out where the separation is unknown)
    CSV      a column each, with its unit in its name
"""

import csv
import json
from array import array
from collections.abc import Callable, Iterable, Iterator
from datetime import UTC, datetime
from itertools import islice
from pathlib import Path
from typing import IO, TYPE_CHECKING, Final, NamedTuple
from xml.sax.saxutils import escape

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.epochs.log import Epoch, Epochs
from pale_heron.core.gnss.states import FIX_2D, MADE, is_fix
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import iso
from pale_heron.files.whole import written_whole

if TYPE_CHECKING:
    from gpxpy.gpx import GPXTrackPoint

Place = list[float]
"""Longitude, latitude, and a height where it is known."""

FLAT: Final = 2
HIGH: Final = 3
"""The numbers of a place without a height, and with one."""

HALF_TURN: Final = 180.0
LEAST_GAP_NS: Final = 3 * SECOND
POINTS_AT_A_TIME: Final = 1000
_GPX_FIX: Final = {
    **dict.fromkeys(("differential", "RTK float", "RTK fixed", "precise"), "dgps"),
    "precise service": "pps",
}
"""How GPX (fixType) names positions by how they were made; of a single one its dimension is said."""


class TrackSegment:
    """Positions without a gap between them: rows of epochs, each made where it is looked at, since a day has many."""

    def __init__(self, epochs: Epochs, rows: "array[int]") -> None:
        self._epochs = epochs
        self._rows = rows

    def __len__(self) -> int:
        return len(self._rows)

    def __iter__(self) -> Iterator[Epoch]:
        first, last = self._rows[0], self._rows[-1]
        left = iter(self._rows)
        wanted = next(left)
        for row, epoch in enumerate(self._epochs.part(first, last + 1), first):
            if row == wanted:
                yield epoch
                wanted = next(left, -1)


class Track(NamedTuple):
    """One lane's positions, in segments without gaps."""

    name: str
    segments: Iterable[TrackSegment]
    dated: bool = True
    """Whether its times are moments; a raw log that never gives a date has times of day alone, which are left out."""

    def written_time(self, epoch: Epoch) -> int | None:
        """The moment that is written with a position; None where none is known."""
        return moment_of(epoch) if self.dated else None

    def times(self, epoch: Epoch) -> dict[str, str | None]:
        """When it came by this computer's clock, and which moment the receiver told."""
        told = {"arrived_utc": epoch.arrived, "gnss_utc": epoch.utc}
        return {name: iso(moment) if moment is not None and self.dated else None for name, moment in told.items()}


def moment_of(epoch: Epoch) -> int | None:
    """Its own UTC, else when it came."""
    return epoch.utc if epoch.utc is not None else epoch.arrived


def segments(epochs: Epochs, every_s: float = 0.0) -> Iterator[TrackSegment]:
    """Runs of positions, split where positions are missing for more than three of their intervals (and 3 s).

    With `every_s` positions closer together than that are left out.
    """
    now = array("q")
    last: int | None = None
    before: int | None = None
    usual = 0
    for row, epoch in enumerate(epochs):
        moment = moment_of(epoch)
        gap = moment - last if moment is not None and last is not None else 0
        if now and (not epoch.has_position or gap < 0 or gap > max(LEAST_GAP_NS, 3 * usual)):
            yield TrackSegment(epochs, now)
            now, before = array("q"), None
        usual, last = gap, moment
        near = before is not None and moment is not None and moment - before < every_s * SECOND
        if epoch.has_position and not near:
            now.append(row)
            before = moment
    if now:
        yield TrackSegment(epochs, now)


def _gpx(tracks: list[Track], out: IO[str]) -> int:
    from gpxpy import gpx

    document, count = gpx.GPX(), 0
    document.creator = "pale-heron"
    head, end = document.to_xml(version="1.1").rsplit("</gpx>", 1)
    out.write(head)
    for track in tracks:
        out.write(f"<trk>\n<name>{escape(track.name)}</name>\n")
        for segment in track.segments:
            out.write("<trkseg>")
            out.writelines(_gpx_points(track, segment))
            out.write("</trkseg>\n")
            count += len(segment)
        out.write("</trk>\n")
    out.write(f"</gpx>{end}")
    return count


def _gpx_points(track: Track, segment: TrackSegment) -> Iterator[str]:
    """A piece of a segment at a time: a day of points as objects would fill the memory."""
    from gpxpy import gpx

    epochs = iter(segment)
    while some := list(islice(epochs, POINTS_AT_A_TIME)):
        part = gpx.GPXTrackSegment()
        part.points.extend(_gpx_point(epoch, track.written_time(epoch)) for epoch in some)
        document, holder = gpx.GPX(), gpx.GPXTrack()
        holder.segments.append(part)
        document.tracks.append(holder)
        yield document.to_xml(version="1.1").partition("<trkseg>")[2].rpartition("</trkseg>")[0].rstrip(" ")


def _gpx_point(epoch: Epoch, moment: int | None) -> "GPXTrackPoint":
    from gpxpy.gpx import GPXTrackPoint

    # GPX has longitudes from -180 up to 180, without that (longitudeType).
    longitude = -180.0 if epoch.longitude == HALF_TURN else epoch.longitude
    point = GPXTrackPoint(epoch.latitude, longitude, epoch.altitude_m)
    point.time = datetime.fromtimestamp(moment / SECOND, UTC) if moment is not None else None
    point.type_of_gpx_fix = _gpx_fix(epoch)
    point.satellites = epoch.used
    point.horizontal_dilution = epoch.hdop
    point.geoid_height = epoch.separation_m
    point.comment = epoch.state
    return point


def _gpx_fix(epoch: Epoch) -> str | None:
    """None where nobody says whether the position has a height, or where no satellites gave it."""
    if not is_fix(epoch.level):
        return None
    flat = "2d" if epoch.state == FIX_2D else None if epoch.altitude_m is None else "3d"
    return _GPX_FIX.get(MADE[epoch.made], flat)


def _kml(tracks: list[Track], out: IO[str]) -> int:
    count = 0
    out.write('<?xml version="1.0" encoding="UTF-8"?>\n<kml xmlns="http://www.opengis.net/kml/2.2"><Document>\n')
    for track in tracks:
        out.write(f"<Folder><name>{escape(track.name)}</name>\n")
        for number, segment in enumerate(track.segments, 1):
            if len(segment) > 1:
                out.write(f"<Placemark><name>{escape(track.name)} {number}</name><MultiGeometry>")
                out.writelines(_kml_lines(segment))
                out.write("</coordinates></LineString></MultiGeometry></Placemark>\n")
            for epoch in segment:
                count += 1
                out.write(_kml_point(epoch, track.written_time(epoch)))
        out.write("</Folder>\n")
    out.write("</Document></kml>\n")
    return count


def _kml_numbers(epoch: Epoch) -> Place:
    """Longitude, latitude, and the altitude above sea level where it is known."""
    assert epoch.longitude is not None and epoch.latitude is not None, "asked only of positions"
    place = [epoch.longitude, epoch.latitude]
    return place if epoch.altitude_m is None else [*place, epoch.altitude_m]


def _kml_lines(segment: TrackSegment) -> Iterator[str]:
    """Lines, but for the end of the last; one without a height somewhere lies on the ground, not at sea level."""
    high = all(epoch.altitude_m is not None for epoch in segment)
    places = (_kml_numbers(epoch)[: HIGH if high else FLAT] for epoch in segment)
    end = ""
    for begins, place in cut_at_date_line(places):
        start = f"{end}<LineString>{_altitude_mode(high=high)}<coordinates>" if begins else " "
        yield f"{start}{_kml_place(place)}"
        end = "</coordinates></LineString>"


def _altitude_mode(*, high: bool) -> str:
    return f"<altitudeMode>{'absolute' if high else 'clampToGround'}</altitudeMode>"


def _kml_place(place: Place) -> str:
    return ",".join([f"{place[0]:.9f}", f"{place[1]:.9f}", *(f"{height:.3f}" for height in place[2:])])


def _kml_point(epoch: Epoch, moment: int | None) -> str:
    place = _kml_numbers(epoch)
    mode = _altitude_mode(high=len(place) == HIGH)
    when = f"<TimeStamp><when>{iso(moment)}</when></TimeStamp>" if moment is not None else ""
    written = {"fix": epoch.state, "satellites": epoch.used, "hdop": epoch.hdop}
    data = "".join(
        f'<Data name="{name}"><value>{value}</value></Data>' for name, value in written.items() if value is not None
    )
    return (
        f"<Placemark>{when}<ExtendedData>{data}</ExtendedData><Point>{mode}"
        f"<coordinates>{_kml_place(place)}</coordinates></Point></Placemark>\n"
    )


def _geojson(tracks: list[Track], out: IO[str]) -> int:
    count = 0
    out.write('{"type": "FeatureCollection", "features": [\n')
    behind = ""
    for track in tracks:
        for number, segment in enumerate(track.segments, 1):
            if len(segment) > 1:
                out.write(behind)
                out.writelines(_line_feature(track.name, number, segment))
                behind = ",\n"
            for feature in _point_features(track, number, segment):
                out.write(f"{behind}{json.dumps(feature, ensure_ascii=False)}")
                behind = ",\n"
            count += len(segment)
    out.write("\n]}\n")
    return count


def _place(epoch: Epoch) -> Place:
    """Longitude, latitude, and the height above the ellipsoid where it is known."""
    assert epoch.longitude is not None and epoch.latitude is not None, "asked only of positions"
    place = [round(epoch.longitude, 9), round(epoch.latitude, 9)]
    if epoch.altitude_m is not None and epoch.separation_m is not None:
        place.append(round(epoch.altitude_m + epoch.separation_m, 3))
    return place


def _line_feature(name: str, number: int, segment: TrackSegment) -> Iterator[str]:
    """A line through all of it, or several where it crosses the date line; with heights where all are known."""
    high = all(len(_place(epoch)) == HIGH for epoch in segment)

    def lines() -> Iterator[tuple[bool, Place]]:
        return cut_at_date_line(_place(epoch)[: HIGH if high else FLAT] for epoch in segment)

    several = sum(begins for begins, _ in lines()) > 1
    feature = {
        "type": "Feature",
        "properties": {"lane": name, "segment": number, "positions": len(segment)},
        "geometry": {"type": "MultiLineString" if several else "LineString", "coordinates": []},
    }
    head, end = json.dumps(feature, ensure_ascii=False).rsplit("[]", 1)
    start, stop = ("[[", "]]") if several else ("[", "]")
    yield f"{head}{start}"
    between = ""
    for begins, place in lines():
        yield f"{'], [' if begins and between else between}{json.dumps(place)}"
        between = ", "
    yield f"{stop}{end}"


def cut_at_date_line(places: Iterable[Place]) -> Iterator[tuple[bool, Place]]:
    """Lines that do not cross 180° (RFC 7946, 3.1.9): where they would, one ends there and the next one begins.

    Every place, and whether a line begins with it.
    """
    before: Place | None = None
    for now in places:
        if before is None or abs(now[0] - before[0]) <= HALF_TURN:
            yield before is None, now
        else:
            side = HALF_TURN if before[0] > 0 else -HALF_TURN
            beyond = now[0] + 2 * side
            share = (side - before[0]) / (beyond - before[0]) if beyond != before[0] else 0.0
            rest = [start + share * (end - start) for start, end in zip(before[1:], now[1:], strict=False)]
            yield False, [side, *rest]
            yield True, [-side, *rest]
            yield False, now
        before = now


def _point_features(track: Track, number: int, segment: TrackSegment) -> Iterator[dict[str, object]]:
    for epoch in segment:
        yield {
            "type": "Feature",
            "properties": {
                "lane": track.name,
                "segment": number,
                **track.times(epoch),
                "fix": epoch.state,
                "satellites_used": epoch.used,
                "hdop": epoch.hdop,
                "altitude_m": epoch.altitude_m,
            },
            "geometry": {"type": "Point", "coordinates": _place(epoch)},
        }


_COLUMNS: Final = ("altitude_m", "separation_m", "used", "seen", "hdop", "cn0", "speed_knots", "course_deg", "error_m")
_HEADS: Final = (
    *(
        "lane",
        "segment",
        "arrived_utc",
        "gnss_utc",
        "fix",
        "latitude_deg",
        "longitude_deg",
        "altitude_m",
        "geoid_separation_m",
    ),
    *("satellites_used", "satellites_seen", "hdop", "cn0_best4_dbhz", "speed_knots", "course_deg", "expected_error_m"),
)


def _csv(tracks: list[Track], out: IO[str]) -> int:
    writer, count = csv.writer(out), 0
    writer.writerow(_HEADS)
    for track in tracks:
        for number, segment in enumerate(track.segments, 1):
            for epoch in segment:
                written = (_rounded(getattr(epoch, name)) for name in _COLUMNS)
                when = (each or "" for each in track.times(epoch).values())
                where = f"{epoch.latitude:.9f}", f"{epoch.longitude:.9f}"
                writer.writerow([track.name, number, *when, epoch.state, *where, *written])
                count += 1
    return count


def _rounded(value: float | None) -> float | str:
    return "" if value is None else round(value, 3)


WRITERS: Final[dict[str, Callable[[list[Track], IO[str]], int]]] = {
    "gpx": _gpx,
    "kml": _kml,
    "geojson": _geojson,
    "csv": _csv,
}


def write_tracks(form: str, tracks: list[Track], path: Path) -> int:
    """Write a file whole or not at all; gives the number of positions. Raises Trouble where it cannot be written."""
    try:
        with written_whole(path) as fresh:
            with fresh.open("w", encoding="utf-8", newline="") as out:
                count = WRITERS[form](tracks, out)
            if not count:
                fresh.unlink()
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Choose another place") from None
    return count
