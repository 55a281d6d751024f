"""The window: course bar, bench, ledger, pins, messages."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import cast

from PyQt6.QtCore import QLockFile, Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QIcon, QKeyEvent, QKeySequence, QShowEvent
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tarnwater.desk.actions import ACTIONS
from tarnwater.desk.acts import Acts
from tarnwater.desk.benches import COURSE, Bench
from tarnwater.desk.desk import Desk
from tarnwater.desk.dialogs.fault import Fault
from tarnwater.desk.entry import ICON
from tarnwater.desk.ledger import Ledger
from tarnwater.desk.preferences import Preferences, was_asked_again
from tarnwater.desk.theme import DARK, LIGHT, Theme, desk_font, style_sheet
from tarnwater.desk.tidying import Tidying
from tarnwater.desk.widgets.course_bar import CourseBar
from tarnwater.desk.widgets.finder import Entry, Finder
from tarnwater.desk.widgets.labels import Words, rule
from tarnwater.desk.widgets.pin_strip import PinStrip
from tarnwater.desk.widgets.progress_strip import ProgressStrip

#: Keys of what undoes: the finder ranks these last, because choosing one by mistake would undo an act.
UNDOING = ("Ctrl+Z", "Ctrl+Shift+Z")

#: Smallest size, which fits a screen of 1280 x 800 at a scale of 150 %.
SMALLEST = (853, 520)

#: Time that an edit waits for its results before it is shown, ms.
LATE = 120

#: Interval of the check whether another program wrote to the study, ms.
LOOK_AT_FILE = 1000

#: Time that a message at the foot is shown, ms.
SAID_FOR = 8000


class Window(QMainWindow):
    """One study in one window."""

    desk: Desk
    pins: PinStrip

    def __init__(
        self,
        desk: Desk,
        theme: Theme | None = None,
        preferences: Preferences | None = None,
        lock: QLockFile | None = None,
    ) -> None:
        super().__init__()
        self.desk = desk
        self.preferences = preferences
        self._lock = lock
        self.theme = theme or (DARK if preferences is not None and preferences.theme == "dark" else LIGHT)
        self._begun = False
        self._shown: list[str] = []
        self._late = QTimer(self)
        self._late.setSingleShot(True)
        self._late.setInterval(LATE)
        self._late.timeout.connect(self.refresh)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose, preferences is not None)
        self.setWindowIcon(icon())
        self.setMinimumSize(*SMALLEST)
        self.resize(*size_within_screen())
        self._visited: dict[int, Bench] = {}
        self._number = 0
        self.stack = QStackedWidget()
        self.bar = CourseBar(desk, [bench.title for bench in COURSE], self.theme, self.find_action)
        self.bar.course.chosen.connect(self.go_to)
        self.ledger = Ledger(desk)
        self.pins = PinStrip(desk, self.theme)
        self.progress = ProgressStrip(desk.aside)
        self.acts = Acts(self)
        self.found, self.counts = self.acts.findings.found, self.acts.findings.counts
        self.message = Words("", role="stop")
        self.message.setWordWrap(True)
        self.message.setContentsMargins(16, 2, 16, 4)
        self._lay_out()
        self._make_menus()
        desk.told.connect(self.tell)
        desk.said.connect(self.say)
        self._unsay = QTimer(self)
        self._unsay.setSingleShot(True)
        self._unsay.setInterval(SAID_FOR)
        self._unsay.timeout.connect(lambda: self._show_message("", "quiet"))
        self._look_at_file = QTimer(self)
        self._look_at_file.setInterval(LOOK_AT_FILE)
        self._look_at_file.timeout.connect(self._look_around)
        self._look_at_file.start()
        desk.faulted.connect(lambda report: Fault(self, report).open())
        desk.led_to.connect(self.acts.asking.lead_to)
        desk.study_changed.connect(self._study_changed)
        desk.results_changed.connect(self.refresh)
        desk.trial_changed.connect(self._show_trial)
        desk.view_changed.connect(self.refresh)
        desk.scope_changed.connect(self.refresh)
        desk.gathered_changed.connect(self.show_actions)
        desk.selection_changed.connect(self._selection_changed)
        desk.ground.changed.connect(self._show_states)
        self.setStyleSheet(style_sheet(self.theme))
        self._restore_state()
        desk.ground.show_kept()
        self.stack.setCurrentWidget(self.bench)
        self.refresh()
        self.bench.take_focus()

    def showEvent(self, event: QShowEvent | None) -> None:  # noqa: N802
        """Start working when the window is first shown."""
        super().showEvent(event)
        if not self._begun:
            self._begun = True
            QTimer.singleShot(0, lambda: QTimer.singleShot(0, self.work))

    def work(self) -> None:
        """Open the terrain if it is not open, and compute."""
        self.desk.ground.follow()
        self.desk.compute()

    def _lay_out(self) -> None:
        side = QVBoxLayout()
        side.setContentsMargins(0, 6, 0, 0)
        head = QHBoxLayout()
        head.setContentsMargins(14, 0, 4, 0)
        head.addWidget(self.counts)
        side.addLayout(head)
        side.addWidget(self.found)
        side.addWidget(self.ledger, 1)
        work = QVBoxLayout()
        work.setSpacing(0)
        work.addWidget(self.stack, 1)
        work.addWidget(rule())
        work.addWidget(self.pins)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addLayout(work, 1)
        middle.addWidget(rule(upright=True))
        middle.addLayout(side)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.bar)
        column.addWidget(rule())
        column.addLayout(middle, 1)
        column.addWidget(self.progress)
        column.addWidget(self.message)
        self.message.hide()
        self.setCentralWidget(body)

    def _make_menus(self) -> None:
        bar = self.menuBar()
        assert bar is not None
        self._acts: list[QAction] = []
        menus = {name: cast(QMenu, bar.addMenu(name)) for name in dict.fromkeys(a.menu for a in ACTIONS)}
        for action in ACTIONS:
            act = QAction(action.title(self.acts), self)
            if action.key:
                act.setShortcut(QKeySequence(action.key))
            act.triggered.connect(lambda _=False, a=action: a.run(self.acts))
            menus[action.menu].addAction(act)
            self._acts.append(act)
        recent = QMenu("Recent studies", self)
        recent.aboutToShow.connect(lambda: self._fill_recent(recent))
        menus["Study"].insertMenu(menus["Study"].actions()[2], recent)

    def _fill_recent(self, menu: QMenu) -> None:
        menu.clear()
        for path in self._recent():
            act = menu.addAction(str(path))
            assert act is not None
            act.triggered.connect(lambda _=False, p=path: self.acts.studies.open_path(p))
        if menu.isEmpty():
            act = menu.addAction("none yet")
            assert act is not None
            act.setEnabled(False)

    def _recent(self) -> list[Path]:
        return (
            []
            if self.preferences is None
            else [p for p in self.preferences.recent if p != self.desk.file.path.resolve()]
        )

    def show_actions(self) -> None:
        """Update titles and availability of the actions."""
        for action, act in zip(ACTIONS, self._acts, strict=True):
            act.setText(action.title(self.acts))
            act.setEnabled(action.enabled(self.acts))

    def _restore_state(self) -> None:
        if self.preferences is None:
            return
        if not self.preferences.geometry.isEmpty():
            self.restoreGeometry(self.preferences.geometry)
        titles = [bench.title for bench in COURSE]
        if self.preferences.bench in titles:
            self._number = titles.index(self.preferences.bench)

    @property
    def widget(self) -> QWidget:
        """The window, as what dialogs stand over."""
        return self

    @property
    def bench(self) -> Bench:
        """The bench at work."""
        return self._bench(self._number)

    @property
    def bench_title(self) -> str:
        """Name of the bench at work."""
        return COURSE[self._number].title

    @property
    def benches(self) -> list[Bench]:
        """All benches; those not yet visited are loaded now."""
        return [self._bench(number) for number in range(len(COURSE))]

    def _bench(self, number: int) -> Bench:
        """A bench, made when it is first visited."""
        if number not in self._visited:
            self._visited[number] = COURSE[number].open(self.desk, self.theme)
            self.stack.addWidget(self._visited[number])
        return self._visited[number]

    def go_to(self, number: int) -> None:
        """Go to a bench; elements gathered on another one are released."""
        if 0 <= number < len(COURSE):
            if number != self._number:
                self.desk.gather(())
            self._number = number
            self.stack.setCurrentWidget(self.bench)
            self.bench.refresh()
            self.bench.take_focus()
            self._show_states()

    def go_to_bench(self, title: str) -> None:
        """Go to the bench of a name."""
        self.go_to([bench.title for bench in COURSE].index(title))

    def tell(self, message: str) -> None:
        """Show an error until the next act."""
        if not message and self._unsay.isActive():
            # messages stay for their time; only errors are removed by the next act
            return
        self._unsay.stop()
        self._show_message(message, "stop")

    def say(self, words: str) -> None:
        """Say at the foot what was done, for a while."""
        self._show_message(words, "quiet")
        self._unsay.start()

    def _look_around(self) -> None:
        """Check whether another program wrote to the study, or someone tried to open it again."""
        self.desk.follow_file()
        if self._lock is not None and was_asked_again(self.desk.file.path):
            self.raise_()
            self.activateWindow()
            self.say("The study is already open in this window.")

    def _show_message(self, message: str, role: str) -> None:
        self.message.setText(message)
        self.message.setVisible(bool(message))
        if self.message.property("role") != role:
            self.message.setProperty("role", role)
            style = self.message.style()
            if style is not None:
                style.unpolish(self.message)
                style.polish(self.message)

    def _show_states(self) -> None:
        self.bar.course.show_states(self._number, [bench.state(self.desk) for bench in COURSE])
        self.show_actions()
        self.setWindowTitle(f"{self.desk.study.title} – Tarnwater")

    def _study_changed(self) -> None:
        """Show the study together with its results if they come at once, otherwise before them."""
        self.show_actions()
        if self.desk.computing and self._shown == list(self.desk.study.all_elements):
            self._late.start()
        else:
            self.refresh()

    def refresh(self) -> None:
        """Show the present study and results everywhere."""
        self._late.stop()
        self._shown = list(self.desk.study.all_elements)
        self.bench.refresh()
        self.ledger.refresh()
        self.pins.refresh()
        self.bar.refresh()
        self.acts.findings.refresh()
        self._show_states()

    def _show_trial(self) -> None:
        """Show what is tried out where figures of it stand."""
        self.bench.refresh()
        self.ledger.refresh()
        self.pins.refresh()

    def _selection_changed(self) -> None:
        self.bench.show_selected()
        self.ledger.turn_to_another()
        self.pins.refresh()
        self.show_actions()

    def find_action(self) -> None:
        """Open the action finder."""
        acts, findings = self.acts, self.acts.findings
        entries = [
            Entry(a.title(acts), a.key, lambda a=a: a.run(acts), last=a.key in UNDOING)  # type: ignore[misc]
            for a in ACTIONS
            if a.enabled(acts)
        ]
        entries += acts.places.entries()
        entries += [Entry(str(p), "recent study", lambda p=p: acts.studies.open_path(p)) for p in self._recent()]  # type: ignore[misc]
        for number, finding in enumerate(self.desk.findings):
            told = finding.told(self.desk.study)
            entries.append(Entry(told, "", lambda n=number: findings.go_to(n)))  # type: ignore[misc]
        self.offer(entries, "An action, an element, a storm, a doubt …")

    def offer(self, entries: Sequence[Entry], hint: str) -> None:
        """Open the finder on entries."""
        finder = Finder(self, list(entries), hint)
        finder.move(self.mapToGlobal(self.rect().center()) - finder.rect().center())
        finder.open()

    # the window itself

    def turn_theme(self) -> None:
        """Switch between light and dark."""
        self.theme = DARK if self.theme is LIGHT else LIGHT
        self.bar.course.theme = self.theme
        self.setStyleSheet(style_sheet(self.theme))
        for bench in self._visited.values():
            bench.set_theme(self.theme)
        self.pins.set_theme(self.theme)
        self.bar.course.update()
        if self.preferences is not None:
            self.preferences.theme = self.theme.name

    def keyPressEvent(self, event: QKeyEvent | None) -> None:  # noqa: N802
        """Handle Escape: cancel long work, or close the list of doubts."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            if self.progress.cancel_work():
                return
            if self.found.isVisible():
                self.found.hide()
                return
        super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent | None) -> None:  # noqa: N802
        """Cancel all work; the study is already on the disk."""
        if self.preferences is not None:
            self.preferences.geometry = self.saveGeometry()
            self.preferences.bench = self.bench_title
        self.desk.close()
        if self._lock is not None:
            self._lock.unlock()
        super().closeEvent(event)


def size_within_screen() -> tuple[int, int]:
    """Size of a first window: 1280 x 800, or what the screen has free."""
    screen = QApplication.primaryScreen()
    free = None if screen is None else screen.availableGeometry()
    return (1280, 800) if free is None else (min(1280, free.width()), min(800, free.height()))


def icon() -> QIcon:
    """The program's icon."""
    return QIcon(str(ICON))


def application() -> QApplication:
    """The one application object."""
    app = QApplication.instance()
    if app is None:
        # as an argument: `setStyle` would load every enumeration of styles
        app = QApplication(["tarnwater", "-style", "fusion"])
    else:
        assert isinstance(app, QApplication)
        app.setStyle("Fusion")
    if not any(isinstance(child, Tidying) for child in app.children()):
        Tidying(app)
    app.setApplicationName("tarnwater")
    app.setDesktopFileName("tarnwater")
    app.setFont(desk_font(9))
    return app
