"""A plan: several trials one after the other, as rows and columns of one table.

title = "Two links, both ways"

[usual]                        # for all trials that say nothing else
count = 100
limit = "3s"

[[trial]]
row = "long range"
column = "hide to buoy"        # without it: what the trial's lists say
kind = "delivery"
lanes = ["hide", "buoy"]
one_way = true
size = [32, 200]               # a list makes a trial of each
"""

from collections.abc import Iterator, Mapping, Sequence
from itertools import product
from pathlib import Path
from typing import Any, Final

from pale_heron.bench.config.trial_options import ONLY_FOR, described
from pale_heron.core.line.settings import did_you_mean, nearest_words
from pale_heron.core.link.description import KINDS, TrialDescription
from pale_heron.core.trouble import Trouble
from pale_heron.files.toml_file import read_tables
from pale_heron.ports.address import LaneSpec

MOST_TRIALS: Final = 200
OWN_KEYS: Final = ("row", "column", "kind", "lanes")
KEYS: Final = (*OWN_KEYS, *ONLY_FOR, "limit", "wiring")


class TrialPlan:
    """Its title, and its trials with the messages of each."""

    def __init__(self, title: str, trials: Sequence[TrialDescription], messages: Sequence[tuple[str, ...]]) -> None:
        self.title = title
        self.trials = tuple(trials)
        self.messages = tuple(messages)


def read_plan(path: Path, specs: Sequence[LaneSpec]) -> TrialPlan:
    """A plan from its file, on these lanes. Trouble says what is wrong, and in which trial."""
    _, table = read_tables(path)
    _check_keys(table, ("title", "usual", "trial"), str(path))
    usual, trials, messages = table.get("usual", {}), [], []
    written = table.get("trial", [])
    if not isinstance(usual, dict) or not isinstance(written, list) or not written:
        raise Trouble(f"{path} holds no [[trial]]", "Write one for each trial: kind and lanes at least")
    for number, each in enumerate(written, 1):
        where = f"{path}, trial {number}"
        if not isinstance(each, dict):
            raise Trouble(f"{where} is no table", "Write [[trial]] above it")
        merged = {**usual, **each}
        _check_keys(merged, KEYS, where)
        for cell, options in _expanded(merged):
            trials.append(_trial(cell, options, specs, where))
            messages.append(tuple(str(message) for message in options.get("message", ())))
            if len(trials) > MOST_TRIALS:
                raise Trouble(f"{path} makes more than {MOST_TRIALS} trials", "Make two plans of it")
    return TrialPlan(str(table.get("title", path.stem)), trials, messages)


def _check_keys(table: Mapping[str, Any], known: Sequence[str], where: str) -> None:
    for key in table:
        if key not in known:
            nearest = did_you_mean(key, dict.fromkeys(known))
            raise Trouble(f"{where}: there is no key {key!r}{nearest}", f"There are: {', '.join(known)}")


def _expanded(table: Mapping[str, Any]) -> Iterator[tuple[tuple[str, str], dict[str, Any]]]:
    """Each trial that a table's lists make, with its row and column."""
    lists = {key: value for key, value in table.items() if isinstance(value, list) and key not in ("lanes", "message")}
    lanes = table.get("lanes")
    if isinstance(lanes, list) and any(isinstance(each, list) for each in lanes):
        lists["lanes"] = lanes
    for values in product(*lists.values()):
        chosen = dict(zip(lists, values, strict=True))
        options = {**table, **chosen}
        lanes = options.get("lanes", [])
        shown = [f"{key.replace('_', ' ')} {value}" for key, value in chosen.items() if key != "lanes"]
        ends = " to ".join(map(str, lanes)) if isinstance(lanes, list) else str(lanes)
        row = str(options.get("row", ends))
        column = ", ".join(([str(options["column"])] if "column" in options else []) + shown)
        yield (row, column or str(options.get("kind", ""))), options


def _trial(
    cell: tuple[str, str], options: Mapping[str, Any], specs: Sequence[LaneSpec], where: str
) -> TrialDescription:
    kind, lanes = options.get("kind"), options.get("lanes")
    if kind not in KINDS or not isinstance(lanes, list) or not lanes:
        raise Trouble(f"{where} needs a kind and its lanes", f'kind = "{KINDS[0]}", lanes = ["hide", "buoy"]')
    by_name = {spec.name: spec for spec in specs}
    for lane in lanes:
        if not isinstance(lane, str) or lane not in by_name:
            nearest = nearest_words(str(lane), dict.fromkeys(by_name))
            raise Trouble(f"{where}: there is no lane {lane!r}{nearest}", f"There are: {', '.join(by_name)}")
    rest = {key: value for key, value in options.items() if key not in OWN_KEYS}
    try:
        found = described(str(kind), [by_name[lane] for lane in lanes], rest, tuple(by_name))
    except Trouble as trouble:
        raise Trouble(f"{where}: {trouble.what}", trouble.hint) from None
    return found._replace(cell=cell)
