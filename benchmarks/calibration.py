"""How honest the confidence of field verdicts is: thousands of draws, of drawn pictures and of real footage, coded.

Prints, for each band of confidence, how many answers were given and how many were right. With --fit, also the logistic
regression's coefficients on this draw (`media/measurement/fields.py` holds those of --draws 3000 --fit).
"""

from __future__ import annotations

import argparse
import sys
from fractions import Fraction
from multiprocessing import Pool
from pathlib import Path
from typing import Any

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from tests.footage import woven
from tests.material import CODERS, KINDS, coded, drawn, frames

from idle_quarry.media.measurement.field_pairs import PairMeter
from idle_quarry.media.measurement.field_structure import evidence
from idle_quarry.media.measurement.fields import LEAST_CONFIDENCE, ExaminedRun, described, guess_of

BANDS = ((0.0, 0.3), (0.3, 0.5), (0.5, 0.6), (0.6, 0.7), (0.7, 0.8), (0.8, 0.9), (0.9, 0.97), (0.97, 1.0))
#: How common a structure is against the others: a verdict's chance to be right depends on what there is to be judged.
COMMON = {"progressive": 4.0, "top": 2.0}
#: Mean square movement (8-bit codes) below which a clip counts as still, whatever its kind.
STILL = 1.0


def one(draw: tuple[int, str]) -> dict[str, Any]:
    """Return one draw of a seed and a material: truth, verdict, confidence and the features the confidence is made
    of.
    """
    seed, material = draw
    rng = np.random.default_rng(1_000_000 + seed)
    kind = KINDS[seed % len(KINDS)]
    noise = 0.0
    if material == "real":
        run, truth = woven(kind, rng, int(rng.choice([16, 24, 40])))
    else:
        shape = (288, 352, 16) if rng.random() < 0.25 else (144, 160, int(rng.choice([14, 24, 40])))
        chance = drawn(rng, *shape)
        if rng.random() < 0.4:
            chance.still_share = 0.0
        run, truth = frames(kind, chance)
        noise = chance.noise
    clean = run
    if rng.random() < 0.85:
        codec = str(rng.choice(list(CODERS)))
        mixed = truth.scan in ("interlaced", "pulldown", "mixed")
        flagged = bool(rng.random() < (0.85 if mixed else 0.3))
        run = coded(run, int(rng.choice(CODERS[codec], p=[0.3, 0.3, 0.25, 0.15])), interlaced=flagged, codec=codec)
    meter, plain = PairMeter(), PairMeter()
    for frame, before in zip(run, clean, strict=True):
        meter.take(frame)
        plain.take(before)
    largest = np.sort(plain.pairs.reshape(len(plain.pairs), 6, -1)[:, 3], axis=1)[:, -4]
    moves = float(np.median(np.sort(largest)[-max(3, len(largest) // 3) :])) - 3.2 * noise**2
    rate = Fraction(60) if kind.startswith("repeats") else Fraction(30)
    guess = guess_of([ExaminedRun(0, evidence(meter.pairs))], rate)
    scan, order, cadence = ("mixed", None, None) if guess.group == "mixed" else described(guess.path.best)
    if guess.group == "held":
        cadence = guess.hold.cadence
    still = kind == "still" or moves < STILL
    return {
        "kind": kind,
        "material": material,
        "still": still,
        "confidence": guess.confidence,
        "answered": guess.confidence >= LEAST_CONFIDENCE,
        "right": not still and (scan, order, cadence) == (truth.scan, truth.order, truth.cadence),
        "group": guess.group,
        "features": guess.features,
    }


def fitted(rows: list[dict[str, Any]], group: str) -> list[float]:
    """Return logistic regression's weights (Newton's method, a little ridge) for one group of verdicts."""
    mine = [row for row in rows if row["group"] == group]
    x = np.array([row["features"] for row in mine])
    y = np.array([row["right"] for row in mine], float)
    common = np.array([COMMON.get(row["kind"], 1.0) for row in mine])
    weights = np.zeros(x.shape[1])
    for _ in range(60):
        p = 1 / (1 + np.exp(-x @ weights))
        curvature = (x.T * (common * p * (1 - p))) @ x + 0.5 * np.eye(len(weights))
        weights = weights + np.linalg.solve(curvature, x.T @ (common * (y - p)) - 0.5 * weights)
    return [round(float(w), 3) for w in weights]


def shown(rows: list[dict[str, Any]]) -> None:
    """Print how often answers of each band of confidence were right, as a curve and in figures."""
    for low, high in BANDS:
        band = [row for row in rows if low <= row["confidence"] < high]
        if not band:
            continue
        common = [COMMON.get(row["kind"], 1.0) for row in band]
        text, right = (float(np.average([row[key] for row in band], weights=common)) for key in ("confidence", "right"))
        curve = "".join("=" if n < round(40 * right) else " " for n in range(41))
        at = round(40 * text)
        kept = "" if band[0]["answered"] else ", left undetermined"
        print(
            f"  {low:.2f} to {high:.2f} |{curve[:at]}+{curve[at + 1 :]}| said {text:.2f}, right {right:.3f} of"
            f" {len(band)}{kept}"
        )


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--draws", type=int, default=1200)
    parser.add_argument("--first", type=int, default=50_000, help="where seeds begin: not where the fit's were")
    parser.add_argument("--fit", action="store_true")
    options = parser.parse_args()
    seeds = range(options.first, options.first + options.draws // 2)
    with Pool() as pool:
        rows = pool.map(one, [(seed, material) for seed in seeds for material in ("drawn", "real")], chunksize=8)
    print(f"confidence of field verdicts, {options.draws} draws; =: how many were right, +: what was said")
    for material in ("drawn", "real"):
        print(f" {material} material")
        shown([row for row in rows if row["material"] == material])
    sure = [row for row in rows if row["confidence"] >= 0.9] or [{"right": 0.0}]
    stills = [row for row in rows if row["kind"] == "still"]
    print(f"  at 0.9 and more: {len(sure)} answers, {np.mean([row['right'] for row in sure]):.3f} right (aim 0.9)")
    print(
        f"  still pictures answered at 0.9 and more: {sum(r['confidence'] >= 0.9 for r in stills)} of {len(stills)}"
        " (aim 0)"
    )
    if options.fit:
        for group in ("progressive", "held", "interlaced", "pulldown", "mixed"):
            print(f'    "{group}": {tuple(fitted(rows, group))},')


if __name__ == "__main__":
    main()
