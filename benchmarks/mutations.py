"""Small random changes of modules, and whether their tests notice: `mutations.py [MODULE [TESTS]] [COUNT]` (aim:
under one in ten lives).
"""

from __future__ import annotations

import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from common import ROOT, machine

#: Modules and the tests that are theirs.
PAIRS = {
    "jobs/moving.py": "tests/jobs tests/library/test_reviews.py",
    "path/matching.py": "tests/path/test_matching_and_starting.py tests/app/test_models.py",
    "path/comparing.py": "tests/path/test_steps.py tests/proof/test_bench.py",
    "library/files/bundles.py": "tests/library/test_exchange.py",
    "recovery.py": "tests/jobs/test_left_over.py",
    "path/settings/index.py": "tests/path tests/library/test_reviews.py",
    "app/models/jobs/start.py": "tests/app/test_models.py tests/app/test_people.py tests/app/test_window.py",
    "app/models/library/shelf.py": "tests/app/test_models.py tests/app/test_library.py",
    "jobs/cutting/edits.py": "tests/jobs/test_cutting.py tests/app/test_trial_models.py",
    "jobs/cutting/track_edits.py": "tests/jobs/test_cutting.py tests/app/test_trial_models.py",
    "jobs/cutting/timeline.py": "tests/jobs/test_cutting.py tests/jobs/test_cuts.py",
    "jobs/cutting/timeline_files.py": "tests/jobs/test_trial.py tests/jobs/test_records.py tests/jobs/test_cuts.py",
    "jobs/conform/matching.py": "tests/jobs/test_cuts.py",
    "jobs/conform/edl.py": "tests/jobs/test_cuts.py",
    "jobs/conform/taking.py": "tests/jobs/test_cuts.py",
    "jobs/renders/pieces.py": "tests/jobs/test_renders.py",
    "jobs/renders/queue.py": "tests/jobs/test_renders.py",
    "jobs/handover/file_writing.py": "tests/jobs/test_handover.py",
    "jobs/handover/picture_checks.py": "tests/jobs/test_checks.py",
    "jobs/handover/programme_checks.py": "tests/jobs/test_checks.py",
    "jobs/handover/sound_checks.py": "tests/jobs/test_checks.py",
    "jobs/handover/sealing.py": "tests/jobs/test_sealing.py tests/jobs/test_handover.py",
    "jobs/material.py": "tests/jobs/test_material.py",
    "line/devices/recorder.py": "tests/line/test_deck.py",
    "line/reading/reader.py": "tests/line/test_round_trips.py tests/line/test_damage.py",
    "media/whole/pictures.py": "tests/media/test_whole.py",
    "media/whole/layout.py": "tests/media/test_whole.py",
    "media/whole/sound.py": "tests/media/test_whole.py tests/media/test_whole_sound.py",
    "media/pacing.py": "tests/media/test_pacing.py",
}
_COMPARED = {
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.Lt: ast.GtE,
    ast.GtE: ast.Lt,
    ast.Gt: ast.LtE,
    ast.LtE: ast.Gt,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
}
_COUNTED = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Add, ast.Div: ast.Mult, ast.FloorDiv: ast.Mult}


def changes(tree: ast.Module) -> Iterator[tuple[ast.AST, str]]:
    """Yield each place that can be changed, with what the change is; a switch given by name (`frozen=True`) is none."""
    named = {id(item.value) for item in ast.walk(tree) if isinstance(item, ast.keyword)}
    for node in ast.walk(tree):
        if id(node) in named and isinstance(node, ast.Constant):
            continue
        if isinstance(node, ast.Compare) and type(node.ops[0]) in _COMPARED:
            yield node, "compared otherwise"
        elif isinstance(node, ast.BoolOp):
            yield node, "and for or"
        elif isinstance(node, ast.BinOp) and type(node.op) in _COUNTED and not isinstance(node.left, ast.Constant):
            yield node, "counted otherwise"
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            yield node, "without not"
        elif isinstance(node, ast.If) and not (isinstance(node.test, ast.Name) and node.test.id == "TYPE_CHECKING"):
            yield node, "never"
        elif isinstance(node, ast.Constant) and type(node.value) in (int, bool) and node.value is not None:
            yield node, "another value"


def change(node: ast.AST) -> None:
    """Change a place of the tree."""
    if isinstance(node, ast.Compare):
        node.ops[0] = _COMPARED[type(node.ops[0])]()
    elif isinstance(node, ast.BoolOp):
        node.op = ast.Or() if isinstance(node.op, ast.And) else ast.And()
    elif isinstance(node, ast.BinOp):
        node.op = _COUNTED[type(node.op)]()
    elif isinstance(node, ast.UnaryOp):
        node.op, node.operand = ast.Not(), ast.UnaryOp(ast.Not(), node.operand)
    elif isinstance(node, ast.If):
        node.test = ast.Constant(False)
    elif isinstance(node, ast.Constant):
        node.value = not node.value if isinstance(node.value, bool) else int(str(node.value)) + 1


def lives(module: str, tests: str, number: int) -> tuple[bool, str]:
    """Change the place of that number; return whether the tests pass all the same, and what was changed."""
    source = (ROOT / "src/idle_quarry" / module).read_text()
    tree = ast.parse(source)
    node, what = list(changes(tree))[number]
    line = getattr(node, "lineno", 0)
    change(node)
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder)
        shutil.copytree(ROOT / "src", copy / "src", ignore=shutil.ignore_patterns("__pycache__"))
        (copy / "src/idle_quarry" / module).write_text(ast.unparse(ast.fix_missing_locations(tree)))
        environment = {**os.environ, "PYTHONPATH": f"{copy / 'src'}:{ROOT}", "QT_QPA_PLATFORM": "offscreen"}
        command = [
            sys.executable,
            "-m",
            "pytest",
            "-x",
            "-q",
            "-p",
            "no:cacheprovider",
            "-o",
            f"pythonpath={copy / 'src'} {ROOT}",
        ]
        try:
            done = subprocess.run(
                [*command, *tests.split()], cwd=ROOT, env=environment, capture_output=True, timeout=400, check=False
            )
        except subprocess.TimeoutExpired:
            return False, ""
    return done.returncode == 0, f"{module}:{line} {what}: {source.splitlines()[line - 1].strip()}"


def main() -> None:
    """Print what lived of each module, and the share."""
    wanted = [item for item in sys.argv[1:] if not item.isdigit()]
    count = next((int(item) for item in sys.argv[1:] if item.isdigit()), 6)
    pairs = {wanted[0]: " ".join(wanted[1:]) or PAIRS[wanted[0]]} if wanted else PAIRS
    chance = random.Random(2026)
    lived = tried = 0
    print(f"small changes and whether tests notice ({machine()})")
    for module, tests in pairs.items():
        tree = ast.parse((ROOT / "src/idle_quarry" / module).read_text())
        places = len(list(changes(tree)))
        for number in chance.sample(range(places), min(count, places)):
            alive, what = lives(module, tests, number)
            tried += 1
            lived += alive
            if alive:
                print(f"  lived: {what}", flush=True)
    print(f"  {lived} of {tried} lived (aim: under one in ten)")


if __name__ == "__main__":
    main()
