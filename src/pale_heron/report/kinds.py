"""The kinds of charts, known without loading what draws them."""

from typing import Final

CHARTS: Final = {
    "sky": "the satellites over the antenna, with trails",
    "scatter": "positions about their mean or a reference",
    "ribbon": "the session: state, satellites used, C/N0, outages, starts, marks",
    "signal": "C/N0 of every satellite over time",
    "position": "position and height over time",
    "comparison": "two receivers over the same moments",
}

TRACKS: Final = ("gpx", "kml", "geojson", "csv")
"""The formats that a track can be exported to."""
