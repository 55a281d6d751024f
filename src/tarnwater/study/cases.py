"""Cases: conditions crossed with storms, computed in batches, answered by design point.

A storm is made for a design point: its areal reduction follows the area draining there. So storms
are computed for each design point, over the part of the network above it. An answer is for an event: of a
return period it is the greatest peak over the durations of all counted families, and names its family and
duration; of a given storm it is that storm's own. A case that cannot be computed is withheld with its reason;
it takes no other case with it.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property
from typing import Any, Literal, TypeVar

import numpy as np

from tarnwater import states
from tarnwater.clock import moment, show_moment
from tarnwater.errors import Cancelled, ComputationFailed, TarnwaterError, UnknownName
from tarnwater.hydrograph import Hydrograph
from tarnwater.network.balance import Balance
from tarnwater.network.cache import ResultCache
from tarnwater.network.engine import (
    Batch,
    BatchResult,
    Response,
    Summary,
    compute,
)
from tarnwater.network.figures import Peak, has_receded
from tarnwater.network.graph import Network
from tarnwater.network.memo import IdentityMemo
from tarnwater.network.runs import SHELF_BYTES, Run
from tarnwater.progress import Progress
from tarnwater.rain.storms import Rain
from tarnwater.study.conditions import resolve
from tarnwater.study.document import DesignPoint, Study
from tarnwater.study.document import Limit as LimitOf
from tarnwater.study.storms import (
    Event,
    Obstacle,
    Standing,
    Storm,
    StormByKey,
    given_storm,
    in_order,
    rain_of,
    storms_of,
)
from tarnwater.units import show_duration

#: A run is not extended beyond this, s.
LONGEST_RUN = 60 * 86400.0

#: The time that may pass between the beginnings of two storms of which one begins after the other, s.
LONGEST_LEAD = 366 * 86400.0

#: Cases computed in one batch; more would gain no speed and hold more memory at once.
MOST_TOGETHER = 256


@dataclass(frozen=True)
class Case:
    """One condition under one storm made for one design point (keys).

    ``start`` is the key of the given storm from whose end state it begins; empty is at rest.
    """

    condition: str
    point: str
    storm: Storm
    start: str = ""

    @property
    def event(self) -> Event:
        """What its answer is for."""
        return self.storm.event


T = TypeVar("T")

#: What stands at an element that is no design point.
_PLAIN = DesignPoint()

#: Share of the water above an element that may still be on its way when a flood is taken to have passed.
MOST_ON_ITS_WAY = 0.1

#: Rounding that a limit forgives.
ROUNDING = 1e-12


@dataclass(frozen=True, eq=False)
class CaseResult:
    """All that a case answers: it is at ``index`` in its ``run``; ``origin`` is when its rain begins, if known."""

    case: Case
    network: Network
    run: Run
    index: int
    areal_factor: float
    standing: Standing = "counted"
    origin: datetime | None = None
    _known: dict[str, Figures] = field(default_factory=dict, repr=False)

    def of(self, case: Case) -> CaseResult:
        """The same result as that of another case, with which it shares all that is worked out."""
        alike = self.index, self.areal_factor, self.standing, self.origin, self._known
        return CaseResult(case, self.network, self.run, *alike)

    def flow(self, element: str) -> np.ndarray:
        """Hydrograph of an element, m3/s, (step + 1,)."""
        self._summary(element)
        return self.run.responses[element].flow[self.index]

    def hydrograph(self, element: str, link: str = "") -> Hydrograph:
        """Hydrograph of an element with its volumes, one case; of one link down only where one is named."""
        self._summary(element)
        response = self.run.responses[element]
        whole = response.ways[self.network.way_number[link]] if link else response.hydrograph
        return whole.of(slice(self.index, self.index + 1))

    def flow_by(self, link: str) -> np.ndarray:
        """Hydrograph of what goes by a link, m3/s, (step + 1,)."""
        return self.hydrograph(self.network.links[link].up, link).flow[0]

    def peak_by(self, link: str) -> Peak:
        """Peak of what goes by a link."""
        summary = self._summary(self.network.links[link].up)
        return summary.by_way[self.network.way_number[link]][self.index]

    def level(self, element: str) -> np.ndarray | None:
        """Level of an element, m, (step + 1,); None where it has none."""
        self._summary(element)
        level = self.run.responses[element].level
        return None if level is None else level[self.index]

    def storage(self, element: str) -> np.ndarray | None:
        """Water stored in an element, m3, (step + 1,); None where it has none."""
        self._summary(element)
        storage = self.run.responses[element].storage
        return None if storage is None else storage[self.index]

    @property
    def step(self) -> float:
        """Step of the run, s."""
        return self.run.batch.step

    def moment(self, seconds: float) -> datetime | None:
        """The moment at a time of the run (s); None where its storm has no clock."""
        return None if self.origin is None else moment(self.origin, seconds)

    def when(self, seconds: float) -> str:
        """A time of the run (s) in words: a date where there is one, else how long after the start of the rain."""
        at = self.moment(seconds)
        return show_duration(round(seconds)) if at is None else show_moment(at)

    @cached_property
    def _even_rain(self) -> np.ndarray | None:
        """Rain that is the same on every catchment, mm, (step,); None where it differs."""
        rain = self.run.batch.rain
        return rain.depths[self.index] if isinstance(rain, Rain) else None

    def rain_on(self, catchment: str) -> np.ndarray:
        """Rain on a catchment in each step of the storm, mm, (step,)."""
        return self.run.batch.rain_on(catchment).depths[self.index]

    def rain_over(self, element: str) -> np.ndarray:
        """Mean rain over the catchments above an element in each step of the storm, mm, (step,)."""
        if self._even_rain is not None:
            return self._even_rain
        areas = self.areas_rained_on(element)
        whole = sum(areas.values())
        rain = np.zeros(len(next(iter(self._uneven.values()))))
        for key, area in areas.items():
            rain += area / whole * self._uneven[key]
        return rain

    @cached_property
    def _uneven(self) -> dict[str, np.ndarray]:
        rain = self.run.batch.rain
        assert not isinstance(rain, Rain)
        return {key: own.depths[self.index] for key, own in rain.items()}

    def areas_rained_on(self, element: str) -> dict[str, float]:
        """Areas (m2) of the catchments above an element, itself included, by key."""
        above = ((key, self.network.elements[key]) for key in self.network.above([element]))
        return {key: part.drained for key, part in above if part.takes_rain and part.drained > 0}

    def rain_depth(self, element: str) -> float:
        """Mean depth of the storm over the catchments above an element, mm."""
        return float(self.rain_over(element).sum())

    @property
    def length(self) -> float:
        """Length of the run, s."""
        return self.run.batch.steps * self.step

    def peak(self, element: str) -> Peak:
        """Peak of an element."""
        return self._summary(element).peaks[self.index]

    def lowest(self, element: str) -> float:
        """Lowest flow of an element, m3/s; below zero where a reach dips."""
        return float(self._summary(element).low[self.index])

    def loss_depth(self, element: str) -> float:
        """Depth that a catchment's ground keeps, mm."""
        return float(self._summary(element).loss_depth[self.index])

    def figures(self, element: str) -> Figures:
        """Peak and volumes of an element."""
        if element not in self._known:
            self._known[element] = self._find_figures(element)
        return self._known[element]

    def _find_figures(self, element: str) -> Figures:
        summary, area = self._summary(element), self.network.area_above(element)
        runoff, given = 0.0, 0.0
        end = float(summary.flood_end[self.index])
        for key in self.network.above([element]):
            above = self.network.elements[key]
            if above.takes_rain:
                runoff += (self._depth_on(key) - self._kept_depth(key)) * above.drained
            given += above.let_in(end)
        return Figures(
            peak=self.peak(element),
            volume=float(summary.flood[self.index]),
            receded=end,
            given_volume=given,
            area=area,
            rain_depth=self.rain_depth(element),
            runoff_depth=runoff / area if area else 0.0,
        )

    def _depth_on(self, catchment: str) -> float:
        return float(self.rain_on(catchment).sum())

    def _kept_depth(self, catchment: str) -> float:
        """Depth of the rain that does not run off a catchment, mm: lost, or stored on its surfaces."""
        summary = self._summary(catchment)
        return float(summary.loss_depth[self.index] + summary.stored_depth[self.index])

    def base(self, element: str) -> float:
        """Constant baseflow in an element, m3/s."""
        return float(self._summary(element).base[self.index])

    def balance(self, element: str) -> Balance:
        """Balance of an element over the whole run, each volume (1,)."""
        whole = self._summary(element).balance
        return Balance(**{n: getattr(whole, n)[self.index : self.index + 1] for n in Balance.__dataclass_fields__})

    def receded(self, element: str, share: float) -> bool:
        """Whether the wave has passed an element, and its flow has fallen to ``share`` of its peak, less baseflow.

        A flow of nothing may be one that has not come yet: the run must be as long as the memory of the methods
        along each path says, or nearly all the water has passed.
        """
        return self.fallen(element, share) and self.passed(element)

    def passed(self, element: str) -> bool:
        """Whether the wave has passed an element, by the memory of all above or by the water still held there."""
        if self.length >= self.case.storm.duration + self.network.memory(element, self.step):
            return True
        return self.on_its_way(element) <= MOST_ON_ITS_WAY

    def on_its_way(self, element: str) -> float:
        """Flood that the elements above one still hold at the end of the run, as a share of it and what has passed.

        What they held at the start is not counted: a steady baseflow is in them all the time.
        """
        held = 0.0
        for key in self.network.above([element]):
            balance = self._summary(key).balance
            held += float(balance.end_storage[self.index] - balance.start_storage[self.index])
        whole = held + float(self._summary(element).flood[self.index])
        return held / whole if held > 0 else 0.0

    def fallen(self, element: str, share: float) -> bool:
        """Whether the flow at an element ends at ``share`` of its peak or less, less baseflow."""
        summary = self._summary(element)
        base = self.base(element)
        peak = float(summary.peaks.ordinates[self.index]) - base
        return float(summary.last[self.index]) - base <= share * max(peak, 1e-12)

    def _summary(self, element: str) -> Summary:
        if element not in self.run.summaries:
            raise UnknownName(element, self.run.summaries, kind="element of this case")
        return self.run.summaries[element]


@dataclass(frozen=True)
class Figures:
    """What stands with a peak: nobody believes one alone. Volumes m3, areas m2, depths mm, times s.

    ``volume`` passes until the flood has receded, at ``receded``, less baseflow; ``given_volume`` is what
    inflow elements above let in by then. ``runoff_depth`` is what runs off the catchments above.
    """

    peak: Peak
    volume: float
    receded: float
    given_volume: float
    area: float
    rain_depth: float
    runoff_depth: float

    @property
    def per_area(self) -> float:
        """Peak per area, m3/s per m2; 0 without area."""
        return self.peak.ordinate / self.area if self.area else 0.0

    @property
    def share_of_rain(self) -> float:
        """Direct runoff as a share of the rain; 0 without rain."""
        return self.runoff_depth / self.rain_depth if self.rain_depth else 0.0


@dataclass(frozen=True)
class Withheld:
    """A case that cannot be computed, and why: ``element`` and ``field`` lead to the place where it is settled."""

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

    ``limit`` m3/s is what is allowed and ``verdict`` whether it is kept, None without a limit.
    ``bracketed`` says whether a shorter and a longer duration of its family were tried, or none is sought;
    ``computed`` of ``tried`` cases are known.
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
    """Every case computed, those withheld, and the answers."""

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
        """Those of them that are counted: the durations tried for the answer."""
        return [r for r in self.all_of(condition, point, event) if r.standing == "counted"]

    def beside(self, condition: str, point: str, event: Event) -> list[CaseResult]:
        """Those that stand beside: of families that are not counted, and of other lengths of nested storms."""
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
        self, element: str, condition: str, point: str, event: Event, storm: tuple[str, float] | None = None
    ) -> CaseResult | None:
        """The case that shows an element where an event is looked at for a design point.

        An element that does not drain there is shown with the storm made for its own outfall, the design point
        lowest below it. ``storm`` is the key and the duration of one storm; None stands for the governing one.
        """
        own = self.case(condition, point, event, storm)
        if own is not None and element in own.network.elements:
            return own
        below = self._points_below.get((condition, element), ())
        return next((case for p in below if p != point and (case := self.case(condition, p, event, storm))), None)

    def case(self, condition: str, point: str, event: Event, storm: tuple[str, float] | None) -> CaseResult | None:
        """The case of a storm, by its key and duration, or (None) the governing one of the event."""
        if storm is None:
            return self.governing(condition, point, event)
        own = self.all_of(condition, point, event)
        return next((r for r in own if (r.case.storm.key, r.case.storm.duration) == storm), None)

    @cached_property
    def _points_below(self) -> dict[tuple[str, str], list[str]]:
        """Design points that an element drains to in a condition, the one with most above it first."""
        networks = {(r.case.condition, r.case.point): r.network for r in self.cases}
        found: dict[tuple[str, str], list[str]] = {}
        for (condition, point), network in sorted(networks.items(), key=lambda one: -len(one[1].elements)):
            for element in network.elements:
                found.setdefault((condition, element), []).append(point)
        return found

    def governing(self, condition: str, point: str, event: Event) -> CaseResult | None:
        """The counted case with the greatest peak; of equal ones the shortest of the first family."""
        asked = condition, point, event
        if asked not in self._governing:
            own = self.of(*asked)
            self._governing[asked] = max(own, key=lambda r: r.peak(point).ordinate) if own else None
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
        """Whether every duration tried keeps a limit (m3/s); unknown where a case that bears on it is withheld."""
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
        """The allowed peak at a design point, m3/s; None where there is none for this condition.

        A share of another condition's peak does not bind that condition itself.
        """
        limit = self.limit_at(point, event)
        if limit is None or limit.flow is not None:
            return None if limit is None else limit.flow
        other = self._other_condition(point, event, condition)
        governing = None if other is None else self.governing(other, point, event)
        return None if governing is None else limit.share * governing.peak(point).ordinate

    def limit_at(self, point: str, event: Event) -> LimitOf | None:
        """The limit set at a design point for an event; limits are set for return periods."""
        own = self.study.design_points.get(point, _PLAIN).limits
        return next((limit for limit in own if limit.return_period == event), None)

    def _other_condition(self, point: str, event: Event, condition: str) -> str | None:
        """The condition on whose peak a limit rests; None where it rests on none, or on this one."""
        limit = self.limit_at(point, event)
        if limit is None or limit.of_condition is None:
            return None
        other = self.study.condition_of(limit.of_condition)
        return None if other == condition else other


def keeps(result: CaseResult, point: str, limit: float) -> bool:
    """Whether the peak of a case keeps a limit (m3/s) at its design point."""
    return result.peak(point).ordinate <= limit * (1 + ROUNDING)


def _by_answer(cases: Iterable[tuple[Case, T]]) -> dict[_AnswerKey, list[T]]:
    found: dict[_AnswerKey, list[T]] = {}
    for case, one in cases:
        found.setdefault((case.condition, case.point, case.event), []).append(one)
    return found


class RunMemo:
    """Runs kept from one call of `compute_cases` to the next, and the shelf of their series."""

    def __init__(self, most: int = 512) -> None:
        self.memo: IdentityMemo[list[CaseResult]] = IdentityMemo(most)
        self.rains: IdentityMemo[Rain | Mapping[str, Rain]] = IdentityMemo(most)
        self.shelf: ResultCache[BatchResult] = ResultCache(SHELF_BYTES)


def points_in(results: Results | None) -> list[str]:
    """Design points that there are cases for, computed or withheld."""
    cases = () if results is None else (*(r.case for r in results.cases), *(w.case for w in results.withheld))
    return list(dict.fromkeys(case.point for case in cases))


def points_of(study: Study, condition: str) -> list[str]:
    """Where answers are wanted in a condition: its design points, and the ends of what drains to none of them.

    So every catchment has its answers, whichever points are set.
    """
    network = resolve(study, condition)
    chosen = [key for key in study.design_points if key in network.elements]
    if not chosen:
        return list(network.ends)
    answered = network.above(chosen)
    others = {key for key, element in network.elements.items() if element.takes_rain and key not in answered}
    return chosen + [end for end in network.ends if end not in chosen and others & set(network.above([end]))]


@dataclass(frozen=True)
class Asked:
    """Which cases of a study are wanted, by key; of storms all where nothing is said of them.

    Naming families, return periods or durations asks for design storms; naming given storms asks for those.
    """

    conditions: Sequence[str] | None = None
    points: Sequence[str] | None = None
    families: Sequence[str] | None = None
    return_periods: Sequence[float] | None = None
    durations: Sequence[float] | None = None
    storms: Sequence[str] | None = None

    def groups(self, study: Study) -> list[list[Storm]]:
        """The storms wanted, those of one maker together; `UnknownName` for what is not there."""
        design = self.families, self.return_periods, self.durations
        groups: list[list[Storm]] = []
        if self.storms is None or any(part is not None for part in design):
            keys = list(study.families) if self.families is None else [study.family_of(f) for f in self.families]
            groups += [[storm for storm in storms_of(study, key) if self._wants(storm)] for key in keys]
        if self.storms is not None or all(part is None for part in design):
            keys = list(study.storms) if self.storms is None else [study.storm_of(s) for s in self.storms]
            groups += [[given_storm(study, key)] for key in keys]
        return groups

    def _wants(self, storm: Storm) -> bool:
        return (self.return_periods is None or storm.event in self.return_periods) and (
            self.durations is None or storm.duration in self.durations
        )


def compute_cases(
    study: Study,
    *,
    conditions: Sequence[str] | None = None,
    families: Sequence[str] | None = None,
    points: Sequence[str] | None = None,
    return_periods: Sequence[float] | None = None,
    durations: Sequence[float] | None = None,
    storms: Sequence[str] | None = None,
    cache: ResultCache[Response] | None = None,
    runs: RunMemo | None = None,
    progress: Progress | None = None,
) -> Results:
    """Compute the cases of a study, all or those asked for.

    ``families``, ``return_periods`` and ``durations`` (s) ask for design storms, ``storms`` for given ones. What
    cannot be computed is withheld with its reason. ``cache`` and ``runs`` keep what edits do not touch from one
    call to the next.

    Raises `UnknownName` for what is not there, `ComputationFailed` where no case was asked for, and
    `Cancelled`.
    """
    progress = progress or Progress()
    asked = Asked(conditions, points, families, return_periods, durations, storms)
    if not study.families and not study.storms:
        raise ComputationFailed(
            "there is no rain.", where=study.title, remedy="Give a depth table and a storm family, or a storm."
        )
    groups = asked.groups(study)
    wanted = [study.condition_of(c) for c in asked.conditions or study.conditions]
    named = [study.key_of(p) for p in asked.points] if asked.points else None
    work = [(c, p) for c in wanted for p in (named or points_of(study, c))]
    found: list[CaseResult] = []
    withheld: list[Withheld] = []
    maker = _Maker(study, runs or RunMemo(), cache, progress)
    for number, (condition, point) in enumerate(work):
        progress.tell(f"{study.conditions[condition].name} at {study.name_of(point)}", number / len(work))
        network = resolve(study, condition)
        if point in network.elements:
            site = _Site(maker, condition, point, network)
            for group in groups:
                computed, left = site.cases(group)
                found += computed
                withheld += left
    if not found and not withheld:
        raise ComputationFailed("no case was asked for.", where=study.title, remedy="Choose other storms or points.")
    return Results(study, tuple(found), tuple(withheld))


def step_of(study: Study, point: str) -> float:
    """Step of the cases of a design point, s."""
    own = study.design_points.get(point, _PLAIN).step
    return own if own is not None else study.run.step.known


@dataclass(frozen=True, eq=False)
class _Maker:
    """What all cases of one call are made with."""

    study: Study
    runs: RunMemo
    cache: ResultCache[Response] | None
    progress: Progress


@dataclass(frozen=True, eq=False)
class _Site:
    """A design point in a condition, and the computing of the cases there over the network above it."""

    maker: _Maker
    condition: str
    point: str
    whole: Network

    @cached_property
    def network(self) -> Network:
        """What drains to the design point."""
        return self.whole.part_above([self.point])

    @cached_property
    def step(self) -> float:
        """Step of its cases, s."""
        return step_of(self.maker.study, self.point)

    @cached_property
    def area(self) -> float:
        """Area draining to it, m2."""
        return self.network.area_above(self.point)

    @cached_property
    def memory(self) -> float:
        """How long the methods on the way to it hold water back, about, s."""
        return self.network.memory(self.point, self.step)

    def cases(self, storms: Sequence[Storm]) -> tuple[list[CaseResult], list[Withheld]]:
        """Storms of one maker computed here, and those that are withheld."""
        able: list[Storm] = []
        withheld = []
        for storm in storms:
            obstacle = self._standing_obstacle or self._obstacle(storm)
            if obstacle is None:
                able.append(storm)
            else:
                withheld.append(self._withheld(storm, obstacle))
        if not able:
            return [], withheld
        try:
            return self._computed(able), withheld
        except Cancelled:
            raise
        except TarnwaterError as error:
            return [], withheld + [self._withheld(storm, Obstacle(str(error))) for storm in able]

    def _case(self, storm: Storm) -> Case:
        return Case(self.condition, self.point, storm, storm.after(self.maker.study))

    def _withheld(self, storm: Storm, obstacle: Obstacle) -> Withheld:
        return Withheld(self._case(storm), obstacle.reason, obstacle.element, obstacle.field)

    @cached_property
    def _standing_obstacle(self) -> Obstacle | None:
        """The first thing that keeps every case here from being computed."""
        study, network = self.maker.study, self.whole
        above = network.acting_on([self.point])
        for fault in network.faults:
            if not fault.element or fault.element in above:
                where = f"{study.name_of(fault.element)}: " if fault.element else ""
                return Obstacle(f"{where}{fault.what}", fault.element, "links")
        for key in network.elements:
            if key in above and (missing := network.elements[key].missing()):
                reason = f"{network.elements[key].name}: {missing[0].what}"
                return Obstacle(reason, key, missing[0].field)
        if not any(network.elements[key].takes_rain or network.elements[key].lets_in for key in above):
            return Obstacle(f"{network.elements[self.point].name}: no catchment drains to it.", self.point)
        return None

    def _obstacle(self, storm: Storm) -> Obstacle | None:
        """Why a storm cannot be made or run here; None where it can."""
        study, run = self.maker.study, self.maker.study.run.length.value
        rained_on = [key for key, element in self.network.elements.items() if element.takes_rain]
        if (own := storm.obstacle(study, rained_on)) is not None:
            return own
        if run is not None and storm.duration > run:
            reason = f"{show_duration(storm.duration)} is longer than the run of {show_duration(run)}."
            return Obstacle(reason, field="run/length")
        if not (start := storm.after(study)):
            return None
        before = given_storm(study, start)
        earlier = self._obstacle(before)
        if earlier is not None:
            return Obstacle(
                f"it begins after “{before.maker(study)}”: {earlier.reason}", earlier.element, earlier.field
            )
        return self._apart_obstacle(before, storm)

    def _apart_obstacle(self, before: StormByKey, storm: Storm) -> Obstacle | None:
        """Why a storm cannot begin when it does, going on from the run of another."""
        apart = self._apart(before, storm)
        if apart is None:
            return None
        name = before.maker(self.maker.study)
        if apart < before.duration:
            return Obstacle(
                f"it begins before the rain of “{name}”, after which it begins, has ended.", field=storm.place
            )
        if apart > LONGEST_LEAD:
            return Obstacle(f"it begins more than {LONGEST_LEAD / 86400:.0f} d after “{name}”.", field=storm.place)
        if abs(apart / self.step - round(apart / self.step)) > 1e-9:
            reason = f"it begins between two steps of {show_duration(self.step)} of the run of “{name}”."
            return Obstacle(reason, field=storm.place)
        return None

    def _apart(self, before: StormByKey, storm: Storm) -> float | None:
        """Time from the beginning of one storm to that of another, s; None where one of them has no clock."""
        first, then = before.begins(self.maker.study), storm.begins(self.maker.study)
        return None if first is None or then is None else (then - first).total_seconds()

    def _computed(self, storms: Sequence[Storm]) -> list[CaseResult]:
        """Storms of one maker, found again where nothing that they are made of has changed."""
        study, network = self.maker.study, self.network
        made_from = (
            *network.elements.values(), *network.links.values(), *_made_from(study, storms[0]), study.run,
            study.design_points.get(self.point),
        )  # fmt: skip
        also = self.point, tuple(storms), *network.elements
        memo = self.maker.runs.memo
        known = memo.get(made_from, also) or memo.put(made_from, self._run_storms(storms), also)
        if known[0].case.condition == self.condition:
            return known
        # another condition with the very same elements
        return [result.of(self._case(result.case.storm)) for result in known]

    def _run_storms(self, storms: Sequence[Storm]) -> list[CaseResult]:
        study, found = self.maker.study, {}
        for alike in _of_like_length(storms, self.memory):
            run = Run(self._run(alike, self._start(alike[0], len(alike))), self.maker.runs.shelf)
            for index, storm in enumerate(alike):
                factor = storm.areal_factor(study, self.area)
                standing, origin = storm.standing(study), storm.begins(study)
                found[storm] = CaseResult(self._case(storm), self.network, run, index, factor, standing, origin)
        return [found[storm] for storm in storms]

    def _rain(self, storms: Sequence[Storm]) -> Rain | Mapping[str, Rain]:
        """Rain of storms of one maker, kept: every edit of the land asks for the same storms again."""
        study, rains = self.maker.study, self.maker.runs.rains
        rained_on = () if storms[0].even(study) else tuple(self.network.elements)
        made_from, also = storms[0].made_from(study), (tuple(storms), self.area, self.step, rained_on)
        known = rains.get(made_from, also)
        return known or rains.put(made_from, rain_of(study, storms, self.network, self.area, self.step), also)

    def _start(self, storm: Storm, cases: int) -> Mapping[str, Any]:
        """State of every element from which a storm begins, for as many cases."""
        study = self.maker.study
        if not (key := storm.after(study)):
            return {}
        before = given_storm(study, key)
        apart = self._apart(before, storm)
        steps = None if apart is None else round(apart / self.step)
        ended = self._run([before], self._start(before, 1), steps).states
        return {element: states.cases_of(state, np.zeros(cases, int)) for element, state in ended.items()}

    def _run(self, storms: Sequence[Storm], start: Mapping[str, Any], steps: int | None = None) -> BatchResult:
        """Compute storms over some steps, those of the typed length, or as many until the flow has receded."""
        settings, share = self.maker.study.run, self.maker.study.run.recession_share
        rain = self._rain(storms)

        def over(steps: int) -> BatchResult:
            batch = Batch(self.network, rain, self.step, steps, start=start, recession_share=share)
            return compute(batch, cache=self.maker.cache, progress=self.maker.progress)

        given = settings.length.value
        if steps is None and given is not None:
            steps = math.ceil(given / self.step - 1e-9)
        if steps is not None:
            return over(steps)
        length = max(s.duration for s in storms) + self.memory
        while True:
            result = over(_rounded_up(math.ceil(length / self.step - 1e-9)))
            reached = result.responses[self.point]
            if has_receded(reached.flow, reached.base, share).all() or 2 * length > LONGEST_RUN:
                return result
            length *= 2


def _made_from(study: Study, storm: Storm) -> tuple[Any, ...]:
    """The parts of the study that a storm and those before it are made from."""
    parts = storm.made_from(study)
    while before := storm.after(study):
        storm = given_storm(study, before)
        parts += storm.made_from(study)
    return parts


def _of_like_length(storms: Sequence[Storm], response: float) -> list[list[Storm]]:
    """Storms in groups whose runs differ in length by less than two, of at most `MOST_TOGETHER`."""
    groups: dict[int, list[Storm]] = {}
    for storm in storms:
        groups.setdefault(math.floor(math.log2(storm.duration + response)), []).append(storm)
    return [group[i : i + MOST_TOGETHER] for group in groups.values() for i in range(0, len(group), MOST_TOGETHER)]


def _rounded_up(steps: int) -> int:
    """Steps of a run rounded up by less than an eighth, so that an edit seldom changes the length of a run.

    A run of another length is another one for every element, also for those that the edit left alone.

    >>> [_rounded_up(n) for n in (7, 100, 455, 476)]
    [7, 104, 480, 480]
    """
    unit = 1 << max(steps.bit_length() - 4, 0)
    return -(-steps // unit) * unit
