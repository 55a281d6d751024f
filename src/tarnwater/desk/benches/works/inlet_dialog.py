"""Pipes for several inlet areas at once: catchments are ticked, and each gets the size that carries its flow."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLineEdit, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.taking import TakingDialog
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.listing import Listing
from tarnwater.desk.widgets.ticked_list import TickedList
from tarnwater.errors import TarnwaterError
from tarnwater.routing.works.culvert_design import culvert_check, full_flow
from tarnwater.routing.works.made import made_pipes
from tarnwater.study.answers.inlet_pipes import PipeRun, inlet_areas, inlet_pipes
from tarnwater.study.document.works import CulvertWorks
from tarnwater.study.edits.channels import add_inlet_pipes


class InletDialog(TakingDialog):
    """Ticked catchments, how the pipes are laid, and the pipe of each with what it carries."""

    def __init__(self, parent: QWidget, desk: Desk) -> None:
        """The selected catchment is ticked at first."""
        super().__init__(parent, desk, "", "Pipes for inlet areas", (760, 460))
        self.areas = inlet_areas(desk.study, desk.results)
        self.pipes: list[CulvertWorks] = []
        run, system = PipeRun(), desk.study.units
        size = self._size_unit
        self.length = self._field("Length of each pipe", "30 m" if system == "SI" else "100 ft")
        self.slope = self._field("Slope of each pipe", "1 %")
        self.roughness = self._field("Roughness of each pipe", f"{run.roughness:g}")
        self.ask("length", self.length)
        self.ask("slope", self.slope)
        self.ask("roughness", self.roughness)
        # Enter in a field sizes the pipes again; Ctrl+Enter takes them
        again = QPushButton("Size")
        again.setAccessibleName("Size the pipes")
        again.setDefault(True)
        again.clicked.connect(lambda _=False: self._size())
        self.ask("", again)
        made = (f"{units.to_unit(one, size, 'length'):.4g} {size}" for one in made_pipes(system))
        self.sizes = QLineEdit(", ".join(made))
        self.sizes.setAccessibleName("Sizes that are made")
        self.sizes.setCursorPosition(0)
        self.sizes.editingFinished.connect(self._size)
        self.listed = TickedList()
        self.listed.setAccessibleName("Inlet areas that get a pipe")
        for area in self.areas:
            item = QListWidgetItem(area.name, self.listed)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if area.key == desk.selection else Qt.CheckState.Unchecked)
        self.listed.setCurrentRow(0)
        self.listed.itemChanged.connect(lambda _: self._size())
        heads = ("inlet area", "area", "flow", "diameter", "carries full", "headwater above its invert")
        self.rows = Listing("Pipes of the inlet areas", heads, right=range(1, len(heads)))
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(Words("catchments without a pipe or culvert; Space ticks, Ctrl+A ticks or clears", quiet=True))
        column.addWidget(self.listed, 2)
        column.addWidget(Words("diameters that are made", quiet=True))
        column.addWidget(self.sizes)
        column.addWidget(self.rows, 3)
        self.lay_out(middle)
        self._size()

    @property
    def _size_unit(self) -> str:
        """The unit of diameters."""
        return "mm" if self.desk.study.units == "SI" else "in"

    def _field(self, name: str, text: str) -> QLineEdit:
        field = QLineEdit(text)
        field.setAccessibleName(name)
        field.setFixedWidth(80)
        field.editingFinished.connect(self._size)
        return field

    def _run(self) -> PipeRun:
        length, size = "m" if self.desk.study.units == "SI" else "ft", self._size_unit
        return PipeRun(
            units.parse(self.length.text(), "length", default=length),
            units.parse(self.slope.text(), "slope", default="%"),
            units.parse(self.roughness.text(), "factor"),
            tuple(sorted(units.listed(self.sizes.text(), "length", default=size))),
        )

    def _size(self) -> None:
        """Size the pipes of the ticked catchments, and show them."""
        ticked = [
            area for row, area in enumerate(self.areas)
            if (item := self.listed.item(row)) is not None and item.checkState() == Qt.CheckState.Checked
        ]  # fmt: skip
        self.pipes = []
        try:
            self.pipes = inlet_pipes(self.desk.study, ticked, self._run())
        except TarnwaterError as error:
            self.rows.show_rows([])
            self.refuse(error)
            return
        system = self.desk.study.units
        flows = [area.carried.flow for area in ticked if area.carried is not None]
        unit, size = units.display_unit("flow", flows, system), self._size_unit
        self.rows.show_rows([
            [
                area.name, "" if area.area is None else units.show(area.area, "area", system),
                units.show(flow, "flow", unit=unit), units.show(pipe.barrel.barrel.height, "length", unit=size),
                units.show(full_flow(pipe.barrel), "flow", unit=unit),
                units.show(culvert_check(pipe.barrel, flow).level - pipe.barrel.bottom, "length", system),
            ]
            for area, flow, pipe in zip(ticked, flows, self.pipes, strict=True)
        ])  # fmt: skip
        count = "1 pipe," if len(self.pipes) == 1 else f"{len(self.pipes)} pipes, each"
        self.ready(
            f"{count} of the smallest size that carries its flow full on its slope; "
            "water may stand above its crown at the inlet."
        )

    def keep(self) -> None:
        """Add the pipes to the study, as one act."""
        if self.pipes and self.desk.do(add_inlet_pipes, self.pipes):
            self.accept()
