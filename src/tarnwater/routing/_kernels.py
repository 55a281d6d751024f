"""Compiled loops over cases and steps. C-order float64 throughout."""

import numpy as np
from numba import njit

#: Cases that go through a recursion side by side, in the lanes of vector instructions.
LANES = 8


@njit(cache=True, nogil=True)
def muskingum_kernel(flow, step, c1, c2, c3, substeps, flows, out, out_uneven):
    """Route the ordinates of each case; ``flows`` (case, parts + 1) is the start state and becomes the end state.

    Within a step the inflow is straight. ``out_uneven`` (case, step), empty where there is one sub-step,
    takes the volume of each step beyond the trapezoid of its ordinates. ``out`` may be ``flow`` itself:
    a block of cases is copied before it is written.
    """
    cases, ordinates = flow.shape
    parts = flows.shape[1] - 1
    tile = np.zeros((ordinates, LANES))
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
        if substeps == 1:
            _route_tile(tile, c1, c2, c3, now, entering, before)
        else:
            _route_tile_in_substeps(tile, c1, c2, c3, substeps, step / substeps, now, entering, before, gone)
        for lane in range(lanes):
            for j in range(ordinates):
                out[first + lane, j] = tile[j, lane]
            for part in range(parts + 1):
                flows[first + lane, part] = now[part, lane]
            if out_uneven.size:
                for j in range(ordinates - 1):
                    out_uneven[first + lane, j] = gone[j, lane] - 0.5 * step * (tile[j, lane] + tile[j + 1, lane])


@njit(cache=True, nogil=True)
def muskingum_volume_kernel(uneven, c1, c2, c3, substeps, volumes, out):
    """Add to ``out`` (case, step) the volumes beyond the trapezoids as they leave the reach.

    A trapezoid is the mean of two ordinates, so volumes follow the recursion of the ordinates; what
    enters beyond the trapezoid goes through it as a volume of its own, shared evenly by the sub-steps.
    ``volumes`` (case, parts + 1), of one sub-step each, is the start state and becomes the end state.
    """
    cases, steps = uneven.shape
    parts = volumes.shape[1] - 1
    tile = np.zeros((steps, LANES))
    now = np.zeros((parts + 1, LANES))
    entering, before, left = np.zeros(LANES), np.zeros(LANES), np.zeros(LANES)
    for first in range(0, cases, LANES):
        lanes = min(LANES, cases - first)
        for lane in range(lanes):
            for j in range(steps):
                tile[j, lane] = uneven[first + lane, j] / substeps
            for part in range(parts + 1):
                now[part, lane] = volumes[first + lane, part]
        for j in range(steps):
            left[:] = 0.0
            for _ in range(substeps):
                _through_first_part(tile[j], c1, c2, c3, now, entering, before)
                _through_other_parts(c1, c2, c3, now, entering, before)
                for lane in range(LANES):
                    left[lane] += entering[lane]
            tile[j, :] = left
        for lane in range(lanes):
            for j in range(steps):
                out[first + lane, j] += tile[j, lane]
            for part in range(parts + 1):
                volumes[first + lane, part] = now[part, lane]


@njit(cache=True, nogil=True)
def _through_first_part(inflow, c1, c2, c3, now, entering, before):
    """The first part takes ``inflow`` (lane,); ``entering`` becomes what it hands on, ``before`` what it did before."""
    for lane in range(LANES):
        leaving = c1 * inflow[lane] + c2 * now[0, lane] + c3 * now[1, lane]
        now[0, lane] = inflow[lane]
        before[lane] = now[1, lane]
        now[1, lane] = leaving
        entering[lane] = leaving


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
def _route_tile(tile, c1, c2, c3, now, entering, before):
    parts = now.shape[0] - 1
    tile[0, :] = now[parts, :]
    for j in range(1, tile.shape[0]):
        _through_first_part(tile[j], c1, c2, c3, now, entering, before)
        _through_other_parts(c1, c2, c3, now, entering, before)
        for lane in range(LANES):
            tile[j, lane] = entering[lane]


@njit(cache=True, nogil=True)
def _route_tile_in_substeps(tile, c1, c2, c3, substeps, h, now, entering, before, gone):
    parts = now.shape[0] - 1
    start, inflow = tile[0].copy(), np.zeros(LANES)
    tile[0, :] = now[parts, :]
    for j in range(1, tile.shape[0]):
        gone[j - 1, :] = 0.0
        end = tile[j].copy()
        for sub in range(1, substeps + 1):
            for lane in range(LANES):
                straight = start[lane] + (end[lane] - start[lane]) * sub / substeps
                inflow[lane] = end[lane] if sub == substeps else straight
            _through_first_part(inflow, c1, c2, c3, now, entering, before)
            _through_other_parts(c1, c2, c3, now, entering, before)
            for lane in range(LANES):
                gone[j - 1, lane] += 0.5 * h * (before[lane] + entering[lane])
        start[:] = end
        tile[j, :] = entering
