"""The page of channels and ditches: every one with its depth and velocity, and one unknown solved."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QComboBox, QLineEdit, QPushButton

from tarnwater import units
from tarnwater.brief.channel_tables import channels_table
from tarnwater.brief.text_table import TextTable
from tarnwater.desk.benches.works.design_page import DesignPage
from tarnwater.desk.benches.works.works_form import Choice
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.errors import BadInput, TarnwaterError
from tarnwater.network.elements import Reach
from tarnwater.parameters import typed
from tarnwater.routing.channels import design
from tarnwater.study.answers.channel_table import ChannelRow, channel_rows
from tarnwater.study.document.works import ChannelWorks
from tarnwater.study.edits.channels import lay_channel
from tarnwater.study.pictures.channel import capacity_plot, channel_drawing, channel_profile

#: Unknowns that can be solved, with their words.
UNKNOWNS = {
    "width-and-depth": "width and depth for the velocity", "bottom_width": "bottom width", "slope": "slope",
    "roughness": "roughness", "diameter": "diameter", "top_width": "top width", "side_slope": "side slope",
}  # fmt: skip


class ChannelsPage(DesignPage):
    """Channels that are designed, and the reaches of the network with a section."""

    kind = "channels"
    word = "channel"
    empty = (
        "Ditches and channels appear here, with the flow of the case that governs them: depth, velocity, freeboard, "
        "and whether they scour or spill. Select the element whose flow one carries, and add it."
    )

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(desk, theme)
        self.unknown = QComboBox()
        self.unknown.setAccessibleName("Unknown")
        for name, words in UNKNOWNS.items():
            self.unknown.addItem(words, name)
        self.unknown.activated.connect(lambda _: self._offer_depth())
        self.at_depth = QLineEdit()
        self.at_depth.setAccessibleName("Depth of the flow")
        self.at_depth.setPlaceholderText("at a depth")
        self.at_depth.setFixedWidth(80)
        self.at_depth.returnPressed.connect(self.solve)
        self.solving = QPushButton("Solve")
        self.solving.setAccessibleName("Solve the unknown")
        self.solving.clicked.connect(lambda _=False: self.solve())
        self.profile = PlotView("Profile of the channel", theme)
        self.profile.hide()
        self.figures.addWidget(self.profile)
        for widget in (Words("solve", quiet=True), self.unknown, self.at_depth, self.solving):
            self.heads.addWidget(widget)
        self._offer_depth()

    def _offer_depth(self) -> None:
        self.at_depth.setVisible(self.unknown.currentData() != "width-and-depth")

    def find_rows(self) -> list[Any]:
        """All channels and reaches."""
        return list(channel_rows(self.desk.study, self.desk.results))

    def table_of(self, rows: list[Any]) -> TextTable:
        """Their table."""
        return channels_table(self.desk.study, rows)

    def key_of(self, row: Any) -> str:
        """A reach is designed with its method; only a channel has a form here."""
        return row.key if row.designed else ""

    def show_row(self, row: Any) -> None:
        """Its section and its capacity."""
        assert isinstance(row, ChannelRow)
        study = self.desk.study
        why = "the reach has no section: choose a method with one, or add a channel that carries its flow."
        self.drawing.show_drawing(channel_drawing(study, row), why)
        self.plot.show_plot(capacity_plot(study, row), "")
        along = channel_profile(study, row)
        self.profile.setVisible(along is not None)
        if along is not None:
            self.profile.show_plot(along, "")

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        super().set_theme(theme)
        self.profile.set_theme(theme)

    def further(self) -> list[Choice]:
        """The line of the map along which the chosen channel lies."""
        works, study = self.works, self.desk.study
        lines = {key: one.name for key, one in study.ground_features.items() if one.drawn_as == "line"}
        laid = works.laid if isinstance(works, ChannelWorks) else None
        return [Choice("laid", "along", {"": "no line", **lines}, "" if laid is None else laid.line)]

    def write(self, path: str, value: Any) -> str:
        """Set a value, or lay the channel along another line."""
        return self.lay(str(value)) if path == "laid" else super().write(path, value)

    def lay(self, line: str) -> str:
        """Lay the chosen channel along a line of the map (key of a feature), or along none; returns what is wrong."""
        desk, drainage = self.desk, self.desk.ground.drainage
        if drainage is None:
            return "the terrain is still being opened. Try again in a moment."
        given = desk.file.blobs, drainage.grid, self.key, line
        try:
            lay_channel(desk.study, *given)
        except TarnwaterError as error:
            # what was refused does not stay chosen
            self._show_chosen()
            return str(error)
        desk.do(lay_channel, *given, **desk.stamp())
        return ""

    def made(self, name: str) -> ChannelWorks:
        """A ditch for the selected element, on the slope of it where it is a reach."""
        element = self.desk.elements.get(self.carried)
        slope = element.slope.value if isinstance(element, Reach) else None
        if slope is None or slope <= 0:
            return ChannelWorks(name=name, element=self.carried)
        return ChannelWorks(name=name, element=self.carried, slope=typed(slope))

    def solve(self) -> None:
        """Find the unknown for the flow that governs, and set it."""
        row, works = self.row, self.works
        if not isinstance(works, ChannelWorks) or not isinstance(row, ChannelRow):
            self._tell("Choose a channel first.")
            return
        try:
            values = self._solved(works, row)
        except TarnwaterError as error:
            error.in_units(self.desk.study.units)
            self._tell(str(error))
            return
        self._tell("")
        self.set_values(values, f"solved: {self.unknown.currentText()}")

    def _solved(self, works: ChannelWorks, row: ChannelRow) -> tuple[tuple[str, Any], ...]:
        if row.carried is None:
            raise BadInput("its flow is unknown.", where=works.name, remedy="Type it, or compute a storm first.")
        unknown, held = str(self.unknown.currentData()), works.slope.value
        if held is None and unknown != "slope":
            raise BadInput("its slope is unknown.", where=works.name, remedy="Type it, or solve it first.")
        slope = 0.0 if held is None else held
        unit = units.units_of("height", self.desk.study.units)[0]
        text = self.at_depth.text().strip()
        depth = units.parse(text, "length", default=unit) if text else None
        if depth is None and unknown != "width-and-depth":
            depth = works.section.depth - works.freeboard
        section, slope = design.solved(works.section, unknown, row.carried.flow, slope, depth, works.allowed)
        if unknown == "slope":
            return (("slope", slope),)
        if unknown == "width-and-depth":
            # the banks stand above the water by the freeboard
            section = section.model_copy(update={"bank_height": section.depth + works.freeboard})
        return (("section", section),)
