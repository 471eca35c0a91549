"""What runs on Line-up's own thread: a chain that follows what is wanted, and the sound that is heard of it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from idle_quarry.errors import NotPossible
from idle_quarry.line.devices.chain import Chain, ShownFrame
from idle_quarry.line.writing.feed import Setup
from idle_quarry.sound.playing import SoundOut, Speaker

_FULL = 1 << 23


class SendingLoop:
    """Steps for a loop. `wanted`, `heard` (the first of two channels that are listened to) and `parade` (whether
    one is looked at) may be set from any thread; `mute` says why nothing is heard.
    """

    def __init__(
        self, wanted: Setup, heard: int | None, speaker: Callable[[int], SoundOut] = Speaker, *, parade: bool = False
    ) -> None:
        self.wanted, self.heard, self.parade, self.mute = wanted, heard, parade, ""
        self._make_speaker = speaker
        self._chain: Chain | None = None
        self._left: Chain | None = None
        self._out: SoundOut | None = None

    def step(self) -> ShownFrame | None:
        """Return the next frame of what is wanted now."""
        setup = self.wanted
        if self._chain is None or self._chain.setup != setup:
            self._leave()
            self._chain = Chain(setup)
        looked = self._chain.step(parade=self.parade)
        self._play(looked)
        return looked

    def period_s(self) -> float:
        return self._chain.period_s if self._chain is not None else 0.04

    def close(self) -> None:
        self._leave()
        if self._left is not None:
            self._left.close()
            self._left = None
        if self._out is not None:
            self._out.close()
            self._out = None

    def _leave(self) -> None:
        """Leave the chain; what is wanted next does not wait for its last frame, only for that of the one before."""
        if self._chain is not None:
            if self._left is not None:
                self._left.close()
            self._chain.leave()
            self._left, self._chain = self._chain, None

    def _play(self, looked: ShownFrame | None) -> None:
        first = self.heard
        if first is None or self.mute:
            if self._out is not None:
                self._out.close()
                self._out = None
            return
        if self._out is None:
            try:
                self._out = self._make_speaker(2)
            except NotPossible as error:
                self.mute = str(error)
                return
        if looked is not None:
            pair = (looked.frame.samples[:, first : first + 2] / _FULL).astype(np.float32)
            if pair.shape[1] == 1:  # a channel by itself is heard on both sides
                pair = np.repeat(pair, 2, axis=1)
            if pair.shape[1] == 2:
                self._out.give(pair)
