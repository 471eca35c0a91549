"""The serial digital line on the command line: words with a test picture written, words read."""

from __future__ import annotations

from argparse import Namespace as Options
from fractions import Fraction
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np

from idle_quarry.cli.command import argument, command
from idle_quarry.cli.opening import named_format
from idle_quarry.cli.output import Output, table
from idle_quarry.errors import NotPossible
from idle_quarry.line.files import read_links, write_words
from idle_quarry.line.reading.faults import Fault
from idle_quarry.line.reading.reader import read_words
from idle_quarry.line.reading.received import ReceivedFrame
from idle_quarry.line.transport import transport
from idle_quarry.line.writing.payload import payload_bytes, payload_text
from idle_quarry.line.writing.sending import SentSound, sent_frames, sent_pictures, usual_level
from idle_quarry.line.writing.sound import RATE
from idle_quarry.path.registry import sound_layouts
from idle_quarry.signal.rates import rate_text
from idle_quarry.signal.timecode import Timecode, start_timecode
from idle_quarry.signal.words import format_words

_FULL_SCALE = 1 << 23
_MOST_TOLD = 1000


@command(
    "line write",
    argument("format", metavar="FORMAT"),
    argument("file", metavar="FILE"),
    argument(
        "--interface", metavar="I", help="SD, HD, 3G-A, 3G-B, 6G, 12G, quad 3G; else the smallest that carries it"
    ),
    argument(
        "--test", metavar="T", default="bars", help="the picture: bars, pluge, ramp, zone, flash, white, black ..."
    ),
    argument("--frames", metavar="N", type=int, default=2),
    argument("--start", metavar="TC", default="10:00:00:00", help="timecode of the first frame"),
)
def line_write(options: Options, out: Output) -> int:
    """Words of the serial signal with a test picture and tone."""
    fmt = named_format(options.format, options)
    way = transport(fmt, options.interface or "")
    if options.test not in sent_pictures():
        raise NotPossible("no such picture", subject=repr(options.test), remedy="use " + ", ".join(sent_pictures()))
    if not 1 <= options.frames <= 100_000:
        raise NotPossible("1 to 100 000 frames are written", subject=str(options.frames))
    start = start_timecode(options.start, ";" in options.start, fmt.rate)
    kind = "pip" if options.test == "flash" else "tone"
    sound = SentSound(kind, usual_level(fmt), sound_layouts()["stereo"], fmt)
    count = -(-options.frames // way.pictures)
    frames = islice(sent_frames(fmt, way, options.test, sound, start), count)
    path = Path(options.file)
    paths = write_words(path, way.interface.links, frames)
    payload = payload_text(payload_bytes(fmt, way))
    document = {
        "file": str(paths[0]),
        "interface": way.interface.id,
        "links": way.interface.links,
        "format": format_words(fmt),
        "lines": way.raster.lines,
        "samples_per_line": way.samples,
        "words_per_frame": way.words_per_frame,
        "frames": count * way.pictures,
        "payload_id": payload,
    }
    files = ", ".join(str(path) for path in paths)
    out.show(
        document,
        [
            f"{files}: {format_words(fmt, fields=True)} over {way.interface.text}",
            f"{count * way.pictures} frames of {way.raster.lines} lines, {way.samples} samples each; payload {payload}",
        ],
    )
    return 0


@command("line read", argument("file", metavar="FILE"))
def line_read(options: Options, out: Output) -> int:
    """What a receiver makes of words, with every fault."""
    frames = 0
    first: ReceivedFrame | None = None
    levels: dict[int, Any] = {}
    faults: list[Fault] = []
    for read_word in read_words(read_links(Path(options.file))):
        first = first if first is not None and first.lock.format is not None else read_word
        for group, sound in read_word.sound.items():
            peaks = np.abs(sound.samples.astype(np.int64)).max(axis=0)
            levels[group] = np.maximum(levels.get(group, 0), peaks)
        faults += read_word.faults
        frames += 1
    if first is None:
        raise NotPossible("holds no whole frame", subject=options.file)
    lock = first.lock
    pictures = 2 if lock.interface == "3G-B" and (lock.rate or 0) > 30 else 1
    document: dict[str, Any] = {
        "interface": lock.interface,
        "locked": lock.format is not None,
        "lines": lock.timing.raster.lines,
        "samples_per_line": lock.timing.samples,
        "width": lock.width,
        "height": lock.height,
        "scan": lock.scan,
        "rate": None if lock.rate is None else _fraction(lock.rate),
        "payload_id": None if lock.payload is None else payload_text(lock.payload),
        "format": None if lock.format is None else format_words(lock.format),
        "timecode": _text(first.timecode),
        "audio": [
            {
                "group": group,
                "channels": used_channels(first, group),
                "sample_rate": RATE,
                "level_dbfs": [_dbfs(peak) for peak in peaks[: used_channels(first, group)]],
            }
            for group, peaks in sorted(levels.items())
        ],
        "frames": frames * pictures,
        "faults": [{"kind": f.kind, "frame": f.frame, "line": f.line, "text": f.text} for f in faults[:_MOST_TOLD]],
    }
    lines = [
        f"{document['format'] or 'not locked'} over {lock.interface or 'an interface that nothing names'}",
        f"{lock.timing.raster.lines} lines of {lock.timing.samples} samples"
        + ("" if lock.rate is None else f", {rate_text(lock.rate)} frames a second")
        + f"; payload {document['payload_id'] or 'not sent'}; timecode {document['timecode'] or 'not sent'}",
    ]
    lines += [
        f"sound group {track['group']}: "
        + ", ".join("silent" if v is None else f"{v:.1f} dBFS" for v in track["level_dbfs"])
        for track in document["audio"]
    ]
    lines += table([(f"frame {f.frame}", f"line {f.line}", f.kind, f.text) for f in faults[:_MOST_TOLD]]) or [
        "no faults"
    ]
    lines += [f"and {len(faults) - _MOST_TOLD} more"] if len(faults) > _MOST_TOLD else []
    out.show(document, lines)
    return 0


def used_channels(frame: ReceivedFrame, group: int) -> int:
    """Return how many channels of a group its control packet calls active, four where none says so."""
    return frame.active_channels.get(group, 4)


def _dbfs(peak: int) -> float | None:
    return None if peak == 0 else round(20 * float(np.log10(peak / _FULL_SCALE)), 2)


def _fraction(value: Fraction) -> str:
    return f"{value.numerator}/{value.denominator}"


def _text(moment: Timecode | None) -> str | None:
    return None if moment is None else str(moment)
