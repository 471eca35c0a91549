"""What is checked of a file's sound: its channels, silence, line-up level, clipping, phase, loudness and peaks."""

from __future__ import annotations

from idle_quarry.jobs.handover.checks import (
    FAILS,
    LOOK,
    NOT_CHECKED,
    PASSES,
    CheckedFile,
    Outcome,
    agrees,
    by_limit,
    limit_words,
    times,
)
from idle_quarry.path.entries.delivery import Limit
from idle_quarry.path.registry import codecs, sound_layouts
from idle_quarry.path.sound_tracks import WORDS as TRACK_WORDS
from idle_quarry.path.sound_tracks import sound_tracks
from idle_quarry.path.template_parts import Delivery

#: An LFE channel carries no more than so much of its power above 250 Hz.
_LFE_HIGH = 0.3
#: The order in which loudness takes positions.
_ORDER = ("left", "right", "centre", "LFE", "left surround", "right surround")


def mix_of(delivery: Delivery) -> tuple[int, ...] | None:
    """Return the channels (from 0) of the full mix in the order that loudness is measured in.

    None where the layout has none.
    """
    channels = sound_layouts()[delivery.layout].channels
    places = {
        sound_channel.at: number
        for number, sound_channel in reversed(list(enumerate(channels)))
        if sound_channel.carries == "full mix"
    }
    if len(places) == 1:
        return tuple(places.values())
    results = tuple(places[at] for at in _ORDER if at in places)
    return results if len(results) in (2, 6) else None


_NONE = Outcome(None, None, NOT_CHECKED, "it has no sound")


def clipping(file: CheckedFile) -> Outcome:
    """Find samples in a row at full scale."""
    if file.measurement.sound is None:
        return _NONE
    spans = [file.seconds(span.first_s, span.last_s) for span in file.measurement.sound.clipping]
    text = "no sample is clipped" if not spans else f"clipped at {len(spans)} places"
    return Outcome("no samples in a row at full scale", len(spans), agrees(not spans), text, spans)


def phase(file: CheckedFile, limit: Limit) -> Outcome:
    """Find stretches in which left and right are out of phase."""
    if file.measurement.sound is None:
        return _NONE
    against = [span for span in file.measurement.sound.against if limit.is_beyond(span.last_s - span.first_s)]
    longest = max((span.last_s - span.first_s for span in against), default=0.0)
    text = "left and right agree"
    if against:
        text = (
            f"left and right are out of phase {times(len(against))}, for up to {longest:.0f} s;"
            f" {limit_words(limit, ' s')}"
        )
    spans = [file.seconds(span.first_s, span.last_s) for span in against]
    return Outcome("left and right in phase", len(against), by_limit(longest, limit), text, spans)


def sound_layout(file: CheckedFile) -> Outcome:
    """Hold channels, sample rate and depth against the layout that is wanted."""
    layout, sound, delivery, declared = (
        sound_layouts()[file.delivery.layout],
        file.measurement.sound,
        file.delivery,
        file.clip.declared,
    )
    if sound is None:
        return Outcome(layout.words, None, FAILS, f"it has no sound; {len(layout.channels)} channels are wanted")
    wrong, doubts = [], []
    if len(sound.channels) != len(layout.channels) and not _only_silent_beyond(file, len(layout.channels)):
        wrong.append(f"{len(sound.channels)} channels; {len(layout.channels)} are wanted")
    wrong += _tracks_wrong(file, len(layout.channels))
    rates = {audio.sample_rate for audio in declared.audio}
    if rates != {delivery.sample_rate}:
        wrong.append(f"sampled at {', '.join(map(str, sorted(rates)))} Hz; {delivery.sample_rate} is wanted")
    bits = {audio.bit_depth for audio in declared.audio if audio.bit_depth}
    if bits and bits != {delivery.sound_bits}:
        wrong.append(f"{', '.join(map(str, sorted(bits)))} bits; {delivery.sound_bits} are wanted")
    for number, (channel, sound_channel) in enumerate(zip(sound.channels, layout.channels, strict=False), 1):
        silent = channel.peak_dbfs is None or channel.silent_share > 0.999
        if sound_channel.carries == "silent":
            wrong += [] if silent else [f"channel {number} is to be silent and is not"]
        elif silent and sound_channel.at != "LFE":
            wrong.append(f"channel {number} ({sound_channel.words}) is silent")
        elif sound_channel.at == "LFE" and not silent and channel.high_share > _LFE_HIGH:
            wrong.append(
                f"channel {number} is to be LFE and carries what is no low-frequency effect: channels are swapped, it"
                " seems"
            )
    for one, other in sound.alike:
        if (
            other <= len(layout.channels)
            and {layout.channels[one - 1].at, layout.channels[other - 1].at} == {"left", "right"}
            and layout.channels[one - 1].carries == layout.channels[other - 1].carries
        ):
            doubts.append(f"channels {one} and {other} are the same: mono on two")
    results = {
        "channels": len(sound.channels),
        "sample_rate": sorted(rates),
        "bits": sorted(bits),
        "peaks_dbfs": [channel_figures.peak_dbfs for channel_figures in sound.channels],
    }
    text = "; ".join([*wrong, *doubts]) or f"{layout.words}, {delivery.sample_rate} Hz, as wanted"
    return Outcome(layout.words, results, FAILS if wrong else LOOK if doubts else PASSES, text)


def _only_silent_beyond(file: CheckedFile, wanted: int) -> bool:
    """Return whether what a file has beyond the wanted channels is the silent rest of D-10's one element of eight."""
    assert file.measurement.sound is not None
    beyond = file.measurement.sound.channels[wanted:]
    is_element = codecs()[file.delivery.codec].encode.muxer == "mxf_d10" and len(file.clip.declared.audio) == 1
    return is_element and bool(beyond) and all(channel.peak_dbfs is None for channel in beyond)


def _tracks_wrong(file: CheckedFile, channels: int) -> list[str]:
    """Return how a file's tracks differ from those that are asked for by name."""
    asked = file.delivery.sound_tracks
    if asked == "usual":
        return []
    tracks = tuple(audio.channels for audio in file.clip.declared.audio)
    wanted = sound_tracks(asked, codecs()[file.delivery.codec], file.path.suffix.removeprefix(".").lower(), channels)
    if tracks == wanted:
        return []
    return [f"tracks of {_counts(tracks)} channels; {TRACK_WORDS[asked]} is wanted: {_counts(wanted)}"]


def _counts(tracks: tuple[int, ...]) -> str:
    return " + ".join(map(str, tracks)) or "no"


def silence(file: CheckedFile, limit: Limit) -> Outcome:
    """Find silence that lasts inside the programme."""
    sound = file.measurement.sound
    if sound is None:
        return _NONE
    breaks = [
        (item.first / float(file.rate), item.last / float(file.rate))
        for item in file.measurement.items
        if item.what == "break"
    ]
    spans = [
        span
        for span in sound.silence
        if limit.is_beyond(span.last_s - span.first_s)
        and not any(a - 0.5 <= span.first_s and span.last_s <= b + 0.5 for a, b in breaks)
    ]
    longest = max((span.last_s - span.first_s for span in spans), default=0.0)
    wanted = f"silence inside the programme: {limit_words(limit, ' s')}"
    text = "no long silence" if not spans else f"silent {times(len(spans))}, for up to {longest:.1f} s"
    return Outcome(
        wanted,
        round(longest, 1),
        by_limit(longest, limit),
        text,
        [file.seconds(span.first_s, span.last_s) for span in spans],
    )


def level(file: CheckedFile) -> Outcome:
    """Hold the line-up tone against its level, where the layout asks for one."""
    if file.measurement.sound is None:
        return _NONE
    wanted, within = file.delivery.line_up_dbfs, file.tolerances.line_up_db
    with_tone = {item.what for item in file.layout.items if item.tone} if file.layout is not None else set()
    if not with_tone:  # a programme may sound like a tone
        return Outcome(wanted, None, NOT_CHECKED, "no line-up tone is asked for")
    rate = float(file.rate)
    at = [(item.first / rate, item.last / rate) for item in file.measurement.items if item.what in with_tone]
    at = at or [(0.0, file.measurement.programme[0] / rate)]  # nothing it belongs to: before the programme
    tones = [
        tone
        for tone in file.measurement.tones
        if any(tone.first_s < last and tone.last_s > first for first, last in at)
    ]
    if not tones:
        where = " and ".join(sorted(with_tone))
        return Outcome(wanted, None, FAILS, f"there is no tone with the {where}; one of {wanted:g} dBFS is wanted")
    measured = tones[0].figure
    fits = abs(measured - wanted) <= within
    text = f"tone at {measured:.1f} dBFS" + ("" if fits else f"; {wanted:g} is wanted")
    return Outcome(wanted, round(measured, 2), agrees(fits), text, [file.seconds(tones[0].first_s, tones[0].last_s)])


def loudness(file: CheckedFile) -> Outcome:
    """Hold integrated loudness against its target."""
    sound, wanted, within = file.measurement.sound, file.delivery.loudness_lufs, file.tolerances.loudness_lu
    if sound is None:
        return _NONE
    if sound.integrated is None:
        verdict = LOOK if wanted is not None else NOT_CHECKED
        return Outcome(wanted, None, verdict, "too little sound to measure its loudness")
    value = round(sound.integrated, 1)
    if wanted is None:
        return Outcome(None, value, NOT_CHECKED, f"{sound.integrated:.1f} LUFS; none is asked for")
    off, live = abs(sound.integrated - wanted), file.tolerances.live_lu
    text = f"{sound.integrated:.1f} LUFS over the programme; {wanted:g} ± {within:g} LU is wanted"
    if off <= within + 0.05:
        return Outcome(wanted, value, PASSES, text)
    if live is not None and off <= live + 0.05:
        return Outcome(wanted, value, LOOK, f"{text}, ± {live:g} where it is live")
    return Outcome(wanted, value, FAILS, text)


def short_term(file: CheckedFile) -> Outcome:
    """Tell the most short-term and momentary loudness, and hold those of short forms against their limits."""
    sound, may = file.measurement.sound, file.tolerances
    if sound is None:
        return _NONE
    short, moment = sound.most_short_term, sound.most_momentary
    if short is None or moment is None:
        return Outcome(None, None, NOT_CHECKED, "too little sound")
    places = [n for n, value in enumerate(sound.short_term) if value >= round(short, 1)]
    begin = file.measurement.programme[0] / float(file.rate)
    spans = [file.seconds(begin + max(0.0, places[0] / 10 - 3), begin + places[0] / 10)] if places else []
    text = f"at the most {short:.1f} LUFS over three seconds, {moment:.1f} at a moment"
    if may.short_form_s is None or sound.seconds >= may.short_form_s:
        return Outcome(None, round(short, 1), PASSES, text, spans)
    limits = {"over three seconds": (short, may.short_term_lufs), "at a moment": (moment, may.momentary_lufs)}
    wanted = ", ".join(f"{limit:g} LUFS {when}" for when, (_, limit) in limits.items() if limit is not None)
    fits = all(limit is None or value <= limit + 0.05 for value, limit in limits.values())
    text = f"{text}; of a short form at the most {wanted}"
    return Outcome(wanted, round(short, 1), agrees(fits), text, spans)


#: Below so many seconds a loudness range says nothing (EBU Tech 3342), and below so many it is not said.
_RANGE_S, _LEAST_RANGE_S = 60.0, 3.0


def loudness_range(file: CheckedFile) -> Outcome:
    """Tell the loudness range, where there is enough sound for one."""
    sound = file.measurement.sound
    if sound is None:
        return _NONE
    if sound.range is None or sound.seconds < _LEAST_RANGE_S:
        return Outcome(None, None, NOT_CHECKED, "too little sound for a loudness range")
    text = f"{sound.range:.1f} LU"
    if sound.seconds < _RANGE_S:
        text += f", not meaningful over {sound.seconds:.0f} s: a range is told of a minute or more"
    return Outcome(None, round(sound.range, 1), PASSES, text)


def true_peak(file: CheckedFile) -> Outcome:
    """Hold the true peak against its limit."""
    if file.measurement.sound is None:
        return _NONE
    limit, peak = file.delivery.true_peak_dbtp, file.measurement.sound.true_peak
    if peak is None:
        return Outcome(limit, None, NOT_CHECKED, "there is no sound to measure")
    if limit is None:
        return Outcome(None, round(peak, 1), NOT_CHECKED, f"{peak:.1f} dBTP; no limit is asked for")
    fits = peak <= limit + 0.05
    text = f"{peak:.1f} dBTP" + ("" if fits else f"; at the most {limit:g} is wanted")
    return Outcome(limit, round(peak, 1), agrees(fits), text)
