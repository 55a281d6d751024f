"""The stream threshold area, dragged or typed."""

from __future__ import annotations

import math

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QSlider, QVBoxLayout

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.quantity_field import QuantityField
from tarnwater.errors import TarnwaterError
from tarnwater.study.document import Terrain
from tarnwater.study.pictures.map import FEWEST_STREAM_CELLS

#: Steps of the slider for each tenfold area.
STEPS = 100


#: Letters of a name that fit the panel.
LETTERS = 14


def desk_name(name: str) -> str:
    """A name cut to the width of the panel."""
    return name if len(name) <= LETTERS else f"{name[: LETTERS - 1]}…"


class StreamThreshold(QFrame):
    """A slider over the areas from a few cells to the whole terrain, and a field for the exact one.

    Dragging draws the streams again; letting go is the edit.
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setProperty("panel", True)
        self.desk = desk
        self._slider = QSlider(Qt.Orientation.Horizontal)
        self._slider.setAccessibleName("Area that makes a stream")
        self._slider.setMinimumWidth(150)
        self._slider.valueChanged.connect(self._slid)
        self._slider.sliderReleased.connect(self._commit)
        self._field = QuantityField("", self._typed, desk.told.emit, "area that makes a stream")
        self._field.setFixedWidth(78)
        self._unit = Words("", quiet=True, size=8)
        self._radius = QuantityField("", self._radius_typed, desk.told.emit, "distance within which outlets snap")
        self._radius.setFixedWidth(78)
        self._radius_unit = Words("", quiet=True, size=8)
        self._filled = Words("", quiet=True, size=8)
        self._parts = QuantityField("", self._divide, desk.told.emit, "size of the parts to divide into")
        self._parts.setFixedWidth(78)
        self._parts_unit = Words("", quiet=True, size=8)
        self._parts_of = Words("", quiet=True, size=8)
        row = QHBoxLayout()
        row.addWidget(self._field)
        row.addWidget(self._unit)
        row.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 6, 10, 6)
        layout.setSpacing(3)
        layout.addWidget(Words("Stream threshold area", quiet=True, size=8))
        layout.addWidget(self._slider)
        layout.addLayout(row)
        layout.addWidget(Words("Outlets snap to a stream within", quiet=True, size=8))
        near = QHBoxLayout()
        near.addWidget(self._radius)
        near.addWidget(self._radius_unit)
        near.addStretch(1)
        layout.addLayout(near)
        layout.addWidget(self._filled)
        layout.addWidget(self._parts_of)
        parts = QHBoxLayout()
        parts.addWidget(self._parts)
        parts.addWidget(self._parts_unit)
        parts.addStretch(1)
        layout.addLayout(parts)

    @property
    def slider(self) -> QSlider:
        """The slider."""
        return self._slider

    def refresh(self) -> None:
        """Show the study's threshold."""
        terrain = self.desk.study.terrain
        self.setVisible(terrain is not None)
        if terrain is None or self._slider.isSliderDown():
            return
        cell = terrain.cell_width * terrain.cell_height
        self._slider.blockSignals(True)
        self._slider.setRange(
            math.ceil(STEPS * math.log10(FEWEST_STREAM_CELLS * cell)),
            math.floor(STEPS * math.log10(terrain.rows * terrain.columns * cell)),
        )
        self._slider.setValue(round(STEPS * math.log10(terrain.stream_threshold)))
        self._slider.blockSignals(False)
        self._show(terrain.stream_threshold)
        unit = "ft" if self.desk.study.units == "US" else "m"
        self._radius.show_value(units.rounded(units.to_unit(terrain.snap_radius, unit, "length")))
        self._radius_unit.setText(unit)
        count = terrain.depressions_filled
        doubtful = len(terrain.depressions)
        told = f"filled depressions: {count}, {doubtful} to check" if count else "no filled depressions"
        self._filled.setText(told)
        chosen = self._chosen_outlet()
        of = desk_name(self.desk.study.outlets[chosen].name) if chosen else "all catchments"
        self._parts_of.setText(f"Divide {of} into parts of about")
        self._parts_unit.setText("mi²" if self.desk.study.units == "US" else "km²")
        for widget in (self._parts, self._parts_unit, self._parts_of):
            widget.setVisible(bool(self.desk.study.outlets))

    def _chosen_outlet(self) -> str:
        """Key of the outlet of the selected element; empty if it has none."""
        return self.desk.study.outlet_of(self.desk.selection) or ""

    def _divide(self, text: str) -> str:
        if not text.strip():
            return ""
        try:
            size = units.parse(text, "area", default=self._parts_unit.text())
        except TarnwaterError as error:
            return str(error)
        chosen = self._chosen_outlet()
        self.desk.ground.divide(size, [chosen] if chosen else [])
        return ""

    def _show(self, area: float) -> None:
        unit = units.display_unit("area", area, self.desk.study.units)
        self._field.show_value(units.rounded(units.to_unit(area, unit, "area")))
        self._unit.setText(unit)

    def _slid(self, value: int) -> None:
        area = 10.0 ** (value / STEPS)
        self._show(area)
        self.desk.ground.show_streams(area)
        if not self._slider.isSliderDown():
            self._commit()

    def _commit(self) -> None:
        self.desk.ground.set_threshold(float(f"{10.0 ** (self._slider.value() / STEPS):.3g}"))

    def _radius_typed(self, text: str) -> str:
        try:
            radius = units.parse(text, "length", default=self._radius_unit.text())
            Terrain.model_fields["snap_radius"].metadata[-1].check(radius, "distance within which outlets snap")
        except TarnwaterError as error:
            return str(error)
        self.desk.ground.set_snap_radius(radius)
        return ""

    def _typed(self, text: str) -> str:
        try:
            area = units.parse(text, "area", default=self._unit.text())
            Terrain.model_fields["stream_threshold"].metadata[-1].check(area, "area that makes a stream")
        except TarnwaterError as error:
            return str(error)
        self.desk.ground.set_threshold(area)
        return ""
