"""Whether a file is coded and wrapped as a delivery wants: by decoder, profile, sampling, groups and data rate."""

from __future__ import annotations

from pathlib import Path

from idle_quarry.media.declared import DeclaredProperties
from idle_quarry.path.codecs import mbps
from idle_quarry.path.registry import Codec
from idle_quarry.signal.formats import SignalFormat

#: Models of data rate by which every picture has the same size, and those that hold one in the mean; how far each may
#: be off.
_FIXED = ("vc3", "vc3-hr", "frame-bytes", "avci", "packed")
_MEAN = ("bits-per-s",)
_OFF_FIXED, _OFF_MEAN = 0.1, 0.35


def differs(codec: Codec, fmt: SignalFormat, declared: DeclaredProperties, size: int) -> tuple[list[str], list[str]]:
    """Return how a file's coding differs from a codec: what is wrong, and what a person must look at.

    `size` is the file's, bytes.
    """
    coded = codec.coded
    if declared.codec != coded.decoder:
        return [f"{declared.codec}; {codec.name} is wanted"], []
    wrong, doubts = [], []
    profile = declared.profile or ""
    if coded.profile and profile.casefold() != coded.profile.casefold():
        wrong.append(f"profile {profile or 'none'}; {coded.profile} is wanted")
    if coded.intra is not None and coded.intra != ("Intra" in profile):
        wrong.append(f"{profile}; {'each picture by itself' if coded.intra else 'groups of pictures'} is wanted")
    samplings = {key.split()[1] for key in codec.encode.pixels}
    if declared.sampling not in samplings and "rgb" not in samplings:
        wrong.append(f"{declared.sampling}; {' or '.join(sorted(samplings))} is wanted")
    bits = min(int(key.split()[0]) for key in codec.encode.pixels)
    if declared.bit_depth < bits:
        wrong.append(f"{declared.bit_depth} bits; {bits} are wanted")
    rate = picture_mbps(declared, size)
    if rate is not None:
        meant = mbps(codec, fmt)
        text = f"{rate:.0f} Mb/s; {meant:.0f} are wanted"
        if codec.rate.model in _FIXED and abs(rate / meant - 1) > _OFF_FIXED:
            wrong.append(text)
        elif codec.rate.model in _MEAN and abs(rate / meant - 1) > _OFF_MEAN:
            doubts.append(text)
    return wrong, doubts


def picture_mbps(declared: DeclaredProperties, size: int) -> float | None:
    """Return the data rate of a file's pictures, Mb/s: all that is not sound; None where it has no length."""
    if not declared.duration_s:
        return None
    sound = sum(track.channels * track.sample_rate * (track.bit_depth or 0) for track in declared.audio)
    return (8 * size / declared.duration_s - sound) / 1e6


def wrapped_as(declared: DeclaredProperties, path: Path) -> str:
    """Return a file's wrapping: QuickTime and MP4, which are read as one, are told by the brand that the file
    begins with.
    """
    names = declared.container.casefold().split(",")
    if not {"mov", "mp4"} & set(names):
        return "mkv" if "matroska" in names else names[0]
    try:
        with path.open("rb") as file:
            head = file.read(12)
    except OSError:
        return path.suffix.removeprefix(".").casefold()
    return "mp4" if head[4:8] == b"ftyp" and head[8:12] != b"qt  " else "mov"
