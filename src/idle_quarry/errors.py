"""Every refusal a user can act on: what happened, to what, and what to do about it.

QuarryError
├── NotUnderstood   a typed or stored text can be read in no way, or in two
├── NotPossible     the request is clear but the thing asked for cannot exist
├── MediaError      a clip cannot be read or written
├── LibraryError    the store cannot be opened, read or changed
│   ├── NameTaken   a name is in use on that shelf; the caller decides what then
│   └── Away        the facility's server does not answer; what was read so far can be used
├── ExchangeError   a template file is not one, is damaged or is too new
└── JobError        a job cannot be started or checked
"""

from __future__ import annotations


class QuarryError(Exception):
    """What happened (`what`), to what (`subject`), and what to do (`remedy`); one sentence as text."""

    def __init__(self, what: str, *, subject: str = "", remedy: str = "") -> None:
        self.what = what
        self.subject = subject
        self.remedy = remedy
        super().__init__(str(self))

    def __str__(self) -> str:
        text = f"{self.subject}: {self.what}" if self.subject else self.what
        return one_line(f"{text}; {self.remedy}" if self.remedy else text)


def one_line(text: str) -> str:
    """Return text in which line breaks and other control characters, and bytes that are no text, are written out."""
    shown = text.encode(errors="backslashreplace").decode()
    return shown if shown.isprintable() else "".join(c if c.isprintable() or c == " " else repr(c)[1:-1] for c in shown)


class NotUnderstood(QuarryError):
    """A text that can be read in no way, or in more than one."""


class NotPossible(QuarryError):
    """A clear request for something no standard or no arithmetic allows."""


class MediaError(QuarryError):
    """A clip that cannot be read or written."""


class LibraryError(QuarryError):
    """A store that cannot be opened, read or changed."""


class NameTaken(LibraryError):
    """A name already in use on a shelf."""


class Away(LibraryError):
    """A server that does not answer."""


class ExchangeError(QuarryError):
    """A template file that is foreign, damaged or newer than this program."""


class JobError(QuarryError):
    """A job that cannot be started or checked."""
