"""A dialect that was drafted of a conversation, as the text of a file; each guess is marked for a person to see."""

from collections.abc import Iterable, Mapping
from typing import Any

from pale_heron.bench.config.dialect_book import DialectBook
from pale_heron.bench.config.dialects import known_dialects
from pale_heron.core.device.learning import Draft, learnt
from pale_heron.core.frames import Chunk
from pale_heron.core.sharing.masking import without
from pale_heron.core.streams import LaneStreams

HEAD = "Drafted of a conversation that was recorded. Look at each line that is marked as guessed; see docs/dialects.md."


def drafted(chunks: Iterable[Chunk], name: str) -> str:
    """The file of the dialect of one lane. What is known to be secret is masked. ValueError where nothing was said."""
    heard = list(chunks)
    streams = LaneStreams(name, DialectBook())
    for chunk in heard:
        streams.feed(chunk)
    return without(draft_text(learnt(heard, name, known_dialects()["v250"])), streams.secrets)


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
