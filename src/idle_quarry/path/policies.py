"""How a link converts: one choice for each kind of step, each with a sentence that explains it."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

Fit = Literal["inside", "fill", "stretch", "same"]
Position = Literal["centre", "top", "bottom", "left", "right"]
Kernel = Literal["bilinear", "bicubic", "lanczos3", "spline36", "area"]
Scan = Literal["adaptive", "compensated", "interpolate", "blend", "drop", "leave"]
Retime = Literal["auto", "speed", "nearest", "blend", "compensated", "refuse"]
Colour = Literal["convert", "leave"]
Rounding = Literal["dither", "round", "truncate"]

EXPLAINED: dict[str, dict[str, str]] = {
    "fit": {
        "inside": "the whole picture is kept; what the shape leaves over is black",
        "fill": "the frame is filled; what does not fit is trimmed",
        "stretch": "each side is scaled by itself; shapes change where aspects differ",
        "same": "samples are copied one for one; nothing is scaled",
    },
    "position": {
        "centre": "the picture sits in the middle",
        "top": "the upper edge is kept",
        "bottom": "the lower edge is kept",
        "left": "the left edge is kept",
        "right": "the right edge is kept",
    },
    "kernel": {
        "bilinear": "soft, no ringing",
        "bicubic": "sharp enough, little ringing",
        "lanczos3": "sharp, some ringing at hard edges",
        "spline36": "sharp, a little less ringing than Lanczos",
        "area": "averages; for large reductions",
    },
    "scan": {
        "adaptive": "still parts keep both fields, moving parts are interpolated",
        "compensated": "missing lines are searched along the motion",
        "interpolate": "missing lines come from the field itself",
        "blend": "both fields are mixed: moving edges double",
        "drop": "one field is thrown away, its lines repeated",
        "leave": "fields stay woven: moving edges comb",
    },
    "retime": {
        "auto": "24 and 25 by speed, all else nearest with duration kept",
        "speed": "every picture is kept; duration and pitch change",
        "nearest": "pictures are repeated or dropped; duration is kept",
        "blend": "neighbours are mixed where none fits",
        "compensated": "new pictures are made along the motion",
        "refuse": "material at another rate is not taken",
    },
    "colour": {
        "convert": "converted to the target's colour as displayed",
        "leave": "codes pass unchanged and are read as the target's",
    },
    "rounding": {
        "dither": "rounded with noise below one code: no bands",
        "round": "rounded to the nearest code",
        "truncate": "the lowest bits are cut off",
    },
}


class Policy(BaseModel):
    """How one link converts. The defaults convert nothing that agrees and keep the whole picture."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    fit: Fit = "inside"
    position: Position = "centre"
    kernel: Kernel = "lanczos3"
    scan: Scan = "adaptive"
    retime: Retime = "auto"
    colour: Colour = "convert"
    rounding: Rounding = "dither"


DEFAULT_POLICY = Policy()
