"""Charts of time: each says what it shows, with its sample, or what it lacks."""

from pathlib import Path
from xml.etree import ElementTree

import pytest
from tests.played_clocks import clocks

from pale_heron.core.clock.clock_object import ClockPicture
from pale_heron.core.trouble import Trouble
from pale_heron.report.clock_charts import CLOCK_KINDS, ClockChartInput, save_clock_chart
from pale_heron.report.kinds import CLOCK_CHARTS

TOLD = {
    "lag": ("After its second: curlew", "GNRMC: half by 1122 ms", "the next second begins", "how often"),
    "intervals": ("89 pulses, none missed", "µs more than a second", "87 intervals of the last 89 pulses"),
    "offset": ("ppm fast against it", "ms ahead", "89 pulses of sim:curlew"),
    "steadiness": ("Allan deviation", "spans up to 16 s", "89 pulses of 1 sources"),
}


@pytest.mark.parametrize("form", ["svg", "pdf"])
@pytest.mark.parametrize("kind", CLOCK_CHARTS)
def test_a_chart_says_what_the_clocks_did(kind: str, form: str, tmp_path: Path) -> None:
    charted = ClockChartInput("walk.pcapng", clocks(1.12, 40.0))
    path = tmp_path / f"chart.{form}"
    save_clock_chart(kind, charted, path)
    data = path.read_bytes()
    save_clock_chart(kind, charted, path)
    assert path.read_bytes() == data, "the same capture gives the same bytes"
    if form == "svg":
        words = " ".join(text for each in ElementTree.fromstring(data).iter() if (text := each.text or "").strip())
        assert all(each in words for each in (*TOLD[kind], "capture: walk.pcapng", "2031-04-26 20:00")), words


def test_where_there_is_nothing_it_says_what_is_needed(tmp_path: Path) -> None:
    assert set(CLOCK_KINDS) == set(CLOCK_CHARTS)
    for kind in CLOCK_CHARTS:
        with pytest.raises(Trouble, match=r"need|too few"):
            save_clock_chart(kind, ClockChartInput("x", ClockPicture(None, None, ())), tmp_path / "a.svg")
        with pytest.raises(Trouble, match="ending"):
            save_clock_chart(kind, ClockChartInput("x", clocks()), tmp_path / "a.gif")
