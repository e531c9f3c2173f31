"""How a module's settings are meant to be, beside how they are; and two modules held against each other."""

from collections.abc import Mapping
from typing import NamedTuple

from pale_heron.core.device.dialogue.tracker import ModuleSnapshot, SettingState
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.device.schema.settings import PairedSetting, Setting, compare_modules
from pale_heron.core.line.settings import nearest_words
from pale_heron.core.trouble import Trouble


class IntendedSetting(NamedTuple):
    """One setting. `differs` is None where nothing is intended, or nothing was read."""

    setting: Setting
    intended: str
    state: SettingState
    differs: bool | None

    @property
    def legal(self) -> str:
        """What may be set, in words."""
        return self.setting.parameter.legal if self.setting.parameter else "cannot be set"


def rows_of(module: ModuleSnapshot, intended: Mapping[str, str]) -> list[IntendedSetting]:
    """Every setting of a module's dialect."""
    return [_row(each, intended.get(each.name, ""), module) for each in module.dialect.settings.values()]


def _row(setting: Setting, intended: str, module: ModuleSnapshot) -> IntendedSetting:
    state = module.settings.get(setting.name, SettingState())
    known = bool(intended and state.known and (state.now or state.read_at is not None))
    return IntendedSetting(setting, intended, state, setting.differs(intended, state.now) if known else None)


def checked(dialect: Dialect, intended: Mapping[str, str]) -> dict[str, str]:
    """Intended values that can be set. Raises Trouble that names the setting, the value, and what is legal."""
    for name, value in intended.items():
        setting = dialect.settings.get(name)
        if setting is None:
            raise Trouble(
                f"The dialect {dialect.name} has no setting {name!r}{nearest_words(name, dialect.settings)}",
                f"pale-heron dialect show {dialect.name}",
            )
        wrong = setting.parameter.check(value) if setting.parameter else f"{name} cannot be set"
        if wrong:
            raise Trouble(wrong, f"pale-heron dialect show {dialect.name}")
    return dict(intended)


def compared(
    here: ModuleSnapshot, there: ModuleSnapshot, names: tuple[str, str] = ("the first", "the second")
) -> list[PairedSetting]:
    """The rules for two modules, called by `names`. Raises Trouble where they speak different dialects."""
    if here.dialect.name != there.dialect.name:
        raise Trouble(
            f"One speaks {here.dialect.name}, the other {there.dialect.name}: there is no rule between them",
            "Compare two modules of one kind",
        )
    return compare_modules(here.dialect.settings, here.values, there.values, names, here.pending | there.pending)


def shown_value(row: IntendedSetting) -> str:
    """The newest value of a setting as `settings --json` prints it."""
    return row.setting.shown(row.state.now) if row.setting.secret and row.state.now else row.state.now


def row_object(row: IntendedSetting) -> dict[str, object]:
    """A row as `settings --json` prints it; secrets are masked."""
    shown = row.setting.shown
    return {
        "setting": row.setting.name,
        "meaning": row.setting.meaning,
        "intended": None if not row.intended else (shown(row.intended) if row.setting.secret else row.intended),
        "read": None if row.state.read_at is None and not row.state.now else shown_value(row),
        "differs": row.differs,
        "legal": row.legal,
        "standing": row.state.storage or None,
    }


def rule_object(found: PairedSetting) -> dict[str, object]:
    """A rule as `settings --json` prints it; secrets are masked."""
    shown = found.setting.shown
    secret = found.setting.secret
    return {
        "setting": found.setting.name,
        "rule": found.setting.rule,
        "here": (shown(found.here) if secret else found.here) if found.here else None,
        "there": (shown(found.there) if secret else found.there) if found.there else None,
        "holds": found.holds,
        "words": found.words,
    }
