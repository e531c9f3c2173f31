"""The report: a well-formed page with an answer for each question, nothing hostile, nothing that was to be left out."""

import hashlib
import os
import re
import subprocess
import sys
from html.parser import HTMLParser
from itertools import pairwise
from pathlib import Path

import pytest
from pypdf import PdfReader
from tests.streams import BEGIN, chunk, said
from tests.waiting import LIMIT_S

from pale_heron.answers.answer import QUESTIONS
from pale_heron.capture.writer import CaptureWriter
from pale_heron.core.frames import IN, OUT, SECOND, Chunk, Event
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.link.description import TrialDescription
from pale_heron.core.link.tracker import BEGUN, ENDED
from pale_heron.core.wire.probe import PROBE, Probe, encode
from pale_heron.report.pages import write_pdf
from pale_heron.report.report import Report, ReportAnswer, ReportPart, ReportTable

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


def run(*words: str | Path, cwd: Path | None = None) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "pale_heron", "report", *map(str, words)],
        cwd=cwd,
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


def pages_of(path: Path) -> list[str]:
    """The words of each page of a PDF."""
    return [page.extract_text() for page in PdfReader(path).pages]


def test_the_first_page_is_for_somebody_in_a_hurry(made: Path) -> None:
    pages = pages_of(made / "r.pdf")
    first = " ".join(pages[0].split())
    assert all(question in first for question in QUESTIONS.values())
    for told in ("8 of 10 delivered", "1 passed, 1 failed, 1 not shown", "No module was spoken to", "SHA-256"):
        assert told in first, told
    assert hashlib.sha256((made / "walk.pcapng").read_bytes()).hexdigest() in "".join(pages[0].split())
    assert hashlib.sha256((made / "x.toml").read_bytes()).hexdigest() in "".join(pages[0].split())
    assert all(f"{number} of {len(pages)}" in words for number, words in enumerate(pages, 1))
    assert not re.search(r"\([a-z]\)", " ".join(pages)), "what a key does on the screen is of no use on paper"


def test_no_heading_stands_alone_and_no_page_is_nearly_empty(made: Path) -> None:
    pages = pages_of(made / "r.pdf")
    titles = {"Expectations", "Record", "Line", "Fix", "Clock", "Link", "What is not here", "Lanes", "Trials"}
    for words in pages:
        lines = [line for line in words.splitlines() if line.strip()]
        # The last line is the footer.
        assert lines[-2].strip() not in titles, words
    assert len(pages) <= 8


def test_a_table_repeats_its_head_over_pages_and_breaks_no_word(tmp_path: Path) -> None:
    rows = tuple((f"GN{number:03d}", "delivered", "word " * 40) for number in range(90))
    table = ReportTable("What was said", ("type", "what became of it", "words"), rows)
    part = ReportPart("Line", "Is it?", (ReportAnswer("", "reed", "Yes."),), (table,))
    write_pdf(Report("Long", (), (), None, (part,), ()), tmp_path / "long.pdf")
    pages = pages_of(tmp_path / "long.pdf")
    assert len(pages) > 3 and all("what became of it" in " ".join(words.split()) for words in pages[:-1])
    assert sum(words.count("delivered") for words in pages) == 90, "no word is parted"


def test_the_same_record_gives_the_same_file(made: Path) -> None:
    run("walk.pcapng", "-o", made / "again.pdf", "--expect", "x.toml", cwd=made)
    again = (made / "again.pdf").read_bytes()
    assert again.startswith(b"%PDF-") and b"/FontFile2" in again
    run("walk.pcapng", "-o", made / "once.pdf", "--expect", "x.toml", cwd=made)
    assert (made / "once.pdf").read_bytes() == again


def test_a_raw_log_has_a_report_that_says_what_it_cannot_show(tmp_path: Path) -> None:
    (tmp_path / "log.nmea").write_bytes(b"".join(said(60)))
    assert run("log.nmea", "-o", "log.html", cwd=tmp_path).returncode == 0
    words = " ".join(" ".join(Page((tmp_path / "log.html").read_text("utf-8")).words).split())
    assert "nothing in it says when its bytes came" in words and "nothing here tells when a time arrived" in words
    assert "Where are we, and how sure?" in words and "After the second" not in words


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (["walk.pcapng", "-o", "a.doc"], "no ending that says a format"),
        (["walk.pcapng", "-o", "a.html", "--place", "near"], "is not known"),
        (["x.toml", "-o", "a.html"], "is not a capture, and holds no sentence"),
    ],
)
def test_wrong_usage_is_told(words: list[str], told: str, made: Path) -> None:
    done = run(*(made / word if (made / word).exists() else word for word in words))
    assert done.returncode == 2 and told in done.stderr, done.stderr
