"""The area of the selected catchment by travel time, with its zones on the map."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tarnwater.desk.benches.ground.canvas import MapCanvas
from tarnwater.desk.benches.ground.zones import ZonesOnMap
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme
from tarnwater.desk.travel import use_travel_times
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.study.pictures.travel import TravelPicture, travel_picture


class TravelView(QWidget):
    """The histogram; the bar that is read is the zone that stands out on the map."""

    def __init__(self, desk: Desk, theme: Theme, canvas: MapCanvas) -> None:
        super().__init__()
        self.desk, self._canvas = desk, canvas
        #: What was asked last: element, ground, units and step; and what was found.
        self._asked: tuple[object, ...] | None = None
        self._found: TravelPicture | None = None
        self.plot = PlotView("Area by travel time", theme)
        self.plot.read_at.connect(self._show_zone)
        self.use = QPushButton("Use as unit hydrograph")
        self.use.setAccessibleName("Use the travel times as unit hydrograph")
        self.use.setToolTip("the selected catchments take their travel times as unit hydrograph   Ctrl+Shift+Y")
        self.use.clicked.connect(lambda: use_travel_times(desk))
        # the plot is low and wide, so what can be done with it stands beside it
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 10, 0)
        row.addWidget(self.plot, 1)
        beside = QVBoxLayout()
        beside.addWidget(self.use)
        beside.addStretch(1)
        row.addLayout(beside)

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.plot.set_theme(theme)

    def leave(self) -> None:
        """Take the zones off the map."""
        self._show_zones(None)

    def refresh(self) -> None:
        """Show the travel times of the selected catchment, found in a thread where they are not known yet."""
        desk, drainage, network, key = (
            self.desk,
            self.desk.ground.drainage,
            self._canvas.scene.network,
            self.desk.selection,
        )
        study, blobs = desk.study, desk.file.blobs
        name = study.name_of(key) if key else "what is selected"
        nothing = f"No ground of {name}: select a catchment that lies on the terrain."
        element = network.elements.get(key)
        self.use.setEnabled(drainage is not None and element is not None)
        if drainage is None or element is None:
            self._asked = None
            self.plot.show_plot(None, nothing)
            self._show_zones(None)
            return
        asked = element, drainage, study.units, study.run.step.value
        if self._asked is not None and all(a is b or a == b for a, b in zip(asked, self._asked, strict=True)):
            self._show_zones(self._found)
            return
        self._asked, self._found = asked, None

        def done(picture: TravelPicture | None) -> None:
            if self._asked is asked:
                self._found = picture
                self.plot.show_plot(None if picture is None else picture.plot, nothing)
                self._show_zones(picture if self.isVisible() else None)

        def failed(error: BaseException) -> None:
            self._asked = None
            desk.fault(error)

        self._show_zones(None)
        self.plot.show_plot(None, f"Following the water of {name} …")
        desk.aside.run(lambda _: travel_picture(study, network, blobs, drainage, key), done, failed)

    def _show_zone(self, at: float | None) -> None:
        """Let the zone stand out on the map whose bar is read."""
        zones = self._canvas.hand.zones
        if zones is not None and zones.choose(None if at is None else zones.picture.zone_at(at)):
            self._canvas.update()

    def _show_zones(self, picture: TravelPicture | None) -> None:
        """Show zones on the map, or none."""
        shown = self._canvas.hand.zones
        if (None if shown is None else shown.picture) is not picture:
            self._canvas.hand.zones = None if picture is None else ZonesOnMap(picture)
            self._canvas.update()
