"""A codec in words, for who looks it up."""

from __future__ import annotations

from typing import TYPE_CHECKING

from idle_quarry.path.entries import Codec

if TYPE_CHECKING:
    pass


_QUALITIES = {
    "lossless": "lossless",
    "intermediate": "made for work: no loss to be seen at first generation",
    "proxy": "made small: for viewing, not for work",
    "delivery": "made for delivery",
}


def codec_words(codec: Codec) -> list[tuple[str, str]]:
    """Return what a codec that ships is, as labels and texts."""
    holds = codec.holds
    rasters = (
        f"{holds.least} to {holds.most} samples wide and high"
        if holds.rasters == "any"
        else ", ".join(f"{w} × {h}" for w, h in holds.rasters)
    )
    scans = ", ".join("PsF" if scan == "psf" else scan for scan in holds.scans)
    return [
        ("Name", codec.name),
        ("From", codec.source),
        ("Standard", codec.standard),
        ("Profile", codec.profile),
        ("Quality", _QUALITIES[codec.quality]),
        ("Containers", ", ".join(codec.containers)),
        ("Rasters", rasters),
        ("Frame rates", "any" if holds.rates == "any" else ", ".join(holds.rates)),
        ("Scans", scans),
        ("Bits", f"up to {holds.bit_depth}"),
        ("Sampling", ", ".join(holds.samplings)),
        (
            "A variant may set",
            ", ".join({"mbps": "data rate", "gop": "pictures in a group"}[vary] for vary in codec.varies)
            or "its containers and a table of rates",
        ),
    ]
