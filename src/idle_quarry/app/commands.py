"""Commands: what a person can do, as values; and the keys they have."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Command:
    """Something a person can do: its name, its key, and the plain function behind both."""

    name: str
    key: str
    act: Callable[[], object]


def conflicts(keys: Mapping[str, str]) -> dict[str, list[str]]:
    """Return the commands whose key others have too, with those others."""
    found: dict[str, list[str]] = {}
    for name, key in keys.items():
        others = [other for other, same in keys.items() if same == key and other != name]
        if key and others:
            found[name] = others
    return found
