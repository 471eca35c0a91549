"""Setting black and white by eye, as steps: what is sent, what is done, what is seen."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files


@dataclass(frozen=True)
class Step:
    """One step: the kinds of screen it is for, "SDR" or "HDR" or "" for both, the picture that is sent, and its
    words.
    """

    devices: tuple[str, ...]
    dynamic: str
    picture: str
    title: str
    text: str


@lru_cache(maxsize=1)
def _steps() -> tuple[Step, ...]:
    text = files("idle_quarry.line").joinpath("data/by_eye.toml").read_text(encoding="utf-8")
    return tuple(
        Step(tuple(load["for"]), load.get("dynamic", ""), load["picture"], load["title"], load["text"])
        for load in tomllib.loads(text)["step"]
    )


def steps_for(device: str, hdr: bool) -> tuple[Step, ...]:
    """Return the steps for a kind of screen and a signal, in order."""
    dynamic = "HDR" if hdr else "SDR"
    return tuple(step for step in _steps() if device in step.devices and step.dynamic in ("", dynamic))
