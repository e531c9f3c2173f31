"""`pale-heron compare`: two captures side by side."""

import json
from pathlib import Path

import click

from pale_heron.bench.evident import evident_of
from pale_heron.bench.part import part_in
from pale_heron.bench.sources import Source
from pale_heron.cli.parameters import FILE
from pale_heron.cli.progress import reading
from pale_heron.core.line.settings import did_you_mean
from pale_heron.core.link.comparison import comparison_lines
from pale_heron.core.proof.comparing import SURE, ComparedName, compare_captures, compared_object, compared_words
from pale_heron.core.proof.measured import Evident
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_label


@click.command("compare")
@click.argument("first", type=FILE, help="A capture, such as of before.")
@click.argument("second", type=FILE, help="A capture, such as of after.")
@click.option(
    "--lanes", "pairs", multiple=True, help="Lanes that belong together, as before=after; may be given again."
)
@click.option("--part", default="", help="Compare this measured part of both alone, by its name.")
@click.option("--all", "everything", is_flag=True, help="Also what is the same in both.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def compare(first: Path, second: Path, pairs: tuple[str, ...], part: str, everything: bool, as_json: bool) -> None:
    """Put the figures of two captures side by side: another antenna, another version, another place.

    A difference is called more than chance only where what was counted can tell; lanes of one name belong together.

    Example: pale-heron compare before.pcapng after.pcapng

    Example: pale-heron compare before.pcapng after.pcapng --lanes curlew=curlew2 --json
    """
    one, other = _known(first, part), _known(second, part)
    named = _pairs(pairs, one, other, (first.name, second.name))
    rows = compare_captures(one, other, named)
    if as_json:
        document = {"files": [first.name, second.name], "compared": [compared_object(each) for each in rows]}
        print(json.dumps(document, ensure_ascii=False))
        return
    shown = [each for each in rows if everything or each.one.value != each.other.value]
    print("\n".join(compare_lines(shown, (first.name, second.name))))
    if one.trials and other.trials:
        print("\n".join(["", "the last trial of each", *comparison_lines(one.trials[-1], other.trials[-1])]))
    if len(shown) < len(rows):
        print(f"\n{len(rows) - len(shown)} more figures are the same in both: --all shows them")


def _known(path: Path, part: str) -> Evident:
    source = Source(path, part=part_in(path, part) if part else None)
    show, clear = reading(source)
    known = evident_of(source, show)
    clear()
    return known


def _pairs(typed: tuple[str, ...], one: Evident, other: Evident, files: tuple[str, str]) -> list[tuple[str, str]]:
    """As typed, else lanes of one name; where each capture has one lane alone, these."""
    found = []
    for text in typed:
        before, equals, after = text.partition("=")
        for name, known, file in ((before, one, files[0]), (after if equals else before, other, files[1])):
            if known.lane(name) is None:
                names = {lane.name: 0 for lane in known.lanes}
                near = did_you_mean(name, names)
                raise Trouble(f"{file} has no lane {name!r}{near}", f"There are: {', '.join(names) or 'none'}")
        found.append((before, after if equals else before))
    if found:
        return found
    alike = [(lane.name, lane.name) for lane in one.lanes if other.lane(lane.name) is not None]
    if not alike and len(one.lanes) == len(other.lanes) == 1:
        return [(one.lanes[0].name, other.lanes[0].name)]
    if not alike:
        raise Trouble("The two captures have no lane of one name", "Say which belong together: --lanes before=after")
    return alike


def compare_lines(rows: list[ComparedName], files: tuple[str, str]) -> list[str]:
    """A table for each pair of lanes."""
    lines: list[str] = []
    for pair in dict.fromkeys(each.lanes for each in rows):
        of = " and ".join(dict.fromkeys(map(safe_label, pair))) or "the record"
        cells = [("", *map(safe_label, files), "difference")]
        cells += [compared_words(each) for each in rows if each.lanes == pair]
        widths = [max(len(row[place]) for row in cells) for place in range(3)]
        lines += ["", of]
        lines += [
            f"  {row[0]:<{widths[0]}}  {row[1]:>{widths[1]}}  {row[2]:>{widths[2]}}  {safe_label(row[3])}".rstrip()
            for row in cells
        ]
    sure = sum(each.judged == SURE for each in rows)
    return [*lines[1:], "", f"{sure} of {len(rows)} differences are more than chance" if rows else "nothing differs"]
