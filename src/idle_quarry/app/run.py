"""Opening the application: the library, the window, and the last things at its end."""

from __future__ import annotations

import gc
import os
import signal
import socket
import sys
from typing import TYPE_CHECKING

from PySide6.QtCore import QCoreApplication, QEventLoop, QProcess, QSize, QSocketNotifier, QTimer
from PySide6.QtWidgets import QApplication, QMessageBox, QWidget

from idle_quarry.app.appearance.style import prepare
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.preferences import Preferences
from idle_quarry.app.shell.last_look import keep, last_look
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.errors import QuarryError
from idle_quarry.places import DEMO, is_server, library_place, person
from idle_quarry.reports import unforeseen

if TYPE_CHECKING:
    from idle_quarry.app.desk import Desk
    from idle_quarry.library import FileLibrary


#: Set for programs that a desktop starts, and not for those started in a terminal.
_FROM_A_DESKTOP = ("GIO_LAUNCHED_DESKTOP_FILE", "DESKTOP_STARTUP_ID", "XDG_ACTIVATION_TOKEN")


def run_window(place: str | None) -> int:
    """Open the window on a library and return the exit status when it is closed. Raises `QuarryError`."""
    if sys.platform.startswith("linux") and not (
        os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM")
    ):
        raise QuarryError("there is no screen to open a window on", remedy="set DISPLAY, or run it under xvfb-run")
    app = QApplication.instance() or QApplication(["idle-quarry"])
    assert isinstance(app, QApplication)
    preferences = Preferences.load()
    place = place or preferences.house or None
    app.setApplicationName("Idle Quarry")
    app.setDesktopFileName("idle-quarry")
    prepare(app)
    theme.apply(app, preferences.brightness, preferences.text_percent)
    window = MainWindow()
    window.restore_geometry(preferences)
    fitted(window)
    window.show_look(last_look(place or "", preferences, window))
    window.show()
    # painted before anything else is loaded; what is typed meanwhile stays in the queue, and is heard when the desk is
    # there
    app.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
    try:
        library = _library(place)
    except QuarryError as error:
        if any(name in os.environ for name in _FROM_A_DESKTOP):  # nobody reads standard error there
            QMessageBox.critical(window, "Idle Quarry", str(error))
        raise
    from idle_quarry.app.background.collecting import Collector
    from idle_quarry.app.background.loading import Loading
    from idle_quarry.app.desk import Desk
    from idle_quarry.app.shell.offers import welcome_back
    from idle_quarry.app.views.registry import to_load

    desk = Desk(library, preferences)
    window.furnish(desk)
    window.first_start()
    if place == DEMO and not preferences.recent:
        window.show_first_steps()
    sys.excepthook = lambda _kind, error, _trace: desk.say(unforeseen(error), refusal=True)
    ending = _ends_when_told(app)
    gc.freeze()
    collector = Collector()
    QTimer.singleShot(0, lambda: welcome_back(desk))
    loading = Loading(to_load())
    QTimer.singleShot(400, loading.start)
    QTimer.singleShot(800, desk.compiler.begin)
    QTimer.singleShot(1500, desk.look_at_file)
    if place == DEMO:
        QTimer.singleShot(400, lambda: _demo_jobs(desk))
    status = app.exec()
    del collector, ending
    loading.close()
    file = str(desk.library.place)
    desk.close()
    if window.look is not None:
        keep(window.look.toImage(), file, place or "", preferences, window)
    return status


def fitted(window: QWidget) -> None:
    """Make a window no larger than its screen has room for, and bring it wholly on."""
    room = window.screen().availableGeometry()
    frame = window.frameGeometry().size() - window.size()
    most = room.size() - (frame if frame.width() else QSize(0, _TITLE_BAR))
    window.resize(window.size().boundedTo(most))
    at = window.frameGeometry()
    x = min(max(at.x(), room.x()), max(room.x(), room.right() - at.width() + 1))
    y = min(max(at.y(), room.y()), max(room.y(), room.bottom() - window.height() + 1))
    window.move(x, y)


#: What a window manager's title bar takes at the most, before it is known.
_TITLE_BAR = 40


def _ends_when_told(app: QApplication) -> QSocketNotifier:
    """Close as a person would when the system says SIGTERM, SIGHUP or SIGINT; what it returns must be kept."""
    mine, theirs = socket.socketpair()
    theirs.setblocking(False)
    signal.set_wakeup_fd(theirs.fileno(), warn_on_full_buffer=False)
    for value in (signal.SIGTERM, signal.SIGHUP, signal.SIGINT):
        signal.signal(value, lambda *_: None)
    notifier = QSocketNotifier(mine.fileno(), QSocketNotifier.Type.Read)
    notifier.activated.connect(lambda: (mine.recv(64), app.closeAllWindows(), app.quit()))
    notifier.setProperty("ends", (mine, theirs))
    return notifier


def _library(place: str | None) -> FileLibrary:
    if place == DEMO:
        from idle_quarry.demo.lay_out import lay_out

        lay_out(None, lambda text: print(f"idle-quarry: {text}", file=sys.stderr))
    from idle_quarry.library import open_library

    if place is not None and is_server(place):
        from idle_quarry.library.server.at_hand import AtHand
        from idle_quarry.library.server.opening import address

        return AtHand(place, address(place).username or person(place))
    return open_library(library_place(place), person(place))


def _demo_jobs(desk: Desk) -> None:
    """Start the demo's jobs behind the window, where they are not there yet."""

    def work(_ticket: object) -> bool:
        from idle_quarry.demo.lay_out import lay_out
        from idle_quarry.printing import write_pdf

        before = {job.id for job in desk.library.jobs()}
        lay_out(write_pdf)
        return {job.id for job in desk.library.jobs()} != before

    def started(fresh: bool) -> None:
        if fresh:
            desk.jobs_changed.emit()
        _demo_finished(desk)

    desk.workers.start(work, started, desk.refuse)


def _demo_finished(desk: Desk) -> None:
    """Have the demo's episode and the file from elsewhere made by a process of their own, which ends with the
    window.
    """
    from idle_quarry.demo.finish import is_finished

    if is_finished():
        return
    making = QProcess(desk)
    making.finished.connect(lambda code, _how: desk.jobs_changed.emit() if not code else None)

    def end() -> None:
        making.kill()
        making.waitForFinished(2000)

    app = QCoreApplication.instance()
    if app is not None:
        app.aboutToQuit.connect(end)
    making.start(sys.executable, ["-m", "idle_quarry.demo.finish"])
