"""What is done with the layers panel: backgrounds are laid, found and taken away, views are saved."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from tarnwater.desk.benches.ground.canvas import MapCanvas
from tarnwater.desk.benches.ground.hand import SELECTABLE
from tarnwater.desk.benches.ground.layers_panel import LayersPanel
from tarnwater.desk.desk import Desk
from tarnwater.errors import BadInput
from tarnwater.formats.kinds import kind_of_background
from tarnwater.formats.shapes import is_drawing
from tarnwater.formats.vector import layers_of
from tarnwater.study.document.map import Background
from tarnwater.study.edits.map import (
    add_background,
    path_for,
    put_labels_back,
    relink_background,
    remove_background,
    remove_view,
    save_view,
    set_label_fields,
)

FILES = "Pictures and vector files (*.tif *.tiff *.png *.jpg *.jpeg *.gpkg *.shp *.geojson *.json *.dxf);;All files (*)"


class LayerActs:
    """Answers the panel of the layers."""

    def __init__(self, parent: QWidget, desk: Desk, canvas: MapCanvas, panel: LayersPanel) -> None:
        self._parent, self._desk, self._canvas, self.panel = parent, desk, canvas, panel
        panel.add_asked.connect(self.ask_background)
        panel.find_asked.connect(self.ask_where)
        panel.remove_asked.connect(lambda key: desk.do(remove_background, key))
        panel.save_asked.connect(self.ask_view)
        panel.forget_asked.connect(self._forget)
        panel.view_asked.connect(self._show_view)
        panel.fields_chosen.connect(lambda fields: desk.do(set_label_fields, fields))
        panel.labels_back_asked.connect(lambda: desk.do(put_labels_back))
        panel.selects_chosen.connect(self._select)

    def ask_background(self) -> None:
        """Ask for a file and lay it under the map."""
        chosen, _ = QFileDialog.getOpenFileName(
            self._parent, "Lay under the map", "", FILES, options=QFileDialog.Option.DontUseNativeDialog
        )
        if chosen:
            self.add(Path(chosen))

    def add(self, path: Path) -> None:
        """Lay a picture, or every layer of a vector file, under the map; one that cannot be read is refused."""
        kept = path_for(self._desk.file.path, path)
        try:
            if kind_of_background(path) == "lines":
                layers = ("",) if is_drawing(path) else layers_of(path)
                for layer in layers:
                    name = path.stem if len(layers) == 1 else f"{path.stem}: {layer}"
                    self._desk.do(add_background, Background(name=name, path=kept, kind="lines", layer=layer))
            else:
                self._desk.do(add_background, Background(name=path.stem, path=kept, kind="picture"))
        except BadInput as error:
            self._desk.fault(error)

    def ask_where(self, key: str) -> None:
        """Ask where the file of a background is now."""
        background = self._desk.study.backgrounds.get(key)
        if background is None:
            return
        chosen, _ = QFileDialog.getOpenFileName(
            self._parent, f"Find {background.name}", "", FILES, options=QFileDialog.Option.DontUseNativeDialog
        )
        if not chosen:
            return
        path = path_for(self._desk.file.path, Path(chosen))
        if path == background.path:
            self._canvas.backgrounds.read_again(key)
        else:
            self._desk.do(relink_background, key, path)

    def ask_view(self) -> None:
        """Ask for a name and save the view under it."""
        name, given = QInputDialog.getText(self._parent, "Save the view", "Name of the view")
        if given and name.strip() and self._canvas.view is not None:
            self._desk.do(save_view, self._canvas.saved_view(name.strip()))

    def _select(self, kinds: list[str]) -> None:
        """Let a click select some kinds only; the catchment under a symbol that does not count is selected instead."""
        self._canvas.selectable = set(kinds)
        left = [kind for kind in SELECTABLE if kind not in kinds]
        told = f"A click does not select {' or '.join(left)}." if left else "A click selects everything."
        self._desk.told.emit(told)

    def _forget(self, key: str) -> None:
        if key in self._desk.study.map_views:
            self._desk.do(remove_view, key)

    def _show_view(self, key: str) -> None:
        view = self._desk.study.map_views.get(key)
        if view is not None:
            self._canvas.show_view(view)
