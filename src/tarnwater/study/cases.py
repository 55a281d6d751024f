"""Cases: conditions crossed with storms, computed in batches, answered by design point.

A storm is made for a design point: its areal reduction follows the area draining there. So a family
is computed for each design point, over the part of the network above it; the answer is the greatest
peak over the durations of all counted families, and names its family and duration. A case that cannot
be computed is withheld with its reason; it takes no other case with it.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal, TypeVar

import numpy as np

from tarnwater import units
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
from tarnwater.rain.storms import Rain, Storm, StormFamily
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


T = TypeVar("T")

#: What a case is for: it makes answers; its family stands beside; or it only shows what another length would give.
Standing = Literal["counted", "beside", "other length"]

#: What stands at an element that is no design point.
_PLAIN = DesignPoint()

#: Share of the water above an element that may still be on its way when a flood is taken to have passed.
MOST_ON_ITS_WAY = 0.1

#: Rounding that a limit forgives.
ROUNDING = 1e-12


@dataclass(frozen=True, eq=False)
class CaseResult:
    """All that a case answers: it is at ``index`` in its ``run``."""

    case: Case
    network: Network
    run: Run
    index: int
    areal_factor: float
    standing: Standing = "counted"
    _known: dict[str, Figures] = field(default_factory=dict, repr=False)

    def of(self, case: Case) -> CaseResult:
        """The same result as that of another case, with which it shares all that is worked out."""
        alike = self.index, self.areal_factor, self.standing, self._known
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

    @property
    def rain(self) -> np.ndarray:
        """Rain of the storm in each of its steps, mm."""
        rain = self.run.batch.rain
        assert isinstance(rain, Rain)
        return rain.depths[self.index]

    @cached_property
    def rain_depth(self) -> float:
        """Depth of the storm, mm."""
        return float(self.rain.sum())

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
                runoff += (self.rain_depth - self._kept_depth(key)) * above.drained
            given += above.let_in(end)
        return Figures(
            peak=self.peak(element),
            volume=float(summary.flood[self.index]),
            receded=end,
            given_volume=given,
            area=area,
            rain_depth=self.rain_depth,
            runoff_depth=runoff / area if area else 0.0,
        )

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


_AnswerKey = tuple[str, str, float]


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

    def all_of(self, condition: str, point: str, return_period: float) -> list[CaseResult]:
        """Cases of a condition, a design point and a return period, counted or not, by family and duration."""
        return self._by_answer.get((condition, point, return_period), [])

    def of(self, condition: str, point: str, return_period: float) -> list[CaseResult]:
        """Those of them that are counted: the durations tried for the answer."""
        return [r for r in self.all_of(condition, point, return_period) if r.standing == "counted"]

    def beside(self, condition: str, point: str, return_period: float) -> list[CaseResult]:
        """Those that stand beside: of families that are not counted, and of other lengths of nested storms."""
        return [r for r in self.all_of(condition, point, return_period) if r.standing != "counted"]

    def withheld_from(self, condition: str, point: str, return_period: float) -> list[Withheld]:
        """Counted cases that an answer lacks."""
        own = self._withheld_by_answer.get((condition, point, return_period), [])
        return [w for w in own if self._counts(w.case.storm)]

    def _counts(self, storm: Storm) -> bool:
        return standing_of(self.study.families[storm.family], storm.duration) == "counted"

    def periods_of(self, condition: str, point: str) -> list[float]:
        """Return periods of the cases of a condition and a design point, computed or withheld."""
        keys = (*self._by_answer, *self._withheld_by_answer)
        return sorted({period for c, p, period in keys if (c, p) == (condition, point)})

    def governing(self, condition: str, point: str, return_period: float) -> CaseResult | None:
        """The counted case with the greatest peak; of equal ones the shortest of the first family."""
        asked = condition, point, return_period
        if asked not in self._governing:
            own = self.of(*asked)
            self._governing[asked] = max(own, key=lambda r: r.peak(point).ordinate) if own else None
        return self._governing[asked]

    @cached_property
    def _governing(self) -> dict[_AnswerKey, CaseResult | None]:
        return {}

    def answers(self) -> list[Answer]:
        """The governing cases by design point, condition and return period."""
        return list(self._answers)

    @cached_property
    def _answers(self) -> list[Answer]:
        counted = (r for r in self.cases if r.standing == "counted")
        order = dict.fromkeys((r.case.point, r.case.condition, r.case.storm.return_period) for r in counted)
        return [self.answer(condition, point, period) for point, condition, period in order]

    def answer(self, condition: str, point: str, return_period: float) -> Answer:
        """The governing case with its limit."""
        result = self.governing(condition, point, return_period)
        if result is None:
            raise UnknownName(f"1 in {return_period:g}", [], kind="computed case")
        storm, own = result.case.storm, self.of(condition, point, return_period)
        family = self.study.families[storm.family]
        tried = [r.case.storm.duration for r in own if r.case.storm.family == storm.family]
        bracketed = not family.searches or min(tried) < storm.duration < max(tried)
        computed, lacking = len(own), len(self.withheld_from(condition, point, return_period))
        limit = self.limit(point, return_period, condition)
        verdict = None if limit is None else self.verdict(condition, point, return_period, limit)
        return Answer(result, result.figures(point), limit, verdict, bracketed, computed, computed + lacking)

    def verdict(self, condition: str, point: str, return_period: float, limit: float) -> Verdict:
        """Whether every duration tried keeps a limit (m3/s); unknown where a case that bears on it is withheld."""
        own = self.of(condition, point, return_period)
        lacking = len(self.withheld_from(condition, point, return_period))
        tried = len(own) + lacking
        other = self._other_condition(point, return_period, condition)
        unsure = 0 if other is None else len(self.withheld_from(other, point, return_period))
        if any(not keeps(r, point, limit) for r in own) and not unsure:
            return Verdict("exceeded", len(own), tried)
        if lacking or unsure:
            theirs = 0 if other is None else len(self.of(other, point, return_period))
            return Verdict("unknown", min(len(own), theirs) if unsure else len(own), max(tried, theirs + unsure))
        return Verdict("kept", len(own), tried)

    def limit(self, point: str, return_period: float, condition: str) -> float | None:
        """The allowed peak at a design point, m3/s; None where there is none for this condition.

        A share of another condition's peak does not bind that condition itself.
        """
        limit = self.limit_at(point, return_period)
        if limit is None or limit.flow is not None:
            return None if limit is None else limit.flow
        other = self._other_condition(point, return_period, condition)
        governing = None if other is None else self.governing(other, point, return_period)
        return None if governing is None else limit.share * governing.peak(point).ordinate

    def limit_at(self, point: str, return_period: float) -> LimitOf | None:
        """The limit set at a design point for a return period."""
        own = self.study.design_points.get(point, _PLAIN).limits
        return next((limit for limit in own if limit.return_period == return_period), None)

    def _other_condition(self, point: str, return_period: float, condition: str) -> str | None:
        """The condition on whose peak a limit rests; None where it rests on none, or on this one."""
        limit = self.limit_at(point, return_period)
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
        found.setdefault((case.condition, case.point, case.storm.return_period), []).append(one)
    return found


class RunMemo:
    """Runs kept from one call of `compute_cases` to the next, and the shelf of their series."""

    def __init__(self, most: int = 512) -> None:
        self.memo: IdentityMemo[list[CaseResult]] = IdentityMemo(most)
        self.rains: IdentityMemo[Rain] = IdentityMemo(most)
        self.shelf: ResultCache[BatchResult] = ResultCache(SHELF_BYTES)


def points_in(results: Results | None) -> list[str]:
    """Design points that there are cases for, computed or withheld."""
    cases = () if results is None else (*(r.case for r in results.cases), *(w.case for w in results.withheld))
    return list(dict.fromkeys(case.point for case in cases))


def points_of(study: Study, condition: str) -> list[str]:
    """Design points of a condition; its ends where none is set."""
    network = resolve(study, condition)
    chosen = [key for key in study.design_points if key in network.elements]
    return chosen or list(network.ends)


@dataclass(frozen=True)
class Asked:
    """Which cases of a study are wanted, by key; None stands for all."""

    conditions: tuple[str, ...]
    families: tuple[str, ...]
    points: tuple[str, ...] | None = None
    return_periods: tuple[float, ...] | None = None
    durations: tuple[float, ...] | None = None

    def wants(self, storm: Storm) -> bool:
        """Whether a storm is wanted."""
        return (self.return_periods is None or storm.return_period in self.return_periods) and (
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
    cache: ResultCache[Response] | None = None,
    runs: RunMemo | None = None,
    progress: Progress | None = None,
) -> Results:
    """Compute the cases of a study, all or those asked for.

    What cannot be computed is withheld with its reason. ``cache`` and ``runs`` keep what edits do not
    touch from one call to the next.

    Raises `UnknownName` for what is not there, `ComputationFailed` where no case was asked for, and
    `Cancelled`.
    """
    progress, runs = progress or Progress(), runs or RunMemo()
    asked = Asked(
        tuple(study.condition_of(c) for c in conditions) if conditions else tuple(study.conditions),
        tuple(study.family_of(f) for f in families) if families else tuple(study.families),
        tuple(study.key_of(p) for p in points) if points else None,
        None if return_periods is None else tuple(return_periods),
        None if durations is None else tuple(durations),
    )
    if not asked.families:
        raise ComputationFailed("there is no rain.", where=study.title, remedy="Give a depth table and a storm family.")
    found: list[CaseResult] = []
    withheld: list[Withheld] = []
    work = [(c, p) for c in asked.conditions for p in (asked.points or points_of(study, c))]
    for number, (condition, point) in enumerate(work):
        progress.tell(f"{study.conditions[condition].name} at {study.name_of(point)}", number / len(work))
        network = resolve(study, condition)
        if point not in network.elements:
            continue
        obstacle = _obstacle(study, network, point)
        for family in asked.families:
            storms = [s for s in storms_of(study, family) if asked.wants(s)]
            if obstacle is not None:
                withheld.extend(replace(obstacle, case=Case(condition, point, storm)) for storm in storms)
                continue
            able = []
            for storm in storms:
                reason = _unable(study, storm)
                if reason is None:
                    able.append(storm)
                else:
                    withheld.append(Withheld(Case(condition, point, storm), reason, field=f"families/{family}"))
            if able:
                _compute_storms(study, condition, network, point, able, runs, cache, progress, found, withheld)
    if not found and not withheld:
        raise ComputationFailed("no case was asked for.", where=study.title, remedy="Choose other storms or points.")
    return Results(study, tuple(found), tuple(withheld))


def storms_of(study: Study, family: str) -> list[Storm]:
    """Storms of a family: those tried, then those of other lengths that the table holds."""
    chosen = study.families[family]
    lengths = chosen.lengths_beside(study.tables[chosen.table])
    return chosen.storms(family) + [Storm(family, t, d) for d in lengths for t in chosen.return_periods]


def standing_of(family: StormFamily, duration: float) -> Standing:
    """What a case under a storm of a duration (s) is for."""
    if duration not in family.tried:
        return "other length"
    return "counted" if family.counted else "beside"


def _obstacle(study: Study, network: Network, point: str) -> Withheld | None:
    """The first thing that keeps every case of a design point from being computed."""
    above = network.acting_on([point])
    nowhere = Case("", point, Storm("", 0.0, 0.0))
    for fault in network.faults:
        if not fault.element or fault.element in above:
            where = f"{study.name_of(fault.element)}: " if fault.element else ""
            return Withheld(nowhere, f"{where}{fault.what}", fault.element, "links")
    for key in network.elements:
        if key in above and (missing := network.elements[key].missing()):
            reason = f"{network.elements[key].name}: {missing[0].what}"
            return Withheld(nowhere, reason, key, missing[0].field)
    if not any(network.elements[key].takes_rain or network.elements[key].lets_in for key in above):
        return Withheld(nowhere, f"{network.elements[point].name}: no catchment drains to it.", point)
    return None


def _unable(study: Study, storm: Storm) -> str | None:
    """Why a storm cannot be made or run; None where it can."""
    family = study.families[storm.family]
    table, run = study.tables[family.table], study.run.length.value
    if not table.holds_period(storm.return_period):
        return f"1 in {storm.return_period:g} is not in the depth table."
    if not table.holds_duration(storm.duration):
        return f"{units.show_duration(storm.duration)} is longer than the depth table."
    if run is not None and storm.duration > run:
        return f"{units.show_duration(storm.duration)} is longer than the run of {units.show_duration(run)}."
    return None


def step_of(study: Study, point: str) -> float:
    """Step of the cases of a design point, s."""
    own = study.design_points.get(point, _PLAIN).step
    return own if own is not None else study.run.step.known


def _compute_storms(
    study: Study,
    condition: str,
    whole: Network,
    point: str,
    storms: Sequence[Storm],
    runs: RunMemo,
    cache: ResultCache[Response] | None,
    progress: Progress,
    found: list[CaseResult],
    withheld: list[Withheld],
) -> None:
    """Compute storms of one family at one point; what fails is withheld with the reason."""
    network = whole.part_above([point])
    family = study.families[storms[0].family]
    made_from = (
        *network.elements.values(), *network.links.values(), family, study.tables[family.table], study.run,
        study.design_points.get(point),
    )  # fmt: skip
    also = point, tuple(storms), *network.elements
    known = runs.memo.get(made_from, also)
    if known is None:
        try:
            known = _run_storms(study, condition, network, point, storms, runs, cache, progress)
        except Cancelled:
            raise
        except TarnwaterError as error:
            reasons = [(Case(condition, point, storm), str(error)) for storm in storms]
            withheld.extend(Withheld(case, reason) for case, reason in reasons)
            return
        runs.memo.put(made_from, known, also)
    if known and known[0].case.condition == condition:
        found.extend(known)
        return
    # another condition with the very same elements
    found.extend(result.of(Case(condition, point, result.case.storm)) for result in known)


def _run_storms(
    study: Study,
    condition: str,
    network: Network,
    point: str,
    storms: Sequence[Storm],
    runs: RunMemo,
    cache: ResultCache[Response] | None,
    progress: Progress,
) -> list[CaseResult]:
    step, area = step_of(study, point), network.area_above(point)
    family = study.families[storms[0].family]
    response = network.memory(point, step)
    found: dict[Storm, CaseResult] = {}
    for storms_alike in _of_like_length(storms, response):
        rain = _rain_of(study, storms_alike, area, step, runs)
        longest = max(s.duration for s in storms_alike)
        run = Run(_run(study, network, point, rain, step, longest, response, cache, progress), runs.shelf)
        factors = family.areal.factors(area, np.array([storm.duration for storm in storms_alike]))
        for index, storm in enumerate(storms_alike):
            standing = standing_of(family, storm.duration)
            case = Case(condition, point, storm)
            found[storm] = CaseResult(case, network, run, index, float(factors[index]), standing)
    return [found[storm] for storm in storms]


def _rain_of(study: Study, storms: Sequence[Storm], area: float, step: float, runs: RunMemo) -> Rain:
    """Rain of storms of one family, kept: every edit of the land asks for the same storms again."""
    family = study.families[storms[0].family]
    made_from, also = (family, study.tables[family.table]), (tuple(storms), area, step)
    known = runs.rains.get(made_from, also)
    return known or runs.rains.put(made_from, storm_rain(study, storms, area, step), also)


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
    given, share = study.run.length.value, study.run.recession_share
    if given is not None:
        return compute(
            Batch(network, rain, step, math.ceil(given / step - 1e-9), recession_share=share),
            cache=cache,
            progress=progress,
        )
    length = longest + response
    while True:
        steps = _rounded_up(math.ceil(length / step - 1e-9))
        batch = Batch(network, rain, step, steps, recession_share=share)
        result = compute(batch, cache=cache, progress=progress)
        reached = result.responses[point]
        if has_receded(reached.flow, reached.base, share).all() or 2 * length > LONGEST_RUN:
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
