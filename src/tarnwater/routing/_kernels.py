"""Compiled loops over cases and steps. C-order float64 throughout."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def muskingum_kernel(flow, volume, step, k, weight, c1, c2, c3, substeps, flows, out, out_volume):
    """Route each case; ``flows`` (case, parts + 1) is the start state and becomes the end state."""
    cases, steps = volume.shape
    parts = flows.shape[1] - 1
    h = step / substeps
    whole = k * (1.0 - weight) + 0.5 * h
    now = np.empty(parts + 1)
    for case in range(cases):
        for part in range(parts + 1):
            now[part] = flows[case, part]
        for j in range(steps):
            first, last = flow[case, j], flow[case, j + 1]
            uneven = (volume[case, j] - 0.5 * step * (first + last)) / (substeps * whole)
            gone = 0.0
            for sub in range(substeps):
                entering = last if sub == substeps - 1 else first + (last - first) * (sub + 1) / substeps
                before = now[0]
                now[0] = entering
                extra = uneven
                for part in range(1, parts + 1):
                    leaving = c1 * entering + c2 * before + c3 * now[part] + extra
                    before = now[part]
                    now[part] = leaving
                    entering = leaving
                    extra = 0.0
                gone += 0.5 * h * (before + entering)
            out[case, j + 1] = entering
            out_volume[case, j] = gone
        for part in range(parts + 1):
            flows[case, part] = now[part]
