"""The theme in force: tokens, type sizes, the style sheet made from them, and icons in the right ink."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from string import Template

from PyQt6.QtCore import QByteArray, QObject, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QApplication, QWidget

from unitone.desktop.theme.tokens import DAY, THEMES, Tokens

_DATA = Path(__file__).resolve().parents[2] / "data"
#: The property of windows that have the style sheet.
_DRESSED = "dressed"
SCALES = (0.85, 1.0, 1.15, 1.3, 1.5)

_STYLE = Template("""
* { font-family: "B612"; font-size: ${s14}px; color: $ink; }
QMainWindow, QWidget#paper { background: $paper; }
QFrame[role="card"] { background: $card; border: 1px solid $line; border-radius: ${s10}px; }
QFrame[role="rail"] { background: $rail; }
QFrame[role="dial"] { background: $teal_soft; border-radius: ${s8}px; }
QFrame[role="coach"] { background: $orange_soft; border-radius: ${s8}px; }
QFrame[role="coach"][calm="true"] { background: $teal_soft; }
QFrame[role="warning"] { background: $out_of_spec_soft; border-radius: ${s8}px; }
QFrame[role="well"] { background: $well; border-radius: ${s8}px; }
QLabel { background: transparent; }
QLabel[role="title"] { font-size: ${s20}px; font-weight: bold; }
QLabel[role="heading"] { font-size: ${s15}px; font-weight: bold; }
QLabel[role="page"] { font-size: ${s26}px; font-weight: bold; }
QLabel[role="score"] { font-size: ${s58}px; font-weight: bold; }
QLabel[role="strong"] { font-weight: bold; }
QLabel[role="quiet"] { color: $quiet; font-size: ${s13}px; }
QLabel[role="small"] { color: $quiet; font-size: ${s12}px; }
QLabel[role="teal"] { color: $teal; font-size: ${s13}px; }
QLabel[role="warn"] { color: $out_of_spec; font-size: ${s13}px; font-weight: bold; }
QLabel[role="cure"] { color: $out_of_spec; font-size: ${s12}px; }
QPushButton[role="tab"] { background: transparent; border: 2px solid transparent; border-bottom: 3px solid transparent;
    border-radius: 0; padding: ${s4}px ${s6}px; font-size: ${s13}px; }
QPushButton[role="tab"]:hover { border-bottom: 3px solid $line; }
QPushButton[role="tab"]:checked { border-bottom: 3px solid $teal; font-weight: bold; }
QPushButton[role="tab"][wrong="true"] { color: $out_of_spec; }
QPushButton[role="tab"]:focus { border: 2px solid $teal; }
QPlainTextEdit { background: $card; border: 1px solid $line; border-radius: ${s6}px; padding: ${s2}px ${s4}px; }
QPlainTextEdit:focus { border: 2px solid $teal; }
QLabel[role="recheck"] { color: $recheck; font-size: ${s13}px; }
QLabel[role="headline"] { font-size: ${s17}px; font-weight: bold; }
QLabel[role="headline"][tight="true"] { font-size: ${s14}px; }
QLabel[role="caution"] { color: $out_of_spec; font-size: ${s13}px; }
QPushButton { background: $well; border: 1px solid $line; border-radius: ${s8}px; padding: ${s8}px ${s14}px; }
QPushButton:hover { border-color: $teal; }
QPushButton:focus, QToolButton:focus { border: 2px solid $teal; }
QPushButton:disabled { color: $quiet; border-color: $line; background: $paper; }
QPushButton[role="main"] { background: $orange; color: $on_orange; border: 2px solid $orange; font-weight: bold; }
QPushButton[role="main"]:focus { border: 2px solid $ink; }
QPushButton[role="main"]:disabled { background: $line; color: $quiet; border-color: $line; }
QPushButton[role="chip"] { border-radius: ${s14}px; border: 2px solid transparent; padding: ${s4}px ${s14}px; background: $line; }
QPushButton[role="chip"]:checked { background: $ink; color: $card; font-weight: bold; }
QPushButton[role="chip"]:focus { border: 2px solid $teal; }
QPushButton[role="recheck"] { background: $recheck_soft; color: $recheck; border: 1px solid $recheck; font-weight: bold;
    padding: ${s4}px ${s10}px; }
QPushButton[role="recheck"]:focus { border: 2px solid $teal; }
QPushButton[role="toggle"] { background: transparent; border: 2px solid transparent; color: $teal; padding: ${s2}px ${s4}px; font-size: ${s13}px; }
QPushButton[role="toggle"]:checked { background: $orange_soft; color: $orange_text; border: 2px solid $orange; }
QPushButton[role="toggle"]:focus { border: 2px solid $teal; }
QPushButton[role="toggle"]:disabled { color: $quiet; }
QPushButton[role="link"] { background: transparent; border: 2px solid transparent; color: $teal; padding: ${s2}px ${s4}px; font-size: ${s13}px; }
QPushButton[role="link"]:hover { text-decoration: underline; }
QPushButton[role="link"]:focus { border: 2px solid $teal; }
QPushButton[role="link"]:disabled { color: $quiet; }
QToolButton[role="rail"] { background: transparent; color: $rail_text; border: 2px solid transparent; border-radius: ${s8}px;
    font-size: ${s12}px; padding: ${s6}px 0; }
QToolButton[role="rail"]:checked { background: $rail_now; font-weight: bold; }
QToolButton[role="rail"]:focus { border: 2px solid $rail_orange; }
QSpinBox { background: $card; border: 1px solid $line; border-radius: ${s6}px; padding: ${s6}px ${s8}px; }
QSpinBox:focus { border: 2px solid $teal; }
QLineEdit { background: $card; border: 1px solid $line; border-radius: ${s6}px; padding: ${s6}px ${s8}px;
    selection-background-color: $teal; selection-color: $card; }
QLineEdit:focus { border: 2px solid $teal; }
QLineEdit[role="entry"] { font-size: ${s40}px; font-weight: bold; border: 2px solid $orange; }
QComboBox { background: $card; border: 1px solid $line; border-radius: ${s6}px; padding: ${s6}px ${s26}px ${s6}px ${s8}px; }
QComboBox:focus, QComboBox:on { border: 2px solid $teal; }
QComboBox:disabled { color: $quiet; background: $paper; }
QComboBox::drop-down { border: none; width: ${s26}px; }
QComboBox::down-arrow { image: none; }
QComboBox QLineEdit { border: none; padding: 0; background: transparent; }
QComboBox QAbstractItemView { background: $card; color: $ink; selection-background-color: $teal_soft; selection-color: $ink; }
QCheckBox:focus { border: 1px solid $teal; border-radius: 4px; }
QListView, QListWidget { background: transparent; border: none; outline: none; }
QListView[role="completions"] { background: $card; border: 1px solid $line; }
QListView[role="completions"]::item:selected { background: $teal_soft; color: $ink; }
QListWidget[role="questions"]::item { padding: ${s6}px ${s8}px; border-radius: ${s6}px; }
QListWidget[role="questions"]::item:selected { background: $teal_soft; color: $ink; }
QScrollArea { background: transparent; border: none; }
QScrollArea[role="card"] { background: $card; }
QScrollArea > QWidget > QWidget { background: transparent; }
QTextBrowser { background: $card; border: 1px solid $line; border-radius: ${s10}px; padding: ${s10}px; }
QPdfView { background: $paper; border: 1px solid $line; }
QMenu { background: $card; border: 1px solid $line; padding: ${s4}px; }
QMenu::item { padding: ${s6}px ${s18}px; border-radius: ${s4}px; }
QMenu::item:selected { background: $teal_soft; color: $ink; }
QMenu::separator { height: 1px; background: $line; margin: ${s4}px; }
QPushButton::menu-indicator { image: none; width: 0; }
QToolButton[role="photograph"] { background: $well; border: 1px solid $line; border-radius: ${s6}px; padding: ${s4}px; }
QScrollBar:vertical { background: transparent; width: ${s8}px; margin: 0; }
QScrollBar::handle:vertical { background: $line; border-radius: ${s4}px; min-height: ${s26}px; }
QScrollBar:horizontal { background: transparent; height: ${s8}px; }
QScrollBar::handle:horizontal { background: $line; border-radius: ${s4}px; min-width: ${s26}px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QToolTip { background: $ink; color: $card; border: none; padding: 4px; }
""")


class Theme(QObject):
    """The one theme of the program; ``changed`` tells painters to paint again."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.tokens: Tokens = DAY
        self.scale = 1.0
        #: The style sheet that windows have.
        self._worn = ""

    def px(self, size: float) -> int:
        """A length in pixels at the chosen type size."""
        return max(1, round(size * self.scale))

    def colour(self, role: str) -> QColor:
        """The colour of a role."""
        return QColor(getattr(self.tokens, role))

    def font(self, size: float, bold: bool = False) -> QFont:
        """The typeface at ``size`` pixels (before scaling)."""
        font = QFont("B612")
        font.setPixelSize(self.px(size))
        font.setBold(bold)
        return font

    def use(self, name: str, scale: float) -> None:
        """Change to day or night and to a type size, everywhere at once."""
        self.tokens, self.scale = THEMES[name], scale
        app, sheet = QApplication.instance(), self._sheet()
        # Every widget that there is takes a style anew, the same one too: it is only given when it changed.
        if isinstance(app, QApplication) and (self._worn != sheet or app.palette() != self._palette()):
            dressed = [w for w in app.topLevelWidgets() if w.property(_DRESSED)]
            # One style in place of another is worked out widget by widget, for seconds where every view is open; from none it is not.
            for window in dressed:
                window.setStyleSheet("")
            app.setPalette(self._palette())
            app.setFont(self.font(14))
            self._worn = sheet
            for window in dressed:
                window.setStyleSheet(sheet)
        self.changed.emit()

    def dress(self, window: QWidget) -> None:
        """Give a window, and all that is put into it, the style sheet now and after each change.

        The application itself has none: each widget that is put into another would be worked out anew with all that it holds,
        a page of forms a dozen times before it is shown. So every window without a parent is dressed, the last thing in its making.
        """
        window.setProperty(_DRESSED, True)
        window.setStyleSheet(self._worn)

    def _sheet(self) -> str:
        sizes = {f"s{n}": str(self.px(n)) for n in (2, 4, 6, 8, 10, 12, 13, 14, 15, 17, 18, 20, 26, 40, 58)}
        return _STYLE.substitute(**self.tokens.__dict__, **sizes)

    def _palette(self) -> QPalette:
        palette = QPalette()
        for group, role in (
            (QPalette.ColorRole.Window, "paper"), (QPalette.ColorRole.Base, "card"), (QPalette.ColorRole.Text, "ink"),
            (QPalette.ColorRole.WindowText, "ink"), (QPalette.ColorRole.Button, "well"), (QPalette.ColorRole.ButtonText, "ink"),
            (QPalette.ColorRole.Highlight, "teal"), (QPalette.ColorRole.HighlightedText, "card"),
            (QPalette.ColorRole.PlaceholderText, "quiet"), (QPalette.ColorRole.Link, "teal"),
        ):  # fmt: skip
            palette.setColor(group, self.colour(role))
        return palette


theme = Theme()


@cache
def load_fonts() -> None:
    """Take the shipped typeface into use (once)."""
    for path in sorted((_DATA / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))


def icon(name: str, role: str, size: int = 24) -> QIcon:
    """An icon of the shipped family, drawn in the ink of ``role``."""
    source = (
        (_DATA / "icons" / f"{name}.svg")
        .read_text(encoding="utf-8")
        .replace("currentColor", getattr(theme.tokens, role))
    )
    renderer = QSvgRenderer(QByteArray(source.encode()))
    ratio = 2
    pixmap = QPixmap(theme.px(size) * ratio, theme.px(size) * ratio)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    renderer.render(painter, QRectF(pixmap.rect()))
    painter.end()
    pixmap.setDevicePixelRatio(ratio)
    return QIcon(pixmap)
