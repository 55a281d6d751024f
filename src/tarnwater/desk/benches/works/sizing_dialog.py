"""One dimension of a pond found for a goal, drawn against what it makes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtWidgets import QComboBox, QLineEdit, QPushButton, QWidget

from tarnwater import units
from tarnwater.desk.benches.works.trying import TryingDialog
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.errors import BadInput, TarnwaterError
from tarnwater.network.elements import Pond
from tarnwater.parameters import Description, Setting
from tarnwater.plots import Axis, Curve, Level, Mark, Plot
from tarnwater.study import edits
from tarnwater.study.answers.sizing import EmptyWithin, Goal, KeepLimits, Sized, Sizing, StayBelow
from tarnwater.study.document.fields import quantities_in

#: Ratio of the range that is first offered to the present size, down and up.
RANGE = 4.0

#: Kinds of quantity that are sizes.
SIZES = ("length", "area", "height", "angle", "factor")


@dataclass(frozen=True)
class Dimension:
    """A dimension of a pond: its path, what it is called, its description and its present size."""

    path: str
    words: str
    described: Description
    size: float


def dimensions(pond: Pond) -> list[Dimension]:
    """All sizes and levels of storage and devices, the sizes of the devices first."""
    found = []
    for path, described, held in quantities_in(pond):
        holder, _, name = path.rpartition("/")
        value = held.value if isinstance(held, Setting) else held
        if not holder.startswith(("devices", "storage")) or described.kind not in SIZES:
            continue
        if isinstance(value, bool) or not isinstance(value, int | float) or "coefficient" in name:
            continue
        first, number, *_ = holder.split("/")
        part = getattr(pond, first)[int(number)]
        words = f"{getattr(part, 'sign', '') or part.name or part.title}: {described.label or described.name}"
        found.append(Dimension(path, words, described, float(value)))
    return sorted(found, key=lambda one: (not one.path.startswith("devices"), one.described.kind == "factor"))


class SizingDialog(TryingDialog):
    """Which dimension, for which goal, between which bounds; the sizes that were tried, and the one that was found."""

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme, key: str, point: str, path: str = "") -> None:
        pond = desk.elements[key]
        assert isinstance(pond, Pond)
        super().__init__(parent, desk, key, f"Find a size of {pond.name}", (720, 500))
        self.pond, self.point = pond, point
        self.found: tuple[Dimension, Sized] | None = None
        self._bounds_in = ""
        self.dimension, self.goal = QComboBox(), QComboBox()
        self.dimension.setAccessibleName("Dimension")
        self.goal.setAccessibleName("Goal")
        for one in dimensions(pond):
            self.dimension.addItem(one.words, one)
            if one.path == path:
                self.dimension.setCurrentIndex(self.dimension.count() - 1)
        name = desk.study.name_of(point) if point else ""
        for words in (f"the limits at {name or 'the design point'}", "no level above", "empties within"):
            self.goal.addItem(words)
        self.goal.activated.connect(lambda _: self._offer_goal())
        self.dimension.activated.connect(lambda _: self._offer_bounds())
        self.asked = self._line("Level or time of the goal", 80)
        self.least, self.most = self._line("Least size", 80), self._line("Greatest size", 80)
        self.search = QPushButton("Find")
        self.search.setDefault(True)
        self.search.setAccessibleName("Find the size")
        self.search.clicked.connect(self.solve)
        self.plot = PlotView("What each size makes", theme)
        self.ask("", self.dimension)
        self.ask("from", self.least)
        self.ask("to", self.most)
        self.ask("for", self.goal)
        self.ask("", self.asked)
        self.ask("", self.search)
        self.lay_out(self.plot)
        self._offer_bounds()
        self._offer_goal()
        self.wait("Find tries sizes over the whole range, with every storm, and closes in on the one that is wanted.")
        self.plot.show_plot(None, "what each size makes is drawn here.")

    def _line(self, name: str, width: int) -> QLineEdit:
        line = QLineEdit()
        line.setAccessibleName(name)
        line.setFixedWidth(width)
        line.returnPressed.connect(self.solve)
        return line

    def _offer_bounds(self) -> None:
        """Bounds about the present size; levels from floor to top."""
        one: Dimension | None = self.dimension.currentData()
        if one is None:
            return
        store, system = self.pond.store, self.desk.study.units
        if one.described.kind == "height" and store is not None:
            low, high = store.floor, store.top
        else:
            low, high = one.size / RANGE, one.size * RANGE
        unit = self._bounds_in = units.display_unit(one.described.kind, high, system)
        for line, size in ((self.least, low), (self.most, high)):
            line.setText(f"{units.to_unit(size, unit, one.described.kind):.4g} {unit}".strip())

    def _offer_goal(self) -> None:
        """A level or a time to begin with."""
        number, system, store = self.goal.currentIndex(), self.desk.study.units, self.pond.store
        self.asked.setVisible(number > 0)
        if number == 1 and store is not None:
            self.asked.setText(units.show(store.top - self.pond.freeboard, "height", system, digits=5))
        elif number == 2:
            self.asked.setText("24 h")

    def _goal(self) -> Goal:
        number = self.goal.currentIndex()
        if number == 1:
            return StayBelow(units.parse(self.asked.text(), "height", default=self._unit("height")))
        if number == 2:
            return EmptyWithin(units.parse(self.asked.text(), "time", default="h"))
        return KeepLimits()

    def _unit(self, kind: str) -> str:
        return units.units_of(kind, self.desk.study.units)[0]

    def solve(self) -> None:
        """Search in a thread; what is found is tried out on everything."""
        self.start_over()
        self.found = None
        one: Dimension | None = self.dimension.currentData()
        desk, key = self.desk, self.key
        if one is None:
            self.wait("The pond has no size to find: give it storage and a device first.")
            return
        try:
            goal = self._goal()
            bounds = (self.least.text(), self.most.text())
            low, high = (edits.read_value(self.pond, one.path, text, self._bounds_in) for text in bounds)
            if not self.point:
                raise BadInput(
                    "it drains to no design point.", where=self.pond.name, remedy="Make an element below one."
                )
        except TarnwaterError as error:
            self.refuse(error)
            return
        sizing = Sizing(desk.study, key, one.path, self.point, desk.condition)
        self.work_out(
            "Finding a size", lambda progress: sizing.solve(goal, low, high, progress),
            lambda found: self._show(one, goal, found),
        )  # fmt: skip

    def _show(self, one: Dimension, goal: Goal, found: Sized) -> None:
        self.found = one, found
        system, kind = self.desk.study.units, one.described.kind
        self.plot.show_plot(sizes_plot(one, goal, found, system))
        shown = units.show(found.size, kind, system)
        bound = ", one of the bounds, all of which do" if found.at_bound else ""
        self.ready(f"{one.words} {shown}{bound}. {len(found.tried)} sizes were tried; the bench shows what it makes.")
        self.desk.try_out(edits.type_values, [(self.key, one.path, found.size)], condition=self.desk.scope_of(self.key))

    def keep(self) -> None:
        """Take the size into the study."""
        if self.found is None:
            return
        one, found = self.found
        values = [(self.key, one.path, found.size)]
        note = f"found for {self.goal.currentText()}"
        if self.desk.do(edits.type_values, values, condition=self.desk.scope_of(self.key), **self.desk.stamp(note)):
            self.accept()


def sizes_plot(one: Dimension, goal: Goal, found: Sized, system: units.System) -> Plot:
    """What each size that was tried leaves over its goal; zero or less keeps it."""
    kind = one.described.kind
    sizes = np.array([size for size, _ in found.tried])
    # what never empties is as far off as can be told, and would hide the others
    over = np.array([excess for _, excess in found.tried])
    kept = over < 1e5
    unit = units.display_unit(kind, list(sizes), system)
    x = np.array([units.to_unit(float(size), unit, kind) for size in sizes[kept]])
    if isinstance(goal, StayBelow):
        height = units.units_of("height", system)[0]
        y, axis = over[kept] / units.factor_of(height, "height"), Axis("highest level above it", height)
    else:
        y, axis = 100 * over[kept], Axis("over the goal", "%")
    at = units.to_unit(found.size, unit, kind)
    mark = Mark(at, float(np.interp(at, x, y)), f"found: {units.show(found.size, kind, unit=unit)}")
    curve = Curve(x, y, "water", goal.title, dots=False)
    low = min(float(y.min(initial=0.0)), 0.0)
    return Plot(
        f"{one.words} for {goal.title}", Axis(one.described.label or one.words, unit, low=float(x.min(initial=0.0)),
        high=float(x.max(initial=1.0))), Axis(axis.label, axis.unit, low=1.1 * low), (curve,), marks=(mark,),
        levels=(Level(0.0, "kept below"),),
    )  # fmt: skip
