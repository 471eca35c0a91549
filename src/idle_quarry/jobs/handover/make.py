"""A delivery made of a job's timeline: what lies before and after it, its pictures, its sound, named, wrapped,
verified, sealed.

It is noted as begun, made in a folder of its own beside its place, verified and sealed there, and takes its place when
it passes. One that fails its own spec is kept beside it under a name that says so; where it is stopped, nothing is
left, and where it is killed, what is left is found (`recovery`).
"""

from __future__ import annotations

import contextlib
import os
import shutil
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import date
from fractions import Fraction
from functools import partial
from itertools import count
from pathlib import Path
from typing import Any

from idle_quarry import recovery
from idle_quarry.errors import JobError, NotPossible
from idle_quarry.files import free_place, put_exclusively, sha256_of
from idle_quarry.jobs.check import Job
from idle_quarry.jobs.cutting.timeline import Timeline
from idle_quarry.jobs.folder_plan import TIMELINES
from idle_quarry.jobs.handover.file_writing import PlannedItem, items_of, written
from idle_quarry.jobs.handover.leaders import first_timecode
from idle_quarry.jobs.handover.programme import Mix, TimelineMaterial
from idle_quarry.jobs.handover.record import note_made
from idle_quarry.jobs.handover.sealing import handed_over, names_listed, side_name
from idle_quarry.jobs.handover.sound_checks import mix_of
from idle_quarry.jobs.handover.verify import Verification, layout_of, verify, wrapping_of
from idle_quarry.jobs.renders.status import Programme
from idle_quarry.jobs.renders.store import RenderStore
from idle_quarry.media.captions.caption_file import beside
from idle_quarry.media.captions.moving import CaptionMove, write_moved
from idle_quarry.media.coding.converting import frames_and_speed
from idle_quarry.media.coding.declaring import MasteringDisplay, declare_light
from idle_quarry.media.coding.encode import encoder_pixels
from idle_quarry.path.codecs import cannot_hold
from idle_quarry.path.entries.naming import made_name
from idle_quarry.path.names import cleaned_name
from idle_quarry.path.registry import codecs, monitors, sound_layouts
from idle_quarry.path.template import Template
from idle_quarry.path.template_parts import Delivery
from idle_quarry.signal.words import format_words
from idle_quarry.sound.meters import LoudnessMeter

#: Hears what is under way and the share that is done; it may raise to stop.
OnProgress = Callable[[str, float], None]
_RATE = 48000


@dataclass(frozen=True)
class MadeDelivery:
    """What was made: the file, what came of verifying it, and the gain that its sound was given, dB."""

    path: Path
    verified: Verification
    gain_db: float
    frames: int
    remark: str = ""  #: what became of a hash list that could not be continued

    @property
    def done(self) -> bool:
        """Whether it may be called done: nothing of it fails."""
        return self.verified.verdict != "fails"


def make(
    job: Job,
    programme: Programme,
    delivery: Delivery,
    folder: Path,
    store: RenderStore | None = None,
    on_progress: OnProgress | None = None,
) -> MadeDelivery:
    """Make a delivery of a timeline into a folder.

    `on_progress` hears how far it is, and may raise to stop; then nothing is left.

    Raises `NotPossible` where a piece, the codec or the layout refuses, `JobError` where the place does, and
    `MediaError`.
    """
    say = on_progress or (lambda _what, _share: None)
    codec = codecs()[delivery.codec]
    why = cannot_hold(codec, delivery.format)
    if why:
        raise NotPossible(f"{codec.name} cannot hold it: {why[0]}", subject=format_words(delivery.format))
    if codec.one_picture_a_file:
        raise NotPossible("a hand-over is one file, and this codec has one for each picture", subject=codec.name)
    if not folder.is_dir():
        raise JobError("no such folder", subject=str(folder), remedy="make it first, or choose another")
    layout = layout_of(delivery)
    name = _free_name(job, programme, delivery, folder)
    folder = folder.resolve()
    room = folder.name or "delivery"  # a hash list is named by its folder
    with (
        recovery.noted("delivery", folder / name, dirs=(room,)) as part,
        contextlib.closing(TimelineMaterial(programme, store)) as material,
    ):
        file, final = part / room / name, folder / name
        timeline = programme.timeline
        assert timeline is not None
        fmt = encoder_pixels(codec, delivery.format).format
        frames, faster = frames_and_speed(material, fmt, delivery.policy)
        items = list(items_of(layout, frames, timeline, delivery))
        say("measuring the sound", 0.0)
        gain = _gain(job, timeline, delivery, lambda share: say("measuring the sound", 0.1 * share))
        try:
            file.parent.mkdir(parents=True)
            written(
                file,
                job,
                timeline,
                delivery,
                material,
                items,
                (fmt, faster, gain),
                lambda share: say("making it", 0.1 + 0.6 * share),
            )
            sides = _captions(job, programme, delivery, file, items, faster)
            verification = verify(
                file,
                job.template,
                delivery,
                job.revision,
                lambda what, share: say(f"verifying: {what}", 0.7 + 0.3 * share),
            )
            verification = _with_light(file, job, delivery, verification)
            note_made(
                job.folder,
                verification.measurement.sha256,
                _made_of(programme, items, material.frames / max(1, frames)),
            )
            if verification.verdict == "fails":
                final, remark = free_place(folder, f"{file.stem} fails", file.suffix), ""
                put_exclusively(file, final)
                for side in sides:
                    put_exclusively(side, final.with_name(side_name(side, file, final)))
            else:
                name_now = partial(_free_name, job, programme, delivery, folder)
                final, remark = handed_over(file, folder, name_now, sides)
        except FileExistsError as error:
            raise _name_in_use(final) from error
        except OSError as error:
            raise JobError(
                f"it could not be written ({error.strerror})", subject=str(folder), remedy="choose a folder with room"
            ) from error
        finally:
            shutil.rmtree(part, ignore_errors=True)
    length = sum(item.frames for item in items)
    return MadeDelivery(final, replace(verification, path=final), gain, length, remark)


def _captions(
    job: Job, programme: Programme, delivery: Delivery, file: Path, items: Sequence[PlannedItem], faster: Fraction
) -> list[Path]:
    """Write the captions that lie beside the timeline under its name beside the file, moved to where its pictures lie.

    Raises `MediaError` for one that cannot be read or moved.
    """
    assert programme.timeline is not None
    rate, at, parts = delivery.format.rate, 0, []
    for item in items:
        if item.what == "programme":
            parts.append((item.first / rate, (at - item.first) / rate))
        at += item.frames
    move = CaptionMove(programme.timeline.start, first_timecode(delivery, layout_of(delivery)), faster, tuple(parts))
    results = []
    timeline_file = job.folder / TIMELINES / f"{programme.name}.otio"
    for path in beside(timeline_file):
        target = file.with_name(side_name(path, timeline_file, file))
        write_moved(path, target, move)
        results.append(target)
    return results


def _made_of(programme: Programme, items: Sequence[PlannedItem], scale: float) -> dict[str, Any]:
    """Return which of the timeline's frames each part of the file shows, and how many of them a picture is."""
    parts, at = [], 0
    for item in items:
        if item.what == "programme":
            parts.append({"first": at, "frames": item.frames, "shows": item.first})
        at += item.frames
    return {"timeline": programme.name, "parts": parts, "scale": scale}


def _with_light(path: Path, job: Job, delivery: Delivery, verification: Verification) -> Verification:
    """Have an HDR delivery declare the light that was measured in it, and the display it was graded on, where its
    container can.
    """
    encoding, pictures = delivery.format.encoding, verification.measurement.pictures
    if encoding.transfer != "pq":  # HLG is shown by each display in its own way, and has no such figures
        return verification
    if not declare_light(path, graded_on(job.template), pictures.max_cll or 0, pictures.max_fall or 0):
        return verification
    return replace(verification, measurement=replace(verification.measurement, sha256=sha256_of(path)))


def graded_on(template: Template) -> MasteringDisplay | None:
    """Return the display that a programme is graded on: the template's monitor, where its entry states its primaries,
    its peak and its black; None where that is not known, since none is made up.
    """
    monitor = monitors().get(template.monitor.monitor) if template.monitor is not None else None
    if monitor is None or monitor.primaries is None or monitor.peak_cd_m2 is None or monitor.black_cd_m2 is None:
        return None
    return MasteringDisplay(monitor.primaries, monitor.peak_cd_m2, monitor.black_cd_m2)


def name_of(job: Job, programme: Programme, delivery: Delivery, version: int = 1) -> str:
    """Return what a delivery's file is called: by its rule, else by title, timeline and delivery.

    What nobody said is left out.
    """
    fields: dict[str, str | int | date] = {
        "title": job.title,
        "date": date.today().isoformat(),
        "format": format_words(delivery.format).split(" ")[0],
        "version": version,
        "language": job.template.title_language,
        "delivery": delivery.name,
        "sound": sound_layouts()[delivery.layout].name,
        "timeline": programme.name,
    }
    text = (
        made_name(delivery.file_name, fields) if delivery.file_name else f"{job.title} {programme.name} {delivery.name}"
    )
    return cleaned_name(text) or "delivery"


def _free_name(job: Job, programme: Programme, delivery: Delivery, folder: Path) -> str:
    """Return a name with suffix that nothing in a folder has, or ever had that its list knows: the next version
    where the rule has one.

    Raises `JobError`.
    """
    before, listed = "", names_listed(folder)
    for version in count(1):
        name = f"{name_of(job, programme, delivery, version)}.{wrapping_of(delivery)}"
        if name == before:  # the rule has no version: one that was removed is made again
            break
        if not os.path.lexists(folder / name) and name not in listed:
            return name
        before = name
    if not os.path.lexists(folder / before):
        return before
    raise _name_in_use(folder / before)


def _name_in_use(path: Path) -> JobError:
    return JobError("is there already", subject=str(path), remedy="choose another folder, or remove it")


def _gain(job: Job, timeline: Timeline, delivery: Delivery, on_progress: Callable[[float], None]) -> float:
    """Return the gain, dB, that brings the full mix to the loudness that is asked for.

    0 where none is, or there is nothing to hear.
    """
    mix, layout = mix_of(delivery), sound_layouts()[delivery.layout]
    if delivery.loudness_lufs is None or mix is None:
        return 0.0
    meter = LoudnessMeter(len(mix))
    with Mix(timeline, job.template, layout) as sound:
        done = 0
        for block in sound.blocks():
            meter.take(block[:, list(mix)])
            done += len(block)
            on_progress(done / max(1, sound.length))
    value = meter.latest.integrated
    return round(delivery.loudness_lufs - value, 2) if value is not None else 0.0
