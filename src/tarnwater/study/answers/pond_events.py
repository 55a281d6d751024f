"""A pond in each event: the case of its highest level, the case of the greatest flow below it, and its limit."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from tarnwater.network.graph import Network
from tarnwater.routing.first_storage import RELEASES, Release, storage_above
from tarnwater.study.answers.case import CaseResult
from tarnwater.study.answers.pond_table import PondRow, cases_through, highest_cases, rows_of
from tarnwater.study.answers.results import Results
from tarnwater.study.answers.storms import Event


@dataclass(frozen=True, eq=False)
class PondEvent:
    """A pond in one event of a condition.

    ``row`` is the case of its highest level. ``flow`` is the case that governs the flow at the design ``point`` below
    it, with the peak there and its ``limit`` (m3/s; None without one). ``allowed`` is what the pond may let out so
    that the limit is kept when the rest of the flow is as in that case, and ``lets_out`` its greatest outflow in it.
    ``cases`` are all of the event, by any duration. ``reference`` is the peak there in another condition, ``beside``
    (its key): that which the limit refers to, or the first one; zero without one.
    """

    condition: str
    event: Event
    row: PondRow
    point: str
    flow: CaseResult | None
    peak: float
    limit: float | None
    allowed: float | None
    lets_out: float
    cases: tuple[CaseResult, ...]
    key: str
    beside: str = ""
    reference: float = 0.0

    @cached_property
    def estimates(self) -> Mapping[Release, float]:
        """First storages (m3) by the release, the greatest over the durations; none without a limit."""
        allowed = self.allowed
        if allowed is None:
            return {}
        return {one: max(_estimate(case, self.key, allowed, one) for case in self.cases) for one in RELEASES}

    @property
    def over(self) -> float | None:
        """By how much the peak is above its limit, as a share of that; negative in hand. None without a limit."""
        return None if self.limit is None or self.limit == 0 else self.peak / self.limit - 1

    @property
    def keeps(self) -> bool | None:
        """Whether the limit is kept; None without one."""
        return None if self.limit is None else self.peak <= self.limit * (1 + 1e-12)


def point_below(network: Network, key: str, points: Sequence[str]) -> str:
    """The nearest design point below an element, or the end of the network; empty where there is none."""
    seen, waiting = {key}, [key]
    while waiting:
        at = waiting.pop(0)
        if at in points and at != key:
            return at
        below = [down for down in network.downstream.get(at, ()) if down not in seen]
        seen.update(below)
        waiting += below
        if not network.downstream.get(at, ()) and at != key:
            return at
    return key if key in points else ""


def pond_events(results: Results, key: str) -> list[PondEvent]:
    """A pond in each condition and event, in their order: by the cases made for the design point below it."""
    cases, points = cases_through(results, key), list(results.study.design_points)
    below: dict[str, str] = {}
    for case in cases:
        if case.case.condition not in below:
            below[case.case.condition] = point_below(case.network, key, points)
    own = [case for case in cases if case.case.point == below[case.case.condition]] or cases
    by_event: dict[tuple[str, Event], list[CaseResult]] = {}
    for case in own:
        if case.standing == "counted":
            by_event.setdefault((case.case.condition, case.case.event), []).append(case)
    rows = rows_of(highest_cases(own, key), key)
    return [_event(results, key, row, below[row.case.case.condition], by_event) for row in rows]


def _event(
    results: Results, key: str, row: PondRow, point: str, cases: Mapping[tuple[str, Event], Sequence[CaseResult]]
) -> PondEvent:
    condition, event = row.case.case.condition, row.case.case.event
    flow = results.governing(condition, point, event) if point else None
    limit = results.limit(point, event, condition) if point else None
    peak = 0.0 if flow is None else flow.peak(point).ordinate
    allowed, lets_out = None, row.outflow
    if flow is not None and key in flow.network.elements:
        lets_out = flow.peak(key).ordinate
        if limit is not None:
            allowed = max(limit - _beside(flow, key, point), 0.0)
    own = tuple(cases[condition, event])
    other = _beside_condition(results, point, event, condition)
    there = results.governing(other, point, event) if other else None
    reference = 0.0 if there is None else there.peak(point).ordinate
    return PondEvent(
        condition, event, row, point, flow, peak, limit, allowed, lets_out, own, key, other if there else "", reference
    )


def _beside_condition(results: Results, point: str, event: Event, condition: str) -> str:
    """The condition to compare a peak with: that of the limit, or the first other one."""
    limit = results.limit_at(point, event) if point else None
    if limit is not None and limit.of_condition is not None:
        return results.study.condition_of(limit.of_condition)
    first = next(iter(results.study.conditions))
    return "" if first == condition or not point else first


def _beside(case: CaseResult, key: str, point: str) -> float:
    """What flows at a point beside what a pond lets out, when the point peaks, m3/s; at least none."""
    peak = case.peak(point)
    times = np.arange(len(case.flow(key))) * case.step
    return max(peak.ordinate - float(np.interp(peak.time, times, case.flow(key))), 0.0)


def _estimate(case: CaseResult, key: str, allowed: float, release: Release) -> float:
    joined = sum((case.flow_by(link) for link, _ in case.network.inlets.get(key, ())), np.zeros(1))
    return storage_above(np.broadcast_to(joined, case.flow(key).shape), case.step, allowed, release)
