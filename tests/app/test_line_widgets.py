"""Line-up's widgets by themselves, each on a frame that was really received: what is drawn, hit, and said aloud."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot
from tests.line.test_chain import looked, setup

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.traces import signed, trace
from idle_quarry.app.drawing.wire import layout_of
from idle_quarry.app.widgets.pictures.monitor_face import MonitorFace
from idle_quarry.app.widgets.signal.line_scopes import LineScopes
from idle_quarry.app.widgets.signal.sound_meters import SoundMeters, loudness_words
from idle_quarry.app.widgets.signal.wire_map import WireMap
from idle_quarry.app.widgets.templates.feeds_matrix import FeedsMatrix
from idle_quarry.line.devices.chain import ShownFrame


@pytest.fixture(scope="module")
def bars() -> ShownFrame:
    return looked(setup("1080i25"), 3)[-1]


def drawn(widget: QWidget, width: int, height: int) -> QImage:
    widget.resize(width, height)
    return widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)


def near(image: QImage, x: float, y: float, colour: QColor) -> bool:
    """Whether a colour is within two samples of a place."""
    for dx in range(-2, 3):
        for dy in range(-2, 3):
            got = image.pixelColor(int(x) + dx, int(y) + dy)
            if abs(got.red() - colour.red()) + abs(got.green() - colour.green()) + abs(got.blue() - colour.blue()) < 24:
                return True
    return False


def test_the_wire_is_to_scale_and_its_packets_can_be_hit(bars: ShownFrame, qtbot: QtBot) -> None:
    """Lines 1 to 1125 down, 2640 words across.

    Each packet's own place chooses it; arrow keys go from one to the next.
    """
    wire = WireMap()
    qtbot.addWidget(wire)
    wire.show_frame(bars.frame, 0)
    image = drawn(wire, 500, 240)
    result = layout_of(bars.frame, QRectF(wire.rect()).adjusted(1, 3, -3, -3))
    assert result.area.width() / result.area.height() == pytest.approx(2640 / 1125, abs=0.01)
    assert result.y(1126) == pytest.approx(result.area.bottom()) and result.x(result.words) == pytest.approx(
        result.area.right()
    )
    chosen: list[int] = []
    wire.chosen.connect(chosen.append)
    for number in (0, len(bars.frame.packets) - 1):
        packet = bars.frame.packets[number]
        place = result.packet(packet.line, packet.at, len(packet.data) + 7)
        QTest.mouseClick(wire, Qt.MouseButton.LeftButton, pos=place.center().toPoint())
    assert chosen[0] == 0 and len(chosen) == 2
    QTest.keyClick(wire, Qt.Key.Key_Right)
    QTest.keyClick(wire, Qt.Key.Key_Up)
    assert chosen[2:] == [1, -1], "the model goes round"
    assert near(image, result.x(result.sav + 4), result.y(300), theme.colour("chalk")), "the picture's edge"
    wire.show_frame(None, 0)
    assert drawn(wire, 500, 240).pixelColor(5, 5) != theme.colour("surround")
    QTest.mouseClick(wire, Qt.MouseButton.LeftButton)
    assert len(chosen) == 4


def test_scopes_draw_levels_where_they_are(bars: ShownFrame, qtbot: QtBot) -> None:
    """White's line lies at 940 of luma; the parade has three parts; what is read aloud says the shares of codes."""
    scopes = LineScopes()
    qtbot.addWidget(scopes)
    scopes.show_looked(replace(bars, parade=()))
    luma = drawn(scopes, 400, 360)
    assert "narrow 100" in scopes.accessibleDescription()
    left, high = theme.px(38), 360 * 0.46
    white = theme.px(6) + high * (1 - 940 / 1023)
    assert near(luma, left + 10, white, theme.colour("sage")) or near(luma, left + 10, white, theme.colour("ochre"))
    scopes.show_looked(replace(bars, waveform=bars.waveform.copy()))
    assert drawn(scopes, 400, 360) != luma
    scopes.show_looked(replace(bars, parade=(), waveform=bars.waveform.copy()))
    assert drawn(scopes, 400, 360) == luma
    scopes.show_looked(None)
    assert scopes.accessibleDescription() == ""


def test_meters_stand_at_the_mark_and_say_so(bars: ShownFrame, qtbot: QtBot) -> None:
    meters = SoundMeters()
    qtbot.addWidget(meters)
    meters.show_looked(bars)
    drawn(meters, 400, 220)
    assert meters.accessibleDescription() == "-18.0 dBFS, -18.0 dBFS"
    words = loudness_words(looked(setup("1080i25"), 12)[-1])
    assert words.startswith("M −1") and "LUFS" in words and words.endswith("TP −18.0 dBTP")
    assert loudness_words(None) == ""
    assert signed(-3.25, 2) == "−3.25" and signed(4) == "4.0"


def test_a_face_is_in_its_shape_or_black_with_its_reason(bars: ShownFrame, qtbot: QtBot) -> None:
    face = MonitorFace("What it shows")
    qtbot.addWidget(face)
    picture = np.full((90, 160, 3), 200, np.uint8)
    face.show_face(picture, 4 / 3, "not as meant", "fields as frames", (0.9,))
    image = drawn(face, 320, 180)
    assert face.accessibleDescription() == "fields as frames"
    assert image.pixelColor(160, 90) == QColor(200, 200, 200)
    assert image.pixelColor(8, 90) == theme.colour("surround"), "beside a picture of 4:3"
    face.show_face(None, 16 / 9, "black", "no lock: it takes 25 and 50 only")
    dark = drawn(face, 320, 180)
    assert dark.pixelColor(6, 10) == QColor(0, 0, 0) and face.accessibleDescription().startswith("no lock")
    lit = [dark.pixelColor(x, y) for x in range(20, 300, 2) for y in range(60, 120, 2)]
    assert any(item != QColor(0, 0, 0) for item in lit), "the reason stands on it"


def test_the_matrix_by_mouse_and_keys(qtbot: QtBot) -> None:
    matrix = FeedsMatrix()
    qtbot.addWidget(matrix)
    matrix.show_rows(
        ["Bay 1 tube", "Bay 2"], [("One", "1080i25", ("shown", "black")), ("Two", "720p50", ("not as meant", "shown"))]
    )
    image = drawn(matrix, 460, 140)
    chosen: list[tuple[int, int]] = []
    opened: list[int] = []
    matrix.chosen.connect(lambda row, column: chosen.append((row, column)))
    matrix.opened.connect(opened.append)
    for row, column, role in ((0, 0, "sage"), (1, 1, "sage")):
        centre = matrix._cell(row, column).center()
        assert near(image, centre.x(), centre.y(), theme.colour(role))
    QTest.mouseClick(matrix, Qt.MouseButton.LeftButton, pos=QPointF(matrix._cell(1, 0).center()).toPoint())
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Up, Qt.Key.Key_Return):
        QTest.keyClick(matrix, key)
    assert chosen == [(1, 0), (1, 1), (0, 1)] and opened == [0], "beyond the edge nothing is chosen"
    QTest.mouseDClick(matrix, Qt.MouseButton.LeftButton, pos=QPointF(matrix._cell(1, 1).center()).toPoint())
    assert opened == [0, 1]
    matrix.show_rows([], [])
    assert matrix._at == (0, 0)


def test_light_is_brightest_where_most_is() -> None:
    counts = np.zeros((4, 6), np.int64)
    counts[3, 1], counts[0, 5] = 100, 25
    image = trace(counts, "sage")
    assert (image.width(), image.height()) == (6, 4)
    alphas = {(x, y): image.pixelColor(x, y).alpha() for x in range(6) for y in range(4)}
    assert alphas[1, 0] == 255 and 0 < alphas[5, 3] < 255 and sum(v > 0 for v in alphas.values()) == 2
