"""Compiled loops over cases and steps. C-order float64 throughout."""

import numpy as np
from numba import njit

#: Cases that go through a recursion side by side, in the lanes of vector instructions.
LANES = 8


@njit(cache=True, nogil=True)
def muskingum_kernel(flow, uneven, step, k, weight, c1, c2, c3, substeps, flows, out, out_uneven):
    """Route each case; ``flows`` (case, parts + 1) is the start state and becomes the end state.

    ``uneven`` and ``out_uneven`` (case, step) are the volumes of the steps beyond the trapezoids of
    the ordinates; empty where there are none. ``out`` may be ``flow`` itself: a block of cases is
    copied before it is written.
    """
    cases, ordinates = flow.shape
    parts = flows.shape[1] - 1
    h = step / substeps
    share = 1.0 / (substeps * (k * (1.0 - weight) + 0.5 * h))
    tile = np.zeros((ordinates, LANES))
    extra = np.zeros((ordinates - 1, LANES))
    gone = np.zeros((ordinates - 1, LANES))
    now = np.zeros((parts + 1, LANES))
    entering, before = np.zeros(LANES), np.zeros(LANES)
    for first in range(0, cases, LANES):
        lanes = min(LANES, cases - first)
        for lane in range(lanes):
            for j in range(ordinates):
                tile[j, lane] = flow[first + lane, j]
            for part in range(parts + 1):
                now[part, lane] = flows[first + lane, part]
            if uneven.size:
                for j in range(ordinates - 1):
                    extra[j, lane] = uneven[first + lane, j] * share
        if substeps == 1:
            _route_tile(tile, extra, c1, c2, c3, now, entering, before)
        else:
            _route_tile_in_substeps(tile, extra, c1, c2, c3, substeps, h, now, entering, before, gone)
        for lane in range(lanes):
            for j in range(ordinates):
                out[first + lane, j] = tile[j, lane]
            for part in range(parts + 1):
                flows[first + lane, part] = now[part, lane]
            if out_uneven.size:
                for j in range(ordinates - 1):
                    out_uneven[first + lane, j] = gone[j, lane] - 0.5 * step * (tile[j, lane] + tile[j + 1, lane])


@njit(cache=True, nogil=True)
def _through_other_parts(c1, c2, c3, now, entering, before):
    """From the second part on, what leaves one enters the next."""
    for part in range(2, now.shape[0]):
        for lane in range(LANES):
            leaving = c1 * entering[lane] + c2 * before[lane] + c3 * now[part, lane]
            before[lane] = now[part, lane]
            now[part, lane] = leaving
            entering[lane] = leaving


@njit(cache=True, nogil=True)
def _route_tile(tile, extra, c1, c2, c3, now, entering, before):
    parts = now.shape[0] - 1
    tile[0, :] = now[parts, :]
    for j in range(1, tile.shape[0]):
        for lane in range(LANES):
            inflow = tile[j, lane]
            leaving = c1 * inflow + c2 * now[0, lane] + c3 * now[1, lane] + extra[j - 1, lane]
            now[0, lane] = inflow
            before[lane] = now[1, lane]
            now[1, lane] = leaving
            entering[lane] = leaving
        _through_other_parts(c1, c2, c3, now, entering, before)
        for lane in range(LANES):
            tile[j, lane] = entering[lane]


@njit(cache=True, nogil=True)
def _route_tile_in_substeps(tile, extra, c1, c2, c3, substeps, h, now, entering, before, gone):
    parts = now.shape[0] - 1
    start = tile[0].copy()
    tile[0, :] = now[parts, :]
    for j in range(1, tile.shape[0]):
        gone[j - 1, :] = 0.0
        end = tile[j].copy()
        for sub in range(1, substeps + 1):
            for lane in range(LANES):
                straight = start[lane] + (end[lane] - start[lane]) * sub / substeps
                entering[lane] = end[lane] if sub == substeps else straight
                leaving = c1 * entering[lane] + c2 * now[0, lane] + c3 * now[1, lane] + extra[j - 1, lane]
                now[0, lane] = entering[lane]
                before[lane] = now[1, lane]
                now[1, lane] = leaving
                entering[lane] = leaving
            _through_other_parts(c1, c2, c3, now, entering, before)
            for lane in range(LANES):
                gone[j - 1, lane] += 0.5 * h * (before[lane] + entering[lane])
        start[:] = end
        tile[j, :] = entering
