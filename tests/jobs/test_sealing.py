"""A hand-over's last act: sealed and in its place, or not there; lists that lie are never added to.

The list's own verifier agrees.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from zipfile import ZipFile

import pytest

from idle_quarry import recovery
from idle_quarry.errors import QuarryError
from idle_quarry.jobs.handover import sealing
from idle_quarry.jobs.handover.sealing import LIST, handed_over


def hand_over(folder: Path, name: str, data: bytes) -> str:
    """Hand over a file as `make` does: noted, made apart, sealed, in its place."""
    with recovery.noted("delivery", folder / name, dirs=(folder.name,)) as part:
        try:
            file = part / folder.name / name
            file.parent.mkdir(parents=True)
            file.write_bytes(data)
            return handed_over(file, folder, lambda: name)[1]
        finally:
            shutil.rmtree(part, ignore_errors=True)


def holds(folder: Path) -> bool:
    """Return whether the list's own verifier finds every file as it is listed."""
    command = [sys.executable, "-m", "ascmhl.cli.ascmhl_debug", "verify", str(folder)]
    return subprocess.run(command, capture_output=True, check=False).returncode == 0


@pytest.fixture
def out(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))  # what a killed process leaves goes with the test
    folder = tmp_path / "to the channel"
    folder.mkdir()
    return folder


def test_files_are_sealed_one_after_the_other_and_a_name_is_never_listed_twice(out: Path) -> None:
    assert hand_over(out, "one.mxf", b"first") == "" and hand_over(out, "two.mxf", b"second") == ""
    assert len(list((out / LIST).glob("*.mhl"))) == 2 and holds(out)
    (out / "one.mxf").unlink()
    assert "another file that was called one.mxf" in hand_over(out, "one.mxf", b"made again")
    assert (out / "one.mxf").read_bytes() == b"made again" and len(list((out / LIST).glob("*.mhl"))) == 1
    [aside] = (out / LIST).glob("set aside *.zip")
    assert (
        len([name for name in ZipFile(aside).namelist() if name.endswith(".mhl")]) == 2
        and not list(out.glob(".*"))
        and holds(out)
    ), "the new one has both"
    (out / "two.mxf").write_bytes(b"not as it was listed")
    (out / "one.mxf").unlink()
    hand_over(out, "one.mxf", b"a third time")
    assert not holds(out), "what was changed since is never sealed as if it were whole"


@pytest.mark.parametrize("fault", ["edited", "empty", "without its chain", "cut", "unnamed"])
def test_a_list_that_lies_is_set_aside_and_told(out: Path, fault: str) -> None:
    hand_over(out, "one.mxf", b"first")
    [listed], chain = (out / LIST).glob("*.mhl"), out / LIST / "ascmhl_chain.xml"
    if fault == "edited":
        listed.write_bytes(listed.read_bytes().replace(b"one.mxf", b"eno.mxf"))
    elif fault == "empty":
        listed.unlink()
        chain.write_bytes(b'<?xml version="1.0"?>\n<ascmhldirectory xmlns="urn:ASC:MHL:DIRECTORY:v2.0"/>\n')
    elif fault == "without its chain":
        chain.unlink()
    elif fault == "cut":
        chain.write_bytes(chain.read_bytes()[:-40])
    else:
        shutil.copy(listed, listed.with_name(listed.name.replace("0001", "0002")))
    text = hand_over(out, "two.mxf", b"second")
    assert "is kept as ascmhl/set aside" in text and "another is begun: it" in text
    assert (
        (out / "two.mxf").exists()
        and len(list((out / LIST).glob("*.mhl"))) == 1
        and len(list((out / LIST).glob("set aside*.zip"))) == 1
    )
    files = {path.name for path in out.iterdir() if path.is_file() and path.suffix == ".mxf"}
    assert files == {"one.mxf", "two.mxf"}


@pytest.mark.parametrize("foreign", ["an entity", "a file", "a link"])
def test_what_only_has_a_list_s_name_is_left_alone(out: Path, foreign: str) -> None:
    hand_over(out, "one.mxf", b"first")
    chain = out / LIST / "ascmhl_chain.xml"
    if foreign == "an entity":
        chain.write_bytes(b'<!DOCTYPE x [<!ENTITY y SYSTEM "file:///etc/passwd">]>' + chain.read_bytes())
    else:
        (out / LIST).rename(out.parent / "elsewhere")
    if foreign == "a file":
        (out / LIST).write_bytes(b"no folder")
    elif foreign == "a link":
        (out / LIST).symlink_to(out.parent / "elsewhere")
    with pytest.raises(QuarryError, match=r"is no hash list.*move it elsewhere"):
        hand_over(out, "two.mxf", b"second")
    assert sorted(path.name for path in out.iterdir()) == [LIST, "one.mxf"]


def test_what_lies_there_is_never_replaced_and_the_list_stays_as_it_was(out: Path) -> None:
    hand_over(out, "one.mxf", b"first")
    before = {path.name: path.read_bytes() for path in (out / LIST).iterdir()}
    (out / "two.mxf").write_bytes(b"somebody's")
    with pytest.raises(FileExistsError):
        hand_over(out, "two.mxf", b"second")
    assert {path.name: path.read_bytes() for path in (out / LIST).iterdir()} == before
    assert (out / "two.mxf").read_bytes() == b"somebody's" and not list(out.glob(".*"))


def test_rooms_that_hand_over_at_once_are_all_in_the_list(out: Path) -> None:
    with ThreadPoolExecutor(4) as rooms:
        list(rooms.map(lambda number: hand_over(out, f"{number}.mxf", b"%d" % number), range(8)))
    assert len(list((out / LIST).glob("*.mhl"))) == 8 and holds(out)


def test_killed_at_any_step_nothing_half_done_has_the_name_and_what_is_left_is_found(out: Path) -> None:
    """The process ends before each of its changes to the disk in turn, until one hand-over comes through."""
    hand_over(out, "one.mxf", b"first")
    steps = 0
    while True:
        child = os.fork()
        if child == 0:
            _end_at(steps)
            hand_over(out, "two.mxf", b"second")
            os._exit(0)
        _, status = os.waitpid(child, 0)
        if status == 0:
            break
        steps += 1
        left = [item for item in recovery.left() if item.target.parent == out]
        assert {item.part for item in left} >= set(out.glob(".*")), "whatever lies there is found"
        for item in left:
            recovery.clear(item)
        assert not list(out.glob(".*")) and (out / "one.mxf").exists()
        if (out / "two.mxf").exists():  # from its last step on it is there, and so is its list
            assert (out / "two.mxf").read_bytes() == b"second" and holds(out)
            (out / "two.mxf").unlink()
        assert len(list((out / LIST).glob("*.mhl"))) >= 1, "the list of what was there before is never lost"
    assert steps > 5 and (out / "two.mxf").exists()


def _end_at(step: int) -> None:
    """Have this process end before the change to the disk that has this number."""
    done = 0

    def counted(change: object) -> object:
        def change_or_end(*given: object, **more: object) -> object:
            nonlocal done
            if done == step:
                os._exit(9)
            done += 1
            return change(*given, **more)  # type: ignore[operator]

        return change_or_end

    for name in ("rename", "link", "mkdir", "unlink"):
        setattr(os, name, counted(getattr(os, name)))
    vars(sealing)["exchange"] = counted(vars(sealing)["exchange"])


def test_what_cannot_be_sealed_leaves_nothing(out: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def fail(*_given: object) -> None:
        raise ValueError("no room")

    monkeypatch.setattr("ascmhl.commands.create_for_single_files_subcommand", fail)
    with pytest.raises(QuarryError, match="hash list could not be written"):
        hand_over(out, "one.mxf", b"first")
    assert not list(out.iterdir())
