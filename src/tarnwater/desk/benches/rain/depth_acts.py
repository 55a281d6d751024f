"""What can be done with depths beside typing them: equations, another table, the library."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from tarnwater.desk.benches.rain.equation_dialog import FittedEquation, TypedEquation
from tarnwater.desk.desk import Desk
from tarnwater.desk.theme import Theme
from tarnwater.errors import TarnwaterError
from tarnwater.rain.depth_equation import DepthEquation
from tarnwater.rain.depths import Depths
from tarnwater.study.edits import slug
from tarnwater.study.edits.rain import remove_table, set_depths
from tarnwater.study.file.kept_rain import read_kept_rain, write_kept_rain


class DepthActs(QObject):
    """The menu of the depths that are shown; ``shown`` names others to be shown."""

    shown = pyqtSignal(str)

    def __init__(self, parent: QWidget, desk: Desk, theme: Theme, key: Callable[[], str]) -> None:
        super().__init__(parent)
        self._parent, self.desk, self.theme, self._key = parent, desk, theme, key

    @property
    def depths(self) -> Depths | None:
        """The depths that are shown."""
        return self.desk.study.tables.get(self._key())

    def fill(self, menu: QMenu, ask_service: Callable[[], None]) -> None:
        """Fill the menu with what can be done with the depths that are shown."""
        menu.clear()
        table = None if self.depths is None else self.depths.typed_table
        entries: tuple[tuple[str, Callable[[], object], bool], ...] = (
            ("Fit an equation to the table …", self.fit, table is not None),
            ("Type a published equation …", self.type_equation, True),
            ("Ask a design rainfall service …", ask_service, True),
            ("Keep these depths for other studies …", self.keep, self.depths is not None),
            ("Remove these depths", self.remove, self.depths is not None),
        )
        for words, act, able in entries:
            entry = menu.addAction(words)
            assert entry is not None
            entry.setEnabled(able)
            entry.triggered.connect(partial(_call, act))
        kept = read_kept_rain()
        library = menu.addMenu("Take depths that were kept")
        assert library is not None
        library.setEnabled(bool(kept.depths))
        for name, depths in kept.depths.items():
            entry = library.addAction(name)
            assert entry is not None
            entry.triggered.connect(partial(_call, partial(self.take, name, depths)))

    def fit(self) -> None:
        """Fit equations to the typed table, and take one."""
        held, key = self.depths, self._key()
        table = None if held is None else held.typed_table
        if table is None:
            return
        asked = FittedEquation(self._parent, self.desk, self.theme, table)
        asked.accepted.connect(lambda: self._set(key, asked.depths, "fit an equation to the depths"))
        asked.open()

    def type_equation(self) -> None:
        """Type a published equation: a new one, or the one that is shown."""
        held = self.depths
        published = held if isinstance(held, DepthEquation) and held.points is None else None
        key = self._key() if published is not None else slug("equation", self.desk.study.tables)
        asked = TypedEquation(self._parent, self.desk, published)
        asked.accepted.connect(lambda: self._set(key, asked.depths, "type an equation of depths"))
        asked.open()

    def _set(self, key: str, depths: Depths | None, act: str) -> None:
        if depths is not None and self.desk.do(set_depths, key, depths, act):
            self.shown.emit(key)

    def read(self, which: str) -> None:
        """Make storms by the equation, or by the points that it is fitted to."""
        held = self.depths
        if isinstance(held, DepthEquation) and held.points is not None and held.read != which:
            words = "read the typed depths" if which == "points" else "read the fitted equation"
            self.desk.do(set_depths, self._key(), held.model_copy(update={"read": which}), words)

    def keep(self) -> None:
        """Keep the depths under a name for other studies."""
        held = self.depths
        if held is None:
            return
        name, done = QInputDialog.getText(self._parent, "Keep these depths", "Name", text=held.source or self._key())
        if not (done and name.strip()):
            return
        try:
            kept = read_kept_rain()
            write_kept_rain(kept.with_depths(name.strip(), held))
        except TarnwaterError as error:
            self.desk.fault(error)
        else:
            again = " in place of those before" if name.strip() in kept.depths else ""
            self.desk.say(f"“{name.strip()}” is kept for other studies{again}.")

    def take(self, name: str, depths: Depths) -> None:
        """Take depths that were kept into the study, as a copy."""
        key = slug(name, self.desk.study.tables)
        self._set(key, depths, f"take the depths {name}")

    def remove(self) -> None:
        """Remove the depths that are shown."""
        if self.desk.do(remove_table, self._key()):
            self.shown.emit(next(iter(self.desk.study.tables), ""))


def _call(act: Callable[[], object], _checked: bool = False) -> None:
    act()
