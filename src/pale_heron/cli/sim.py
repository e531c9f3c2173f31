"""`pale-heron sim`: one simulated device behind a pseudo-terminal."""

import contextlib
import os
import sys
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Final

import click

from pale_heron.cli.ending import end_on_signals
from pale_heron.cli.parameters import FILE
from pale_heron.core.frames import SECOND
from pale_heron.core.line.settings import did_you_mean
from pale_heron.core.moments import seconds, share
from pale_heron.core.trouble import Trouble
from pale_heron.files.user_folders import is_there
from pale_heron.ports.simulated import own_folder
from pale_heron.sim.cable import CableFaults
from pale_heron.sim.curlew_setup import NEWEST, VERSIONS
from pale_heron.sim.marsh import BEGIN_UTC, PLOVER_PIN
from pale_heron.sim.modem import HABITS
from pale_heron.sim.pulses import PulseFaults
from pale_heron.sim.scenes import RATES, SCENES, START_TIMES
from pale_heron.sim.snipe import SnipeFaults

MODULES = ("bittern", "plover", "wren", "teal", "marsh")
DEVICES = ("curlew", *MODULES, "cable", "vane", "dunlin", "snipe", "range-walk", "trouble")
if TYPE_CHECKING:
    from pale_heron.sim.modules import ModuleStart
    from pale_heron.sim.range_walk import RangeWalkPost
    from pale_heron.sim.run import ActorPost

AnyFaults = CableFaults | PulseFaults | SnipeFaults
FAULTS: Final[Mapping[str, type[AnyFaults]]] = {"curlew": PulseFaults, "cable": CableFaults, "snipe": SnipeFaults}
"""What can go wrong with a device on request."""

BOARDS: Final = {"vane": "simulated board of the weather vane", "dunlin": "simulated board Dunlin"}


@click.command("sim")
@click.argument("device", help=f"Which device: {', '.join(DEVICES)}.")
@click.argument("troubles", nargs=-1, metavar="[NAME]...", help="Behind `trouble`: which ones, or `all`.")
@click.option("--link", type=FILE, help="A stable name for its pseudo-terminal; without it the list of ports has it.")
@click.option("--tcp", is_flag=True, help="A TCP port of this machine instead of a pseudo-terminal.")
@click.option("--seed", default=7, type=int, help="The same seed gives the same run.", show_default=True)
@click.option("--rate", default=9600, type=int, help="Its line rate in baud.", show_default=True)
@click.option(
    "--every",
    default=0,
    type=int,
    help="Milliseconds between epochs, 100 to 1000; 0: as the scene has it.",
    show_default=True,
)
@click.option("--nmea", default=NEWEST, show_default=True, help=f"Its sentences are those of {' or '.join(VERSIONS)}.")
@click.option("--start", default="", help=f"How it starts: {', '.join(START_TIMES)}.")
@click.option("--quick", default=0.0, type=float, help="Divides the times that a start takes.", show_default=True)
@click.option("--scene", default="saltmarsh", show_default=True, help=f"What happens: {', '.join(SCENES)}.")
@click.option("--host-time", is_flag=True, help="Say this host's UTC, not the made-up one.")
@click.option("--after", default=0.0, type=float, help="Seconds until power comes to the modules.", show_default=True)
@click.option("--when-opened", is_flag=True, help="Power comes once all lines are opened.")
@click.option(
    "--fault",
    "faults",
    multiple=True,
    metavar="NAME=VALUE",
    help="Of the cable, of curlew's pulses or of snipe: a share as 0.05 or 5%, a time as 0.2s. Repeatable.",
)
@click.option("--far-port", default=0, type=int, help="Of teal: connected to this port of this machine by itself.")
@click.option("--locked", is_flag=True, help=f"Of plover: its SIM wants the PIN, {PLOVER_PIN}.")
@click.option("--habit", "habits", multiple=True, help=f"Of modules, as those of others have: {', '.join(HABITS)}.")
@click.option("--until-input-ends", is_flag=True, hidden=True)
def sim(
    device: str,
    troubles: tuple[str, ...],
    link: Path | None,
    tcp: bool,
    seed: int,
    rate: int,
    every: int,
    nmea: str,
    start: str,
    quick: float,
    scene: str,
    host_time: bool,
    after: float,
    when_opened: bool,
    faults: tuple[str, ...],
    far_port: int,
    locked: bool,
    habits: tuple[str, ...],
    until_input_ends: bool,
) -> None:
    """Run a simulated device. It prints the path to open and goes on until Ctrl-C.

    `bittern` are two on one air, `marsh` all modules at once, `cable` has two ends, `range-walk` a receiver and two
    radios, one towed away from the other: each path on a line of its own. `vane` answers messages by a rule, `dunlin`
    prints a line each second with a counter of its own, `snipe` is a time server. A cable says at its end what it did
    to how many lines.

    Example: pale-heron sim curlew --start cold --seed 3

    Example: pale-heron sim trouble wrong-rate

    Example: pale-heron sim teal --habit ok-before-prompt --habit silent-escape

    Example: pale-heron sim cable --fault lost=5% --fault delay=80ms
    """
    if tcp and link is not None:
        raise Trouble("A TCP port has no --link", "Leave one of the two out")
    ended = _input_ended() if until_input_ends else lambda: False
    if faults and device not in FAULTS:
        raise Trouble(
            f"{device} has no --fault", f"There are some of {', '.join(FAULTS)}: pale-heron sim cable --fault lost=5%"
        )
    asked = _faults(device, faults) if device in FAULTS else None
    if far_port and device != "teal":
        raise Trouble(
            f"{device} has no --far-port", "Only teal connects to somebody: pale-heron sim teal --far-port 4444"
        )
    for habit in habits:
        if device not in MODULES:
            raise Trouble(f"{device} has no --habit", f"Modules have some: {', '.join(MODULES)}")
        if habit not in HABITS:
            raise Trouble(
                f"There is no habit {habit!r}{did_you_mean(habit, HABITS)}", f"There are: {', '.join(HABITS)}"
            )
    if locked and device != "plover":
        raise Trouble(f"{device} has no --locked", "Only plover has a SIM: pale-heron sim plover --locked")
    if isinstance(asked, CableFaults):
        _run_cable(link, seed, rate, asked, ended, over_tcp=tcp)
        return
    if isinstance(asked, SnipeFaults):
        _run_snipe(asked, SCENES[scene].host_ppm if scene in SCENES else 0.0, ended)
        return
    if device in ("vane", "dunlin", "range-walk") and not troubles:
        _run_post(device, link, seed, rate, ended, after, when_opened=when_opened, over_tcp=tcp)
        return
    if device == "trouble":
        _run_troubles(troubles, link, seed, ended, when_opened=when_opened, over_tcp=tcp)
        return
    if device in MODULES and not troubles:
        from pale_heron.sim.modules import ModuleStart

        begun = ModuleStart(far_port, locked, frozenset(habits))
        _run_modules(device, link, seed, rate, ended, after, begun, when_opened=when_opened, over_tcp=tcp)
        return
    # The simulation needs numpy, which no other command should wait for.
    from pale_heron.sim.curlew import Curlew
    from pale_heron.sim.label import Label
    from pale_heron.sim.pulses import PulseGenerator, PulsePlay
    from pale_heron.sim.run import next_second, run_curlew, wait_for
    from pale_heron.sim.terminal import Terminal

    if troubles:
        raise Trouble(f"{device} takes no name behind it: {troubles[0]!r}", "Names stand behind `trouble` alone")
    _check(device, rate, every, start, scene)
    if nmea not in VERSIONS:
        raise Trouble(f"It does not know version {nmea!r} of NMEA 0183", f"It knows {', '.join(VERSIONS)}")
    played = SCENES[scene]
    pulses = asked if faults and isinstance(asked, PulseFaults) else played.pulses
    played = replace(played, start=start or played.start, quick=quick or played.quick, pulses=pulses)
    label = Label("simulated receiver Curlew", f"MARSH-curlew-{seed}")
    place = link or _free_link(device)
    terminal = Terminal(rate, place, label=label, over_tcp=tcp)
    end_on_signals()
    print(terminal.name, flush=True)
    _tell_next(terminal.name, rate)
    generator = None
    try:
        wait_for(lambda: not when_opened or terminal.taken, ended)
        on_second, power = next_second() if host_time or pulses is not None else (0, None)
        begin = on_second if host_time else BEGIN_UTC
        if pulses is not None:
            generator = PulseGenerator(PulsePlay(on_second * SECOND, pulses, seed, played.host_ppm), place)
        curlew = Curlew(played, seed, begin * SECOND)
        curlew.configure(rate=rate, every_ms=every, nmea=nmea)
        run_curlew(curlew, terminal, ended, played, generator, power)
    except KeyboardInterrupt:
        return
    finally:
        terminal.close()
        if generator is not None:
            generator.close()
            _tell_pulses(generator.play.counts)


def _run_troubles(
    names: Sequence[str],
    link: Path | None,
    seed: int,
    ended: Callable[[], bool],
    *,
    when_opened: bool,
    over_tcp: bool,
) -> None:
    """Several devices in trouble; prints what is to be opened, one a line."""
    from pale_heron.sim.run import TroubleStage, run_stages
    from pale_heron.sim.troubles import TROUBLES

    known = ", ".join(TROUBLES)
    if not names:
        raise Trouble("No trouble is named", f"pale-heron sim trouble NAME, of {known}, or all")
    wanted = list(TROUBLES) if names == ("all",) else names
    for name in wanted:
        if name not in TROUBLES:
            raise Trouble(f"There is no trouble {name!r}{did_you_mean(name, TROUBLES)}", f"There are: {known}")
    if link is not None and len(wanted) > 1:
        raise Trouble("One --link for several devices", "Leave --link out, or name one trouble")
    end_on_signals()
    stages = [TroubleStage(name, TROUBLES[name], seed, link or _free_link(name), over_tcp=over_tcp) for name in wanted]
    for stage in stages:
        print(stage.path, flush=True)
    with contextlib.suppress(KeyboardInterrupt):
        run_stages(stages, ended, ready=lambda: not when_opened or all(stage.taken for stage in stages))


def _run_cable(
    link: Path | None, seed: int, rate: int, faults: CableFaults, ended: Callable[[], bool], *, over_tcp: bool
) -> None:
    """A cable; prints its two ends, one a line, and at the end what it did to each way."""
    from pale_heron.sim.run import CablePost, run_stages

    end_on_signals()
    ends = [link.with_name(f"{link.name}-{end}") if link else _free_link(f"cable-{end}") for end in "ab"]
    post = CablePost(rate, ends, faults, seed, over_tcp=over_tcp)
    for terminal in post.terminals:
        print(terminal.name, flush=True)
    with contextlib.suppress(KeyboardInterrupt):
        run_stages([post], ended)
    for words, way in zip(("A to B", "B to A"), post.ways, strict=True):
        done = ", ".join(f"{name} {count}" for name, count in way.counts.items())
        left = ", ".join(f"{count} {name}" for name, count in way.bytes.items())
        click.echo(f"{words}: {done or 'nothing'}{f'; bytes: {left}' if left else ''}", err=True)


def _run_post(
    device: str,
    link: Path | None,
    seed: int,
    rate: int,
    ended: Callable[[], bool],
    after: float,
    *,
    when_opened: bool,
    over_tcp: bool,
) -> None:
    """A board, or the receiver and the radios of a walk; prints what is to be opened, one a line."""
    from pale_heron.sim.dunlin import Dunlin
    from pale_heron.sim.label import Label
    from pale_heron.sim.range_walk import RangeWalkPost
    from pale_heron.sim.run import ActorPost, run_stages
    from pale_heron.sim.vane import Vane

    end_on_signals()
    if device in BOARDS:
        label = Label(BOARDS[device], f"MARSH-{device}-{seed}")
        actor = Vane() if device == "vane" else Dunlin(seed)
        board = ActorPost(actor, rate, link or _free_link(device), label, over_tcp=over_tcp)
        post: ActorPost | RangeWalkPost = board
        terminals = [board.terminal]
    else:
        ends = [
            link.with_name(f"{link.name}-{end}") if link else _free_link(f"walk-{end}")
            for end in ("curlew", "hide", "buoy")
        ]
        walk = RangeWalkPost(rate, ends, seed, BEGIN_UTC, over_tcp=over_tcp)
        post, terminals = walk, list(walk.terminals)
    for terminal in terminals:
        print(terminal.name, flush=True)
    _tell_next(terminals[0].name, terminals[0].rate)
    with contextlib.suppress(KeyboardInterrupt):
        power = _on_a_second(post) if device != "vane" else None
        run_stages([post], ended, after, lambda: not when_opened or all(each.taken for each in terminals), power)


def _on_a_second(post: "ActorPost | RangeWalkPost") -> Callable[[], float]:
    """Power that comes when the host's clock begins a second; whoever tells the time tells that one."""
    from pale_heron.sim.range_walk import RangeWalkPost
    from pale_heron.sim.run import next_second

    def power() -> float:
        second, begin = next_second()
        if isinstance(post, RangeWalkPost):
            post.begin_at(second)
        return begin

    return power


def _faults(device: str, texts: Sequence[str]) -> AnyFaults:
    kind, found = FAULTS[device], dict[str, float]()
    for text in texts:
        name, _, value = text.partition("=")
        field = name if name in kind._fields else f"{name}_s"
        if field not in kind._fields:
            known = dict.fromkeys(each.removesuffix("_s") for each in kind._fields)
            raise Trouble(f"{device} has no fault {name!r}{did_you_mean(name, known)}", f"It has: {', '.join(known)}")
        found[field] = seconds(value) if field.endswith("_s") else share(value)
    return kind(**found)


def _run_snipe(faults: SnipeFaults, host_ppm: float, ended: Callable[[], bool]) -> None:
    """A time server; prints host and port."""
    from pale_heron.sim.snipe import Snipe

    end_on_signals()
    server = Snipe(faults, host_ppm)
    print(server.address, flush=True)
    with contextlib.suppress(KeyboardInterrupt):
        server.run(ended)


def _tell_pulses(counts: Mapping[str, int]) -> None:
    """What became of the pulses."""
    click.echo(f"pulses {counts['pulses']}, missed {counts['missed']}, doubled {counts['doubled']}", err=True)


def _run_modules(
    kind: str,
    link: Path | None,
    seed: int,
    rate: int,
    ended: Callable[[], bool],
    after: float,
    begun: "ModuleStart",
    *,
    when_opened: bool,
    over_tcp: bool,
) -> None:
    """The modules of a kind; prints what is to be opened, one a line."""
    from pale_heron.sim.calls import RATES as KNOWN
    from pale_heron.sim.modules import ModulePost, placed
    from pale_heron.sim.run import run_stages

    if rate not in KNOWN:
        raise Trouble(f"Its line rate cannot be {rate}", f"It knows {', '.join(map(str, KNOWN))}")
    end_on_signals()
    posts: list[ModulePost] = []
    for module in placed(kind, seed, int(time.time()), begun):
        # One module has the link itself; the second Bittern, and those of the marsh, have it with their names behind.
        whole = kind != "marsh" and not posts
        own = link if link is None or whole else link.with_name(f"{link.name}-{module.name}")
        path = own or _free_link(module.name)
        posts.append(ModulePost(module, rate, path, over_tcp=over_tcp))
        print(posts[-1].terminal.name, flush=True)
    _tell_next(posts[0].terminal.name, rate)
    with contextlib.suppress(KeyboardInterrupt):
        run_stages(posts, ended, after, lambda: not when_opened or all(post.terminal.taken for post in posts))


def _input_ended() -> Callable[[], bool]:
    """Tells whether the process that started this one is gone: its end of our standard input is closed."""
    ended = threading.Event()

    def read() -> None:
        with contextlib.suppress(OSError):
            while os.read(sys.stdin.fileno(), 4096):
                pass
        ended.set()

    threading.Thread(target=read, name="input", daemon=True).start()
    return ended.is_set


def _check(device: str, rate: int, every: int, start: str, scene: str) -> None:
    if device not in DEVICES:
        raise Trouble(f"There is no simulated device {device!r}", f"There are: {', '.join(DEVICES)}")
    if rate not in RATES:
        raise Trouble(f"Its line rate cannot be {rate}", f"It knows {', '.join(map(str, RATES))}")
    if every and not 100 <= every <= 1000:
        raise Trouble(f"{every} ms between epochs is not 100 to 1000", "Leave --every out for what the scene has")
    if start and start not in START_TIMES:
        raise Trouble(f"It cannot start {start!r}", f"It starts {', '.join(START_TIMES)}")
    if scene not in SCENES:
        raise Trouble(f"There is no scene {scene!r}", f"There are: {', '.join(SCENES)}")


def _tell_next(path: str, rate: int) -> None:
    """What can be done now, for whoever sits there."""
    if sys.stderr.isatty():
        click.echo(f"Open it: pale-heron watch {path}@{rate}   Ctrl-C ends it", err=True)


def _free_link(device: str) -> Path:
    """A name in the folder where the port list looks, that no running device has."""
    folder = own_folder()
    return next(
        folder / name
        for name in (device, *(f"{device}-{count}" for count in range(2, 1000)))
        if not is_there(folder / name)
    )
