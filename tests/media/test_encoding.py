"""What is encoded is read back: every codec with every format it holds, bars by their levels, tone by its spectrum."""

from __future__ import annotations

import warnings
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from numpy.typing import NDArray

from idle_quarry.errors import MediaError
from idle_quarry.media import inspect
from idle_quarry.media.encode import clip_suffix, encode_still, encoder_pixels
from idle_quarry.path.codecs import as_held, cannot_hold
from idle_quarry.path.registry import codecs
from idle_quarry.picture.bars import pattern, rgb_picture, ycbcr_codes
from idle_quarry.picture.ident import with_ident
from idle_quarry.signal import SignalFormat, Timecode
from idle_quarry.signal.catalogue import standard_formats
from idle_quarry.signal.colour import MATRICES
from idle_quarry.signal.words import format_from_words as words
from idle_quarry.sound.tone import CHANNELS, line_up_tone

with warnings.catch_warnings():
    warnings.simplefilter("ignore")  # it tells of optional parts that are not here
    import colour

_SMALL = [
    "576i25 4:3",
    "480i29.97 16:9",
    "720p50",
    "640x360p23.976",
    "1080i25 8bit",
    "720p59.94 4:4:4 12bit",
    "576i25 16:9 bff",
]


@pytest.mark.parametrize("codec", codecs().values(), ids=lambda codec: codec.id)
def test_flags_and_timecode_survive(codec: object, tmp_path: Path) -> None:
    tried = 0
    for number, text in enumerate([*_SMALL, "1080p25"]):
        fmt = as_held(codec, words(text))  # type: ignore[arg-type]
        if cannot_hold(codec, fmt) or (tried and text == "1080p25"):  # type: ignore[arg-type]
            continue
        tried += 1
        stem = f"{number}.000001" if codec.one_picture_a_file else str(number)  # type: ignore[attr-defined]
        path = tmp_path / f"{stem}{clip_suffix(codec)}"  # type: ignore[arg-type]
        start = Timecode.from_text("09:58:30:00", fmt.rate)
        carried = encode_still(path, codec, fmt, rgb_picture(fmt), 3, start)  # type: ignore[arg-type]
        declared = inspect(path).declared
        assert (declared.width, declared.height) == (fmt.raster.width, fmt.raster.height), text
        if codec.one_picture_a_file:  # type: ignore[attr-defined]
            assert declared.frames == 3
            continue
        assert declared.rate == fmt.rate and declared.frames in (3, None)
        assert (declared.scan == "interlaced") == (fmt.scan != "progressive"), (text, declared)
        if path.suffix in (".mov", ".mxf", ".mp4"):
            assert declared.timecode == "09:58:30:00"
        if declared.primaries:
            assert declared.primaries == carried.encoding.primaries
    assert tried


@pytest.mark.parametrize(
    "text", ["1080i25", "576i25 4:3", "480i29.97", "1080p59.94", "2160p50 hlg", "2160p23.976 pq", "1080p25 8bit 4:2:0"]
)
def test_bars_have_the_levels_of_their_standard(text: str) -> None:
    fmt = words(text)
    name, strips = pattern(fmt)
    assert sum(strip.share for strip in strips) == pytest.approx(1)
    assert all(sum(share for share, _ in strip.cells) == pytest.approx(1) for strip in strips)
    luma, cb, cr = ycbcr_codes(rgb_picture(fmt), fmt.encoding)
    levels = fmt.encoding.levels
    assert luma.shape == (fmt.raster.height, fmt.raster.width)
    assert cb.shape == cr.shape
    assert luma.max() == levels.white if "100" in name else luma.max() < levels.white
    level = {"hlg": 0.75, "pq": 0.58}.get(fmt.encoding.transfer, 0.75)
    _, kr, kb, _ = MATRICES[fmt.encoding.matrix]
    assert kr is not None and kb is not None
    yellow = levels.black + (1 - kb) * level * (levels.white - levels.black)
    assert round(yellow) in np.unique(luma)
    assert levels.chroma_zero in np.unique(cb)
    if fmt.raster.width == 720:  # beyond the 702 (or 711) samples of the picture there is nothing
        assert (luma[10, :4] == levels.black).all() and (luma[10, -4:] == levels.black).all()


def test_codes_agree_with_another_library() -> None:
    """R′G′B′ to 10-bit Y′C′BC′R by this program, and by colour-science from the same values: within a code."""
    rgb = rgb_picture(words("640x360p25 4:4:4")).clip(0, 1)
    for text, key in (("640x360p25 4:4:4", "ITU-R BT.709"), ("640x360p25 4:4:4 bt2020 12bit", "ITU-R BT.2020")):
        encoding = words(text).encoding
        theirs = colour.RGB_to_YCbCr(
            rgb, K=colour.WEIGHTS_YCBCR[key], out_bits=encoding.bit_depth, out_legal=True, out_int=True
        )
        for ours, channel in zip(ycbcr_codes(rgb, encoding), np.moveaxis(theirs, -1, 0), strict=True):
            assert np.abs(channel.astype(int) - ours).max() <= 1


@pytest.mark.parametrize("layout", CHANNELS)
@pytest.mark.parametrize("level", [-12.0, -18.0, -20.0])
def test_tone(layout: str, level: float) -> None:
    tone = line_up_tone(level, 3.5, 48000, layout) / 2**31
    assert tone.shape == (168000, CHANNELS[layout])
    last: NDArray[np.float64] = tone[:, -1]
    assert 20 * np.log10(np.abs(last).max()) == pytest.approx(level, abs=0.01)
    crossings = np.count_nonzero(np.diff(np.signbit(last[:48000])))
    assert crossings in (1999, 2000, 2001)
    if layout != "mono":
        assert (
            not tone[: 48000 // 4 - 1, 0].any()
            and not tone[144000 : 144000 + 11999, 0].any()
            and tone[60000:100000, 0].any()
        )


def test_the_ident_is_written_and_only_there() -> None:
    plain = np.zeros((360, 640, 3))
    written = with_ident(
        plain,
        (
            "Lamp Room",
            "a very long line that has to be made smaller to fit the width of the picture, or it is cut",
            "third",
        ),
    )
    assert not plain.any() and not written[:300].any()
    lit = np.nonzero(written[300:].any(axis=(0, 2)))[0]
    assert lit.min() > 20 and lit.max() < 620 and written.max() == pytest.approx(0.75, abs=0.01)


def test_every_pixel_format_is_one_the_encoder_takes() -> None:
    for codec in codecs().values():
        offered = {fmt.name for fmt in av.Codec(codec.encode.encoder, "w").video_formats or ()}
        assert set(codec.encode.pixels.values()) <= offered, codec.id
        for each in standard_formats():
            if not cannot_hold(codec, each.format):
                assert encoder_pixels(codec, each.format).name in offered


def test_an_encoder_that_refuses_says_so(tmp_path: Path) -> None:
    odd = SignalFormat(words("1080p25").raster, Fraction(25))
    with pytest.raises(MediaError, match="refused"):
        encode_still(tmp_path / "no such folder" / "x.mov", codecs()["rdd36-hq"], odd, rgb_picture(odd), 1)
