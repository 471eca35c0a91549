"""The examples in docstrings say what is so."""

from __future__ import annotations

import doctest
from importlib import import_module
from pathlib import Path

import pytest

import idle_quarry

SOURCE = Path(idle_quarry.__file__).parent
WITH_EXAMPLES = [path for path in SOURCE.rglob("*.py") if ">>> " in path.read_text(encoding="utf-8")]


@pytest.mark.parametrize("path", WITH_EXAMPLES, ids=lambda path: path.stem)
def test_examples(path: Path) -> None:
    name = ".".join(("idle_quarry", *path.relative_to(SOURCE).with_suffix("").parts)).removesuffix(".__init__")
    result = doctest.testmod(import_module(name))
    assert result.attempted and not result.failed
