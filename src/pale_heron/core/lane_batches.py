"""What a lane looks at in a batch of sentences by itself. Loaded with the first batch, since it brings numpy."""

import numpy as np

from pale_heron.core.gnss.starting import start_mode
from pale_heron.core.nmea.columns import times_told
from pale_heron.core.nmea.talk import is_talk
from pale_heron.core.wire.sentence_batch import Addresses, Flags, SentenceBatch

__all__ = ["Addresses", "starts", "talk_rows", "times_told"]


def talk_rows(batch: SentenceBatch) -> list[int]:
    """The sentences that may say something in words."""
    rows: list[int] = np.flatnonzero(batch.of_types([is_talk(name) for name in batch.names])).tolist()
    return rows


def starts(batch: SentenceBatch) -> Flags:
    """The sentences with which a receiver says that it starts: they are heard one by one."""
    found = batch.of_types([name[0] != "P" and is_talk(name) for name in batch.names])
    for row in np.flatnonzero(found).tolist():
        found[row] = bool(start_mode(batch.frame(row).data))
    return found
