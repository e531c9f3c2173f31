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

LINK_CHARTS: Final = {
    "latency": "how long each probe or round took, over time and as a histogram",
    "delivery": "what became of all that was sent, over time, with outages",
    "throughput": "how fast payload came, against what the line carries",
    "reach": "delivery and strength by distance, and a map of where it was lost",
}
"""Of a trial of a link."""

CLOCK_CHARTS: Final = {
    "lag": "when each type of sentence comes after its second, over time and as a histogram",
    "intervals": "pulse intervals, over time and as a histogram",
    "offset": "this computer's clock against pulses, with its drift",
    "steadiness": "how steady it is over spans of time (Allan deviation)",
}
"""Of clocks."""

RECORD_CHARTS: Final = {"lanes": "all lanes on one axis of time, and what happened when"}
"""Of a whole record."""

TRACKS: Final = ("gpx", "kml", "geojson", "csv")
"""The formats that a track can be exported to."""

TABLES: Final = ("frames", "epochs", "exchanges", "lags", "events", "pulses", "marks", "trials", "probes")
TABLE_FORMATS: Final = ("csv", "jsonl")
"""What is written as tables, and how."""
