"""A dialect that was drafted of a conversation, as the text of a file; each guess is marked for a person to see."""

import re
from collections.abc import Iterable, Mapping
from itertools import chain, count
from pathlib import Path
from typing import Any

from pale_heron.bench.config.dialect_book import DialectBook
from pale_heron.bench.config.dialects import known_dialects, user_folder
from pale_heron.core.device.dialogue.exchanges import PROMPT, SENT, Exchange, Item, Unsolicited
from pale_heron.core.device.learning import Draft, learnt
from pale_heron.core.frames import IN, OUT, Chunk
from pale_heron.core.sharing.masking import without
from pale_heron.core.streams import LaneStreams
from pale_heron.core.trouble import Trouble
from pale_heron.files.whole import written_whole

HEAD = "Drafted of a conversation that was recorded. Look at each line that is marked as guessed; see docs/dialects.md."


def drafted(chunks: Iterable[Chunk], name: str) -> str:
    """The file of the dialect of one lane. What is known to be secret is masked. ValueError where nothing was said."""
    heard = list(chunks)
    streams = LaneStreams(name, DialectBook())
    for chunk in heard:
        streams.feed(chunk)
    return without(draft_text(learnt(heard, name, known_dialects()["v250"])), streams.secrets)


def said(items: Iterable[Item], lane: str) -> list[Chunk]:
    """What was typed and answered, as far as it is kept, as bytes."""
    chunks = []
    for item in items:
        if isinstance(item, Exchange):
            chunks.append(Chunk(lane, OUT, item.begun, item.sent.strip() + b"\r"))
        if isinstance(item, Exchange | Unsolicited):
            heard = (each for each in item.heard if each.role not in (SENT, PROMPT))
            chunks += [Chunk(lane, IN, each.time, each.data + b"\r\n") for each in heard]
    return chunks


def free_name(lane: str) -> str:
    """A name for a dialect of the user's own that is not taken, after the lane."""
    name = re.sub(r"[^a-z0-9]+", "-", lane.lower()).strip("-0123456789") or "mine"
    taken = known_dialects()
    numbered = (f"{name}-{at}" for at in count(2))
    return next(each for each in chain((name,), numbered) if each not in taken)


def keep_draft(name: str, text: str) -> Path:
    """Keep a draft among the user's own dialects. Raises Trouble where it cannot be written."""
    path = user_folder() / f"{name}.toml"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with written_whole(path) as fresh:
            fresh.write_text(text, "utf-8")
    except OSError as problem:
        raise Trouble(f"{path} cannot be written: {problem.strerror}", "Look at its folder") from None
    return path


def draft_text(draft: Draft) -> str:
    """The text of a draft."""
    # Slow to load, and needed only when something is drafted.
    import tomlkit

    def filled(table: Any, given: Mapping[str, Any], path: tuple[str, ...]) -> Any:
        for key, value in given.items():
            here = (*path, key)
            if isinstance(value, Mapping):
                item = filled(tomlkit.table(is_super_table=not path), value, here)
            else:
                item = _value(value)
            why = draft.guessed.get(here, "")
            if why:
                item.comment(f"guessed: {why}")
            table[key] = item
        return table

    document = tomlkit.document()
    document.add(tomlkit.comment(HEAD))
    return tomlkit.dumps(filled(document, draft.table, ()))


def _value(value: Any) -> Any:
    """A value as people write it: expressions between single quotes; of one text no list."""
    import tomlkit

    if isinstance(value, list):
        if len(value) == 1:
            return _value(value[0])
        items = tomlkit.array()
        for each in value:
            items.append(_value(each))
        return items
    if isinstance(value, str) and "\\" in value and "'" not in value and value.isprintable():
        return tomlkit.string(value, literal=True)
    return tomlkit.item(value)
