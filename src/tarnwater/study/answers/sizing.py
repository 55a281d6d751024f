"""One dimension of a pond found for a goal: limits kept, a level not reached, a time in which it empties."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import pairwise
from typing import ClassVar

import numpy as np

from tarnwater.errors import BadInput, ComputationFailed
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Pond
from tarnwater.network.engine import Response
from tarnwater.progress import Progress
from tarnwater.study import edits
from tarnwater.study.answers.case import CaseResult
from tarnwater.study.answers.computing import RunMemo, compute_cases, points_of
from tarnwater.study.answers.pond_table import RESIDUE
from tarnwater.study.answers.results import Results
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import lineage, resolve
from tarnwater.study.document.fields import description_at
from tarnwater.study.edits.assignments import address
from tarnwater.units import Quantity

#: Sizes tried over the range before the search; ratio of its ends from which they are spaced by equal factors.
SIZES, MANY_TIMES = 16, 10.0

#: Share of its size to which one is found, and how many steps the search may take for it.
CLOSE, STEPS = 1e-5, 60


@dataclass(frozen=True)
class Trial:
    """A pond with one size, and the cases of its design point with it."""

    pond: Pond
    cases: tuple[CaseResult, ...]
    results: Results
    key: str
    point: str
    condition: str

    @property
    def overflows(self) -> bool:
        """Whether water flows over the top of the pond in some case."""
        return any((pool := case.pool(self.key)) is not None and pool.spilled > 0 for case in self.cases)

    @property
    def governing(self) -> list[CaseResult]:
        """The case of each event with the greatest peak at the design point."""
        events = dict.fromkeys(case.case.event for case in self.cases)
        found = (self.results.governing(self.condition, self.point, event) for event in events)
        return [case for case in found if case is not None]

    @property
    def highest(self) -> float:
        """The highest level, m; what flows over the top counts as if the pond were higher."""
        store, pools = self.pond.store, [case.pool(self.key) for case in self.cases]
        if store is None:
            raise BadInput("it has no storage.", where=self.pond.name, remedy="Add storage.")
        area = max(float(store.area(np.array(store.top))), 1e-6)
        return max(pool.top + pool.spilled / area for pool in pools if pool is not None)

    @property
    def outflow(self) -> float:
        """The greatest outflow, m3/s."""
        return max(case.peak(self.key).ordinate for case in self.cases)


class Goal(ABC):
    """What a size is found for."""

    title: ClassVar[str]

    @abstractmethod
    def cost(self, trial: Trial) -> float:
        """By what sizes that keep it alike are compared: the one of the least cost is wanted."""

    @abstractmethod
    def excess(self, trial: Trial) -> float:
        """By how much it is missed; zero or less where it is kept. It changes evenly with the size."""

    @abstractmethod
    def told(self, excess: float) -> tuple[str, tuple[Quantity, ...]]:
        """An excess in words, with a place for each of its figures."""


@dataclass(frozen=True)
class KeepLimits(Goal):
    """No peak at the design point above its limit, with the least storage."""

    title: ClassVar[str] = "the limits below"

    def cost(self, trial: Trial) -> float:
        """The highest level."""
        return trial.highest

    def excess(self, trial: Trial) -> float:
        """The greatest peak over its limit, less one."""
        over = []
        for case in trial.cases:
            limit = trial.results.limit(trial.point, case.case.event, trial.condition)
            if limit:
                over.append(case.peak(trial.point).ordinate / limit - 1)
        if not over:
            raise BadInput(
                "it has no limit for a storm that is computed.", where=trial.results.study.name_of(trial.point),
                remedy="Set the allowed flow of a return period there.",
            )  # fmt: skip
        return max(over)

    def told(self, excess: float) -> tuple[str, tuple[Quantity, ...]]:
        """The share by which the worst peak is above its limit."""
        return "the worst peak is {} above its limit", (Quantity(excess, "share", 3),)


@dataclass(frozen=True)
class StayBelow(Goal):
    """No level of the pond above a typed one, m, with the least outflow."""

    level: float
    title: ClassVar[str] = "a greatest level"

    def cost(self, trial: Trial) -> float:
        """The greatest outflow."""
        return trial.outflow

    def excess(self, trial: Trial) -> float:
        """The highest level above it, m; what flows over the top counts as if the pond were higher."""
        return trial.highest - self.level

    def told(self, excess: float) -> tuple[str, tuple[Quantity, ...]]:
        """How far the level rises above it."""
        return "the highest level is {} above {}", (Quantity(excess, "length", 3), Quantity(self.level, "height", 4))


@dataclass(frozen=True)
class EmptyWithin(Goal):
    """From full to a share of its volume in no more than a time, s, with the least outflow."""

    time: float
    residue: float = RESIDUE
    title: ClassVar[str] = "a drain time"

    def cost(self, trial: Trial) -> float:
        """The greatest outflow."""
        return trial.outflow

    def excess(self, trial: Trial) -> float:
        """The time that it takes more, as a share."""
        store = trial.pond.store
        if store is None:
            raise BadInput("it has no storage.", where=trial.pond.name, remedy="Add storage.")
        needed = trial.pond.rating().drain_time(store.top, self.residue)
        # a pond that never empties is as far off as can be told
        return 1e6 if np.isinf(needed) else needed / self.time - 1

    def told(self, excess: float) -> tuple[str, tuple[Quantity, ...]]:
        """How long it takes."""
        if excess >= 1e6:
            return "it never empties to {} of its volume", (Quantity(self.residue, "share", 3),)
        return "it takes {}", (Quantity(self.time * (1 + excess), "time", 3),)


@dataclass(frozen=True)
class Sized:
    """The size that was found, and what it leaves: zero or less, with all sizes that were tried."""

    size: float
    excess: float
    tried: tuple[tuple[float, float], ...]

    @property
    def at_bound(self) -> bool:
        """Whether all sizes that were tried keep the goal, so that it is one of the bounds."""
        return all(excess <= 0 for _, excess in self.tried)


class Sizing:
    """Trials of one dimension, by its path, of a pond in a condition, judged at a design point."""

    def __init__(self, study: Study, key: str, field: str, point: str, condition: str) -> None:
        self._study, self.key, self.field = study, key, field
        self.point, self.condition = point, condition
        self._cache: ResultCache[Response] = ResultCache()
        self._runs = RunMemo()
        self.home = home_of(study, key, field, condition)

    @property
    def pond(self) -> Pond:
        """The pond as it is."""
        found = resolve(self._study, self.condition).elements[self.key]
        assert isinstance(found, Pond)
        return found

    @property
    def kind(self) -> str:
        """Kind of quantity of the dimension."""
        description = description_at(self.pond, self.field)
        assert description is not None
        return description.kind

    def with_size(self, size: float) -> Study:
        """The study with a size of the dimension."""
        return edits.type_values(self._study, [(self.key, self.field, size)], condition=self.home)

    def trial(self, size: float) -> Trial:
        """The pond with a size; `BadInput` for one that it cannot have, `ComputationFailed` without cases."""
        study = self.with_size(size)
        network = resolve(study, self.condition)
        pond = network.elements[self.key]
        assert isinstance(pond, Pond)
        results = compute_cases(
            study, conditions=conditions_for(study, self.point, self.condition), points=[self.point],
            cache=self._cache, runs=self._runs,
        )  # fmt: skip
        counted = counted_through(results, self.key, self.condition)
        if not counted:
            raise ComputationFailed(
                "no storm is computed through it.", where=study.name_of(self.key), remedy="Resolve the stops first."
            )
        return Trial(pond, counted, results, self.key, self.point, self.condition)

    def solve(self, goal: Goal, low: float, high: float, progress: Progress | None = None) -> Sized:
        """The size between two that keeps a goal at the least cost.

        Raises `BadInput` where none keeps it, with the nearest one, what stops it, and what would free it.
        """
        progress = progress or Progress()
        trials: dict[float, Trial] = {}

        def excess(size: float) -> float:
            progress.tell(f"{len(trials) + 1} sizes tried", min(len(trials) / (SIZES + STEPS / 3), 0.95))
            trials[size] = self.trial(size)
            return goal.excess(trials[size])

        found = search(excess, low, high, lambda size: goal.cost(trials[size]))
        if found.excess > 0:
            raise self._impossible(goal, found, trials)
        return found

    def _impossible(self, goal: Goal, nearest: Sized, trials: Mapping[float, Trial]) -> BadInput:
        words, figures = goal.told(nearest.excess)
        kind = self.kind
        low, high, trial = min(trials), max(trials), trials[nearest.size]
        bound = "least" if nearest.size == low else "greatest" if nearest.size == high else ""
        if trial.overflows:
            remedy = "The pond overflows: give it more storage, or another outlet above."
        elif bound:
            remedy = f"The {bound} size stops it: allow a {'smaller' if bound == 'least' else 'greater'} one."
        elif any(one.overflows for one in trials.values()):
            remedy = "With other sizes the pond overflows: give it more storage, or another outlet above."
        else:
            remedy = "No size of this one does: change another dimension, or the storage."
        ends = (Quantity(low, kind, 4), Quantity(high, kind, 4), Quantity(nearest.size, kind, 4))
        return BadInput(
            f"no size from {{}} to {{}} keeps it: with {{}}, the nearest, {words}.", values=(*ends, *figures),
            where=f"{trial.pond.name}, {self.field.rsplit('/', 1)[-1].replace('_', ' ')}", remedy=remedy,
        )  # fmt: skip


def home_of(study: Study, key: str, field: str, condition: str) -> str:
    """Where a field of an element is typed for a condition: there, or for all of them (empty).

    What the condition has for itself, of the field, of what holds it or within it, would stay if it were typed for all.
    """
    paths = [path for one in lineage(study, condition) for path in one.settings]
    whole = f"{key}/{field}/"
    own = any(f"{path}/".startswith(whole) or whole.startswith(f"{path}/") for path in paths)
    return condition if own or key not in study.elements else ""


def conditions_for(study: Study, point: str, condition: str) -> list[str]:
    """A condition, and those to whose peaks the limits at a design point refer."""
    limits = study.design_points[point].limits if point in study.design_points else ()
    others = [study.condition_of(one.of_condition) for one in limits if one.of_condition is not None]
    return list(dict.fromkeys([condition, *others]))


def counted_through(results: Results, key: str, condition: str) -> tuple[CaseResult, ...]:
    """The counted cases of a condition whose network has an element."""
    return tuple(
        case for case in results.cases
        if case.case.condition == condition and case.standing == "counted" and key in case.network.elements
    )  # fmt: skip


def sizing_by_name(study: Study, pond: str, dimension: str, point: str = "", condition: str = "") -> Sizing:
    """Trials of a dimension of a pond, by their names, as by `pond_by_name`.

    Raises `UnknownName`, and `BadInput` for a dimension that is no quantity.
    """
    key, at, home = pond_by_name(study, pond, point, condition)
    owner = resolve(study, home).elements[key]
    field = address(owner, dimension)
    if description_at(owner, field) is None:
        raise BadInput(
            "it is no quantity.", where=f"{pond}, {dimension}", remedy="Name a dimension, as storage.0.depth."
        )
    return Sizing(study, key, field, at, home)


def pond_by_name(study: Study, pond: str, point: str = "", condition: str = "") -> tuple[str, str, str]:
    """Keys of a pond, of a design point below and of a condition, by their names.

    Without a name the nearest point and the first condition with the pond are taken. Raises `UnknownName`, and
    `BadInput` for an element that is no pond there, or drains to no design point.
    """
    key = study.key_of(pond)
    homes = [key_of for key_of in study.conditions if key in resolve(study, key_of).elements]
    home = study.condition_of(condition) if condition else next(iter(homes), next(iter(study.conditions)))
    network = resolve(study, home)
    owner = network.elements.get(key)
    if not isinstance(owner, Pond):
        raise BadInput(
            "it is no pond of this condition.", where=f"{pond}, {study.conditions[home].name}", remedy="Name a pond."
        )
    below = [one for one in points_of(study, home) if key in network.above([one])]
    if not below:
        raise BadInput("it drains to no design point.", where=pond, remedy="Connect it to one.")
    nearest = min(below, key=lambda one: len(network.above([one])))
    return key, study.key_of(point) if point else nearest, home


def search(excess: Callable[[float], float], low: float, high: float, cost: Callable[[float], float]) -> Sized:
    """The size of least cost of those between two that leave no excess; the one of least excess where none does.

    Sizes over the whole range are tried first, since small ones may fail where greater ones do not, and greater ones
    again. Each boundary between kept and not kept is closed in by the method of Brent, and its kept side is taken.
    """
    from scipy.optimize import brentq

    if not low < high:
        raise BadInput(
            "the least size is not below the greatest.", where=f"{low:g} to {high:g}", remedy="Give a range of sizes."
        )
    sizes = np.geomspace(low, high, SIZES) if low > 0 and high > MANY_TIMES * low else np.linspace(low, high, SIZES)
    sizes[0], sizes[-1] = low, high
    tried = {float(size): excess(float(size)) for size in sizes}

    def known(size: float) -> float:
        if size not in tried:
            tried[size] = excess(size)
        return tried[size]

    ordered = sorted(tried)
    kept = [size for size in ordered if tried[size] <= 0]
    if not kept:
        nearest = min(ordered, key=lambda size: tried[size])
        return Sized(nearest, tried[nearest], tuple(sorted(tried.items())))
    # without a boundary a bound is taken, because no more can be gained in between
    found = [] if len(kept) < len(ordered) else [low, high]
    for one, other in pairwise(ordered):
        if (tried[one] <= 0) != (tried[other] <= 0):
            brentq(known, one, other, xtol=CLOSE * (other - one), rtol=CLOSE, maxiter=STEPS, disp=False)
            found.append(min((s for s in tried if one <= s <= other and tried[s] <= 0), key=lambda s: abs(tried[s])))
    best = min(found, key=cost)
    return Sized(best, tried[best], tuple(sorted(tried.items())))
