"""One pinned figure with its small plot and its ghost."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.desk.desk import Desk, Pin
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.study.answers import CaseResult
from tarnwater.study.answers.figures import case_title
from tarnwater.study.pictures.hydrographs import pinned_plot


class PinView(QWidget):
    """One pin: the peak, its difference to the ghost, its case, and a small plot."""

    def __init__(self, desk: Desk, theme: Theme, number: int) -> None:
        super().__init__()
        self.desk = desk
        self._number = number
        self._name = Words("", bold=True, size=9)
        self._case = Words("", quiet=True, size=8)
        self._peak = Words("", bold=True, size=14, role="water")
        self._when = Words("", size=8.5)
        self._apart = Words("", quiet=True, size=8.5)
        self.plot = PlotView("Pinned flow", theme, bare=True)
        self._hold = self._button("", "hold", self._turn_hold)
        self._freeze = self._button("", "freeze", self._turn_ghost)
        off = self._button("unpin", "unpin", lambda: desk.replace_pin(self._number, None))
        words = QVBoxLayout()
        words.setSpacing(1)
        for label in (self._name, self._case, self._peak, self._when, self._apart):
            label.setWordWrap(label is self._case)
            words.addWidget(label)
        acts = QHBoxLayout()
        acts.setSpacing(8)
        for button in (self._hold, self._freeze, off):
            acts.addWidget(button)
        acts.addStretch(1)
        words.addLayout(acts)
        words.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 8, 0)
        left = QWidget()
        left.setLayout(words)
        words.setContentsMargins(0, 0, 0, 0)
        left.setFixedWidth(158)
        row.addWidget(left)
        row.addWidget(self.plot, 1)

    def _button(self, text: str, name: str, act: object) -> QPushButton:
        button = QPushButton(text)
        button.setProperty("flat", True)
        button.setProperty("small", True)
        button.setAccessibleName(f"{name} pin {self._number + 1}")
        button.clicked.connect(lambda: act())  # type: ignore[operator]
        return button

    @property
    def pin(self) -> Pin:
        """The pin in its present state."""
        return self.desk.pins[self._number]

    def _turn_hold(self) -> None:
        pin = self.pin
        self.desk.replace_pin(self._number, replace(pin, held=None if pin.held else self.desk.view))

    def _turn_ghost(self) -> None:
        pin = self.pin
        self.desk.replace_pin(self._number, replace(pin, ghost=None if pin.ghost else self.desk.results))

    def refresh(self) -> None:
        """Show the pinned figure in its case."""
        desk, pin = self.desk, self.pin
        view = pin.held or desk.view
        results = desk.results
        self._name.setText(desk.study.name_of(pin.element))
        self._hold.setText("follow" if pin.held else "hold")
        self._hold.setToolTip("follow the case in view" if pin.held else "hold this case, whatever is in view")
        self._freeze.setText("let go" if pin.ghost else "freeze")
        self._freeze.setToolTip(
            "the ghost is again the state before the edit" if pin.ghost else "keep the present state as the ghost"
        )
        case = None if view is None else desk.case_showing(pin.element, view=view)
        if results is None or case is None:
            for label in (self._peak, self._when, self._apart):
                label.setText("")
            self._case.setText("not in this case" if results is not None else "not computed")
            self.plot.show_plot(None)
            return
        peak = case.peak(pin.element)
        unit = units.display_unit("flow", peak.ordinate, desk.study.units)
        self._case.setText(f"{'held: ' if pin.held else ''}{case_title(results, case, pin.element)}")
        self._peak.setText(units.show(peak.ordinate, "flow", unit=unit))
        self._when.setText(f"at {case.when(peak.time)}")
        ghost = self._ghost(case)
        apart = None if ghost is None else peak.ordinate - ghost.peak(pin.element).ordinate
        sign = "+" if (apart or 0) >= 0 else "−"
        told = "" if apart is None else f"{sign}{units.show(abs(apart), 'flow', unit=unit, digits=3)} to the ghost"
        self._apart.setText(told)
        limit = results.limit(pin.element, case.case.event, case.case.condition)
        self.plot.show_plot(pinned_plot(results, case, pin.element, ghost=ghost, limit=limit))

    def _ghost(self, case: CaseResult) -> CaseResult | None:
        before = self.pin.ghost or self.desk.before
        if before is None:
            return None
        view = self.pin.held or self.desk.view
        return None if view is None else self.desk.case_showing(self.pin.element, before, view)
