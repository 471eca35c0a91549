"""The setting that says by which cadence whole pictures are spread over a source or a delivery."""

from __future__ import annotations

from collections.abc import Iterator

from idle_quarry.path.settings.setting import Setting, named, one_of
from idle_quarry.path.steps.pulldown import cadences_in, pictures_of
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.rates import rate_text


def pulldown_setting(place: str, sheet: str, fmt: SignalFormat, cadence: str, *, chosen: bool) -> Iterator[Setting]:
    """Yield the pulldown of a station's format, where one can run in it or is chosen."""
    options = {"None": "none"} | {cadence.name: cadence.id for cadence in cadences_in(fmt)}
    if cadence and cadence not in options.values():
        options[cadence] = cadence
    if len(options) == 1:
        return
    pictures = pictures_of(fmt, cadence) if cadence else None
    follows = (
        "fields and pictures are as they are"
        if pictures is None
        else (
            f"{rate_text(pictures.rate)} whole pictures a second"
            f" {'are taken out of it' if chosen else 'are spread over it'}, nothing is lost"
        )
    )
    yield Setting(
        f"{place}.pulldown",
        sheet,
        "Pulldown",
        named(options, cadence or "none"),
        follows,
        one_of(options, "pulldown"),
        tuple(options),
        free=False,
        explained=(
            "Whole pictures that were spread over fields, or repeated, by a fixed cadence. It is not deinterlacing."
        ),
    )
