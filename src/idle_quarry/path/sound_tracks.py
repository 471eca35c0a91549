"""How channels of sound lie in the tracks of a file: each by itself, in pairs, or all in one."""

from __future__ import annotations

from idle_quarry.errors import NotPossible
from idle_quarry.path.entries import Codec

#: A way of tracks → how one says it.
WORDS = {"usual": "as its wrapping has it", "mono": "one a channel", "pairs": "in pairs", "one": "all in one track"}
#: The eight-channel AES3 element of D-10 in MXF (SMPTE ST 386, ST 331).
_AES3_ELEMENT = 8


def sound_tracks(wanted: str, codec: Codec, container: str, channels: int) -> tuple[int, ...]:
    """Return how many channels each track of a file has, in their order: none without sound.

    Raises `NotPossible` for what the wrapping cannot carry, with what it can.

    >>> from idle_quarry.path.registry import codecs
    >>> sound_tracks("pairs", codecs()["rdd36-hq"], "mov", 5)
    (2, 2, 1)
    >>> sound_tracks("usual", codecs()["d10-50"], "mxf", 2)
    (8,)
    """
    if not channels:
        return ()
    if codec.encode.muxer == "mxf_d10":
        if channels > _AES3_ELEMENT:
            raise NotPossible(
                f"D-10 carries {_AES3_ELEMENT} channels at the most, not {channels}",
                subject=codec.name,
                remedy="choose a layout of eight channels, or another codec",
            )
        if wanted not in ("usual", "one"):
            raise NotPossible(
                f"D-10 carries its sound in one element of eight channels (SMPTE ST 386), not {WORDS[wanted]}",
                subject=codec.name,
                remedy="ask for all in one track",
            )
        return (_AES3_ELEMENT,)
    if container == "dv":
        if channels > 2 or wanted == "mono":
            raise NotPossible(
                "a DV stream carries one pair of channels",
                subject=codec.name,
                remedy="choose stereo in one track, or wrap it in QuickTime or MXF",
            )
        return (channels,)
    if wanted == "usual":
        wanted = "mono" if container == "mxf" else "one"
    if wanted == "one":
        return (channels,)
    width = 1 if wanted == "mono" else 2
    return tuple(min(width, channels - first) for first in range(0, channels, width))
