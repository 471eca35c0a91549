"""Colours, type and sizes: one scheme in three brightnesses, and the style sheet made of it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QFont, QImage, QPainter, QPalette, QPen
from PySide6.QtWidgets import QApplication

from idle_quarry.places import memory_folder
from idle_quarry.printing import load_fonts

FAMILY, MONO = "B612", "B612 Mono"


@dataclass(frozen=True)
class Scheme:
    """The named colours. Greys are pure wherever a picture can be beside them."""

    name: str
    ground: str
    bench: str
    ledge: str
    seam: str
    surround: str
    chalk: str
    dust: str
    lichen: str
    on_lichen: str
    sage: str
    ochre: str
    oxide: str


SCHEMES: dict[str, Scheme] = {
    "dark suite": Scheme(
        "dark suite", "#141414", "#1a1a1a", "#242424", "#363636", "#2a2a2a",
        "#d2d2cf", "#93938f", "#a9b34e", "#141414", "#7fa58b", "#c8933a", "#dd7963",
    ),
    "dim room": Scheme(
        "dim room", "#232323", "#2b2b2b", "#343434", "#454545", "#383838",
        "#e6e6e3", "#a9a9a5", "#bcc65a", "#1d1d1d", "#8fb59b", "#dba445", "#ea8d78",
    ),
    "office": Scheme(
        "office", "#e2e2e2", "#ececec", "#f7f7f7", "#bdbdbd", "#d6d6d6",
        "#1c1c1c", "#505050", "#596110", "#ffffff", "#2c6239", "#7c4e00", "#a52e14",
    ),
}  # fmt: skip
BRIGHTNESSES = tuple(SCHEMES)
TEXT_SIZES = (100, 115, 130, 150)

GRADE_ROLE = {"exact": "sage", "clean": "sage", "lossy": "ochre", "broken": "oxide"}
SEVERITY_ROLE = {"stop": "oxide", "caution": "ochre", "note": "dust"}


class Theme:
    """The scheme in use and the size of text; widgets ask it when they paint."""

    def __init__(self) -> None:
        self.scheme = SCHEMES["dim room"]
        self.percent = 100

    def colour(self, role: str) -> QColor:
        """Return a named colour of the scheme in use."""
        return QColor(getattr(self.scheme, role))

    def grade(self, grade: str) -> QColor:
        return self.colour(GRADE_ROLE[grade])

    def severity(self, severity: str) -> QColor:
        return self.colour(SEVERITY_ROLE[severity])

    def px(self, at_100: float) -> int:
        """Return a length in pixels at the text size in use."""
        return round(at_100 * self.percent / 100)

    def font(self, at_100: float = 13, *, bold: bool = False, mono: bool = False) -> QFont:
        """Return the program's type at a size in pixels (at 100 %)."""
        font = QFont(MONO if mono else FAMILY)
        font.setPixelSize(max(11, self.px(at_100)))
        font.setBold(bold)
        return font

    def apply(self, app: QApplication, brightness: str, percent: int) -> None:
        """Take a brightness and text size, and dress the whole application in them."""
        self.scheme = SCHEMES.get(brightness, SCHEMES["dim room"])
        self.percent = percent if percent in TEXT_SIZES else 100
        app.setFont(self.font())
        app.setPalette(self._palette())
        app.setStyleSheet(self._sheet())

    def _palette(self) -> QPalette:
        palette = QPalette()
        roles = QPalette.ColorRole
        for role, name in (
            (roles.Window, "ground"), (roles.Base, "ledge"), (roles.AlternateBase, "bench"), (roles.Button, "ledge"),
            (roles.WindowText, "chalk"), (roles.Text, "chalk"), (roles.ButtonText, "chalk"), (roles.PlaceholderText, "dust"),
            (roles.ToolTipBase, "ledge"), (roles.ToolTipText, "chalk"), (roles.Highlight, "lichen"),
            (roles.HighlightedText, "on_lichen"), (roles.Link, "lichen"), (roles.Mid, "seam"),
        ):  # fmt: skip
            palette.setColor(role, self.colour(name))
        for role in (roles.WindowText, roles.Text, roles.ButtonText):
            palette.setColor(QPalette.ColorGroup.Disabled, role, self.colour("dust"))
        return palette

    def _sheet(self) -> str:
        s, px = self.scheme, self.px
        return f"""
        QWidget {{ color: {s.chalk}; }}
        QMainWindow, QDialog {{ background: {s.ground}; }}
        QToolTip {{ background: {s.ledge}; color: {s.chalk}; border: 1px solid {s.seam}; padding: 4px; }}
        QLineEdit, QPlainTextEdit, QComboBox, QSpinBox {{
            background: {s.ledge}; border: 1px solid {s.ledge}; border-radius: 3px;
            padding: {px(1)}px {px(7)}px; selection-background-color: {s.lichen}; selection-color: {s.on_lichen}; }}
        QLineEdit:focus, QPlainTextEdit:focus, QComboBox:focus, QSpinBox:focus {{ border: 1px solid {s.lichen}; }}
        QLineEdit[refused="true"], QComboBox[refused="true"] {{ border: 1px solid {s.oxide}; }}
        QComboBox QLineEdit, QComboBox QLineEdit:focus {{ padding: 0; border: none; background: transparent; }}
        QComboBox::drop-down {{ width: {px(18)}px; border: none; }}
        QComboBox::down-arrow {{ image: url({arrow_file(s.dust)}); width: {px(9)}px; height: {px(6)}px; }}
        QComboBox QAbstractItemView {{ background: {s.ledge}; border: 1px solid {s.seam}; outline: none;
            selection-background-color: {s.lichen}; selection-color: {s.on_lichen}; }}
        QPushButton {{ background: {s.ledge}; border: 1px solid {s.ledge}; border-radius: 3px; padding: {px(4)}px {px(13)}px; }}
        QPushButton:hover {{ border-color: {s.seam}; }}
        QPushButton:focus {{ border: 1px solid {s.lichen}; }}
        QPushButton:disabled {{ color: {s.dust}; }}
        QPushButton[main="true"] {{ background: {s.lichen}; color: {s.on_lichen}; font-weight: bold; border-color: {s.lichen}; }}
        QPushButton[main="true"]:focus {{ border: 1px solid {s.chalk}; }}
        QPushButton[main="true"]:disabled {{ background: {s.ledge}; color: {s.dust}; border-color: {s.ledge}; }}
        QPushButton[quiet="true"] {{ background: transparent; border: 1px solid transparent; padding: {px(3)}px {px(7)}px; color: {s.dust}; }}
        QPushButton[quiet="true"]:hover {{ color: {s.chalk}; }}
        QPushButton[quiet="true"]:focus {{ border-color: {s.lichen}; }}
        QPushButton[quiet="true"]:checked {{ color: {s.chalk}; font-weight: bold; border-bottom: 2px solid {s.lichen}; border-radius: 0; }}
        QPushButton[warning="true"] {{ color: {s.oxide}; }}
        QPushButton[field="true"] {{ background: {s.ledge}; color: {s.dust}; text-align: left; padding: {px(4)}px {px(10)}px; }}
        QPushButton::menu-indicator {{ width: 0; }}
        QCheckBox:focus {{ color: {s.lichen}; }}
        QRadioButton::indicator {{ width: {px(11)}px; height: {px(11)}px; border: 1px solid {s.dust}; border-radius: {px(6)}px; background: {s.ground}; }}
        QRadioButton::indicator:checked {{ background: {s.lichen}; border: 1px solid {s.lichen}; }}
        QRadioButton:focus {{ color: {s.lichen}; }}
        QMenu {{ background: {s.ledge}; border: 1px solid {s.seam}; padding: 4px; }}
        QMenu::item {{ padding: {px(4)}px {px(18)}px; }}
        QMenu::item:selected {{ background: {s.lichen}; color: {s.on_lichen}; }}
        QMenu::separator {{ height: 1px; background: {s.seam}; margin: 4px 8px; }}
        QAbstractScrollArea {{ background: transparent; border: none; }}
        QTreeView, QTableView, QListView {{ background: transparent; border: none; outline: none;
            selection-background-color: {s.ledge}; selection-color: {s.chalk}; alternate-background-color: {s.bench}; }}
        QTreeView::item, QListView::item {{ padding: {px(3)}px {px(4)}px; }}
        QTableView::item {{ padding: 0 {px(6)}px; }}
        QListWidget::item {{ padding: {px(5)}px {px(12)}px; }}
        QListWidget[told="true"]::item {{ padding: {px(4)}px {px(2)}px; }}
        QListView::indicator, QTreeView::indicator {{ width: {px(11)}px; height: {px(11)}px; border: 1px solid {s.dust}; background: {s.ground}; }}
        QListView::indicator:checked, QTreeView::indicator:checked {{ background: {s.lichen}; border: 1px solid {s.lichen}; }}
        QTreeView::item:selected, QTableView::item:selected {{ background: {s.ledge}; color: {s.chalk}; }}
        QTreeView:focus, QTableView:focus, QListView:focus {{ border: 1px solid {s.seam}; }}
        QHeaderView {{ background: {s.ground}; }}
        QHeaderView::section {{ background: {s.bench}; color: {s.dust}; border: none; border-bottom: 1px solid {s.seam}; padding: {px(4)}px {px(6)}px; }}
        QScrollBar:vertical {{ width: {px(10)}px; background: transparent; }}
        QScrollBar:horizontal {{ height: {px(10)}px; background: transparent; }}
        QScrollBar::handle {{ background: {s.seam}; border-radius: {px(4)}px; min-height: 24px; min-width: 24px; }}
        QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
        QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
        QSplitter::handle {{ background: {s.ground}; }}
        QProgressBar {{ background: {s.ledge}; border: none; border-radius: 3px; height: {px(6)}px; }}
        QProgressBar::chunk {{ background: {s.lichen}; border-radius: 3px; }}
        *[role="bench"] {{ background: {s.bench}; }}
        *[role="ground"] {{ background: {s.ground}; }}
        *[role="surround"] {{ background: {s.surround}; }}
        QLabel[role="dust"] {{ color: {s.dust}; }}
        QLabel[role="title"] {{ font-size: {px(19)}px; font-weight: bold; }}
        QLabel[role="head"] {{ font-size: {px(15)}px; font-weight: bold; }}
        QLabel[role="refusal"] {{ color: {s.oxide}; }}
        QLabel[role="caution"] {{ color: {s.ochre}; }}
        QLabel[role="good"] {{ color: {s.sage}; }}
        """


@lru_cache(maxsize=8)
def arrow_file(colour: str) -> str:
    """Return a picture file of a small arrow; style sheets take pictures only from files."""
    path = memory_folder() / f"arrow {colour.lstrip('#')}.png"  # in a folder that nobody else enters
    image = QImage(18, 12, QImage.Format.Format_ARGB32)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(colour), 2.4))
    painter.drawPolyline([QPointF(2, 2), QPointF(9, 10), QPointF(16, 2)])
    painter.end()
    image.save(str(path))
    return path.as_posix()


theme = Theme()


def load_type() -> None:
    """Make the shipped type known to Qt."""
    load_fonts()
