"""What the documents name is there: links and their headings, modules, and what is said of who may import what."""

from __future__ import annotations

import re
from pathlib import Path

import idle_quarry

ROOT = Path(__file__).resolve().parents[1]
PACKAGE = Path(idle_quarry.__file__).parent
DOCUMENTS = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *sorted((ROOT / "docs").rglob("*.md"))]


def headings(text: str) -> set[str]:
    """Return the anchors of a document's headings, as forges make them."""
    titles = re.findall(r"(?m)^#+ (.+)$", text)
    return {re.sub(r"[^\w\- ]", "", title.lower()).replace(" ", "-") for title in titles}


def test_every_link_leads_somewhere() -> None:
    followed = 0
    for document in DOCUMENTS:
        for target in re.findall(r"\]\(([^)#\s]*(?:#[^)\s]*)?)\)", document.read_text()):
            path, _, anchor = target.partition("#")
            there = (document.parent / path).resolve() if path else document
            assert there.exists(), f"{document.name}: {target}"
            assert not anchor or anchor in headings(there.read_text()), f"{document.name}: {target}"
            followed += 1
    assert followed > 50


def test_the_modules_that_are_named_are_there() -> None:
    """A name in backticks with a slash is a module, a folder or a file of the project, with what is in it after a
    point.
    """
    named = 0
    for document in [*(ROOT / "docs/decisions").glob("*.md"), ROOT / "docs/architecture.md", ROOT / "CONTRIBUTING.md"]:
        for path, name in re.findall(r"`((?:\w+/)+\w*)(?:\.(?:py|(\w+)))?[`(]", document.read_text()):
            places = [base / path for base in (PACKAGE, PACKAGE / "jobs", PACKAGE / "app", PACKAGE / "path", ROOT)]
            files = [place.with_suffix(suffix) for place in places for suffix in (".py", ".toml", ".md", ".txt")]
            there = [place for place in (*files, *places) if place.exists()]
            assert there, f"{document.name}: {path}"
            if name and name not in ("toml", "md", "json", "txt"):
                sources = there[0].rglob("*.py") if there[0].is_dir() else [there[0]]
                assert any(name in source.read_text() for source in sources), f"{document.name}: {path}.{name}"
            named += 1
    assert named > 80


def test_numba_is_imported_only_where_loops_are_compiled() -> None:
    importing = {
        str(path.relative_to(PACKAGE))
        for path in PACKAGE.rglob("*.py")
        if re.search(r"(?m)^\s*(?:import|from) numba\b", path.read_text())
    }
    loops = ("compiling/", "picture/loops/", "line/kernels.py", "sound/kernels.py")
    assert importing and all(name.startswith(loops) for name in importing), importing
