"""Fonts, palette and style sheet of both themes."""

from __future__ import annotations

from functools import cache
from importlib import resources

from PySide6.QtCore import QSettings
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication, QStyleFactory

from utter_calm.present.palette import DARK, LIGHT, Palette

_FONTS = ("Inter-Regular.otf", "Inter-Medium.otf", "Inter-SemiBold.otf")
BASE_PX = 13


def load_fonts() -> None:
    """Make the bundled font known, so that the window looks the same on every machine."""
    folder = resources.files("utter_calm") / "assets" / "fonts"
    for name in _FONTS:
        QFontDatabase.addApplicationFontFromData((folder / name).read_bytes())


def font(size: float = BASE_PX, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """Give the window's font in pixels, with figures of equal width."""
    return QFont(_font(round(size), weight))


@cache
def _font(pixels: int, weight: QFont.Weight) -> QFont:
    made = QFont("Inter")
    made.setPixelSize(pixels)
    made.setWeight(weight)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


@cache
def current_palette() -> Palette:
    """Give the palette of the theme in use; asked for with every line that is painted, so it is kept."""
    return DARK if QSettings().value("theme", "light") == "dark" else LIGHT


def set_theme(name: str) -> None:
    """Remember a theme, ``light`` or ``dark``, and apply it."""
    QSettings().setValue("theme", name)
    current_palette.cache_clear()
    application = QApplication.instance()
    if isinstance(application, QApplication):
        apply_theme(application)


def apply_theme(application: QApplication) -> None:
    """Dress the whole application."""
    current_palette.cache_clear()
    p = current_palette()
    application.setStyle(QStyleFactory.create("Fusion"))
    application.setFont(font())
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: p.ground,
        QPalette.ColorRole.WindowText: p.text,
        QPalette.ColorRole.Base: p.raised,
        QPalette.ColorRole.AlternateBase: p.surface,
        QPalette.ColorRole.Text: p.text,
        QPalette.ColorRole.Button: p.surface,
        QPalette.ColorRole.ButtonText: p.text,
        QPalette.ColorRole.BrightText: p.bad,
        QPalette.ColorRole.Highlight: p.accent,
        QPalette.ColorRole.HighlightedText: p.accent_text,
        QPalette.ColorRole.ToolTipBase: p.raised,
        QPalette.ColorRole.ToolTipText: p.text,
        QPalette.ColorRole.PlaceholderText: p.soft_text,
        QPalette.ColorRole.Link: p.accent,
        QPalette.ColorRole.Mid: p.line,
    }
    for role, colour in roles.items():
        palette.setColor(role, QColor(colour))
    for role in (QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText, QPalette.ColorRole.WindowText):
        faded = QColor(p.text)
        faded.setAlphaF(0.45)
        palette.setColor(QPalette.ColorGroup.Disabled, role, faded)
    application.setPalette(palette)
    application.setStyleSheet(_sheet(p))


def _arrow() -> str:
    name = "dark" if current_palette() is DARK else "light"
    return str(resources.files("utter_calm") / "assets" / f"down-{name}.png")


def _sheet(p: Palette) -> str:
    return f"""
    QToolTip {{ color: {p.text}; background: {p.raised}; border: 1px solid {p.line}; padding: 4px 6px; }}
    QMenuBar {{ background: {p.ground}; color: {p.text}; padding: 1px 10px; }}
    QMenuBar::item {{ padding: 4px 8px; background: transparent; border-radius: 4px; }}
    QMenuBar::item:selected {{ background: {p.line}; }}
    QMenu {{ background: {p.raised}; color: {p.text}; border: 1px solid {p.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 28px 5px 14px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {p.accent}; color: {p.accent_text}; }}
    QMenu::item:disabled {{ color: {p.soft_text}; }}
    QMenu::separator {{ height: 1px; background: {p.line}; margin: 4px 8px; }}
    QPushButton {{ background: {p.raised}; color: {p.text}; border: 1px solid {p.line}; border-radius: 6px;
        padding: 6px 14px; }}
    QPushButton:hover {{ border-color: {p.accent}; }}
    QPushButton:focus {{ border: 2px solid {p.accent}; padding: 5px 13px; }}
    QPushButton:pressed {{ background: {p.line}; }}
    QPushButton:disabled {{ color: {p.soft_text}; background: {p.ground}; }}
    QLabel[role="strong"] {{ font-weight: 700; }}
    QPushButton[role="primary"] {{ background: {p.accent}; color: {p.accent_text}; border-color: {p.accent}; }}
    QPushButton[role="primary"]:disabled {{ background: {p.line}; color: {p.soft_text}; border-color: {p.line}; }}
    QPushButton[role="primary"]:focus {{ border: 2px solid {p.text}; }}
    QPushButton[role="mute"] {{ background: {p.text}; color: {p.ground}; border-color: {p.text}; font-weight: 600; }}
    QPushButton[role="mute"]:focus {{ border: 2px solid {p.accent}; }}
    QPushButton[role="flat"] {{ background: transparent; border: none; color: {p.soft_text}; padding: 4px 8px; }}
    QPushButton[role="flat"]:hover {{ color: {p.accent}; }}
    QPushButton[role="flat"]:checked {{ color: {p.text}; font-weight: 600; }}
    QPushButton[role="flat"]:focus {{ color: {p.accent}; }}
    QPushButton[live="true"] {{ border: 2px solid {p.accent}; color: {p.accent}; padding: 5px 13px; }}
    QLineEdit, QPlainTextEdit {{ background: {p.raised}; color: {p.text}; border: 1px solid {p.line}; border-radius: 5px;
        padding: 4px 7px; selection-background-color: {p.accent}; selection-color: {p.accent_text}; }}
    QLineEdit:focus, QPlainTextEdit:focus, QComboBox:focus {{ border-color: {p.accent}; }}
    QComboBox {{ background: {p.raised}; color: {p.text}; border: 1px solid {p.line}; border-radius: 5px; padding: 4px 7px;
        selection-background-color: {p.accent}; selection-color: {p.accent_text}; }}
    QComboBox:hover {{ border-color: {p.accent}; }}
    QComboBox::drop-down {{ border: none; width: 26px; }}
    QComboBox::down-arrow {{ image: url({_arrow()}); width: 12px; height: 8px; }}
    QComboBox QAbstractItemView {{ background: {p.raised}; color: {p.text}; border: 1px solid {p.line}; padding: 3px;
        selection-background-color: {p.accent}; selection-color: {p.accent_text}; }}
    QListWidget::item:selected {{ background: {p.accent}; color: {p.accent_text}; }}
    QLineEdit[wrong="true"] {{ border: 2px solid {p.bad}; padding: 3px 6px; }}
    QTableView, QListView {{ background: {p.surface}; border: none; gridline-color: {p.line}; outline: none; }}
    QTableView::item {{ padding: 4px 8px; }}
    QTableView::item:selected {{ background: {p.line}; color: {p.text}; }}
    QHeaderView {{ background: {p.surface}; border: none; }}
    QHeaderView::section {{ background: {p.surface}; color: {p.soft_text}; border: none; padding: 5px 8px; }}
    QHeaderView::section:vertical {{ padding: 4px 2px; }}
    QTableCornerButton::section {{ background: {p.surface}; border: none; }}
    QScrollArea {{ border: none; background: transparent; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {p.line}; border-radius: 5px; min-height: 30px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; }}
    QScrollBar::handle:horizontal {{ background: {p.line}; border-radius: 5px; min-width: 30px; }}
    QSlider::groove:horizontal {{ height: 4px; background: {p.line}; border-radius: 2px; }}
    QSlider::sub-page:horizontal {{ background: {p.accent}; border-radius: 2px; }}
    QSlider::sub-page:horizontal:disabled {{ background: {p.line}; }}
    QSlider::handle:horizontal {{ background: {p.raised}; border: 2px solid {p.accent}; width: 14px; height: 14px;
        margin: -7px 0; border-radius: 9px; }}
    QSlider::handle:horizontal:focus {{ background: {p.accent}; }}
    QSlider::handle:horizontal:disabled {{ border-color: {p.line}; }}
    QProgressBar {{ background: {p.line}; border: none; border-radius: 3px; max-height: 6px; min-height: 6px; }}
    QProgressBar::chunk {{ background: {p.accent}; border-radius: 3px; }}
    QSplitter::handle {{ background: {p.line}; }}
    *[role="soft"] {{ color: {p.soft_text}; }}
    *[role="title"] {{ font-size: 17px; font-weight: 600; }}
    *[role="answer"] {{ font-size: 20px; font-weight: 600; }}
    *[role="led"] {{ background: {p.surface}; border: 1px solid {p.line}; border-radius: 8px; }}
    *[role="led"] QLabel {{ border: none; font-size: 14px; }}
    *[role="section"] {{ font-weight: 600; }}
    *[role="warning"] {{ background: {p.warn_ground}; color: {p.warn_text}; border-radius: 6px; padding: 8px 10px; }}
    *[role="calm"] {{ background: {p.ground}; color: {p.soft_text}; border-radius: 6px; padding: 8px 10px; }}
    *[role="prompt"] {{ background: {p.warn_ground}; color: {p.warn_text}; border-radius: 8px; }}
    *[role="prompt"] QLabel {{ color: {p.warn_text}; font-size: 14px; font-weight: 600; background: transparent; }}
    *[role="popup"] {{ background: {p.raised}; border: 1px solid {p.line}; border-radius: 8px; }}
    *[role="side"] {{ background: {p.surface}; }}
    *[role="error"] {{ color: {p.bad}; }}
    """
