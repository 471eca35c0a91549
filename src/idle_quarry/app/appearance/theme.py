"""Colours, type and sizes: one scheme in three brightnesses."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QColor, QFont, QPalette
from PySide6.QtWidgets import QApplication, QToolTip

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
    edge: str
    chalk: str
    dust: str
    lichen: str
    on_lichen: str
    sage: str
    ochre: str
    oxide: str


SCHEMES: dict[str, Scheme] = {
    "dark suite": Scheme(
        name="dark suite",
        ground="#141414",
        bench="#1a1a1a",
        ledge="#242424",
        seam="#363636",
        surround="#2a2a2a",
        edge="#747474",
        chalk="#d2d2cf",
        dust="#93938f",
        lichen="#a9b34e",
        on_lichen="#141414",
        sage="#7fa58b",
        ochre="#c8933a",
        oxide="#dd7963",
    ),
    "dim room": Scheme(
        name="dim room",
        ground="#232323",
        bench="#2b2b2b",
        ledge="#343434",
        seam="#454545",
        surround="#383838",
        edge="#828282",
        chalk="#e6e6e3",
        dust="#a9a9a5",
        lichen="#bcc65a",
        on_lichen="#1d1d1d",
        sage="#8fb59b",
        ochre="#dba445",
        oxide="#ea8d78",
    ),
    "office": Scheme(
        name="office",
        ground="#e2e2e2",
        bench="#ececec",
        ledge="#f7f7f7",
        seam="#bdbdbd",
        surround="#d6d6d6",
        edge="#787878",
        chalk="#1c1c1c",
        dust="#505050",
        lichen="#596110",
        on_lichen="#ffffff",
        sage="#2c6239",
        ochre="#7c4e00",
        oxide="#a52e14",
    ),
}
BRIGHTNESSES = tuple(SCHEMES)
TEXT_SIZES = (100, 115, 130, 150)

GRADE_ROLE = {"exact": "sage", "clean": "sage", "lossy": "ochre", "broken": "oxide"}
SEVERITY_ROLE = {"stop": "oxide", "caution": "ochre", "note": "dust"}


class Theme(QObject):
    """The scheme in use and the size of text; widgets ask it when they paint. `changed` follows every change."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.scheme = SCHEMES["dim room"]
        self.percent = 100
        self._colours: dict[str, QColor] = {}  #: of the dress in use, as are the fonts
        self._fonts: dict[tuple[float, bool, bool], QFont] = {}

    def colour(self, role: str) -> QColor:
        """Return a named colour of the scheme in use."""
        if role not in self._colours:
            self._colours[role] = QColor(getattr(self.scheme, role))
        return QColor(self._colours[role])

    def grade(self, grade: str) -> QColor:
        return self.colour(GRADE_ROLE[grade])

    def severity(self, severity: str) -> QColor:
        return self.colour(SEVERITY_ROLE[severity])

    def seen(self, colour: str) -> QColor:
        """Return a colour that somebody chose, made darker or lighter until it is seen on every ground (3 : 1)."""
        result = QColor(colour)
        grounds = [_luminance(self.colour(ground)) for ground in ("ground", "bench", "ledge")]
        darker = grounds[0] > 0.4
        for _ in range(20):
            mine = _luminance(result)
            if all((max(mine, value) + 0.05) / (min(mine, value) + 0.05) >= 3 for value in grounds):
                break
            result = result.darker(112) if darker else result.lighter(112)
        return result

    def px(self, at_100: float) -> int:
        """Return a length in pixels at the text size in use."""
        return round(at_100 * self.percent / 100)

    def font(self, at_100: float = 13, *, bold: bool = False, mono: bool = False) -> QFont:
        """Return the program's type at a size in pixels (at 100 %)."""
        key = at_100, bold, mono
        if key not in self._fonts:
            font = QFont(MONO if mono else FAMILY)
            font.setPixelSize(max(11, self.px(at_100)))
            font.setBold(bold)
            self._fonts[key] = font
        return self._fonts[key]

    def apply(self, app: QApplication, brightness: str, percent: int) -> None:
        """Take a brightness and text size, and dress the whole application in them, in place."""
        self.scheme = SCHEMES.get(brightness, SCHEMES["dim room"])
        self.percent = percent if percent in TEXT_SIZES else 100
        self._colours, self._fonts = {}, {}
        app.setFont(self.font())
        app.setPalette(self.palette())
        QToolTip.setPalette(self.palette())
        self.changed.emit()

    def wear(self, brightness: str, percent: int) -> None:
        """Dress the application that runs otherwise."""
        app = QApplication.instance()
        if isinstance(app, QApplication):
            self.apply(app, brightness, percent)

    def palette(self) -> QPalette:
        """Return the palette that carries the colours; `roles` says which text has which of its roles."""
        palette = QPalette()
        roles = QPalette.ColorRole
        for role, name in (
            (roles.Window, "ground"),
            (roles.Base, "ledge"),
            (roles.AlternateBase, "bench"),
            (roles.Button, "ledge"),
            (roles.WindowText, "chalk"),
            (roles.Text, "chalk"),
            (roles.ButtonText, "chalk"),
            (roles.PlaceholderText, "dust"),
            (roles.ToolTipBase, "ledge"),
            (roles.ToolTipText, "chalk"),
            (roles.Highlight, "lichen"),
            (roles.HighlightedText, "on_lichen"),
            (roles.Link, "lichen"),
            (roles.Mid, "seam"),
            (roles.Light, "chalk"),
            (roles.Dark, "surround"),
            (roles.Shadow, "seam"),
            (roles.BrightText, "oxide"),
            (roles.Midlight, "ochre"),
            (roles.LinkVisited, "sage"),
            (roles.Accent, "lichen"),
        ):
            palette.setColor(role, self.colour(name))
        for role in (roles.WindowText, roles.Text, roles.ButtonText):
            palette.setColor(QPalette.ColorGroup.Disabled, role, self.colour("dust"))
        return palette


def _luminance(colour: QColor) -> float:
    """Return the relative luminance of a colour (WCAG 2)."""
    parts = (colour.redF(), colour.greenF(), colour.blueF())
    linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


theme = Theme()
