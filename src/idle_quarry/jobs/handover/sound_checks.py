"""What is checked of a file's sound: its channels, silence, line-up level, clipping, phase, loudness and peaks."""

from __future__ import annotations

from collections.abc import Iterator

from idle_quarry.jobs.handover.checks import (
    FAILS,
    LOOK,
    NOT_CHECKED,
    PASSES,
    Check,
    CheckedFile,
    agrees,
    by_limit,
    limit_words,
    times,
)
from idle_quarry.path.registry import sound_layouts
from idle_quarry.path.template import Delivery

#: An LFE channel carries no more than so much of its power above 250 Hz.
_LFE_HIGH = 0.3
#: The order in which loudness takes positions.
_ORDER = ("left", "right", "centre", "LFE", "left surround", "right surround")
IDS = ("sound_layout", "silence", "level", "clipping", "phase", "loudness", "short_term", "loudness_range", "true_peak")


def mix_of(delivery: Delivery) -> tuple[int, ...] | None:
    """Return the channels (from 0) of the full mix in the order that loudness is measured in; None where the layout has none."""
    channels = sound_layouts()[delivery.layout].channels
    places = {
        sound_channel.at: number
        for number, sound_channel in reversed(list(enumerate(channels)))
        if sound_channel.carries == "full mix"
    }
    if len(places) == 1:
        return tuple(places.values())
    found = tuple(places[at] for at in _ORDER if at in places)
    return found if len(found) in (2, 6) else None


def sound_checks(checked_file: CheckedFile) -> Iterator[Check]:
    """Yield the checks of sound."""
    layout = sound_layouts()[checked_file.delivery.layout]
    sound = checked_file.found.sound
    if sound is None:
        yield checked_file.check(
            "sound_layout", layout.words, None, FAILS, f"it has no sound; {len(layout.channels)} channels are wanted"
        )
        for ident in IDS[1:]:
            yield checked_file.check(ident, None, None, NOT_CHECKED, "it has no sound")
        return
    yield _channels(checked_file)
    yield _silence(checked_file)
    yield _level(checked_file)
    spans = [checked_file.seconds(span.first_s, span.last_s) for span in sound.clipping]
    text = "no sample is clipped" if not spans else f"clipped at {len(spans)} places"
    yield checked_file.check(
        "clipping", "no samples in a row at full scale", len(spans), agrees(not spans), text, spans
    )
    limit = checked_file.limit("phase")
    against = [span for span in sound.against if limit.is_beyond(span.last_s - span.first_s)]
    longest = max((span.last_s - span.first_s for span in against), default=0.0)
    text = (
        "left and right agree"
        if not against
        else f"left and right are out of phase {times(len(against))}, for up to {longest:.0f} s; {limit_words(limit, ' s')}"
    )
    yield checked_file.check(
        "phase",
        "left and right in phase",
        len(against),
        by_limit(longest, limit),
        text,
        [checked_file.seconds(span.first_s, span.last_s) for span in against],
    )
    yield from _loudness(checked_file)


def _channels(checked_file: CheckedFile) -> Check:
    layout, sound, delivery, declared = (
        sound_layouts()[checked_file.delivery.layout],
        checked_file.found.sound,
        checked_file.delivery,
        checked_file.clip.declared,
    )
    assert sound is not None
    wrong, doubts = [], []
    if len(sound.channels) != len(layout.channels):
        wrong.append(f"{len(sound.channels)} channels; {len(layout.channels)} are wanted")
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
                f"channel {number} is to be LFE and carries what is no low-frequency effect: channels are swapped, it seems"
            )
    for one, other in sound.alike:
        if (
            other <= len(layout.channels)
            and {layout.channels[one - 1].at, layout.channels[other - 1].at} == {"left", "right"}
            and layout.channels[one - 1].carries == layout.channels[other - 1].carries
        ):
            doubts.append(f"channels {one} and {other} are the same: mono on two")
    found = {
        "channels": len(sound.channels),
        "sample_rate": sorted(rates),
        "bits": sorted(bits),
        "peaks_dbfs": [channel_figures.peak_dbfs for channel_figures in sound.channels],
    }
    text = "; ".join([*wrong, *doubts]) or f"{layout.words}, {delivery.sample_rate} Hz, as wanted"
    return checked_file.check("sound_layout", layout.words, found, FAILS if wrong else LOOK if doubts else PASSES, text)


def _silence(checked_file: CheckedFile) -> Check:
    sound = checked_file.found.sound
    assert sound is not None
    breaks = [
        (item.first / float(checked_file.rate), item.last / float(checked_file.rate))
        for item in checked_file.found.items
        if item.what == "break"
    ]
    limit = checked_file.limit("silence")
    spans = [
        span
        for span in sound.silence
        if limit.is_beyond(span.last_s - span.first_s)
        and not any(a - 0.5 <= span.first_s and span.last_s <= b + 0.5 for a, b in breaks)
    ]
    longest = max((span.last_s - span.first_s for span in spans), default=0.0)
    wanted = f"silence inside the programme: {limit_words(limit, ' s')}"
    text = "no long silence" if not spans else f"silent {times(len(spans))}, for up to {longest:.1f} s"
    return checked_file.check(
        "silence",
        wanted,
        round(longest, 1),
        by_limit(longest, limit),
        text,
        [checked_file.seconds(span.first_s, span.last_s) for span in spans],
    )


def _level(checked_file: CheckedFile) -> Check:
    wanted, within = checked_file.delivery.line_up_dbfs, checked_file.tolerances.line_up_db
    with_tone = (
        {item.what for item in checked_file.layout.items if item.tone} if checked_file.layout is not None else set()
    )
    if not with_tone:  # a programme may sound like a tone
        return checked_file.check("level", wanted, None, NOT_CHECKED, "no line-up tone is asked for")
    rate = float(checked_file.rate)
    at = [(item.first / rate, item.last / rate) for item in checked_file.found.items if item.what in with_tone]
    at = at or [
        (0.0, checked_file.found.programme[0] / rate)
    ]  # where what it belongs to is not there: before the programme
    tones = [
        tone
        for tone in checked_file.found.tones
        if any(tone.first_s < last and tone.last_s > first for first, last in at)
    ]
    if not tones:
        where = " and ".join(sorted(with_tone))
        return checked_file.check(
            "level", wanted, None, FAILS, f"there is no tone with the {where}; one of {wanted:g} dBFS is wanted"
        )
    level = tones[0].figure
    fits = abs(level - wanted) <= within
    text = f"tone at {level:.1f} dBFS" + ("" if fits else f"; {wanted:g} is wanted")
    return checked_file.check(
        "level", wanted, round(level, 2), agrees(fits), text, [checked_file.seconds(tones[0].first_s, tones[0].last_s)]
    )


def _loudness(checked_file: CheckedFile) -> Iterator[Check]:
    sound, delivery = checked_file.found.sound, checked_file.delivery
    assert sound is not None
    wanted, within = delivery.loudness_lufs, checked_file.tolerances.loudness_lu
    if sound.integrated is None:
        yield checked_file.check(
            "loudness",
            wanted,
            None,
            LOOK if wanted is not None else NOT_CHECKED,
            "too little sound to measure its loudness",
        )
    elif wanted is None:
        yield checked_file.check(
            "loudness", None, round(sound.integrated, 1), NOT_CHECKED, f"{sound.integrated:.1f} LUFS; none is asked for"
        )
    else:
        fits = abs(sound.integrated - wanted) <= within + 0.05
        text = f"{sound.integrated:.1f} LUFS over the programme" + (
            "" if fits else f"; {wanted:g} ± {within:g} is wanted"
        )
        yield checked_file.check("loudness", wanted, round(sound.integrated, 1), agrees(fits), text)
    short = sound.most_short_term
    places = [n for n, value in enumerate(sound.short_term) if short is not None and value >= round(short, 1)]
    begin = checked_file.found.programme[0] / float(checked_file.rate)
    spans = [checked_file.seconds(begin + max(0.0, places[0] / 10 - 3), begin + places[0] / 10)] if places else []
    yield checked_file.check(
        "short_term",
        None,
        round(short, 1) if short is not None else None,
        PASSES if short is not None else NOT_CHECKED,
        f"at the most {short:.1f} LUFS over three seconds, {sound.most_momentary:.1f} at a moment"
        if short is not None and sound.most_momentary is not None
        else "too little sound",
        spans,
    )
    spread = sound.range
    yield checked_file.check(
        "loudness_range",
        None,
        round(spread, 1) if spread is not None else None,
        PASSES if spread is not None else NOT_CHECKED,
        f"{spread:.1f} LU" if spread is not None else "too little sound",
    )
    limit, peak = delivery.true_peak_dbtp, sound.true_peak
    if peak is None:
        yield checked_file.check("true_peak", limit, None, NOT_CHECKED, "there is no sound to measure")
    elif limit is None:
        yield checked_file.check(
            "true_peak", None, round(peak, 1), NOT_CHECKED, f"{peak:.1f} dBTP; no limit is asked for"
        )
    else:
        fits = peak <= limit + 0.05
        yield checked_file.check(
            "true_peak",
            limit,
            round(peak, 1),
            agrees(fits),
            f"{peak:.1f} dBTP" + ("" if fits else f"; at the most {limit:g} is wanted"),
        )
