"""The package as others get it: a wheel that has its data, a launcher, shipped files that parse."""

from __future__ import annotations

import ast
import configparser
import os
import re
import subprocess
import sys
import xml.etree.ElementTree as ElementTree
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest

import idle_quarry

ROOT = Path(__file__).resolve().parents[1]


@pytest.fixture(scope="module")
def wheel(tmp_path_factory: pytest.TempPathFactory) -> zipfile.ZipFile:
    folder = tmp_path_factory.mktemp("wheel")
    subprocess.run(
        [sys.executable, "-m", "hatchling", "build", "-t", "wheel", "-d", str(folder)],
        cwd=ROOT,
        check=True,
        capture_output=True,
    )
    return zipfile.ZipFile(next(folder.glob("*.whl")))


def test_the_wheel_has_everything(wheel: zipfile.ZipFile) -> None:
    names = set(wheel.namelist())
    for path in (ROOT / "src/idle_quarry").rglob("*"):
        if path.is_file() and "__pycache__" not in path.parts:
            assert path.relative_to(ROOT / "src").as_posix() in names, path
    for end in ("idle-quarry.desktop", "idle-quarry.metainfo.xml", "apps/idle-quarry.svg"):
        assert any(name.endswith(end) for name in names), end
    entry = next(name for name in names if name.endswith("entry_points.txt"))
    assert "idle-quarry = idle_quarry.__main__:main" in wheel.read(entry).decode()


def test_it_runs_from_the_wheel_alone(wheel: zipfile.ZipFile, tmp_path: Path) -> None:
    wheel.extractall(tmp_path)
    environment = {**os.environ, "PYTHONPATH": str(tmp_path), "XDG_DATA_HOME": str(tmp_path / "data")}
    done = subprocess.run(
        [sys.executable, "-m", "idle_quarry", "--library", str(tmp_path / "new.db"), "template", "list", "--json"],
        cwd=tmp_path,
        env=environment,
        capture_output=True,
        text=True,
        check=False,
    )
    assert (done.returncode, done.stdout.strip()) == (0, "[]"), done.stderr
    done = subprocess.run(
        [sys.executable, "-m", "idle_quarry", "--version"],
        cwd=tmp_path,
        env=environment,
        capture_output=True,
        text=True,
        check=True,
    )
    assert idle_quarry.__version__ in done.stdout


_IMPORTS_ALL = """
import importlib, pkgutil, sys
from importlib import metadata
from packaging.requirements import Requirement
root = sys.argv[1]
sys.path.insert(0, root)
declared, wanted = set(), [Requirement(line) for line in metadata.Distribution.at(sys.argv[2]).requires]
while wanted:
    asked = wanted.pop()
    key = asked.name.lower().replace("_", "-")
    if (key, tuple(asked.extras)) in declared:
        continue
    declared.add((key, tuple(asked.extras)))
    for line in metadata.distribution(asked.name).requires or ():
        need = Requirement(line)
        if need.marker is None or any(need.marker.evaluate({"extra": extra}) for extra in (*asked.extras, "")):
            wanted.append(need)
names = {name for name, _ in declared}
foreign = {
    top for top, dists in metadata.packages_distributions().items()
    if not names & {dist.lower().replace("_", "-") for dist in dists} and top != "idle_quarry"
}
class Absent:
    def find_spec(self, name, path=None, target=None):
        if name.split(".")[0] in foreign:
            raise ModuleNotFoundError(f"{name} is not declared", name=name)
for name in [name for name in sys.modules if name.split(".")[0] in foreign]:
    del sys.modules[name]
sys.meta_path.insert(0, Absent())
import idle_quarry
assert idle_quarry.__file__.startswith(root)
count = 0
for found in pkgutil.walk_packages(idle_quarry.__path__, "idle_quarry."):
    if not found.name.endswith(("__main__", "migrations.env")):  # Alembic alone runs that one
        importlib.import_module(found.name)
        count += 1
print(count)
"""


def test_what_it_declares_is_all_that_it_needs(wheel: zipfile.ZipFile, tmp_path: Path) -> None:
    """Every module is imported where nothing else can be than what the wheel declares, and what that needs."""
    wheel.extractall(tmp_path)
    [stated] = tmp_path.glob("*.dist-info")
    environment = {**os.environ, "PYTHONPATH": "", "QT_QPA_PLATFORM": "offscreen"}
    done = subprocess.run(
        [sys.executable, "-c", _IMPORTS_ALL, str(tmp_path), str(stated)],
        cwd=tmp_path,
        env=environment,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0 and int(done.stdout.split()[-1]) > 500, done.stderr


def test_shipped_files_parse() -> None:
    desktop = configparser.ConfigParser(interpolation=None)
    desktop.read(ROOT / "data/idle-quarry.desktop")
    assert desktop["Desktop Entry"]["Exec"] == "idle-quarry"
    for name in ("data/idle-quarry.metainfo.xml", "src/idle_quarry/app/icons/idle-quarry.svg"):
        assert ElementTree.parse(ROOT / name).getroot() is not None
    changes = (ROOT / "CHANGELOG.md").read_text().splitlines()
    assert any(line.startswith(f"## {idle_quarry.__version__} (") for line in changes), "a version says what changed"


def test_the_launcher_and_what_it_installs() -> None:
    subprocess.run(["bash", "-n", str(ROOT / "quarry")], check=True)
    for name in ("run", "test"):
        text = (ROOT / f"requirements/{name}.txt").read_text()
        assert "--index-url" not in text and "://" not in text, "the pinned files name no index"
        pins = [line for line in text.splitlines() if "==" in line and not line.startswith(("#", " "))]
        assert pins and all(line.endswith("\\") for line in pins) and text.count("--hash=sha256:") >= len(pins)


def test_the_readme_shows_every_screenshot() -> None:
    readme = (ROOT / "README.md").read_text()
    shots = sorted((ROOT / "docs/screenshots").glob("*.png"))
    assert 4 <= len(shots) < 20 and all(shot.name in readme for shot in shots)
    for line in ("./quarry demo", "./quarry test"):
        assert line in readme


#: Spellings that are not used where people read: one thing has one name. Each with what is written instead.
_NOT_WRITTEN = {
    r"\d[ip]/\d": "1080i25",
    r"\d PsF \d": "1080psf25",
    r"\b(lower|upper) first\b": "lower field first",
    r"(?<!for the )\bgrades?\b": "cost",
    r"\b[Pp]rove it\b": "Test on pictures",
    r"\bstarter set\b": "standard set",
    r"\b(as|is|not|was) said\b": "entered, published, declared or measured",
    r"\b[Tt]ake (it|none|them) (up|as)\b": "Resume, Import, Read as",
    r"\bfor nothing\b": "needlessly",
    r"\d drifted\b": "changes since the job started",
    r"\bhash (holds|does not hold)\b": "unchanged since export",
}


def _shown() -> Iterator[tuple[str, str]]:
    """Yield (place, text) of every sentence in the program's modules: strings of two words and more that are no
    docstring.
    """
    for path in sorted((ROOT / "src/idle_quarry").rglob("*.py")):
        if path.parent.name in ("versions", "server") or path.name in ("recipe.py",):
            continue  # statements for databases and shells
        nodes = list(ast.walk(ast.parse(path.read_text())))
        texts = {id(node.value) for node in nodes if isinstance(node, ast.Expr)}
        for node in nodes:
            if (
                isinstance(node, ast.Constant)
                and isinstance(node.value, str)
                and id(node) not in texts
                and " " in node.value
            ):
                yield f"{path.name}:{node.lineno}", node.value
    for path in sorted((ROOT / "src/idle_quarry").rglob("*.toml")):
        for number, line in enumerate(path.read_text().splitlines(), 1):
            if line.split(" = ")[0] in ("name", "short", "text", "called"):
                yield f"{path.name}:{number}", line.split(" = ", 1)[1]


def test_one_thing_is_written_one_way() -> None:
    shown = list(_shown())
    any_of = re.compile("|".join(f"(?:{pattern})" for pattern in _NOT_WRITTEN))
    result = [
        f"{place}: {text!r} (write {instead})"
        for place, text in shown
        if any_of.search(text)
        for pattern, instead in _NOT_WRITTEN.items()
        if re.search(pattern, text)
    ]
    assert not result, "\n".join(result)
    assert len(shown) > 1500  # the walk sees them
