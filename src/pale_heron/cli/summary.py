"""`pale-heron summary`: what a file holds."""

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click

from pale_heron.bench.part import part_in
from pale_heron.bench.sources import Source
from pale_heron.cli.parameters import FILE, point_typed, streamed
from pale_heron.cli.progress import reading
from pale_heron.core.trouble import Exit

_SHAPES = {"reached": "●", "waiting": "◐", "not-yet": "○", "broken": "✕"}


@click.command("summary")
@click.argument("file", type=FILE, help="A capture or a file of raw bytes.")
@click.option("--reference", default="", help="A point that is known, in any usual notation.")
@click.option("--part", default="", help="This measured part alone, by its name.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def summary(file: Path, reference: str, part: str, as_json: bool) -> None:
    """Sum up a capture: lanes, types, fix, line, findings.

    Example: pale-heron summary morning.pcapng

    Example: pale-heron summary walk.pcapng --part "to the far bank"
    """
    alone = part_in(file, part) if part else None
    stream = streamed(file)
    source = Source(None if stream else file, stream, alone)
    # Brings numpy, which no other command should wait for.
    from pale_heron.bench.summary import summary as summarise

    show, clear = reading(source)
    found = summarise(source, point_typed(reference), show)
    clear()
    if as_json:
        print(json.dumps(found, ensure_ascii=False))
    else:
        print("\n".join(_text(found)))
    if not any(lane["valid_sentences"] or lane["readable_share"] for lane in found["lanes"]):
        raise click.exceptions.Exit(Exit.NO)


def _text(found: dict[str, Any]) -> Iterator[str]:
    duration = found["duration_s"]
    lanes = len(found["lanes"])
    span = f"{duration:.1f} s" if duration else "duration unknown"
    yield f"{found['file']}: {lanes} lane{'' if lanes == 1 else 's'}, {span}"
    for lane in found["lanes"]:
        yield from _lane(lane)
    for each in found["comparisons"]:
        yield ""
        yield from _comparison(each)


def _comparison(shown: dict[str, Any]) -> Iterator[str]:
    yield f"from {shown['from']} to {shown['to']}, {shown['matched']} moments that both report:"
    for name in ("north_m", "east_m", "up_m", "distance_m"):
        spread = shown[name]
        if spread is not None:
            words = name.removesuffix("_m")
            yield f"  {words:<9}{spread['mean']:+.2f} m ± {spread['deviation']:.2f} m"


def _lane(lane: dict[str, Any]) -> Iterator[str]:
    share = lane["readable_share"]
    yield ""
    yield f"{lane['lane']}   " + "─".join(f"{_SHAPES[step['state']]} {step['step']} " for step in lane["steps"])
    legible = "–" if share is None else f"{share:.1%}"
    yield (
        f"  {lane['bytes_in']} bytes in, {lane['bytes_out']} out, {legible} legible; "
        f"{lane['valid_sentences']} valid sentences, {lane['bad_checksums']} bad checksums"
    )
    for each in lane["types"]:
        rate = "–" if each["rate_hz"] is None else f"{each['rate_hz']:.2f} Hz"
        size = "–" if each["bytes_per_s"] is None else f"{each['bytes_per_s']:.0f} B/s"
        yield f"  {each['type']:<14}{each['count']:>8}  {rate:>9}  {size:>9}  bad {each['bad']}"
    if lane["fix"]:
        yield from _fix(lane["fix"])
    for each in lane["findings"]:
        evidence = f" {each['evidence']}." if each["evidence"] else ""
        yield f"  ! {each['text']}{evidence} {each['next']}"


def _fix(fix: dict[str, Any]) -> Iterator[str]:
    where = "no position" if fix["latitude"] is None else f"{fix['latitude']:.7f}°, {fix['longitude']:.7f}°"
    seen = "–" if fix["satellites_seen"] is None else fix["satellites_seen"]
    yield (
        f"  fix: {fix['state']}{' ' + fix['kind'] if fix['kind'] else ''}, {where}, "
        f"{fix['epochs_with_fix']} of {fix['epochs']} epochs with a fix, satellites seen {seen}"
    )
    if fix["overdue_s"] is not None:
        yield f"  unknown at the end: it said {fix['state']} last, {fix['overdue_s']:.0f} s before"
    for start in fix["starts"]:
        seconds = start["seconds_to_first_fix"]
        if seconds is not None:
            shown = f"first fix after {seconds:.1f} s"
        else:
            shown = "first fix after an unknown time: no arrival times" if fix["epochs_with_fix"] else "no fix yet"
        yield f"  start ({start['mode']}): {shown}"
    for outage in fix["outages"]:
        seconds = outage["seconds"]
        lasted = "not over" if seconds is None else f"{seconds:.1f} s"
        yield f"  outage at {outage['begin']}: {lasted}, lost: {outage['lost']}"
    if fix["scatter"]:
        yield from _scatter(fix["scatter"])


def _scatter(found: dict[str, Any]) -> Iterator[str]:
    about = "their mean (of use only at rest)" if found["about"] == "mean" else "the reference"
    yield (
        f"  scatter of {found['samples']} positions, worth about {found['independent_samples']:.0f} independent, "
        f"about {about}: CEP50 {found['cep50_m']:.2f} m, CEP95 {found['cep95_m']:.2f} m, 2DRMS {found['drms2_m']:.2f} m"
    )
    holds = found["claim_holds"]
    if holds is not None:
        verdict = "holds" if holds else "does not hold"
        yield f"  the error that it expects of itself, {found['claimed_drms_m']:.2f} m RMS, {verdict}"
