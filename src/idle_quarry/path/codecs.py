"""What a codec can hold and how much data it makes, for any signal format."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache

from idle_quarry.path.registry import Codec, codecs
from idle_quarry.signal.formats import SAMPLINGS, SignalFormat
from idle_quarry.signal.rates import counting_base, rate_from_text, rate_text


def cannot_hold(codec: Codec, fmt: SignalFormat) -> tuple[str, ...]:
    """Return, a clause each, why `codec` cannot hold `fmt`; empty where it can."""
    return _cannot_hold(codec.id, fmt)


@lru_cache(maxsize=8192)
def _cannot_hold(codec_id: str, fmt: SignalFormat) -> tuple[str, ...]:
    codec = codecs()[codec_id]
    holds, raster, e = codec.holds, fmt.raster, fmt.encoding
    texts: list[str] = []
    size = (raster.width, raster.height)
    if holds.rasters != "any" and size not in holds.rasters:
        texts.append("it has only " + ", ".join(f"{w} × {h}" for w, h in holds.rasters))
    elif max(size) > holds.most or min(size) < holds.least:
        texts.append(f"its rasters go from {holds.least} to {holds.most} samples")
    elif raster.width % holds.step:
        texts.append(f"its width goes in steps of {holds.step}")
    if holds.rates != "any" and rate_text(fmt.rate) not in holds.rates:
        texts.append("its rates are " + ", ".join(holds.rates))
    elif holds.fast_only is not None and fmt.rate > 30 and raster.height != holds.fast_only:
        texts.append(f"above 30 pictures a second it has only {holds.fast_only} lines")
    elif holds.slow_only is not None and fmt.rate <= 30 and raster.height != holds.slow_only:
        texts.append(f"up to 30 pictures a second it has only {holds.slow_only} lines")
    if fmt.scan not in holds.scans:
        texts.append(f"it has no {fmt.scan} pictures")
    elif holds.field_order and fmt.field_order and fmt.field_order != holds.field_order:
        texts.append(f"it is always {'lower' if holds.field_order == 'bottom' else 'upper'} field first")
    if e.bit_depth > holds.bit_depth:
        texts.append(f"it has {holds.bit_depth} bits, the format {e.bit_depth}")
    if e.sampling not in holds.samplings:
        texts.append(f"it cannot carry {e.sampling}")
    return tuple(texts)


@lru_cache(maxsize=8192)
def _mbps(codec_id: str, fmt: SignalFormat) -> float:
    return _frame_bits(codecs()[codec_id], fmt) * float(fmt.rate) / 1e6


def mbps(codec: Codec, fmt: SignalFormat) -> float:
    """Return the codec's picture data rate for `fmt`, in Mb/s (10⁶ bits), as its source scales it."""
    return _mbps(codec.id, fmt)


def gb_per_hour(rate_mbps: float) -> float:
    """Return GB (10⁹ bytes) an hour of a rate in Mb/s."""
    return rate_mbps * 3600 / 8 / 1000


def _frame_bits(codec: Codec, fmt: SignalFormat) -> float:
    rate, width, height = codec.rate, fmt.raster.width, fmt.raster.height
    macroblocks = -(-width // 16) * -(-height // 16)
    if rate.model == "macroblocks":
        assert isinstance(rate.bits, tuple)
        return macroblocks * next(bits for most, bits in rate.bits if macroblocks <= most)
    if rate.model in ("vc3", "frame-bytes"):
        assert rate.bytes is not None
        fielded = rate.bytes.get(f"{width}x{height}i") if fmt.scan != "progressive" else None
        known = fielded or rate.bytes.get(f"{width}x{height}")
        return 8.0 * (known if known is not None else max(rate.bytes.values()))
    if rate.model == "vc3-hr":
        assert rate.numerator is not None
        exact = macroblocks * rate.numerator // 255
        return 8.0 * max(8192, (exact + 2048) // 4096 * 4096)
    if rate.model == "bits-per-s":
        assert rate.mbps is not None
        return rate.mbps * 1e6 / float(fmt.rate)
    if rate.model == "avci":
        assert rate.bytes_25 is not None and rate.bytes_30 is not None
        whole = rate.bytes_25 if counting_base(fmt.rate) in (25, 50) else rate.bytes_30
        return 8.0 * (whole if height == 1080 else whole / 2)
    if rate.model == "packed":
        return 8.0 * _packed_bytes(rate.packing, width, height)
    if rate.model == "table":
        assert rate.table is not None
        return _from_table(rate.table, fmt)
    if rate.model == "per-pixel":
        assert isinstance(rate.bits, float)
        return rate.bits * width * height
    assert rate.share is not None
    bits = int(rate.bits) if isinstance(rate.bits, float | int) else fmt.encoding.bit_depth
    coded = replace(fmt.encoding, sampling=rate.sampling) if rate.sampling else fmt.encoding
    return rate.share * width * height * coded.samples_per_pixel * bits


def _from_table(table: Mapping[str, float], fmt: SignalFormat) -> float:
    """Return bits a frame by a table of Mb/s: of the format itself, else of what comes nearest in samples a second."""
    raster = fmt.raster
    value = table.get(f"{raster.width}x{raster.height} {rate_text(fmt.rate)}")
    if value is None:
        samples = raster.width * raster.height * float(fmt.rate)
        by_samples = {}
        for key, mbps_there in table.items():
            size, rate = key.split()
            width, height = size.split("x")
            by_samples[int(width) * int(height) * float(rate_from_text(rate))] = mbps_there
        near = min(by_samples, key=lambda value: abs(value - samples))
        value = by_samples[near] * samples / near
    return value * 1e6 / float(fmt.rate)


def _packed_bytes(packing: str | None, width: int, height: int) -> int:
    if packing == "v210":
        return -(-width // 48) * 128 * height
    if packing == "dpx10":
        return 4 * width * height + 2048
    return (6 * width + 8) * height


def holding(fmt: SignalFormat) -> list[Codec]:
    """Return the codecs that can hold `fmt`, lowest data rate first."""
    return sorted(_holding(fmt), key=lambda codec: mbps(codec, fmt))


@lru_cache(maxsize=1024)
def _holding(fmt: SignalFormat) -> tuple[Codec, ...]:
    return tuple(codec for codec in codecs().values() if not cannot_hold(codec, fmt))


def says_active_format(codec: Codec) -> bool:
    """Return whether pictures of a codec can say their active format: MPEG-2, H.264 and HEVC as user data.

    Not AVC-Intra, whose pictures are of one size and have no room for it; RDD 36 and VC-3 have no place for it, and
    what writes MXF here writes none beside them.
    """
    is_sized = "avcintra" in codec.encode.options.get("x264-params", "")
    return codec.encode.encoder in ("mpeg2video", "libx264", "libx265") and not is_sized


def coding_grade(codec: Codec) -> tuple[str, str]:
    """Return the grade of coding once with `codec`, and why."""
    if codec.lossless:
        return "exact", "decodes to the same codes"
    if codec.quality == "intermediate":
        return "clean", "no difference to be seen at first generation"
    return "lossy", "made small: for viewing, not for work" if codec.quality == "proxy" else "coded for delivery"


def as_held(codec: Codec, fmt: SignalFormat) -> SignalFormat:
    """Return `fmt` as the codec keeps it: fewer bits or chroma samples where it has no more."""
    e = fmt.encoding
    bits = min(e.bit_depth, codec.holds.bit_depth)
    sampling = e.sampling
    if sampling not in codec.holds.samplings:
        sampling = max(codec.holds.samplings, key=SAMPLINGS.index)
    if (bits, sampling) == (e.bit_depth, e.sampling):
        return fmt
    return fmt.with_encoding(bit_depth=bits, sampling=sampling)
