"""The pages that the program names are there, in the sources and beside an installed copy."""

import re
from collections.abc import Iterator
from pathlib import Path

import pytest

from pale_heron.files import pages

ROOT = Path(__file__).parents[1]
NAMED = sorted(
    {
        name
        for path in (ROOT / "src").rglob("*.py")
        for name in re.findall(r"\bpage\(['\"]([\w.-]+)['\"]\)", path.read_text("utf-8"))
    }
)


@pytest.fixture(autouse=True)
def fresh() -> Iterator[None]:
    pages.page.cache_clear()
    yield
    pages.page.cache_clear()


@pytest.mark.parametrize("name", NAMED)
def test_a_page_that_is_named_is_there(name: str) -> None:
    assert Path(pages.page(name)).is_file()


def test_an_installed_copy_names_its_own_pages(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pages, "SOURCES", tmp_path / "nowhere")
    monkeypatch.setattr(pages.sysconfig, "get_path", lambda _: str(tmp_path))
    assert pages.page("dialects.md") == str(Path("docs", "dialects.md")), "left out of this installation"
    pages.page.cache_clear()
    lies = tmp_path / pages.INSTALLED / "dialects.md"
    lies.parent.mkdir(parents=True)
    lies.touch()
    assert pages.page("dialects.md") == str(lies)
