"""A server that stops answering while a save, a proposal and views are asked for: the longest the window stood
still (aim 50 ms).
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from itertools import pairwise

from common import ROOT, machine, offscreen

sys.path.insert(0, str(ROOT))


def longest(work: Callable[[], object], seconds: float) -> float:
    """Return the longest time, in ms, between two rounds of the interface thread while `work` runs and for a while
    after.
    """
    from PySide6.QtCore import QEventLoop, QTimer

    beats = [time.perf_counter()]
    timer = QTimer()
    timer.timeout.connect(lambda: beats.append(time.perf_counter()))
    timer.start(1)
    loop = QEventLoop()
    QTimer.singleShot(20, work)
    QTimer.singleShot(round(seconds * 1000), loop.quit)
    loop.exec()
    return max(after - before for before, after in pairwise(beats)) * 1000


def main() -> None:
    """Print the longest stall without a server's silence and with it, for each thing that is asked."""
    offscreen()
    with tempfile.TemporaryDirectory() as home:
        os.environ["XDG_DATA_HOME"] = os.environ["XDG_CONFIG_HOME"] = home
        from PySide6.QtWidgets import QApplication
        from tests.postgres import PrivateServer

        from idle_quarry.app.appearance.style import prepare
        from idle_quarry.app.appearance.theme import theme
        from idle_quarry.app.desk import Desk
        from idle_quarry.app.preferences import Preferences
        from idle_quarry.app.shell.window import MainWindow
        from idle_quarry.demo.templates import house_shelf
        from idle_quarry.library.server.at_hand import AtHand
        from idle_quarry.library.server.setup import set_up
        from idle_quarry.path.changes.edits import Edit

        server = PrivateServer()
        server.start()
        server.database("larkmoor")
        people = {"Runa": "editor", "Tamsin": "approver"}
        set_up(server.url("keeper", "larkmoor"), people)
        app = QApplication([])
        prepare(app)
        theme.apply(app, "dim room", 100)
        library = AtHand(server.url("Runa", "larkmoor"), "Runa")
        library.join()
        for history in house_shelf():
            library.save_new(history[-1].template, "house", "")
        desk = Desk(library, Preferences())
        window = MainWindow(desk)
        window.show()
        ident = library.find("Saltmarsh Hours").id
        desk.open_stored(ident)

        def save() -> None:
            document = desk.document
            assert document is not None
            desk.edit(
                "Line-up", Edit("sound.line_up_dbfs", -20.0 if document.template.sound.line_up_dbfs != -20.0 else -18.0)
            )
            desk.acts.save(document, "", "house", lambda _made: None, lambda _why: None)

        def views() -> None:
            for name in ("Library", "Jobs", "Path"):
                window.show_view(name)

        asked: dict[str, Callable[[], object]] = {
            "nothing": lambda: None,
            "a save": save,
            "put aside": lambda: desk.acts.put_aside(next(s for s in library.summaries() if s.id == ident)),
            "a comment": lambda: desk.acts.comment(library.revisions(ident)[0], "", "A word", lambda: None),
            "the views": views,
        }
        for work in asked.values():  # each once before: what is imported late is no wait for a network
            longest(work, 0.4)
        desk.acts.bring_back(ident)
        longest(lambda: None, 0.5)
        answering = {name: longest(work, 0.6) for name, work in asked.items()}
        desk.acts.bring_back(ident)
        longest(lambda: None, 0.5)
        server.silence()
        silent = {name: longest(work, 1.5) for name, work in asked.items()}
        waited = desk.writing  # what came after the line was found broken was refused at once
        server.speak()
        print(f"longest stall of the window, ms ({machine()}; aim 50 while the server is silent)")
        for name in asked:
            ratio = silent[name] / answering[name]
            print(f"  {name}: {answering[name]:.0f} answering, {silent[name]:.0f} silent ({ratio:.2f} of it)")
        print(f"  {waited} writes waited meanwhile")
        assert waited, "the server was not silent"
        window.close()
        desk.close()
        server.close()


if __name__ == "__main__":
    main()
