"""Compiled loops over cases and steps; the fronts check, these trust. C-order float64 throughout."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def curve_number_kernel(rain, retention, abstraction, fallen, excess):
    """Excess of each step; ``fallen`` (case,) holds the rain so far and is carried on."""
    cases, steps = rain.shape
    for case in range(cases):
        total = fallen[case]
        above = max(total - abstraction[case], 0.0)
        whole = above + retention[case]
        before = above * above / whole if whole > 0.0 else 0.0
        for step in range(steps):
            if rain[case, step] == 0.0:
                excess[case, step] = 0.0
                continue
            total += rain[case, step]
            above = total - abstraction[case]
            if above <= 0.0:
                excess[case, step] = 0.0
                continue
            after = above * above / (above + retention[case])
            # rounding must neither make water nor take any
            excess[case, step] = min(max(after - before, 0.0), rain[case, step])
            before = after
        fallen[case] = total


@njit(cache=True, nogil=True)
def convolve_kernel(excess, unit, out, tail):
    """Write excess (case, step) through ``unit`` to ``out``, and what comes after its end to ``tail``.

    Ordinate k of ``unit`` (length,) belongs k steps after the step of the rain; ``out`` is
    (case, run) with run not less than the steps of rain, ``tail`` (case, length). Four steps of rain
    go through at once, which saves three of four passes over ``out``.
    """
    cases, steps = excess.shape
    length = unit.size + 3
    run = out.shape[1]
    wide = np.zeros(length + 3)
    wide[3:length] = unit
    u0, u1, u2, u3 = wide[3:], wide[2:], wide[1:], wide
    depth = np.zeros(4)
    for case in range(cases):
        flow = out[case]
        flow[:] = 0.0
        after = tail[case]
        after[:] = 0.0
        for step in range(0, steps, 4):
            for lane in range(4):
                depth[lane] = excess[case, step + lane] if step + lane < steps else 0.0
            d0, d1, d2, d3 = depth
            if d0 == 0.0 and d1 == 0.0 and d2 == 0.0 and d3 == 0.0:
                continue
            inside = min(length, run - step)
            piece = flow[step : step + inside]
            for k in range(inside):
                piece[k] += d0 * u0[k] + d1 * u1[k] + d2 * u2[k] + d3 * u3[k]
            for k in range(inside, length):
                at = step + k - run
                if at < after.size:
                    after[at] += d0 * u0[k] + d1 * u1[k] + d2 * u2[k] + d3 * u3[k]
