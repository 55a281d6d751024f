"""Compiled loops over cases and steps. Their callers check the arguments. C-order float64 throughout."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def curve_number_kernel(rain, retention, abstraction, fallen, excess):
    """Excess of each step; ``fallen`` (case,) holds the rain so far and is updated."""
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
            # rounding must neither add nor remove water
            excess[case, step] = min(max(after - before, 0.0), rain[case, step])
            before = after
        fallen[case] = total


@njit(cache=True, nogil=True)
def convolve_kernel(excess, units, out, tail):
    """Write excess (case, step) through unit hydrographs to ``out``, and what comes after its end to ``tail``.

    ``units`` (1 or case, length) is one for all or one for each case, zero after its own end. Ordinate k belongs k
    steps after the step of the rain. ``out`` is (case, run) with run not less than the steps of rain, ``tail``
    (case, length or more).

    Four steps of rain go through at once, which saves three of four passes over the flow: zeros on both sides
    let the unit hydrograph begin up to three steps later. Rain is filled up to whole fours and each pass is a
    whole number of fours long, so that no loop has a rest.
    """
    cases, steps = excess.shape
    run, most = out.shape[1], units.shape[1]
    depths = np.zeros((steps + 3) // 4 * 4)
    flow = np.zeros(max(run + most, depths.size + most + 6))
    wide = np.zeros(most + 12)
    u0, u1, u2, u3 = wide[3:], wide[2:], wide[1:], wide
    length = 0
    for case in range(cases):
        # one unit hydrograph for all cases is prepared only once
        if case < units.shape[0]:
            size = most
            while size > 0 and units[case, size - 1] == 0.0:
                size -= 1
            wide[:] = 0.0
            wide[3 : size + 3] = units[case, :size]
            length = (size + 6) // 4 * 4
        for step in range(steps):
            depths[step] = excess[case, step]
        flow[:] = 0.0
        for step in range(0, depths.size, 4):
            d0, d1, d2, d3 = depths[step], depths[step + 1], depths[step + 2], depths[step + 3]
            # most of a run is dry
            if d0 == 0.0 and d1 == 0.0 and d2 == 0.0 and d3 == 0.0:
                continue
            piece = flow[step:]
            for k in range(length):
                piece[k] += d0 * u0[k] + d1 * u1[k] + d2 * u2[k] + d3 * u3[k]
        for step in range(run):
            out[case, step] = flow[step]
        for step in range(tail.shape[1]):
            tail[case, step] = flow[run + step] if run + step < flow.size else 0.0


@njit(cache=True, nogil=True)
def recession_kernel(direct, kept, share, at, state, flow):
    """Flow from the ground (case, step + 1) m3/s under direct runoff, with a recession that takes over.

    ``kept`` is the ratio of flow over a step. The recession takes over where the total falls through ``share`` of its
    greatest value since the last time, or through ``at`` m3/s where that is not below zero. ``state`` (case, 3) has
    baseflow, recession and greatest flow, and is updated.
    """
    for case in range(direct.shape[0]):
        own = direct[case]
        base, recession, greatest = state[case]
        before = own[0] + base
        total = max(before, recession)
        greatest = max(greatest, total)
        flow[case, 0] = total - own[0]
        for j in range(1, own.size):
            base *= kept
            recession *= kept
            now = own[j] + base
            line = at if at >= 0.0 else share * greatest
            if before > line >= now:
                # the line is crossed inside the step, and from there on the recession goes its own way; one that is
                # higher already goes on
                crossed = (before - line) / (before - now)
                recession = max(recession, line * kept ** (1.0 - crossed))
                greatest = line
            total = max(now, recession)
            greatest = max(greatest, total)
            flow[case, j] = total - own[j]
            before = now
        state[case, 0] = base
        state[case, 1] = recession
        state[case, 2] = greatest
