"""A unit hydrograph from the rain and the flow of an event, pasted as two columns."""

from __future__ import annotations

from PyQt6.QtWidgets import (
    QCheckBox,
    QLineEdit,
    QPlainTextEdit,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.taking import TakingDialog
from tarnwater.desk.theme import Theme, desk_font
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.errors import BadInput, TarnwaterError
from tarnwater.formats.columns import columns_of_event
from tarnwater.network.elements import Catchment
from tarnwater.runoff.transforms import Transform
from tarnwater.runoff.transforms.from_event import EventUnit, averaged_with, unit_from_event
from tarnwater.study.pictures.event_unit import event_plot, unit_of_event_plot


class EventDialog(TakingDialog):
    """Rain and flow of each step are pasted; the flood rebuilt and the unit hydrograph are drawn as they are found."""

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme, key: str) -> None:
        element = desk.elements[key]
        assert isinstance(element, Catchment)
        super().__init__(parent, desk, key, f"Unit hydrograph of {element.name} from an event", (900, 600))
        self.element = element
        self.found: EventUnit | None = None
        system = desk.study.units
        self.step = self._field("1 h", "Step of the event")
        self.rain_unit = self._field(units.units_of("rain", system)[0], "Unit of the rain")
        self.flow_unit = self._field("cfs" if system == "US" else "m³/s", "Unit of the flow")
        self.text = QPlainTextEdit()
        self.text.setFont(desk_font(9))
        self.text.setTabChangesFocus(True)
        self.text.setAccessibleName("Rain and flow of the event")
        self.text.setPlaceholderText(
            "Two columns, a step a line:\nrain of the step, flow at its end.\n"
            "The first line is before the rain:\n0, and the flow."
        )
        self.text.textChanged.connect(self._read)
        self.mean = QCheckBox("take the mean with the present one", self)
        self.mean.setAccessibleName("Take the mean with the present unit hydrograph")
        self.mean.setVisible(element.transform.of_points)
        self.mean.toggled.connect(lambda _: self._read())
        self.flood, self.unit = PlotView("The event", theme), PlotView("Its unit hydrograph", theme)
        for words, field in (("Step", self.step), ("rain in", self.rain_unit), ("flow in", self.flow_unit)):
            self.ask(words, field)
        self.ask("", self.mean)
        self.lay_out(self._middle())
        self._read()

    def _field(self, text: str, name: str) -> QLineEdit:
        field = QLineEdit(text)
        field.setAccessibleName(name)
        field.setMaximumWidth(80)
        field.editingFinished.connect(self._read)
        return field

    def _middle(self) -> QSplitter:
        """The text beside the two plots."""
        plots, drawn = QSplitter(), QWidget()
        column = QVBoxLayout(drawn)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.flood, 1)
        column.addWidget(self.unit, 1)
        plots.addWidget(self.text)
        plots.addWidget(drawn)
        plots.setSizes([260, 620])
        return plots

    def _read(self) -> None:
        self.found = None
        if not self.text.toPlainText().strip():
            self.wait("")
            for plot in (self.flood, self.unit):
                plot.show_plot(None, "It appears when rain and flow are pasted.")
            return
        try:
            self.found = self._made()
            self._transform()
        except TarnwaterError as error:
            self.found = None
            self.refuse(error)
            return
        system = self.desk.study.units
        self.flood.show_plot(event_plot(self.found, system))
        self.unit.show_plot(unit_of_event_plot(self.found, system))
        self.ready(
            "The loss is the constant rate that leaves what ran off; baseflow is the straight line from the first to "
            "the last flow."
        )

    def _made(self) -> EventUnit:
        if self.element.area.value is None:
            raise BadInput("the area is missing.", where=self.element.name, remedy="Type the area first.")
        step = units.parse(self.step.text(), "time", default="min")
        rain, flow = columns_of_event(self.text.toPlainText(), self.rain_unit.text(), self.flow_unit.text())
        return unit_from_event(rain, flow, self.element.area.value, step)

    def _transform(self) -> Transform:
        assert self.found is not None
        unit = self.found.unit
        return averaged_with(self.element.transform, unit) if self.mean.isChecked() else unit

    def keep(self) -> None:
        """Take the unit hydrograph as the transform of the catchment."""
        if self.found is not None and self.desk.choose(self.key, "transform", self._transform()):
            self.accept()
