"""The one thread that writes unsaved work: in order, the newest state of each, waiting for nobody else's work."""

from __future__ import annotations

import threading
from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from idle_quarry.app.documents.drafts import Draft, Drafts
from idle_quarry.path.entries import Entry
from idle_quarry.reports import unforeseen


class DraftWriter(QObject):
    """Keeps drafts of templates and entries. What could not be kept is held, said by `trouble`, and tried again.

    `changed`: something could not be kept, or all is kept again. Everything here is called on the interface thread.
    """

    changed = Signal()

    def __init__(self, drafts: Drafts) -> None:
        super().__init__()
        self.drafts = drafts
        self._waiting: dict[str, tuple[str, Callable[[], None]]] = {}
        self._failed: dict[str, tuple[str, Callable[[], None], str]] = {}
        self._wake = threading.Condition()
        self._thread: threading.Thread | None = None
        self._writing, self._ending = "", False  #: the key that is written just now, and whether the window goes

    def keep(self, draft: Draft) -> None:
        """Write a draft in place of the one before."""
        drafts = self.drafts
        self._put(draft.key, draft.template.name, lambda: drafts.keep(draft))

    def drop(self, key: str) -> None:
        """Forget a draft, also one that waits to be written."""
        drafts = self.drafts
        self._put(key, "", lambda: drafts.drop(key))

    def keep_entry(self, entry: Entry) -> None:
        """Write an edited entry of the house in place of its draft before."""
        drafts = self.drafts
        self._put(f"entry {entry.uid}", entry.name, lambda: drafts.keep_entry(entry))

    def drop_entry(self, uid: str) -> None:
        """Forget the draft of an entry."""
        drafts = self.drafts
        self._put(f"entry {uid}", "", lambda: drafts.drop_entry(uid))

    @property
    def trouble(self) -> str:
        """What is not kept and why, in a sentence; "" where all is."""
        with self._wake:
            failed = list(self._failed.values())
        if not failed:
            return ""
        names = ", ".join(sorted({name for name, _, _ in failed}))
        return f"Unsaved work on {names} cannot be kept ({failed[0][2]}): make room, or save it."

    def try_again(self) -> None:
        """Write once more what could not be kept."""
        with self._wake:  # what waits or is being written is newer than what failed
            newer = {*self._waiting, self._writing}
            failed = {key: draft for key, draft in self._failed.items() if key not in newer}
            for key, (name, write, _) in failed.items():
                self._put(key, name, write)

    def finish(self) -> str:
        """Wait until everything was written or could not be; return what is not kept, as `trouble` says it."""
        with self._wake:
            self._wake.wait_for(lambda: not self._waiting and not self._writing)
        return self.trouble

    def close(self) -> None:
        """Write what waits, and end the thread."""
        self.finish()
        with self._wake:
            self._ending, thread = True, self._thread
            self._wake.notify_all()
        if thread is not None:
            thread.join()

    def _put(self, key: str, name: str, write: Callable[[], None]) -> None:
        with self._wake:
            self._waiting.pop(key, None)
            self._waiting[key] = name, write
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="quarry drafts", daemon=True)
                self._thread.start()
            self._wake.notify_all()

    def _run(self) -> None:
        while True:
            with self._wake:
                self._writing = ""
                self._wake.notify_all()
                self._wake.wait_for(lambda: self._waiting or self._ending, timeout=_IDLE_S)
                if not self._waiting:
                    self._thread = None
                    return
                key = next(iter(self._waiting))
                name, write = self._waiting.pop(key)
                self._writing = key
            why = ""
            try:
                write()
            except OSError as error:
                why = error.strerror or str(error)
            except Exception as error:  # the thread goes on: whoever closes waits for it
                why = unforeseen(error)
            with self._wake:
                before = key in self._failed
                self._failed.pop(key, None)
                if why:
                    self._failed[key] = name, write, why
            if why or before:
                try:
                    self.changed.emit()
                except RuntimeError:  # the window is gone
                    return


#: The thread ends after so many seconds without work; the next draft begins another.
_IDLE_S = 5.0
