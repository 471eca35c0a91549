"""The table of codecs: its columns, and a row."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from idle_quarry.picture.metrics import IDENTICAL_DB

if TYPE_CHECKING:
    pass


#: Heads of the table, and what each column says.
COLUMNS = {
    "Codec": "as its standard calls it",
    "Mb/s published": "published, for this format",
    "here": "as this material made it",
    "GB/h": "as measured, else as published",
    "Encode": "multiples of real time on this machine",
    "Decode": "multiples of real time on this machine",
    "PSNR 1st": "dB of luma, after once",
    "3rd": "dB of luma, after three times",
    "5th": "dB of luma, after five times",
    "SSIM 5th": "likeness of structure after five times",
    "Worst": "the least like of all pictures, after five times",
}


@dataclass(frozen=True)
class CodecRow:
    """A codec in the table: its id, whether it is the template's, and its cells with the roles of their colours."""

    codec: str
    own: bool
    cells: tuple[tuple[str, str], ...]


def decibels(value: float) -> str:
    """Return a figure in dB, in words."""
    return "exact" if value >= IDENTICAL_DB else f"{value:.1f}"
