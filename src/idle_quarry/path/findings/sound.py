"""Findings about sound: the programme's plan against what each delivery asks."""

from __future__ import annotations

from collections.abc import Iterator

from idle_quarry.errors import NotPossible
from idle_quarry.path.entries.downmix import downmix_words
from idle_quarry.path.evaluation import Evaluation, Finding
from idle_quarry.path.findings.common import CANNOT_SUIT_BOTH, remedy, wanted_by
from idle_quarry.path.registry import codecs, deliveries, sound_layouts
from idle_quarry.path.sound_tracks import sound_tracks
from idle_quarry.path.template_parts import Delivery


def db(value: float) -> str:
    """Return a level with a true minus sign and no needless decimals."""
    return f"{value:g}".replace("-", "−")


def find(e: Evaluation) -> Iterator[Finding]:
    """Yield what is wrong with sound."""
    plan, layouts = e.template.sound, sound_layouts()
    if plan.sample_rate not in (48000, 96000):
        text = f"Sound at {plan.sample_rate / 1000:g} kHz: pictures are worked with at 48 kHz."
        yield Finding("caution", "sample_rate_unusual", "sound", text, remedy("48 kHz", ("sound.sample_rate", 48000)))
    if plan.bit_depth < 24:
        text = f"Sound at {plan.bit_depth} bits leaves no room for mixing."
        yield Finding("caution", "sound_bits", "sound", text, remedy("24 bits", ("sound.bit_depth", 24)))
    yield from _voices(e)
    for d in e.template.deliveries:
        where = f"delivery:{d.id}"
        yield from _tracks(d)
        if d.sample_rate != plan.sample_rate:
            text = (
                f"{d.name} wants {d.sample_rate / 1000:g} kHz, the programme has {plan.sample_rate / 1000:g}: sound is"
                " resampled."
            )
            cure = remedy(f"Work at {d.sample_rate / 1000:g} kHz", ("sound.sample_rate", d.sample_rate))
            yield Finding("caution", "sample_rate_differs", where, text, cure)
        if d.sound_bits < plan.bit_depth:
            yield Finding(
                "note", "sound_bits_fewer", where, f"{d.name}: {plan.bit_depth} bits become {d.sound_bits}, dithered."
            )
        if d.line_up_dbfs != plan.line_up_dbfs:
            apart = abs(d.line_up_dbfs - plan.line_up_dbfs)
            text = (
                f"{d.name} lines up at {db(d.line_up_dbfs)} dBFS, the programme at {db(plan.line_up_dbfs)}: "
                f"{db(apart)} dB apart on every meter."
            )
            web, torn = d.for_web, len(wanted_by(e, "line_up_dbfs")) > 1
            cure = remedy(f"Line up at {db(d.line_up_dbfs)} dBFS", ("sound.line_up_dbfs", d.line_up_dbfs))
            words = text + (CANNOT_SUIT_BOTH if torn and not web else "")
            yield Finding(
                "note" if web or torn else "caution", "line_up_differs", where, words, None if web or torn else cure
            )
        if d.loudness_lufs is not None and d.loudness_lufs != plan.loudness_lufs:
            own = "has no aim" if plan.loudness_lufs is None else f"{db(plan.loudness_lufs)}"
            text = f"{d.name} is {db(d.loudness_lufs)} LUFS, the programme {own}: it is levelled for delivery."
            yield Finding("note", "loudness_differs", where, text)
        if d.true_peak_dbtp is not None and (plan.true_peak_dbtp is None or plan.true_peak_dbtp > d.true_peak_dbtp):
            own = "sets no limit" if plan.true_peak_dbtp is None else f"to {db(plan.true_peak_dbtp)}"
            text = f"{d.name} allows peaks to {db(d.true_peak_dbtp)} dBTP, the programme {own}."
            cure = remedy(f"Limit to {db(d.true_peak_dbtp)} dBTP", ("sound.true_peak_dbtp", d.true_peak_dbtp))
            yield Finding("caution", "true_peak_differs", where, text, cure)
        sound_layout, result = layouts[d.layout], layouts[plan.layout]
        lacking = result.lacks(sound_layout)
        if lacking:
            text = f"{d.name} wants {sound_layout.name}, the programme is made in {result.name}: {'; '.join(lacking)}."
            yield Finding(
                "caution",
                "layout_short",
                where,
                text,
                remedy(f"Work in {sound_layout.name}", ("sound.layout", d.layout)),
            )
        elif result.folds_into(sound_layout):
            yield Finding(
                "note",
                "layout_folded",
                where,
                f"{d.name}: {result.name} is folded down to {sound_layout.name} by BS.775:"
                f" {downmix_words(result, sound_layout)}.",
            )


def _tracks(d: Delivery) -> Iterator[Finding]:
    """Find tracks of sound that the delivery's wrapping cannot carry."""
    codec, spec = codecs()[d.codec], deliveries().get(d.standard or "")
    container = spec.wrapper if spec is not None and spec.wrapper else codec.containers[0]
    try:
        sound_tracks(d.sound_tracks, codec, container, len(sound_layouts()[d.layout].channels))
    except NotPossible as error:
        usual = remedy("Lay tracks as the wrapping has them", (f"deliveries.{d.id}.sound_tracks", "usual"))
        cure = usual if d.sound_tracks != "usual" else None
        yield Finding("stop", "sound_tracks_impossible", f"delivery:{d.id}", f"{d.name}: {error.what}.", cure)


def _voices(e: Evaluation) -> Iterator[Finding]:
    """Limiters that something follows, or that let more through than the programme may have."""
    limit = e.template.sound.true_peak_dbtp
    for timeline in e.template.timelines:
        for track in timeline.tracks:
            place = f"timelines.{timeline.id}.tracks.{track.id}.voice"
            last = next((n for n in reversed(range(len(track.voice))) if track.voice[n].does == "limiter"), None)
            if last is None:
                continue
            limiter, after = track.voice[last], track.voice[last + 1 :]
            if any(processor.does == "gain" and (processor.db or 0) > 0 for processor in after):
                text = f"{track.name} in {timeline.name}: gain after its limiter lifts what was limited."
                ordered = (*track.voice[:last], *after, limiter)
                yield Finding("caution", "limiter_not_last", "sound", text, remedy("Limit last", (place, ordered)))
            elif limit is not None and limiter.db is not None and limiter.db > limit:
                text = (
                    f"{track.name} in {timeline.name} is limited at {db(limiter.db)} dB, the programme may peak at"
                    f" {db(limit)} dBTP."
                )
                lower = (*track.voice[:last], limiter.model_copy(update={"db": limit}), *after)
                yield Finding(
                    "caution", "limiter_too_high", "sound", text, remedy(f"Limit at {db(limit)} dB", (place, lower))
                )
