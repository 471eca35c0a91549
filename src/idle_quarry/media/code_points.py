"""The code points of ITU-T H.273 (2024-07), by which files and FFmpeg's libraries declare colour, and this
program's names.
"""

from __future__ import annotations

#: Table 2, ColourPrimaries.
PRIMARIES = {1: "bt709", 5: "bt601-625", 6: "bt601-525", 7: "bt601-525", 9: "bt2020", 11: "p3-dci", 12: "p3"}
#: Table 3, TransferCharacteristics.
TRANSFERS = {
    1: "bt709",
    6: "bt709",
    7: "bt709",
    8: "linear",
    13: "srgb",
    14: "bt709",
    15: "bt709",
    16: "pq",
    17: "gamma2.6",
    18: "hlg",
}
#: Table 4, MatrixCoefficients; constant luminance is read, and no format here has it.
CONSTANT_LUMINANCE = "bt2020 constant luminance"
MATRICES = {0: "rgb", 1: "bt709", 5: "bt601", 6: "bt601", 9: "bt2020", 10: CONSTANT_LUMINANCE}
#: FFmpeg's AVColorRange.
RANGES = {1: "narrow", 2: "full"}

#: What FFmpeg's command line calls them.
FFMPEG_PRIMARIES = {
    "bt709": "bt709",
    "bt601-625": "bt470bg",
    "bt601-525": "smpte170m",
    "bt2020": "bt2020",
    "p3": "smpte432",
    "p3-dci": "smpte431",
}
FFMPEG_TRANSFERS = {
    "bt709": "bt709",
    "hlg": "arib-std-b67",
    "pq": "smpte2084",
    "srgb": "iec61966-2-1",
    "linear": "linear",
    "gamma2.6": "smpte428",
}
FFMPEG_MATRICES = {"bt601": "smpte170m", "bt709": "bt709", "bt2020": "bt2020nc", "rgb": "rgb"}

#: What is written for each name, where several are read: those of 525 lines share theirs with 625 in transfer and
#: matrix.
_WRITTEN_TRANSFERS = {"bt709": 1, "linear": 8, "srgb": 13, "pq": 16, "gamma2.6": 17, "hlg": 18}
_WRITTEN_PRIMARIES = {"bt709": 1, "bt601-625": 5, "bt601-525": 6, "bt2020": 9, "p3": 12, "p3-dci": 11}
_WRITTEN_MATRICES = {"rgb": 0, "bt709": 1, "bt601": 6, "bt2020": 9}
_BT601_TRANSFER = 6


def written(primaries: str, transfer: str, matrix: str) -> tuple[int, int, int]:
    """Return the code points of primaries, transfer and matrix to be written for names of this program.

    >>> written("bt709", "bt709", "bt709")
    (1, 1, 1)
    >>> written("bt601-625", "bt709", "bt601")
    (5, 6, 6)
    """
    curve = _BT601_TRANSFER if matrix == "bt601" else _WRITTEN_TRANSFERS[transfer]
    return _WRITTEN_PRIMARIES[primaries], curve, _WRITTEN_MATRICES[matrix]
