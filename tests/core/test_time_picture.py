"""The picture of all lanes on one axis: no byte is lost or doubled in it, and what it says of a stretch is so."""

import pickle
from typing import Final

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.test_link_trials import line
from tests.streams import BEGIN, chunk, said

from pale_heron.bench.model import Model
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.tracker import BEGUN, ENDED
from pale_heron.core.proof.chronicle import SENT, Happening
from pale_heron.core.proof.picture import DELIVERY, LEVEL, TimePicture, edges, level_name, time_picture
from pale_heron.core.proof.together import sign_test, together, while_sending
from pale_heron.core.strips import StripColumns

END: Final = BEGIN + 60 * SECOND


@given(
    st.lists(st.tuples(st.integers(0, 3000), st.integers(1, 500)), min_size=1, max_size=60),
    st.integers(2, 64),
    st.integers(1, 90),
)
def test_nothing_is_lost_in_columns_however_wide(values: list[tuple[int, int]], most: int, columns: int) -> None:
    values.sort()
    kept = StripColumns(most)
    for second, value in values:
        kept.add(BEGIN + second * SECOND + 5, value)
    strip = kept.strip()
    assert len(strip.sums) <= most and sum(strip.sums) == sum(value for _, value in values)
    until = BEGIN + (values[-1][0] + 1) * SECOND
    parts = [strip.over(*part, until) for part in edges(strip.begin, until, columns)]
    assert sum(total for total, _ in parts) == pytest.approx(sum(value for _, value in values))
    assert sum(count for _, count in parts) == pytest.approx(len(values))
    assert strip.over(until + 10 * strip.width, until + 20 * strip.width, until) == (0.0, 0.0)


def model_of(events: list[Event | Chunk]) -> Model:
    model = Model()
    for event in sorted(events, key=lambda each: each.time or 0):
        model.feed(event)
    model.tick(END)
    model.publish(END)
    return model


def shown(model: Model, columns: int = 60) -> TimePicture:
    seen = model.published
    return time_picture(seen.lanes, seen.chronicle, seen.marks, BEGIN, END, columns, END)


def session() -> list[Event | Chunk]:
    """A receiver that is silent from 20 to 30 s, a module that sends at 40 s, and a mark."""
    receiver: list[Event | Chunk] = [
        chunk(data, BEGIN + second * SECOND + SECOND // 10)
        for second, data in enumerate(said(60))
        if not 20 <= second < 30
    ]
    receiver.append(Event(BEGIN, "curlew", "opened", {"rate": 9600}))
    receiver.append(Event(BEGIN + 20 * SECOND, "curlew", "lost", {"reason": "[b]unplugged\x1b[2J"}))
    receiver.append(Event(BEGIN + 30 * SECOND, "curlew", "returned", {}))
    receiver.append(Chunk("hide", OUT, BEGIN + 40 * SECOND, b"x" * 100))
    receiver.append(Event(BEGIN + 21 * SECOND, "", "mark", {"text": "wind"}))
    return receiver


def test_what_stands_there_is_what_came() -> None:
    picture = shown(model_of(session()))
    rows = {(row.lane, row.name): row.values for row in picture.rows}
    received = rows["curlew", "received"]
    by_second = [0.0] * 60
    for each in session():
        if isinstance(each, Chunk) and each.lane == "curlew":
            by_second[((each.time or 0) - BEGIN) // SECOND] += len(each.data)
    assert [value or 0.0 for value in received] == by_second
    assert rows["hide", SENT][40] == 100 and rows["hide", SENT][39] is None, "before the first nothing is known"
    levels = rows["curlew", LEVEL]
    assert levels[25] is None and level_name(levels[45] or 0) == "single"
    whole = shown(model_of(session()), 7)
    mean = {(row.lane, row.name): row.values for row in whole.rows}["curlew", "received"]
    assert sum(value or 0.0 for value in mean) * 60 / 7 == pytest.approx(sum(by_second), rel=1e-6)


def test_what_lies_close_stands_together_and_device_text_stays_text() -> None:
    model = model_of(session())
    happened = shown(model).happenings
    assert [each.moment for each in happened] == sorted(each.moment for each in happened)
    lost = next(each for each in happened if each.kind == "lost")
    assert lost.words == "lost: [b]unplugged␛[2J"
    (group,) = together(happened)
    assert [each.kind for each in group.happenings] == ["fix-lost", "lost", "mark"] and 1 <= group.within_s < 2


GROUPS: Final[dict[str, tuple[list[tuple[float, str, str]], int]]] = {
    "two lanes": ([(0, "a", "lost"), (2, "b", "fix-lost")], 1),
    "too far apart": ([(0, "a", "lost"), (4, "b", "fix-lost")], 0),
    "one lane alone": ([(0, "a", "lost"), (1, "a", "returned")], 0),
    "all of it done on purpose": ([(0, "a", "settings"), (0, "b", "trial")], 0),
    "the beginning of both": ([(0, "a", "opened"), (0, "b", "opened"), (1, "a", "restart"), (2, "b", "lost")], 0),
    "after the beginning": ([(0, "a", "opened"), (9, "a", "restart"), (9, "b", "lost")], 1),
    "a chain": ([(0, "a", "lost"), (2, "b", "told"), (4, "c", "lost")], 1),
    "two groups": ([(0, "a", "lost"), (1, "b", "lost"), (9, "a", "restart"), (9.5, "b", "lost")], 2),
}


@pytest.mark.parametrize("name", GROUPS)
def test_groups(name: str) -> None:
    rows, wanted = GROUPS[name]
    happened = [Happening(BEGIN + round(at * SECOND), lane, kind, kind) for at, lane, kind in rows]
    assert len(together(happened)) == wanted


def weakened(dip_db: int, times: int) -> Model:
    """A receiver whose signals are weaker while another lane sends, every 12 s for 3 s."""
    records: list[Event | Chunk] = []
    for second in range(times * 12):
        sends = second % 12 in (5, 6, 7)
        records.append(chunk(signals(44 - second // 60 - (dip_db if sends else 0), second), BEGIN + second * SECOND))
        if sends:
            records.append(Chunk("hide", OUT, BEGIN + second * SECOND, b"x" * 40))
    model = Model()
    for each in records:
        model.feed(each)
    model.finish()
    model.publish(BEGIN + times * 12 * SECOND)
    return model


def signals(cn0: int, second: int) -> bytes:
    from pale_heron.core import utc
    from pale_heron.core.nmea.sentence import sealed

    at = utc.clock(BEGIN + second * SECOND, 2).replace(":", "")
    satellites = ",".join(f"{number:02},45,{number * 30:03},{cn0}" for number in (1, 2, 3, 4))
    return b"".join(
        sealed(body)
        for body in (
            f"GPGGA,{at},4607.03800,S,06718.40000,W,1,4,0.8,3.4,M,11.2,M,,",
            f"GPGSV,1,1,4,{satellites}",
        )
    )


@pytest.mark.parametrize(("dip_db", "times", "tells"), [(4, 12, True), (0, 12, False), (4, 5, False)])
def test_what_sending_does_to_a_receiver(dip_db: int, times: int, tells: bool) -> None:
    seen = weakened(dip_db, times).published
    found = list(while_sending(seen.lanes, seen.chronicle.strips))
    assert bool(found) == tells
    if tells:
        assert found[0].difference_db == pytest.approx(-4, abs=0.6)
        assert (found[0].sender, found[0].receiver, found[0].stretches) == ("hide", "curlew", times)


@pytest.mark.parametrize(("less", "more", "chance"), [(8, 0, 2 / 256), (0, 0, 1.0), (5, 5, 1.0), (9, 1, 22 / 1024)])
def test_the_sign_test(less: int, more: int, chance: float) -> None:
    assert sign_test(less, more) == pytest.approx(chance)


def test_what_may_still_come_is_not_delivered_yet_nor_lost() -> None:
    """Of the newest probes only those that came are known: their share would be all of them."""
    model, end = Model(), BEGIN + 31 * SECOND
    trial = TrialDescription("delivery", 7, ("a", "b"), one_way=True, limit_s=4.0)
    model.feed(Event(BEGIN, "", BEGUN, trial.details()))
    for number in range(1, 31):
        at = BEGIN + number * SECOND
        model.feed(Chunk("a", OUT, at, line("A", number, 7)))
        if number % 2:
            model.feed(Chunk("b", IN, at + 1000, line("A", number, 7)))
    for ended in (False, True):
        if ended:
            model.feed(Event(end, "", ENDED, {"trial": 7, "why": "done"}))
        model.tick(end)
        model.publish(end)
        seen = model.published
        picture = time_picture(seen.lanes, seen.chronicle, (), BEGIN, end, 10, end)
        (row,) = [each for each in picture.rows if each.name == DELIVERY]
        assert row.lane == "a → b"
        assert all(value is None or 0.3 < value < 0.7 for value in row.values), (ended, row.values[-4:])
        assert row.values[-1] is None, "it ended before it was known whether the last ones came"


def test_it_is_the_same_after_a_jump() -> None:
    """What a replay keeps of a moment has the picture in it."""
    model = model_of(session())
    again = Model.restored(model.saved(), 0)
    again.publish(END)
    assert again.published.chronicle == model.published.chronicle
    assert pickle.loads(pickle.dumps(model.published.chronicle)) == model.published.chronicle
