"""Fonts and the style sheet."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

from dynamis.ui.theme.palette import DARK, LIGHT, Colours

_FONTS = ("Inter-Regular.otf", "Inter-Medium.otf", "Inter-SemiBold.otf", "DejaVuSans.ttf")
TEXT_POINTS = {"small": 9.0, "normal": 9.75, "large": 11.5, "very large": 13.5}


def load_fonts() -> None:
    """Load the shipped fonts; Inter for text, DejaVu Sans for what it lacks (♯ ♭ ♮)."""
    folder = files("dynamis.ui.theme") / "fonts"
    for name in _FONTS:
        if QFontDatabase.addApplicationFont(str(folder / name)) < 0:
            raise RuntimeError(f"The shipped font {name} could not be loaded.")


def text_font(points: float, *, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The text face with tabular figures."""
    font = QFont(["Inter", "DejaVu Sans"])
    font.setPointSizeF(points)
    font.setWeight(weight)
    font.setFeature(QFont.Tag("tnum"), 1)
    return font


def colours_for(theme: str, app: QApplication) -> Colours:
    """The colours of "light", "dark", or of what the system asks for."""
    if theme == "system":
        from PySide6.QtCore import Qt

        return DARK if app.styleHints().colorScheme() == Qt.ColorScheme.Dark else LIGHT
    return DARK if theme == "dark" else LIGHT


def apply_theme(app: QApplication, colours: Colours, points: float) -> None:
    """Give the whole application its palette, font and style sheet; its style is `start.make_app`'s."""
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: colours.ground,
        QPalette.ColorRole.WindowText: colours.ink,
        QPalette.ColorRole.Base: colours.field,
        QPalette.ColorRole.AlternateBase: colours.panel,
        QPalette.ColorRole.Text: colours.ink,
        QPalette.ColorRole.Button: colours.panel,
        QPalette.ColorRole.ButtonText: colours.ink,
        QPalette.ColorRole.Highlight: colours.blue,
        QPalette.ColorRole.HighlightedText: colours.button_ink if colours.dark else "#ffffff",
        QPalette.ColorRole.PlaceholderText: colours.muted,
        QPalette.ColorRole.ToolTipBase: colours.panel,
        QPalette.ColorRole.ToolTipText: colours.ink,
        QPalette.ColorRole.Link: colours.blue,
    }
    for role, colour in roles.items():
        palette.setColor(role, QColor(colour))
    for role in (QPalette.ColorRole.WindowText, QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(colours.muted))
    app.setPalette(palette)
    # Tables take their colours from a palette: styled by a sheet, each repaint costs four times as much.
    for role, colour in (
        (QPalette.ColorRole.Base, colours.panel),
        (QPalette.ColorRole.Highlight, colours.thread_wash),
        (QPalette.ColorRole.HighlightedText, colours.ink),
    ):
        palette.setColor(role, QColor(colour))
    app.setPalette(palette, "QAbstractItemView")  # type: ignore[arg-type]  # the stub wants bytes, the call a text
    app.setFont(text_font(points))
    app.setStyleSheet(style_sheet(colours, points))


def style_sheet(c: Colours, points: float) -> str:
    """What Fusion does not draw as we want it; sizes follow the text size."""
    small, title, big = points * 0.9, points * 1.12, points * 3.0
    tick, arrow = (
        (Path(__file__).parent / "icons" / f"{name}{'-dark' if c.dark else ''}.svg").as_posix()
        for name in ("tick", "arrow")
    )
    return f"""
    QMainWindow, QDialog {{ background: {c.ground}; }}
    QFrame[panel="true"] {{ background: {c.panel}; border: 1px solid {c.rule}; border-radius: 3px; }}
    QFrame[bar="true"] {{ background: {c.panel}; border: none; }}
    QFrame[rule="true"] {{ background: {c.rule}; border: none; max-height: 1px; min-height: 1px; }}
    QLabel {{ background: transparent; }}
    QLabel[role="heading"] {{ font-size: {title}pt; font-weight: 600; }}
    QLabel[role="muted"] {{ color: {c.muted}; }}
    QLabel[role="quiet"] {{ color: {c.muted}; font-style: italic; border-left: 2px dotted {c.muted};
        padding-left: 6px; }}
    QLabel[role="small"] {{ color: {c.muted}; font-size: {small}pt; }}
    QLabel[role="big"] {{ font-size: {big}pt; font-weight: 600; }}
    QLabel[role="bigmuted"] {{ font-size: {points * 1.9}pt; color: {c.muted}; }}
    QLabel[role="thread"] {{ font-size: {points * 1.12}pt; font-weight: 500; }}
    QLabel[role="blue"] {{ color: {c.blue}; }}
    QLabel[role="question"] {{ color: {c.vermilion}; font-weight: 500; }}
    QMenuBar {{ background: {c.panel}; color: {c.ink}; }}
    QMenuBar::item {{ background: transparent; padding: 3px 9px; }}
    QMenuBar::item:selected {{ background: {c.blue_wash}; }}
    QMenu {{ background: {c.panel}; color: {c.ink}; border: 1px solid {c.rule}; padding: 4px; }}
    QMenu::item {{ padding: 4px 22px 4px 18px; }}
    QMenu::item:selected {{ background: {c.blue_wash}; color: {c.ink}; }}
    QMenu::item:disabled {{ color: {c.muted}; }}
    QMenu::separator {{ height: 1px; background: {c.rule}; margin: 4px 8px; }}
    QPushButton {{ background: {c.panel}; color: {c.ink}; border: 1px solid {c.muted}; border-radius: 3px;
        padding: 4px 11px; }}
    QPushButton[narrow="true"] {{ padding: 4px 0; }}
    QPushButton:hover {{ background: {c.blue_wash}; }}
    QPushButton:focus {{ border: 2px solid {c.blue}; padding: 3px 10px; }}
    QPushButton:disabled {{ color: {c.muted}; border-color: {c.rule}; }}
    QPushButton[primary="true"] {{ background: {c.button}; color: {c.button_ink}; font-weight: 600;
        border: 1px solid {c.button}; }}
    QPushButton[primary="true"]:focus {{ border: 2px solid {c.blue}; }}
    QPushButton[primary="true"]:disabled {{ background: {c.rule}; border-color: {c.rule}; color: {c.muted}; }}
    QPushButton[station="true"] {{ border: none; border-bottom: 4px solid transparent; border-radius: 0;
        background: transparent; color: {c.muted}; font-size: {title}pt; padding: 10px 9px 8px 9px; }}
    QFrame[upright="true"] {{ color: {c.rule}; }}
    QPushButton[station="true"]::menu-indicator {{ subcontrol-position: right center; width: 9px; }}
    QPushButton[station="true"]:checked {{ color: {c.ink}; font-weight: 600; border-bottom-color: {c.ink}; }}
    QPushButton[station="true"]:focus {{ background: {c.blue_wash}; }}
    QPushButton[tab="true"] {{ border: none; background: transparent; color: {c.muted}; font-size: {title}pt;
        padding: 2px 2px; margin-right: 8px; border-bottom: 2px solid transparent; border-radius: 0; }}
    QPushButton[tab="true"]:checked {{ color: {c.ink}; font-weight: 600; }}
    QPushButton[tab="true"]:focus {{ border-bottom-color: {c.blue}; }}
    QLineEdit, QComboBox, QSpinBox, QPlainTextEdit {{ background: {c.field}; color: {c.ink};
        border: 1px solid {c.muted}; border-radius: 3px; padding: 3px 6px; selection-background-color: {c.blue};
        selection-color: {"#12181d" if c.dark else "#ffffff"}; }}
    QLineEdit:focus, QComboBox:focus, QSpinBox:focus, QPlainTextEdit:focus {{ border: 2px solid {c.blue};
        padding: 2px 5px; }}
    QSpinBox QLineEdit, QSpinBox QLineEdit:focus {{ border: none; padding: 0px 0px 0px 4px; background: transparent; }}
    QSpinBox::up-button, QSpinBox::down-button {{ width: 0px; border: none; }}
    QLineEdit[wrong="true"] {{ border: 2px solid {c.vermilion}; }}
    QLineEdit[entry="true"] {{ font-size: {points * 1.5}pt; border: 2px solid {c.ink}; padding: 4px 8px; }}
    QLineEdit[entry="true"]:focus {{ border: 2px solid {c.blue}; }}
    QLineEdit:disabled, QComboBox:disabled {{ color: {c.muted}; border-color: {c.rule}; background: {c.panel}; }}
    QComboBox::drop-down {{ border: none; width: 20px; }}
    QComboBox::down-arrow {{ image: url({arrow}); width: 12px; height: 12px; }}
    QComboBox QAbstractItemView {{ background: {c.panel}; color: {c.ink}; border: 1px solid {c.rule};
        selection-background-color: {c.blue_wash}; selection-color: {c.ink}; }}
    QHeaderView, QTableCornerButton::section {{ background: {c.panel}; border: none; }}
    QHeaderView::section {{ background: {c.panel}; color: {c.muted}; border: none;
        border-bottom: 1px solid {c.rule}; padding: 2px 6px; font-size: {small}pt; }}
    QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {c.rule}; border-radius: 4px; min-height: 24px; }}
    QScrollBar:horizontal {{ background: transparent; height: 9px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {c.rule}; border-radius: 4px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none;
        border: none; width: 0; height: 0; }}
    QToolTip {{ background: {c.panel}; color: {c.ink}; border: 1px solid {c.rule}; padding: 3px; }}
    QCheckBox::indicator {{ width: 14px; height: 14px; border: 1px solid {c.muted}; border-radius: 2px;
        background: {c.field}; }}
    QCheckBox::indicator:checked {{ background: {c.blue}; border-color: {c.blue}; image: url({tick}); }}
    QCheckBox:focus {{ color: {c.blue}; }}
    QGroupBox {{ border: none; margin-top: 16px; font-weight: 600; }}
    QGroupBox::title {{ subcontrol-origin: margin; left: 0; color: {c.ink}; }}
    """
