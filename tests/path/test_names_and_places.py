"""Names that file systems refuse, and where Linux keeps its own things."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from idle_quarry.path.findings.places import on_system_disk
from idle_quarry.path.names import cleaned_name, name_refused
from idle_quarry.path.template import slug


@pytest.mark.parametrize(
    ("name", "why"),
    [
        ("", "empty"),
        ("   ", "empty"),
        (".", "folder itself"),
        ("..", "folder itself"),
        ("a/b", "'/'"),
        ("a\\b", "'\\\\'"),
        ("a:b", "':'"),
        ("what?", "'?'"),
        ("tab\there", "control"),
        ("nul", "device"),
        ("COM3.txt", "device"),
        ("end.", "dot"),
        (" lead", "space"),
        ("é" * 128, "bytes"),
    ],
)
def test_refused_names_say_why(name: str, why: str) -> None:
    assert why in str(name_refused(name))


@pytest.mark.parametrize(
    "name",
    ["Lamp Room", "Lamp Room 3.mov", "Folge 12, Teil 2", "Café – déjà vu", "日本語", "a" * 255, "com", "console"],
)
def test_good_names_are_left_alone(name: str) -> None:
    assert name_refused(name) is None and cleaned_name(name) == name


@given(st.text(max_size=400))
def test_any_name_can_be_made_acceptable_and_written(tmp_path_factory: pytest.TempPathFactory, name: str) -> None:
    result = cleaned_name(name, "unnamed")
    assert name_refused(result) is None
    assert cleaned_name(result) == result
    try:
        result.encode()
    except UnicodeEncodeError:  # lone surrogates are no text
        return
    target = Path(tmp_path_factory.getbasetemp()) / result
    target.touch()
    assert target.name in {p.name for p in target.parent.iterdir()}
    target.unlink()


@given(st.text(max_size=60), st.sets(st.text(max_size=8)))
def test_ids_are_ids_and_new(text: str, taken: set[str]) -> None:
    import re

    result = slug(text, taken)
    assert re.fullmatch(r"[a-z0-9][a-z0-9-]{0,39}", result) and result not in taken


def test_the_system_disk() -> None:
    for path in ("/", "~", "~/jobs", "/home/runa/jobs", "/tmp/x", "/var/cache", "/opt"):
        assert on_system_disk(path), path
    for path in ("/media/travel/cache", "/mnt/san/work", "/homework", "/volumes/x", ""):
        assert not on_system_disk(path), path
