"""Line-up tone: 1 kHz at a level, the left channel interrupted so that it can be told from the right."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from idle_quarry.path.entries import SoundLayout

LINE_UP_HZ = 1000
#: The low-frequency channel ends at 120 Hz (ITU-R BS.775): it is given a tone inside its band.
LFE_HZ = 80
#: EBU R 49: the left channel pauses for a quarter of a second every three seconds.
IDENT_EVERY_S = 3.0
IDENT_PAUSE_S = 0.25


def line_up_tone(level_dbfs: float, seconds: float, sample_rate: int, layout: SoundLayout) -> NDArray[np.int32]:
    """Return line-up tone for all channels of a layout.

    Every left channel is interrupted, every LFE channel has its own tone, and what the layout keeps silent is silent.

    Parameters
    ----------
    level_dbfs
        The level of the sine's peaks against full scale.
    seconds, sample_rate
        How long, and at which rate.
    layout
        The channels in their order.

    Returns
    -------
    Signed 32-bit samples, (samples, channels), in the layout's order.

    References
    ----------
    EBU R 68 and SMPTE RP 155 for the level; EBU R 49 for the interruption.
    """
    count = round(seconds * sample_rate)
    time = np.arange(count) / sample_rate
    peak = 10 ** (level_dbfs / 20)
    tone, low = (np.sin(2 * np.pi * hz * time) * peak for hz in (LINE_UP_HZ, LFE_HZ))
    interrupted = np.where((time % IDENT_EVERY_S) < IDENT_PAUSE_S, 0, tone)
    samples = np.zeros((count, len(layout.channels)))
    for number, channel in enumerate(layout.channels):
        if channel.carries != "silent":
            samples[:, number] = {"LFE": low, "left": interrupted}.get(channel.at, tone)
    return np.rint(samples * (2**31 - 1)).astype(np.int32)
