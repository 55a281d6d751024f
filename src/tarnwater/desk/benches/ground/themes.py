"""Themes of the map: catchments coloured by a parameter or a result, in classes with round limits."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

from tarnwater import units
from tarnwater.desk.benches.figures import figure_of
from tarnwater.desk.desk import Desk
from tarnwater.network.elements import Catchment
from tarnwater.parameters import Setting
from tarnwater.study.document.entry_units import entry_unit
from tarnwater.study.pictures.themes import Classes, classes_of


@dataclass(frozen=True)
class Quantity:
    """What catchments can be coloured by: its words, its kind, and how it is read."""

    key: str
    words: str
    kind: str
    read: Callable[[Desk, str, Catchment], float | None]
    of_case: bool = False


def _of_catchment(field: str) -> Callable[[Desk, str, Catchment], float | None]:
    def read(_: Desk, key: str, one: Catchment) -> float | None:
        held = getattr(one, field)
        return held.value if isinstance(held, Setting) else held

    return read


def _of_case(figure: str) -> Callable[[Desk, str, Catchment], float | None]:
    def read(desk: Desk, key: str, _: Catchment) -> float | None:
        return figure_of(desk, key, figure)

    return read


QUANTITIES: tuple[Quantity, ...] = (
    Quantity("area", "area", "area", _of_catchment("area")),
    Quantity("curve_number", "curve number", "curve number", _of_catchment("curve_number")),
    Quantity("lag", "lag time", "time", _of_catchment("lag")),
    Quantity("concentration", "time of concentration", "time", _of_catchment("concentration")),
    Quantity("flow_length", "flow path length", "length", _of_catchment("flow_length")),
    Quantity("slope_10_85", "10-85 slope", "slope", _of_catchment("slope_10_85")),
    Quantity("mean_slope", "mean catchment slope", "slope", _of_catchment("mean_slope")),
    Quantity("relief", "relief", "length", _of_catchment("relief")),
    Quantity("drainage_density", "drainage density", "drainage density", _of_catchment("drainage_density")),
    Quantity("peak", "peak of the case in view", "flow", _of_case("peak"), of_case=True),
    Quantity("per_area", "peak per area", "flow per area", _of_case("per_area"), of_case=True),
    Quantity("runoff_depth", "runoff depth", "rain", _of_case("runoff_depth"), of_case=True),
    Quantity("share_of_rain", "share of rain", "share", _of_case("share_of_rain"), of_case=True),
)


class Themes(QObject):
    """The quantity by which catchments are coloured, and its values in the condition and case in view."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self.chosen = ""
        self.classes: Classes | None = None
        self.of: dict[str, int | None] = {}

    def choose(self, key: str) -> None:
        """Colour by another quantity; an empty key colours by none."""
        self.chosen = key
        self.follow()

    def follow(self) -> None:
        """Read the values again."""
        quantity = next((q for q in QUANTITIES if q.key == self.chosen), None)
        before = self.classes, self.of
        if quantity is None:
            self.classes, self.of = None, {}
        else:
            self._read(quantity)
        if before != (self.classes, self.of):
            self.changed.emit()

    def _read(self, quantity: Quantity) -> None:
        desk = self._desk
        read = {
            key: quantity.read(desk, key, element)
            for key, element in desk.network.elements.items()
            if isinstance(element, Catchment)
        }
        unit = entry_unit(desk.study, quantity.key, quantity.kind)
        if quantity.of_case:
            greatest = max((v for v in read.values() if v is not None), default=0.0)
            unit = units.display_unit(quantity.kind, greatest, desk.study.units)
        values = {k: None if v is None else units.to_unit(v, unit, quantity.kind) for k, v in read.items()}
        self.classes = classes_of(values, quantity.words, unit)
        self.of = {key: self.classes.of(value) for key, value in values.items()}
