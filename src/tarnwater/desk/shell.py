"""The window: course bar, bench, ledger, messages."""

from __future__ import annotations

from PyQt6.QtGui import QAction, QCloseEvent, QKeySequence
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QListWidget,
    QMainWindow,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tarnwater.desk.actions import ACTIONS
from tarnwater.desk.benches import BENCHES, Bench
from tarnwater.desk.desk import Desk, View
from tarnwater.desk.theme import DARK, LIGHT, Theme, figures_font, style_sheet
from tarnwater.desk.widgets.course_bar import CourseBar
from tarnwater.desk.widgets.finder import Entry, Finder
from tarnwater.desk.widgets.labels import Words, rule
from tarnwater.desk.widgets.ledger import Ledger
from tarnwater.study import edits
from tarnwater.study.findings import SEVERITIES


class Window(QMainWindow):
    """One study in one window."""

    desk: Desk

    def __init__(self, desk: Desk, theme: Theme = LIGHT) -> None:
        super().__init__()
        self.desk = desk
        self.theme = theme
        self._finding = -1
        self.resize(1280, 800)
        self.setMinimumSize(1024, 640)
        self.benches: list[Bench] = [bench(desk, theme) for bench in BENCHES]
        self.stack = QStackedWidget()
        for bench in self.benches:
            self.stack.addWidget(bench)
        self.bar = CourseBar(desk, [b.title for b in BENCHES], theme, self.find_action)
        self.bar.course.chosen.connect(self.go_to)
        self.ledger = Ledger(desk)
        self.found = QListWidget()
        self.found.setAccessibleName("Stops, doubts and notes")
        self.found.setFont(figures_font(8.5))
        self.found.setWordWrap(True)
        self.found.setFixedWidth(332)
        self.found.setMaximumHeight(230)
        self.found.hide()
        self.counts = QPushButton()
        self.counts.setAccessibleName("Stops and doubts")
        self.counts.setProperty("flat", True)
        self.counts.setFont(figures_font(9, bold=True))
        self.counts.clicked.connect(lambda: self.found.setVisible(self.found.isHidden()))
        self.found.itemActivated.connect(lambda _: self._go_to_finding(self.found.currentRow()))
        self.message = Words("", role="stop")
        self.message.setWordWrap(True)
        self.message.setContentsMargins(16, 2, 16, 4)
        self._lay_out()
        self._make_menus()
        desk.told.connect(self.tell)
        desk.study_changed.connect(self._study_changed)
        desk.results_changed.connect(self._results_changed)
        desk.view_changed.connect(self._view_changed)
        desk.selection_changed.connect(self._selection_changed)
        self.setStyleSheet(style_sheet(theme))
        self._study_changed()
        self.bench.take_focus()
        desk.compute()

    def _lay_out(self) -> None:
        side = QVBoxLayout()
        side.setContentsMargins(8, 6, 0, 0)
        side.addWidget(self.counts)
        side.addWidget(self.found)
        side.addWidget(self.ledger, 1)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.stack, 1)
        middle.addWidget(rule(upright=True))
        middle.addLayout(side)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.bar)
        column.addWidget(rule())
        column.addLayout(middle, 1)
        column.addWidget(self.message)
        self.message.hide()
        self.setCentralWidget(body)

    def _make_menus(self) -> None:
        bar = self.menuBar()
        assert bar is not None
        self._acts: list[QAction] = []
        menus = {name: bar.addMenu(name) for name in dict.fromkeys(a.menu for a in ACTIONS)}
        for action in ACTIONS:
            act = QAction(action.title(self), self)
            if action.key:
                act.setShortcut(QKeySequence(action.key))
            act.triggered.connect(lambda _=False, a=action: a.run(self))
            menu = menus[action.menu]
            assert menu is not None
            menu.addAction(act)
            self._acts.append(act)

    def _show_actions(self) -> None:
        for action, act in zip(ACTIONS, self._acts, strict=True):
            act.setText(action.title(self))
            act.setEnabled(action.enabled(self))

    @property
    def bench(self) -> Bench:
        """The bench at work."""
        return self.benches[self.stack.currentIndex()]

    def go_to(self, number: int) -> None:
        """Go to a bench."""
        if 0 <= number < len(self.benches):
            self.stack.setCurrentIndex(number)
            self.bench.refresh()
            self.bench.take_focus()
            self._show_states()

    def tell(self, message: str) -> None:
        """Say what went wrong, until the next act."""
        self.message.setText(message)
        self.message.setVisible(bool(message))

    def _show_states(self) -> None:
        self.bar.course.show_states(self.stack.currentIndex(), [b.state() for b in self.benches])
        self._show_actions()
        self.setWindowTitle(f"{self.desk.study.title} – Tarnwater")

    def _show_findings(self) -> None:
        self.found.clear()
        study = self.desk.study
        for finding in self.desk.findings:
            self.found.addItem(finding.told(study))
        counts = [(s, sum(f.severity == s for f in self.desk.findings)) for s in SEVERITIES]
        words = [f"{n} {s}{'s'[: n > 1]}" for s, n in counts if n]
        self.counts.setText(" · ".join(words) + "   F8" if words else "nothing is doubted")
        self.counts.setEnabled(bool(words))
        if not words:
            self.found.hide()

    def _study_changed(self) -> None:
        self.bench.refresh()
        self._show_findings()
        self._show_states()

    def _results_changed(self) -> None:
        self.bench.refresh()
        self._show_findings()
        self._show_states()

    def _view_changed(self) -> None:
        self.bench.refresh()

    def _selection_changed(self) -> None:
        self.bench.show_selected()
        self._show_actions()

    def walk_findings(self, step: int) -> None:
        """Go to the next or the previous finding."""
        if self.desk.findings:
            self._finding = (self._finding + step) % len(self.desk.findings)
            self._go_to_finding(self._finding)

    def _go_to_finding(self, number: int) -> None:
        if 0 <= number < len(self.desk.findings):
            self._finding = number
            finding = self.desk.findings[number]
            self.found.show()
            self.found.setCurrentRow(number)
            if finding.element:
                self.desk.select(finding.element)

    def find_action(self) -> None:
        """Open the action finder."""
        desk = self.desk
        entries = [Entry(a.title(self), a.key, lambda a=a: a.run(self)) for a in ACTIONS if a.enabled(self)]  # type: ignore[misc]
        entries += [Entry(e.name, e.kind, lambda k=k: desk.select(k)) for k, e in desk.study.elements.items()]  # type: ignore[misc]
        entries += self._storm_entries()
        for number, finding in enumerate(desk.findings):
            entries.append(Entry(finding.told(desk.study), "", lambda n=number: self._go_to_finding(n)))  # type: ignore[misc]
        finder = Finder(self, entries)
        finder.move(self.mapToGlobal(self.rect().center()) - finder.rect().center())
        finder.open()

    def _storm_entries(self) -> list[Entry]:
        view, results = self.desk.view, self.desk.results
        if view is None or results is None:
            return []
        storms = {r.case.storm for r in results.cases if r.case.point == view.point}
        return [
            Entry(s.title, "storm", lambda s=s: self._look_at(s.return_period, s.duration))  # type: ignore[misc]
            for s in sorted(storms, key=lambda s: (s.return_period, s.duration))
        ]

    def _look_at(self, return_period: float, duration: float) -> None:
        view = self.desk.view
        assert view is not None
        self.desk.look_at(View(view.condition, view.point, return_period, duration))

    def rename(self) -> None:
        """Ask for another name of the selected element."""
        old = self.desk.study.name_of(self.desk.selection)
        name, taken = QInputDialog.getText(self, "Rename", "Name", QLineEdit.EchoMode.Normal, old)
        if taken and name.strip() and name != old:
            self.desk.do(edits.rename_element, self.desk.selection, name.strip())

    def keep_point(self) -> None:
        """Answer Ctrl+S: the study is kept already; offer a named point."""
        label = "Every edit is kept as it is made. Name of a point to come back to:"
        name, taken = QInputDialog.getText(self, "Keep a named point", label)
        if taken and name.strip():
            self.desk.file.keep(name.strip())

    def turn_theme(self) -> None:
        """From light to dark and back."""
        self.theme = DARK if self.theme is LIGHT else LIGHT
        self.bar.course.theme = self.theme
        self.setStyleSheet(style_sheet(self.theme))
        for bench in self.benches:
            bench.set_theme(self.theme)
        self.bar.course.update()

    def closeEvent(self, event: QCloseEvent | None) -> None:  # noqa: N802
        """Stop what is under way; the study is on the disk already."""
        self.desk.close()
        super().closeEvent(event)


def application() -> QApplication:
    """The one application object."""
    app = QApplication.instance() or QApplication(["tarnwater"])
    assert isinstance(app, QApplication)
    app.setStyle("Fusion")
    app.setFont(figures_font(9))
    return app
