"""A command: something a person can do, as a value that menus, keys, palette and search are made of."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass


def _always() -> str:
    return ""


@dataclass(frozen=True)
class Command:
    """Something a person can do. `why_not` says why it cannot be done now, "" where it can."""

    name: str
    act: Callable[[], object]
    key: str = ""
    why_not: Callable[[], str] = _always
    menu: str = ""  #: which menu has it

    def carry_out(self, refuse: Callable[[str], object]) -> None:
        """Do it; or say why it cannot be done now."""
        why = self.why_not()
        if why:
            refuse(why)
        else:
            self.act()


def conflicts(keys: Mapping[str, str]) -> dict[str, list[str]]:
    """Return the commands whose key others have too, with those others."""
    results: dict[str, list[str]] = {}
    for name, key in keys.items():
        others = [other for other, same in keys.items() if same == key and other != name]
        if key and others:
            results[name] = others
    return results
