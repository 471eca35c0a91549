"""The serial line: words of a frame written and read, beside copying those words.

With numbers, damage beyond the tests'.

`line.py` prints the speeds; `line.py damage 10000` damages streams so many times and reads them; `line.py bits` turns
every bit of some lines of each kind of line and counts those that nobody reports.
"""

from __future__ import annotations

import sys
import time
from itertools import islice
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from tests.line.pictures import noise
from tests.line.test_damage import damage, stream_of

from idle_quarry.errors import NotPossible
from idle_quarry.line.reading.lock import Timing
from idle_quarry.line.reading.reader import LineReader, read_words
from idle_quarry.line.transport import transport
from idle_quarry.line.writing.sending import SentSound, sent_frames
from idle_quarry.line.writing.writer import LineWriter
from idle_quarry.path.registry import sound_layouts
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_from_words


def speeds() -> None:
    print(
        "format     interface   write ms   read ms   copy ms   write/copy   read/copy   (8 channels of sound, pictures"
        " taken out)"
    )
    for words, interface in (
        ("576i25", ""),
        ("1080i25", ""),
        ("1080p50", "3G-A"),
        ("1080p50", "3G-B"),
        ("2160p25", ""),
        ("2160p50", "12G"),
        ("2160p50", "quad 3G"),
    ):
        fmt = format_from_words(words)
        way = transport(fmt, interface)
        writer, picture = LineWriter(fmt, way), noise(fmt)
        sound = SentSound("tone", -18, sound_layouts()["5.1-stereo"], fmt)
        timing = Timing(way.streams, way.words, way.sav, way.raster)
        per = 48000 * way.pictures * fmt.rate.denominator // fmt.rate.numerator
        result = [
            writer.frame([picture] * writer.pictures, sound.samples(per * n, per), Timecode(n * way.pictures, fmt.rate))
            for n in range(4)
        ]
        reader, copied = LineReader(), [np.empty_like(item) for item in result[0]]
        reader.frame(result[0], timing)
        took = {"write": 9.0, "read": 9.0, "copy": 9.0}
        others = [noise(fmt, seed) for seed in (2, 3)]  # pictures that stand still are laid once: these move
        for turn in range(12):
            begun = time.perf_counter()
            writer.frame([others[turn % 2]] * writer.pictures, sound.samples(0, per), Timecode(0, fmt.rate))
            wrote = time.perf_counter()
            reader.frame(result[1], timing).pictures()
            read = time.perf_counter()
            for target, source in zip(copied, result[2], strict=True):
                np.copyto(target, source)
            ends = time.perf_counter()
            for name, seconds in (("write", wrote - begun), ("read", read - wrote), ("copy", ends - read)):
                took[name] = min(took[name], seconds)
        write, back, copy = (1000 * took[name] for name in ("write", "read", "copy"))
        print(
            f"{words:10} {way.interface.id:10} {write:9.1f} {back:9.1f} {copy:9.1f} {write / copy:12.1f}"
            f" {back / copy:11.1f}"
        )


def damaged(times: int) -> None:
    rng = np.random.default_rng()
    clean = {words: stream_of(words, 2) for words in ("1080i25", "576i25", "480i29.97", "720p50", "1080p50")}
    refused = faults = quiet = 0
    slowest = 0.0
    for number in range(times):
        words = clean[list(clean)[number % len(clean)]].copy()
        damage(words, rng)
        begun = time.perf_counter()
        try:
            lines = sum(len(frame.faults) for frame in read_words([words]))
            faults += lines
            quiet += lines == 0
        except NotPossible:
            refused += 1
        slowest = max(slowest, time.perf_counter() - begun)
    print(
        f"{times} damages: {refused} refused in a sentence, {faults} faults told, {quiet} without a fault, slowest"
        f" {slowest:.2f} s"
    )


def bits() -> None:
    for name in ("1080i25", "576i25", "480i29.97", "720p50", "1080p50"):
        fmt = format_from_words(name)
        way = transport(fmt)
        timing = Timing(way.streams, way.words, way.sav, way.raster)
        sound = SentSound("tone", -18, sound_layouts()["5.1"], fmt)
        frames = [item[0] for item in islice(sent_frames(fmt, way, "bars", sound, Timecode(100, fmt.rate)), 3)]
        missed = turned = 0
        rng = np.random.default_rng(1)
        for line in (way.raster.payload[0] - 1, way.raster.active[0][0] + 100):
            for at in sorted(int(n) for n in rng.choice(way.words, 200, replace=False)):
                for stream in range(way.streams):
                    for bit in range(10):
                        one = frames[1].copy()
                        one[line, at, stream] ^= np.uint16(1 << bit)
                        reader = LineReader()
                        reader.frame([frames[0]], timing)
                        lines = reader.frame([one], timing).faults or reader.frame([frames[2]], timing).faults
                        turned, missed = turned + 1, missed + (not lines)
        print(f"{name:10} {turned} bits turned, {missed} not reported")


def main() -> None:
    match sys.argv[1:]:
        case ["damage", times]:
            damaged(int(times))
        case ["bits"]:
            bits()
        case _:
            speeds()


if __name__ == "__main__":
    main()
