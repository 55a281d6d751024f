"""Compiled loops over cases and steps. C-order float64 throughout."""

import numpy as np
from numba import njit

#: Cases that go through a recursion side by side, so that one need not wait for the other.
LANES = 8


@njit(cache=True, nogil=True)
def muskingum_kernel(flow, uneven, step, k, weight, c1, c2, c3, substeps, flows, out, out_uneven):
    """Route each case; ``flows`` (case, parts + 1) is the start state and becomes the end state.

    ``uneven`` and ``out_uneven`` (case, step) are the volumes of the steps beyond the trapezoids of
    the ordinates; empty where there are none.
    """
    cases, ordinates = flow.shape
    parts = flows.shape[1] - 1
    h = step / substeps
    whole = k * (1.0 - weight) + 0.5 * h
    now = np.zeros((parts + 1, LANES))
    entering, before, extra, gone = np.zeros(LANES), np.zeros(LANES), np.zeros(LANES), np.zeros(LANES)
    for first in range(0, cases, LANES):
        lanes = min(LANES, cases - first)
        for lane in range(lanes):
            for part in range(parts + 1):
                now[part, lane] = flows[first + lane, part]
            out[first + lane, 0] = now[parts, lane]
        for j in range(ordinates - 1):
            for lane in range(lanes):
                extra[lane] = uneven[first + lane, j] / (substeps * whole) if uneven.size else 0.0
            gone[:] = 0.0
            for sub in range(substeps):
                share = (sub + 1.0) / substeps
                for lane in range(lanes):
                    start, end = flow[first + lane, j], flow[first + lane, j + 1]
                    entering[lane] = end if sub == substeps - 1 else start + (end - start) * share
                    before[lane] = now[0, lane]
                    now[0, lane] = entering[lane]
                for part in range(1, parts + 1):
                    own = now[part]
                    for lane in range(LANES):
                        leaving = c1 * entering[lane] + c2 * before[lane] + c3 * own[lane]
                        if part == 1:
                            leaving += extra[lane]
                        before[lane] = own[lane]
                        own[lane] = leaving
                        entering[lane] = leaving
                for lane in range(LANES):
                    gone[lane] += 0.5 * h * (before[lane] + entering[lane])
            for lane in range(lanes):
                out[first + lane, j + 1] = entering[lane]
                if out_uneven.size:
                    trapezoid = 0.5 * step * (out[first + lane, j] + entering[lane])
                    out_uneven[first + lane, j] = gone[lane] - trapezoid
        for lane in range(lanes):
            for part in range(parts + 1):
                flows[first + lane, part] = now[part, lane]
