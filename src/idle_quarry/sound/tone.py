"""Line-up tone: 1 kHz at a level, the left channel interrupted so that it can be told from the right."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

LINE_UP_HZ = 1000
#: The low-frequency channel ends at 120 Hz (ITU-R BS.775): it is given a tone inside its band.
LFE_HZ = 80
#: EBU R 49: the left channel pauses for a quarter of a second every three seconds.
IDENT_EVERY_S = 3.0
IDENT_PAUSE_S = 0.25
LFE_CHANNEL = 3
CHANNELS = {"mono": 1, "stereo": 2, "5.1": 6}


def line_up_tone(level_dbfs: float, seconds: float, sample_rate: int, layout: str) -> NDArray[np.int32]:
    """Return the tone as signed 32-bit samples, shape (samples, channels), in file order (L R C LFE Ls Rs).

    The level is that of the sine's peaks against full scale, as EBU R 68 and SMPTE RP 155 count it.
    Raises `KeyError` for a layout that is not named in `CHANNELS`.
    """
    count = round(seconds * sample_rate)
    time = np.arange(count) / sample_rate
    peak = 10 ** (level_dbfs / 20)
    samples = np.repeat((np.sin(2 * np.pi * LINE_UP_HZ * time) * peak)[:, None], CHANNELS[layout], axis=1)
    if layout == "5.1":
        samples[:, LFE_CHANNEL] = np.sin(2 * np.pi * LFE_HZ * time) * peak
    if layout != "mono":
        samples[(time % IDENT_EVERY_S) < IDENT_PAUSE_S, 0] = 0
    return np.rint(samples * (2**31 - 1)).astype(np.int32)
