"""The rooms of the window: models know no widget, views no library, nothing is too large to be seen at once."""

from __future__ import annotations

import ast
import re
from pathlib import Path

import grimp
import numpy as np
import pytest
from PySide6.QtWidgets import QWidget
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components
from tests.app.conftest import Open

from idle_quarry import app
from idle_quarry.app.views.registry import VIEWS

APP = Path(app.__file__).parent
PACKAGE = APP.parent
MOST_LINES, MOST_LINES_ELSEWHERE, MOST_MODULES, MOST_CLASS = 300, 400, 20, 260


def modules(*folders: str) -> list[Path]:
    return [path for folder in folders for path in sorted((APP / folder).rglob("*.py"))]


def imports(path: Path) -> set[str]:
    tree = ast.parse(path.read_text())
    return {node.module or "" for node in ast.walk(tree) if isinstance(node, ast.ImportFrom)}


def test_models_know_no_widget_and_views_no_library() -> None:
    for path in modules("models"):
        assert not any(name.startswith(("PySide6.QtWidgets", "PySide6.QtGui")) for name in imports(path)), path
    for path in modules("views", "widgets", "drawing", "evidence"):
        text = path.read_text()
        assert not re.search(r"desk\.(library|workers|acts)\b", text), path
        assert "idle_quarry.library.store" not in imports(path), path


def test_every_room_can_be_seen_at_once() -> None:
    """A folder has twenty modules at the most, a module of the window 300 lines, any other 400."""
    for folder in {path.parent for path in PACKAGE.rglob("*.py")}:
        assert len(list(folder.glob("*.py"))) <= MOST_MODULES, folder
    for path in PACKAGE.rglob("*.py"):
        name, lines = str(path.relative_to(PACKAGE)), len(path.read_text().splitlines())
        assert lines <= (MOST_LINES if path.is_relative_to(APP) else MOST_LINES_ELSEWHERE), f"{name} has {lines} lines"


def test_no_view_is_one_great_class() -> None:
    for path in modules("views"):
        for node in ast.parse(path.read_text()).body:
            if isinstance(node, ast.ClassDef):
                assert (node.end_lineno or 0) - node.lineno <= MOST_CLASS, (path, node.name)


def circles_of(imports: dict[str, set[str]]) -> list[set[str]]:
    """Modules that import one another, by way of others or not."""
    names = sorted(imports)
    pairs = [(names.index(a), names.index(b)) for a in names for b in imports[a] if b in imports]
    rows, columns = np.array(pairs or [(0, 0)]).T
    shape = (len(names), len(names))
    count, circle_of = connected_components(
        coo_array((np.ones(len(rows)), (rows, columns)), shape), connection="strong"
    )
    circles = [{name for name, number in zip(names, circle_of, strict=True) if number == n} for n in range(count)]
    return [circle for circle in circles if len(circle) > 1]


def test_only_a_model_and_its_parts_know_one_another() -> None:
    """Types count as well. Such a circle lies in one room of the models, and without the model there is none."""
    graph = grimp.build_graph("idle_quarry", cache_dir=None)
    imports = {name: graph.find_modules_directly_imported_by(name) for name in graph.modules}
    for circle in circles_of(imports):
        (room,) = {name.rpartition(".")[0] for name in circle}
        assert room.startswith("idle_quarry.app.models."), circle
        assert any(not circles_of({part: imports[part] for part in circle - {model}}) for model in circle), circle


@pytest.mark.parametrize("row", VIEWS, ids=lambda row: row.name)
def test_a_view_is_one_folder_and_one_row(row: object, open_window: Open) -> None:
    window = open_window()
    window.show_view(row.name)  # type: ignore[attr-defined]
    view = window.view(row.name)  # type: ignore[attr-defined]
    assert window.shown == row.name and view.isVisible()  # type: ignore[attr-defined]
    first = getattr(view, "first_focus", None)
    assert isinstance(first, QWidget) and view.isAncestorOf(first)


def test_a_command_says_why_it_cannot_be_done_and_then_does_nothing(open_window: Open) -> None:
    window = open_window()
    by_name = {command.name: command for command in window.acting.commands}
    assert len(by_name) == len(window.acting.commands)
    shut = {name for name, command in by_name.items() if command.why_not()}
    assert {"Undo", "Redo", "Save revision", "Add a source", "Smaller text", "Brightness: dim room"} <= shut
    assert "Open the chosen template" not in shut and "Larger text" not in shut
    for name in shut:
        window.acting.actions[name].trigger()
        assert window.say_bar.text == by_name[name].why_not() and window.desk.document is None
    by_name["Open the chosen template"].carry_out(window.desk.say)
    assert not by_name["Add a source"].why_not() and window.shown == "Path"
    window.all_commands()
    texts = [window.finder.results.item(row).text() for row in range(window.finder.results.count())]
    able = [text for text in texts if "Nothing was" not in text]
    assert texts.index("Add a source") < next(texts.index(text) for text in texts if text not in able)


def test_views_hear_models_through_methods_of_their_own() -> None:
    """A method goes with its widget; a function without an owner would be called when the window has gone."""
    result = []
    for folder in ("views", "widgets", "evidence"):
        for path in (APP / folder).rglob("*.py"):
            for number, line in enumerate(path.read_text(encoding="utf-8").splitlines(), 1):
                if re.match(r"\s*(self\.)?(model|desk|theme)[\w.]*\.connect\((lambda|partial)", line):
                    result.append(f"{path.name}:{number}")
    assert result == []
