"""Codecs through their real encoders, results kept, and disks measured: what must hold on any machine."""

from __future__ import annotations

import os
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from idle_quarry.errors import MediaError
from idle_quarry.media.coding import through_codec
from idle_quarry.media.material import ChartMaterial
from idle_quarry.path.codecs import holding
from idle_quarry.path.policies import Policy
from idle_quarry.path.registry import codecs
from idle_quarry.places import memory_folder
from idle_quarry.proof import disks
from idle_quarry.proof.codecs import CodecResult, Loss, keep, machine, results, results_for, run
from idle_quarry.proof.disks import DiskError, clear, holdings, measure, measured, volume_of
from idle_quarry.signal import Raster, format_from_words
from idle_quarry.signal.formats import SignalFormat


def nothing(_what: str, _share: float) -> None:
    return


def through(fmt: SignalFormat, *names: str) -> tuple[dict[str, CodecResult], dict[str, Loss | None], dict[str, str]]:
    answer: dict[str, CodecResult] = {}
    losses: dict[str, Loss | None] = {}
    refused: dict[str, str] = {}

    def take(result: CodecResult, loss: Loss | None) -> None:
        answer[result.codec], losses[result.codec] = result, loss

    chosen = [codecs()[name] for name in names] or None
    run(
        ChartMaterial("wedge", fmt),
        fmt,
        Policy(),
        chosen,
        nothing,
        take,
        lambda c, e: refused.__setitem__(c.id, str(e)),
    )
    return answer, losses, refused


def test_lossless_codecs_are_exact_for_ever_and_others_only_lose() -> None:
    fmt = replace(format_from_words("1080i25"), raster=Raster(192, 144))
    result, losses, refused = through(fmt, "rdd36-lt", "rdd36-hq", "ffv1", "v210")
    assert not refused
    for name in ("ffv1", "v210"):
        assert [item.psnr_db for item in result[name].quality] == [150.0] * 3
        loss = losses[name]
        assert loss is not None and (loss.shown(16) == 128).all()
    lossy = result["rdd36-lt"]
    assert [item.generation for item in lossy.quality] == [1, 3, 5]
    assert lossy.after(1).psnr_db > lossy.after(3).psnr_db > lossy.after(5).psnr_db > 30
    assert result["rdd36-hq"].after(1).psnr_db > lossy.after(1).psnr_db
    assert lossy.after(5).worst_db <= lossy.after(5).psnr_db
    # uncompressed is as large as its layout says: 128 bytes for each 48 samples of a line (QuickTime's v210)
    assert result["v210"].measured_mbps == pytest.approx(8 * 128 * 144 * 4 * 25 / 1e6)
    assert result["v210"].measured_mbps == pytest.approx(result["v210"].published_mbps)
    assert lossy.encode_speed > 0 and lossy.decode_speed > lossy.encode_speed
    assert result["v210"].machine == machine()


def test_every_codec_that_can_hold_a_format_gives_its_pictures_back() -> None:
    """Odd ones too: R′G′B′ ones, those in files of one picture, those that hold pictures of both directions."""
    fmt = replace(format_from_words("1080p25"), raster=Raster(256, 144))
    answer, _, refused = through(fmt)
    assert set(answer) == {codec.id for codec in holding(fmt)} and not refused
    for name, result in answer.items():
        assert result.after(1).psnr_db > (30 if codecs()[name].quality == "proxy" else 38), name


def test_results_are_kept_with_their_machine_and_replaced_by_newer_ones() -> None:
    fmt = replace(format_from_words("1080p25"), raster=Raster(192, 144))
    result, _, _ = through(fmt, "v210")
    kept = results_for(fmt, "chart:wedge")
    assert result["v210"] in kept
    keep(replace(result["v210"], encode_speed=9.0))
    again = [item for item in results_for(fmt, "chart:wedge") if item.codec == "v210"]
    assert [item.encode_speed for item in again] == [9.0]
    keep(replace(result["v210"], machine="another one"))
    assert len([item for item in results_for(fmt, "chart:wedge") if item.codec == "v210"]) == 2
    (memory_folder() / "codecs.json").write_text('[{"codec": "v210"}, 3')
    assert results() == []


def test_a_run_can_be_stopped_and_keeps_what_it_had() -> None:
    class Enough(Exception):
        pass

    fmt = replace(format_from_words("1080p25"), raster=Raster(192, 144))
    done: list[str] = []

    def until(_what: str, _share: float) -> None:
        if done:
            raise Enough

    with pytest.raises(Enough):
        run(
            ChartMaterial("bars", fmt),
            fmt,
            Policy(),
            [codecs()["v210"], codecs()["ffv1"]],
            until,
            lambda r, _l: done.append(r.codec),
            lambda _c, error: pytest.fail(str(error)),
        )
    assert done == ["v210"] and [item.codec for item in results_for(fmt, "chart:bars")] == ["v210"]


def test_an_encoder_that_refuses_is_said_and_the_rest_goes_on(monkeypatch: pytest.MonkeyPatch) -> None:
    real = through_codec.encoded

    def broken(codec: object, *rest: object) -> object:
        if getattr(codec, "id", "") == "ffv1":
            raise MediaError("the FFV1 encoder refused", subject="FFV1")
        return real(codec, *rest)  # type: ignore[arg-type]

    monkeypatch.setattr("idle_quarry.proof.codecs.encoded", broken)
    result, _, refused = through(replace(format_from_words("1080p25"), raster=Raster(192, 144)), "ffv1", "v210")
    assert set(result) == {"v210"} and "refused" in refused["ffv1"]


def test_a_disk_is_measured_with_a_file_that_is_gone(tmp_path: Path) -> None:
    seen: list[int] = []

    def watch(_what: str, _share: float) -> None:
        seen.append(len(list(tmp_path.iterdir())))

    speed = measure(tmp_path, watch, most_bytes=48 << 20, most_seconds=2)
    assert speed.write_mb_s > 1 and speed.read_mb_s > 1 and speed.bytes == 48 << 20
    assert set(seen) == {0} and not list(tmp_path.iterdir())  # without a name even while it is written
    disks.keep(speed)
    assert measured()[str(tmp_path)] == speed and disks.disk_speeds()[str(tmp_path)] == speed.read_mb_s
    with pytest.raises(DiskError, match="no such folder"):
        measure(tmp_path / "nowhere", nothing)

    class Enough(Exception):
        pass

    def stop(what: str, _share: float) -> None:
        if what == "reading":
            raise Enough

    with pytest.raises(Enough):
        measure(tmp_path, stop, most_bytes=16 << 20)
    assert not list(tmp_path.iterdir())


def test_too_little_room_is_refused_before_anything_is_written(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    usage = type("Usage", (), {"free": 100 << 20, "total": 1 << 40})()
    monkeypatch.setattr("shutil.disk_usage", lambda _path: usage)
    with pytest.raises(DiskError, match="too little room"):
        measure(tmp_path, nothing)


def test_volumes_are_those_the_system_lists(tmp_path: Path) -> None:
    root = volume_of(Path("/"))
    assert root.kind == "system" and root.mount == "/"
    here = volume_of(tmp_path / "not" / "there" / "yet")
    stat = os.statvfs(tmp_path)
    assert here.total == stat.f_blocks * stat.f_frsize and here.free <= here.total
    shared = Path("/dev/shm")
    if shared.is_dir() and volume_of(shared).filesystem == "tmpfs":
        assert volume_of(shared).kind == "memory" and volume_of(shared).mount == "/dev/shm"


def test_a_network_share_is_known_by_its_file_system(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    lines = f"36 35 98:0 / / rw - ext4 /dev/sda1 rw\n40 36 0:44 / {tmp_path} rw shared:7 - nfs4 server:/work rw\n"
    real = Path.read_text
    monkeypatch.setattr(
        Path, "read_text", lambda self, *a, **k: lines if str(self) == "/proc/self/mountinfo" else real(self, *a, **k)
    )
    result = volume_of(tmp_path)
    assert (result.kind, result.filesystem, result.device) == ("network", "nfs4", "server:/work")


def test_what_the_program_keeps_is_counted_and_cleared_but_nothing_else(tmp_path: Path) -> None:
    job = tmp_path / "Saltmarsh 101"
    job.mkdir()
    (job / "line-up.mov").write_bytes(b"x" * 5000)
    folder = memory_folder() / "pictures"
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "a.png").write_bytes(b"y" * 300)
    result = {item.folder.name: item for item in holdings({"Saltmarsh 101": job})}
    assert result[job.name].bytes == 5000 and result[job.name].job == "Saltmarsh 101" and not result[job.name].clearable
    assert result["pictures"].bytes >= 300
    assert clear(result["pictures"]) >= 300 and not folder.exists()
    for wrong in (result[job.name], replace(result[job.name], clearable=True), replace(result["pictures"], folder=job)):
        with pytest.raises(DiskError, match="not the program's"):
            clear(wrong)
    assert (job / "line-up.mov").exists()
    assert np.isfinite(result["clips"].bytes)
