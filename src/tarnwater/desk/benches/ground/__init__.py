"""The Ground bench: the map, on which outlets and links are drawn, and the long profile of the selected path."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QResizeEvent, QShortcut
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tarnwater.desk.benches.bench import Bench
from tarnwater.desk.benches.ground.canvas import MapCanvas
from tarnwater.desk.benches.ground.hand import Place, Tool
from tarnwater.desk.benches.ground.land_legend import LandLegend
from tarnwater.desk.benches.ground.layer_acts import LayerActs
from tarnwater.desk.benches.ground.layers_panel import LayersPanel
from tarnwater.desk.benches.ground.legend import MapLegend
from tarnwater.desk.benches.ground.outline_tools import HOW, TOOLS, OutlineKind
from tarnwater.desk.benches.ground.theme_legend import ThemeLegend
from tarnwater.desk.benches.ground.threshold import StreamThreshold
from tarnwater.desk.desk import Desk
from tarnwater.desk.land import LandOnMaps
from tarnwater.desk.outlines import OutlineActs
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.bringing import Bringing
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.sheet import Column, Sheet, SheetModel
from tarnwater.errors import TarnwaterError
from tarnwater.formats.kinds import kind_of_background
from tarnwater.network.elements import Catchment, Confluence
from tarnwater.study import edits
from tarnwater.study.edits.map import move_label
from tarnwater.study.pictures.map import hypsometric_plot, path_of, profile_plot
from tarnwater.terrain.features import GroundFeature

if TYPE_CHECKING:
    from tarnwater.brief.ground import GroundRow
    from tarnwater.desk.benches.ground.boundaries import Boundaries
    from tarnwater.desk.benches.ground.ground_changes import GroundChanges
    from tarnwater.desk.benches.ground.land_view import LandView
    from tarnwater.desk.benches.ground.travel_view import TravelView
    from tarnwater.desk.widgets.plot_view import PlotView
    from tarnwater.study.edits.outlines import MeasuredOutlines

SHAPE_FILES = "Vector files and drawings (*.gpkg *.shp *.geojson *.json *.dxf);;All files (*)"

#: Lines of text for which the table of cover and soil has room.
LAND_LINES = 17

LAND_FILES = "Maps of cover or soil (*.gpkg *.shp *.geojson *.json *.dxf *.tif *.tiff *.asc);;All files (*)"

TERRAIN_FILES = "Elevation grids (*.tif *.tiff *.asc);;All files (*)"

HINTS = {
    "": "Wheel zooms · drag pans · click selects · arrows follow the water · drag an outlet to move it",
    "outlet": "Click (or move the cross by arrows, Enter) drops an outlet · Esc leaves the tool",
    "link": "Drag to the element that one drains into, or to open ground · Ctrl+L by name · Esc leaves the tool",
}


HOW_DRAWN = "click at each place (arrows and Space), twice at the last (Enter) · Backspace takes one back · Esc leaves"

HOW_PLACED = "click (or arrows, Enter) · Esc leaves"

#: Columns of the sheet of measures.
MEASURES = (
    Column("area", "area"),
    Column("perimeter", "perimeter"),
    Column("relief", "relief"),
    Column("mean slope", "mean_slope"),
    Column("flow path", "flow_length"),
    Column("its slope", "path_slope"),
    Column("10-85 slope", "slope_10_85"),
    Column("to the middle", "centroid_length"),
    Column("stream density", "drainage_density"),
)

FIRST_PROFILE = "The long profile appears when the terrain is open."

FIRST_HINT = "O drops an outlet on a stream: its catchment follows · wheel zooms · drag pans"


class GroundBench(Bench):
    """The map with its tools and the stream threshold above, the profile below."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__(desk, theme)
        self.setAcceptDrops(True)
        self.canvas = MapCanvas(desk, theme)
        self.threshold = StreamThreshold(desk)
        self.outlet_button = QPushButton("Outlet   O")
        self.link_button = QPushButton("Link   L")
        self.outline_button = QPushButton("Outline   N")
        self.outline_button.setCheckable(True)
        self.outline_button.clicked.connect(self.ask_outline)
        self._outlines = QMenu(self)
        for kind, tool in TOOLS.items():
            entry = self._outlines.addAction(f"{tool.words}   {tool.letter}")
            assert entry is not None
            entry.triggered.connect(partial(self._take, "outline", kind))
        merging = self._outlines.addAction("Merge the chosen catchments   M")
        assert merging is not None
        merging.triggered.connect(lambda: self._merge())
        for words, act in (
            ("Divide the flow path into sheet, shallow, channel", "divide_flow_path"),
            ("Take the flow path as a whole", "join_flow_path"),
            ("Leave the flow path to the terrain", "undraw_flow_path"),
        ):
            entry = self._outlines.addAction(words)
            assert entry is not None
            entry.triggered.connect(partial(self._change_path, act))
        self._whole_button = QPushButton("Whole map   Home")
        self.feature_button = QPushButton("Ground feature   G")
        self.feature_button.setCheckable(True)
        self.feature_button.clicked.connect(self.ask_feature)
        self._features = QMenu(self)
        for tag, model in GroundFeature.known.items():
            entry = self._features.addAction(f"{model.title[:1].upper()}{model.title[1:]}   {model.letter}")
            assert entry is not None
            entry.setToolTip(model.meaning)
            entry.triggered.connect(partial(self._take, "feature", tag))
        for button, name in (
            (self.outlet_button, "Drop an outlet"),
            (self.link_button, "Draw a link"),
            (self.outline_button, "Draw or change an outline"),
            (self.feature_button, "Draw a feature of the ground"),
            (self._whole_button, "Show the whole map"),
        ):
            button.setAccessibleName(name)
        self.layers_button = QPushButton("Layers   Y")
        self.layers_button.setAccessibleName("Show the layers of the map")
        self.layers_button.setCheckable(True)
        self.layers_button.toggled.connect(self._show_layers)
        self.theme_legend = ThemeLegend(theme)
        self.theme_legend.setParent(self.canvas)
        self.theme_legend.hide()
        self.canvas.themes.changed.connect(self._show_theme)
        self.land_legend = LandLegend(theme)
        self.land_legend.setParent(self.canvas)
        self.canvas.layers.changed.connect(self._show_land_legend)
        self.legend = MapLegend(theme)
        self.legend.setParent(self.canvas)
        self.legend.hide()
        self.legend_button = QPushButton("Legend")
        self.legend_button.setAccessibleName("Show the legend of the map")
        self.legend_button.setCheckable(True)
        self.legend_button.toggled.connect(self._show_legend)
        self.outlet_button.setCheckable(True)
        self.link_button.setCheckable(True)
        self.outlet_button.clicked.connect(lambda: self._take("outlet"))
        self.link_button.clicked.connect(lambda: self._take("link"))
        self._whole_button.clicked.connect(self.canvas.show_whole)
        self._empty = Bringing(
            desk,
            "No terrain yet. Import an elevation grid (GeoTIFF or ASCII), or outlines of catchments\n"
            "(GeoPackage, shapefile, GeoJSON, DXF): open them, or drop their files here.\n"
            "Without a map: Insert adds a catchment, and four typed numbers give a peak.",
            (
                ("Open a terrain …   Ctrl+T", "Open a terrain", self.open_terrain),
                ("Import shapes …   Ctrl+Shift+I", "Import shapes", self.import_shapes),
                ("Add a catchment   Insert", "Add a catchment without a map", self._add_catchment),
            ),
        )
        self._hint = Words("", quiet=True, size=8)
        self._said = Words("", size=8.5)
        self.profile_tab, self.changes_tab = QPushButton("Long profile"), QPushButton("Ground changes")
        self.measures_tab, self.heights_tab = QPushButton("Measures"), QPushButton("Heights")
        self.land_tab, self.boundaries_tab = QPushButton("Cover and soil"), QPushButton("Boundaries")
        self.travel_tab = QPushButton("Travel time")
        self._lay_out()
        canvas = self.canvas
        canvas.feature_drawn.connect(self._add_feature)
        canvas.feature_chosen.connect(self._choose_feature)
        canvas.tool_changed.connect(self._show_tool)
        canvas.outlet_asked.connect(self._place_outlet)
        canvas.outlet_moved.connect(desk.ground.move_outlet)
        canvas.element_moved.connect(lambda key, x, y: desk.do(edits.choose, key, "place", (x, y)))
        canvas.link_asked.connect(lambda up, down: desk.connect([up], down))
        canvas.join_asked.connect(self._lead_through)
        canvas.said.connect(self._say)
        canvas.outline_drawn.connect(self._take_outline)
        canvas.merge_asked.connect(self._merge)
        canvas.label_moved.connect(lambda key, x, y: desk.do(move_label, key, (x, y)))
        QShortcut(QKeySequence("N"), self.canvas, self.ask_outline, context=Qt.ShortcutContext.WidgetShortcut)
        desk.ground.changed.connect(self.refresh)
        QShortcut(QKeySequence("Y"), self.canvas, self.layers_button.toggle, context=Qt.ShortcutContext.WidgetShortcut)
        QShortcut(QKeySequence("G"), self.canvas, self.ask_feature, context=Qt.ShortcutContext.WidgetShortcut)
        QShortcut(QKeySequence("Ctrl+0"), self, self.canvas.show_whole)
        self._show_tool()

    @cached_property
    def profile(self) -> PlotView:
        """The long profile; its widget is made when it is first shown, because plots take a while to load."""
        from tarnwater.desk.widgets.plot_view import PlotView

        plot = PlotView("Long profile", self.theme)
        plot.read_at.connect(self._mark)
        below = self._profile_part.layout()
        assert below is not None
        below.replaceWidget(self._until_profile, plot)
        self._until_profile.hide()
        return plot

    def _lay_out(self) -> None:
        tools = QVBoxLayout(self.canvas)
        tools.setContentsMargins(12, 12, 12, 12)
        drawing = self.outlet_button, self.link_button, self.outline_button, self.feature_button, self._whole_button
        for button in drawing:
            tools.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        tools.addSpacing(6)
        tools.addWidget(self.threshold, 0, Qt.AlignmentFlag.AlignLeft)
        shown = QHBoxLayout()
        shown.addWidget(self.layers_button)
        shown.addWidget(self.legend_button)
        shown.addStretch(1)
        tools.addLayout(shown)
        tools.addStretch(1)
        tools.addWidget(self._empty)
        tools.addStretch(2)
        line = QHBoxLayout()
        line.setContentsMargins(14, 2, 14, 2)
        line.addWidget(self._hint)
        line.addWidget(self._said)
        line.addStretch(1)
        upper = QWidget()
        column = QVBoxLayout(upper)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.canvas, 1)
        column.addLayout(line)
        self._profile_part = QWidget()
        profile = QVBoxLayout(self._profile_part)
        profile.setContentsMargins(0, 0, 0, 0)
        self._until_profile = Words("", quiet=True, size=8.5)
        self._until_profile.setAlignment(Qt.AlignmentFlag.AlignTop)
        profile.addWidget(self._until_profile)
        self._changes_part, self._measures_part, self._heights_part = QWidget(), QWidget(), QWidget()
        self._land_part, self._boundaries_part, self._travel_part = QWidget(), QWidget(), QWidget()
        for part in (
            self._changes_part, self._measures_part, self._heights_part, self._land_part, self._boundaries_part,
            self._travel_part,
        ):  # fmt: skip
            QVBoxLayout(part).setContentsMargins(0, 0, 0, 0)
        lower = self._lower = self._make_lower()
        splitter = self._splitter = QSplitter(Qt.Orientation.Vertical)
        splitter.addWidget(upper)
        splitter.addWidget(lower)
        low = 13 * self.fontMetrics().height()
        lower.setMinimumHeight(low)
        splitter.setSizes([670 - low, low])
        splitter.setStretchFactor(0, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(splitter)

    def _make_lower(self) -> QWidget:
        """The part under the map: the long profile, or the changes of the ground."""
        lower = QWidget()
        below = QVBoxLayout(lower)
        below.setContentsMargins(14, 2, 10, 4)
        self._views = QStackedWidget()
        tabs = QHBoxLayout()
        self._tabs: list[QPushButton] = []
        for number, (tab, view) in enumerate(
            (
                (self.profile_tab, self._profile_part),
                (self.changes_tab, self._changes_part),
                (self.measures_tab, self._measures_part),
                (self.heights_tab, self._heights_part),
                (self.travel_tab, self._travel_part),
                (self.land_tab, self._land_part),
                (self.boundaries_tab, self._boundaries_part),
            )
        ):
            tab.setCheckable(True)
            tab.setProperty("tab", True)
            tab.setAccessibleName(f"Show the {tab.text().lower()}")
            tab.clicked.connect(self.show_land if tab is self.land_tab else partial(self._show_view, number))
            tabs.addWidget(tab)
            self._tabs.append(tab)
            self._views.addWidget(view)
        tabs.addStretch(1)
        self._show_view(0)
        below.addLayout(tabs)
        below.addWidget(self._views, 1)
        return lower

    def show_changes(self) -> None:
        """Show the changes of the ground under the map."""
        self._show_view(1)

    def _show_view(self, number: int) -> None:
        """Show one view under the map."""
        self._views.setCurrentIndex(number)
        if "boundaries" in self.__dict__ and self._views.currentWidget() is not self._boundaries_part:
            self.canvas.show_shape([])
        if "travel" in self.__dict__ and self._views.currentWidget() is not self._travel_part:
            self.travel.leave()
        for view, tab in enumerate(self._tabs):
            tab.setChecked(number == view)
        self._show_lower()

    def _show_lower(self) -> None:
        """Show the part under the map that is in view again; the others follow when they are turned to."""
        shown = self._views.currentWidget()
        if shown is self._changes_part:
            self.changes.refresh()
        elif shown is self._measures_part:
            self._sheet_of_measures.refresh()
        elif shown is self._heights_part:
            self._show_heights()
        elif shown is self._travel_part:
            self.travel.refresh()
        elif shown is self._land_part:
            self.land.refresh()
        elif shown is self._boundaries_part:
            self.boundaries.refresh()
        else:
            self._show_profile()

    def set_theme(self, theme: Theme) -> None:
        """Apply another theme."""
        self.canvas.set_theme(theme)
        self.legend.theme = self.theme_legend.theme = self.land_legend.theme = theme
        super().set_theme(theme)
        if "changes" in self.__dict__:
            self.changes.model.theme = theme
        if "measures" in self.__dict__:
            self.measures.theme = theme
        if "land" in self.__dict__:
            self.land.model.theme = theme
        for name in ("profile", "heights", "travel"):
            if name in self.__dict__:
                getattr(self, name).set_theme(theme)

    def _show_theme(self) -> None:
        """Show what the colours of the catchments mean."""
        self.theme_legend.show_classes(self.canvas.themes.classes)
        self._place_panels()

    def _show_land_legend(self) -> None:
        """Show what the colours and hatches of cover and soil mean."""
        self.land_legend.show_signs(self.canvas.land_signs())
        self._place_panels()

    def _show_layers(self, shown: bool) -> None:
        self._place_panels()
        if shown:
            self._layers.panel.refresh()
        self.layers_panel.setVisible(shown)
        self.layers_panel.raise_()
        if shown:
            self.layers_panel.list.setFocus()
        else:
            self.canvas.setFocus()

    def _place_panels(self) -> None:
        """Put the layers, and the legend below or beside them, into the right corner of the map."""
        right = self.canvas.width() - 12
        if self.layers_button.isChecked():
            self.layers_panel.move(max(right - self.layers_panel.width(), 0), 12)
            right -= self.layers_panel.width() + 8
        self.legend.move(max(right - self.legend.width(), 0), 12)
        foot = self.canvas.height() - 12
        self.theme_legend.move(12, max(foot - self.theme_legend.height(), 0))
        # above the scale
        aside = max(self.canvas.width() - 12 - self.land_legend.width(), 0)
        self.land_legend.move(aside, max(foot - 28 - self.land_legend.height(), 0))

    def _show_legend(self, shown: bool) -> None:
        self._place_panels()
        self.legend.setVisible(shown)
        self.legend.raise_()

    def resizeEvent(self, event: QResizeEvent | None) -> None:  # noqa: N802
        """Keep the legend in its corner of the map."""
        super().resizeEvent(event)
        self._place_panels()

    def take_focus(self) -> None:
        """Work begins on the map."""
        self.canvas.setFocus()

    def refresh(self) -> None:
        """Show map, threshold and profile again."""
        mapped = self.desk.study.terrain is not None
        bare = not mapped and not self.desk.study.catchments
        self._empty.setVisible(bare)
        self.outlet_button.setVisible(mapped)
        self.feature_button.setVisible(mapped)
        self._lower.setVisible(not bare)
        if self.layers_button.isChecked():
            self.layers_panel.refresh()
        for button in (
            self.link_button, self.outline_button, self._whole_button, self.legend_button, self.layers_button,
        ):  # fmt: skip
            button.setVisible(not bare)
        self._show_hint()
        self.threshold.refresh()
        self.canvas.refresh()
        self._show_land_legend()
        self._show_lower()

    def show_selected(self) -> None:
        """Show another element on the map, and its profile."""
        self.canvas.show_selected()
        self.threshold.refresh()
        self._show_lower()

    def _show_profile(self) -> None:
        desk, drainage = self.desk, self.desk.ground.drainage
        if drainage is None and "profile" not in self.__dict__:
            self._until_profile.setText(FIRST_PROFILE)
            return
        if drainage is None:
            self.profile.show_plot(None, FIRST_PROFILE)
            return
        network = self.canvas.scene.network
        plot = profile_plot(desk.study, network, desk.file.blobs, drainage, desk.selection)
        name = desk.study.name_of(desk.selection) if desk.selection else "what is selected"
        self.profile.show_plot(plot, f"No flow path of {name}: select a catchment or a reach of the terrain.")

    # what stands under the map and beside it is made when it is first shown, to be there sooner at the start

    @cached_property
    def changes(self) -> GroundChanges:
        """The table of the changes of the ground."""
        from tarnwater.desk.benches.ground.ground_changes import GroundChanges

        changes = GroundChanges(self.desk, self.theme)
        changes.row_chosen.connect(self._lead_to_change)
        _fill(self._changes_part, changes)
        return changes

    @cached_property
    def measures(self) -> SheetModel:
        """The measures of the catchments."""
        return SheetModel(self.desk, "catchment", MEASURES, self.theme)

    @cached_property
    def sheet(self) -> Sheet:
        """The sheet of the measures."""
        sheet = Sheet(self.measures, "Sheet of measures")
        _fill(self._measures_part, sheet)
        return sheet

    @property
    def _sheet_of_measures(self) -> SheetModel:
        """The model of the sheet, which is made with it."""
        model = self.sheet.model()
        assert isinstance(model, SheetModel)
        return model

    @cached_property
    def layers_panel(self) -> LayersPanel:
        """The panel of the layers, over the map."""
        canvas = self.canvas
        panel = LayersPanel(self.desk, canvas.layers, canvas.contours, canvas.themes)
        panel.setParent(canvas)
        panel.hide()
        return panel

    @cached_property
    def _layers(self) -> LayerActs:
        return LayerActs(self, self.desk, self.canvas, self.layers_panel)

    @cached_property
    def _outline_acts(self) -> OutlineActs:
        return OutlineActs(self.desk.ground)

    @cached_property
    def boundaries(self) -> Boundaries:
        """The table of gaps, overlaps and open land."""
        from tarnwater.desk.benches.ground.boundaries import Boundaries

        table = Boundaries(self.desk, self._outline_acts)
        table.row_chosen.connect(lambda row: self.canvas.show_shape([] if row is None else row.rings))
        _fill(self._boundaries_part, table)
        return table

    @cached_property
    def _land_on_maps(self) -> LandOnMaps:
        return LandOnMaps(self.desk.ground)

    @cached_property
    def land(self) -> LandView:
        """The table of cover and soil of the selected catchment."""
        from tarnwater.desk.benches.ground.land_view import LandView

        view = LandView(self.desk, self.theme, self._land_on_maps)
        view.bring_asked.connect(self.bring_land)
        view.maps_asked.connect(self.show_maps)
        view.classes_asked.connect(self.show_classes)
        _fill(self._land_part, view)
        return view

    @cached_property
    def heights(self) -> PlotView:
        """The hypsometric curve; its widget is made when it is first shown."""
        from tarnwater.desk.widgets.plot_view import PlotView

        plot = PlotView("Hypsometric curve", self.theme)
        _fill(self._heights_part, plot)
        return plot

    def _show_heights(self) -> None:
        """Show how the ground of the selected catchment lies by height, if that is in view."""
        desk, drainage = self.desk, self.desk.ground.drainage
        name = desk.study.name_of(desk.selection) if desk.selection else "what is selected"
        plot = None
        if drainage is not None:
            plot = hypsometric_plot(desk.study, self.canvas.scene.network, desk.file.blobs, drainage, desk.selection)
        self.heights.show_plot(plot, f"No ground of {name}: select a catchment that lies on the terrain.")

    @cached_property
    def travel(self) -> TravelView:
        """The travel times of the selected catchment; its widget is made when it is first shown."""
        from tarnwater.desk.benches.ground.travel_view import TravelView

        view = TravelView(self.desk, self.theme, self.canvas)
        _fill(self._travel_part, view)
        return view

    def _mark(self, at: float | None) -> None:
        """Mark on the map the place that is read on the profile."""
        plot = self.profile.plot
        line = path_of(self.canvas.scene.network, self.desk.file.blobs, self.desk.selection)
        if at is None or plot is None or line is None or not plot.curves:
            self.canvas.hand.marked = None
        else:
            along = plot.curves[-1].x
            share = np.interp(at, along, np.arange(len(along)))
            x, y = (np.interp(share, np.arange(len(line)), line[:, i]) for i in (0, 1))
            self.canvas.hand.marked = float(x), float(y)
        self.canvas.update()

    def _add_catchment(self) -> None:
        self.desk.add(Catchment(name=edits.unused_name(self.desk.study, "Catchment")))

    def _lead_through(self, up: str, x: float, y: float) -> None:
        name = edits.unused_name(self.desk.study, "Confluence")
        self.desk.lead_through(up, Confluence(name=name, place=(x, y)))

    def _take(self, tool: Tool, kind: str = "") -> None:
        self.canvas.take_tool(tool, kind)
        self.canvas.setFocus()

    def ask_feature(self) -> None:
        """Ask which feature is to be drawn; leave the tool if one is being drawn."""
        if self.canvas.hand.tool == "feature":
            self._take("feature", self.canvas.hand.kind)
            return
        self.feature_button.setChecked(False)
        self._features.popup(self.feature_button.mapToGlobal(self.feature_button.rect().topRight()))

    def ask_outline(self) -> None:
        """Ask what is to be drawn; leave the tool if an outline is being drawn."""
        if self.canvas.hand.tool == "outline":
            self._take("outline", self.canvas.hand.kind)
            return
        self.outline_button.setChecked(False)
        self._outlines.popup(self.outline_button.mapToGlobal(self.outline_button.rect().topRight()))

    def _take_outline(self, kind: OutlineKind, line: list[Place]) -> None:
        """Give the line that was drawn to its act."""
        from tarnwater.study.edits import outlines

        key = self.desk.selection
        name = self.desk.study.name_of(key)
        match kind:
            case "draw":
                act = f"draw {edits.unused_name(self.desk.study, 'Catchment')}"

                def then(made: MeasuredOutlines) -> None:
                    self.desk.select(next(iter(made.redrawn.names)))

                self._outline_acts.redraw(act, lambda study, _: outlines.drawn_catchment(study, line), then)
            case "reshape":
                self._outline_acts.redraw(
                    f"reshape {name}", lambda study, blobs: outlines.reshaped(study, blobs, key, line)
                )
            case "split":
                self._outline_acts.redraw(f"split {name}", lambda study, blobs: outlines.split(study, blobs, key, line))
            case "path":
                self._draw_path(key, line)
        self.canvas.setFocus()

    def _merge(self) -> None:
        """Merge the chosen catchments into the one that lies lowest."""
        from tarnwater.study.edits import outlines

        keys = [key for key in self.desk.chosen if key in self.desk.study.catchments]
        if len(keys) < 2:
            self.desk.told.emit("Choose the catchments to merge first: click one, then the others with Ctrl.")
            return
        names = " and ".join(self.desk.study.name_of(key) for key in keys[:3])
        more = f" and {len(keys) - 3} more" if len(keys) > 3 else ""
        self._outline_acts.redraw(f"merge {names}{more}", lambda study, blobs: outlines.merged(study, blobs, keys))

    def _change_path(self, act: str) -> None:
        """Divide the flow path of the selected catchment, or join or leave it, by the edit of that name."""
        from tarnwater.study.edits import flow_paths

        desk, key = self.desk, self.desk.selection
        if key not in desk.study.catchments:
            desk.told.emit("Select a catchment first: its flow path is divided.")
        elif act == "divide_flow_path":
            desk.do(flow_paths.divide_flow_path, key, desk.file.blobs, desk.ground.drainage)
        else:
            desk.do(getattr(flow_paths, act), key)

    def _draw_path(self, key: str, line: list[Place]) -> None:
        """Give a catchment the flow path that was drawn."""
        from tarnwater.study.edits.flow_paths import draw_flow_path

        desk = self.desk
        desk.do(draw_flow_path, key, line, desk.file.blobs, desk.ground.drainage)

    def _add_feature(self, kind: str, line: list[Place]) -> None:
        """Put a drawn feature into the study."""
        from tarnwater.study.edits.ground import drawn_feature, with_features

        desk = self.desk
        try:
            _, feature = drawn_feature(desk.study, kind, line, desk.file.blobs)
        except TarnwaterError as error:
            desk.fault(error)
            return
        desk.ground.reshape(
            f"draw the {feature.title} {feature.name}",
            change=lambda study: with_features(study, [feature]),
            then=self._show_drawn,
        )

    def _show_drawn(self) -> None:
        """Show the feature that was drawn last, and what can be done along an alignment."""
        key = list(self.desk.study.ground_features)[-1]
        self._choose_feature(key)
        feature = self.desk.study.ground_features[key]
        if not feature.changes_ground:
            self.desk.say(f"{feature.name} is drawn. On the Works bench (Ctrl+4) lay a ditch or a dam along it.")

    def _choose_feature(self, key: str) -> None:
        """Show a feature in the table."""
        self.show_changes()
        self.changes.choose(key)

    def _lead_to_change(self, row: GroundRow) -> None:
        """Show the chosen change on the map."""
        self.canvas.choose_feature(row.key if row.is_feature else "")
        if row.place is not None:
            self.canvas.lead_to(*row.place)

    def _show_tool(self) -> None:
        self.outlet_button.setChecked(self.canvas.hand.tool == "outlet")
        self.link_button.setChecked(self.canvas.hand.tool == "link")
        self.feature_button.setChecked(self.canvas.hand.tool == "feature")
        self.outline_button.setChecked(self.canvas.hand.tool == "outline")
        self._show_hint()
        self._say("")

    def _say(self, words: str) -> None:
        """Show what is under the pointer in place of the hint."""
        self._said.setText(words.replace("\n", " · "))
        self._hint.setVisible(not words)

    def _show_hint(self) -> None:
        study = self.desk.study
        first = study.terrain is not None and not study.outlets and not self.canvas.hand.tool
        hint = FIRST_HINT if first else self._hint_of_tool()
        if study.terrain is not None and study.terrain.grid not in self.desk.file.blobs:
            hint = "The elevation grid is missing from the study file: open the terrain again (Ctrl+T)."
        self._hint.setText(hint)

    def _hint_of_tool(self) -> str:
        hand = self.canvas.hand
        if hand.tool == "outline":
            tool = TOOLS[hand.kind]  # type: ignore[index]
            return f"{tool.words}: {tool.hint} · {HOW}"
        if hand.tool != "feature":
            return HINTS[hand.tool]
        model = GroundFeature.of_tag(hand.kind)
        how = HOW_PLACED if model.drawn_as == "place" else HOW_DRAWN
        return f"{model.title[:1].upper()}{model.title[1:]}: {model.meaning} · {how}"

    def _place_outlet(self, x: float, y: float, as_it_is: bool) -> None:
        self.desk.ground.place_outlet(x, y, accept=as_it_is)

    # opening a terrain

    def open_terrain(self, paths: Sequence[Path] = ()) -> None:
        """Ask for an elevation grid, or for its tiles, and preview it."""
        if not paths:
            chosen, _ = QFileDialog.getOpenFileNames(
                self, "Open a terrain", "", TERRAIN_FILES, options=QFileDialog.Option.DontUseNativeDialog
            )
            if not chosen:
                return
            paths = [Path(one) for one in chosen]
        from tarnwater.desk.benches.ground.import_terrain import ImportTerrain

        ImportTerrain(self, self.desk, paths).open()

    def take_files(self, paths: list[Path]) -> None:
        """Lay pictures under the map, and preview shapes; offer to import everything else as a terrain."""
        kinds = {path: kind_of_background(path) for path in paths}
        for path, kind in kinds.items():
            if kind == "picture":
                self._layers.add(path)
            elif kind == "lines":
                self.import_shapes(path)
        others = [path for path, kind in kinds.items() if not kind]
        if others:
            self.open_terrain(others)

    def show_land(self) -> None:
        """Show the cover and soil of the selected catchment under the map, with room for some rows."""
        self._show_view(self._tabs.index(self.land_tab))
        map_part, lower = self._splitter.sizes()
        wanted = LAND_LINES * self.fontMetrics().height()
        if lower < wanted < map_part + lower - self.canvas.minimumHeight():
            self._splitter.setSizes([map_part + lower - wanted, wanted])

    def bring_land(self, path: Path | None = None) -> None:
        """Ask for a map of cover or soil and preview it."""
        if path is None:
            chosen, _ = QFileDialog.getOpenFileName(
                self, "Bring in cover or soil", "", LAND_FILES, options=QFileDialog.Option.DontUseNativeDialog
            )
            if not chosen:
                return
            path = Path(chosen)
        from tarnwater.desk.benches.ground.import_land import ImportLand

        self.show_land()
        dialog = ImportLand(self, self.desk, self.theme, self._land_on_maps, path)
        dialog.brought_in.connect(lambda holds: self.canvas.layers.show("cover" if holds == "cover" else "soils", True))
        dialog.open()

    def show_maps(self) -> None:
        """Show the maps of cover and soil with their values."""
        if not self.desk.study.land_layers:
            self.desk.told.emit("The study has no map of cover or soil yet: bring one in (Ctrl+Shift+C).")
            return
        from tarnwater.desk.benches.ground.land_maps import LandMaps

        LandMaps(self, self.desk, self.theme, self._land_on_maps).open()

    def show_classes(self) -> None:
        """Show the classes of cover."""
        from tarnwater.desk.benches.ground.class_sheet import ClassSheet

        ClassSheet(self, self.desk, self.theme).open()

    def measure_land(self) -> None:
        """Measure the cover and soil of the catchments on the maps again."""
        if not self.desk.study.land_layers:
            self.desk.told.emit("The study has no map of cover or soil yet: bring one in (Ctrl+Shift+C).")
            return
        self._land_on_maps.measure("measure cover and soil again")

    def import_shapes(self, path: Path | None = None) -> None:
        """Ask for a vector file or drawing and preview it."""
        if path is None:
            chosen, _ = QFileDialog.getOpenFileName(
                self, "Import shapes", "", SHAPE_FILES, options=QFileDialog.Option.DontUseNativeDialog
            )
            if not chosen:
                return
            path = Path(chosen)
        from tarnwater.desk.benches.ground.import_shapes import ImportShapes

        ImportShapes(self, self.desk, self.theme, path).open()


def _fill(part: QWidget, content: QWidget) -> None:
    """Put a widget into the part of the bench that waits for it."""
    layout = part.layout()
    assert layout is not None
    layout.addWidget(content)
    # a layout shows it only when the events before are done
    content.show()
