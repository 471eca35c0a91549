"""What a check wants, in words: its value is made for scripts."""

from __future__ import annotations

from typing import Any

_SAID = {"top": "upper field first", "bottom": "lower field first"}
_NAMED = {"max_cll": "MaxCLL", "max_fall": "MaxFALL"}


def wanted_words(wanted: Any) -> str:
    """Return a value as an editor would say it: figures named, parts of a file one after the other."""
    if isinstance(wanted, dict):
        if "what" in wanted and "seconds" in wanted:
            length = f"{wanted['seconds']:g} s" if wanted["seconds"] else "any length"
            return f"{wanted['what']} {length}"
        return ", ".join(
            f"{_NAMED.get(key, key.replace('_', ' '))} {wanted_words(value)}"
            for key, value in wanted.items()
            if value is not None
        )
    if isinstance(wanted, (list, tuple)):
        return ", ".join(wanted_words(item) for item in wanted)
    if isinstance(wanted, float):
        return f"{wanted:g}"
    return _SAID.get(str(wanted), str(wanted))
