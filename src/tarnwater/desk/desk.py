"""The state of a window: one study, one selection, one case in view, the results, and signals of changes."""

from __future__ import annotations

import contextlib
import getpass
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from tarnwater.desk.aside import Aside
from tarnwater.desk.faults import LOG, report_of
from tarnwater.desk.ground import Ground
from tarnwater.errors import ComputationFailed, TarnwaterError
from tarnwater.methods import Method
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Element
from tarnwater.network.engine import Response
from tarnwater.network.graph import Network
from tarnwater.parameters import Setting
from tarnwater.progress import Progress
from tarnwater.study import edits
from tarnwater.study.answers import CaseResult, Results, RunMemo, compute_cases, points_of
from tarnwater.study.answers.storms import Event, in_order
from tarnwater.study.checks import check, check_results
from tarnwater.study.checks.file import said_of_file
from tarnwater.study.checks.findings import Finding
from tarnwater.study.document import DesignPoint, Study
from tarnwater.study.document.conditions import lineage, resolve
from tarnwater.study.document.entry_units import first_units
from tarnwater.study.document.fields import value_at
from tarnwater.study.edits import slug
from tarnwater.study.edits.in_conditions import (
    add_draining_in,
    choose_many,
    connect_in,
    connect_many,
    home_of,
    lead_through_in,
    remove_in,
    remove_many,
)
from tarnwater.study.file import StudyFile, now

#: More pins than this side by side are too small to read.
MOST_PINS = 4


@dataclass(frozen=True)
class View:
    """The case in view, the same on every bench.

    Without a storm (its mark), the case that governs the event.
    """

    condition: str
    point: str
    event: Event
    storm: tuple[str, float, int] | None = None


@dataclass(frozen=True, eq=False)
class Trial:
    """What is tried out: the study that it would make, and the results that were there before it."""

    study: Study
    results: Results | None
    before: Results | None


@dataclass(frozen=True)
class Pin:
    """A pinned element; it follows the case in view, or is held on one case.

    ``ghost`` holds results that were frozen to compare with; without them the state before the last
    edit is the ghost.
    """

    element: str
    held: View | None = None
    ghost: Results | None = None


class Desk(QObject):
    """Holds the present study and signals changes; edits, computing and selecting go through it."""

    study_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    gathered_changed = pyqtSignal()
    view_changed = pyqtSignal()
    results_changed = pyqtSignal()
    trial_changed = pyqtSignal()
    scope_changed = pyqtSignal()
    pins_changed = pyqtSignal()
    told = pyqtSignal(str)
    said = pyqtSignal(str)
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
        self._file_findings = said_of_file(file.said_of_older, file.layers_changed_outside, file.damaged)
        self.findings: list[Finding] = [*check(file.study), *self._file_findings]
        self._document_findings = self.findings
        self._resolved: tuple[Study, str, Network] | None = None
        self.drafts: list[Callable[[], str]] = []
        self.selection = next(iter(file.study.elements), "")
        self.gathered: tuple[str, ...] = ()
        self.view: View | None = None
        self.edits_in = ""
        self.pins: list[Pin] = _kept_pins(file)
        self.unfinished = False
        self.trial: Trial | None = None
        self._waiting = True
        self._cache: ResultCache[Response] = ResultCache()
        self._runs = RunMemo()
        self._computing: Progress | None = None
        self._who = _person()
        self.ground = Ground(self, self)

    @property
    def study(self) -> Study:
        """The present study, or the one that is tried out."""
        return self.file.study if self.trial is None else self.trial.study

    @property
    def computing(self) -> bool:
        """Whether results are being computed, or will be when the window is shown."""
        return self._waiting or self._computing is not None

    def stamp(self, note: str = "") -> dict[str, str]:
        """Author and time of a value typed now."""
        return {"by": self.study.author or self._who, "at": now(), "note": note}

    @property
    def condition(self) -> str:
        """Key of the condition in view; the first one before there is a view."""
        if self.view is not None and self.view.condition in self.study.conditions:
            return self.view.condition
        return next(iter(self.study.conditions))

    @property
    def network(self) -> Network:
        """The network of the condition in view."""
        study, condition = self.study, self.condition
        if self._resolved is None or self._resolved[0] is not study or self._resolved[1] != condition:
            self._resolved = study, condition, resolve(study, condition)
        return self._resolved[2]

    @property
    def elements(self) -> Mapping[str, Element]:
        """Elements of the condition in view."""
        return self.network.elements

    def scope_of(self, element: str) -> str:
        """Key of the condition that an edit of an element applies to; empty for all of them.

        An element that only a condition has is always edited there.
        """
        if self.edits_in or element in self.study.elements or element not in self.study.all_elements:
            return self.edits_in
        return home_of(self.study, element)

    def turn_scope(self) -> None:
        """Switch between edits to all conditions and edits to the one in view."""
        self.edits_in = "" if self.edits_in else self.condition
        self.scope_changed.emit()

    def turn_scope_to(self, condition: str) -> None:
        """Put a condition in view; edits apply to it only."""
        view = self.view
        if view is None:
            self.edits_in = condition
            self.scope_changed.emit()
        else:
            self.look_at(replace(view, condition=condition))

    def type_values(
        self, values: Sequence[tuple[str, str, float]], note: str = "", texts: Mapping[str, str] | None = None
    ) -> bool:
        """Type values (element, field, number in the base unit) as one act, in the conditions that edits apply to.

        ``texts`` are the typed texts by field: the first unit typed for a quantity becomes its unit of entry.
        """
        stamp = self.stamp(note)
        scopes = {self.scope_of(element) for element, _, _ in values}
        scope = scopes.pop() if len(scopes) == 1 else self.edits_in
        first = first_units(self.study, self.elements, values, texts or {})
        element, field, _ = values[0]
        kept = "" if scope or len(values) > 1 else self._kept_by_condition(element, field)
        done = self.do(edits.type_values, values, condition=scope, units=first, **stamp)
        if done and kept:
            self.say(f"Typed for all conditions; {kept} keeps its own. F6 types there.")
        return done

    def _kept_by_condition(self, element: str, field: str) -> str:
        """Name of the condition in view if it has a value of its own, which edits to all conditions keep."""
        for condition in lineage(self.study, self.condition):
            if f"{element}/{field}" in condition.settings:
                return condition.name
        return ""

    def give_back(self, values: Sequence[tuple[str, str]]) -> bool:
        """Clear typed values (element, field) as one act, in the conditions that edits apply to."""
        scopes = {self.scope_of(element) for element, _ in values}
        scope = scopes.pop() if len(scopes) == 1 else self.edits_in
        cleared = [(*one, None) for one in values if self._is_setting(*one)]
        return not cleared or self.do(edits.type_values, cleared, condition=scope)

    def _is_setting(self, element: str, field: str) -> bool:
        """Whether a field is a setting; what would be typed in a part that is still to be made is none."""
        owner = self.elements[element]
        return owner.with_room_for(field) is owner and isinstance(value_at(owner, field), Setting)

    def choose(self, element: str, field: str, value: Any) -> bool:
        """Choose a method, surfaces or a cover where edits apply; a method for all selected elements with its kind."""
        alike = [key for key in self.chosen if _takes(self.elements[key], field, value)]
        if len(alike) > 1 and element in alike:
            return self.do(choose_many, self.with_scopes(alike), field, value, **self.stamp())
        scope = self.scope_of(element)
        return self.do(edits.choose, element, field, value, condition=scope, **self.stamp())

    def add(self, element: Element, into: str = "") -> bool:
        """Add an element where edits apply, draining into another one or into the only outfall, and select it."""
        key = slug(element.name, self.study.all_elements)
        if self.edits_in:
            made = self.do(add_draining_in, self.edits_in, element, key, into)
        else:
            made = self.do(edits.add_draining, element, key, into)
        if made:
            self.select(key)
        return made

    def duplicate(self, element: str) -> bool:
        """Duplicate an element where edits apply, and select the duplicate."""
        name = edits.unused_name(self.study, self.study.name_of(element))
        scope, key = self.edits_in or self.scope_of(element), slug(name, self.study.all_elements)
        if scope:
            below = self.network.downstream.get(element, ())
            copied = edits.duplicate_of(self.elements[element], name)
            made = self.do(add_draining_in, scope, copied, key, below[0] if below else "")
        else:
            made = self.do(edits.duplicate, element, name, key)
        if made:
            self.select(key)
        return made

    def remove(self, elements: Sequence[str]) -> bool:
        """Remove elements in the conditions that edits apply to, as one act: from the study, or from one condition."""
        if len(elements) > 1:
            return self.do(remove_many, self.with_scopes(elements))
        (element,) = elements
        scope = self.scope_of(element)
        return self.do(remove_in, scope, element) if scope else self.do(edits.remove_element, element)

    def connect(self, ups: Sequence[str], down: str) -> bool:
        """Connect elements to another one in the conditions that edits apply to, as one act."""
        below = self.scope_of(down)
        scopes = [(scope or below, up) for scope, up in self.with_scopes(ups)]
        if len(ups) > 1:
            return self.do(connect_many, scopes, down)
        ((scope, up),) = scopes
        return self.do(connect_in, scope, up, down) if scope else self.do(edits.connect, up, down)

    def lead_through(self, up: str, element: Element) -> bool:
        """Insert an element below another one in the conditions that edits apply to, and select it."""
        scope, key = self.scope_of(up), slug(element.name, self.study.all_elements)
        if scope:
            made = self.do(lead_through_in, scope, up, element, key)
        else:
            made = self.do(edits.lead_through, up, element, key)
        if made:
            self.select(key)
        return made

    def turn_design_points(self, elements: Sequence[str]) -> bool:
        """Make elements design points, or, if all of them are, make none of them one."""
        points = self.study.design_points
        point = None if all(element in points for element in elements) else DesignPoint()
        if len(elements) > 1:
            return self.do(edits.set_design_points, elements, point)
        return self.do(edits.set_design_point, elements[0], point)

    def with_scopes(self, elements: Sequence[str]) -> list[tuple[str, str]]:
        """Each element after the condition that an edit of it applies to, empty for all of them."""
        return [(self.scope_of(element), element) for element in elements]

    def do(self, edit: Callable[..., Study], *args: Any, **kwargs: Any) -> bool:
        """Make an edit; a refusal is reported; returns whether it was made.

        What another program wrote meanwhile is loaded first, and the edit is made on that.
        """
        self.end_trial()
        if self.follow_file():
            return self.do(edit, *args, **kwargs)
        try:
            label, new = self.file.history.made(edit, *args, **kwargs)
        except TarnwaterError as error:
            self.told.emit(str(error))
            return False
        return self._change(new, lambda: self.file.history.publish(label, new))

    def follow_file(self) -> bool:
        """Load what another program wrote to the study, and say so; returns whether there was anything."""
        if self.trial is not None or not self.file.is_behind:
            return False
        try:
            labels = self.file.take_in()
        except TarnwaterError as error:
            self.told.emit(str(error))
            return False
        self._took_over(self.study, check(self.study))
        self._begin(self.study)
        self.study_changed.emit()
        acts = ", ".join(labels[:3]) + (f" and {len(labels) - 3} more" if len(labels) > 3 else "")
        self.say(f"Another program changed the study; its edits were loaded: {acts}.")
        return True

    def say(self, words: str) -> None:
        """Show a message at the foot."""
        self.said.emit(words)

    def restore(self, name: str) -> bool:
        """Make a named point the present study."""
        self.end_trial()
        return self._change(self.file.history.point(name).study, lambda: self.file.history.restore(name))

    def undo(self) -> bool:
        """Undo one act; a draft or a trial is undone first. What was undone is reported."""
        if self.end_trial():
            self.say("Undone: what was being tried.")
            return True
        for draft in reversed(self.drafts):
            if words := draft():
                self.say(f"Undone: {words}.")
                return True
        past = self.file.history.past
        if not past:
            return False
        label, act = past[-1].label, past[-1]
        done = self._change(act.undone(self.study), self.file.history.undo)
        if done:
            self.say(f"Undone: {label}.")
        return done

    def redo(self) -> bool:
        """Redo one act, and report it."""
        self.end_trial()
        future = self.file.history.future
        if not future:
            return False
        label, act = future[-1].label, future[-1]
        done = self._change(act.redone(self.study), self.file.history.redo)
        if done:
            self.say(f"Redone: {label}.")
        return done

    def try_out(self, edit: Callable[..., Study], *args: Any, **kwargs: Any) -> bool:
        """Show what an edit would make of all cases, without making it; returns whether it can be made.

        Everything shows it until the edit is made by `do`, or the trial is ended. The state before it is the ghost.
        """
        file_study, kept = self.file.study, self.trial
        try:
            tried = edit(file_study, *args, **kwargs)
        except TarnwaterError as error:
            self.told.emit(str(error))
            return False
        results = None
        if tried.families or tried.storms:
            # without a case there is nothing to show but the study
            with contextlib.suppress(ComputationFailed):
                results = compute_cases(tried, cache=self._cache, runs=self._runs)
        if kept is None:
            if self._computing is not None:
                superseded, self._computing = self._computing, None
                self.aside.cancel(superseded)
            kept = Trial(tried, self.results, self.before)
            self.before = self.results
        self.trial = replace(kept, study=tried)
        self.results = results
        self.told.emit("")
        self.trial_changed.emit()
        return True

    def end_trial(self) -> bool:
        """Show the study as it is again; returns whether anything was tried."""
        kept, self.trial = self.trial, None
        if kept is None:
            return False
        self.results, self.before = kept.results, kept.before
        if self.results is None or self.results.study is not self.file.study:
            self._begin(self.file.study)
        self.trial_changed.emit()
        return True

    def _change(self, new: Study, publish: Callable[[], Study]) -> bool:
        """Publish a study; computing begins while the file is being written."""
        before = self.study
        if new == before:
            self.told.emit("")
            return True
        self._begin(new)
        findings = check(new)
        try:
            publish()
        except TarnwaterError as error:
            self._begin(before)
            self.told.emit(str(error))
            return False
        self._took_over(new, findings)
        self.told.emit("")
        self.study_changed.emit()
        if self._computing is None:
            self.results_changed.emit()
        return True

    def _took_over(self, new: Study, findings: list[Finding]) -> None:
        """Adapt selection, view and pins to another study."""
        self._document_findings = [*findings, *self._file_findings]
        self.findings = self._document_findings
        if self.selection not in new.all_elements:
            self.selection = next(iter(new.elements), "")
        if self.edits_in not in new.conditions:
            self.edits_in = ""
        if self.view is not None and self.view.condition not in new.conditions:
            self.view = replace(self.view, condition=next(iter(new.conditions)))
        pins = [pin for pin in self.pins if pin.element in new.all_elements]
        if pins != self.pins:
            self.pins = pins
            self.pins_changed.emit()

    @property
    def chosen(self) -> tuple[str, ...]:
        """Elements that actions apply to: those gathered, or the selected one, if the condition has them."""
        if len(self.gathered) > 1 and self.selection in self.gathered:
            return tuple(key for key in self.gathered if key in self.elements)
        return (self.selection,) if self.selection in self.elements else ()

    def gather(self, keys: Sequence[str]) -> None:
        """Let actions apply to several elements, among them the selected one."""
        new = tuple(dict.fromkeys(keys))
        if new != self.gathered:
            self.gathered = new
            self.gathered_changed.emit()

    def select(self, key: str) -> None:
        """Select an element on every bench; gathered elements are released."""
        self.gather(())
        if key != self.selection and key in self.study.all_elements:
            self.selection = key
            self.selection_changed.emit()

    def look_at(self, view: View) -> None:
        """Show another case."""
        if view != self.view:
            picked = self.view is None or view.condition != self.view.condition
            self.view = view
            if picked:
                # edits apply to the picked condition, or to all conditions while the first one is in view
                first = next(iter(self.study.conditions))
                self.edits_in = "" if view.condition == first else view.condition
                self.scope_changed.emit()
            self.view_changed.emit()

    def compute(self) -> None:
        """Compute all cases in a thread; a further edit replaces the work."""
        self._begin(self.study)
        if self._computing is None:
            self.results_changed.emit()

    def _begin(self, study: Study) -> None:
        self._waiting = False
        if self._computing is not None:
            superseded, self._computing = self._computing, None
            self.aside.cancel(superseded)
        rained = study.families or study.storms
        nothing = not rained or not any(points_of(study, condition) for condition in study.conditions)
        if nothing:
            self.results = None
            return

        def work(progress: Progress) -> tuple[Results, list[Finding]]:
            results = compute_cases(study, cache=self._cache, runs=self._runs, progress=progress)
            return results, check_results(results, progress)

        progress = self.aside.run(work, self._computed, self._failed, "Computing", lambda: self._cancelled(progress))
        self._computing = progress

    def _cancelled(self, progress: Progress) -> None:
        """Report that the person cancelled the computation; one that an edit replaced is not reported."""
        if self._computing is progress:
            self._computing = self.results = None
            self.told.emit("Computing was cancelled: no results are shown. F5 computes.")
            self.results_changed.emit()

    def _computed(self, found: tuple[Results, list[Finding]]) -> None:
        self._computing = None
        results, doubts = found
        if results.study is not self.study:
            return
        self.before, self.results = self.results, results
        self.findings = [*self._document_findings, *doubts]
        view = self._view_that_is_there(results)
        if view != self.view:
            self.view = view
            self.view_changed.emit()
        self.results_changed.emit()

    def _view_that_is_there(self, results: Results) -> View | None:
        """The view, or the nearest one with cases: without its storm, for another event, or the first one."""
        view = self.view
        if view is None:
            return self._first_view(results)
        if self.case_of(view, results) is not None:
            return view
        governing = replace(view, storm=None)
        # a case that is withheld stays in view too, with its reason
        if view.event in results.events_of(view.condition, view.point):
            return governing
        there = [a.result.case for a in results.answers()]
        for wanted in ((view.condition, view.point), (None, view.point)):
            own = [c for c in there if c.point == wanted[1] and wanted[0] in (None, c.condition)]
            if own:
                near = min(own, key=lambda c: _apart(c.event, view.event))
                return View(near.condition, near.point, near.event)
        return self._first_view(results) or view

    def _first_view(self, results: Results) -> View | None:
        answered = [a.result.case for a in results.answers()] or [w.case for w in results.withheld]
        points = {case.point for case in answered}
        if not points:
            return None
        wanted = self.view.point if self.view is not None else ""
        chosen = (p for p in (wanted, *self.study.design_points) if p in points)
        point = next(chosen, answered[0].point)
        own = [case for case in answered if case.point == point]
        events = in_order(self.study, [case.event for case in own])
        return View(own[0].condition, point, events[len(events) // 2])

    def _failed(self, error: BaseException) -> None:
        self._computing = None
        self.results = None
        self.fault(error)
        self.results_changed.emit()

    def fault(self, error: BaseException) -> None:
        """Report what stopped a piece of work; an error of the program comes with a report to copy."""
        if isinstance(error, TarnwaterError):
            error.in_units(self.study.units)
            self.told.emit(str(error))
        else:
            report = report_of(error)
            LOG.error(report)
            self.faulted.emit(report)

    def case_in_view(self, results: Results | None = None, condition: str | None = None) -> CaseResult | None:
        """The computed case in view, of these or the present results, in its or another condition."""
        if self.view is None:
            return None
        return self.case_of(replace(self.view, condition=condition or self.view.condition), results)

    def case_showing(self, element: str, results: Results | None = None, view: View | None = None) -> CaseResult | None:
        """The case that shows an element in a view, by default the present one: that in view where it drains there.

        Elsewhere it is that of the same event made for the element's own outfall; None where there is none.
        """
        view, results = view or self.view, results or self.results
        if view is None or results is None:
            return None
        return results.showing(element, view.condition, view.point, view.event, view.storm)

    def case_of(self, view: View, results: Results | None = None) -> CaseResult | None:
        """The computed case of a view, of these or the present results."""
        results = results or self.results
        return None if results is None else results.case(view.condition, view.point, view.event, view.storm)

    def pin_chosen(self) -> None:
        """Pin the flows of the selected elements."""
        for element in self.chosen:
            self.pin(element)

    def pin(self, element: str) -> None:
        """Pin the flow of an element, if there is room."""
        if len(self.pins) >= MOST_PINS:
            self.say(f"{MOST_PINS} flows are pinned already; unpin one first.")
            return
        if element in self.study.all_elements and all(p.element != element or p.held for p in self.pins):
            self.pins.append(Pin(element))
            self._keep_pins()
            self.pins_changed.emit()

    def _keep_pins(self) -> None:
        """Keep the pins in the file, without their frozen ghosts."""
        self.file.keep_state("pins", [[pin.element, _plain_view(pin.held)] for pin in self.pins])

    def replace_pin(self, number: int, pin: Pin | None) -> None:
        """Change a pin, or remove it."""
        self.pins[number : number + 1] = [] if pin is None else [pin]
        self._keep_pins()
        self.pins_changed.emit()

    def close(self) -> None:
        """Cancel all work and close the study."""
        self.aside.cancel_all()
        self.file.close()


def _takes(element: Element, field: str, value: Any) -> bool:
    """Whether an element has a method at a field that this one may replace.

    Not for one of several surfaces: the first surface of another catchment is other land.
    """
    first, *beneath = field.split("/")
    if not isinstance(value, Method) or (beneath and len(getattr(element, first, ())) != 1):
        return False
    try:
        return isinstance(value_at(element, field), Method)
    except TarnwaterError:
        return False


def _apart(event: Event, other: Event) -> float:
    """Distance of an event from another one that does not exist: return periods by their ratio, given storms last."""
    if isinstance(event, str) or isinstance(other, str):
        return 1e9 if isinstance(event, str) else event
    return abs(float(np.log(event / other)))


def _plain_view(view: View | None) -> Any:
    return None if view is None else [view.condition, view.point, view.event, view.storm]


def _kept_pins(file: StudyFile) -> list[Pin]:
    """Pins that the file kept; invalid ones are left out."""
    pins: list[Pin] = []
    kept = file.kept_state("pins")
    for one in kept if isinstance(kept, list) else []:
        try:
            element, held = one
            view = None
            if held is not None:
                condition, point, event, storm = held
                event = event if isinstance(event, str) else float(event)
                # those written before there were ensembles have no number in one
                mark = None if storm is None else (storm[0], storm[1], storm[2] if len(storm) > 2 else 0)
                view = View(str(condition), str(point), event, mark)
        except (TypeError, ValueError, IndexError):
            continue
        if element in file.study.all_elements:
            pins.append(Pin(element, view))
    return pins


def _person() -> str:
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return ""
