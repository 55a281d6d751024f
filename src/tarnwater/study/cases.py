"""Cases: conditions crossed with storms, computed in batches, answered by design point.

A storm is made for a design point: its areal reduction follows the area draining there. So a family
is computed for each design point, over the part of the network above it; the answer is the greatest
peak over the durations, and names its duration.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache

import numpy as np

from tarnwater.errors import ComputationFailed, UnknownName
from tarnwater.hydrograph import Hydrograph
from tarnwater.network.balance import Balance
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Catchment, Inflow, Reach
from tarnwater.network.engine import Batch, BatchResult, Response, Summary, compute, unit_hydrograph_of
from tarnwater.network.figures import Peak, has_receded
from tarnwater.network.graph import Network
from tarnwater.network.memo import IdentityMemo
from tarnwater.network.runs import SHELF_BYTES, Run
from tarnwater.progress import Progress
from tarnwater.rain.storms import Rain, Storm
from tarnwater.routing.reaches import Muskingum
from tarnwater.study.conditions import resolve
from tarnwater.study.document import DesignPoint, Study
from tarnwater.study.document import Limit as LimitOf

#: A run is not extended beyond this, s.
LONGEST_RUN = 60 * 86400.0

#: Cases computed in one batch; more would gain no speed and hold more memory at once.
MOST_TOGETHER = 256


@dataclass(frozen=True)
class Case:
    """One condition under one storm made for one design point (keys), from the start state at rest."""

    condition: str
    point: str
    storm: Storm


@dataclass(frozen=True, eq=False)
class CaseResult:
    """All that a case answers: it is at ``index`` in its ``run``."""

    case: Case
    network: Network
    run: Run
    index: int
    areal_factor: float
    _known: dict[str, Figures] = field(default_factory=dict, repr=False)

    def flow(self, element: str) -> np.ndarray:
        """Hydrograph of an element, m3/s, (step + 1,)."""
        self._summary(element)
        return self.run.responses[element].flow[self.index]

    def hydrograph(self, element: str) -> Hydrograph:
        """Hydrograph of an element with its volumes, one case."""
        self._summary(element)
        return self.run.responses[element].hydrograph.of(slice(self.index, self.index + 1))

    @property
    def step(self) -> float:
        """Step of the run, s."""
        return self.run.batch.step

    @property
    def rain(self) -> np.ndarray:
        """Rain of the storm in each of its steps, mm."""
        rain = self.run.batch.rain
        assert isinstance(rain, Rain)
        return rain.depths[self.index]

    @property
    def rain_depth(self) -> float:
        """Depth of the storm, mm."""
        return float(self.rain.sum())

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
        area = self.network.area_above(element)
        catchments = [k for k in self.network.above([element]) if isinstance(self.network.elements[k], Catchment)]
        direct = 0.0
        for key in catchments:
            balance = self._summary(key).balance
            direct += float(balance.outflow[self.index] - balance.ground[self.index])
        return Figures(
            peak=self.peak(element),
            volume=float(self._summary(element).volume[self.index]),
            area=area,
            rain_depth=self.rain_depth,
            runoff_depth=direct / area * 1000 if area else 0.0,
        )

    def balance(self, element: str) -> Balance:
        """Balance of an element, each volume (1,)."""
        whole = self._summary(element).balance
        return Balance(**{n: getattr(whole, n)[self.index : self.index + 1] for n in Balance.__dataclass_fields__})

    def receded(self, element: str, share: float) -> bool:
        """Whether the flow at an element has fallen to ``share`` of its peak, less baseflow."""
        base, summary = base_above(self.network, element), self._summary(element)
        peak = summary.peaks[self.index].ordinate - base
        return float(summary.last[self.index]) - base <= share * max(peak, 1e-12)

    def _summary(self, element: str) -> Summary:
        if element not in self.run.summaries:
            raise UnknownName(element, self.run.summaries, kind="element of this case")
        return self.run.summaries[element]


@dataclass(frozen=True)
class Figures:
    """What stands with a peak: nobody believes one alone. Volumes m3, areas m2, depths mm."""

    peak: Peak
    volume: float
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
class Answer:
    """The governing case of a design point, a condition and a return period.

    ``limit`` m3/s is what is allowed, None without a limit. ``bracketed`` says whether a shorter and
    a longer duration were tried.
    """

    result: CaseResult
    figures: Figures
    limit: float | None
    bracketed: bool

    @property
    def keeps_limit(self) -> bool | None:
        """Whether the greater of the computed and the fitted peak keeps the limit; None without one."""
        return None if self.limit is None else self.figures.peak.greater <= self.limit * (1 + 1e-12)


@dataclass(frozen=True, eq=False)
class Results:
    """Every case computed, and the answers."""

    study: Study
    cases: tuple[CaseResult, ...]

    @cached_property
    def _by_answer(self) -> dict[tuple[str, str, float], list[CaseResult]]:
        found: dict[tuple[str, str, float], list[CaseResult]] = {}
        for r in self.cases:
            found.setdefault((r.case.condition, r.case.point, r.case.storm.return_period), []).append(r)
        return found

    def of(self, condition: str, point: str, return_period: float) -> list[CaseResult]:
        """Cases of a condition, a design point and a return period, by duration."""
        return self._by_answer.get((condition, point, return_period), [])

    def governing(self, condition: str, point: str, return_period: float) -> CaseResult | None:
        """The case with the greatest peak over the durations; of equal ones the shortest."""
        own = self.of(condition, point, return_period)
        return max(own, key=lambda r: r.peak(point).ordinate) if own else None

    def answers(self) -> list[Answer]:
        """The governing cases by design point, condition and return period."""
        return list(self._answers)

    @cached_property
    def _answers(self) -> list[Answer]:
        order = dict.fromkeys((r.case.point, r.case.condition, r.case.storm.return_period) for r in self.cases)
        return [self.answer(condition, point, period) for point, condition, period in order]

    def answer(self, condition: str, point: str, return_period: float) -> Answer:
        """The governing case with its limit."""
        result = self.governing(condition, point, return_period)
        if result is None:
            raise UnknownName(f"1 in {return_period:g}", [], kind="computed case")
        tried = [r.case.storm.duration for r in self.of(condition, point, return_period)]
        own = result.case.storm.duration
        limit = self.limit(point, return_period, condition)
        return Answer(result, result.figures(point), limit, min(tried) < own < max(tried))

    def limit(self, point: str, return_period: float, condition: str) -> float | None:
        """The allowed peak at a design point, m3/s; None where there is none for this condition.

        A share of another condition's peak does not bind that condition itself.
        """
        for limit in _limits(self.study.design_points.get(point, DesignPoint()), return_period):
            if limit.flow is not None:
                return limit.flow
            assert limit.of_condition is not None
            other = self.study.condition_of(limit.of_condition)
            governing = None if other == condition else self.governing(other, point, return_period)
            if governing is not None:
                return limit.share * governing.peak(point).greater
        return None


def _limits(point: DesignPoint, return_period: float) -> Iterable[LimitOf]:
    return (limit for limit in point.limits if limit.return_period == return_period)


class RunMemo:
    """Runs kept from one call of `compute_cases` to the next, and the shelf of their series."""

    def __init__(self, most: int = 512) -> None:
        self.memo: IdentityMemo[list[CaseResult]] = IdentityMemo(most)
        self.shelf: ResultCache[BatchResult] = ResultCache(SHELF_BYTES)


def points_of(study: Study, condition: str) -> list[str]:
    """Design points of a condition; its ends where none is set."""
    network = resolve(study, condition)
    chosen = [key for key in study.design_points if key in network.elements]
    return chosen or list(network.ends)


def compute_cases(
    study: Study,
    *,
    conditions: Sequence[str] | None = None,
    families: Sequence[str] | None = None,
    points: Sequence[str] | None = None,
    return_periods: Sequence[float] | None = None,
    durations: Sequence[float] | None = None,
    cache: ResultCache[Response] | None = None,
    runs: RunMemo | None = None,
    progress: Progress | None = None,
) -> Results:
    """Compute the cases of a study, all or those asked for.

    ``cache`` and ``runs`` keep what edits do not touch from one call to the next.

    Raises `UnknownName` for what is not there, `ComputationFailed` where nothing can be computed,
    and `Cancelled`.
    """
    progress = progress or Progress()
    conditions = [study.condition_of(c) for c in conditions] if conditions else list(study.conditions)
    families = [study.family_of(f) for f in families] if families else list(study.families)
    if not families:
        raise ComputationFailed("there is no rain.", where=study.title, remedy="Give a depth table and a storm family.")
    wanted = [study.key_of(p) for p in points] if points else None
    work = [
        (condition, point, family)
        for condition in conditions
        for point in points_of(study, condition)
        if wanted is None or point in wanted
        for family in families
    ]
    if wanted:
        work = [(c, p, f) for c in conditions for p in wanted for f in families]
    found: list[CaseResult] = []
    runs = runs or RunMemo()
    for number, (condition, point, family) in enumerate(work):
        progress.tell(f"{study.conditions[condition].name} at {study.name_of(point)}", number / len(work))
        chosen = study.families[family]
        storms = [
            Storm(family, period, duration)
            for period in chosen.return_periods
            if return_periods is None or period in return_periods
            for duration in chosen.durations
            if durations is None or duration in durations
        ]
        if storms:
            found.extend(_compute_storms(study, condition, point, storms, runs, cache, progress))
    if not found:
        raise ComputationFailed("no case was asked for.", where=study.title, remedy="Choose other storms or points.")
    return Results(study, tuple(found))


def step_of(study: Study, point: str) -> float:
    """Step of the cases of a design point, s."""
    own = study.design_points.get(point, DesignPoint()).step
    return own if own is not None else study.run.step.known


def _compute_storms(
    study: Study,
    condition: str,
    point: str,
    storms: Sequence[Storm],
    runs: RunMemo,
    cache: ResultCache[Response] | None,
    progress: Progress,
) -> list[CaseResult]:
    whole = resolve(study, condition)
    if point not in whole.elements:
        return []
    network = whole.part_above([point])
    family = study.families[storms[0].family]
    made_from = (
        *network.elements.values(), *network.links.values(), family, study.tables[family.table], study.run,
        study.design_points.get(point),
    )  # fmt: skip
    also = point, tuple(storms), *network.elements
    found = runs.memo.get(made_from, also)
    if found is None:
        found = runs.memo.put(made_from, _run_storms(study, network, point, storms, runs.shelf, cache, progress), also)
    return [replace(result, case=Case(condition, point, result.case.storm)) for result in found]


def _run_storms(
    study: Study,
    network: Network,
    point: str,
    storms: Sequence[Storm],
    shelf: ResultCache[BatchResult],
    cache: ResultCache[Response] | None,
    progress: Progress,
) -> list[CaseResult]:
    step, area = step_of(study, point), network.area_above(point)
    response = response_time(network, point, step)
    found: dict[Storm, CaseResult] = {}
    for storms_alike in _of_like_length(storms, response):
        rain = storm_rain(study, storms_alike, area, step)
        longest = max(s.duration for s in storms_alike)
        run = Run(_run(study, network, point, rain, step, longest, response, cache, progress), shelf)
        for index, storm in enumerate(storms_alike):
            factor = study.families[storm.family].areal.factor(area, storm.duration)
            found[storm] = CaseResult(Case("", point, storm), network, run, index, factor)
    return [found[storm] for storm in storms]


def storm_rain(study: Study, storms: Sequence[Storm], area: float, step: float) -> Rain:
    """Rain of storms made for an area (m2), each a case, dry after its end."""
    rows = []
    for storm in storms:
        family = study.families[storm.family]
        table = study.tables[family.table]
        rows.append(family.increments(table, storm.return_period, storm.duration, area=area, step=step))
    depths = np.zeros((len(rows), max(len(r) for r in rows)))
    for index, row in enumerate(rows):
        depths[index, : len(row)] = row
    return Rain(depths, step)


def _of_like_length(storms: Sequence[Storm], response: float) -> list[list[Storm]]:
    """Storms in groups whose runs differ in length by less than two, of at most `MOST_TOGETHER`."""
    groups: dict[int, list[Storm]] = {}
    for storm in storms:
        groups.setdefault(math.floor(math.log2(storm.duration + response)), []).append(storm)
    return [group[i : i + MOST_TOGETHER] for group in groups.values() for i in range(0, len(group), MOST_TOGETHER)]


def _run(
    study: Study,
    network: Network,
    point: str,
    rain: Rain,
    step: float,
    longest: float,
    response: float,
    cache: ResultCache[Response] | None,
    progress: Progress,
) -> BatchResult:
    """Compute a batch; without a typed length it is doubled until the flow has receded."""
    given = study.run.length.value
    if given is not None:
        return compute(Batch(network, rain, step, math.ceil(given / step - 1e-9)), cache=cache, progress=progress)
    base, share = base_above(network, point), study.run.recession_share
    length = longest + response
    while True:
        steps = _rounded_up(math.ceil(length / step - 1e-9))
        result = compute(Batch(network, rain, step, steps), cache=cache, progress=progress)
        if has_receded(result.responses[point].flow, base, share).all() or 2 * length > LONGEST_RUN:
            return result
        length *= 2


def _rounded_up(steps: int) -> int:
    """Steps of a run rounded up by less than an eighth, so that an edit seldom changes the length of a run.

    A run of another length is another one for every element, also for those that the edit left alone.

    >>> [_rounded_up(n) for n in (7, 100, 455, 476)]
    [7, 104, 480, 480]
    """
    unit = 1 << max(steps.bit_length() - 4, 0)
    return -(-steps // unit) * unit


@lru_cache(maxsize=1024)
def base_above(network: Network, point: str) -> float:
    """Constant baseflow that drains to an element, m3/s."""
    elements = (network.elements[k] for k in network.above([point]))
    return sum(e.baseflow.rate() for e in elements if isinstance(e, Catchment))


def response_time(network: Network, point: str, step: float) -> float:
    """How long the slowest water needs to leave above an element after the rain, about, s."""
    longest: dict[str, float] = {}
    for key in network.order:
        upstream = max((longest[up] for up in network.upstream[key]), default=0.0)
        match network.elements[key]:
            case Catchment() as c:
                own = len(unit_hydrograph_of(c, step).ordinates) * step
            case Reach(method=Muskingum() as m):
                own = 3 * m.travel_time.known
            case Inflow() as i:
                own = i.times[-1]
            case _:
                own = 0.0
        longest[key] = upstream + own
    return longest[point] + step
