"""Line-up: the model without a window, and the view in a real one on the demo's templates."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot
from tests.app.conftest import Open, path_of, press
from tests.app.test_models import Told, desk  # noqa: F401  (a fixture)
from tests.conftest import CLIPS

from idle_quarry.app.desk import Desk
from idle_quarry.app.models.line_up.deck import DeckModel
from idle_quarry.app.models.line_up.line_up import LineUp
from idle_quarry.app.models.line_up.loop import SendingLoop
from idle_quarry.app.questions import Choice
from idle_quarry.app.shell.window import MainWindow
from idle_quarry.app.views.line_up.view import LineUpView
from idle_quarry.line.devices.chain import ShownFrame
from idle_quarry.line.writing.feed import Setup
from idle_quarry.path.changes.edits import Edit
from idle_quarry.path.registry import sound_layouts
from idle_quarry.path.template_parts import RecordingInput
from idle_quarry.proof import disks
from idle_quarry.signal.timecode import Timecode
from idle_quarry.signal.words import format_from_words, format_words
from idle_quarry.sound.playing import SpeakerStandIn


def seen(model: LineUp, qtbot: QtBot, when: Callable[[ShownFrame], bool] = lambda _looked: True) -> ShownFrame:
    """Wait until a frame has come of what is wanted now."""
    qtbot.waitUntil(
        lambda: model.looked is not None and model.looked.setup == model.wanted and when(model.looked), timeout=15000
    )
    assert model.looked is not None
    return model.looked


def line_up_of(window: MainWindow, template: str = "The Lamp Room") -> tuple[LineUpView, LineUp]:
    window.desk.open_stored(window.desk.library.find(template).id)
    window.show_view("Line-up")
    view = window.view("Line-up")
    assert isinstance(view, LineUpView)
    return view, view.model


def test_what_follows_from_each_choice(desk: Desk, qtbot: QtBot) -> None:  # noqa: F811
    """A monitor that stays black says why.

    The remedy edits the template, and it is shown; no monitor, and one again.
    """
    lines, model = Told(desk), desk.line_up
    model.look(True)
    assert model.words.title() == "" and model.looked is None, "nothing is open"
    desk.open_stored(desk.library.find("The Lamp Room").id)
    looked = seen(model, qtbot)
    assert looked.frame.faults == () and model.words.face_state(0) == "shown"
    assert "shown as meant" in model.words.state()
    assert model.words.interface() == "2640 × 1125 with blanking", "as received"
    model.options.set_format(format_from_words("1080p25"))
    seen(model, qtbot)
    assert model.words.face_state(0) == "black" and "no lock" in model.words.face(0)
    assert model.words.format().startswith("stays black")
    cure = model.options.remedy()
    assert cure is not None
    model.options.set_format(cure[1])
    seen(model, qtbot)
    assert desk.document is not None and desk.document.template.monitor is not None
    assert desk.document.template.monitor.format == cure[1] and model.words.face_state(0) == "shown"
    assert model.options.remedy() is None
    desk.edit("No monitor", Edit("monitor", None))
    assert model.format is None and model.looked is None
    model.options.add_monitor()
    assert format_words(seen(model, qtbot).setup.format) == "1080i25"
    assert not lines.said
    model.look(False)
    assert not model._live.running, "nothing is sent for nobody"


def test_psf_taken_for_fields_and_hdr_without_an_identifier(desk: Desk, qtbot: QtBot) -> None:  # noqa: F811
    """Two bays beside the template's own take the same words otherwise, as their entries say."""
    model = desk.line_up
    desk.open_stored(desk.library.find("House HD, try-out PsF").id)
    model.look(True)
    seen(model, qtbot)
    words = {
        monitor.id: model.words.face(n) for n, monitor in enumerate([model.monitor, *model.options.beside()]) if monitor
    }
    states = {
        monitor.id: model.words.face_state(n)
        for n, monitor in enumerate([model.monitor, *model.options.beside()])
        if monitor
    }
    assert "not as meant" in states.values(), words
    assert any("interlaced" in word or "fields" in word for word in words.values())
    model.send(payload=False)
    looked = seen(model, qtbot)
    assert looked.frame.lock.payload is None and any(item.kind == "payload missing" for item in looked.frame.faults)
    assert any("payload" in fault for fault in model.words.faults())
    assert "nothing tells PsF" in model.words.payload()
    feeds = model.feeds
    feeds.want()
    qtbot.waitUntil(lambda: len(feeds.feeds) > 3)
    cells = {
        (feed.template, item.id): feeds.cell(feed, item).state for feed in feeds.feeds for item in feeds.monitors()
    }
    assert set(cells.values()) == {"shown", "not as meant", "black"}


def test_black_and_white_by_eye_in_steps(desk: Desk, qtbot: QtBot) -> None:  # noqa: F811
    model = desk.line_up
    desk.open_stored(desk.library.find("The Lamp Room").id)
    model.look(True)
    seen(model, qtbot)
    eye = model.by_eye
    eye.begin()
    sent = []
    while eye.on:
        sent.append(model.picture)
        eye.go(1)
    assert "pluge" in sent and len(sent) == len(eye.steps()) and model.picture == "bars"


def test_what_is_heard_has_its_level_and_its_order() -> None:
    """The stand-in of the speaker gets each pair of channels as the line brought them: levels to a hundredth of a
    dB.
    """
    fmt = format_from_words("1080i25")
    layout = max(sound_layouts().values(), key=lambda each: len(each.channels))
    setup = Setup(
        format=fmt,
        interface="",
        payload=True,
        picture="bars",
        sound="turn",
        level_dbfs=-18.0,
        layout=layout,
        start=Timecode(0, fmt.rate),
        monitors=(),
        meter="dBFS",
    )
    result: list[SpeakerStandIn] = []

    def speaker(channels: int) -> SpeakerStandIn:
        result.append(SpeakerStandIn(channels))
        return result[-1]

    sending = SendingLoop(setup, 2, speaker)
    for _ in range(90):
        sending.step()
    sending.close()
    assert len(result) == 1 and not result[0].open
    heard = result[0].samples
    loud = [np.flatnonzero(np.abs(heard[:, n]) > 0.01) for n in (0, 1)]
    third, fourth = (each[0] / 48000 if len(each) else None for each in loud)
    assert third is not None and abs(third - 2.0) < 0.001, "each channel has its second: the third begins after two"
    peak = 20 * np.log10(np.abs(heard[:, 0]).max())
    assert abs(peak + 18) < 0.01
    assert fourth is None or abs(fourth - 3.0) < 0.001


def test_the_view_live(open_window: Open, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    """From the strip and a finding to Line-up; a change is on the face at once; full screen by keyboard; the pages."""
    window = open_window()
    window.desk.open_stored(window.desk.library.find("The Lamp Room").id)
    window.show_view("Path")
    strip = path_of(window).strip
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=strip._line_up_rect().center().toPoint())
    assert window.shown == "Line-up"
    view = window.view("Line-up")
    assert isinstance(view, LineUpView)
    model = view.model
    seen(model, qtbot)
    qtbot.waitUntil(lambda: "frames a second" in view.received.about.text(), timeout=10000)
    begun = time.monotonic()
    model.options.set_format(format_from_words("1080p25"))
    seen(model, qtbot)
    # the aim is 0.1 s on a machine at rest; here only that nobody waits for it
    assert time.monotonic() - begun < 5 and "no lock" in view.screens.says.text()
    assert view.output.cure.isVisible() and view.output.cure.text().startswith("Send ")
    QTest.mouseClick(view.output.cure, Qt.MouseButton.LeftButton)
    seen(model, qtbot)
    assert "shown as meant" in view.screens.says.text() and not view.output.cure.isVisible()
    packets = len(model.looked.frame.packets) if model.looked else 0
    assert packets > 2 and view.output.packet_title.text()
    model.tell(packets - 1)
    last = view.output.packet_title.text()
    model.tell(packets)  # behind the last comes the first
    assert view.output.packet_title.text() != last
    press(view, "Black and white by eye")
    assert view.eye_bar.isVisible()
    press(view, "Full screen")
    view._full_on(QGuiApplication.screens()[0])  # again: another takes its place
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    full = view.full
    assert full is not None
    QTest.keyClick(full, Qt.Key.Key_Space)
    assert model.by_eye.number == 1
    QTest.keyClick(full, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: view.full is None)
    press(view, "Full screen")  # a second time, after the first was closed
    window.show_view("Library")
    qtbot.waitUntil(lambda: view.full is None and not model._live.running)
    window.desk.edit("Other", Edit("monitor.format", format_from_words("1080p25")))
    window.show_view("Path")
    findings = path_of(window).findings
    row = next(n for n, finding in enumerate(findings.model.findings) if finding.where == "monitor")
    index = findings.model.index(row)
    rect = findings._delegate.lead_rect(findings.list.visualRect(index), findings.model.findings[row])
    findings.list.scrollTo(index)
    rect = findings._delegate.lead_rect(findings.list.visualRect(index), findings.model.findings[row])
    QTest.mouseClick(findings.list.viewport(), Qt.MouseButton.LeftButton, pos=QPointF(rect.center()).toPoint())
    assert window.shown == "Line-up"


@pytest.fixture
def deck(desk: Desk, qtbot: QtBot) -> DeckModel:  # noqa: F811
    model = desk.line_up.deck
    desk.line_up.show_page("Record")
    model.put_in(CLIPS / "lamp tape 021 wide.mpg")
    qtbot.waitUntil(lambda: model.seen is not None, timeout=15000)
    return model


def test_a_take_from_marks_to_its_check(
    deck: DeckModel, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The system disk is asked about.

    Marks by timecode; the take, looked at afterwards, is as recorded; an edit of names.
    """
    assert isinstance(deck.door, Desk)
    lines, asked = Told(deck.door), list[Choice]()
    deck.recording.asked.connect(asked.append)
    takes = tmp_path / "takes"
    takes.mkdir()
    assert "recording place" in deck.recording.why_not() or deck.recording.folder
    deck.recording.want(name="a/b", folder=str(takes))
    assert "without /" in deck.recording.why_not()
    deck.recording.want(name="reel 21")
    deck.recording.mark("in", "00:00:00:10")
    deck.recording.mark("out", "00:00:00:04")
    assert "before the mark in" in deck.recording.why_not()
    deck.recording.mark("out", "00:00:00:99")
    assert "00:00:00:99" in lines.said[-1]
    deck.recording.mark("out", "00:00:00:14")
    deck.recording.want(folder=str(takes / "not there"))
    deck.recording.record()
    assert "is not there" in lines.said[-1]
    deck.recording.want(folder=str(takes))
    volume = disks.volume_of(takes)
    monkeypatch.setattr(
        "idle_quarry.app.models.line_up.recording.volume_of",
        lambda _path: type(volume)(**{**vars(volume), "kind": "system"}),
    )
    deck.recording.record()
    assert len(asked) == 1 and "system disk" in asked[0].text and not list(takes.iterdir())
    asked[0].answers["Record there all the same"]()
    qtbot.waitUntil(lambda: bool(deck.recording.takes) and deck.recording.takes[0].wrong is not None, timeout=15000)
    (kept,) = deck.recording.takes
    assert kept.take.frames == 5 and kept.words() == "as recorded" and kept.take.path.parent == takes
    deck.recording.mark("in", "")
    deck.recording.mark("out", "")
    deck.go(0)
    deck.recording.record()  # by hand, asked no second time
    qtbot.waitUntil(lambda: deck.take is not None and deck.take.frames >= 3, timeout=15000)
    deck.put_in(CLIPS / "lamp tape 014.mpg")
    deck.wear_out(True)
    assert "end the take first" in lines.said[-1] and not deck.worn and deck.clip is not None
    assert deck.clip.path.name == "lamp tape 021 wide.mpg", "its take would be lost from the list"
    deck.recording.ask_cancel()
    assert len(asked) == 2 and "frames are written" in asked[1].text
    asked[1].answers["Keep nothing"]()
    qtbot.waitUntil(lambda: deck.seen is not None and not deck.seen.armed)
    assert len(deck.recording.takes) == 1 and [path.name for path in takes.iterdir()] == ["reel 21.mov"]
    deck.recording.open_take(0)
    assert lines.views[-1] == "Intake"


def test_a_recording_follows_what_the_template_says_of_it(deck: DeckModel) -> None:
    """Codec and what a break does come from the template's input, when it says other than before.

    What was chosen here stays.
    """
    owner, recording = deck.door, deck.recording
    owner.open_stored(owner.library.find("The Lamp Room").id)
    own = RecordingInput(
        id="deck", name="Deck", format=format_from_words("576i25 16:9"), interface="SD", codec="rdd36-hq"
    )
    owner.edit("An input", Edit("inputs", (own,)))
    assert recording.input == own and (recording.codec, recording.on_break) == ("rdd36-hq", "new clip")
    recording.want(on_break="go on", codec="v210", folder="/chosen/here")
    owner.edit("A note", Edit("note", "nothing of recordings"))
    assert (recording.on_break, recording.codec, recording.folder) == ("go on", "v210", "/chosen/here")
    owner.edit("Codec", Edit(f"inputs.{own.id}.codec", "ffv1"))
    assert recording.codec == "ffv1" and recording.codec_words() == "the template's"
    owner.edit("At a break", Edit(f"inputs.{own.id}.on_break", "stop"))
    assert recording.on_break == "stop"


def test_the_transport_by_keyboard(open_window: Open, qtbot: QtBot) -> None:
    window = open_window()
    window.show_view("Line-up")
    view = window.view("Line-up")
    assert isinstance(view, LineUpView)
    press(view, "Record")
    page, deck = view.record, view.model.deck
    assert page.isVisible() and not deck.seen and page.takes.why.text() == "Put a tape in first."
    deck.put_in(CLIPS / "lamp tape 021 wide.mpg")
    qtbot.waitUntil(lambda: deck.seen is not None, timeout=15000)
    QTest.keyClick(page, Qt.Key.Key_Right)
    qtbot.waitUntil(lambda: deck.seen is not None and deck.seen.status.at == 1)
    QTest.keyClick(page, Qt.Key.Key_I)
    assert page.deck.marks["in"].text() == "00:00:00:01"
    QTest.keyClick(page, Qt.Key.Key_L)
    qtbot.waitUntil(lambda: deck.state_words() == "plays")
    QTest.keyClick(page, Qt.Key.Key_L)
    qtbot.waitUntil(lambda: "×" in deck.state_words() or deck.state_words() == "stands")
    QTest.keyClick(page, Qt.Key.Key_K)
    qtbot.waitUntil(lambda: deck.state_words() == "stands")
    assert page.deck.clock.text() != "––:––:––:––"
    press(view, "Output")
    assert not page.isVisible()
