"""Codecs on this machine: pictures through every real encoder that can hold a format, measured over generations."""

from __future__ import annotations

import contextlib
import os
import platform
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from functools import lru_cache, partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from idle_quarry.errors import MediaError
from idle_quarry.jsonfile import read_entries, write_entries
from idle_quarry.media.coding.encode import Pixels, encoder_pixels
from idle_quarry.media.coding.through_codec import DecodedPicture, decoded, encoded
from idle_quarry.media.material import Material, planes_of_picture
from idle_quarry.media.pictures import Picture
from idle_quarry.path.codecs import gb_per_hour, holding, mbps
from idle_quarry.path.policies import Policy
from idle_quarry.path.registry import Codec, codecs
from idle_quarry.picture.link import Conversion
from idle_quarry.picture.metrics import IDENTICAL_DB, psnr_db, ssim
from idle_quarry.picture.planes import Planes, codes_of_planes, planes_of_codes
from idle_quarry.picture.seen import seen
from idle_quarry.places import memory_folder
from idle_quarry.proof.figures import difference
from idle_quarry.signal.formats import SignalFormat
from idle_quarry.signal.words import format_words

GENERATIONS = (1, 3, 5)
#: Pixels of programme that a run codes at most, and pictures at least and at most.
_PIXELS, _LEAST, _MOST = 20_000_000, 4, 16
_EXACT = Policy(rounding="round")
#: Every so-manieth picture is compared by structure, which takes longest.
_SSIM_STEP = 4

Progress = Callable[[str, float], None]


@dataclass(frozen=True)
class Quality:
    """After so many generations: PSNR of luma of all pictures, SSIM, and the worst picture's number and PSNR."""

    generation: int
    psnr_db: float
    ssim: float
    worst: int
    worst_db: float


@dataclass(frozen=True)
class CodecResult:
    """What one codec does to one material on one machine; rates in Mb/s, speeds as multiples of real time."""

    codec: str
    material: str
    material_key: str
    format: str
    pictures: int
    measured_mbps: float
    published_mbps: float
    encode_speed: float
    decode_speed: float
    quality: tuple[Quality, ...]
    machine: str
    when: str

    @property
    def gb_per_hour(self) -> float:
        return gb_per_hour(self.measured_mbps)

    def after(self, generation: int) -> Quality:
        """Return the quality after a number of generations; raises `KeyError`."""
        for quality in self.quality:
            if quality.generation == generation:
                return quality
        raise KeyError(generation)


@dataclass(frozen=True)
class Loss:
    """A picture before and after, and what was lost, to look at; each (h, w, 3), uint8."""

    index: int
    before: NDArray[np.uint8]
    after: NDArray[np.uint8]

    def shown(self, gain: float) -> NDArray[np.uint8]:
        return difference(self.before, self.after, gain)


@lru_cache(maxsize=1)
def machine() -> str:
    """Return what this machine is, in a line: processor, cores, system."""
    name = platform.processor() or platform.machine()
    with contextlib.suppress(OSError):
        for line in Path("/proc/cpuinfo").read_text(encoding="utf-8").splitlines():
            if line.startswith("model name"):
                name = " ".join(line.split(":", 1)[1].split())
                break
    return f"{name}, {os.cpu_count()} cores, Linux {platform.release().split('-')[0]}"


def pictures_for(fmt: SignalFormat) -> int:
    """Return how many pictures a run codes: fewer of large ones."""
    return max(_LEAST, min(_MOST, _PIXELS // (fmt.raster.width * fmt.raster.height)))


def pictures_of(material: Material, fmt: SignalFormat, policy: Policy, count: int, progress: Progress) -> list[Planes]:
    """Return the first `count` pictures of a material in a format, as code values."""
    conversion = Conversion(material.format, fmt, policy)
    result = []
    for index in range(count):
        progress(f"{material.name}: picture {index + 1} of {count}", 0.1 * index / count)
        result.append(conversion.codes(index, material.frame))
    return result


def run(
    material: Material,
    fmt: SignalFormat,
    policy: Policy,
    chosen: Sequence[Codec] | None,
    progress: Progress,
    value: Callable[[CodecResult, Loss | None], None],
    failed: Callable[[Codec, MediaError], None],
) -> None:
    """Run a material through codecs, those that can hold `fmt` where none are chosen, lowest data rate first.

    Each result is handed to `value` with its worst picture after the last generation, and kept; a codec that refuses
    goes to `failed` and the rest goes on. `progress` may raise to stop.
    """
    wanted = list(chosen) if chosen is not None else holding(fmt)
    count = pictures_for(fmt)
    codes = pictures_of(material, fmt, policy, count, progress)
    for number, codec in enumerate(wanted):

        def inner(what: str, share: float, number: int = number) -> None:
            progress(what, 0.1 + 0.9 * (number + share) / len(wanted))

        try:
            result, loss = through(codec, fmt, codes, material, inner)
        except MediaError as error:
            failed(codec, error)
            continue
        keep(result)
        value(result, loss)


def through(
    codec: Codec, fmt: SignalFormat, codes: Sequence[Planes], material: Material, progress: Progress
) -> tuple[CodecResult, Loss | None]:
    """Return what a codec does to pictures (code values in `fmt`) over five generations. Raises `MediaError`."""
    pixels = encoder_pixels(codec, fmt)
    there, back = Conversion(fmt, pixels.format, _EXACT), Conversion(pixels.format, fmt, _EXACT)
    given: Sequence[Planes] = codes
    if fmt != pixels.format:
        given = _all(there, len(codes), lambda index: planes_of_codes(codes[index], fmt.encoding))
    qualities: list[Quality] = []
    seconds, speeds, size = float(len(codes) / fmt.rate), (0.0, 0.0), 0
    loss = None
    for generation in range(1, GENERATIONS[-1] + 1):
        under_way = partial(progress, f"{codec.name}, generation {generation}", (generation - 1) / GENERATIONS[-1])
        coded = encoded(codec, pixels, given, under_way)
        pictures, decoding = decoded(codec, pixels, coded)
        if len(pictures) != len(given):
            raise MediaError(f"gave back {len(pictures)} of {len(given)} pictures", subject=codec.name)
        if generation == 1:
            speeds, size = (seconds / coded.seconds, seconds / decoding), coded.bytes
        # exact pictures are made one at a time: of 2160 lines each takes a hundred megabytes
        given = [codes_of_planes(_planes(picture, pixels), pixels.format.encoding, "round") for picture in pictures]
        if generation in GENERATIONS:
            after = given
            if fmt != pixels.format:
                after = _all(back, len(pictures), lambda index, result=pictures: _planes(result[index], pixels))  # type: ignore[misc]
            quality = _quality(generation, codes, after, fmt)
            qualities.append(quality)
            loss = Loss(quality.worst, *(seen(item[quality.worst], fmt.encoding) for item in (codes, after)))
    result = CodecResult(
        codec.id,
        material.name,
        material.key,
        format_words(fmt),
        len(codes),
        size * 8 / seconds / 1e6,
        mbps(codec, fmt),
        *speeds,
        tuple(qualities),
        machine(),
        datetime.now(UTC).isoformat(timespec="seconds"),
    )
    return result, loss


def _all(conversion: Conversion, count: int, picture: Callable[[int], Planes]) -> list[Planes]:
    """Return `count` pictures converted; `picture` returns one of them by its number."""
    return [conversion.codes(number, lambda index: picture(min(max(index, 0), count - 1))) for number in range(count)]


def _planes(picture: DecodedPicture, pixels: Pixels) -> Planes:
    whole = Picture(0, 0.0, picture.luma, picture.chroma, picture.rgb, picture.bits, False)
    return planes_of_picture(whole, pixels.format)


def _quality(generation: int, before: Sequence[Planes], after: Sequence[Planes], fmt: SignalFormat) -> Quality:
    levels = fmt.encoding.levels
    peak = float(levels.white - levels.black)
    item = [psnr_db(a[0], b[0], peak) for a, b in zip(after, before, strict=True)]
    worst = int(np.argmin(item))
    # the PSNR of all is of their mean error, as if they were one picture
    errors = [0.0 if value >= IDENTICAL_DB else 10 ** (-value / 10) for value in item]
    mean = float(np.mean(errors))
    whole = IDENTICAL_DB if mean <= 0 else -10 * float(np.log10(mean))
    some = range(0, len(before), _SSIM_STEP)
    like = float(np.mean([ssim(after[n][0], before[n][0], peak) for n in some]))
    return Quality(generation, whole, like, worst, item[worst])


# -- results, kept -------------------------------------------------------------------------------------------------


def _place() -> Path:
    return memory_folder() / "codecs.json"


def keep(result: CodecResult) -> None:
    """Keep a result in place of an earlier one of the same codec, format, material and machine.

    A full disk keeps none.
    """
    others = [item for item in results() if _same_case(item) != _same_case(result)]
    write_entries(_place(), [asdict(item) for item in [*others, result]])


def _same_case(result: CodecResult) -> tuple[str, ...]:
    return result.codec, result.format, result.material_key, result.machine


def results() -> list[CodecResult]:
    """Return every kept result that can be read, oldest first; a damaged note counts as none."""
    matches = []
    for entry in read_entries(_place()):
        with contextlib.suppress(TypeError, KeyError):
            result = CodecResult(**{**entry, "quality": tuple(Quality(**item) for item in entry["quality"])})
            if result.codec in codecs():
                matches.append(result)
    return matches


def results_for(fmt: SignalFormat, material_key: str) -> list[CodecResult]:
    """Return kept results of a format and a material, lowest measured data rate first."""
    words = format_words(fmt)
    matches = [result for result in results() if result.format == words and result.material_key == material_key]
    return sorted(matches, key=lambda result: result.measured_mbps)
