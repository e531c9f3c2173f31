"""`pale-heron mark`: what people say of a capture, at once or afterwards."""

from pathlib import Path

import click

from pale_heron.bench.part import marks_in, place_in
from pale_heron.capture.appending import append_events, last_moment
from pale_heron.cli.parameters import FILE
from pale_heron.core import figures
from pale_heron.core.frames import SECOND, Event
from pale_heron.core.line.settings import did_you_mean
from pale_heron.core.proof.marks import (
    KINDS,
    MARK,
    NOTE,
    REWORDED,
    WITHDRAWN,
    Mark,
    details_of,
    kind_words,
    measured_parts,
)
from pale_heron.core.trouble import Exit, Trouble
from pale_heron.core.utc import iso


@click.command("mark")
@click.argument("capture", type=FILE, help="A capture that is finished.")
@click.argument("text", default="", help="What happened.")
@click.option("--at", default="", help="When: 09:41:07, +90s after the beginning, or the text of another mark.")
@click.option("--kind", default=NOTE, show_default=True, help=f"What it is: {', '.join(KINDS)} (of a measured part).")
@click.option("--reword", type=int, help="The number of a mark that is to say TEXT from now on.")
@click.option("--withdraw", type=int, help="The number of a mark that is to count no more.")
def mark(capture: Path, text: str, at: str, kind: str, reword: int | None, withdraw: int | None) -> None:
    """List the marks of a capture and its measured parts; or add one, reword one, withdraw one.

    What is said afterwards is added at the end of the file: nothing that was recorded is changed.

    Example: pale-heron mark walk.pcapng

    Example: pale-heron mark walk.pcapng "to the far bank" --at +90s --kind begin

    Example: pale-heron mark walk.pcapng --reword 2 "the bridge"
    """
    if kind not in KINDS:
        raise Trouble(f"--kind {kind!r} is not known{did_you_mean(kind, KINDS)}", f"There are: {', '.join(KINDS)}")
    if sum((reword is not None, withdraw is not None, bool(at))) > 1:
        raise Trouble("--at, --reword and --withdraw are three different things", "Give one of them")
    if not text and (at or reword is not None):
        raise Trouble("What it says is missing", 'pale-heron mark CAPTURE "what happened" --at TIME')
    if text and not at and reword is None:
        raise Trouble("When it was is missing", "--at TIME, or --reword NUMBER for what another mark is to say")
    event = None
    if reword is not None:
        event = REWORDED, {"moment": _numbered(capture, reword).moment, "text": text}
    elif withdraw is not None:
        event = WITHDRAWN, {"moment": _numbered(capture, withdraw).moment}
    if text or event is not None:
        end = last_moment(capture)
        event = event or (MARK, details_of(Mark(_within(capture, at, end), text, kind), end))
        append_events(capture, [Event(end, "", *event)])
    marks, begin = marks_in(capture)
    if not marks:
        click.echo(f"pale-heron: {capture.name} holds no mark", err=True)
        if withdraw is None:
            raise click.exceptions.Exit(Exit.NO)
    print("\n".join(mark_lines(marks, begin)))


def _within(capture: Path, at: str, end: int) -> int:
    """The moment that --at names. Trouble where nothing was recorded then."""
    moment, (_, begin) = place_in(capture, at), marks_in(capture)
    if begin <= moment <= end:
        return moment
    where = f"{iso(moment)[:19]} UTC is {'before' if moment < begin else 'behind'} the record"
    raise Trouble(f"--at {at!r}: {where}", f"It goes from {iso(begin)[:19]} to {iso(end)[:19]} UTC")


def mark_lines(marks: tuple[Mark, ...], begin: int) -> list[str]:
    """The marks by number, and the parts that they measure off."""
    rows = [
        f"{mark.number:>4}  {iso(mark.moment)[:19]} UTC  {figures.duration((mark.moment - begin) / SECOND):>12}  "
        f"{kind_words(mark)}"
        for mark in marks
    ]
    for part in measured_parts(marks):
        lasts = "to the end" if part.end is None else figures.duration((part.end - part.begin) / SECOND)
        rows.append(f"measured part {part.name!r}: from {iso(part.begin)[11:19]} UTC, {lasts}")
    return rows


def _numbered(capture: Path, number: int) -> Mark:
    marks, _ = marks_in(capture)
    found = next((each for each in marks if each.number == number), None)
    if found is None:
        raise Trouble(f"There is no mark {number}", f"{capture.name} holds {len(marks)}: pale-heron mark lists them")
    return found
