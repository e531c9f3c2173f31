"""What an answer is, and the questions that are answered."""

from collections.abc import Mapping
from typing import Final, NamedTuple

QUESTIONS: Final[Mapping[str, str]] = {
    "line": "Is anything arriving, and is it legible?",
    "traffic": "What is being said, by whom, when?",
    "fix": "Where are we, and how sure?",
    "clock": "What time is it, and how late does it reach us?",
    "module": "Does the module obey, and is it set as intended?",
    "link": "Does the link deliver, undamaged, how fast, how far?",
    "proof": "What can I show for it?",
}
"""By the names of the views that answer them."""


class ViewAnswer(NamedTuple):
    """`role` is how it stands (`reed` well, `amber` in doubt, `coral` badly); `parts` are its words, each in a role."""

    role: str
    parts: tuple[tuple[str, str], ...]

    @property
    def text(self) -> str:
        """The words alone."""
        return "".join(words for words, _ in self.parts)


def answered(role: str, *parts: str | tuple[str, str]) -> ViewAnswer:
    """An answer of plain words and of (words, role); empty ones are left out."""
    pairs = (part if isinstance(part, tuple) else (part, "text") for part in parts)
    return ViewAnswer(role, tuple(pair for pair in pairs if pair[0]))
