"""The units that results are shown in, chosen once for all projects."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QLabel

from ..read import shown


class UnitsDialog(QDialog):
    """A choice for each dimension; what is typed into cells may have any unit all the same."""

    def __init__(self, parent):
        super().__init__(parent)
        self.setWindowTitle("Units")
        form = QFormLayout(self)
        note = QLabel("Units that results are shown in. Cells take any unit, whatever is chosen here.")
        note.setProperty("quiet", True)
        form.addRow(note)
        self.boxes: dict[str, QComboBox] = {}
        for dimension, offered in shown.CHOICES.items():
            box = QComboBox()
            box.addItems([shown.pretty(u) or "plain" for u in offered])
            box.setCurrentIndex(offered.index(shown.unit(dimension)))
            form.addRow(dimension.capitalize(), box)
            self.boxes[dimension] = box
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)

    def accept(self) -> None:
        """Keep what was chosen."""
        for dimension, box in self.boxes.items():
            unit = shown.CHOICES[dimension][box.currentIndex()]
            if unit != shown.unit(dimension):
                shown.choose(dimension, unit)
        super().accept()
