"""Expectations as JUnit XML, for whoever collects the results of tests."""

from collections.abc import Sequence
from pathlib import Path
from xml.etree import ElementTree

from pale_heron.core.proof.expectation import NOT_SHOWN, PASSED, Judged
from pale_heron.core.trouble import Trouble
from pale_heron.files.whole import written_whole


def write_junit(title: str, judged: Sequence[Judged], source: str, path: Path) -> None:
    """One test case an expectation; what is not shown counts as a failure. Trouble where it cannot be written."""
    failed = sum(each.outcome != PASSED for each in judged)
    suite = ElementTree.Element(
        "testsuite", name=title, tests=str(len(judged)), failures=str(failed), errors="0", skipped="0"
    )
    for each in judged:
        case = ElementTree.SubElement(suite, "testcase", classname=source, name=each.expectation.what)
        if each.outcome != PASSED:
            wanted = f"{each.expectation.that}: {each.expectation.wanted}"
            kind = "not shown" if each.outcome == NOT_SHOWN else "failed"
            failure = ElementTree.SubElement(case, "failure", type=kind, message=f"{wanted}; {each.words}")
            failure.text = f"{kind}: {each.expectation.what}\n{wanted}\n{each.words}"
    root = ElementTree.Element("testsuites")
    root.append(suite)
    ElementTree.indent(root)
    try:
        with written_whole(path) as fresh:
            fresh.write_bytes(ElementTree.tostring(root, encoding="utf-8", xml_declaration=True) + b"\n")
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Choose another place") from None
