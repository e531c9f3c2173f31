"""One word, one meaning: the names that readers of the code meet first."""

import ast
from collections import Counter
from pathlib import Path
from typing import Final

import pytest

import pale_heron

SOURCE: Final = Path(pale_heron.__file__).parent

TOO_WIDE: Final = {
    *("Step", "Stand", "Standing", "Told", "Heard", "Says", "Had", "Seen", "Known", "Noted", "Held", "Kept", "Chosen"),
    *("Row", "Look", "Data", "Result", "History", "Place", "Placed", "State", "Which", "Wrong", "Failed", "Gone"),
    *("Talk", "Listener", "Speaker", "Stage", "Side", "Stream", "Key", "Table", "Problem", "Plan", "Action", "Moment"),
}
"""Words that stood for several things, or for one that nobody could guess: a class says in its name what it is of."""


def class_names() -> Counter[str]:
    """Every class of the program, nested ones too, without the mark of a private one."""
    trees = [ast.parse(path.read_text("utf-8")) for path in sorted(SOURCE.rglob("*.py"))]
    found = [node.name for tree in trees for node in ast.walk(tree) if isinstance(node, ast.ClassDef)]
    assert len(found) > 200
    return Counter(name.lstrip("_") for name in found)


def test_no_name_stands_for_two_classes() -> None:
    assert [name for name, count in class_names().items() if count > 1] == []


def test_no_class_has_a_name_that_could_be_anything() -> None:
    assert TOO_WIDE & set(class_names()) == set()


@pytest.mark.parametrize("words", ["anew", "in the midst", "the begin", "is none of"])
def test_messages_and_comments_are_english(words: str) -> None:
    bare = [
        f"{path.relative_to(SOURCE)}: {line.strip()}"
        for path in sorted([*SOURCE.rglob("*.py"), *SOURCE.rglob("*.toml")])
        for line in path.read_text("utf-8").splitlines()
        if f" {words} " in f" {line} ".replace(".", " ").replace(",", " ").replace(";", " ")
    ]
    assert bare == []
