"""The pin strip: figures kept in view at the foot, small plots once something is pinned, each with its ghost."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.desk.desk import MOST_PINS, Desk, Pin
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.labels import Words
from tarnwater.desk.widgets.plot_view import PlotView
from tarnwater.study.answers import CaseResult
from tarnwater.study.answers.figures import case_title
from tarnwater.study.pictures.hydrographs import pinned_plot


class PinView(QWidget):
    """One pin: the peak and its difference to the ghost, the case it stands for, and a small plot."""

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
        """The pin as it stands."""
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
        told = "" if apart is None else f"{sign}{units.show(abs(apart), 'flow', unit=unit, digits=3)} on the ghost"
        self._apart.setText(told)
        limit = results.limit(pin.element, case.case.event, case.case.condition)
        self.plot.show_plot(pinned_plot(results, case, pin.element, ghost=ghost, limit=limit))

    def _ghost(self, case: CaseResult) -> CaseResult | None:
        before = self.pin.ghost or self.desk.before
        if before is None:
            return None
        view = self.pin.held or self.desk.view
        return None if view is None else self.desk.case_showing(self.pin.element, before, view)


class PinStrip(QWidget):
    """One line of figures until something is pinned; then small plots. It folds away."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self.setAccessibleName("Pin strip")
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.desk = desk
        self.theme = theme
        self.views: list[PinView] = []
        self._folded = False
        self._line = Words("", size=8.5)
        self._line.setMinimumWidth(10)
        self.pin_button = QPushButton("Pin   Ctrl+P")
        self.pin_button.setAccessibleName("Pin the selected element's flow")
        self.pin_button.clicked.connect(desk.pin_chosen)
        self.fold = QPushButton("fold")
        self.fold.setProperty("flat", True)
        self.fold.setProperty("small", True)
        self.fold.setAccessibleName("Fold the pin strip")
        self.fold.clicked.connect(lambda: self.turn_fold())
        head = QHBoxLayout()
        head.addWidget(self._line, 1)
        head.addWidget(self.fold)
        head.addWidget(self.pin_button)
        self._row = QHBoxLayout()
        self._row.setSpacing(14)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 3, 12, 3)
        layout.setSpacing(2)
        layout.addLayout(head)
        layout.addLayout(self._row)
        desk.pins_changed.connect(self._rebuild)
        self._rebuild()

    def turn_fold(self) -> None:
        """Fold the plots away, or show them again."""
        self._folded = not self._folded
        self._show()

    def set_theme(self, theme: Theme) -> None:
        """Draw in other colours."""
        self.theme = theme
        for view in self.views:
            view.plot.set_theme(theme)

    def _rebuild(self) -> None:
        while len(self.views) > len(self.desk.pins):
            view = self.views.pop()
            self._row.removeWidget(view)
            view.deleteLater()
        while len(self.views) < min(len(self.desk.pins), MOST_PINS):
            view = PinView(self.desk, self.theme, len(self.views))
            self.views.append(view)
            self._row.addWidget(view, 1)
        self._show()
        self.refresh()

    def _show(self) -> None:
        for view in self.views:
            view.setVisible(not self._folded)
        self.fold.setVisible(bool(self.views))
        self.fold.setText("unfold" if self._folded else "fold")
        self.setFixedHeight(30 if self._folded or not self.views else 168)

    def refresh(self) -> None:
        """Show figures and plots anew."""
        self._show_line()
        can = self.desk.selection in self.desk.study.all_elements and len(self.desk.pins) < MOST_PINS
        self.pin_button.setEnabled(can)
        for view, _ in zip(self.views, self.desk.pins, strict=False):
            view.refresh()

    def resizeEvent(self, event: QResizeEvent | None) -> None:  # noqa: N802
        """As many figures as there is room for."""
        super().resizeEvent(event)
        self._show_line()

    def _show_line(self) -> None:
        """Show the figures that fit; the last ones are left out first."""
        parts = self._figures()
        room = self.width() - 60 - sum(b.sizeHint().width() for b in (self.fold, self.pin_button) if b.isVisible())
        metrics = self._line.fontMetrics()
        while len(parts) > 1 and metrics.horizontalAdvance(" · ".join(parts)) > room:
            parts.pop()
        self._line.setText(" · ".join(parts))

    def _figures(self) -> list[str]:
        """Name, case, peak and what stands with it, of the selected element in the case in view."""
        desk, case = self.desk, self.desk.case_showing(self.desk.selection)
        if desk.results is None or case is None:
            return ["Pin an element's flow to keep it in view while you work."]
        figures = case.figures(desk.selection)
        system = desk.study.units
        unit = units.display_unit("flow", figures.peak.ordinate, system)
        when = case.when(figures.peak.time)
        runoff = units.show(figures.runoff_depth, "rain", system)
        return [
            desk.study.name_of(desk.selection),
            case_title(desk.results, case, desk.selection),
            f"peak {units.show(figures.peak.ordinate, 'flow', unit=unit)} at {when}",
            units.show(figures.per_area, "flow per area", system),
            f"runoff {runoff} ({units.show(figures.share_of_rain, 'share', digits=3)})",
        ]
