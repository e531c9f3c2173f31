"""Marks: what was said of a record, then and afterwards; and what measured parts say alone."""

import os
import subprocess
import sys
from pathlib import Path
from typing import Any, Final

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.streams import BEGIN, chunk, said

from pale_heron.bench.config.expectation_file import read_expectations
from pale_heron.bench.cutting import cut
from pale_heron.bench.evident import evident_of, parts_in
from pale_heron.bench.part import CutPart, marks_in, part_in
from pale_heron.bench.sources import Source
from pale_heron.capture.appending import append_events, last_moment
from pale_heron.capture.reader import CaptureReader
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import SECOND, Event
from pale_heron.core.proof.expectation import judge
from pale_heron.core.proof.marks import BEGIN as PART_BEGINS
from pale_heron.core.proof.marks import END as PART_ENDS
from pale_heron.core.proof.marks import NOTE, Mark, MarkBook, measured_parts
from pale_heron.core.trouble import Trouble

SECONDS: Final = 40


def at(second: float) -> int:
    return BEGIN + round(second * SECOND)


def walk(path: Path, marks: tuple[tuple[float, str, str], ...] = ()) -> Path:
    writer = CaptureWriter(path)
    writer.add_lane("curlew", "/dev/ttyUSB0", None)
    noted = {int(second): (second, text, kind) for second, text, kind in marks}
    for second, data in enumerate(said(SECONDS)):
        writer.chunk(chunk(data, at(second + 0.1)))
        if second in noted:
            when, text, kind = noted[second]
            writer.event(Event(at(when), "", "mark", {"text": text, "kind": kind}))
    writer.close()
    return path


PARTS: Final[dict[str, tuple[str, str]]] = {
    "one": ("b:walk e:walk", "walk 0-1"),
    "its end says something else": ("b:walk e:back again", "walk 0-1"),
    "one in another": ("b:walk b:bridge e:bridge e:walk", "walk 0-3, bridge 1-2"),
    "across each other": ("b:walk b:bridge e:walk e:bridge", "walk 0-2, bridge 1-3"),
    "the same again": ("b:walk e:walk b:walk e:walk", "walk 0-1, walk 2 2-3"),
    "never ended": ("b:walk n:bridge", "walk 0-"),
    "an end alone": ("e:walk n:x", ""),
}


@pytest.mark.parametrize("name", PARTS)
def test_marks_measure_parts_off(name: str) -> None:
    script, wanted = PARTS[name]
    kinds = {"b": PART_BEGINS, "e": PART_ENDS, "n": NOTE}
    marks = [
        Mark(second, word.partition(":")[2], kinds[word[0]])
        for second, word in enumerate(script.replace("back again", "back").split())
    ]
    parts = measured_parts(marks)
    assert ", ".join(f"{each.name} {each.begin}-{'' if each.end is None else each.end}" for each in parts) == wanted


class Plain:
    """The same by the plainest means: a list of rows, looked through from the end."""

    def __init__(self) -> None:
        self.rows: list[list[Any]] = []

    def find(self, moment: int) -> list[Any] | None:
        return next((row for row in self.rows if row[0] == moment), None)


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["mark", "mark-reworded", "mark-withdrawn"]), st.integers(0, 5), st.text("abc", max_size=3)
        )
    )
)
def test_what_was_said_last_of_a_mark_holds(said_of: list[tuple[str, int, str]]) -> None:
    book, plain = MarkBook(), Plain()
    for count, (name, place, text) in enumerate(said_of):
        moment = place if name != "mark" else 10 * count + 10
        about = plain.rows[place][0] if name != "mark" and place < len(plain.rows) else moment
        book.heed(Event(about if name == "mark" else 10**6, "", name, {"text": text, "moment": about}))
        row = plain.find(about)
        if name == "mark":
            plain.rows.append([about, text, 1 + sum(each == "mark" for each, _, _ in said_of[:count])])
        elif row is not None and name == "mark-reworded":
            row[1] = text
        elif row is not None:
            plain.rows.remove(row)
    assert [[mark.moment, mark.text, mark.number] for mark in book.marks()] == sorted(plain.rows)


def test_what_is_said_afterwards_stands_at_the_end_and_changes_nothing(tmp_path: Path) -> None:
    path = walk(tmp_path / "walk.pcapng", ((5, "laucnh", NOTE), (20, "wrong", NOTE)))
    before = path.read_bytes()
    source = Source(path)
    source.lanes()
    span, end = source.span, last_moment(path)
    append_events(
        path,
        [
            Event(end, "", "mark-reworded", {"moment": at(5), "text": "launch"}),
            Event(end, "", "mark-withdrawn", {"moment": at(20)}),
            Event(end, "", "mark", {"moment": at(30), "text": "\x1b[2J[/b]", "kind": PART_BEGINS}),
        ],
    )
    assert path.read_bytes().startswith(before), "nothing that was recorded is changed"
    again = Source(path)
    lanes = again.lanes()
    assert again.span == span and again.torn == "", "the record did not grow longer by it"
    assert lanes[0].line.valid_sentences == Source(path).lanes()[0].line.valid_sentences > 0
    assert again.marks == (Mark(at(5), "launch", number=1), Mark(at(30), "␛[2J[/b]", PART_BEGINS, 3))
    cut(path, tmp_path / "part.pcapng", CutPart(at(4), at(10)))
    assert marks_in(tmp_path / "part.pcapng")[0] == (Mark(at(5), "launch", number=1),), (
        "a part knows what was said later"
    )
    assert max(record.time or 0 for record in CaptureReader(tmp_path / "part.pcapng").records()) <= at(10)


def test_where_nothing_may_be_added_it_is_said(tmp_path: Path) -> None:
    path = walk(tmp_path / "walk.pcapng")
    torn = tmp_path / "torn.pcapng"
    torn.write_bytes(path.read_bytes()[:-7])
    with pytest.raises(Trouble, match="does not end whole"):
        last_moment(torn)
    writer = CaptureWriter(tmp_path / "now.pcapng")
    event = Event(at(0), "", "mark", {"text": "x"})
    with pytest.raises(Trouble, match="being recorded by another program"):
        append_events(writer.path, [event])
    writer.close()
    append_events(writer.path, [event])
    assert [mark.text for mark in marks_in(writer.path)[0]] == ["x"]


EXPECTED: Final = """
[[expect]]
what = "sentences on the walk"
part = "Walk"
that = "line.count.GNGGA"
equals = {count}
[[expect]]
what = "sentences in all"
that = "line.count.GNGGA"
equals = 40
[[expect]]
part = "nowhere"
that = "line.count.GNGGA"
at_least = 0
"""


def test_figures_are_asked_of_a_part_alone(tmp_path: Path) -> None:
    path = walk(tmp_path / "walk.pcapng", ((10, "walk", PART_BEGINS), (25, "walk", PART_ENDS)))
    part = part_in(path, "WALK")
    alone = [each for each in CaptureReader(path).records() if part.holds(each)]
    count = sum(b"GGA" in each.data for each in alone if not isinstance(each, Event))
    assert 0 < count < SECONDS
    (tmp_path / "e.toml").write_text(EXPECTED.format(count=count))
    wanted = read_expectations(tmp_path / "e.toml")
    known = evident_of(Source(path), parts=parts_in(path, wanted.parts))
    judged = [judge(each, known) for each in wanted.expectations]
    assert [each.outcome for each in judged] == ["passed", "passed", "not-shown"]
    assert judged[0].value == count
    with pytest.raises(Trouble, match="no measured part 'dive'") as told:
        part_in(path, "dive")
    assert "'walk'" in told.value.hint


def test_at_the_prompt(tmp_path: Path) -> None:
    path = walk(tmp_path / "walk.pcapng")

    def told(*words: str, status: int = 0) -> str:
        done = subprocess.run(
            [sys.executable, "-m", "pale_heron", *words], capture_output=True, text=True, check=False, env=os.environ
        )
        assert done.returncode == status, done.stderr
        return done.stdout + done.stderr

    assert "holds no mark" in told("mark", str(path), status=1)
    told("mark", str(path), "far bank", "--at", "+10s", "--kind", "begin")
    assert "measured part 'far bank'" in told("mark", str(path), "far bank", "--at", "+20s", "--kind", "end")
    assert "ends: home" in told("mark", str(path), "--reword", "2", "home")
    assert "1 lane, 10.0 s" in told("summary", str(path), "--part", "far bank")
    assert "ends: " not in told("mark", str(path), "--withdraw", "2")
    assert "There is no mark 7" in told("mark", str(path), "--withdraw", "7", status=2)
    assert "begin" in told("mark", str(path), "x", "--at", "+1s", "--kind", "begn", status=2)
    assert "--at TIME" in told("mark", str(path), "x", status=2)
