"""Colours by role, light and dark, and the style sheet made from them. The desk has no other colours."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path

from PyQt6.QtGui import QColor, QFont, QFontDatabase

from tarnwater.brief import colours
from tarnwater.plots import Role

ICONS = (Path(__file__).parent / "icon").as_posix()


@dataclass(frozen=True)
class Theme:
    """One set of colours; ``raised`` is the ground of fields, ``chosen`` that of the selection.

    ``shade`` and ``light`` are those of a terrain.
    """

    name: str
    paper: str
    raised: str
    chosen: str
    rule: str
    ink: str
    quiet: str
    water: str
    loss: str
    rain: str
    limit: str
    observed: str
    shade: str
    light: str

    def colour(self, role: Role) -> QColor:
        """Colour of a role."""
        return QColor(getattr(self, role))


LIGHT = Theme(
    name="light",
    paper=colours.PAPER,
    raised="#FDFCF9",
    chosen="#E2EDEB",
    rule="#D8D3C7",
    ink=colours.INK,
    quiet=colours.QUIET,
    water=colours.WATER,
    loss=colours.LOSS,
    rain=colours.RAIN,
    limit=colours.LIMIT,
    observed=colours.OBSERVED,
    shade="#8C8578",
    light="#F3EFE4",
)
DARK = Theme(
    name="dark",
    paper="#1B2226",
    raised="#232C31",
    chosen="#203B3C",
    rule="#3A454B",
    ink="#E4E1D8",
    quiet="#9AA5AB",
    water="#4FB3B0",
    loss="#D9A352",
    rain="#93A3AD",
    limit="#E87460",
    observed="#B392C6",
    shade="#0E1316",
    light="#59646A",
)


@cache
def _family() -> str:
    """A family whose figures are of one width; to look through the families takes time."""
    return "DejaVu Sans" if "DejaVu Sans" in QFontDatabase.families() else "sans-serif"


def desk_font(size: float = 9.5, *, bold: bool = False) -> QFont:
    """A font whose figures are of one width."""
    font = QFont(_family())
    font.setPointSizeF(size)
    font.setBold(bold)
    return font


def style_sheet(theme: Theme) -> str:
    """The style of all widgets: paper, thin rules, no bevels."""
    t = theme
    return f"""
    QWidget {{ background: {t.paper}; color: {t.ink}; }}
    QToolTip {{ background: {t.raised}; color: {t.ink}; border: 1px solid {t.rule}; padding: 4px; }}
    QLabel[quiet="true"] {{ color: {t.quiet}; }}
    QLabel[role="doubt"] {{ color: {t.loss}; }}
    QLabel[role="stop"] {{ color: {t.limit}; }}
    QLabel[role="water"] {{ color: {t.water}; }}
    QFrame[rule="true"] {{ background: {t.rule}; border: none; }}
    QLineEdit, QComboBox, QSpinBox {{ background: {t.raised}; border: 1px solid {t.rule}; padding: 3px 5px; }}
    QLineEdit:focus, QComboBox:focus, QPushButton:focus {{ border: 1px solid {t.water}; }}
    QLineEdit[wrong="true"] {{ border: 1px solid {t.limit}; }}
    QPushButton {{ background: {t.raised}; border: 1px solid {t.rule}; padding: 4px 10px; }}
    QPushButton:hover {{ border: 1px solid {t.water}; }}
    QPushButton[flat="true"] {{ background: transparent; border: none; padding: 2px 0px; text-align: left; }}
    QPushButton[flat="true"]:focus {{ color: {t.water}; text-decoration: underline; }}
    QPushButton[here="true"] {{ color: {t.loss}; }}
    QPushButton[small="true"] {{ font-size: 8pt; color: {t.water}; padding: 0px; }}
    QPushButton:checked {{ background: {t.chosen}; border: 1px solid {t.water}; }}
    QPushButton[tab="true"] {{ border: none; border-bottom: 2px solid transparent; padding: 2px 4px; }}
    QPushButton[tab="true"]:checked {{ border-bottom-color: {t.water}; color: {t.ink}; background: {t.paper}; }}
    QPushButton[tab="true"]:focus {{ color: {t.water}; }}
    QFrame[panel="true"] {{ background: {t.raised}; border: 1px solid {t.rule}; }}
    QFrame[panel="true"] QLabel, QFrame[panel="true"] QSlider {{ background: transparent; border: none; }}
    QProgressBar {{ background: {t.rule}; border: none; }}
    QProgressBar::chunk {{ background: {t.water}; }}
    QSlider::groove:horizontal {{ height: 3px; background: {t.rule}; }}
    QSlider::sub-page:horizontal {{ height: 3px; background: {t.water}; }}
    QSlider::handle:horizontal {{ width: 11px; margin: -5px 0; border-radius: 6px; border: 2px solid {t.water};
      background: {t.paper}; }}
    QSlider::handle:horizontal:focus {{ background: {t.water}; }}
    QPlainTextEdit {{ background: {t.raised}; border: 1px solid {t.rule}; }}
    QTableView {{ background: {t.paper}; border: none; gridline-color: {t.rule}; selection-background-color: {t.chosen};
      selection-color: {t.ink}; }}
    QHeaderView {{ background: {t.paper}; }}
    QHeaderView::section {{ background: {t.paper}; border: none; border-bottom: 1px solid {t.rule}; padding: 3px 4px; }}
    QHeaderView::section:horizontal {{ color: {t.quiet}; }}
    QHeaderView::section:vertical {{ color: {t.ink}; padding-right: 8px; }}
    QTableCornerButton::section {{ background: {t.paper}; border: none; border-bottom: 1px solid {t.rule}; }}
    QListWidget {{ background: {t.raised}; border: 1px solid {t.rule}; }}
    QListWidget::item:selected {{ background: {t.chosen}; color: {t.ink}; }}
    QScrollBar:vertical {{ background: {t.paper}; width: 9px; margin: 0; }}
    QScrollBar:horizontal {{ background: {t.paper}; height: 9px; margin: 0; }}
    QScrollBar::handle {{ background: {t.rule}; border-radius: 3px; min-height: 24px; min-width: 24px; margin: 1px; }}
    QScrollBar::handle:hover {{ background: {t.quiet}; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QComboBox::drop-down {{ border: none; width: 18px; }}
    QComboBox::down-arrow {{ image: url({ICONS}/down-{t.name}.svg); width: 10px; height: 10px; }}
    QSpinBox::up-button, QSpinBox::down-button {{ border: none; width: 16px; }}
    QSpinBox::up-arrow {{ image: url({ICONS}/up-{t.name}.svg); width: 9px; height: 9px; }}
    QSpinBox::down-arrow {{ image: url({ICONS}/down-{t.name}.svg); width: 9px; height: 9px; }}
    QComboBox QAbstractItemView {{ background: {t.raised}; selection-background-color: {t.chosen};
      selection-color: {t.ink}; border: 1px solid {t.rule}; }}
    QSplitter::handle {{ background: {t.rule}; }}
    QSplitter::handle:horizontal {{ width: 1px; }}
    QSplitter::handle:vertical {{ height: 1px; }}
    QMenuBar, QMenu {{ background: {t.paper}; color: {t.ink}; }}
    QMenu::item:selected, QMenuBar::item:selected {{ background: {t.chosen}; }}
    """
