"""What the pages of Fix say, without a screen."""

import dataclasses

import pytest
from tests.painted import looked, opened, snapshot
from tests.streams import BEGIN, GGA, chunk, fed, gga, said, sentences

from pale_heron.core.frames import SECOND
from pale_heron.core.gnss.earth.points import Point
from pale_heron.core.lane import Lane
from pale_heron.sim.scenes import SCENES, Scene
from pale_heron.tui.painting.paint import plain
from pale_heron.tui.views.fix import fix
from pale_heron.tui.views.fix.choices import PAGES, FixChoices
from pale_heron.tui.views.fix.ribbon import SHAPES


def page(name: str, *lanes: Lane, seconds: float, width: int = 114, reference: Point | None = None) -> str:
    """The whole text of a page, so many seconds after the start."""
    shown = snapshot(*lanes, now=BEGIN + int(seconds * SECOND))
    return plain(fix.paint(shown, shown.lanes[0], looked(shown, name, reference), width, 36))


def played(name: str, seconds: int, seed: int = 7) -> Lane:
    return opened(fed(said(seconds, SCENES[name], seed), name))


def test_three_notations_and_the_raw_digits_stand_together() -> None:
    text = page("now", opened(fed([GGA])), seconds=1)
    for words in ("-46.1173000°", "067°18.40000′ W", "46°07′02.28″ S", "4607.03800,S   06718.40000,W", "GNGGA 1.0 s"):
        assert words in text
    assert "3.4 m above sea level" in text
    assert "14.6 m above ellipsoid, geoid +11.2 m" in text


def test_a_lost_position_stays_with_its_age_and_says_why() -> None:
    assert "empty now GNGGA 7.0 s" in page("now", played("saltmarsh", 92), seconds=92)


def test_every_sentence_that_says_something_of_the_fix_is_quoted() -> None:
    text = page("now", played("open-sky", 40), seconds=40)
    assert "decided by GGA, GSA" in text
    for words in ("GGA quality 1, single", "RMC status A, mode A, single", "GSA 3D"):
        assert words in text


def test_rest_claims_scatter_and_motion_does_not() -> None:
    assert "so no scatter is claimed" in page("now", played("open-sky", 60), seconds=60)
    stream = [sentences(gga(s, f"4607.0380{s % 7},S,06718.4000{s % 5},W")) for s in range(40)]
    assert "Half of the last 39 positions lie within 4 cm" in page("now", opened(fed(stream)), seconds=40)


def test_the_scatter_page_tests_the_claim_and_measures_from_a_reference() -> None:
    lane = played("at-rest", 170)
    text = page("scatter", lane, seconds=170)
    for words in (
        "CEP50",
        "CEP95",
        "2DRMS",
        "vertical 95 %",
        "independent",
        "RMS 85 cm expected",
        "excellent (below 2)",
    ):
        assert words in text
    away = page("scatter", lane, seconds=170, reference=Point(-46.1, -67.3, 9.0))
    assert "REFERENCE" in away and "1.9 km towards" in away


def test_the_session_page_tells_starts_and_outages() -> None:
    text = page("session", played("saltmarsh", 120), seconds=120)
    for words in (
        "cold, announced by the receiver",
        "first fix after 14 s",
        "satellite seen",
        "OUTAGES  1, 9.0 s in all",
    ):
        assert words in text
    waiting = page("session", played("saltmarsh", 9), seconds=9)
    assert "and waiting for: satellite used" in waiting


def test_two_receivers_on_one_buoy_stand_side_by_side() -> None:
    first, second = played("open-sky", 90), played("second-antenna", 90, 8)
    text = page("pair", first, second, seconds=90)
    assert "from open-sky to second-antenna" in text
    assert "13:40:14" not in text and "09:40:14 first" in text
    assert "62 moments" in text
    assert "there is one lane only" in page("pair", first, seconds=90)


def test_the_satellite_page_marks_an_incomplete_list() -> None:
    lane = played("open-sky", 40)
    lane.feed(chunk(sentences("GPGSV,3,1,12,01,40,100,44,1", "GPGSV,3,3,12,09,40,100,44,1"), BEGIN + 40 * SECOND))
    text = page("satellites", lane, seconds=40)
    assert "✕ incomplete: GPGSV" in text
    assert "BeiDou" in text and "°" in text


def test_what_does_not_fit_is_said_with_its_evidence() -> None:
    text = page("now", played("wrong-date", 60), seconds=60)
    assert "The date is wrong by 1 × 1024 weeks." in text
    assert "The date jumped while the receiver ran." in text


def test_the_ribbon_shows_the_shortest_outage() -> None:
    lane = opened(fed(said(300, Scene("", start="hot", bridge_every_s=100, bridge_s=1))))
    ribbon = page("now", lane, seconds=300).splitlines()[-1]
    assert ribbon.count(SHAPES["time only"][0]) >= 3
    assert len(ribbon) == 114


def test_a_column_of_the_ribbon_leads_to_its_moment() -> None:
    lane = played("saltmarsh", 120)
    shown = snapshot(lane, now=BEGIN + 120 * SECOND)
    look = dataclasses.replace(looked(shown), moment=BEGIN + 90 * SECOND)
    rows = fix.paint(shown, shown.lanes[0], look, 114, 36)
    assert plain(rows[-1:]).startswith("09:41:30 worst within")
    assert "time only" in plain(rows[-1:])
    (lit,) = [span for span in rows[-2] if "@select" in span.role]
    assert lit.action is not None
    (moment,) = lit.action.arguments
    assert abs(moment - BEGIN - 90 * SECOND) < 2 * SECOND


@pytest.mark.parametrize("name", PAGES)
@pytest.mark.parametrize("size", [(73, 24), (114, 36), (172, 54)])
@pytest.mark.parametrize("lane", [Lane("empty"), played("rtk", 120), fed([GGA])])
def test_every_page_fits_every_size(name: str, size: tuple[int, int], lane: Lane) -> None:
    shown = snapshot(lane, lane, now=BEGIN + 120 * SECOND)
    rows = fix.paint(shown, shown.lanes[0], looked(shown, name), *size)
    assert len(rows) == size[1]
    assert max(len(row) for row in plain(rows).splitlines()) <= size[0]
    assert fix.paint(shown, shown.lanes[0], FixChoices(page=name), *size)
