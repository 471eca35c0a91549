"""A start: what each entry may load, what is shown before the library is read, and that nothing shown then is out
of date.
"""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QLabel
from tests.app.conftest import Open, filled

from idle_quarry.app.shell.last_look import keep, last_look
from idle_quarry.app.shell.window import MainWindow

HEAVY = {
    "PySide6",
    "sqlalchemy",
    "pydantic",
    "numpy",
    "scipy",
    "numba",
    "av",
    "opentimelineio",
    "procrastinate",
    "psycopg",
}
ENTRY = "from idle_quarry.__main__ import main; main({})"
#: What each entry loads of what is heavy; everything else waits until it is wanted.
LOADED = {
    ENTRY.format(["plan", "1080i25", "2160p50 hlg"]): set(),
    ENTRY.format(["completion", "bash"]): {
        "pydantic",
        "sqlalchemy",
        "numpy",
        "scipy",
        "numba",
    },  # once, for all commands
    ENTRY.format(["codecs", "--format", "1080i25"]): {"pydantic"},
    ENTRY.format(["template", "list"]): {"pydantic", "sqlalchemy"},
    ENTRY.format(["template", "find", "working.bit_depth=10"]): {"pydantic", "sqlalchemy"},
    "import idle_quarry.app.run": {"PySide6"},
    "import idle_quarry.app.desk, idle_quarry.app.shell.palette\n"
    "import idle_quarry.app.views.library.view, idle_quarry.app.views.path.view": {
        "PySide6",
        "sqlalchemy",
        "pydantic",
    },
    "import idle_quarry.jobs.renders.worker": {"pydantic", "numpy", "scipy", "numba", "av"},
}


@pytest.mark.parametrize("code", LOADED, ids=lambda code: code[-48:])
def test_an_entry_loads_what_it_needs(code: str, tmp_path: Path) -> None:
    names = ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME")
    asked = f"import sys\n{code}\nprint('\\n' + ' '.join(name for name in sys.modules if '.' not in name))"
    done = subprocess.run(
        [sys.executable, "-c", asked],
        check=True,
        capture_output=True,
        text=True,
        env={**os.environ, **dict.fromkeys(names, str(tmp_path))},
    )
    assert HEAVY & set(done.stdout.splitlines()[-1].split()) == LOADED[code]


def test_pyside_still_looks_into_each_module_by_that_name() -> None:
    """`app` keeps PySide from reading the source of every module.

    Were its own name another, that would be lost unseen.
    """
    asked = "import sys, PySide6.QtCore; print('_mod_uses_pyside' in vars(sys.modules['shibokensupport.feature']))"
    assert subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True).stdout.strip() == "True"


def test_the_shelf_is_shown_as_it_was_left_and_never_as_it_is_not(open_window: Open, tmp_path: Path) -> None:
    window = open_window()
    shelf = window.desk.shelf
    shelf.choose_row(2)
    chosen = shelf.chosen.summary
    assert chosen is not None
    window.show_view("Path")
    window.close()
    preferences, file = window.desk.preferences, window.desk.library.place
    assert window.look is not None and preferences.template == chosen.id and preferences.view == "Library"
    keep(window.look.toImage(), str(file), "", preferences, window)
    again = MainWindow()
    again.resize(window.size())
    look = last_look("", preferences, again)
    plain = QImage.Format.Format_RGB32
    assert look is not None and look.toImage().convertToFormat(plain) == window.look.toImage().convertToFormat(plain)
    again.show_look(look)
    picture = again.centralWidget()
    assert isinstance(picture, QLabel) and picture.pixmap().size() == window.look.size()
    assert last_look("another", preferences, again) is None, "another library"
    again.resize(window.width() + 40, window.height())
    assert last_look("", preferences, again) is None, "another size"
    again.resize(window.size())
    preferences.brightness = "office"
    assert last_look("", preferences, again) is None, "another dress"
    preferences.brightness = "dim room"
    os.utime(file, ns=(1, 1))
    assert last_look("", preferences, again) is None, "somebody has saved since"
    again.show_look(None)
    picture = again.centralWidget()
    assert isinstance(picture, QLabel) and "Reading the shelf" in picture.text()
    again.close()
    fresh = open_window()
    assert fresh.desk.shelf.chosen.summary is not None


def test_pages_that_work_on_pictures_say_why_they_wait(open_window: Open, monkeypatch: pytest.MonkeyPatch) -> None:
    window = open_window()
    sleeper = subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE)
    monkeypatch.setattr("idle_quarry.app.background.compiler.ahead.is_done", lambda: False)
    monkeypatch.setattr("idle_quarry.app.background.compiler.ahead.begin", lambda: [sleeper])
    window.desk.compiler.begin()
    assert not window.preparing.isVisible()
    window.show_view("Proof")
    assert window.preparing.isVisible() and "once" in window.preparing.text()
    window.show_view("Library")
    assert not window.preparing.isVisible()
    window.show_view("Proof")
    sleeper.communicate(b"\n")
    window.desk.compiler._look()
    assert not window.preparing.isVisible()


WHOLE = """
import sys
from PySide6.QtCore import QTimer
import idle_quarry.app.run as run
from idle_quarry.app.shell.last_look import last_look as looked
furnish = run.MainWindow.furnish
def look(*given):
    found = looked(*given)
    print("look" if found is not None else "none", flush=True)
    return found
def furnished(self, desk):
    furnish(self, desk)
    QTimer.singleShot(1500, self.close)
run.last_look, run.MainWindow.furnish = look, furnished
sys.exit(run.run_window(sys.argv[1]))
"""


def test_a_whole_start_ends_well_and_the_next_one_shows_its_shelf(tmp_path: Path) -> None:
    """As a program of its own: opened, loaded behind the window, closed by its user; then the same again."""
    file = filled(tmp_path / "library.db")
    names = ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME")
    environment = {**os.environ, **dict.fromkeys(names, str(tmp_path / "home"))}
    for shown in ("none", "look"):
        done = subprocess.run(
            [sys.executable, "-c", WHOLE, str(file)],
            check=False,
            capture_output=True,
            text=True,
            env=environment,
            timeout=120,
        )
        assert (done.returncode, done.stdout.split()) == (0, [shown]), done.stderr
