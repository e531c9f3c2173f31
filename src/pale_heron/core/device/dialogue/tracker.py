"""All that is known of one module: what was said, its readings, its milestones, and how its settings stand."""

import math
from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final

from pale_heron.core.device.dialogue.conversation import Conversation, ReportedLine
from pale_heron.core.device.dialogue.exchanges import DATA, Exchange, Item
from pale_heron.core.device.dialogue.position import position_of
from pale_heron.core.device.dialogue.reading_log import ReadingLog
from pale_heron.core.device.schema.commands import HARMLESS, SET, Command
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.fields import Field
from pale_heron.core.device.schema.notices import ERROR, FIRST_DATA, NO_ANSWER, OK, UNCLEAR
from pale_heron.core.device.schema.settings import AT_ONCE, IN_FORCE, WRITTEN, Setting
from pale_heron.core.frames import Chunk
from pale_heron.core.gnss.reported import ReportedPosition
from pale_heron.core.line.diagnosis.stages import StageStatus
from pale_heron.core.strips import ColumnStrip

SILENT: Final = 2
MOST_REACHED: Final = 500
RUNNING, STORED, NOT_STORED, PENDING = "running", "running, stored", "running, not stored", "pending a restart"
DOUBTFUL: Final = "not known: it was away since"
UNSEEN: Final = "written, not seen yet"
"""It took a value, and tells the one before: it may hold from the next restart on."""


@dataclass(frozen=True, slots=True)
class Reading:
    """The last value of a field. `source` is the line that carried it, as received."""

    field: Field
    raw: str
    time: int | None
    source: bytes

    @property
    def words(self) -> str:
        return self.field.in_words(self.raw)


@dataclass(frozen=True, slots=True)
class SettingState:
    """How one setting stands: what was read and when, what was written since, what is stored as far as it was seen."""

    read: str = ""
    read_at: int | None = None
    written: str | None = None
    """Written and acknowledged since it was read."""
    stored: str | None = None
    """None where nobody knows."""
    pending: bool = False
    unseen: bool = False
    """Whether it was read since it was written, and told the value before."""
    known: bool = True
    """Whether what it was last said to be can be believed still: the lane was not lost since."""

    @property
    def now(self) -> str:
        """The newest that is known of it."""
        return self.read if self.written is None else self.written

    @property
    def storage(self) -> str:
        """Running, stored, pending or doubtful, in words; empty where nothing is known."""
        if not self.known:
            return DOUBTFUL
        if not self.now:
            return ""
        if self.pending:
            return PENDING
        if self.unseen:
            return UNSEEN
        if self.stored is None:
            return RUNNING if self.written is None else NOT_STORED
        return STORED if self.stored == self.now else NOT_STORED


@dataclass(frozen=True, slots=True)
class ModuleSnapshot:
    """Everything that there is to say of a module."""

    dialect: Dialect
    items: tuple[Item, ...]
    count: int
    """How many items there were since the start; the last `len(items)` of them are here."""
    busy: bool
    mode: str
    mode_why: str
    """The evidence of it, in words; and when that came."""
    mode_since: int | None
    echo: bool | None
    words: bool | None
    readings: dict[str, Reading]
    milestones: dict[str, int | None]
    settings: dict[str, SettingState]
    restarts: tuple[int | None, ...]
    secrets: frozenset[str]
    """Values that went over its lane and must not be shown."""
    exchanges: int
    """Ended since the start."""
    refused: int
    unanswered: int
    unclear: int
    """Answered, with no result that the dialect knows."""
    strips: Mapping[str, ColumnStrip]
    """The numbers of each reading over all the time."""
    reached: tuple[tuple[int, str], ...]
    """When milestones were reached, also those of before a restart."""

    @property
    def values(self) -> dict[str, str]:
        """The newest value of each setting that is known."""
        return {name: state.now for name, state in self.settings.items() if state.now and state.known}

    @property
    def pending(self) -> frozenset[str]:
        """The settings whose newest value is not in force yet, or not seen to be."""
        return frozenset(name for name, state in self.settings.items() if state.pending or state.unseen)


class ModuleTracker:
    """Feed it the chunks of a lane whose module speaks a dialect."""

    def __init__(self, dialect: Dialect, before: "ModuleTracker | None" = None) -> None:
        """`before` followed the same lane in another dialect: numbers go on from there. Feed it what was said again."""
        self._conversation = Conversation(dialect, before.count if before is not None else 0)
        self._ended_before = before.ended if before is not None else None
        self.speak(dialect)
        self._readings: dict[str, Reading] = {}
        self._logs: dict[str, ReadingLog] = {}
        self._reached: deque[tuple[int, str]] = deque(maxlen=MOST_REACHED)
        self._milestones: dict[str, int | None] = {}
        self._settings: dict[str, SettingState] = {}
        self._seen = 0
        self._restarts = 0
        self._fresh: set[str] = set()
        self._in_frames: set[str] = set()
        """Secrets that were told in frames: as text nobody sees them."""
        self._exchanges = self._refused = self._unanswered = self._unclear = self._silent = 0
        self.answered_at: int | None = None
        """When a command of ours was answered last."""

    def speak(self, dialect: Dialect) -> None:
        """From now on this is its dialect; what was said before stays as it was understood."""
        self._dialect = dialect
        self._conversation.speak(dialect)
        self._by_command: dict[str, list[Setting]] = {}
        for setting in dialect.settings.values():
            self._by_command.setdefault(setting.command, []).append(setting)

    def begun(self) -> None:
        """What was said before this dialect was known has been fed: it has ended, and is nobody's news."""
        if self._ended_before is not None:
            self._conversation.count_ended(self._ended_before)
            self._seen, self._ended_before = self._ended_before, None

    @property
    def count(self) -> int:
        """How many items there were since the start."""
        return self._conversation.count

    @property
    def dialect(self) -> Dialect:
        return self._dialect

    def log_of(self, reading: str) -> ReadingLog | None:
        """The numbers of a reading over time; None where it never had one."""
        return self._logs.get(reading)

    def items_since(self, ended: int) -> list[Item]:
        """What has ended since so many had, as far as it is kept; oldest first."""
        return self._conversation.items_since(ended)

    @property
    def ended(self) -> int:
        """How many items have ended; whoever waits for an answer looks at it."""
        return self._conversation.ended_count

    @property
    def version(self) -> tuple[int, int, str, str]:
        """What changes whenever somebody who waits has to look: how many items began and ended, mode and dialect."""
        return self.count, self.ended, self._conversation.mode, self._dialect.name

    @property
    def stage_status(self) -> StageStatus:
        """Whether it answers: reached once it did, broken where the last two commands had no answer."""
        if self._silent >= SILENT:
            return StageStatus.BROKEN
        return StageStatus.REACHED if self._exchanges > self._unanswered else StageStatus.WAITING

    def feed(self, chunk: Chunk, byte_ns: int = 0) -> list[ReportedPosition]:
        """Take what was sent or received; gives the positions that it reported.

        A byte takes `byte_ns` on the line; 0 where that is not known.
        """
        self._conversation.feed(chunk, byte_ns)
        return self._take(chunk.time)

    def say_mode(self, mode: str, now: int | None) -> None:
        """A person says which mode the module is in."""
        self._conversation.say_mode(mode, now)
        self._take(now)

    def lane_gone(self, now: int | None) -> None:
        """The lane was lost or closed: what was not stored may be gone, and what was being written too."""
        in_flight = {each.name for spoken in self._conversation.waiting for each in self._by_command.get(spoken, ())}
        self._conversation.lane_gone(now)
        for name in {*self._settings, *in_flight}:
            state = self._settings.get(name, SettingState())
            kept = state.written is None and state.stored == state.now and name not in in_flight
            self._settings[name] = replace(state, known=state.known and kept)
        self._take(now)

    def tick(self, now: int) -> None:
        """Let time pass."""
        self._conversation.tick(now)
        self._take(now)

    def _take(self, now: int | None) -> list[ReportedPosition]:
        conversation = self._conversation
        reported = conversation.taken()
        ended = conversation.items_since(self._seen)
        self._seen = conversation.ended_count
        if not reported and not ended and conversation.mode != DATA:
            return []
        if len(conversation.restarts) != self._restarts:
            self._restarts = len(conversation.restarts)
            self._restarted()
        positions = [position for each in reported if (position := self._note_line(each)) is not None]
        for item in ended:
            if isinstance(item, Exchange):
                self._ended(item)
        if conversation.mode == DATA and FIRST_DATA not in self._milestones and conversation.data_came:
            self._reach(FIRST_DATA, now)
        return positions

    def _note_line(self, line: ReportedLine) -> ReportedPosition | None:
        """One line with named fields: its readings, milestones, settings, and position."""
        heard = line.heard
        if self._dialect.hides_in_frames:
            self._in_frames |= {raw for name, raw in heard.fields if raw and name in self._dialect.secrets}
        for name, raw in heard.fields:
            found = self._dialect.field_of(name)
            label = found.reading_of(dict(heard.fields))
            if label and (raw or label not in self._readings):
                self._readings[label] = Reading(found, raw, heard.time, heard.data)
                value = found.value(raw)
                if heard.time is not None and isinstance(value, int | float) and math.isfinite(value):
                    self._logs.setdefault(label, ReadingLog()).add(heard.time, value)
        for milestone in self._dialect.milestones.values():
            by_field = any(name in milestone.fields and raw in milestone.values for name, raw in heard.fields)
            if by_field or (milestone.notice and milestone.notice == heard.name):
                self._reach(milestone.name, heard.time)
        if line.command is not None and line.form in (*HARMLESS, "run"):
            self._read(line.command, dict(heard.fields), heard.time)
        return position_of(self._dialect, heard.fields, heard.time, heard.data)

    def _reach(self, milestone: str, time: int | None) -> None:
        if milestone not in self._milestones:
            self._milestones[milestone] = time
            if time is not None:
                self._reached.append((time, milestone))

    def _restarted(self) -> None:
        """It starts over: milestones count again, what was pending is in force, what was not stored is gone."""
        self._milestones.clear()
        for name, state in self._settings.items():
            self._settings[name] = SettingState(state.read, state.read_at, None, state.stored)
        self._fresh = set(self._dialect.settings)

    def _read(self, command: Command, fields: dict[str, str], time: int | None) -> None:
        for setting in self._by_command.get(command.name, ()):
            raw = fields.get(setting.value)
            if raw is None or not setting.is_row(fields):
                continue
            before = self._settings.get(setting.name, SettingState())
            stored = before.stored
            if _tells_the_one_before(setting, before, raw):
                pending = before.pending or setting.tells == IN_FORCE
                self._settings[setting.name] = replace(before, read_at=time, pending=pending, unseen=True)
                continue
            if setting.kept == AT_ONCE or setting.name in self._fresh:
                # Since the restart nothing was written: what runs is what was stored.
                stored = raw
            self._settings[setting.name] = SettingState(raw, time, None, stored, before.pending)

    def _ended(self, exchange: Exchange) -> None:
        if self._dialect.hides_in_frames:
            told = (each.values.items() for each in exchange.spoken)
            self._in_frames |= {raw for pairs in told for name, raw in pairs if raw and name in self._dialect.secrets}
        if exchange.to_far_end and exchange.status == NO_ANSWER:
            return
        self._exchanges += 1
        self._unanswered += exchange.status == NO_ANSWER
        self._silent = self._silent + 1 if exchange.status == NO_ANSWER else 0
        self.answered_at = self.answered_at if exchange.status == NO_ANSWER else exchange.ended
        self._refused += exchange.status == ERROR
        self._unclear += exchange.status == UNCLEAR
        if exchange.status != OK:
            return
        for spoken in exchange.spoken:
            command = spoken.command
            if command is None:
                continue
            if spoken.form == SET:
                for setting in self._by_command.get(command.name, ()):
                    if setting.value in spoken.values and setting.is_row(spoken.values):
                        self._written(setting, spoken.values[setting.value])
            if command.name == "store":
                self._stored()
            elif command.name == "defaults":
                self._settings.clear()

    def _written(self, setting: Setting, value: str) -> None:
        before = self._settings.get(setting.name, SettingState())
        changed = setting.differs(value, before.now)
        stored = value if setting.kept == AT_ONCE else before.stored
        self._fresh.discard(setting.name)
        pending = before.pending or (setting.restart and changed)
        self._settings[setting.name] = SettingState(before.read, before.read_at, value, stored, pending)

    def _stored(self) -> None:
        for name, state in self._settings.items():
            self._settings[name] = replace(state, stored=state.now)

    def snapshot(self, secrets: frozenset[str] = frozenset()) -> ModuleSnapshot:
        """All of it; `secrets` are those of its lane."""
        conversation = self._conversation
        return ModuleSnapshot(
            dialect=self._dialect,
            items=conversation.items,
            count=conversation.count,
            busy=conversation.busy,
            mode=conversation.mode,
            mode_why=conversation.mode_why,
            mode_since=conversation.mode_since,
            echo=conversation.echo,
            words=conversation.words,
            readings=dict(self._readings),
            milestones=dict(self._milestones),
            settings=dict(self._settings),
            restarts=tuple(conversation.restarts),
            secrets=secrets | frozenset(self._in_frames),
            exchanges=self._exchanges,
            refused=self._refused,
            unanswered=self._unanswered,
            unclear=self._unclear,
            strips={name: log.strip() for name, log in self._logs.items()},
            reached=tuple(self._reached),
        )


def _tells_the_one_before(setting: Setting, state: SettingState, raw: str) -> bool:
    """Whether a query was answered with the value in force, not with the one that was written since."""
    if state.written is None or setting.tells == WRITTEN:
        return False
    return setting.differs(state.written, raw) and not setting.differs(state.read, raw)
