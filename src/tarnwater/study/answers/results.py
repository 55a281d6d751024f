"""Results: the cases of a study, their answers by design point and event, and the limits that they keep.

The answer of a return period is the greatest peak over the durations of all counted families, and names its family
and duration; that of a given storm is that storm's own.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, TypeVar

import numpy as np

from tarnwater.errors import UnknownName
from tarnwater.study.answers.case import Case, CaseResult, Figures
from tarnwater.study.answers.storms import (
    Event,
    in_order,
)
from tarnwater.study.document import DesignPoint, Study
from tarnwater.study.document import Limit as LimitOf
from tarnwater.study.document.conditions import resolve

T = TypeVar("T")


#: Limits of an element that is not a design point.
PLAIN_POINT = DesignPoint()


#: Tolerance of a limit for rounding.
ROUNDING = 1e-12


@dataclass(frozen=True)
class Withheld:
    """A case that cannot be computed, with the reason; ``element`` and ``field`` are the place where it is resolved."""

    case: Case
    reason: str
    element: str = ""
    field: str = ""


@dataclass(frozen=True)
class Verdict:
    """Whether a limit is kept by every duration tried: ``computed`` of ``tried`` are known."""

    state: Literal["kept", "exceeded", "unknown"]
    computed: int
    tried: int

    @property
    def words(self) -> str:
        """The verdict as it is shown."""
        if self.state == "unknown":
            return f"unknown, {self.computed} of {self.tried} durations"
        return self.state


@dataclass(frozen=True)
class Answer:
    """The governing case of a design point, a condition and a return period.

    ``limit`` m3/s is the allowed peak and ``verdict`` whether it is kept, None without a limit. ``bracketed`` is true
    if a shorter and a longer duration of its family were tried, or no search is made; ``computed`` of ``tried`` cases
    are known.
    """

    result: CaseResult
    figures: Figures
    limit: float | None
    verdict: Verdict | None
    bracketed: bool
    computed: int
    tried: int

    @property
    def whole(self) -> bool:
        """Whether no case was withheld."""
        return self.computed == self.tried


_AnswerKey = tuple[str, str, Event]


@dataclass(frozen=True, eq=False)
class Results:
    """All computed cases, all withheld cases, and the answers."""

    study: Study
    cases: tuple[CaseResult, ...]
    withheld: tuple[Withheld, ...] = ()

    @cached_property
    def _by_answer(self) -> dict[_AnswerKey, list[CaseResult]]:
        return _by_answer((r.case, r) for r in self.cases)

    @cached_property
    def _withheld_by_answer(self) -> dict[_AnswerKey, list[Withheld]]:
        return _by_answer((w.case, w) for w in self.withheld)

    def all_of(self, condition: str, point: str, event: Event) -> list[CaseResult]:
        """Cases of a condition, a design point and an event, counted or not, by family and duration."""
        return self._by_answer.get((condition, point, event), [])

    def of(self, condition: str, point: str, event: Event) -> list[CaseResult]:
        """The counted ones of these: the durations tried for the answer, each by the typical member of an ensemble."""
        asked = condition, point, event
        if asked not in self._counted:
            counted = [r for r in self.all_of(*asked) if r.standing == "counted"]
            self._counted[asked] = [found for found, _ in typical_of(self.study, point, counted)]
        return self._counted[asked]

    @cached_property
    def _counted(self) -> dict[_AnswerKey, list[CaseResult]]:
        return {}

    def members(self, result: CaseResult) -> list[CaseResult]:
        """Cases of all members of an ensemble with the duration of one of them, itself included."""
        case = result.case
        own = self.all_of(case.condition, case.point, case.event)
        return [r for r in own if r.case.storm.mark[:2] == case.storm.mark[:2]]

    def typical_peak(self, result: CaseResult) -> float:
        """The peak that is compared, m3/s: the mean or median of the members of an ensemble, or the own peak."""
        return typical_peak(self.study, result.case.point, self.members(result))

    def beside(self, condition: str, point: str, event: Event) -> list[CaseResult]:
        """The ones beside: of families that are not counted, and of other lengths of nested storms."""
        return [r for r in self.all_of(condition, point, event) if r.standing != "counted"]

    def withheld_from(self, condition: str, point: str, event: Event) -> list[Withheld]:
        """Counted cases that an answer lacks."""
        own = self._withheld_by_answer.get((condition, point, event), [])
        return [w for w in own if w.case.storm.standing(self.study) == "counted"]

    def events_of(self, condition: str, point: str) -> list[Event]:
        """Events of the cases of a condition and a design point, computed or withheld, in order."""
        keys = (*self._by_answer, *self._withheld_by_answer)
        return in_order(self.study, [event for c, p, event in keys if (c, p) == (condition, point)])

    def showing(
        self, element: str, condition: str, point: str, event: Event, storm: tuple[str, float, int] | None = None
    ) -> CaseResult | None:
        """The case that shows an element for an event and a design point.

        An element that does not drain there is shown with the storm made for its own outfall, the design point
        lowest below it. ``storm`` is the mark of one storm; None means the governing one.
        """
        own = self.case(condition, point, event, storm)
        if own is not None and element in own.network.elements:
            return own
        if condition not in self.study.conditions:
            # a view that is newer than these results
            return None
        network = resolve(self.study, condition)
        if point in network.elements and element in network.above([point]):
            # its case is withheld: a storm of another point would be another answer
            return None
        below = self._points_below.get((condition, element), ())
        return next((case for p in below if p != point and (case := self.case(condition, p, event, storm))), None)

    def case(self, condition: str, point: str, event: Event, storm: tuple[str, float, int] | None) -> CaseResult | None:
        """The case of a storm, by its mark, or (None) the governing one of the event."""
        if storm is None:
            return self.governing(condition, point, event)
        own = self.all_of(condition, point, event)
        return next((r for r in own if r.case.storm.mark == storm), None)

    @cached_property
    def _points_below(self) -> dict[tuple[str, str], list[str]]:
        """Design points to which an element drains in a condition, the one with the largest network first."""
        networks = {(r.case.condition, r.case.point): r.network for r in self.cases}
        found: dict[tuple[str, str], list[str]] = {}
        for (condition, point), network in sorted(networks.items(), key=lambda one: -len(one[1].elements)):
            for element in network.elements:
                found.setdefault((condition, element), []).append(point)
        return found

    def governing(self, condition: str, point: str, event: Event) -> CaseResult | None:
        """The counted case with the greatest peak; of equal ones the shortest duration of the first family."""
        asked = condition, point, event
        if asked not in self._governing:
            counted = [r for r in self.all_of(*asked) if r.standing == "counted"]
            typical = typical_of(self.study, point, counted)
            self._governing[asked] = max(typical, key=lambda one: one[1])[0] if typical else None
        return self._governing[asked]

    @cached_property
    def _governing(self) -> dict[_AnswerKey, CaseResult | None]:
        return {}

    def answers(self) -> list[Answer]:
        """The governing cases by design point, condition and event."""
        return list(self._answers)

    @cached_property
    def _answers(self) -> list[Answer]:
        counted = (r for r in self.cases if r.standing == "counted")
        order = dict.fromkeys((r.case.point, r.case.condition, r.case.event) for r in counted)
        return [self.answer(condition, point, event) for point, condition, event in order]

    def answer(self, condition: str, point: str, event: Event) -> Answer:
        """The governing case with its limit."""
        result = self.governing(condition, point, event)
        if result is None:
            raise UnknownName(event if isinstance(event, str) else f"1 in {event:g}", [], kind="computed case")
        storm, own = result.case.storm, self.of(condition, point, event)
        tried = [r.case.storm.duration for r in own if r.case.storm.place == storm.place]
        bracketed = not storm.searches(self.study) or min(tried) < storm.duration < max(tried)
        computed, lacking = len(own), len(self.withheld_from(condition, point, event))
        limit = self.limit(point, event, condition)
        verdict = None if limit is None else self.verdict(condition, point, event, limit)
        return Answer(result, result.figures(point), limit, verdict, bracketed, computed, computed + lacking)

    def verdict(self, condition: str, point: str, event: Event, limit: float) -> Verdict:
        """Whether every duration tried keeps a limit (m3/s); unknown if a case that matters for it is withheld."""
        own = self.of(condition, point, event)
        lacking = len(self.withheld_from(condition, point, event))
        tried = len(own) + lacking
        other = self._other_condition(point, event, condition)
        unsure = 0 if other is None else len(self.withheld_from(other, point, event))
        if any(not keeps(r, point, limit) for r in own) and not unsure:
            return Verdict("exceeded", len(own), tried)
        if lacking or unsure:
            theirs = 0 if other is None else len(self.of(other, point, event))
            return Verdict("unknown", min(len(own), theirs) if unsure else len(own), max(tried, theirs + unsure))
        return Verdict("kept", len(own), tried)

    def limit(self, point: str, event: Event, condition: str) -> float | None:
        """The allowed peak at a design point, m3/s; None if there is none for this condition.

        A share of another condition's peak is no limit for that condition itself.
        """
        limit = self.limit_at(point, event)
        if limit is None or limit.flow is not None:
            return None if limit is None else limit.flow
        other = self._other_condition(point, event, condition)
        governing = None if other is None else self.governing(other, point, event)
        return None if governing is None else limit.share * governing.peak(point).ordinate

    def limit_at(self, point: str, event: Event) -> LimitOf | None:
        """The limit set at a design point for an event; limits are set for return periods."""
        own = self.study.design_points.get(point, PLAIN_POINT).limits
        return next((limit for limit in own if limit.return_period == event), None)

    def _other_condition(self, point: str, event: Event, condition: str) -> str | None:
        """The condition to whose peak a limit refers; None if it refers to none, or to this one."""
        limit = self.limit_at(point, event)
        if limit is None or limit.of_condition is None:
            return None
        other = self.study.condition_of(limit.of_condition)
        return None if other == condition else other


def typical_peak(study: Study, point: str, members: Sequence[CaseResult]) -> float:
    """Peak of the members of an ensemble at a design point that is typical of them, m3/s; of one case its own."""
    peaks = [r.peak(point).ordinate for r in members]
    if len(peaks) == 1:
        return peaks[0]
    rule = members[0].case.storm.typical_peak(study)
    return float(np.median(peaks) if rule == "median" else np.mean(peaks))


def typical_of(study: Study, point: str, results: Sequence[CaseResult]) -> list[tuple[CaseResult, float]]:
    """Of each duration of an ensemble the case whose peak is nearest to the typical one, with that, m3/s.

    Other cases are as they are.
    """
    groups: dict[tuple[str, float], list[CaseResult]] = {}
    for result in results:
        key, duration, _ = result.case.storm.mark
        groups.setdefault((key, duration), []).append(result)
    found = []
    for members in groups.values():
        typical = typical_peak(study, point, members)
        nearest = members[0]
        if len(members) > 1:
            nearest = min(members, key=lambda r: abs(r.peak(point).ordinate - typical))
        found.append((nearest, typical))
    return found


def keeps(result: CaseResult, point: str, limit: float) -> bool:
    """Whether the peak of a case keeps a limit (m3/s) at its design point."""
    return result.peak(point).ordinate <= limit * (1 + ROUNDING)


def _by_answer(cases: Iterable[tuple[Case, T]]) -> dict[_AnswerKey, list[T]]:
    found: dict[_AnswerKey, list[T]] = {}
    for case, one in cases:
        found.setdefault((case.condition, case.point, case.event), []).append(one)
    return found


def points_in(results: Results | None) -> list[str]:
    """Design points with cases, computed or withheld."""
    cases = () if results is None else (*(r.case for r in results.cases), *(w.case for w in results.withheld))
    return list(dict.fromkeys(case.point for case in cases))
