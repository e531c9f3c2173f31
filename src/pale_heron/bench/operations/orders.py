"""What a receiver can be ordered, by its dialect: the same for the screen, a shell and a routine."""

from collections.abc import Iterable, Mapping, Sequence

from pale_heron.bench.operations.receiver import Work, changing_rate, sending, storing
from pale_heron.core.device.schema.actions import DeviceAction
from pale_heron.core.device.schema.dialect import Dialect
from pale_heron.core.frames import NMEA, TEXT, Event, Frame
from pale_heron.core.line.settings import nearest_words
from pale_heron.core.trouble import Trouble
from pale_heron.core.wire.visible import safe_text

STORE_AND_VERIFY = "store-and-verify"
RATES_TRIED = (9600,)


def recognised(
    entries: Iterable[Frame | Event], lane: str, dialects: Mapping[str, Dialect]
) -> tuple[Dialect, str] | None:
    """The dialect by what the device said of itself, and the line that says so; the newest counts."""
    for entry in reversed(list(entries)):
        if not isinstance(entry, Frame) or entry.lane != lane:
            continue
        if entry.kind is TEXT or (entry.kind is NMEA and (entry.type[:1] == "P" or entry.type[-3:] == "TXT")):
            said = safe_text(entry.data.strip())
            for dialect in dialects.values():
                if dialect.recognises(said):
                    return dialect, said
    return None


def named_action(dialect: Dialect, name: str) -> DeviceAction:
    """An order by its name. Raises Trouble where the dialect has none of that name."""
    if name == STORE_AND_VERIFY and {"store", "restart"} <= dialect.actions.keys():
        return dialect.actions["restart"]
    action = dialect.actions.get(name)
    if action is None:
        known = [*dialect.actions, *([STORE_AND_VERIFY] if "store" in dialect.actions else [])]
        raise Trouble(f"The dialect {dialect.name} has no order {name!r}{nearest_words(name, known)}", "")
    return action


def values_in_order(action: DeviceAction, given: Sequence[str]) -> dict[str, str]:
    """Values by the names of the parameters, in their order. Raises Trouble where they do not fit."""
    names = [each.name for each in action.parameters]
    if len(given) != len(names):
        wanted = ", ".join(f"{each.name}: {each.legal}" for each in action.parameters) or "none"
        raise Trouble(f"{action.name} takes {len(names)} values, {len(given)} are given", f"It takes {wanted}")
    values = dict(zip(names, given, strict=True))
    if wrong := action.check(values):
        raise Trouble(f"{action.name}: {wrong}", "Nothing was sent")
    return values


def ordering(dialect: Dialect, name: str, values: Mapping[str, str]) -> Work:
    """What does an order: the line rate with its way back, what is stored with a look at whether it lasted."""
    if name == "line-rate":
        action = dialect.actions[name]
        rate = values[action.changes_rate or "rate"]
        if not rate.isdecimal():
            raise Trouble(f"{rate!r} is not a line rate", "A whole number is wanted")
        return changing_rate(dialect, int(rate))
    if name == STORE_AND_VERIFY:
        return storing(dialect, RATES_TRIED)
    return sending(dialect.actions[name], values)
