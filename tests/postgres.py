"""A PostgreSQL server of the tests' own: in a folder of its own, on a socket in it, run by a user who is not root."""

from __future__ import annotations

import contextlib
import os
import pwd
import shutil
import signal
import subprocess
import tempfile
import time
from pathlib import Path


def _programs() -> Path:
    """Return the folder of the newest server programs; Debian keeps them off the path."""
    result = sorted(Path("/usr/lib/postgresql").glob("*/bin/postgres"), key=lambda p: float(p.parent.parent.name))
    assert result, "Debian's postgresql is missing: ./quarry test installs it"
    return result[-1].parent


class PrivateServer:
    """Made, started and stopped by a test; gone with its folder."""

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="quarry-pg-"))
        self._bin = _programs()
        self._user = pwd.getpwnam("postgres") if os.getuid() == 0 else None
        if self._user is not None:
            os.chown(self.folder, self._user.pw_uid, self._user.pw_gid)
        self._process: subprocess.Popen[bytes] | None = None
        self._run("initdb", "-D", str(self.folder / "data"), "-U", "keeper", "--auth=trust", "-E", "UTF8", "--no-sync")

    def _as_user(self) -> dict[str, int]:
        return {} if self._user is None else {"user": self._user.pw_uid, "group": self._user.pw_gid}

    def _run(self, program: str, *arguments: str) -> None:
        done = subprocess.run(
            [str(self._bin / program), *arguments],
            cwd=self.folder,
            capture_output=True,
            text=True,
            check=False,
            **self._as_user(),  # type: ignore[call-overload]
        )
        assert done.returncode == 0, done.stderr

    def start(self) -> None:
        """Start it and wait until it answers."""
        options = [
            "-c",
            "listen_addresses=",
            "-c",
            f"unix_socket_directories={self.folder}",
            "-c",
            "max_connections=60",
        ]
        with (self.folder / "log").open("ab") as log:
            self._process = subprocess.Popen(
                [str(self._bin / "postgres"), "-D", str(self.folder / "data"), *options],
                cwd=self.folder,
                stdout=log,
                stderr=log,
                **self._as_user(),  # type: ignore[call-overload]
            )
        end = time.monotonic() + 30
        ready = [str(self._bin / "pg_isready"), "-q", "-h", str(self.folder)]
        while subprocess.run(ready, check=False).returncode:
            assert time.monotonic() < end, (self.folder / "log").read_text()[-2000:]
            time.sleep(0.05)

    def stop(self, *, at_once: bool = False) -> None:
        """Stop it; `at_once` as when the power goes."""
        if self._process is None:
            return
        self.speak()
        # SIGINT ends every session and shuts down in order; SIGQUIT leaves everything as it is
        self._process.send_signal(3 if at_once else 2)
        self._process.wait(30)
        self._process = None

    def silence(self) -> None:
        """Stop answering without hanging up, as a network that drops everything; until `speak`."""
        self._signal(signal.SIGSTOP)

    def speak(self) -> None:
        """Answer again."""
        self._signal(signal.SIGCONT)

    def _signal(self, number: int) -> None:
        assert self._process is not None
        above = self._process.pid
        children = Path(f"/proc/{above}/task/{above}/children").read_text().split()
        for process in (above, *map(int, children)):
            with contextlib.suppress(ProcessLookupError):  # a session that ended since
                os.kill(process, number)

    def database(self, name: str) -> None:
        """Make an empty database."""
        self._run("createdb", "-h", str(self.folder), "-U", "keeper", name)

    def url(self, person: str, database: str) -> str:
        """Return the address of a database for a person."""
        return f"postgresql://{person}@/{database}?host={self.folder}"

    def close(self) -> None:
        self.stop(at_once=True)
        shutil.rmtree(self.folder, ignore_errors=True)
