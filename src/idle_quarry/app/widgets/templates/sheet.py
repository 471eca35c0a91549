"""The sheet: the settings of one station, each typed or chosen in place, with what follows from it beside it."""

from __future__ import annotations

from collections.abc import Callable
from html import escape

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QStyle,
    QStyleOptionFrame,
    QWidget,
)

from idle_quarry.app.appearance.roles import as_role, restyle
from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.errors import QuarryError
from idle_quarry.path.settings import Setting
from idle_quarry.signal.spoken import SeveralReadings

#: Settings of a link, under a heading of their own.
_POLICY_HEAD = "How it is converted"


class _Combo(QComboBox):
    """A combo box that lets the wheel scroll the sheet, and not change a setting in passing."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()


class _Line(QLineEdit):
    """A line whose text ends in dots where it has no room, while nobody types in it."""

    def paintEvent(self, event: QPaintEvent) -> None:
        option = QStyleOptionFrame()
        self.initStyleOption(option)
        room = self.style().subElementRect(QStyle.SubElement.SE_LineEditContents, option, self).adjusted(2, 0, -2, 0)
        if self.hasFocus() or self.fontMetrics().horizontalAdvance(self.text()) <= room.width():
            super().paintEvent(event)
            return
        painter = QPainter(self)
        self.style().drawPrimitive(QStyle.PrimitiveElement.PE_PanelLineEdit, option, painter, self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)


#: Takes what was typed into a setting; returns why it is refused, None where it is taken.
Take = Callable[[Setting, str], QuarryError | None]


class SettingRow(QObject):
    """One setting: label, editor, what follows, and the mark that puts it back."""

    put_back = Signal(str)

    def __init__(self, setting: Setting, take: Take, grid: QGridLayout, line: int) -> None:
        super().__init__()
        self.setting, self._take = setting, take
        self.name = label(setting.label, "dust")
        self.editor: QComboBox | QLineEdit
        if setting.choices:
            combo = _Combo()
            combo.setEditable(setting.free)
            if setting.free:
                combo.setLineEdit(_Line())
            combo.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
            combo.addItems(list(setting.choices))
            combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            combo.setMinimumContentsLength(11)
            combo.textActivated.connect(self.type)
            inner = combo.lineEdit()
            if inner is not None:
                completer = combo.completer()
                if completer is not None:
                    combo.setCompleter(None)  # type: ignore[arg-type]
                inner.editingFinished.connect(lambda: self.type(combo.currentText()))
            self.editor = combo
        else:
            line_edit = _Line()
            line_edit.setPlaceholderText(setting.hint)
            line_edit.editingFinished.connect(lambda: self.type(line_edit.text()))
            self.editor = line_edit
        self.editor.setAccessibleName(f"{setting.label}")
        self.editor.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.editor.installEventFilter(self)
        self.follows = label(setting.follows, "dust", wrap=True)
        self.follows.linkActivated.connect(self.type)
        self.follows.setTextInteractionFlags(
            Qt.TextInteractionFlag.LinksAccessibleByMouse | Qt.TextInteractionFlag.LinksAccessibleByKeyboard
        )
        self.back = QPushButton("•")
        self.back.setProperty("quiet", "true")
        sized(self.back).setFixedWidth(22)
        as_role(self.back, "changed")
        self.back.clicked.connect(lambda: self.put_back.emit(self.setting.place))
        self.wide = not setting.follows  #: nothing follows: the editor has its room, and what is refused stands below
        if self.wide:
            grid.addWidget(self.name, line, 0, Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(self.editor, line, 1, 1, 3)
            grid.addWidget(self.back, line, 4, Qt.AlignmentFlag.AlignVCenter)
            grid.addWidget(self.follows, line + 1, 1, 1, 3)
        else:
            for column, widget in enumerate((self.name, self.editor, self.back, self.follows)):
                grid.addWidget(widget, line, column, Qt.AlignmentFlag.AlignVCenter)
        self.back_policy()
        self._refused = False
        self.show_setting(setting, None)

    def back_policy(self) -> None:
        policy = self.back.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.back.setSizePolicy(policy)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_Escape and self._refused:  # type: ignore[attr-defined]
            self.show_setting(self.setting, None)
            return True
        return super().eventFilter(watched, event)

    def show_setting(self, setting: Setting, was: str | None) -> None:
        """Show a newer state; `was` is the text at the last revision where it differs."""
        if setting.choices != self.setting.choices and isinstance(self.editor, QComboBox):
            self.editor.blockSignals(True)
            self.editor.clear()
            self.editor.addItems(list(setting.choices))
            self.editor.blockSignals(False)
        self.setting = setting
        self._set_text(setting.text)
        self._refuse(None)
        tip = setting.explained or setting.follows
        self.name.setToolTip(tip)
        self.editor.setToolTip(tip)
        self.name.setText(setting.label + (" †" if setting.locked else ""))
        if setting.locked:
            self.name.setToolTip(f"Locked once a job has a timeline: {setting.locked}. {setting.explained}".rstrip())
        self.back.setVisible(was is not None)
        self.back.setToolTip(f"was {was or 'not there'}: put it back")
        self.back.setAccessibleName(f"Put {setting.label} back to {was}")

    def _text(self) -> str:
        return self.editor.currentText() if isinstance(self.editor, QComboBox) else self.editor.text()

    def _set_text(self, text: str) -> None:
        if self._text() == text:
            return
        self.editor.blockSignals(True)
        if isinstance(self.editor, QComboBox):
            index = self.editor.findText(text)
            self.editor.setCurrentIndex(index)
            inner = self.editor.lineEdit()
            if inner is not None:
                self.editor.setCurrentText(text)
                inner.setCursorPosition(0)
        else:
            self.editor.setText(text)
            self.editor.setCursorPosition(0)
        self.editor.blockSignals(False)

    def type(self, text: str) -> None:
        """Take what is typed, or say in place why it will not do."""
        if text == self.setting.text:
            self._refuse(None)
            return
        error = self._take(self.setting, text)
        if error is not None:  # else the sheet shows what came of it, and this row may be gone
            self._refuse(error)

    def _refuse(self, error: QuarryError | None) -> None:
        """Say in place why what was typed will not do."""
        was, self._refused = self._refused, error is not None
        if isinstance(error, SeveralReadings) and error.readings:
            links = " · ".join(f'<a href="{escape(reading)}">{escape(reading)}</a>' for reading in error.readings)
            self.follows.setTextFormat(Qt.TextFormat.RichText)
            self.follows.setText(f"{escape(error.what.capitalize())}: {links}")
        else:
            self.follows.setTextFormat(Qt.TextFormat.PlainText)
            self.follows.setText(str(error) if error else self.setting.follows)
        self.follows.setVisible(not self.wide or error is not None)
        if was != self._refused:
            as_role(self.follows, "refusal" if error else "dust")
            self.editor.setProperty("refused", "true" if error else "false")
            restyle(self.editor)


class Sheet(QScrollArea):
    """A list of rows; nothing is changed here."""

    put_back = Signal(str)

    def __init__(self, take: Take, shares: tuple[int, int] = (5, 6)) -> None:
        """`take` has what is typed; `shares` are those of the width that editors and what follows have."""
        super().__init__()
        self._take = take
        self._shares = shares
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._rows: dict[tuple[str, str], SettingRow] = {}
        self._keys: list[tuple[str, str]] = []
        self._body = QWidget()
        self.setWidget(self._body)

    def show_settings(self, settings: list[Setting], before: dict[tuple[str, str], str]) -> None:
        """Show settings; `before` holds the texts at the last revision by (place, label)."""
        keys = [(s.place, s.label) for s in settings]
        if keys != self._keys:
            self._rebuild(settings, keys)
        for setting, key in zip(settings, keys, strict=True):
            was = before.get(key)
            self._rows[key].show_setting(setting, was if was is not None and was != setting.text else None)

    def _rebuild(self, settings: list[Setting], keys: list[tuple[str, str]]) -> None:
        self._rows, self._keys = {}, keys
        body = QWidget()
        grid = QGridLayout(body)
        sized(grid).setContentsMargins(16, 4, 10, 10)
        sized(grid).setHorizontalSpacing(8)
        sized(grid).setVerticalSpacing(3)
        sized(grid).setColumnMinimumWidth(0, 98)
        grid.setColumnStretch(1, self._shares[0])
        grid.setColumnStretch(3, self._shares[1])
        line, in_policy = 0, False
        for setting, key in zip(settings, keys, strict=True):
            if ".policy." in setting.place and not in_policy:
                head = label(_POLICY_HEAD, "head")
                grid.addWidget(head, line, 0, 1, 4)
                line, in_policy = line + 1, True
            row = SettingRow(setting, self._take, grid, line)
            row.put_back.connect(self.put_back)
            self._rows[key] = row
            line += 2
        grid.setRowStretch(line, 1)
        self.setWidget(body)
        self._body = body

    def row(self, place: str, name: str | None = None) -> SettingRow | None:
        """Return the row of a setting, the first where several edit one place."""
        return next((row for (p, label_), row in self._rows.items() if p == place and name in (None, label_)), None)

    def focus(self, place: str) -> None:
        """Bring a setting into sight and give it the keyboard."""
        row = self.row(place)
        if row is not None:
            self.ensureWidgetVisible(row.editor)
            row.editor.setFocus(Qt.FocusReason.ShortcutFocusReason)
