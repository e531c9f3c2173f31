"""Expectations as JUnit XML, for whoever collects the results of tests."""

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple
from xml.etree import ElementTree

from pale_heron.core.proof.expectation import NOT_SHOWN, PASSED, Judged, expectation_object
from pale_heron.core.trouble import Trouble
from pale_heron.core.utc import iso
from pale_heron.files.whole import written_whole

TOLD = ("value", "unit", "samples", "interval_95", "certainty", "wanted")
"""What is told of each case, by its keys in JSON."""


class JudgedRecord(NamedTuple):
    """A capture by its name, when it began (nanoseconds), how long it lasted, and on which computer it was judged."""

    name: str
    begin: int | None
    duration_s: float | None
    host: str


def write_junit(title: str, judged: Sequence[Judged], record: JudgedRecord, path: Path) -> None:
    """One suite a capture, one test case an expectation; what is not shown counts as a failure.

    Trouble where it cannot be written.
    """
    failed = sum(each.outcome != PASSED for each in judged)
    counts = {"tests": str(len(judged)), "failures": str(failed), "errors": "0", "skipped": "0"}
    suite = ElementTree.Element("testsuite", {"name": record.name, "hostname": record.host, **counts})
    suite.set("time", f"{record.duration_s or 0.0:.3f}")
    if record.begin is not None:
        # Without parts of a second and without a zone, as servers read it.
        suite.set("timestamp", iso(record.begin)[:19])
    suite.extend(_case(each, record.name) for each in judged)
    root = ElementTree.Element("testsuites", {"name": title, **counts})
    root.append(suite)
    ElementTree.indent(root)
    try:
        with written_whole(path) as fresh:
            fresh.write_bytes(ElementTree.tostring(root, encoding="utf-8", xml_declaration=True) + b"\n")
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Choose another place") from None


def _case(judged: Judged, source: str) -> ElementTree.Element:
    expectation = judged.expectation
    place = f" ({expectation.place})" if expectation.place else ""
    case = ElementTree.Element(
        "testcase",
        classname=f"{Path(source).stem}.{expectation.that}",
        name=_plain(f"{expectation.what}{place}"),
        time="0",
    )
    properties = ElementTree.SubElement(case, "properties")
    told = expectation_object(judged)
    for key in TOLD:
        if told[key] is not None:
            ElementTree.SubElement(properties, "property", name=key, value=_plain(str(told[key])))
    if judged.outcome != PASSED:
        wanted = f"{expectation.that}: {expectation.wanted}"
        kind = "not shown" if judged.outcome == NOT_SHOWN else "failed"
        failure = ElementTree.SubElement(case, "failure", type=kind, message=_plain(f"{wanted}; {judged.words}"))
        failure.text = _plain(f"{kind}: {expectation.what}{place}\n{wanted}\n{judged.words}")
    return case


def _plain(text: str) -> str:
    """XML 1.0 knows no control characters (2.2): a value may be what a device said."""
    return "".join(letter if letter.isprintable() or letter == "\n" else "·" for letter in text)
