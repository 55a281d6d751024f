"""The pin strip at the foot of the window: a line of figures, and small plots of the pinned elements."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from tarnwater import units
from tarnwater.desk.desk import MOST_PINS, Desk
from tarnwater.desk.theme import Theme
from tarnwater.desk.widgets.labels import Words
from tarnwater.study.answers.figures import case_title

if TYPE_CHECKING:
    from tarnwater.desk.widgets.pin_view import PinView


class PinStrip(QWidget):
    """The pin strip: a line of figures, and small plots of the pinned elements. It can be folded."""

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
        """Apply another theme."""
        self.theme = theme
        for view in self.views:
            view.plot.set_theme(theme)

    def _rebuild(self) -> None:
        while len(self.views) > len(self.desk.pins):
            view = self.views.pop()
            self._row.removeWidget(view)
            view.deleteLater()
        while len(self.views) < min(len(self.desk.pins), MOST_PINS):
            # plots are loaded when the first one is shown
            from tarnwater.desk.widgets.pin_view import PinView

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
        """Show figures and plots again."""
        self._show_line()
        can = self.desk.selection in self.desk.study.all_elements and len(self.desk.pins) < MOST_PINS
        self.pin_button.setEnabled(can)
        for view, _ in zip(self.views, self.desk.pins, strict=False):
            view.refresh()

    def resizeEvent(self, event: QResizeEvent | None) -> None:  # noqa: N802
        """Show as many figures as fit."""
        super().resizeEvent(event)
        self._show_line()

    def _show_line(self) -> None:
        """Show the figures that fit; the last ones are omitted first."""
        parts = self._figures()
        room = self.width() - 60 - sum(b.sizeHint().width() for b in (self.fold, self.pin_button) if b.isVisible())
        metrics = self._line.fontMetrics()
        while len(parts) > 1 and metrics.horizontalAdvance(" · ".join(parts)) > room:
            parts.pop()
        self._line.setText(" · ".join(parts))

    def _figures(self) -> list[str]:
        """Name, case, peak and related figures of the selected element in the case in view."""
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
