"""The layers of the map: their order, which are shown, how opaque each is, and one that is shown alone."""

from __future__ import annotations

from collections.abc import Container, Iterable, Iterator, Mapping

from PyQt6.QtCore import QObject, pyqtSignal

from tarnwater.study.document.map import LayerShown

#: Layers that every map has, from the lowest up, with their titles.
OWN = {
    "relief": "relief",
    "soils": "soils",
    "cover": "land cover",
    "moved": "raised and lowered ground",
    "contours": "contours",
    "streams": "streams",
    "catchments": "catchments",
    "reaches": "reaches",
    "features": "ground features",
    "depressions": "depressions",
    "network": "elements and links",
    "labels": "names",
}

#: Layers that are hidden at first.
HIDDEN = frozenset({"contours", "cover", "soils"})

#: Key of a background begins with this; new ones lie just above the relief.
BACKGROUND = "background/"


class Layers(QObject):
    """The layers from the lowest up."""

    changed = pyqtSignal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._layers = {key: LayerShown(key=key, shown=key not in HIDDEN) for key in OWN}
        self.titles = dict(OWN)
        self.alone = ""
        #: Interval of the contours, m; 0 for the usual one of the terrain.
        self.contours = 0.0

    def __iter__(self) -> Iterator[LayerShown]:
        return iter(self._layers.values())

    def __getitem__(self, key: str) -> LayerShown:
        return self._layers[key]

    def follow(self, backgrounds: Mapping[str, str], hidden: Container[str] = ()) -> None:
        """Have a layer for each background (names by key), and none for others; new ones may be ``hidden`` at first."""
        wanted = {BACKGROUND + key: name for key, name in backgrounds.items()}
        before = [*self._layers], dict(self.titles)
        gone = {key for key in self._layers if key.startswith(BACKGROUND)} - wanted.keys()
        for key in gone:
            del self._layers[key]
        for key in wanted:
            if key not in self._layers:
                self._insert(LayerShown(key=key, shown=key.removeprefix(BACKGROUND) not in hidden))
        self.titles = {**OWN, **wanted}
        if self.alone not in self._layers:
            self.alone = ""
        if before != ([*self._layers], self.titles):
            self.changed.emit()

    def _insert(self, layer: LayerShown) -> None:
        kept = list(self._layers.values())
        at = 1 + next(i for i, one in enumerate(kept) if one.key == "relief")
        while at < len(kept) and kept[at].key.startswith(BACKGROUND):
            at += 1
        self._layers = {one.key: one for one in (*kept[:at], layer, *kept[at:])}

    def opacity(self, key: str) -> float:
        """How opaque a layer is now: 0 if it is hidden, or if another one is shown alone."""
        layer = self._layers[key]
        if self.alone:
            return layer.opacity if key == self.alone else 0.0
        return layer.opacity if layer.shown else 0.0

    def show(self, key: str, shown: bool) -> None:
        """Show or hide a layer."""
        self._change(self._layers[key].model_copy(update={"shown": shown}))

    def fade(self, key: str, opacity: float) -> None:
        """Make a layer more or less opaque."""
        opacity = min(max(opacity, 0.0), 1.0)
        self._change(self._layers[key].model_copy(update={"opacity": opacity}))

    def isolate(self, key: str) -> None:
        """Show one layer alone, or all again if it is alone already."""
        self.alone = "" if key == self.alone else key
        self.changed.emit()

    def move(self, key: str, up: int) -> None:
        """Move a layer up over the next one (1), or down (-1)."""
        keys = list(self._layers)
        at = keys.index(key)
        to = at + up
        if 0 <= to < len(keys):
            keys[at], keys[to] = keys[to], keys[at]
            self._layers = {key: self._layers[key] for key in keys}
            self.changed.emit()

    def set_contours(self, interval: float) -> None:
        """Draw contours at another interval, m, and show them."""
        self.contours = interval
        self._layers["contours"] = self._layers["contours"].model_copy(update={"shown": True})
        self.changed.emit()

    def restore(self, layers: Iterable[LayerShown], alone: str, contours: float) -> None:
        """Show layers as they were saved; those that were added since stay above."""
        self.contours = contours
        saved = {layer.key: layer for layer in layers if layer.key in self._layers}
        rest = {key: layer for key, layer in self._layers.items() if key not in saved}
        self._layers = saved | rest
        self.alone = alone if alone in self._layers else ""
        self.changed.emit()

    def _change(self, layer: LayerShown) -> None:
        if self._layers[layer.key] != layer:
            self._layers[layer.key] = layer
            self.changed.emit()
