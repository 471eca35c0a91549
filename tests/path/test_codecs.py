"""Codecs: data rates against published figures and against what the real encoders write; a loop over the registry."""

from __future__ import annotations

from pathlib import Path

import av
import pytest

from idle_quarry.media.coding.encode import encoder_pixels
from idle_quarry.media.coding.writing import encode_still
from idle_quarry.media.names import clip_suffix
from idle_quarry.path.codecs import as_held, cannot_hold, gb_per_hour, holding, mbps
from idle_quarry.path.registry import codecs, deliveries, monitors, territories
from idle_quarry.picture.patterns.bars import rgb_picture
from idle_quarry.signal import SignalFormat
from idle_quarry.signal.catalogue import standard_formats
from idle_quarry.signal.rates import NAMED_RATES
from idle_quarry.signal.words import format_from_words as words

#: RDD 36 family: target rates as published by its maker, Mb/s (proxy, LT, standard, HQ, 4444).
_PUBLISHED = {
    "720x576i25": (12, 28, 41, 61, 92),
    "720p29.97": (23, 50, 73, 110, 165),
    "720p50": (38, 84, 122, 184, 275),
    "1080i25": (38, 85, 122, 184, 275),
    "1080p29.97": (45, 102, 147, 220, 330),
    "1080p59.94": (91, 204, 293, 440, 660),
    "2160p25": (151, 342, 492, 737, 1106),
    "2160p50": (303, 684, 983, 1475, 2212),
    "960x720p25": (16, 36, 52, 79, 118),
    "1440x1080i25": (32, 73, 105, 157, 236),
    "2048x1080p25": (43, 97, 140, 210, 315),
    "720x486i29.97": (12, 29, 42, 63, 94),
}
_PUBLISHED_XQ = {
    "720x576i25": 138,
    "720p50": 413,
    "1080p29.97": 495,
    "2160p25": 1659,
    "2048x1080p25": 472,
    "1440x1080i25": 354,
}
_FAMILY = ("rdd36-proxy", "rdd36-lt", "rdd36-standard", "rdd36-hq", "rdd36-4444")


@pytest.mark.parametrize("format_words", _PUBLISHED)
def test_published_rates(format_words: str) -> None:
    for ident, published in zip(_FAMILY, _PUBLISHED[format_words], strict=True):
        assert mbps(codecs()[ident], words(format_words)) == pytest.approx(published, rel=0.035), ident
    if format_words in _PUBLISHED_XQ:
        result = mbps(codecs()["rdd36-4444-xq"], words(format_words))
        assert result == pytest.approx(_PUBLISHED_XQ[format_words], rel=0.01)


@pytest.mark.parametrize(
    ("ident", "format_words"),
    [
        ("vc3-36", "1080p25 8bit"),
        ("vc3-145", "1080i25 8bit"),
        ("vc3-145", "720p50 8bit"),
        ("vc3-220x", "1080i29.97"),
        ("vc3-220x", "720p50"),
        ("vc3-145", "1440x1080i25 8bit"),
        ("vc3-hr-lb", "1080p25 8bit"),
        ("vc3-hr-hqx", "2160p25 hlg"),
        ("vc3-hr-444", "2048x1080p24 4:4:4"),
        ("avci-100", "1080i25"),
        ("avci-100", "1080i29.97"),
        ("avci-100", "1080p50"),
        ("avci-100", "1080p59.94"),
        ("d10-50", "576i25 8bit"),
        ("dv25", "576i25 bff 8bit 4:2:0"),
        ("v210", "720p50"),
    ],
)
def test_the_encoder_writes_what_the_data_says(ident: str, format_words: str, tmp_path: Path) -> None:
    """Constant-rate codecs: bytes of a coded frame as the real encoder makes them."""
    codec, fmt = codecs()[ident], words(format_words)
    path = tmp_path / f"clip{clip_suffix(codec)}"
    encode_still(path, codec, fmt, rgb_picture(fmt), 3)
    with av.open(str(path)) as container:
        sizes = [packet.size for packet in container.demux(container.streams.video[0]) if packet.size]
    assert sizes[-1] == pytest.approx(mbps(codec, fmt) * 1e6 / 8 / float(fmt.rate), rel=1e-3)


@pytest.mark.parametrize("codec", codecs().values(), ids=lambda codec: codec.id)
def test_every_codec_holds_something_and_only_offers_what_it_holds(codec: object) -> None:
    known = [
        *(standard_format.format for standard_format in standard_formats()),
        words("576i25 4:3 bff"),
    ]  # the last is what DV has
    held = [fmt for fmt in known if not cannot_hold(codec, as_held(codec, fmt))]  # type: ignore[arg-type]
    assert held
    for fmt in held[:6]:
        kept = as_held(codec, fmt)  # type: ignore[arg-type]
        assert 0.5 < mbps(codec, kept) < 200_000  # type: ignore[arg-type]
        assert encoder_pixels(codec, kept).format.raster == kept.raster  # type: ignore[arg-type]
        assert av.Codec(codec.encode.encoder, "w")  # type: ignore[attr-defined]


def test_lists_are_by_data_rate_and_never_offer_what_cannot_hold() -> None:
    for standard_format in standard_formats():
        result = holding(standard_format.format)
        rates = [mbps(codec, standard_format.format) for codec in result]
        assert result and rates == sorted(rates), standard_format.words
        assert not any(cannot_hold(codec, standard_format.format) for codec in result)
    assert "has no interlaced" in cannot_hold(codecs()["vc3-hr-hqx"], words("1080i25"))[0]
    assert cannot_hold(codecs()["avci-100"], words("2160p50"))
    assert cannot_hold(codecs()["dv25"], words("576i25 8bit 4:2:0"))  # DV is lower field first
    assert gb_per_hour(100) == 45


def test_registries_refer_to_what_there_is() -> None:
    assert all(monitor.accepts for monitor in monitors().values())
    for delivery in deliveries().values():
        assert not cannot_hold(codecs()[delivery.codec], delivery.signal), delivery.id
        assert isinstance(delivery.signal, SignalFormat)
    for territory in territories().values():
        assert set(territory.rates) <= set(NAMED_RATES) and territory.source
