"""The streams of an open container that can be told of."""

from __future__ import annotations

from av.audio.stream import AudioStream
from av.container import InputContainer


def streams_of_sound(container: InputContainer) -> list[AudioStream]:
    """Return the streams of sound whose codec is known: what others hold cannot be heard, nor told."""
    return [track for track in container.streams.audio if track.codec_context is not None]
