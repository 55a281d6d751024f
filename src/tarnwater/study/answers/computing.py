"""Computation of cases, conditions by storms, in batches.

A storm is made for a design point, with the areal reduction of the area that drains there. So storms are computed for
each design point, over the part of the network above it. A case that cannot be computed is withheld with its reason;
other cases are not affected.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from tarnwater import states
from tarnwater.arrays import Floats
from tarnwater.errors import Cancelled, ComputationFailed, TarnwaterError
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import OneStorm
from tarnwater.network.engine import (
    Batch,
    BatchResult,
    CaseValues,
    Response,
    compute,
)
from tarnwater.network.graph import Network
from tarnwater.network.memo import IdentityMemo
from tarnwater.network.peaks import has_receded
from tarnwater.network.runs import SHELF_BYTES, Run
from tarnwater.progress import Progress
from tarnwater.rain.storms import Rain
from tarnwater.states import State
from tarnwater.study.answers.case import Case, CaseResult
from tarnwater.study.answers.own_durations import own_storms
from tarnwater.study.answers.results import PLAIN_POINT, Results, Withheld
from tarnwater.study.answers.storms import (
    Obstacle,
    Storm,
    StormByKey,
    given_storm,
    rain_of,
    storms_of,
)
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import resolve
from tarnwater.units import show_duration

#: Durations nearer than this are the same, s: they are shown in whole seconds.
SAME = 0.5

#: Path of a value of an element.
Path = tuple[str | int, ...]

#: A run is not extended beyond this, s.
LONGEST_RUN = 60 * 86400.0


#: Longest time between the starts of two storms of which one begins after the other, s.
LONGEST_LEAD = 366 * 86400.0


#: Cases computed in one batch; more would gain no speed and hold more memory at once.
MOST_TOGETHER = 256


class RunMemo:
    """Runs cached from one call of `compute_cases` to the next, and the cache of their series."""

    def __init__(self, most: int = 512) -> None:
        self.memo: IdentityMemo[list[CaseResult]] = IdentityMemo(most)
        self.sites: IdentityMemo[tuple[list[CaseResult], list[Withheld]]] = IdentityMemo(most)
        self.rains: IdentityMemo[Rain | Mapping[str, Rain]] = IdentityMemo(most)
        self.shelf: ResultCache[BatchResult] = ResultCache(SHELF_BYTES)


def points_of(study: Study, condition: str) -> list[str]:
    """Where answers are given in a condition: its design points, and the ends of networks without design points.

    So every catchment has an answer.
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
    """Which cases of a study are wanted, by key; of storms all by default.

    Families, return periods or durations select design storms; ``storms`` select given storms.
    """

    conditions: Sequence[str] | None = None
    points: Sequence[str] | None = None
    families: Sequence[str] | None = None
    return_periods: Sequence[float] | None = None
    durations: Sequence[float] | None = None
    storms: Sequence[str] | None = None

    def groups(self, study: Study) -> list[list[Storm]]:
        """The storms wanted, grouped by what they are made from; `UnknownName` for names that do not exist."""
        design = self.families, self.return_periods, self.durations
        groups: list[list[Storm]] = []
        if self.storms is None or any(part is not None for part in design):
            keys = list(study.families) if self.families is None else [study.family_of(f) for f in self.families]
            groups += [[storm for storm in storms_of(study, key) if self._wants_period(storm)] for key in keys]
        if self.storms is not None or all(part is None for part in design):
            keys = list(study.storms) if self.storms is None else [study.storm_of(s) for s in self.storms]
            groups += [[given_storm(study, key)] for key in keys]
        return groups

    def wants_duration(self, storm: Storm) -> bool:
        """Whether storms of its duration are wanted."""
        return self.durations is None or any(abs(storm.duration - asked) < SAME for asked in self.durations)

    def _wants_period(self, storm: Storm) -> bool:
        return self.return_periods is None or storm.event in self.return_periods


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

    ``families``, ``return_periods`` and ``durations`` (s) ask for design storms, ``storms`` for given ones. Cases that
    cannot be computed are withheld with the reason. ``cache`` and ``runs`` keep results that an edit does not touch
    from one call to the next.

    Raises `UnknownName` for names that do not exist, `ComputationFailed` if no case is selected, and `Cancelled`.
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
                computed, left = site.answered(group, asked)
                found += computed
                withheld += left
    if not found and not withheld:
        raise ComputationFailed("no case was asked for.", where=study.title, remedy="Choose other storms or points.")
    return Results(study, tuple(found), tuple(withheld))


def step_of(study: Study, point: str) -> float:
    """Step of the cases of a design point, s."""
    own = study.design_points.get(point, PLAIN_POINT).step
    return own if own is not None else study.run.step.known


@dataclass(frozen=True, eq=False)
class _Maker:
    """Common data of all cases of one call."""

    study: Study
    runs: RunMemo
    cache: ResultCache[Response] | None
    progress: Progress


@dataclass(frozen=True, eq=False)
class _Site:
    """A design point in a condition, with the computation of its cases over the network above it."""

    maker: _Maker
    condition: str
    point: str
    whole: Network

    @cached_property
    def network(self) -> Network:
        """The network that drains to the design point."""
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
        """Longest delay by the methods above it, about, s."""
        return self.network.memory(self.point, self.step)

    def answered(self, group: Sequence[Storm], asked: Asked) -> tuple[list[CaseResult], list[Withheld]]:
        """Cases of a family or a given storm, computed or withheld, as they were where nothing of theirs changed."""
        study, memo = self.maker.study, self.maker.runs.sites
        made_from = (
            self.whole, study.families, study.storms, study.tables, study.gauges, study.rain_grids,
            study.catchment_rain, study.run, study.design_points,
        )  # fmt: skip
        also = self.condition, self.point, tuple(group), None if asked.durations is None else tuple(asked.durations)
        known = memo.get(made_from, also)
        if known is None:
            there = [*group, *self.own_storms(group)]
            known = memo.put(made_from, self.cases([one for one in there if asked.wants_duration(one)]), also)
        return known

    def own_storms(self, storms: Sequence[Storm]) -> list[Storm]:
        """Storms of a duration that follows from the methods above it, beside those of a family."""
        if self._standing_obstacle is not None:
            return []
        return own_storms(self.maker.study, self.network, self.point, storms, self.area, self.step)

    def cases(self, storms: Sequence[Storm]) -> tuple[list[CaseResult], list[Withheld]]:
        """Cases of storms of one family or one given storm, computed or withheld."""
        able: list[Storm] = []
        withheld = []
        for storm in storms:
            obstacle = self._standing_obstacle or self._obstacle(storm)
            if obstacle is None:
                able.append(storm)
            else:
                withheld.append(self._withheld(storm, obstacle))
        computed, failed = self._computed_or_failed(able)
        return computed, withheld + failed

    def _computed_or_failed(self, storms: Sequence[Storm]) -> tuple[list[CaseResult], list[Withheld]]:
        """Computed storms; where a batch fails its halves are tried, so that a failing case takes no other with it."""
        if not storms:
            return [], []
        try:
            return self._computed(storms), []
        except Cancelled:
            raise
        except TarnwaterError as error:
            if len(storms) == 1:
                return [], [self._withheld(storms[0], Obstacle(str(error)))]
        half = len(storms) // 2
        first, second = (self._computed_or_failed(part) for part in (storms[:half], storms[half:]))
        return first[0] + second[0], first[1] + second[1]

    def _case(self, storm: Storm) -> Case:
        return Case(self.condition, self.point, storm, storm.after(self.maker.study))

    def _withheld(self, storm: Storm, obstacle: Obstacle) -> Withheld:
        return Withheld(self._case(storm), obstacle.reason, obstacle.element, obstacle.field)

    @cached_property
    def _standing_obstacle(self) -> Obstacle | None:
        """The first reason that withholds every case here, or None."""
        study, network = self.maker.study, self.whole
        above = network.acting_on([self.point])
        for fault in network.faults:
            if not fault.element or fault.element in above:
                where = f"{study.name_of(fault.element)}: " if fault.element else ""
                return Obstacle(f"{where}{fault.what}", fault.element, "links")
        for key, missing in network.lacking.items():
            if key in above:
                return Obstacle(f"{network.elements[key].name}: {missing.what}", key, missing.field)
        if not any(network.elements[key].takes_rain or network.elements[key].lets_in for key in above):
            return Obstacle(f"{network.elements[self.point].name}: no catchment drains to it.", self.point)
        return None

    @cached_property
    def _rained_on(self) -> list[str]:
        """Keys of the elements that take rain."""
        return [key for key, element in self.network.elements.items() if element.takes_rain]

    def _obstacle(self, storm: Storm) -> Obstacle | None:
        """Reason why a storm cannot be made or run here; None if it can."""
        study, run = self.maker.study, self.maker.study.run.length.value
        if (own := storm.obstacle(study, self._rained_on)) is not None:
            return own
        if run is not None and storm.span > run:
            reason = f"{show_duration(storm.span)} is longer than the run of {show_duration(run)}."
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
        """Reason why a storm cannot begin at its date after the run of another one; None if it can."""
        apart = self._apart(before, storm)
        if apart is None:
            return None
        name = before.maker(self.maker.study)
        if apart < before.duration:
            return Obstacle(f"it begins before the rain of “{name}”, which it follows, has ended.", field=storm.place)
        if apart > LONGEST_LEAD:
            return Obstacle(f"it begins more than {LONGEST_LEAD / 86400:.0f} d after “{name}”.", field=storm.place)
        if abs(apart / self.step - round(apart / self.step)) > 1e-9:
            reason = f"it begins between two steps of {show_duration(self.step)} of the run of “{name}”."
            return Obstacle(reason, field=storm.place)
        return None

    def _apart(self, before: StormByKey, storm: Storm) -> float | None:
        """Time from the beginning of one storm to that of another, s; None if one of them has no date."""
        first, then = before.begins(self.maker.study), storm.begins(self.maker.study)
        return None if first is None or then is None else (then - first).total_seconds()

    def _computed(self, storms: Sequence[Storm]) -> list[CaseResult]:
        """Computed storms, reused if nothing that they are made from has changed."""
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
        """Cached rain of storms, because every edit of the land asks for them again."""
        study, rains = self.maker.study, self.maker.runs.rains
        rained_on = () if storms[0].even(study) else tuple(self.network.elements)
        made_from, also = storms[0].made_from(study), (tuple(storms), self.area, self.step, rained_on)
        known = rains.get(made_from, also)
        return known or rains.put(made_from, rain_of(study, storms, self.network, self.area, self.step), also)

    def _start(self, storm: Storm, cases: int) -> Mapping[str, State]:
        """Start state of every element for a storm, for as many cases."""
        study = self.maker.study
        if not (key := storm.after(study)):
            return {}
        before = given_storm(study, key)
        apart = self._apart(before, storm)
        steps = None if apart is None else round(apart / self.step)
        ended = self._run([before], self._start(before, 1), steps).states
        return {element: states.cases_of(state, np.zeros(cases, int)) for element, state in ended.items()}

    def _values(self, storms: Sequence[Storm], rain: Rain | Mapping[str, Rain]) -> CaseValues:
        """What elements have of their own in each storm, by element and path."""
        memo: IdentityMemo[dict[Path, float]] = self.maker.study.memory.of("values in storms", 65536)
        found: dict[tuple[str, Path], Floats] = {}
        for key, element in self.network.elements.items():
            if not element.by_storm:
                continue
            own = rain if isinstance(rain, Rain) else rain[key]
            for number, storm in enumerate(storms):
                made_from, also = (element, own), (number, storm.years)
                values = memo.get(made_from, also)
                if values is None:
                    one = OneStorm(own.of(slice(number, number + 1)), storm.years)
                    values = memo.put(made_from, dict(element.storm_values(one)), also)
                for path, value in values.items():
                    found.setdefault((key, path), np.full(len(storms), np.nan))[number] = value
        return found

    def _run(self, storms: Sequence[Storm], start: Mapping[str, State], steps: int | None = None) -> BatchResult:
        """Compute storms over the typed length, or until the flow has receded."""
        settings, share = self.maker.study.run, self.maker.study.run.recession_share
        rain, begins = self._rain(storms), storms[0].begins(self.maker.study)
        values = self._values(storms, rain)

        def over(steps: int) -> BatchResult:
            batch = Batch(self.network, rain, self.step, steps, values, start, share, begins)
            return compute(batch, cache=self.maker.cache, progress=self.maker.progress)

        given = settings.length.value
        if steps is None and given is not None:
            steps = math.ceil(given / self.step - 1e-9)
        if steps is not None:
            return over(steps)
        length = max(s.span for s in storms) + self.memory
        while True:
            result = over(_rounded_up(math.ceil(length / self.step - 1e-9)))
            reached = result.responses[self.point]
            if has_receded(reached.flow, reached.base, share).all() or 2 * length > LONGEST_RUN:
                return result
            length *= 2


def _made_from(study: Study, storm: Storm) -> tuple[object, ...]:
    """The parts of the study that a storm and those before it are made from."""
    parts = storm.made_from(study)
    while before := storm.after(study):
        storm = given_storm(study, before)
        parts += storm.made_from(study)
    return parts


def _of_like_length(storms: Sequence[Storm], response: float) -> list[list[Storm]]:
    """Groups of storms whose runs differ in length by less than a factor of two, of at most `MOST_TOGETHER` each."""
    groups: dict[int, list[Storm]] = {}
    for storm in storms:
        groups.setdefault(math.floor(math.log2(storm.span + response)), []).append(storm)
    return [group[i : i + MOST_TOGETHER] for group in groups.values() for i in range(0, len(group), MOST_TOGETHER)]


def _rounded_up(steps: int) -> int:
    """Number of steps of a run, rounded up by less than an eighth, so that an edit seldom changes it.

    A run of another length must be computed again for every element, also for those that the edit did not touch.

    >>> [_rounded_up(n) for n in (7, 100, 455, 476)]
    [7, 104, 480, 480]
    """
    unit = 1 << max(steps.bit_length() - 4, 0)
    return -(-steps // unit) * unit
