"""How honest the confidence of field verdicts is: thousands of random draws of motion, noise, contrast and coding.

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

from tests.material import KINDS, coded, drawn, frames

from idle_quarry.media.measurement.field_pairs import PairMeter
from idle_quarry.media.measurement.fields import RunSeen, described, features_of, fields_of
from idle_quarry.media.measurement.structure import decoded, evidence

BANDS = ((0.0, 0.3), (0.3, 0.5), (0.5, 0.7), (0.7, 0.9), (0.9, 0.97), (0.97, 1.0))
#: Mean square movement (8-bit codes) below which a clip counts as still, whatever its kind.
STILL = 1.0


def one(seed: int) -> dict[str, Any]:
    """Return one draw: truth, verdict, confidence and the features the confidence is made of."""
    rng = np.random.default_rng(1_000_000 + seed)
    kind = KINDS[seed % len(KINDS)]
    shape = (288, 352, 16) if rng.random() < 0.25 else (144, 160, int(rng.choice([14, 24, 40])))
    chance = drawn(rng, *shape)
    if rng.random() < 0.4:
        chance.still_share = 0.0
    run, truth = frames(kind, chance)
    quality = int(rng.choice([0, 2, 4, 8, 16], p=[0.2, 0.25, 0.25, 0.2, 0.1]))
    woven = truth.scan in ("interlaced", "pulldown", "mixed")
    clean = run
    if quality:
        run = coded(run, quality, interlaced=bool(rng.random() < (0.85 if woven else 0.3)))
    meter, plain = PairMeter(), PairMeter()
    for frame, before in zip(run, clean, strict=True):
        meter.take(frame)
        plain.take(before)
    largest = np.sort(plain.pairs.reshape(len(plain.pairs), 6, -1)[:, 3], axis=1)[:, -4]
    moves = float(np.median(np.sort(largest)[-max(3, len(largest) // 2) :])) - 3.2 * chance.noise**2
    seen = evidence(meter.pairs)
    found = fields_of([RunSeen(0, seen)], Fraction(30), False)
    best = decoded([seen])
    scan, order, cadence = described(best.best)
    guess = (scan, order, cadence if scan == "pulldown" else None)
    want = (truth.scan, truth.order, truth.cadence if truth.scan == "pulldown" else None)
    still = kind == "still" or moves < STILL
    return {
        "kind": kind,
        "still": still,
        "mixed": kind == "mixed",
        "said": found.scan,
        "confidence": found.confidence,
        "right": not still and (found.scan, found.field_order) == want[:2],
        "guess_right": not still and guess == want,
        "group": scan,
        "features": features_of(best.margin, float(np.percentile(seen.strength, 80)), seen.growth),
    }


def fitted(rows: list[dict[str, Any]], group: str) -> list[float]:
    """Return logistic regression's weights (Newton's method, a little ridge) for one group of verdicts."""
    mine = [row for row in rows if row["group"] == group and not row["mixed"]]
    x = np.array([row["features"] for row in mine])
    y = np.array([row["guess_right"] for row in mine], float)
    weights = np.zeros(x.shape[1])
    for _ in range(60):
        p = 1 / (1 + np.exp(-x @ weights))
        curvature = (x.T * (p * (1 - p))) @ x + 0.5 * np.eye(len(weights))
        weights = weights + np.linalg.solve(curvature, x.T @ (y - p) - 0.5 * weights)
    return [round(float(w), 3) for w in weights]


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--draws", type=int, default=1200)
    parser.add_argument("--first", type=int, default=50_000, help="where seeds begin: not where the fit's were")
    parser.add_argument("--fit", action="store_true")
    options = parser.parse_args()
    with Pool() as pool:
        rows = pool.map(one, range(options.first, options.first + options.draws), chunksize=8)
    print(f"confidence of field verdicts, {options.draws} draws")
    for low, high in BANDS:
        band = [row for row in rows if low <= row["confidence"] < high and row["said"] != "undetermined"]
        doubt = [row for row in rows if low <= row["confidence"] < high and row["said"] == "undetermined"]
        if band:
            mean = np.mean([row["confidence"] for row in band])
            print(
                f"  {low:.2f} to {high:.2f}: {len(band)} answers, said {mean:.2f}, right {np.mean([r['right'] for r in band]):.3f}"
            )
        if doubt:
            print(f"  {low:.2f} to {high:.2f}: {len(doubt)} left undetermined")
    sure = [row for row in rows if row["confidence"] >= 0.9 and row["said"] != "undetermined"]
    stills = [row for row in rows if row["kind"] == "still"]
    print(f"  at 0.9 and more: {len(sure)} answers, {np.mean([row['right'] for row in sure]):.3f} right (aim 0.9)")
    print(
        f"  still pictures answered at 0.9 and more: {sum(r['confidence'] >= 0.9 for r in stills)} of {len(stills)} (aim 0)"
    )
    if options.fit:
        for group in ("progressive", "interlaced", "pulldown"):
            print(f"  {group}: {fitted(rows, group)}")


if __name__ == "__main__":
    main()
