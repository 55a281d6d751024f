"""What the window stands on: one study, one selection, one case in view, the results, and news of each."""

from __future__ import annotations

import getpass
import platform
import traceback
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from tarnwater import __version__
from tarnwater.desk.aside import Aside
from tarnwater.desk.ground import Ground
from tarnwater.errors import TarnwaterError
from tarnwater.network.cache import ResultCache
from tarnwater.network.engine import Response
from tarnwater.network.graph import Network
from tarnwater.parameters import Setting
from tarnwater.progress import Progress
from tarnwater.study import edits
from tarnwater.study.cases import CaseResult, Results, RunMemo, compute_cases, points_of
from tarnwater.study.checks import check, check_results
from tarnwater.study.conditions import resolve
from tarnwater.study.document import Study
from tarnwater.study.fields import value_at
from tarnwater.study.file import StudyFile, now
from tarnwater.study.findings import Finding


@dataclass(frozen=True)
class View:
    """The case in view, the same on every bench; without a storm (family and duration) the governing one."""

    condition: str
    point: str
    return_period: float
    storm: tuple[str, float] | None = None


@dataclass(frozen=True)
class Pin:
    """A place whose flow is kept in view; it follows the case in view, or is held on a case of its own.

    ``ghost`` holds results that were frozen to compare with; without them the state before the last
    edit is the ghost.
    """

    element: str
    held: View | None = None
    ghost: Results | None = None


class Desk(QObject):
    """Holds the present study and announces what changed; edits, computing and selecting go through it."""

    study_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    view_changed = pyqtSignal()
    results_changed = pyqtSignal()
    scope_changed = pyqtSignal()
    pins_changed = pyqtSignal()
    told = pyqtSignal(str)
    faulted = pyqtSignal(str)
    led_to = pyqtSignal(str)
    demo_wanted = pyqtSignal()
    study_wanted = pyqtSignal(object)

    def __init__(self, file: StudyFile) -> None:
        super().__init__()
        self.file = file
        self.aside = Aside(self)
        self.results: Results | None = None
        self.before: Results | None = None
        self.findings: list[Finding] = check(file.study)
        self._document_findings = self.findings
        self.selection = next(iter(file.study.elements), "")
        self.view: View | None = None
        self.edits_in = ""
        self.pins: list[Pin] = []
        self.unfinished = False
        self._waiting = True
        self._cache: ResultCache[Response] = ResultCache()
        self._runs = RunMemo()
        self._computing: Progress | None = None
        self._who = _person()
        self.ground = Ground(self)

    @property
    def study(self) -> Study:
        """The present study."""
        return self.file.study

    @property
    def computing(self) -> bool:
        """Whether results are under way, or will be as soon as the window stands."""
        return self._waiting or self._computing is not None

    def stamp(self, note: str = "") -> dict[str, str]:
        """Who types now, for a typed value."""
        return {"by": self.study.author or self._who, "at": now(), "note": note}

    @property
    def network(self) -> Network:
        """The network that is shown and edited: of all conditions, or of the one that edits change."""
        if self.edits_in:
            return resolve(self.study, self.edits_in)
        return Network(self.study.elements, self.study.links)

    @property
    def elements(self) -> Mapping[str, Any]:
        """Elements as they are shown and edited."""
        return self.network.elements if self.edits_in else self.study.elements

    def turn_scope(self) -> None:
        """From edits for all conditions to edits only for the one in view, and back."""
        if self.edits_in:
            self.edits_in = ""
        elif self.view is not None and self.view.condition in self.study.conditions:
            self.edits_in = self.view.condition
        else:
            self.edits_in = next(iter(self.study.conditions))
        self.scope_changed.emit()

    def turn_scope_to(self, condition: str) -> None:
        """Put a condition in view, and make edits count in it only."""
        view = self.view
        if view is not None:
            self.look_at(View(condition, view.point, view.return_period, view.storm))
        self.edits_in = condition
        self.scope_changed.emit()

    def type_values(self, values: Sequence[tuple[str, str, float]], note: str = "") -> bool:
        """Type values (element, field, number in the base unit) as one act, where edits count."""
        stamp = self.stamp(note)
        if len(values) > 1:
            return self.do(edits.type_many, values, condition=self.edits_in, **stamp)
        element, field, number = values[0]
        if self.edits_in:
            return self.do(edits.type_in_condition, self.edits_in, element, field, number, **stamp)
        return self.do(edits.type_value, element, field, number, **stamp)

    def give_back(self, values: Sequence[tuple[str, str]]) -> bool:
        """Give typed values (element, field) back as one act, where edits count."""
        if len(values) > 1:
            return self.do(edits.give_back_many, values, condition=self.edits_in)
        element, field = values[0]
        if not isinstance(value_at(self.elements[element], field), Setting):
            return True
        if self.edits_in:
            return self.do(edits.give_back_in_condition, self.edits_in, element, field)
        return self.do(edits.give_back, element, field)

    def choose(self, element: str, field: str, value: Any) -> bool:
        """Choose a method, surfaces or a cover, where edits count."""
        if self.edits_in:
            return self.do(edits.type_in_condition, self.edits_in, element, field, value, **self.stamp())
        return self.do(edits.choose, element, field, value)

    def do(self, edit: Callable[..., Study], *args: Any, **kwargs: Any) -> bool:
        """Make an edit; what refuses it is told, and the answer is whether it was made."""
        try:
            label, new = self.file.history.made(edit, *args, **kwargs)
        except TarnwaterError as error:
            self.told.emit(str(error))
            return False
        return self._change(new, lambda: self.file.history.publish(label, new))

    def restore(self, name: str) -> bool:
        """Make a named point the present study."""
        return self._change(self.file.history.point(name).study, lambda: self.file.history.restore(name))

    def undo(self) -> bool:
        """Go back one act."""
        past = self.file.history.past
        return bool(past) and self._change(past[-1].undone(self.study), self.file.history.undo)

    def redo(self) -> bool:
        """Go forth one act."""
        future = self.file.history.future
        return bool(future) and self._change(future[-1].redone(self.study), self.file.history.redo)

    def _change(self, new: Study, publish: Callable[[], Study]) -> bool:
        """Publish a study; computing begins while the disk still writes."""
        before = self.study
        if new == before:
            self.told.emit("")
            return True
        findings = check(new)
        self._begin(new, findings)
        try:
            publish()
        except TarnwaterError as error:
            self._begin(before, self._document_findings)
            self.told.emit(str(error))
            return False
        self.findings = self._document_findings = findings
        if self.selection not in new.all_elements:
            self.selection = next(iter(new.elements), "")
        if self.edits_in not in new.conditions:
            self.edits_in = ""
        self.pins = [pin for pin in self.pins if pin.element in new.all_elements]
        self.told.emit("")
        self.study_changed.emit()
        if self._computing is None:
            self.results_changed.emit()
        return True

    def select(self, key: str) -> None:
        """Make an element the one selected, on every bench."""
        if key != self.selection and key in self.study.all_elements:
            self.selection = key
            self.selection_changed.emit()

    def look_at(self, view: View) -> None:
        """Put another case in view."""
        if view != self.view:
            self.view = view
            if self.edits_in and self.edits_in != view.condition:
                self.edits_in = ""
                self.scope_changed.emit()
            self.view_changed.emit()

    def compute(self) -> None:
        """Compute all cases aside; an edit meanwhile supersedes the work."""
        self._begin(self.study, self._document_findings)
        if self._computing is None:
            self.results_changed.emit()

    def _begin(self, study: Study, findings: list[Finding]) -> None:
        self._waiting = False
        if self._computing is not None:
            superseded, self._computing = self._computing, None
            self.aside.cancel(superseded)
        nothing = not study.families or not any(points_of(study, condition) for condition in study.conditions)
        if nothing:
            self.results = None
            return

        def work(progress: Progress) -> tuple[Results, list[Finding]]:
            results = compute_cases(study, cache=self._cache, runs=self._runs, progress=progress)
            return results, check_results(results, progress)

        progress = self.aside.run(work, self._computed, self._failed, "Computing", lambda: self._stopped(progress))
        self._computing = progress

    def _stopped(self, progress: Progress) -> None:
        """The person stopped the computing; what edits superseded is another matter."""
        if self._computing is progress:
            self._computing = self.results = None
            self.told.emit("Computing was stopped: no results are shown. F5 computes.")
            self.results_changed.emit()

    def _computed(self, found: tuple[Results, list[Finding]]) -> None:
        self._computing = None
        results, doubts = found
        if results.study is not self.study:
            return
        self.before, self.results = self.results, results
        self.findings = [*self._document_findings, *doubts]
        if self.view is None or not results.of(self.view.condition, self.view.point, self.view.return_period):
            self.view = self._first_view(results)
            self.view_changed.emit()
        self.results_changed.emit()

    def _first_view(self, results: Results) -> View | None:
        points = {r.case.point for r in results.cases}
        if not points:
            return None
        wanted = self.view.point if self.view is not None else ""
        chosen = (p for p in (wanted, *self.study.design_points) if p in points)
        point = next(chosen, results.cases[0].case.point)
        own = [r.case for r in results.cases if r.case.point == point]
        periods = sorted({case.storm.return_period for case in own})
        return View(own[0].condition, point, periods[len(periods) // 2])

    def _failed(self, error: BaseException) -> None:
        self._computing = None
        self.results = None
        self.fault(error)
        self.results_changed.emit()

    def fault(self, error: BaseException) -> None:
        """Tell what stopped a piece of work; a fault of the program itself comes with a report to copy."""
        if isinstance(error, TarnwaterError):
            self.told.emit(str(error))
        else:
            self.faulted.emit(report_of(error))

    def case_in_view(self, results: Results | None = None, condition: str | None = None) -> CaseResult | None:
        """The computed case in view, of these or the present results, in its or another condition."""
        if self.view is None:
            return None
        view = self.view
        return self.case_of(View(condition or view.condition, view.point, view.return_period, view.storm), results)

    def case_of(self, view: View, results: Results | None = None) -> CaseResult | None:
        """The computed case of a view, of these or the present results."""
        results = results or self.results
        if results is None:
            return None
        if view.storm is None:
            return results.governing(view.condition, view.point, view.return_period)
        own = results.all_of(view.condition, view.point, view.return_period)
        return next((r for r in own if (r.case.storm.family, r.case.storm.duration) == view.storm), None)

    def pin(self, element: str) -> None:
        """Keep the flow of an element in view."""
        if element in self.study.all_elements and all(p.element != element or p.held for p in self.pins):
            self.pins.append(Pin(element))
            self.pins_changed.emit()

    def replace_pin(self, number: int, pin: Pin | None) -> None:
        """Change a pin, or take it off."""
        self.pins[number : number + 1] = [] if pin is None else [pin]
        self.pins_changed.emit()

    def close(self) -> None:
        """Stop what is under way and close the study."""
        self.aside.stop()
        self.file.close()


def _person() -> str:
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return ""


def report_of(error: BaseException) -> str:
    """A report of a fault of the program, to be copied: what failed and where; nothing of the study."""
    trace = "".join(traceback.format_exception(error))
    return f"Tarnwater {__version__}, Python {platform.python_version()}, {platform.platform()}\n\n{trace}"
