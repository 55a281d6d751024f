"""What the window stands on: one study, one selection, one case in view, the results, and news of each."""

from __future__ import annotations

import getpass
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from tarnwater.desk.aside import Aside
from tarnwater.errors import ComputationFailed, TarnwaterError
from tarnwater.network.cache import ResultCache
from tarnwater.network.engine import Response
from tarnwater.progress import Progress
from tarnwater.study.cases import CaseResult, Results, compute_cases
from tarnwater.study.checks import check, check_results
from tarnwater.study.document import Study
from tarnwater.study.file import StudyFile, now
from tarnwater.study.findings import Finding


@dataclass(frozen=True)
class View:
    """The case in view, the same on every bench; without a duration the governing one."""

    condition: str
    point: str
    return_period: float
    duration: float | None = None


class Desk(QObject):
    """Holds the present study and announces what changed; edits, computing and selecting go through it."""

    study_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    view_changed = pyqtSignal()
    results_changed = pyqtSignal()
    told = pyqtSignal(str)

    def __init__(self, file: StudyFile) -> None:
        super().__init__()
        self.file = file
        self.aside = Aside(self)
        self.results: Results | None = None
        self.before: Results | None = None
        self.findings: list[Finding] = check(file.study)
        self.selection = next(iter(file.study.elements), "")
        self.view: View | None = None
        self._cache: ResultCache[Response] = ResultCache()
        self._computing: Progress | None = None
        self._who = getpass.getuser()

    @property
    def study(self) -> Study:
        """The present study."""
        return self.file.study

    @property
    def computing(self) -> bool:
        """Whether results are under way."""
        return self._computing is not None

    def stamp(self, note: str = "") -> dict[str, str]:
        """Who types now, for a typed value."""
        return {"by": self.study.author or self._who, "at": now(), "note": note}

    def do(self, edit: Callable[..., Study], *args: Any, **kwargs: Any) -> bool:
        """Make an edit; what refuses it is told, and the answer is whether it was made."""
        return self._change(lambda: self.file.history.do(edit, *args, **kwargs))

    def undo(self) -> bool:
        """Go back one act."""
        return self._change(self.file.history.undo)

    def redo(self) -> bool:
        """Go forth one act."""
        return self._change(self.file.history.redo)

    def _change(self, act: Callable[[], Study]) -> bool:
        before = self.study
        try:
            act()
        except TarnwaterError as error:
            self.told.emit(str(error))
            return False
        if self.study is not before:
            self.told.emit("")
            self._follow()
        return True

    def _follow(self) -> None:
        if self.selection not in self.study.all_elements:
            self.selection = next(iter(self.study.elements), "")
        self.findings = check(self.study)
        self.study_changed.emit()
        self.compute()

    def select(self, key: str) -> None:
        """Make an element the one selected, on every bench."""
        if key != self.selection and key in self.study.all_elements:
            self.selection = key
            self.selection_changed.emit()

    def look_at(self, view: View) -> None:
        """Put another case in view."""
        if view != self.view:
            self.view = view
            self.view_changed.emit()

    def compute(self) -> None:
        """Compute all cases aside; an edit meanwhile supersedes the work."""
        if self._computing is not None:
            self._computing.cancel()
            self._computing = None
        if any(f.severity == "stop" for f in self.findings):
            self.results = None
            self.results_changed.emit()
            return
        study = self.study

        def work(progress: Progress) -> Results:
            return compute_cases(study, cache=self._cache, progress=progress)

        self._computing = self.aside.run(work, self._computed, self._failed)

    def _computed(self, results: Results) -> None:
        self._computing = None
        if results.study is not self.study:
            return
        self.before, self.results = self.results, results
        self.findings = [*check(self.study), *check_results(results)]
        if self.view is None or not results.of(self.view.condition, self.view.point, self.view.return_period):
            self.view = self._first_view(results)
            self.view_changed.emit()
        self.results_changed.emit()

    def _first_view(self, results: Results) -> View:
        points = {r.case.point for r in results.cases}
        point = next((p for p in self.study.design_points if p in points), results.cases[0].case.point)
        periods = sorted({r.case.storm.return_period for r in results.cases if r.case.point == point})
        return View(results.cases[0].case.condition, point, periods[len(periods) // 2])

    def _failed(self, error: BaseException) -> None:
        self._computing = None
        self.results = None
        if isinstance(error, ComputationFailed | TarnwaterError):
            self.told.emit(str(error))
        else:
            self.told.emit(f"A fault of the program: {error!r}. The study is whole; please report it.")
        self.results_changed.emit()

    def case_in_view(self, results: Results | None = None, condition: str | None = None) -> CaseResult | None:
        """The computed case in view, of these or the present results, in its or another condition."""
        results = results or self.results
        if results is None or self.view is None:
            return None
        wanted = condition or self.view.condition
        own = results.of(wanted, self.view.point, self.view.return_period)
        if self.view.duration is None:
            return results.governing(wanted, self.view.point, self.view.return_period)
        return next((r for r in own if r.case.storm.duration == self.view.duration), None)

    def close(self) -> None:
        """Stop what is under way and close the study."""
        self.aside.stop()
        self.file.close()
