"""The report: a well-formed page with an answer for each question, nothing hostile, nothing that was to be left out."""

import os
import re
import subprocess
import sys
from html.parser import HTMLParser
from itertools import pairwise
from pathlib import Path

import pytest
from tests.streams import BEGIN, chunk, said
from tests.waiting import LIMIT_S

from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.tracker import BEGUN, ENDED
from pale_heron.core.wire.probe import PROBE, Probe, encode

HOSTILE = "<script>alert(1)</script>\x1b[31m & 'quotes' $x^2$"
VOID = {"meta", "br", "hr", "img", "link", "input", "use", "path", "rect", "image", "stop", "line", "circle"}


class Page(HTMLParser):
    """Tags in their order, checked as they come."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.open: list[str] = []
        self.tags: list[tuple[str, dict[str, str | None]]] = []
        self.words: list[str] = []
        self.feed(text)
        self.close()
        assert not self.open, self.open

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append((tag, dict(attrs)))
        if tag not in VOID:
            self.open.append(tag)

    def handle_endtag(self, tag: str) -> None:
        if tag in VOID:
            return
        assert self.open and self.open[-1] == tag, (tag, self.open[-4:])
        self.open.pop()

    def handle_data(self, data: str) -> None:
        self.words.append(data)


def walk(path: Path) -> Path:
    """A receiver, a trial that lost two of ten, a mark that is hostile, and a lane that says nothing."""
    writer = CaptureWriter(path)
    for name in ("curlew", "hide", "buoy", "silent"):
        writer.add_lane(name, "/dev/ttyUSB0", LineSettings(9600))
        writer.event(Event(BEGIN, name, "opened", {"rate": 9600, "framing": "8N1", "role": "buoy 7"}))
    for second, data in enumerate(said(60)):
        writer.chunk(chunk(data, BEGIN + second * SECOND))
    trial = TrialDescription("delivery", 7, ("hide", "buoy"), one_way=True, probes=10, wiring="air")
    at = BEGIN + 60 * SECOND
    writer.event(Event(at, "", BEGUN, trial.details()))
    for number in range(1, 11):
        probe = encode(Probe(PROBE, 7, "A", number), 32) + b"\r\n"
        writer.chunk(Chunk("hide", OUT, at + number * SECOND // 5, probe))
        if number not in (4, 7):
            writer.chunk(Chunk("buoy", IN, at + number * SECOND // 5 + 30_000_000, probe))
    writer.event(Event(at + 5 * SECOND, "", "mark", {"text": HOSTILE}))
    writer.event(Event(at + 10 * SECOND, "", ENDED, {"trial": 7, "why": "done"}))
    writer.close()
    return path


def run(*words: str | Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "pale_heron", "report", *map(str, words)],
        capture_output=True,
        text=True,
        timeout=LIMIT_S,
        env=os.environ,
        check=False,
    )


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("report")
    walk(folder / "walk.pcapng")
    (folder / "x.toml").write_text(
        'title = "Buoy <7>"\n[[expect]]\nwhat = "a fix"\nthat = "fix.share"\nat_least = 0.1\n'
        '[[expect]]\nwhat = "nothing lost"\nthat = "link.lost"\nequals = 0\n'
        '[[expect]]\nwhat = "a module"\nthat = "module.commands"\nat_least = 1\n'
    )
    words = ["--expect", folder / "x.toml", "--by", HOSTILE, "--where", "the hide"]
    for name, more in (
        ("exact.html", []),
        ("none.html", ["--place", "none"]),
        ("short.html", ["--short"]),
        ("r.pdf", []),
    ):
        done = run(folder / "walk.pcapng", "-o", folder / name, *words, *more)
        assert done.returncode == 0, done.stderr
    return folder


def test_the_page_is_well_formed_and_stands_alone(made: Path) -> None:
    text = (made / "exact.html").read_text("utf-8")
    page = Page(text)
    tags = [tag for tag, _ in page.tags]
    assert dict(page.tags)["html"]["lang"] == "en" and tags.count("h1") == 1
    levels = [int(tag[1]) for tag in tags if re.fullmatch(r"h[1-6]", tag)]
    assert levels[0] == 1 and all(later - before <= 1 for before, later in pairwise(levels))
    assert "script" not in tags and not re.search(r"(src|href)=\"(?!#|data:)", text), "nothing is fetched"
    assert all(each.get("aria-label") for tag, each in page.tags if tag == "svg") and tags.count("svg") >= 5
    ids = [each["id"] for _, each in page.tags if each.get("id")]
    assert len(ids) == len(set(ids)), "each identifier stands for one thing"


def test_every_question_has_its_answer_with_its_sample(made: Path) -> None:
    words = " ".join(" ".join(Page((made / "exact.html").read_text("utf-8")).words).split())
    for told in (
        "1 of 3 passed, 1 failed, 1 not shown",
        "Where are we, and how sure?",
        "8 of 10 delivered, 2 lost",
        "wired over the air",
        "the hide",
        "SHA-256",
        "Nothing was received on: hide, silent",
        "positions stand as they were reported",
    ):
        assert told in words, told


def test_nothing_hostile_reaches_the_page(made: Path) -> None:
    text = (made / "exact.html").read_text("utf-8")
    assert "<script>" not in text and "\x1b" not in text and "&lt;script&gt;" in text
    assert "Buoy &lt;7&gt;" in text


def test_a_place_that_is_left_out_is_nowhere(made: Path) -> None:
    exact, none = (" ".join(Page((made / f"{name}.html").read_text("utf-8")).words) for name in ("exact", "none"))
    assert "-46.1" in exact and "-46.1" not in none and "67.3" not in none
    assert "positions, cells and areas are left out" in none


def test_a_glance_has_answers_and_expectations_alone(made: Path) -> None:
    short = Page((made / "short.html").read_text("utf-8"))
    assert not any(tag == "svg" for tag, _ in short.tags)
    words = " ".join(short.words)
    assert "nothing lost" in words and "8 of 10 delivered" in words and "GNGSV" not in words


def test_the_pdf_is_one(made: Path) -> None:
    data = (made / "r.pdf").read_bytes()
    assert data.startswith(b"%PDF-") and data.rstrip().endswith(b"%%EOF")
    # Pages of text and one for each chart; fonts are embedded as text.
    assert len(re.findall(rb"/Type /Page\b", data)) >= 6 and b"/FontFile2" in data


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (["walk.pcapng", "-o", "a.doc"], "no ending that says a format"),
        (["walk.pcapng", "-o", "a.html", "--place", "near"], "is not known"),
        (["x.toml", "-o", "a.html"], "is not a capture"),
    ],
)
def test_wrong_usage_is_told(words: list[str], told: str, made: Path) -> None:
    done = run(*(made / word if (made / word).exists() else word for word in words))
    assert done.returncode == 2 and told in done.stderr, done.stderr
