"""What keys, clicks and the palette do, as values: a function of the application with its arguments.

Two acts with the same function and arguments are equal, so a painted line that carries one can be compared with the
line of before. Painters name the functions here; none of them is called before somebody presses or clicks.
"""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Concatenate, NamedTuple, ParamSpec, Protocol, runtime_checkable

if TYPE_CHECKING:
    from pale_heron.tui.app import PaleHeron

Arguments = ParamSpec("Arguments")


class Act(NamedTuple):
    """`run` is given the application on whose screen it is."""

    do: Callable[..., object]
    arguments: tuple[Any, ...] = ()

    def run(self, app: object) -> None:
        """Do it."""
        self.do(app, *self.arguments)


def act(do: "Callable[Concatenate[PaleHeron, Arguments], object]", *args: Arguments.args, **_: Arguments.kwargs) -> Act:
    """An act whose arguments fit its function."""
    return Act(do, args)


@runtime_checkable
class Pickable(Protocol):
    """A screen with rows that can be picked by a click."""

    def pick(self, index: int) -> None: ...


def pick(app: "PaleHeron", index: int) -> None:
    """Pick a row of the screen that is on top: a panel, or the list of ports."""
    if isinstance(app.screen, Pickable):
        app.screen.pick(index)


def show_view(app: "PaleHeron", name: str) -> None:
    app.show_view(name)


def choose_lane(app: "PaleHeron", index: int) -> None:
    app.choose_lane(index)


def seek(app: "PaleHeron", moment: int) -> None:
    app.seek(moment)


def add_lane(app: "PaleHeron") -> None:
    app.with_lanes(lambda lanes: lanes.add_lane())


def close_or_open(app: "PaleHeron") -> None:
    app.with_lanes(lambda lanes: lanes.close_or_open())


def save_bench(app: "PaleHeron") -> None:
    app.with_lanes(lambda lanes: lanes.save_bench())


def press_own_key(app: "PaleHeron", key: str) -> None:
    app.with_own_keys(lambda keys: keys.press(key))


def make_own_key(app: "PaleHeron") -> None:
    app.with_own_keys(lambda keys: keys.make())


def choose_selection(app: "PaleHeron") -> None:
    app.traffic.choose_selection()


def show_cleared(app: "PaleHeron") -> None:
    app.traffic.show_cleared()


def pick_latest(app: "PaleHeron", index: int) -> None:
    app.traffic.pick_latest(index)


def next_fix_page(app: "PaleHeron") -> None:
    app.fix.next_page()


def show_fix_page(app: "PaleHeron", page: str) -> None:
    app.fix.show_page(page)


def take_moment(app: "PaleHeron", moment: int) -> None:
    app.fix.take_moment(moment)


def next_clock_page(app: "PaleHeron") -> None:
    app.clock.next_page()


def show_clock_page(app: "PaleHeron", page: str) -> None:
    app.clock.show_page(page)


def take_record_moment(app: "PaleHeron", moment: int) -> None:
    app.proof.take_moment(moment)


def show_proof_page(app: "PaleHeron", page: str) -> None:
    app.proof.show_page(page)


def next_proof_page(app: "PaleHeron") -> None:
    app.proof.next_page()


def go_to_moment(app: "PaleHeron", moment: int) -> None:
    app.go_to_moment(moment)


def show_link_page(app: "PaleHeron", page: str) -> None:
    app.link.show_page(page)


def choose_trial(app: "PaleHeron", index: int) -> None:
    app.link.choose(index)


def next_module_page(app: "PaleHeron") -> None:
    app.module.next_page()


def show_module_page(app: "PaleHeron", page: str) -> None:
    app.module.show_page(page)


def choose_exchange(app: "PaleHeron", number: int) -> None:
    app.module.choose(number)


def choose_setting(app: "PaleHeron", row: int) -> None:
    app.module.choose_row(row)
