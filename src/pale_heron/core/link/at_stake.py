"""What is at stake before anything is sent through a module as it is."""

from pale_heron.core.device.dialogue.exchanges import COMMAND, DATA, Exchange
from pale_heron.core.device.dialogue.tracker import ModuleSnapshot


def at_stake(module: ModuleSnapshot | None, name: str, *, messages: bool = False) -> str:
    """What a trial through the module of a lane would do besides counting; empty where nothing is at stake.

    Its `messages` may be meant as commands.
    """
    if module is None:
        return ""
    if module.mode == COMMAND and not module.dialect.payload_command and not messages:
        return f"The module of {name} is in command mode: it takes probes for commands."
    # The last command led into data mode: what it risks goes on as long as that lasts.
    last = next((each for each in reversed(module.items) if isinstance(each, Exchange)), None)
    spoken = last.spoken if last is not None else ()
    if module.mode == DATA and any(each.command and "costs" in each.command.risks for each in spoken):
        return f"{name} is connected by a call that may cost money by time or volume."
    return ""
