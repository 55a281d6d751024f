"""The window: course bar, bench, ledger, pins, messages."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QLockFile, Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QIcon, QKeyEvent, QKeySequence, QShowEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QListWidget,
    QMainWindow,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tarnwater.brief.tables import write_tables
from tarnwater.desk.actions import ACTIONS
from tarnwater.desk.benches import COURSE, Bench
from tarnwater.desk.desk import Desk, View
from tarnwater.desk.dialogs.fault import Fault
from tarnwater.desk.dialogs.keys import Keys
from tarnwater.desk.dialogs.limits import Limits
from tarnwater.desk.dialogs.named_points import NamedPoints
from tarnwater.desk.dialogs.study_details import StudyDetails
from tarnwater.desk.entry import ICON
from tarnwater.desk.ledger import WIDTH, Ledger
from tarnwater.desk.meanings import meaning_of
from tarnwater.desk.preferences import Preferences, was_asked_again
from tarnwater.desk.printing import print_view
from tarnwater.desk.theme import DARK, LIGHT, Theme, desk_font, style_sheet
from tarnwater.desk.tidying import Tidying
from tarnwater.desk.widgets.course_bar import CourseBar
from tarnwater.desk.widgets.finder import Entry, Finder
from tarnwater.desk.widgets.labels import Words, rule
from tarnwater.desk.widgets.pin_strip import PinStrip
from tarnwater.desk.widgets.progress_strip import ProgressStrip
from tarnwater.errors import TarnwaterError
from tarnwater.study import edits
from tarnwater.study.answers.storms import Event, Storm, event_title, storm_title
from tarnwater.study.checks.acceptance import accept, doubt_again
from tarnwater.study.checks.findings import Finding, Remedy, counted
from tarnwater.study.checks.mending import acting, mend, named
from tarnwater.study.document import Study
from tarnwater.study.document.fields import quantities_in
from tarnwater.study.file import SUFFIX, StudyFile

if TYPE_CHECKING:
    from tarnwater.desk.benches.ground import GroundBench

#: Keys of what undoes: the finder ranks these last, since a slip there would take an act back.
UNDOING = ("Ctrl+Z", "Ctrl+Shift+Z")

#: A screen of 1280 x 800 at a scale of 150 % still holds the window.
SMALLEST = (853, 520)

#: Results that take longer than this after an edit, ms, are not waited for to show it.
LATE = 120

#: How often it is looked whether another program wrote to the study, ms.
LOOK_AT_FILE = 1000

#: How long what is said at the foot stays, ms.
SAID_FOR = 8000

#: The finder holds the values of no more elements: of more it would open late.
MOST_WITH_VALUES = 300

STUDY_FILES = f"Studies (*{SUFFIX});;All files (*)"


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
        self._finding, self._step = -1, 0
        self._gone_to: tuple[str, ...] = ()
        self._asked_from: QWidget | None = None
        self._begun = False
        self._shown: list[str] = []
        self._told: list[str] = []
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
        self._make_findings()
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
        desk.led_to.connect(self.lead_to)
        desk.study_changed.connect(self._study_changed)
        desk.results_changed.connect(self.refresh)
        desk.view_changed.connect(self.refresh)
        desk.scope_changed.connect(self.refresh)
        desk.gathered_changed.connect(self._show_actions)
        desk.selection_changed.connect(self._selection_changed)
        desk.ground.changed.connect(self._show_states)
        self.setStyleSheet(style_sheet(self.theme))
        self._restore_state()
        desk.ground.show_kept()
        self.stack.setCurrentWidget(self.bench)
        self.refresh()
        self.bench.take_focus()

    def showEvent(self, event: QShowEvent | None) -> None:  # noqa: N802
        """Begin to work when the first picture of the window stands."""
        super().showEvent(event)
        if not self._begun:
            self._begun = True
            QTimer.singleShot(0, lambda: QTimer.singleShot(0, self.work))

    def work(self) -> None:
        """Open the terrain where it is not, and compute."""
        self.desk.ground.follow()
        self.desk.compute()

    def _make_findings(self) -> None:
        self.found = QListWidget()
        self.found.setAccessibleName("Stops, doubts and notes")
        self.found.setFont(desk_font(8.5))
        self.found.setWordWrap(True)
        self.found.setFixedWidth(WIDTH - 8)
        self.found.setMaximumHeight(230)
        self.found.hide()
        self.counts = QPushButton()
        self.counts.setAccessibleName("Stops and doubts")
        self.counts.setProperty("flat", True)
        self.counts.setFont(desk_font(9, bold=True))
        self.counts.clicked.connect(lambda: self.found.setVisible(self.found.isHidden()))
        self.found.itemActivated.connect(lambda _: self._go_to_finding(self.found.currentRow()))
        self.found.itemClicked.connect(lambda _: self._go_to_finding(self.found.currentRow()))

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
            act = QAction(action.title(self), self)
            if action.key:
                act.setShortcut(QKeySequence(action.key))
            act.triggered.connect(lambda _=False, a=action: a.run(self))
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
            act.triggered.connect(lambda _=False, p=path: self.open_path(p))
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

    def _show_actions(self) -> None:
        for action, act in zip(ACTIONS, self._acts, strict=True):
            act.setText(action.title(self))
            act.setEnabled(action.enabled(self))

    def _restore_state(self) -> None:
        if self.preferences is None:
            return
        if not self.preferences.geometry.isEmpty():
            self.restoreGeometry(self.preferences.geometry)
        titles = [bench.title for bench in COURSE]
        if self.preferences.bench in titles:
            self._number = titles.index(self.preferences.bench)

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
        """Every bench, those not yet visited made now."""
        return [self._bench(number) for number in range(len(COURSE))]

    def _bench(self, number: int) -> Bench:
        """A bench, made when it is first visited."""
        if number not in self._visited:
            self._visited[number] = COURSE[number].open(self.desk, self.theme)
            self.stack.addWidget(self._visited[number])
        return self._visited[number]

    def go_to(self, number: int) -> None:
        """Go to a bench; what was gathered on another is let go."""
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
        """Say what went wrong, until the next act."""
        if not message and self._unsay.isActive():
            # what was said stays its while: only trouble goes with the next act
            return
        self._unsay.stop()
        self._show_message(message, "stop")

    def say(self, words: str) -> None:
        """Say at the foot what was done, for a while."""
        self._show_message(words, "quiet")
        self._unsay.start()

    def _look_around(self) -> None:
        """See whether another program wrote to the study, or somebody wanted to open it once more."""
        self.desk.follow_file()
        if self._lock is not None and was_asked_again(self.desk.file.path):
            self.raise_()
            self.activateWindow()
            self.say("The study was to be opened once more: it is open in this window.")

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
        self._show_actions()
        self.setWindowTitle(f"{self.desk.study.title} – Tarnwater")

    def _show_findings(self) -> None:
        study = self.desk.study
        told = [finding.told(study) for finding in self.desk.findings]
        if told != self._told:
            self._told = told
            self.found.clear()
            self.found.addItems(told)
            present = self._finding_gone_to()
            if present is not None:
                self.found.setCurrentRow(self.desk.findings.index(present))
        words = counted(self.desk.findings)
        self.counts.setText(" · ".join(words) + "   F8" if words else "No problems found")
        self.counts.setEnabled(bool(words))
        if not words:
            self.found.hide()

    def _study_changed(self) -> None:
        """Show the study with its results in one go where they come at once, and without them where not."""
        self._show_actions()
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
        self._show_findings()
        self._show_states()

    def _selection_changed(self) -> None:
        self.bench.show_selected()
        self.ledger.turn_to_another()
        self.pins.refresh()
        self._show_actions()

    # stops and doubts

    def walk_findings(self, step: int) -> None:
        """Go to the next or the previous finding."""
        findings = self.desk.findings
        if findings:
            present = self._finding_gone_to()
            if present is None:
                # the one that was gone to is settled: what followed it stands in its place
                number = self._finding if step > 0 and self._gone_to else self._finding + step
            else:
                number = findings.index(present) + step
            self._go_to_finding(number % len(findings))

    def _finding_gone_to(self) -> Finding | None:
        """The finding that was gone to last, as it is now; None where it is settled."""
        return next((one for one in self.desk.findings if one.key == self._gone_to), None)

    def _go_to_finding(self, number: int) -> None:
        if 0 <= number < len(self.desk.findings):
            # of many of a kind the next one each time
            finding = self.desk.findings[number]
            self._step = self._step + 1 if finding.key == self._gone_to else 0
            self._finding, self._gone_to = number, finding.key
            self._show_actions()
            self.found.show()
            self.found.setCurrentRow(number)
            self._go_to_place(finding.walked(self._step))

    def _go_to_place(self, finding: Finding) -> None:
        """Lead to where a finding is settled: its element, its field, its place on the map, or its bench."""
        if finding.element:
            self.desk.select(finding.element)
        elif finding.field.split("/")[0] in ("tables", "families", "storms"):
            self.go_to_bench("Rain")
        if finding.at is not None:
            self.go_to_bench("Ground")
            cast("GroundBench", self.bench).canvas.lead_to(*finding.at)
        elif finding.field:
            self.ledger.go_to(finding.field)

    def accept_doubt(self) -> None:
        """Accept the doubt that was gone to, for a reason; one that was accepted is doubted again."""
        desk, finding = self.desk, self._finding_gone_to()
        if finding is None:
            self.say("F8 goes to a doubt first; the one gone to is accepted.")
            return
        if finding.severity == "accepted":
            desk.do(doubt_again, finding, f"doubt again: {finding.code}")
            return
        if finding.severity != "doubt":
            self.say("F8 goes to a doubt first; only doubts can be accepted.")
            return
        reason, taken = QInputDialog.getText(self, "Accept the doubt", f"{finding.told(desk.study)}\n\nReason")
        if taken:
            desk.do(accept, finding, reason, f"accept the doubt {finding.code}", **without_note(desk.stamp()))

    def remedies(self) -> list[Remedy]:
        """What can be applied against the finding that was gone to."""
        finding = self._finding_gone_to()
        return [] if finding is None else acting(finding.walked(self._step))

    def apply_remedy(self) -> None:
        """Apply the remedy of the finding that was gone to; of several a person chooses."""
        offered = self.remedies()
        if len(offered) == 1:
            self._apply(offered[0])
        elif offered:
            entries = [Entry(remedy.text, "remedy", partial(self._apply, remedy)) for remedy in offered]
            self._open_finder(entries, "Which remedy …")
        else:
            self.say("F8 goes to a stop or a doubt; where its remedy is an edit, this applies it.")

    def _apply(self, remedy: Remedy) -> None:
        finding = self._finding_gone_to()
        if finding is not None:
            one = finding.walked(self._step)
            if self.desk.do(mend, one, remedy, named(self.desk.study, remedy, one)):
                self.say(f"Done: {remedy.text}")

    def lead_to(self, place: str) -> None:
        """Lead to the source of a number: the table, the map or the field."""
        kind, _, rest = place.partition("/")
        if kind == "tables":
            self.go_to_bench("Rain")
        elif kind == "benches":
            self.go_to_bench(rest)
        elif kind == "run":
            self.set_step()
        elif kind in self.desk.study.all_elements:
            self.desk.select(kind)
            if not self.ledger.go_to(rest):
                self.go_to_bench("Ground")

    def ask(self) -> None:
        """Ask the number that has the keys where it came from, or the control what it means.

        Where neither has them, it is the peak of what is selected that is asked.
        """
        widget: QWidget | None = QApplication.focusWidget()
        while widget is not None:
            asked = getattr(widget, "asked", None)
            if isinstance(asked, str) and asked:
                self._ask_in_ledger(asked)
                return
            if callable(asked) and (found := asked()) is not None:
                self.desk.select(found[0])
                self._ask_in_ledger(found[1])
                return
            if told := meaning_of(widget):
                self.say(told)
                return
            widget = widget.parentWidget()
        self._ask_in_ledger("peak")

    def _ask_in_ledger(self, asked: str) -> None:
        """Open a reckoning and put the keys on it; close it again, and give them back."""
        before: QWidget | None = QApplication.focusWidget()
        self.ledger.ask(asked)
        answer = self.ledger.answer
        if answer is not None:
            self._asked_from = before if self._asked_from is None else self._asked_from
            answer.take_focus()
        elif self._asked_from is not None:
            came, self._asked_from = self._asked_from, None
            with contextlib.suppress(RuntimeError):
                # the field may have gone with another element
                came.setFocus()

    def choose_unit(self) -> None:
        """Open the units of the field or the column that has the keys."""
        widget: QWidget | None = QApplication.focusWidget()
        while widget is not None:
            choose = getattr(widget, "choose_unit", None)
            if callable(choose) and widget is not self:
                choose()
                return
            widget = widget.parentWidget()
        self.say("The unit of a field of the ledger, or of a column of a sheet, is changed where the keys are.")

    def go_to_ledger(self) -> None:
        """Put the keys on the first field of the ledger, and bring it in sight."""
        self.ledger.go_to_first()

    # finding

    def find_action(self) -> None:
        """Open the action finder."""
        desk = self.desk
        entries = [
            Entry(a.title(self), a.key, lambda a=a: a.run(self), last=a.key in UNDOING)  # type: ignore[misc]
            for a in ACTIONS
            if a.enabled(self)
        ]
        entries += [Entry(e.name, e.tag(), lambda k=k: desk.select(k)) for k, e in desk.study.all_elements.items()]  # type: ignore[misc]
        entries += self._value_entries() + self._view_entries() + self._storm_entries()
        entries += [Entry(str(p), "recent study", lambda p=p: self.open_path(p)) for p in self._recent()]  # type: ignore[misc]
        for number, finding in enumerate(desk.findings):
            entries.append(Entry(finding.told(desk.study), "", lambda n=number: self._go_to_finding(n)))  # type: ignore[misc]
        self._open_finder(entries, "An action, an element, a storm, a doubt …")

    def _open_finder(self, entries: list[Entry], hint: str) -> None:
        finder = Finder(self, entries, hint)
        finder.move(self.mapToGlobal(self.rect().center()) - finder.rect().center())
        finder.open()

    def _value_entries(self) -> list[Entry]:
        """Values of every element, by the names that the ledger gives them; those of the selected one first."""
        elements = self.desk.elements
        keys = sorted(elements, key=lambda key: key != self.desk.selection)
        return [
            Entry(
                path.rsplit("/", 1)[-1].replace("_", " "),
                f"of {elements[key].name}",
                lambda k=key, p=path: self._go_to_value(k, p),  # type: ignore[misc]
                by_beside=True,
            )
            for key in keys[:MOST_WITH_VALUES]
            for path, _, _ in quantities_in(elements[key])
        ]

    def _go_to_value(self, element: str, path: str) -> None:
        """Put the keys on a field of an element."""
        self.desk.select(element)
        self.ledger.go_to(path)

    def _view_entries(self) -> list[Entry]:
        """Conditions and events to put in view."""
        desk, view = self.desk, self.desk.view
        entries = [
            Entry(c.name, "condition", lambda k=k: desk.turn_scope_to(k))  # type: ignore[misc]
            for k, c in desk.study.conditions.items()
        ]
        events = [] if view is None or desk.results is None else desk.results.events_of(view.condition, view.point)
        for event in events:
            kind = "storm" if isinstance(event, str) else "return period"
            entries.append(Entry(event_title(desk.study, event), kind, partial(self._look_at_event, event)))
        return entries

    def _look_at_event(self, event: Event) -> None:
        if self.desk.view is not None:
            self.desk.look_at(replace(self.desk.view, event=event, storm=None))

    def _storm_entries(self) -> list[Entry]:
        view, results = self.desk.view, self.desk.results
        if view is None or results is None:
            return []
        design = (r.case for r in results.cases if r.case.point == view.point and not isinstance(r.case.event, str))
        storms = {case.storm for case in design}
        return [
            Entry(storm_title(self.desk.study, s), "storm", lambda s=s: self._look_at(s))  # type: ignore[misc]
            for s in sorted(storms, key=lambda s: (s.key, s.event, s.duration))
        ]

    def _look_at(self, storm: Storm) -> None:
        view = self.desk.view
        assert view is not None
        self.desk.look_at(View(view.condition, view.point, storm.event, (storm.key, storm.duration)))

    # acts on the selected element

    def drain_into(self) -> None:
        """Choose by name what the chosen elements drain into."""
        ups = self.desk.chosen
        entries = [
            Entry(e.name, e.tag(), lambda k=k: self.desk.connect(ups, k))  # type: ignore[misc]
            for k, e in self.desk.elements.items()
            if k not in ups
        ]
        who = f"{len(ups)} elements drain" if len(ups) > 1 else f"{self.desk.study.name_of(ups[0])} drains"
        self._open_finder(entries, f"{who} into …")

    def show_limits(self) -> None:
        """What is allowed at the selected element."""
        Limits(self, self.desk, self.desk.selection).open()

    def add_condition(self) -> None:
        """Ask for the name of a condition that inherits from the one in view, and edit it."""
        desk = self.desk
        parent = desk.view.condition if desk.view is not None else next(iter(desk.study.conditions))
        asked = f"Name of a condition that begins as {desk.study.conditions[parent].name}"
        name, taken = QInputDialog.getText(self, "Add a condition", asked)
        if not taken or not name.strip():
            return
        if desk.do(edits.add_condition, name.strip(), parent):
            desk.turn_scope_to(list(desk.study.conditions)[-1])

    def remove_condition(self) -> None:
        """Remove the condition in view."""
        if self.desk.view is not None:
            self.desk.do(edits.remove_condition, self.desk.view.condition)

    def rename(self) -> None:
        """Ask for another name of the selected element."""
        old = self.desk.study.name_of(self.desk.selection)
        name, taken = QInputDialog.getText(self, "Rename", "Name", QLineEdit.EchoMode.Normal, old)
        if taken and name.strip() and name != old:
            self.desk.do(edits.rename_element, self.desk.selection, name.strip())

    def set_step(self) -> None:
        """Choose the step of the run."""
        from tarnwater.study.document import STEPS

        present = self.desk.study.run.step.value
        names = [f"{s / 60:g} min" for s in STEPS]
        at = STEPS.index(present) if present in STEPS else 0
        chosen, taken = QInputDialog.getItem(self, "Step of the run", "Step", names, at, editable=False)
        if taken:
            self.desk.do(edits.set_step, STEPS[names.index(chosen)], **self.desk.stamp())

    # studies

    def show_points(self) -> None:
        """Keep, compare and restore named points."""
        NamedPoints(self, self.desk).open()

    def show_details(self) -> None:
        """Title, number, author and checker."""
        StudyDetails(self, self.desk).open()

    def open_terrain(self) -> None:
        """Open a terrain on the Ground bench."""
        self.go_to_bench("Ground")
        cast("GroundBench", self.bench).open_terrain()

    def new_study(self) -> None:
        """Begin an empty study in a file of its own."""
        path = self._asked_path("New study", "new-study")
        if path is not None:
            title = path.name.removesuffix(SUFFIX).replace("-", " ").replace("_", " ").strip().capitalize()
            study = self.desk.study
            # one begins in the units last used
            new = Study(title=title or "New study", units=study.units, entry_units=study.entry_units)
            self._made(lambda: StudyFile.create(path, new), path)

    def keep_as(self) -> None:
        """Keep the study as another file, and go on in that."""
        path = self._asked_path("Keep as another file", self.desk.file.path.name.removesuffix(SUFFIX))
        if path is not None:
            self._made(lambda: self.desk.file.keep_as(path), path)

    def write_results(self) -> None:
        """Ask for a folder, and write tables of peaks, hydrographs and balances into it."""
        chosen = QFileDialog.getExistingDirectory(
            self, "Folder for peaks and hydrographs", str(self.desk.file.path.parent),
            options=QFileDialog.Option.DontUseNativeDialog | QFileDialog.Option.ShowDirsOnly,
        )  # fmt: skip
        results = self.desk.results
        if not chosen or results is None:
            return

        def done(written: object) -> None:
            names = ", ".join(path.name for path in cast("list[Path]", written))
            self.say(f"Written into {chosen}: {names}.")

        self.desk.aside.run(lambda progress: write_tables(results, Path(chosen)), done, self.desk.fault, "Writing")

    def print_view(self) -> None:
        """Ask for a PDF file, and print the reckoning, the table or the plots in view into it."""
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Print to PDF", f"{self.bench_title.lower()}.pdf", "PDF (*.pdf)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )  # fmt: skip
        if not chosen:
            return
        path = Path(chosen if chosen.endswith(".pdf") else f"{chosen}.pdf")
        try:
            answer = self.ledger.answer
            what = print_view(self.desk, self.bench, None if answer is None else answer.node, path)
        except (TarnwaterError, OSError) as error:
            self.tell(str(error))
        else:
            self.say(f"Printed {what}: {path}.")

    def show_keys(self) -> None:
        """Every key on one page."""
        Keys(self, [(a.menu, a.key, a.title(self)) for a in ACTIONS]).open()

    def _asked_path(self, title: str, name: str) -> Path | None:
        chosen, _ = QFileDialog.getSaveFileName(
            self, title, f"{name}{SUFFIX}", STUDY_FILES, options=QFileDialog.Option.DontUseNativeDialog
        )
        if not chosen:
            return None
        return Path(chosen if chosen.endswith(SUFFIX) else f"{chosen}{SUFFIX}")

    def _made(self, make: Callable[[], StudyFile], path: Path) -> None:
        try:
            make().close()
        except TarnwaterError as error:
            self.tell(str(error))
        else:
            self.open_path(path)

    def open_study(self) -> None:
        """Ask for a study file and open it."""
        chosen, _ = QFileDialog.getOpenFileName(
            self, "Open a study", str(self.desk.file.path.parent), STUDY_FILES,
            options=QFileDialog.Option.DontUseNativeDialog,
        )  # fmt: skip
        if chosen:
            self.open_path(Path(chosen))

    def open_demo(self) -> None:
        """Open the copy of the demo."""
        self.desk.demo_wanted.emit()

    def open_path(self, path: Path) -> None:
        """Open another study in this window's place; what stands against it is told."""
        self.desk.study_wanted.emit(path)

    # the window itself

    def turn_theme(self) -> None:
        """From light to dark and back."""
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
        """Escape stops long work, or closes the list of doubts."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            if self.progress.cancel_work():
                return
            if self.found.isVisible():
                self.found.hide()
                return
        super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent | None) -> None:  # noqa: N802
        """Stop what is under way; the study is on the disk already."""
        if self.preferences is not None:
            self.preferences.geometry = self.saveGeometry()
            self.preferences.bench = self.bench_title
        self.desk.close()
        if self._lock is not None:
            self._lock.unlock()
        super().closeEvent(event)


def without_note(stamp: dict[str, str]) -> dict[str, str]:
    """Who and when, without the note."""
    return {name: stamp[name] for name in ("by", "at")}


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
    app = QApplication.instance() or QApplication(["tarnwater"])
    assert isinstance(app, QApplication)
    if app.findChild(Tidying) is None:
        Tidying(app)
    app.setApplicationName("tarnwater")
    app.setDesktopFileName("tarnwater")
    app.setStyle("Fusion")
    app.setFont(desk_font(9))
    return app
