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
    """Write excess (case, step) through ``unit`` (length,) to ``out``, and what comes after its end to ``tail``.

    Ordinate k of ``unit`` belongs k steps after the step of the rain; ``out`` is (case, run) with run not less
    than the steps of rain, ``tail`` (case, length).
    """
    wide = np.zeros(unit.size + 6)
    wide[3 : unit.size + 3] = unit
    for case in range(excess.shape[0]):
        _through(excess[case], wide, unit.size, out[case], tail[case])


@njit(cache=True, nogil=True)
def convolve_each_kernel(excess, units, out, tail):
    """The same with a unit hydrograph for each case, ``units`` (case, length), zero after its own end."""
    wide = np.zeros(units.shape[1] + 6)
    for case in range(excess.shape[0]):
        length = units.shape[1]
        while length > 0 and units[case, length - 1] == 0.0:
            length -= 1
        wide[:] = 0.0
        wide[3 : length + 3] = units[case, :length]
        _through(excess[case], wide, length, out[case], tail[case])


@njit(cache=True, nogil=True)
def _through(depths, wide, size, flow, after):
    """Write depths (step,) through a unit hydrograph of ``size``, which stands in ``wide`` after three zeros.

    Four steps of rain go through at once, which saves three of four passes over the flow: the zeros on both
    sides let the unit hydrograph begin up to three steps later.
    """
    length, steps, run = size + 3, depths.size, flow.size
    u0, u1, u2, u3 = wide[3:], wide[2:], wide[1:], wide
    depth = np.zeros(4)
    flow[:] = 0.0
    after[:] = 0.0
    for step in range(0, steps, 4):
        for lane in range(4):
            depth[lane] = depths[step + lane] if step + lane < steps else 0.0
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
