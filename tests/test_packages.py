"""What the program imports is what it declares: nothing that only comes along with something else."""

import ast
import re
import sys
import tomllib
from importlib.metadata import packages_distributions
from pathlib import Path

ROOT = Path(__file__).parents[1]


def imported(folder: Path) -> set[str]:
    """The first names of all modules that are imported anywhere, at the top of a file or within a function."""
    found = set()
    for path in folder.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Import):
                found |= {each.name.partition(".")[0] for each in node.names}
            elif isinstance(node, ast.ImportFrom) and not node.level and node.module:
                found.add(node.module.partition(".")[0])
    return found - set(sys.stdlib_module_names) - {"pale_heron"}


def name_of(requirement: str) -> str:
    return re.split(r"[^\w.-]", requirement, maxsplit=1)[0].lower().replace("_", "-")


def test_what_is_imported_is_declared_and_pinned() -> None:
    distributions = packages_distributions()
    names = {distributions[module][0].lower().replace("_", "-") for module in imported(ROOT / "src")}
    project = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["project"]
    declared = {name_of(each) for each in project["dependencies"]}
    # The plugin of pytest is loaded by pytest alone.
    assert names - {"pytest"} == declared
    pinned = {name_of(each) for each in (ROOT / "requirements.txt").read_text("utf-8").split()}
    assert declared <= pinned
