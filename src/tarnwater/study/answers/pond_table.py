"""The results of a pond: a row for each case."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.network.elements import Pond
from tarnwater.study.answers.case import CaseResult, Pool
from tarnwater.study.answers.results import Results
from tarnwater.study.answers.storms import Event

T = TypeVar("T")

#: Share of its volume down to which a pond is taken to have emptied.
RESIDUE = 0.01


@dataclass(frozen=True, eq=False)
class PondRow:
    """A pond in a case.

    ``top`` is its highest level (m) at ``time`` (s), ``stored`` the water in it then (m3), ``share`` that of all that
    it can hold, ``freeboard`` the height (m) from that level to its top, of which ``asked`` shall stay free.
    ``inflow`` and ``outflow`` are peaks (m3/s), and ``by_device`` the flow of each device that leaves it, by its name,
    at the highest level. ``spilled`` (m3) flowed over its top. ``drain_time`` (s) is that from the highest level to
    one per cent of its volume without inflow; infinite where it does not empty so far.
    """

    case: CaseResult
    top: float
    time: float
    stored: float
    share: float
    freeboard: float
    asked: float
    inflow: float
    outflow: float
    by_device: Mapping[str, float]
    spilled: float
    drain_time: float

    @property
    def keeps_freeboard(self) -> bool:
        """Whether the freeboard that is asked is left."""
        return self.freeboard >= self.asked and self.spilled == 0


def pond_rows(results: Results, key: str) -> list[PondRow]:
    """Rows for all cases through a pond that stores water, in their order; none for one that passes its inflow on."""
    return rows_of(cases_through(results, key), key)


def cases_through(results: Results, key: str) -> list[CaseResult]:
    """The cases that an element is in."""
    return [case for case in results.cases if key in case.network.elements]


def rows_of(cases: Sequence[CaseResult], key: str) -> list[PondRow]:
    """Rows for some cases through a pond."""
    # cases of one pond are worked out together
    alike: dict[int, list[CaseResult]] = {}
    for case in cases:
        alike.setdefault(id(case.network.elements[key]), []).append(case)
    rows = {id(row.case): row for own in alike.values() for row in _rows(own, key)}
    return [rows[id(case)] for case in cases if id(case) in rows]


def _rows(cases: Sequence[CaseResult], key: str) -> list[PondRow]:
    """Rows of cases with the same pond."""
    pond = cases[0].element(key)
    with_pools = [(case, pool) for case in cases if (pool := case.pool(key)) is not None]
    if not isinstance(pond, Pond) or pond.store is None or not with_pools:
        return []
    rating = pond.rating(cases[0].network.downstream.get(key, ()))
    tops = np.array([pool.top for _, pool in with_pools])
    held = np.interp(tops, rating.levels, rating.storages)
    drains = rating.drain_times(tops, RESIDUE)
    by_device = _by_device(pond, with_pools, tops)
    most, brim = float(rating.storages[-1]), pond.store.top
    # what enters is summed up for all cases of a run together
    entering: dict[int, Floats] = {}
    rows = []
    for number, (case, pool) in enumerate(with_pools):
        if id(case.run) not in entering:
            entering[id(case.run)] = _inflows(case, key).max(axis=1)
        inflow = float(entering[id(case.run)][case.index])
        stored = float(held[number])
        rows.append(PondRow(
            case, pool.top, pool.time, stored, stored / most, brim - pool.top, pond.freeboard, inflow,
            case.peak(key).ordinate, {name: float(flow[number]) for name, flow in by_device.items()}, pool.spilled,
            float(drains[number]),
        ))  # fmt: skip
    return rows


def _inflows(case: CaseResult, key: str) -> Floats:
    """What enters an element in all cases of the run of one, (case, step + 1) m3/s."""
    responses, network = case.run.responses, case.network
    parts = [responses[link.up].ways[network.way_number[name]].flow for name, link in network.inlets.get(key, ())]
    found: Floats = np.sum(parts, axis=0) if parts else np.zeros((case.run.batch.cases, 1))
    return found


def level_felt(pond: Pond, case: CaseResult, at: float) -> float | None:
    """Level (m) that a pond feels behind its outlets at an ordinate, or between two; None where it feels none."""
    level = case.level(pond.tailwater.feels) if pond.tailwater.feels else None
    return None if level is None else float(np.interp(at, np.arange(len(level)), level))


def _by_device(pond: Pond, with_pools: Sequence[tuple[CaseResult, Pool]], tops: Floats) -> dict[str, Floats]:
    """Flows (case,) of each device that leaves a pond at its highest levels, with the water behind it at that time."""
    behind = pond.behind(tops)
    if pond.tailwater.feels:
        felt = [level_felt(pond, case, pool.time / case.step) for case, pool in with_pools]
        behind = np.array([free if level is None else level for free, level in zip(behind, felt, strict=True)])
    flows = pond.outlets.flows(tops, behind)
    return {one.sign: flow for one, flow in zip(pond.outlets.outer, flows, strict=True)}


def highest_of(rows: Sequence[PondRow]) -> list[PondRow]:
    """Of the counted cases of each condition and event the one with the highest level, and most overflow."""
    return _highest([(row.case, (row.top, row.spilled), row) for row in rows])


def highest_cases(cases: Sequence[CaseResult], key: str) -> list[CaseResult]:
    """Of the counted cases of each condition and event the one in which a pond is highest, and overflows most."""
    pools = ((case, case.pool(key)) for case in cases)
    return _highest([(case, (pool.top, pool.spilled), case) for case, pool in pools if pool is not None])


def _highest(those: Sequence[tuple[CaseResult, tuple[float, float], T]]) -> list[T]:
    found: dict[tuple[str, Event], tuple[tuple[float, float], T]] = {}
    for case, level, one in those:
        at = case.case.condition, case.case.event
        if case.standing == "counted" and (at not in found or level > found[at][0]):
            found[at] = level, one
    return [one for _, one in found.values()]
