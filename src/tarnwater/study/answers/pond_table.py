"""The results of a pond: a row for each case."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from tarnwater.network.elements import Pond
from tarnwater.study.answers.case import CaseResult
from tarnwater.study.answers.results import Results
from tarnwater.study.answers.storms import Event

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
    rows = [_row(case, key) for case in results.cases if key in case.network.elements]
    return [row for row in rows if row is not None]


def _row(case: CaseResult, key: str) -> PondRow | None:
    pond, pool = case.element(key), case.pool(key)
    if not isinstance(pond, Pond) or pool is None or pond.store is None:
        return None
    rating = pond.rating(case.network.downstream.get(key, ()))
    most = float(rating.storages[-1])
    stored = float(np.interp(pool.top, rating.levels, rating.storages))
    drains = rating.drain_time(pool.top, RESIDUE)
    joined = sum((case.flow_by(link) for link, _ in case.network.inlets.get(key, ())), np.zeros(1))
    return PondRow(
        case, pool.top, pool.time, stored, stored / most, pond.store.top - pool.top, pond.freeboard,
        float(np.max(joined)), case.peak(key).ordinate, _by_device(case, pond, pool.top, pool.time), pool.spilled,
        drains,
    )  # fmt: skip


def _by_device(case: CaseResult, pond: Pond, top: float, time: float) -> dict[str, float]:
    """Flow of each device that leaves the pond at its highest level, with the water behind it at that time."""
    level = np.array([top])
    felt = case.level(pond.tailwater.feels) if pond.tailwater.feels else None
    if felt is not None:
        behind = np.array([np.interp(time, np.arange(len(felt)) * case.step, felt)])
    else:
        behind = pond.tailwater.behind(level, lambda behind: np.sum(pond.outlets.flows(level, behind), axis=0))
    flows = pond.outlets.flows(level, behind)
    return {one.sign: float(flow[0]) for one, flow in zip(pond.outlets.outer, flows, strict=True)}


def highest_of(rows: Sequence[PondRow]) -> list[PondRow]:
    """Of the counted cases of each condition and event the one with the highest level, and most overflow."""
    found: dict[tuple[str, Event], PondRow] = {}
    for row in rows:
        at = row.case.case.condition, row.case.case.event
        if row.case.standing == "counted" and (at not in found or _level_of(row) > _level_of(found[at])):
            found[at] = row
    return list(found.values())


def _level_of(row: PondRow) -> tuple[float, float]:
    return row.top, row.spilled
