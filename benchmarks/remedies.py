"""Remedies from two thousand random templates: none goes round in a circle, none makes the whole worse."""

from __future__ import annotations

import sys
from random import Random
from time import perf_counter

from common import ROOT, machine

sys.path.insert(0, str(ROOT))

from tests.path.scrambled import followed


def main() -> None:
    """Print how many remedies were followed, and how long one took to be weighed."""
    print(f"remedies followed from random templates until none is left; {machine()}")
    start, count = perf_counter(), followed(Random(2026), 2000)
    print(f"2000 templates, {count} remedies followed, each made its template better; {perf_counter() - start:.0f} s")


if __name__ == "__main__":
    main()
