"""Looks: the tokens, the typeface, the icons, the style sheet."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from PyQt6.QtCore import QByteArray, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QApplication

ASSETS = Path(__file__).parent / "assets"
FAMILY = "IBM Plex Sans"

GROUND, BENCH, RULE = "#202224", "#2A2D30", "#3B4044"
EDGE = "#767C80"  # of what can be changed: three times as light as what it stands on
TEXT, QUIET = "#E8E4DA", "#A7A9A4"
VERDIGRIS, SAFFRON, BRICK = "#5BB8A4", "#E0AC45", "#D2614A"
WELL = "#1A1C1E"
STEP, ROW, FIELD, RADIUS = 4, 26, 24, 3
SMALL, BODY, LARGE, TITLE = 11, 13, 16, 22
NEAR_LIMIT = 0.85


def colour(token: str, alpha: float = 1.0) -> QColor:
    c = QColor(token)
    c.setAlphaF(alpha)
    return c


def font(size: int = BODY, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The typeface at a size in px. The desktop's scale enlarges letters and boxes alike."""
    f = QFont(FAMILY)
    f.setPixelSize(size)
    f.setWeight(weight)
    return f


def budget_colour(share: float) -> str:
    """Within, near, or over a limit."""
    return BRICK if share > 1.0 else SAFFRON if share > NEAR_LIMIT else VERDIGRIS


def draw_share(painter: QPainter, rect: QRectF, share: float, token: str | None = None) -> None:
    """A thin bar filled to a share of 1; over 1 it is hatched as well as brick."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour(RULE))
    painter.drawRect(rect)
    hue = token or budget_colour(share)
    filled = QRectF(rect.x(), rect.y(), rect.width() * min(1.0, max(0.0, share)), rect.height())
    painter.setBrush(colour(hue))
    painter.drawRect(filled)
    if share > 1.0:
        painter.setBrush(colour(GROUND, 0.75))
        painter.setBrush(Qt.BrushStyle.BDiagPattern)
        painter.drawRect(filled)


@lru_cache(maxsize=512)
def pixmap(name: str, token: str = QUIET, size: int = 16) -> QPixmap:
    """An icon drawn in line, in one of the theme's colours."""
    svg = (
        (ASSETS / "icons" / f"{name}.svg")
        .read_text()
        .replace("currentColor", token)
        .replace('stroke-width="2"', 'stroke-width="1.75"')
    )
    app = QApplication.instance()
    sharp = app.devicePixelRatio() if isinstance(app, QApplication) else 1.0
    image = QPixmap(round(size * sharp), round(size * sharp))
    image.setDevicePixelRatio(sharp)
    image.fill(Qt.GlobalColor.transparent)
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    QSvgRenderer(QByteArray(svg.encode())).render(painter, QRectF(0, 0, size, size))
    painter.end()
    return image


def icon(name: str, on: str = VERDIGRIS) -> QIcon:
    made = QIcon()
    made.addPixmap(pixmap(name, TEXT), QIcon.Mode.Normal, QIcon.State.Off)
    made.addPixmap(pixmap(name, on), QIcon.Mode.Normal, QIcon.State.On)
    made.addPixmap(pixmap(name, RULE), QIcon.Mode.Disabled, QIcon.State.Off)
    return made


def apply(app: QApplication) -> None:
    """Give the whole application its looks, once."""
    if app.styleSheet() == SHEET:
        return
    for file in sorted((ASSETS / "fonts").glob("*.woff")):
        QFontDatabase.addApplicationFont(str(file))
    app.setStyle("Fusion")
    app.setFont(font())
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, token in (
        (roles.Window, GROUND),
        (roles.Base, WELL),
        (roles.AlternateBase, BENCH),
        (roles.Button, BENCH),
        (roles.Text, TEXT),
        (roles.WindowText, TEXT),
        (roles.ButtonText, TEXT),
        (roles.Highlight, VERDIGRIS),
        (roles.HighlightedText, GROUND),
        (roles.ToolTipBase, BENCH),
        (roles.ToolTipText, TEXT),
        (roles.PlaceholderText, QUIET),
    ):
        palette.setColor(role, QColor(token))
    for role in (roles.Text, roles.WindowText, roles.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor("#6F7270"))
    app.setPalette(palette)
    app.setStyleSheet(SHEET)


SHEET = f"""
* {{ color: {TEXT}; }}
QMainWindow, QWidget#ground {{ background: {GROUND}; }}
QWidget#bench, QScrollArea#bench, QScrollArea#bench > QWidget > QWidget {{ background: {BENCH}; }}
QLabel[quiet="true"] {{ color: {QUIET}; font-size: {SMALL}px; }}
QLabel[title="true"] {{ font-size: {LARGE}px; font-weight: 500; }}
QToolTip {{ background: {BENCH}; color: {TEXT}; border: 1px solid {RULE}; padding: 4px; }}
QPushButton, QToolButton {{ background: transparent; border: 1px solid {EDGE}; border-radius: {RADIUS}px;
    padding: 3px 10px;
    min-height: 18px; }}
QToolButton {{ padding: 3px; border-color: transparent; }}
QToolButton[tray="true"] {{ padding: 1px; min-width: 64px; max-width: 64px; }}
QToolButton[card="large"] {{ padding: 5px; min-height: 130px; max-height: 130px; min-width: 174px;
    max-width: 174px; }}
QToolButton[card="small"] {{ padding: 4px; min-height: 81px; max-height: 81px; min-width: 98px;
    max-width: 98px; }}
QToolButton[card]:hover, QToolButton[card]:focus {{ border-color: {VERDIGRIS};
    background: {RULE}; }}
QToolButton::menu-indicator {{ image: none; }}
QPushButton:hover, QToolButton:hover {{ border-color: {QUIET}; }}
QPushButton:focus, QToolButton:focus, QComboBox:focus, QLineEdit:focus {{ border-color: {VERDIGRIS}; }}
QPushButton:pressed, QToolButton:pressed {{ background: {RULE}; }}
QPushButton:checked, QToolButton:checked {{ background: {RULE}; }}
QPushButton:disabled {{ color: #6F7270; }}
QPushButton[field="true"] {{ padding: 1px 8px; min-height: 20px; }}
QPushButton[main="true"] {{ background: {VERDIGRIS}; color: {GROUND}; border-color: {VERDIGRIS};
    font-weight: 600; }}
QPushButton[main="true"]:disabled {{ background: {RULE}; border-color: {RULE}; color: {QUIET}; }}
QPushButton[main="true"]:focus {{ border-color: {TEXT}; }}
QPushButton[station="true"] {{ border: none; border-bottom: 2px solid transparent; border-radius: 0;
    padding: 6px 12px;
    color: {QUIET}; }}
QPushButton[station="true"]:checked {{ background: transparent; color: {TEXT};
    border-bottom-color: {VERDIGRIS}; }}
QPushButton[station="true"]:focus {{ border-bottom-color: {QUIET}; }}
QComboBox, QLineEdit {{ background: {WELL}; border: 1px solid {EDGE}; border-radius: {RADIUS}px;
    padding: 1px 6px;
    min-height: 20px;
  selection-background-color: {VERDIGRIS}; selection-color: {GROUND}; }}
QLineEdit {{ placeholder-text-color: {QUIET}; }}
QComboBox::drop-down {{ border: none; width: 16px; }}
QComboBox::down-arrow {{ image: url({(ASSETS / "icons" / "chevron-down-quiet.svg").as_posix()}); width: 10px;
    height: 10px; }}
QComboBox QAbstractItemView {{ background: {BENCH}; border: 1px solid {RULE};
    selection-background-color: {RULE};
    selection-color: {TEXT}; outline: none; }}
QCheckBox::indicator {{ width: 14px; height: 14px; border: 1px solid {EDGE}; border-radius: {RADIUS}px;
    background: {WELL}; }}
QCheckBox::indicator:checked {{ background: {VERDIGRIS}; border-color: {VERDIGRIS};
    image: url({(ASSETS / "icons" / "check-dark.svg").as_posix()}); }}
QCheckBox::indicator:focus {{ border: 2px solid {VERDIGRIS}; }}
QComboBox:disabled {{ color: #6F7270; }}
QTextBrowser, QListWidget {{ background: {BENCH}; border: none; padding: 8px 16px; }}
QTextBrowser:focus, QListWidget:focus {{ border: 1px solid {VERDIGRIS}; }}
QListWidget {{ padding: 0; }}
QListWidget::item {{ padding: 5px 4px; }}
QTreeWidget {{ background: {BENCH}; border: none; }}
QHeaderView::section {{ background: {BENCH}; color: {QUIET}; border: none; border-bottom: 1px solid {RULE};
  padding: 4px 6px; }}
QListWidget::item:selected {{ background: {RULE}; color: {TEXT}; }}
QMenu {{ background: {BENCH}; border: 1px solid {RULE}; padding: 4px; }}
QMenu::item {{ padding: 4px 16px; border-radius: {RADIUS}px; }}
QMenu::item:selected {{ background: {RULE}; }}
QMenu::item:disabled {{ color: #6F7270; }}
QScrollArea {{ border: none; }}
QScrollBar:vertical {{ background: transparent; width: 8px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {RULE}; border-radius: 4px; min-height: 24px; }}
QScrollBar:horizontal {{ background: transparent; height: 8px; margin: 0; }}
QScrollBar::handle:horizontal {{ background: {RULE}; border-radius: 4px; min-width: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QProgressBar {{ background: {RULE}; border: none; height: 4px; }}
QProgressBar::chunk {{ background: {VERDIGRIS}; }}
"""
