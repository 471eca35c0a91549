"""What the tests share: a home of their own, a template that has everything, clips written by FFmpeg's own program."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import idle_quarry
from idle_quarry.compiling import ahead
from tests.screen import own_screen

os.environ.setdefault(ahead.PLACE, str(ahead.folder()))  # compiled code is the machine's, whatever home the tests have
for _left in Path(tempfile.gettempdir()).glob("quarry-tests-*"):  # of a run that was stopped before it could clear
    _pid = _left.name.split("-")[2]
    if _pid.isdigit() and not Path(f"/proc/{_pid}").exists():
        shutil.rmtree(_left, ignore_errors=True)
_HOME = Path(tempfile.mkdtemp(prefix=f"quarry-tests-{os.getpid()}-"))
for _name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME", "HOME"):
    os.environ[_name] = str(_HOME / _name.lower())
    (_HOME / _name.lower()).mkdir()
os.environ.pop("IDLE_QUARRY_PERSON", None)

import pytest  # noqa: E402  (the home must be set before anything reads it)

if TYPE_CHECKING:  # a test that is named waits for nothing that it does not need
    from idle_quarry.library import FileLibrary
    from idle_quarry.path.changes.edits import Edit
    from idle_quarry.path.template import Template

_COMPILERS: list[subprocess.Popen[bytes]] = []


def pytest_configure(config: pytest.Config) -> None:
    """Give each process that runs tests a screen.

    The first one begins to compile loops, while tests that need none run.
    """
    workers = config.getoption("numprocesses", default=None)
    if not hasattr(config, "workerinput"):
        _COMPILERS.extend(ahead.begin())
    else:  # a processor of its own, for whatever it starts too: threads of several would only wait for one another
        processors, number = sorted(os.sched_getaffinity(0)), int(config.workerinput["workerid"].removeprefix("gw"))
        os.sched_setaffinity(0, {processors[number % len(processors)]})
    if not workers:
        screen = own_screen()
        if screen is not None:
            config.add_cleanup(screen.terminate)
    config.add_cleanup(lambda: shutil.rmtree(_HOME, ignore_errors=True))


#: Folders whose tests compute on no picture, in the order in which they run; the others follow.
_PURE = ("signal", "path", "library", "cli")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Put tests that compute on no picture first, in the part of each runner: loops are compiled meanwhile.

    A runner's first part is an unbroken one of this list, so that files are dealt out to as many parts.
    """
    by_file: dict[Path, list[pytest.Item]] = {}
    for item in items:
        by_file.setdefault(item.path, []).append(item)

    def rank(path: Path) -> int:
        return _PURE.index(path.parent.name) if path.parent.name in _PURE else len(_PURE)

    parts: list[list[pytest.Item]] = [[] for _ in range(getattr(config, "workerinput", {}).get("workercount", 1))]
    for path in sorted(by_file, key=rank):
        min(parts, key=len).extend(by_file[path])
    items[:] = [item for part in parts for item in part]


#: The demo's clips, as they lie in the package.
CLIPS = Path(idle_quarry.__file__).parent / "demo" / "clips"


def demo_template(name: str) -> Template:
    """Return the newest revision of a demo template."""
    from idle_quarry.demo.templates import house_shelf

    return next(history[-1].template for history in house_shelf() if history[-1].template.name == name)


def small_lamp_room(*changes: Edit) -> Template:
    """Return the Lamp Room with small pictures and a line-up of a second: what jobs do is proved by them as well."""
    from idle_quarry.path.changes.edits import Edit, edited
    from idle_quarry.signal.words import format_from_words

    return edited(
        demo_template("The Lamp Room"),
        Edit("timecode.line_up_length_s", 1),
        Edit("intermediate.codec", "rdd36-standard"),
        Edit("working.format", format_from_words("640x360i25 10bit 4:2:2")),
        *changes,
    )


@pytest.fixture(scope="session", autouse=True)
def _application(qapp: object) -> object:
    """What is printed makes Qt's smallest application where there is none, and no window could be opened after that."""
    return qapp


def shortened(name: str, folder: Path, seconds: float) -> Path:
    """Put the first seconds of a demo clip into a folder, as they were coded: what proves a thing on 12 frames
    needs no 50.
    """
    path = folder / name
    cut = ["ffmpeg", "-v", "error", "-i", str(CLIPS / name), "-t", str(seconds), "-map", "0:v", "-c", "copy", str(path)]
    subprocess.run(cut, check=True)
    return path


@pytest.fixture
def library(tmp_path: Path) -> Iterator[FileLibrary]:
    from idle_quarry.library import open_library

    result = open_library(tmp_path / "library.db", "Runa")
    yield result
    result.close()


@pytest.fixture(scope="session")
def ffmpeg(tmp_path_factory: pytest.TempPathFactory) -> Callable[..., Path]:
    """Return a function that makes a clip with Debian's FFmpeg, an encoder and muxer that are not this program's."""
    assert shutil.which("ffmpeg"), "Debian's ffmpeg is missing: ./quarry test installs it"
    folder = tmp_path_factory.mktemp("ffmpeg")

    def make(name: str, size: str, rate: str, *options: str, seconds: float = 0.32, sound: bool = False) -> Path:
        path = folder / name
        source = ["-f", "lavfi", "-i", f"testsrc2=s={size}:r={rate}"]
        source += ["-f", "lavfi", "-i", "sine=r=48000"] if sound else []
        command = ["ffmpeg", "-v", "error", "-y", *source, "-t", str(seconds), *options, str(path)]
        subprocess.run(command, check=True, capture_output=True, text=True)
        return path

    return make
