"""What the views say, without a screen."""

import random
import re
from types import SimpleNamespace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.painted import looked, opened, snapshot
from tests.streams import BEGIN, GGA, HOSTILE, RTCM, fed, framed, said

from pale_heron.answers.fix import fix_answer
from pale_heron.answers.line import line_answer
from pale_heron.bench.scrollback.selection import Selection
from pale_heron.bench.snapshot import CaptureState, ReplayState
from pale_heron.core import figures
from pale_heron.core.frames import BY_USER, IN, OUT, SECOND, Chunk, Direction, Event
from pale_heron.core.lane import Lane
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.nmea.sentence import sealed
from pale_heron.core.proof.marks import Mark
from pale_heron.core.runs import Entry
from pale_heron.core.wire.visible import safe_label, safe_text
from pale_heron.ports.listing import Port
from pale_heron.ports.watch import SeenPort
from pale_heron.sim.scenes import SCENES
from pale_heron.tui.actions.table import ACTIONS, working
from pale_heron.tui.painting import shell, timebar
from pale_heron.tui.painting.dots import Dots
from pale_heron.tui.painting.paint import (
    Line,
    Span,
    beside,
    cells,
    cut,
    ends,
    fitted,
    line,
    padded,
    plain,
    width_of,
    wrapped,
)
from pale_heron.tui.screens import ports as ports_screen
from pale_heron.tui.screens.help import help_lines
from pale_heron.tui.screens.selecting import SelectionPanel
from pale_heron.tui.theme import PALETTES, style_of, theme_names
from pale_heron.tui.views.fix import fix
from pale_heron.tui.views.fix.choices import PAGES
from pale_heron.tui.views.line import line as line_view
from pale_heron.tui.views.panels.ports import PlugGuide
from pale_heron.tui.views.table import VIEWS
from pale_heron.tui.views.traffic import detail, latest, traffic
from pale_heron.tui.views.traffic.detail import DetailInput

WIDTHS = (72, 114, 172)
SURVEY = {
    "begin": BEGIN,
    "end": BEGIN + 60 * SECOND,
    "troubles": (BEGIN,),
    "surveyed": True,
}


LANES = {
    "datum": (opened(fed([GGA + sealed("GPDTM,W72,,0.0,N,0.0,E,0.0,W84")] * 30)), 30),
    "nothing": (Lane("curlew"), 5),
    "cold": (opened(fed(said(3))), 3),
    "time": (opened(fed(said(8))), 8),
    "seen": (opened(fed(said(12))), 12),
    "3D": (opened(fed(said(40))), 40),
    "outage": (opened(fed(said(92, SCENES["saltmarsh"]))), 92),
    "at rest": (opened(fed([GGA.replace(b"094107.00", b"0941%02d.00" % s)[:-5] + b"\r\n" for s in range(30)])), 30),
    "garbage": (opened(fed([bytes(range(128, 256)) * 4, b"\n"])), 1),
    "no end": (opened(fed([b"hello, is anybody there"])), 0),
    "text": (opened(fed([b"hello\r\n" * 30])), 1),
    "silent": (opened(fed(said(20))), 60),
    "wide letters": (opened(fed(said(12), "湿地の鳥の小屋の長い名前の鳥の小屋の長い名")), 12),
    "hostile": (opened(fed([HOSTILE * 3, b"$GP" + HOSTILE])), 2),
    "bad": (opened(fed([GGA.replace(b"46", b"47")] * 3)), 3),
}


REPLAYED = ReplayState(playing=True, speed=10, share=0.25, ended=False, torn="the file ends", seeking=False, **SURVEY)


@pytest.mark.parametrize("name", LANES)
@pytest.mark.parametrize("width", WIDTHS)
def test_no_view_is_wider_than_its_room(name: str, width: int) -> None:
    lane, seconds = LANES[name]
    shown = snapshot(lane, now=BEGIN + seconds * SECOND)
    blocks = [
        line_view.paint(shown, shown.lanes[0], width),
        *(fix.paint(shown, shown.lanes[0], looked(shown, page), width, 36) for page in PAGES),
        traffic.head(shown, traffic.HeadState(new=12, held_at=BEGIN, selection="trouble only", note="looking"), width),
        latest.paint(latest.rows_of(shown, Selection()), 0, shown.now, width),
        [timebar.bar(shown._replace(replay=REPLAYED), width)],
        [timebar.bar(shown._replace(replay=REPLAYED._replace(surveyed=False)), width)],
        [shell.tabs("fix", shell.folded_lane(shown, shown.lanes[0], 0), width)],
        shell.rail(shown, 0, 30),
        [shell.head(shown, width), shell.tabs("fix"), shell.foot("traffic", False, width)],
    ]
    for rows, limit in zip(blocks, (*(width,) * (len(blocks) - 2), 25, width), strict=True):
        for row in rows:
            assert width_of(row) <= limit, plain([row])
            assert plain([row]).isprintable()


ANSWERS = {
    "nothing": ("Nothing yet: 0 bytes in 5.0 s", "Unknown: no sentence"),
    "cold": ("Yes: 100.0 %", "No fix yet, after 3.0 s of a cold start: 0 satellites seen, 0 used. Waiting for: time"),
    "time": ("Yes:", "Time is known, the position is not yet, after 8.0 s of a cold start: "),
    "3D": ("The line is", "3D fix for "),
    "outage": ("Yes:", "The fix has been lost for "),
    "at rest": ("Sentences, unchecked: 30 sentences", "Fix for 30 s: 11 satellites used, HDOP 0.8, single"),
    "garbage": ("Bytes arrive, but they are not legible: 0 % of the last 512 bytes are, at 9600 8N1.", "Unknown"),
    "text": ("Legible, but no sentence: 30 lines", "Unknown"),
    "no end": ("Bytes arrive, but no line has ended yet: 23 B", "Unknown"),
    "silent": ("Not any more: silent for 41 s", "Unknown now: the lane has been silent for 41 s; it said 3D last"),
    "datum": ("Yes:", "11 satellites used, HDOP 0.8, single, but not in WGS 84: W72. "),
    "bad": ("No: 0.0 % of 3", "Unknown"),
}


@pytest.mark.parametrize(("name", "expected"), ANSWERS.items())
def test_answers_in_words(name: str, expected: tuple[str, str]) -> None:
    lane, seconds = LANES[name]
    shown = snapshot(lane, now=BEGIN + seconds * SECOND)
    assert expected[0] in line_answer(shown, shown.lanes[0]).text
    assert expected[1] in fix_answer(shown, shown.lanes[0], looked(shown).scatter).text


ENTRIES: list[Entry] = [
    *framed([GGA, HOSTILE, RTCM, bytes(range(200, 256)), GGA.replace(b"46", b"47"), b"$GP" + HOSTILE, b"> "]),
    Event(BEGIN, "curlew", "lost", {"reason": HOSTILE.decode("latin-1")}),
    Event(BEGIN, "", "mark", {"text": "under the bridge"}),
    Event(BEGIN, "", "never heard of", {}),
]


@pytest.mark.parametrize("width", WIDTHS)
@pytest.mark.parametrize("entry", [*ENTRIES, None])
def test_traffic_rows_and_details_fit_and_are_printable(entry: Entry | None, width: int) -> None:
    for chosen in (False, True):
        row = traffic.row_of(entry, ENTRIES[0], traffic.ListStyle(lanes=2), width, chosen, False)
        assert width_of(row) <= width
        assert not chosen or entry is None or width_of(row) == width
        assert plain([row]).isprintable()
    for row in detail.paint(DetailInput(entry), width, 14):
        assert width_of(row) <= width
        assert plain([row]).isprintable()


def test_traffic_tells_damage_with_what_was_expected() -> None:
    (frame,) = framed([GGA.replace(b"46", b"47")], BEGIN)
    text = plain([traffic.row_of(frame, None, traffic.ListStyle(), 110, False, False)])
    assert text.startswith("✕ 09:40:00.000")
    assert "checksum 79 found, 78 expected" in text
    assert "checksum 79  expected 78" in plain(detail.paint(DetailInput(frame), 110, 14))


def test_bytes_stand_beside_fields() -> None:
    (frame,) = framed([GGA], BEGIN)
    text = plain(detail.paint(DetailInput(frame), 110, 14))
    assert "fix quality" in text
    assert "single" in text
    assert "24 47 4E 47 47 41 2C 30  $GNGGA,0" in text


def test_the_rail_shows_many_lanes_around_the_chosen_one() -> None:
    lanes = [opened(Lane(f"lane {number}")) for number in range(16)]
    shown = snapshot(*lanes, now=BEGIN + SECOND)
    text = plain(shell.rail(shown, 9, 38))
    assert "lane 9" in text
    assert "and 10 more" in text


def test_a_lane_that_was_closed_here_is_not_said_to_have_fallen_silent() -> None:
    lane = opened(fed([*said(40), b"$GPXXX*00\r\n" * 9]))
    assert snapshot(lane, now=BEGIN + 41 * SECOND).lanes[0].findings
    lane.event(Event(BEGIN + 40 * SECOND, "curlew", "closed", {"by": BY_USER}))
    shown = snapshot(lane, now=BEGIN + 90 * SECOND)
    seen = shown.lanes[0]
    assert line_answer(shown, seen).text.startswith("Closed here: its port is free for others; ")
    assert "the lane has been closed for" in fix_answer(shown, seen, looked(shown).scatter).text
    assert not seen.findings
    assert "closed" in plain(shell.rail(shown, 0, 30))
    assert "X opens" not in line_answer(shown._replace(replay=REPLAYED), seen).text
    lane.event(Event(BEGIN + 91 * SECOND, "curlew", "opened", {}))
    assert snapshot(lane, now=BEGIN + 92 * SECOND).lanes[0].opening == "open"


@pytest.mark.parametrize("name", ["鴎", "湿地の鳥の小屋の長い名前", "e\u0301tang", "Пустельга", "plain", ""])
def test_letters_of_any_width_leave_the_columns_where_they_are(name: str) -> None:
    lane = Lane(name or "x", role=name)
    for row in shell.rail(snapshot(opened(lane, role=name), now=BEGIN + SECOND), 0, 38):
        assert not row or width_of(row) in (1, shell.RAIL_WIDTH - 1, len(" + lane"), len(" X close  w save bench"))
    assert {cells(fitted(name, width)) for width in range(12)} == set(range(12))
    assert [width_of(padded(line(name, ("behind", "quiet")), width)) for width in range(1, 30)] == [*range(1, 30)]
    assert all(width_of(row) <= 9 for row in wrapped(line(f"{name} and {name}"), 9))


def test_the_record_is_told_loudly_where_there_is_none() -> None:
    shown = snapshot(Lane("curlew"))
    assert "capture 1.9 MB  0.0 s  saltmarsh.pcapng" in plain([shell.head(shown, 142)])
    none = shown._replace(capture=CaptureState("", 0, ""))
    assert "no record is kept" in plain([shell.head(none, 142)])
    full = shown._replace(capture=CaptureState("/x", 5, "No space left on device; 5 bytes are kept in /x"))
    assert "nothing is recorded now: No space left" in plain([shell.head(full, 142)])
    state = REPLAYED
    replay = shown._replace(replay=state)
    reading = shown._replace(replay=state._replace(surveyed=False))
    assert plain([timebar.bar(reading, 80)]).endswith("… seen ")
    assert "playing × 10  torn  replay of 2031-05-04  25 % of 1.9 MB  the file ends" in plain([shell.head(replay, 142)])
    assert "  torn  " in plain([shell.head(replay, 80)]), "however narrow the window is"
    head = traffic.head(shown, traffic.HeadState(), 40)
    assert [width_of(row) <= 40 for row in head] == [True] * 3


def test_ports_are_painted_with_state_and_way_out() -> None:
    port = Port("/dev/ttyUSB0", "serial adapter", "", "1209:0001", "A1", "1-2", "no permission", "Join its group: x")
    seen = [SeenPort(port, None, None), SeenPort(port._replace(device="/dev/ttyUSB1"), None, 7.0)]
    text = plain(ports_screen.paint(seen, 0, LineSettings(), 10.0, PlugGuide(), 114))
    for words in ("/dev/ttyUSB0", "1209:0001", "no permission", "Join its group", "9600 8N1", "went 3.0 s ago"):
        assert words in text
    assert "pale-heron sim curlew" in plain(ports_screen.paint([], 0, LineSettings(), 10.0, PlugGuide(), 114))


@given(st.binary(max_size=80))
def test_safe_text_is_one_printable_column_a_byte(data: bytes) -> None:
    text = safe_text(data)
    assert len(text) == len(data)
    assert text.isprintable()


@given(st.text(max_size=40))
def test_safe_labels_are_printable(text: str) -> None:
    assert safe_label(text).isprintable()


spans = st.lists(st.tuples(st.text("ab ·", max_size=30), st.just("text")), max_size=6).map(lambda parts: line(*parts))


@given(spans, spans, st.integers(1, 60))
def test_lines_keep_to_their_width(one: Line, other: Line, width: int) -> None:
    assert width_of(cut(one, width)) <= width
    assert width_of(padded(one, width)) == width
    assert width_of(ends(one, other, width)) <= width
    room = width - width_of(other)
    if 0 < room < width_of(one):
        assert "".join(span.text for span in ends(one, other, width))[room - 1] == " ", "what is cut touches nothing"
    elif room > 0:
        assert plain([ends(one, other, width)]).startswith(plain([one])), "what just fits is whole"
    assert all(width_of(row) <= width for row in wrapped(one, width))
    assert width_of(beside([([one], width), ([other], width)])[0]) <= 2 * width + 2


def test_wrapping_keeps_every_word() -> None:
    row = line(("Yes: ", "*reed"), "98.7 % of 1 204", (" lines", "quiet"), " are valid.")
    for width in range(8, 60):
        words = " ".join(plain([each]).strip() for each in wrapped(row, width))
        assert words.split() == plain([row]).split()


FIGURES = [
    (figures.duration(None), "–"), (figures.duration(0.44), "0.4 s"), (figures.duration(41), "41 s"),
    (figures.duration(252), "4 min 12 s"), (figures.duration(11_220), "3 h 07 min"),
    (figures.duration(59.7), "1 min 00 s"),
    (figures.share(0.99999, 1), "99.9 %"), (figures.share(1.0, 1), "100.0 %"), (figures.share(None), "–"),
    (figures.rate(612), "612 B/s"), (figures.size(1_900_000), "1.9 MB"), (figures.count(1204), "1 204"),
    (figures.difference(41_000_000), "+0.041"), (figures.difference(-2_000_000_000), "-2.000"),
    (figures.difference(15_000_000_000), "+15.0"), (figures.difference(None), ""), (figures.metres(None), "–"),
    (figures.distance(1.13), "1.1 m"), (figures.distance(0.042), "4 cm"), (figures.distance(0.003), "3 mm"),
]  # fmt: skip


@pytest.mark.parametrize(("shown", "expected"), FIGURES)
def test_figures(shown: str, expected: str) -> None:
    assert shown == expected


def test_every_action_is_there_and_no_key_is_taken_twice_in_one_place() -> None:
    for action in ACTIONS:
        assert action.help and action.label
    for view in VIEWS:
        for replay in (False, True):
            keys = [action.key for action in working(view, replay)]
            assert len(keys) == len(set(keys))
            assert "KEYS HERE" in plain(help_lines(view, replay, 70))


def test_both_palettes_have_every_role_and_contrast_with_their_ground() -> None:
    assert len({tuple(palette) for palette in PALETTES.values()}) == 1
    for palette in PALETTES.values():
        for role in ("text", "quiet", "heron", "amber", "reed", "coral", "tide", "heather"):
            assert _contrast(palette[role], palette["ground"]) >= 4.5, role
    assert theme_names("truecolor") == ("heron-dark", "heron-light")
    assert theme_names("256") == ("heron-dark-256", "heron-light-256")
    assert style_of("heron-dark", "*amber@select", "ground").bold


def _contrast(one: str, other: str) -> float:
    """Of two colours, by WCAG 2."""

    def luminance(colour: str) -> float:
        parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
        linear = [part / 12.92 if part <= 0.03928 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    light, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def test_a_drawing_puts_dots_and_words_where_they_belong() -> None:
    dots = Dots(4, 2)
    dots.dot(0, 0, "tide")
    dots.dot(7, 7, "tide")
    dots.dot(99, -1, "tide")
    dots.word(4, 0, "N", "text")
    assert plain(dots.lines()) == "⠁ N \n   ⢀"
    chance = random.Random(1)
    for _ in range(100):
        dots.line(chance.uniform(-9, 9), chance.uniform(-9, 9), chance.uniform(-9, 19), chance.uniform(-9, 19), "tide")
    assert [width_of(row) for row in dots.lines()] == [4, 4]
    assert Span("x") == Span("x", "text", None)


def test_what_changed_in_the_latest_line_is_lit_while_it_is_fresh() -> None:
    lane = fed([GGA, GGA.replace(b"094107", b"094108")])
    for later, lit in ((1, ["094108.00"]), (9, [])):
        shown = snapshot(lane, now=BEGIN + later * SECOND)
        (row,) = latest.paint(latest.rows_of(shown, Selection()), 9, shown.now, 140)[1:]
        assert [span.text for span in row if span.role == "*text" and span.text != "79"] == lit
    assert latest.rows_of(snapshot(lane), Selection(hidden_types=frozenset({"GNGGA"}))) == []


def test_the_time_bar_tells_marks_troubles_and_goes_where_it_is_clicked() -> None:
    shown = snapshot(Lane("curlew"), now=BEGIN + 30 * SECOND)._replace(replay=REPLAYED, marks=(Mark(BEGIN, "bridge"),))
    row = timebar.bar(shown, 100)
    assert "▾" in plain([row])
    middle = next(span for span in row if span.text == "●")
    assert abs(middle.action.arguments[0] - (BEGIN + 30 * SECOND)) < SECOND
    assert timebar.bar(snapshot(Lane("curlew")), 100) == ()


@pytest.mark.parametrize("base", detail.BASES)
def test_bytes_in_every_base_can_be_read_back(base: str) -> None:
    (frame,) = framed([bytes(range(200, 256)) + b"\n"], BEGIN)
    text = plain(detail.paint(DetailInput(frame, base=base), 70))
    first = {"hex": "C8 C9", "decimal": "200 201", "binary": "11001000 11001001", "text": "··"}[base]
    assert first in text
    assert detail.BASES[base].tag in text


COPIES = {"text": "$GNGGA,094107.00", "hex": "24 47 4e", "json": '"sentence": "GGA"'}


@pytest.mark.parametrize(("form", "words"), COPIES.items())
def test_a_line_is_copied_in_every_form(form: str, words: str) -> None:
    (frame,) = framed([GGA], BEGIN)
    assert words in detail.copied(frame, form)
    told = detail.copied(Event(BEGIN, "", "mark", {"text": "\x1b[2J"}), form)
    assert told.isprintable()


@pytest.mark.parametrize(
    ("seconds", "words"), [(0.04125, "+0.041"), (-2, "-2.000"), (252.0411, "+4:12.041"), (3852.041, "+1:04:12.041")]
)
def test_times_since_a_moment(seconds: float, words: str) -> None:
    assert figures.since(seconds) == words


def test_orders_are_told_in_words_not_as_lists() -> None:
    steps = ["send $PHRN,RATE,500: acknowledged after 12 ms", "listen: nothing valid within 3 s"]
    told = Event(BEGIN, "curlew", "told", {"what": "change the line rate", "done": False, "steps": steps})
    rows = [plain([row]) for row in detail.paint(DetailInput(told), 110)]
    assert [row.split("  ")[-1].strip() for row in rows if "send" in row or "listen" in row] == steps
    assert not any("[" in row or "'" in row for row in rows)
    shown = plain([traffic.row_of(told, None, traffic.ListStyle(), 150, False, False)])
    assert "change the line rate: not done, listen: nothing valid within 3 s" in shown


@given(st.integers(0, 60), st.integers(2, 40), st.integers(0, 80))
def test_what_has_no_room_is_told_and_can_be_reached(count: int, room: int, first: int) -> None:
    rows = [line((f"row {number}", "text")) for number in range(count)]
    shown = fix.folded(list(rows), first, room)
    assert len(shown) == min(count, room)
    text = plain(shown)
    if count <= room:
        assert shown == rows
    else:
        above = min(first, count - room)
        assert (f"▴ {above + 1} lines above" in text) is bool(above)
        assert (f"▾ {count - above - room + 1} lines more" in text) is (count - above - room > 0)


@pytest.mark.parametrize("page", ["scatter", "session"])
@pytest.mark.parametrize("name", ["at rest", "outage", "3D"])
def test_no_figure_of_fix_is_cut_on_a_small_screen(page: str, name: str) -> None:
    lane, seconds = LANES[name]
    shown = snapshot(lane, now=BEGIN + seconds * SECOND)
    text = plain(fix.paint(shown, shown.lanes[0], looked(shown, page), 73, 300))
    # Behind a blank it says of an outage that it lasts.
    assert not re.findall(r".*[^ ]….*", text)


@pytest.mark.parametrize(
    ("heard", "words"),
    [
        ([(OUT, b"41\r\n"), (IN, b"141\r\n")], "It speaks when it is asked: 1 of 1 line answered, silent for"),
        ([(IN, b"marsh-7 login: ")], "A prompt waits to be answered: silent for"),
        (
            [(OUT, b"hatch\r\n"), (IN, b"hatch\r\n")],
            "It speaks when it is asked: 1 line came back as sent, nothing else",
        ),
        ([(IN, b"gate 4 open\r\n")], "Not any more: silent for"),
    ],
)
def test_silence_of_what_speaks_when_asked_is_told_as_that(heard: list[tuple[Direction, bytes]], words: str) -> None:
    lane = opened(Lane("board", LineSettings(9600), address="/dev/x"))
    for at, (direction, data) in enumerate(heard):
        lane.feed(Chunk("board", direction, BEGIN + at * SECOND // 10, data))
    lane.tick(BEGIN + 60 * SECOND)
    shown = snapshot(lane, now=BEGIN + 60 * SECOND)
    assert words in line_answer(shown, shown.lanes[0]).text


@pytest.mark.parametrize(
    ("seconds", "words"), [(3, "3.0 s"), (59.7, "59 s"), (123, "2 min"), (4021, "1 h"), (360_000, "100 h")]
)
def test_an_age_keeps_within_its_column(seconds: float, words: str) -> None:
    lane = opened(fed([GGA]))
    now = BEGIN + round(seconds * SECOND)
    rows = plain(line_view.paint(snapshot(lane, now=now), lane.snapshot(now), 114)).splitlines()
    row = next(each for each in rows if each.startswith("GNGGA"))
    assert row[:58].endswith(f"{words:>8}{'0':>6}"), row


DEEP: list[Any] = []
for _ in range(900):
    DEEP = [DEEP]
DETAILS = [
    ({"rates": [[9600, 8, True], [115200, 3, False]]}, "rates 9600, 8, yes, 115200, 3, no"),
    ({"settings": {"rate": 9600, "flow_in": None}}, "settings rate 9600, flow in none"),
    ({"reason": HOSTILE.decode("latin-1")}, "reason "),
    ({"deep": DEEP}, "deep …"),
]


@pytest.mark.parametrize(("details", "words"), DETAILS)
def test_what_an_event_carries_is_said_in_words(details: dict[str, Any], words: str) -> None:
    event = Event(BEGIN, "curlew", "rates-tried", details)
    copied = detail.copied(event, "text")
    assert words in copied and "rates were tried" in copied
    listed = plain([traffic.row_of(event, None, traffic.ListStyle(), 100, chosen=False, marked=False)])
    for text in (copied, listed, *plain(detail.paint(DetailInput(event), 80)).splitlines()):
        assert text.isprintable()
        assert "reason" in details or not set("{}[]'") & set(text)


def test_lines_of_one_type_that_tell_different_things_stand_apart() -> None:
    lane = opened(fed(said(40, SCENES["at-rest"])))
    found = {each.tally.type: each.tally for each in latest.rows_of(snapshot(lane), Selection())}
    systems = [name for name in found if name.startswith("GNGSA")]
    assert systems == ["GNGSA system 1", "GNGSA system 2", "GNGSA system 3", "GNGSA system 4"]
    views = [name for name in found if name.startswith("GPGSV")]
    assert "GPGSV 1/2 signal 1" in views or "GPGSV 1/3 signal 1" in views
    newest = found["GNGSA system 4"].latest
    assert newest is not None and b",4*" in newest.data
    (whole,) = [each for each in lane.snapshot(BEGIN).line.types if each.type == "GNGSA"]
    assert sum(found[name].count for name in systems) == whole.count - whole.bad
    assert "GNRMC" in found
    assert {found[name].hz for name in systems} == {None}, "the rate is that of all systems together"


def test_the_list_of_types_stays_in_its_order_while_it_is_open() -> None:
    counts = {"GNGGA": 5, "GNRMC": 4}
    lanes = SimpleNamespace(lanes=())
    panel = SelectionPanel(lambda: lanes, Selection, lambda _: None)

    def types() -> list[str]:
        tallies = [SimpleNamespace(type=name, count=count) for name, count in counts.items()]
        lanes.lanes = (SimpleNamespace(line=SimpleNamespace(types=tallies, sent_types=())),)
        return [name for name, _ in panel._types()]

    assert types()[:2] == ["GNGGA", "GNRMC"]
    counts |= {"GNRMC": 9, "GNZDA": 20}
    assert types()[:3] == ["GNGGA", "GNRMC", "GNZDA"]


def test_a_lane_that_only_listens_says_so_on_the_rail_and_a_replay_which_day_it_was() -> None:
    lane = opened(fed(said(5)))
    lane.event(Event(BEGIN, "curlew", "settings", {"rate": 9600, "framing": "8N1", "listen_only": True}))
    shown = snapshot(lane)
    assert "only listens" in plain(shell.rail(shown, 0, 30))
    replay = shown._replace(replay=REPLAYED)
    assert "replay of 2031-05-04" in plain([shell.head(replay, 140)])
