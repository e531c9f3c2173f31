"""The guarded change of a line: both sides, stored, restarted, verified; and the way back where nothing answers.

does it answer ─▶ send it ─▶ open at the new line ─▶ store ─▶ restart ─▶ does it answer
                    └────────────┴── no ──▶ go back: the old line, else the new one and set back ──┘
"""

from dataclasses import dataclass, replace
from typing import Final

from pale_heron.bench.operations.command_client import CommandClient
from pale_heron.bench.operations.module import answered, client, restart_now, store_now
from pale_heron.bench.operations.receiver import SteppedOperation, Work
from pale_heron.bench.operations.registry import OperationFailed
from pale_heron.core.device.schema.commands import SET
from pale_heron.core.device.schema.notices import NO_ANSWER
from pale_heron.core.line.settings import LineSettings
from pale_heron.core.trouble import Trouble

ATTENTIONS: Final = 4
BACK_ATTENTIONS: Final = 4
BACK_WITHIN_S: Final = 60.0
"""So long a lane that was lost is waited for."""

LOOK_S: Final = 0.25
WantedCommands = list[tuple[str, dict[str, str]]]
"""Commands with their values."""

FLOWS: Final = {"none": ("0", "0"), "xonxoff": ("1", "1"), "rtscts": ("2", "2")}
"""Flow control as V.250, 6.2.12 numbers it."""


@dataclass(frozen=True, slots=True)
class LineChange:
    """What the line shall be. `store` keeps it over a restart, which is then made and verified."""

    rate: int | None = None
    flow: str | None = None
    store: bool = True

    def applied(self, settings: LineSettings) -> LineSettings:
        return replace(settings, rate=self.rate or settings.rate, flow=self.flow or settings.flow)

    @property
    def words(self) -> str:
        wanted = [f"{self.rate} baud"] if self.rate else []
        return ", ".join(wanted + ([f"flow control {self.flow}"] if self.flow else []))

    def commands(self, module: LineSettings) -> WantedCommands:
        """What the module is sent for it; `module` is how the line is set."""
        wanted: WantedCommands = []
        if self.flow is not None and self.flow != module.flow:
            flow_in, flow_out = FLOWS[self.flow]
            wanted.append(("line-flow", {"flow_in": flow_in, "flow_out": flow_out}))
        if self.rate is not None and self.rate != module.rate:
            wanted.append(("line-rate", {"rate": str(self.rate)}))
        return wanted


def changing_line(change: LineChange) -> Work:
    """Change rate and flow control on both sides, store, restart, verify; go back by itself where nothing answers."""

    def work(self: SteppedOperation) -> None:
        before = self.bench.settings_of(self.lane)
        after = change.applied(before)
        self.begin(f"does it answer at {before}?")
        # So far nothing is changed, and whoever gives up is obeyed at once.
        if not any(client(self).attention().status != NO_ANSWER for _ in range(ATTENTIONS)):
            raise OperationFailed(f"nothing answers at {before}: r finds the rate; nothing was changed")
        self.done("it does")
        wanted = change.commands(before)
        for command, _ in wanted:
            if _unstoppable(self).command(command) is None:
                self.begin(f"the command {command}")
                raise OperationFailed(f"the dialect has no command called {command}; nothing was changed")
        try:
            _change(self, wanted, after, store=change.store)
        except (OperationFailed, Trouble) as failure:
            self.failed(str(failure))
            _go_back(self, before, after, wanted)
            self.begin("the line")
            raise OperationFailed(f"it is {before} as before: {failure}") from None

    return work


def _change(self: SteppedOperation, wanted: WantedCommands, after: LineSettings, *, store: bool) -> None:
    for command, values in wanted:
        self.token.check()
        self.begin(f"send {command} {', '.join(values.values())}")
        exchange = _unstoppable(self).ask(command, SET, values)
        assert exchange is not None, "looked for before"
        if exchange.status == "error":
            raise OperationFailed(answered(exchange))
        # Without an answer it may have changed all the same: what follows finds out.
        self.done(answered(exchange))
    self.token.check()
    _open_at(self, after)
    if not store:
        return
    store_now(self)
    restart_now(self)
    self.token.check()
    self.begin(f"does it answer at {after} after the restart?")
    if not _answers(self, ATTENTIONS):
        raise OperationFailed(f"nothing answers at {after} after the restart")
    self.done("it does: stored")


def _open_at(self: SteppedOperation, settings: LineSettings) -> None:
    self.begin(f"open at {settings}")
    self.set_line(settings)
    if not _answers(self, ATTENTIONS):
        raise OperationFailed(f"nothing answers at {settings}")
    self.done("it answers")


def _go_back(self: SteppedOperation, before: LineSettings, after: LineSettings, wanted: WantedCommands) -> None:
    """Find it again, at the old line or at the new one, and leave it as it was. Raises Failed where it is not found."""
    _wait_for_lane(self, before, after)
    self.begin(f"go back to {before}")
    self.set_line(before)
    if _answers(self, BACK_ATTENTIONS):
        self.done(f"it answers at {before} as before")
        # What it took and did not do must not come true with the next start.
        _set_back(self, before, wanted)
        return
    self.failed("no answer")
    self.begin(f"look at {after} once more")
    self.set_line(after)
    if not _answers(self, BACK_ATTENTIONS):
        self.set_line(before)
        self.failed("no answer")
        self.begin("find it")
        raise OperationFailed(
            f"it answers neither at {before} nor at {after}: switch its power off and on, then r finds its rate"
        )
    self.done("it answers there")
    _set_back(self, before, wanted)
    self.begin(f"open at {before}")
    self.set_line(before)
    if not _answers(self, BACK_ATTENTIONS):
        self.set_line(after)
        raise OperationFailed(f"it does not go back: it stays at {after}, and so does the line")
    self.done(f"it answers at {before} as before")
    store_now(self)


def _wait_for_lane(self: SteppedOperation, before: LineSettings, after: LineSettings) -> None:
    """Where the lane is gone, nothing can be said of its module before it is back. Failed where it stays away."""
    if self.bench.is_open(self.lane):
        return
    self.set_line(before)
    self.begin(f"wait until {self.lane} is back, at most {BACK_WITHIN_S:g} s")
    waited = 0.0
    while waited < BACK_WITHIN_S:
        self.rest(LOOK_S)
        waited += LOOK_S
        if self.bench.is_open(self.lane):
            self.done(f"after {waited:.1f} s; both lines are tried")
            return
    raise OperationFailed(
        f"{self.lane} was lost during the change. Our side is at {before} again, and its module may be at"
        f" {before} or at {after} now: when it is back, r finds which"
    )


def _set_back(self: SteppedOperation, before: LineSettings, wanted: WantedCommands) -> None:
    flow_in, flow_out = FLOWS[before.flow]
    undo = {"line-rate": {"rate": str(before.rate)}, "line-flow": {"flow_in": flow_in, "flow_out": flow_out}}
    for command, _ in reversed(wanted):
        self.begin(f"set {command} back to {', '.join(undo[command].values())}")
        exchange = _unstoppable(self).ask(command, SET, undo[command])
        self.done(answered(exchange) if exchange else "")


def _answers(self: SteppedOperation, tries: int) -> bool:
    """Whether it answers at all; an error proves the line just as well. The first try may end garbage."""
    commands = _unstoppable(self)
    return any(commands.attention().status != NO_ANSWER for _ in range(tries))


def _unstoppable(self: SteppedOperation) -> CommandClient:
    """Whoever gives up in the middle of it is led back all the same."""
    return CommandClient(self.bench, self.lane)
