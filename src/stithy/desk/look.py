"""Palette, fonts and style sheet."""

from __future__ import annotations

import re
from importlib import resources

import numpy as np
from PyQt6.QtGui import QColor, QFont, QFontDatabase

PAPER, SHEET, SHELF = "#F4F1EA", "#FBFAF7", "#F7F4EE"
INK, INK2, RULE, HAIR = "#23282D", "#5B636B", "#D9D4C8", "#EDE9E0"
#: faces that are chosen
FACE = "#C8AF8A"
EMBER, STRAW, SLATE, TEAL, CHOSEN = "#C8501E", "#E0A23C", "#3E5361", "#14545E", "#F0E6DA"

SCALES = {
    "temperature": ("#1E2A35", "#3B4A57", "#7A4A3A", "#B5502B", "#E08A3C", "#F2C879", "#FBF3DC"),
    "speed": ("#BFD6D2", "#7FB0AE", "#3E8288", "#14545E", "#0B2E38"),
    "pressure": ("#F3EEF2", "#C9B5C9", "#94779A", "#5F4670", "#2E2142"),
    "flux": ("#F4EFD9", "#DDB96B", "#B9792F", "#7D3F1D", "#3F1A10"),
    "time": ("#EEF1E3", "#B9C7A2", "#7F9772", "#4C6A50", "#22392D"),
    "plain": ("#F1EEE6", "#C9C3B4", "#968F80", "#5F5A50", "#2B2925"),
    "difference": ("#1F4A57", "#6D97A0", "#F1EEE6", "#DB9468", "#A23C12"),
}
#: which colours quantities of a dimension are painted in
FAMILIES = {
    "temperature": "temperature",
    "temperature difference": "temperature",
    "velocity": "speed",
    "pressure": "pressure",
    "heat flux": "flux",
    "heat transfer coefficient": "flux",
    "time": "time",
    "specific energy": "time",
    "dissipation rate": "time",
    "frequency": "time",
}


def family(quantity) -> str:
    """The colours that a quantity is painted in."""
    if quantity.name.startswith("difference"):
        return "difference"
    return FAMILIES.get(quantity.dimension, "plain")


FAMILY = "Barlow Semi Condensed"


def scale_table(name: str, steps: int = 256) -> np.ndarray:
    """RGBA bytes (steps, 4) of a colour scale, stops equally spaced."""
    stops = np.array([QColor(c).getRgb()[:3] for c in SCALES[name]], float)
    x = np.linspace(0, len(stops) - 1, steps)
    rgb = np.stack([np.interp(x, np.arange(len(stops)), stops[:, c]) for c in range(3)], -1)
    return np.concatenate([rgb, np.full((steps, 1), 255.0)], -1).round().astype(np.uint8)


def lightness(colour: str) -> float:
    """CIE relative luminance of a colour, 0 to 1."""
    rgb = np.array(QColor(colour).getRgbF()[:3])
    linear = np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)
    return float(linear @ (0.2126, 0.7152, 0.0722))


def load_fonts() -> None:
    """Register the fonts that come with the program."""
    for weight in (400, 500, 600):
        data = resources.files("stithy.data").joinpath(f"fonts/barlow-semi-condensed-{weight}.ttf").read_bytes()
        QFontDatabase.addApplicationFontFromData(data)


def font(px: float = 13, weight: int = 400) -> QFont:
    """The program's font at a pixel size, tabular figures."""
    f = QFont(FAMILY)
    f.setPixelSize(round(px))
    f.setWeight(QFont.Weight(weight))
    f.setHintingPreference(QFont.HintingPreference.PreferVerticalHinting)
    return f


STYLE = f"""
* {{ font-family: "{FAMILY}"; font-size: 14px; color: {INK}; }}
QMainWindow, QWidget#root {{ background: {SHEET}; }}
QWidget#shelf {{ background: {SHELF}; }}
QWidget#bench {{ background: {PAPER}; }}
QLabel {{ background: transparent; }}
QLabel[quiet="true"] {{ color: {INK2}; font-size: 12px; }}
QLabel[warn="true"] {{ color: {EMBER}; font-size: 12px; }}
QLineEdit, QComboBox {{ background: #FFFFFF; border: 1px solid {RULE}; border-radius: 4px; padding: 3px 8px;
  selection-background-color: {CHOSEN}; selection-color: {INK}; }}
QLineEdit:focus, QComboBox:focus {{ border-color: {INK}; }}
QComboBox::drop-down {{ border: 0; width: 16px; }}
QPushButton {{ background: {SHEET}; border: 1px solid {RULE}; border-radius: 4px; padding: 4px 12px; }}
QPushButton:hover {{ border-color: {INK2}; }}
QPushButton:focus {{ border-color: {INK}; }}
QPushButton:checked {{ background: #FFFFFF; border: 1px solid {INK}; }}
QPushButton:disabled {{ color: #A9A79F; }}
QPushButton[stage="true"] {{ background: transparent; border: 0; padding: 5px 12px; }}
QPushButton[stage="true"]:checked {{ background: {INK}; color: #FFFFFF; }}
QPushButton[primary="true"] {{ background: {EMBER}; border-color: {EMBER}; color: #FFFFFF; font-weight: 600; padding:
5px 16px; }} QPushButton[primary="true"]:disabled {{ background: {RULE}; border-color: {RULE}; }}
QTableView {{ background: {SHEET}; border: 0; gridline-color: {HAIR}; selection-background-color: {CHOSEN};
  selection-color: {INK}; outline: 0; }}
QTableView::item {{ border-bottom: 1px solid {HAIR}; padding: 0 6px; }}
QTableView::item:selected {{ background: {CHOSEN}; color: {INK}; }}
QListWidget {{ background: {SHEET}; border: 1px solid {RULE}; border-radius: 4px; outline: 0; }}
QListWidget::item {{ padding: 3px 8px; border-bottom: 1px solid {HAIR}; }}
QListWidget::item:selected {{ background: {CHOSEN}; color: {INK}; }}
QHeaderView {{ background: {SHEET}; border: 0; }}
QHeaderView::section {{ background: {SHEET}; border: 0; border-bottom: 1px solid {INK}; padding: 4px 6px; color: {INK2};
  font-size: 12px; }}
QScrollBar:vertical {{ background: transparent; width: 9px; }}
QScrollBar:horizontal {{ background: transparent; height: 9px; }}
QScrollBar::handle {{ background: {RULE}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QToolTip {{ background: {INK}; color: #FFFFFF; border: 0; padding: 4px 6px; }}
QMenu {{ background: {SHEET}; border: 1px solid {RULE}; }}
QMenu::item {{ padding: 4px 18px; }}
QMenu::item:selected {{ background: {CHOSEN}; }}
QMenu::item:disabled {{ color: #A9A79F; }}
QSlider::groove:horizontal {{ height: 2px; background: {INK2}; }}
QSlider::handle:horizontal {{ width: 8px; margin: -7px 0; background: {INK}; border-radius: 2px; }}
QProgressBar {{ border: 0; background: {HAIR}; height: 4px; border-radius: 2px; }}
QProgressBar::chunk {{ background: {SLATE}; border-radius: 2px; }}
QSplitter::handle {{ background: {RULE}; }}
"""


#: a hyphen that stands for less: before a number that nothing stands right before, or in its exponent
_MINUS = re.compile(r"(?<![A-Za-z0-9])-(?=[\d.])|(?<=\de)-(?=\d)")


def minus(text: str) -> str:
    """Text with true minus signs before numbers; hyphens in words stay."""
    return _MINUS.sub("−", text)


def cell_text(text: str) -> str:
    """A cell as it is shown: true minus, degree sign, squares and cubes."""
    for a, b in (("degC", "°C"), ("m2", "m²"), ("m3", "m³"), ("s2", "s²")):
        text = text.replace(a, b)
    return minus(text)
