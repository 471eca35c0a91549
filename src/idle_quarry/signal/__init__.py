"""What a picture signal is: rates, timecode, rasters, scan, colorimetry, levels, formats in words."""

from idle_quarry.signal.formats import Encoding, SignalFormat
from idle_quarry.signal.levels import Levels
from idle_quarry.signal.rasters import Raster
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_from_words, format_words

__all__ = ["Encoding", "Levels", "Raster", "SignalFormat", "Timecode", "format_from_words", "format_words"]
