"""Operations on a module: read its settings, write those that differ, keep them over a restart.

Each is a work for an Operation (acting.py): steps that end with what was seen.
"""

from collections.abc import Mapping
from typing import Final

from pale_heron.bench.config.dialect_book import STANDARD
from pale_heron.bench.operations.command_client import CommandClient
from pale_heron.bench.operations.receiver import SteppedOperation, Work
from pale_heron.bench.operations.registry import OperationFailed
from pale_heron.core.device.dialogue.exchanges import COMMAND, Exchange
from pale_heron.core.device.dialogue.tracker import PENDING, ModuleSnapshot
from pale_heron.core.device.schema.commands import QUERY, RUN, SET
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.fields import MASK
from pale_heron.core.device.schema.notices import NO_ANSWER, OK, UNCLEAR
from pale_heron.core.device.schema.settings import Setting

START_S: Final = 8.0
LOOK_S: Final = 0.25
READY_S: Final = 1.2
Row = tuple[tuple[str, str], ...]


def client(operation: SteppedOperation) -> CommandClient:
    """Tells the module of an operation's lane."""
    return CommandClient(operation.bench, operation.lane, lambda: operation.given_up, operation.hidden)


def known(operation: SteppedOperation) -> ModuleSnapshot:
    """What is known of the module. Raises Failed where it is nothing."""
    module = operation.bench.module_of(operation.lane)
    if module is None:
        raise OperationFailed("it was never spoken to: send AT first")
    return module


def introduced(operation: SteppedOperation) -> ModuleSnapshot:
    """What is known of the module, which is asked what it is where nobody has said so yet."""
    module = operation.bench.module_of(operation.lane)
    asked = module is not None and any(isinstance(each, Exchange) and each.sent == b"ATI" for each in module.items)
    if module is None or (module.dialect.name == STANDARD and not asked):
        operation.begin("ask what it is")
        exchange = client(operation).run("ATI")
        if exchange.status == NO_ANSWER:
            raise OperationFailed(f"{answered(exchange)}: is the rate right? r finds it")
        operation.done(f"{answered(exchange)}, it speaks {known(operation).dialect.name}")
    return known(operation)


def answered(exchange: Exchange) -> str:
    """How an exchange ended, in words."""
    took = f" after {1000 * exchange.seconds:.0f} ms" if exchange.seconds is not None else ""
    if exchange.status == NO_ANSWER:
        return exchange.meaning
    if exchange.status == UNCLEAR:
        return "answered, with no result that is known"
    return f"{exchange.result}{took}" + ("" if exchange.status == OK else f": {exchange.meaning}")


def reading(names: tuple[str, ...] = ()) -> Work:
    """Read the settings of these names, or all, each by its query."""

    def work(self: SteppedOperation) -> None:
        dialect = introduced(self).dialect
        wanted = [each for each in dialect.settings.values() if not names or each.name in names]
        if not wanted:
            raise OperationFailed(f"the dialect {dialect.name} describes no settings")
        refused = read_settings(self, wanted)
        if refused:
            self.begin("what could not be read")
            raise OperationFailed(", ".join(refused))

    return work


def read_settings(self: SteppedOperation, wanted: list[Setting]) -> list[str]:
    """Read settings, each command once; gives what could not be read, with why."""
    commands, refused = client(self), []
    for command in dict.fromkeys(each.command for each in wanted):
        self.begin(f"read {', '.join(each.name for each in wanted if each.command == command)}")
        exchange = commands.ask(command, QUERY)
        if exchange is None:
            self.done("it cannot be read, only written")
        elif exchange.status != OK:
            self.failed(answered(exchange))
            refused.append(f"{command}: {answered(exchange)}")
        else:
            states, own = known(self).settings, [each for each in wanted if each.command == command]
            unread = [each.name for each in own if each.name not in states]
            shown = ", ".join(each.shown(states[each.name].read) for each in own if each.name in states)
            if unread:
                self.failed(f"the answer says nothing of {', '.join(unread)}")
                refused.append(f"{', '.join(unread)}: not known, the answer says nothing of it")
            else:
                self.done(shown)
    return refused


def writing(intended: Mapping[str, str], *, store: bool = False, restart: bool = False) -> Work:
    """Write the settings that differ from what is intended, and read them back; then keep them if asked to.

    With `restart` it is seen whether they last.
    """

    def work(self: SteppedOperation) -> None:
        dialect = introduced(self).dialect
        wanted = [dialect.settings[name] for name in intended if name in dialect.settings]
        read_settings(self, wanted)
        states = known(self).settings
        differing = [
            each
            for each in wanted
            if each.name not in states or each.differs(intended[each.name], states[each.name].now)
        ]
        if not differing:
            self.begin("compare")
            self.done(f"all {len(wanted)} are as intended")
        problems: dict[object, str] = {}
        for command, row in dict.fromkeys((each.command, each.row) for each in differing):
            # One that is refused keeps no other from being written.
            if problem := _write(self, command, row, intended):
                problems[command, row] = problem
        refused = read_settings(self, differing)
        written = [each for each in differing if (each.command, each.row) not in problems]
        try:
            if written:
                _verify(self, written, intended, "intended {}")
        except OperationFailed as wrong:
            self.failed(str(wrong))
            problems["compared"] = str(wrong)
        if problems or refused:
            self.begin("what was not done")
            raise OperationFailed("; ".join((*problems.values(), *refused)))
        if store:
            store_now(self)
        if restart:
            restart_now(self)
            read_settings(self, wanted)
            _verify(self, wanted, intended, "intended {}")

    return work


def _write(self: SteppedOperation, command: str, row: Row, intended: Mapping[str, str]) -> str:
    """Tell one command with all its values: those that are intended, else those that it has. Gives why it failed.

    Of a table it writes one row, with what else the reply told of that row.
    """
    module = known(self)
    values, shown = _last_row(module, command, row) if row else {}, []
    for each in module.dialect.settings.values():
        if each.command == command and each.row == row:
            state = module.settings.get(each.name)
            value = intended.get(each.name) or (state.now if state else "")
            values[each.value] = value
            shown.append(f"{each.name} {MASK if each.secret else value}")
    self.begin(f"write {', '.join(shown)}")
    described = module.dialect.commands[command]
    exchange = client(self).ask(command, SET, described.fitting(SET, values) if row else values)
    if exchange is not None and exchange.status == OK:
        self.done(answered(exchange))
        return ""
    problem = "it cannot be written, only read" if exchange is None else answered(exchange)
    self.failed(problem)
    return f"{command}: {problem}"


def _last_row(module: ModuleSnapshot, command: str, row: Row) -> dict[str, str]:
    """The values of a row of a table, as the reply told them last, by the names of fields; and the row itself."""
    heard = [line for item in module.items if isinstance(item, Exchange) for line in item.heard if line.name == command]
    rows = (dict(line.fields) for line in reversed(heard))
    return {**next((each for each in rows if all(each.get(name) == value for name, value in row)), {}), **dict(row)}


def _verify(self: SteppedOperation, wanted: list[Setting], expected: Mapping[str, str], but: str) -> None:
    """Compare; `but` says of an expected value that it is not the one that was read.

    What a query does not tell before a restart cannot be compared yet: it is said, and is no failure.
    """
    states = known(self).settings
    found = [(each, states[each.name]) for each in wanted if each.name in states]
    self.begin("compare what was read back")
    wrong = [
        f"{each.name} is {each.shown(state.now)}, {but.format(each.shown(expected[each.name]))}"
        for each, state in found
        if each.differs(expected[each.name], state.now)
    ]
    if wrong:
        raise OperationFailed("; ".join(wrong))
    pending = [each.name for each, state in found if state.storage == PENDING]
    unseen = [f"{each.name} still reads {each.shown(state.read)}" for each, state in found if state.unseen]
    notes = [f"{', '.join(pending)} from the next restart on"] if pending else []
    notes += [f"{', '.join(unseen)}: a restart shows whether it was taken"] if unseen else []
    self.done("; ".join(["as written" if unseen else "all as intended", *notes]))


def store_now(self: SteppedOperation) -> None:
    self.begin("store")
    exchange = client(self).ask("store", "run")
    if exchange is None:
        raise OperationFailed("its dialect has no command called store")
    if exchange.status != OK:
        raise OperationFailed(answered(exchange))
    self.done(answered(exchange))


def restart_now(self: SteppedOperation) -> None:
    """Tell it to restart and give it the time for that."""
    self.begin("restart")
    before = len(known(self).restarts)
    exchange = client(self).ask("restart", "run")
    if exchange is None:
        raise OperationFailed("its dialect has no command called restart")
    if exchange.status == "error":
        raise OperationFailed(answered(exchange))
    waited = 0.0
    while len(known(self).restarts) == before and waited < START_S:
        self.rest(LOOK_S)
        waited += LOOK_S
        if waited >= 2 * READY_S and not any(each.restarts for each in known(self).dialect.notices.values()):
            break
    self.rest(READY_S)
    self.done("it has started" if len(known(self).restarts) > before else "its start was not announced")


def asking() -> Work:
    """Ask for every reading that can be asked for without harm; one that it refuses is noted, and the rest asked."""

    def work(self: SteppedOperation) -> None:
        refused, lines = [], questions(introduced(self).dialect)
        for each in lines:
            self.begin(each)
            exchange = client(self).run(each)
            if exchange.status == OK:
                self.done(answered(exchange))
            else:
                self.failed(answered(exchange))
                refused.append(each)
        if len(refused) == len(lines):
            self.begin("its answers")
            raise OperationFailed("it answered none of them")

    return work


def questions(dialect: Dialect) -> list[str]:
    """The harmless command lines whose replies carry what the dialect calls a reading."""
    wanted = {field.name for field in dialect.readings.values()}
    return [
        command.forms[form][0]
        for command in dialect.commands.values()
        if any(wanted & set(each.groupindex) for each in command.replies)
        for form in (QUERY, RUN)
        if form in command.forms and not command.risk(form)
    ]


def keeping() -> Work:
    """Store, restart, and see that what was set is still there."""

    def work(self: SteppedOperation) -> None:
        module = known(self)
        wanted = [each for each in module.dialect.settings.values() if each.name in module.settings]
        before = {each.name: module.settings[each.name].now for each in wanted}
        store_now(self)
        restart_now(self)
        read_settings(self, wanted)
        _verify(self, wanted, before, "but {} was set")

    return work


def escaping() -> Work:
    """Bring it from data mode back to command mode."""

    def work(self: SteppedOperation) -> None:
        if known(self).mode == COMMAND:
            self.begin("in which mode is it?")
            self.done("in command mode already: nothing was sent")
            return
        guard = known(self).dialect.guard_s
        self.begin(f"silence of {guard:g} s, the escape, silence")
        if not client(self).escape():
            raise OperationFailed("it stays in data mode")
        self.done("command mode")

    return work
