"""Level-pool routing (Chow, Maidment and Mays 1988, Chapter 8)."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from tarnwater.arrays import Floats, Integers
from tarnwater.hydrograph import Highest, Hydrograph
from tarnwater.routing.ponds.rating import Rating
from tarnwater.states import State

SOURCE = "Chow, Maidment and Mays (1988), Applied Hydrology, Section 8.2"

_NOTHING = np.empty((0, 0))

#: Values, and cases for a thread, below which more threads take more time than they save.
FEW_VALUES, FEW_CASES = 20_000, 8


@dataclass(frozen=True, eq=False)
class Pooled:
    """What a pond makes of its inflow.

    Parameters
    ----------
    ways : hydrographs of the links down, with the overflow where it goes downstream.
    level : (case, step + 1) m.
    ground, spilled : (case,) m3 that soaked away, and that flowed over the top.
    peaks : the highest flow of each way; ``whole`` that of all ways with the overflow; ``top`` the highest level, m.
    start_stored, stored : (case,) m3 before and after.
    state : storage (case,) m3 and pumps that run (case,), bit by bit.
    """

    ways: tuple[Hydrograph, ...]
    level: Floats
    ground: Floats
    spilled: Floats
    peaks: tuple[Highest, ...]
    whole: Highest
    top: Highest
    start_stored: Floats
    stored: Floats
    state: State


def start_of(rating: Rating, inflow: Floats, level: float | None, lowest: float) -> tuple[Floats, Integers]:
    """State (case,) at a typed level (m), or in balance with the first inflow (case,) m3/s.

    In balance the level is at least that of the lowest outlet. Without an outlet all inflow fills the pond from its
    floor.
    """
    cases, most = len(inflow), rating.levels[-1]
    if level is None:
        total = np.maximum.accumulate(rating.total[-1])
        # of a flat stretch of the rating the lowest level; more than the outlets let through fills the pond
        first = np.concatenate([[True], np.diff(total) > 0])
        at_rest = np.interp(inflow, total[first], rating.levels[first], right=float(most))
        begin = np.maximum(at_rest, rating.levels[0] if lowest > most else max(lowest, rating.levels[0]))
    else:
        begin = np.full(cases, level)
    stored = np.interp(begin, rating.levels, rating.storages)
    return stored, np.zeros(cases, np.int64)


def _in_shares(route_some: Callable[[int, int], None], cases: int, ordinates: int) -> None:
    """Route all cases, shared among the processors where that saves time; each gives the same numbers either way."""
    threads = min(os.cpu_count() or 1, cases // FEW_CASES) if cases * ordinates >= FEW_VALUES else 1
    if threads < 2:
        route_some(0, cases)
        return
    bounds = [cases * number // threads for number in range(threads + 1)]
    with ThreadPoolExecutor(threads) as pool:
        for done in [pool.submit(route_some, begin, until) for begin, until in pairwise(bounds)]:
            done.result()


def route(
    rating: Rating,
    inflow: Hydrograph,
    start: tuple[Floats, Integers],
    behind: Floats | None = None,
    spill: int = 0,
) -> Pooled:
    """Route inflow through a pond.

    ``start`` is the state (case,); ``behind`` (case, step + 1) levels of the pond below in m; ``spill`` the way that
    the overflow takes, −1 if it is lost.
    """
    from tarnwater.routing.ponds import _kernels as kernels

    cases, ordinates = inflow.flow.shape
    ways = rating.flows.shape[2] - 1
    held, running = start[0].copy(), start[1].copy()
    begun = np.minimum(held, rating.storages[-1])
    out, uneven = np.zeros((ways, cases, ordinates)), np.zeros((ways, cases, ordinates - 1))
    ground, spilled, level = np.zeros(cases), np.zeros(cases), np.zeros((cases, ordinates))
    # the ground has a place among the ways, and all of them together
    peaks, times, tops = np.zeros((ways + 2, cases)), np.zeros((ways + 2, cases)), np.zeros((2, cases))
    came = np.ascontiguousarray(inflow.flow), _NOTHING if inflow.uneven is None else np.ascontiguousarray(inflow.uneven)
    left = out, uneven, ground, spilled, level, peaks, times, tops
    if behind is None and not rating.starts.size:
        tables = rating.levels, rating.storages, rating.flows[0], rating.total[0]

        def route_some(begin: int, until: int) -> None:
            kernels.level_pool_kernel(begin, until, *came, inflow.step, *tables, spill, held, *left)
    else:
        below = _NOTHING if behind is None else np.ascontiguousarray(behind)

        def route_some(begin: int, until: int) -> None:
            kernels.switching_pool_kernel(
                begin, until, *came, inflow.step, rating.levels, rating.storages, rating.flows, rating.total,
                rating.starts, rating.stops, below, rating.tails, rating.heads, rating.felt, spill, held, running,
                *left,
            )  # fmt: skip

    _in_shares(route_some, cases, ordinates)
    top = np.interp(tops[0], rating.storages, rating.levels)
    return Pooled(
        tuple(Hydrograph(flow, inflow.step, own) for flow, own in zip(out, uneven, strict=True)),
        level,
        ground,
        spilled,
        tuple(Highest(p, t) for p, t in zip(peaks[:ways], times[:ways], strict=True)),
        Highest(peaks[-1], times[-1]),
        Highest(top, tops[1]),
        begun,
        held,
        (held, running),
    )
