"""The style of Qt's own widgets in our themes; everything else is painted."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtGui import QPalette

from rook_tally.core.theme import Theme
from rook_tally.desk.parts.fonts_and_colours import colour, face

_DOWN = Path(__file__).with_name("down.svg").as_posix()
"""The arrow of drop-downs; a native bevel would stand on each otherwise."""


def palette_of(theme: Theme) -> QPalette:
    """The theme in Qt's own roles."""
    palette = QPalette()
    for role, name in (
        (QPalette.ColorRole.Window, theme.sheet),
        (QPalette.ColorRole.Base, theme.sheet),
        (QPalette.ColorRole.AlternateBase, theme.paper),
        (QPalette.ColorRole.WindowText, theme.ink),
        (QPalette.ColorRole.Text, theme.ink),
        (QPalette.ColorRole.ButtonText, theme.ink),
        (QPalette.ColorRole.PlaceholderText, theme.faint),
        (QPalette.ColorRole.Highlight, theme.sheen),
        (QPalette.ColorRole.HighlightedText, theme.on_sheen),
    ):
        palette.setColor(role, colour(name))
    return palette


def style_sheet(theme: Theme) -> str:
    """The theme as Qt's style sheet."""
    family = face(13).family()
    return f"""
    QPushButton, QLineEdit, QToolTip, QListView {{ font-family: "{family}"; font-size: 13px; }}
    QTableView {{ background: {theme.sheet}; border: none; outline: none;
                  selection-background-color: {theme.sheet}; }}
    QHeaderView {{ background: {theme.sheet}; border: none; }}
    QPushButton {{ background: {theme.sheet}; color: {theme.sheen}; font-weight: 600;
                   border: 1.5px solid {theme.sheen}; border-radius: 5px; padding: 7px 14px; }}
    QPushButton:hover {{ background: {theme.paper}; }}
    QDialog, QMessageBox, QInputDialog {{ background: {theme.sheet}; }}
    QPlainTextEdit {{ background: {theme.sheet}; border: 1px solid {theme.strong_rule};
                      color: {theme.ink}; }}
    QPushButton#words {{ border: none; background: transparent; color: {theme.dim};
                         font-weight: 400; font-size: 12px; padding: 3px; }}
    QPushButton#words:hover, QPushButton#words:focus {{ color: {theme.sheen};
                                                        text-decoration: underline; }}
    QPushButton#page {{ border: none; background: transparent; color: {theme.dim};
                        font-weight: 500; font-size: 13px; padding: 3px 0; border-radius: 0; }}
    QPushButton#page:checked {{ color: {theme.ink}; background: transparent; font-weight: 600;
                                border-bottom: 2px solid {theme.sheen}; }}
    QPushButton#page:focus {{ color: {theme.sheen}; text-decoration: underline; }}
    QPushButton#main {{ background: {theme.sheen}; color: {theme.on_sheen}; }}
    QPushButton#small {{ padding: 5px 12px; border-width: 1px; }}
    QPushButton#control {{ padding: 2px 10px; border: none; background: {theme.rule};
                           color: {theme.sheen}; }}
    QPushButton#control:focus {{ border: 2px solid {theme.sheen}; padding: 0 8px; }}
    QPushButton#preset {{ padding: 4px 2px; border-width: 1px; font-weight: 500; }}
    QPushButton:focus {{ border-width: 2.5px; padding: 6px 13px; }}
    QPushButton#preset:focus {{ padding: 3px 1px; border-width: 2px; }}
    QPushButton:checked {{ background: {theme.sheen}; color: {theme.on_sheen}; }}
    QPushButton:disabled {{ color: {theme.faint}; border-color: {theme.rule};
                            background: {theme.sheet}; }}
    QPushButton#main:disabled {{ background: {theme.rule}; border-color: {theme.rule}; }}
    QSlider::groove:horizontal {{ height: 3px; border-radius: 1px;
                                  background: {theme.strong_rule}; }}
    QSlider::sub-page:horizontal {{ height: 3px; border-radius: 1px; background: {theme.sheen}; }}
    QSlider::handle:horizontal {{ width: 9px; height: 9px; margin: -5px 0; border-radius: 6px;
                                  background: {theme.sheet}; border: 1.6px solid {theme.sheen}; }}
    QSlider::handle:horizontal:focus {{ background: {theme.sheen}; }}
    QLineEdit {{ background: {theme.sheet}; border: 1px solid {theme.strong_rule};
                 border-radius: 4px; padding: 5px 8px; color: {theme.ink}; }}
    QLineEdit:focus {{ border: 2px solid {theme.sheen}; padding: 4px 7px; }}
    QComboBox {{ background: {theme.sheet}; border: 1px solid {theme.strong_rule};
                 color: {theme.ink}; border-radius: 4px; padding: 5px 8px;
                 font-family: "{family}"; font-size: 13px; }}
    QComboBox:focus {{ border: 2px solid {theme.sheen}; padding: 4px 7px; }}
    QLineEdit:disabled, QComboBox:disabled {{ color: {theme.faint};
                                              border-color: {theme.rule}; }}
    QComboBox::drop-down {{ border: none; width: 24px; }}
    QComboBox::down-arrow {{ image: url("{_DOWN}"); width: 12px; height: 12px;
                 margin-right: 8px; }}
    QComboBox QAbstractItemView, QMenu {{ background: {theme.sheet}; color: {theme.ink};
                 border: 1px solid {theme.strong_rule}; selection-background-color: {theme.sheen};
                 selection-color: {theme.on_sheen}; }}
    QMenu::item {{ padding: 4px 18px; }}
    QMenu::item:selected {{ background: {theme.sheen}; color: {theme.on_sheen}; }}
    QListWidget {{ background: {theme.sheet}; border: none; outline: none; }}
    QHeaderView::section {{ background: {theme.sheet}; color: {theme.dim}; border: none;
                            border-bottom: 1px solid {theme.strong_rule}; padding: 4px; }}
    QProgressBar {{ background: {theme.rule}; border: none; border-radius: 3px; height: 8px;
                    color: transparent; }}
    QProgressBar::chunk {{ background: {theme.sheen}; border-radius: 3px; }}
    QScrollBar:horizontal {{ height: 9px; background: {theme.sheet}; }}
    QScrollBar:vertical {{ width: 9px; background: {theme.sheet}; }}
    QScrollBar::handle {{ background: {theme.strong_rule}; border-radius: 3px; margin: 2px;
                          min-width: 30px; min-height: 30px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QToolTip {{ background: {theme.paper}; color: {theme.ink};
                border: 1px solid {theme.strong_rule}; }}
    """
