"""`pale-heron expect`: does what was recorded hold?"""

import json
import platform
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from pale_heron.bench.config.expectation_file import ExpectationFile, drafted, read_expectations
from pale_heron.bench.evident import evident_of, parts_in
from pale_heron.bench.sources import Source
from pale_heron.cli.parameters import FILE, FORCE, free_output
from pale_heron.cli.progress import reading
from pale_heron.core.proof.draft import draft
from pale_heron.core.proof.expectation import FAILED, NOT_SHOWN, PASSED, Judged, expectations_object, judge
from pale_heron.core.proof.names import NAMES
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.core.wire.visible import safe_label
from pale_heron.files.pages import page

if TYPE_CHECKING:
    from pale_heron.report.junit import JudgedRecord

SIGNS = {PASSED: "●", FAILED: "✕", NOT_SHOWN: "◐"}
WORDS = {PASSED: "passed", FAILED: "FAILED", NOT_SHOWN: "not shown"}


@click.command("expect", epilog=f"The page: {page('expectations.md')}")
@click.argument("files", nargs=-1, type=FILE, metavar="[FILE.toml] [CAPTURE]", help="Expectations, then a capture.")
@click.option("--names", is_flag=True, help="List every name that an expectation may be about.")
@click.option("--draft", is_flag=True, help="Print expectations that this capture fulfils, to begin with.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
@click.option("--junit", type=FILE, help="Write JUnit XML there too.")
@FORCE
def expect(files: tuple[Path, ...], names: bool, draft: bool, as_json: bool, junit: Path | None, force: bool) -> None:
    """Hold a capture against expectations. Exit status 0 where all of them passed, else 1.

    An expectation passes, fails, or is not shown: fewer samples than it asks for prove nothing either way.
    `record --expect` holds what is recorded against a file of them at its end.

    Example: pale-heron expect --draft morning.pcapng

    Example: pale-heron expect buoy7.toml morning.pcapng --junit results.xml
    """
    if names:
        print("\n".join(name_lines()))
        return
    if draft:
        if len(files) != 1:
            raise Trouble("A draft is made of one capture", "pale-heron expect --draft CAPTURE")
        _draft(files[0])
        return
    if len(files) != 2:
        raise Trouble("A file of expectations and a capture are wanted", "pale-heron expect FILE.toml CAPTURE")
    if junit is not None:
        free_output(junit, force=force, of=files)
    wanted = read_expectations(files[0])
    record, judged = _judged(wanted, files[1])
    tell(wanted, judged, record, as_json=as_json, junit=junit)


def tell(
    wanted: ExpectationFile, judged: Sequence[Judged], record: "JudgedRecord", *, as_json: bool, junit: Path | None
) -> None:
    """Print, write, and end with the status that fits."""
    if junit is not None:
        from pale_heron.report.junit import write_junit

        write_junit(wanted.title, judged, record, junit)
    if as_json:
        print(json.dumps(expectations_object(wanted.title, judged), ensure_ascii=False))
    else:
        print("\n".join(expectation_lines(wanted.title, judged)))
    if any(each.outcome != PASSED for each in judged):
        raise click.exceptions.Exit(Exit.NO)


def expectation_lines(title: str, judged: Sequence[Judged]) -> list[str]:
    """In lines of text, with how many of each at the end."""
    rows = [safe_label(title)]
    for each in judged:
        expectation = each.expectation
        place = f"{safe_label(expectation.place)}: " if expectation.place else ""
        rows.append(f"{SIGNS[each.outcome]} {WORDS[each.outcome]:<10}{place}{safe_label(expectation.what)}")
        rows.append(f"{'':12}{expectation.that} {expectation.wanted}: {safe_label(each.words)}")
    counts = (f"{sum(each.outcome == outcome for each in judged)} {WORDS[outcome].lower()}" for outcome in WORDS)
    return [*rows, ", ".join(counts)]


def name_lines() -> list[str]:
    """Every name with its unit and meaning."""
    return [f"{each.name:<28}{each.unit:<9}{each.meaning}".rstrip() for each in NAMES]


def judged_record(name: str, begin: int | None, duration_s: float | None) -> "JudgedRecord":
    """With this computer."""
    from pale_heron.report.junit import JudgedRecord

    return JudgedRecord(name, begin, duration_s, platform.node())


def _judged(wanted: ExpectationFile, capture: Path) -> tuple["JudgedRecord", list[Judged]]:
    source = Source(capture)
    show, clear = reading(source)
    known = evident_of(source, show, parts=parts_in(capture, wanted.parts))
    clear()
    record = judged_record(source.name, source.span[0] if source.span else None, known.record.duration_s)
    return record, [judge(each, known) for each in wanted.expectations]


def _draft(capture: Path) -> None:
    source = Source(capture)
    show, clear = reading(source)
    known = evident_of(source, show)
    clear()
    made = draft(known)
    if not made:
        raise Trouble(
            f"{source.name} holds nothing that could be expected again", "pale-heron summary says what it holds"
        )
    print(drafted(f"as good as {source.name}", made), end="")
