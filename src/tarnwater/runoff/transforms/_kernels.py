"""Compiled loops of transforms that are not linear. C-order float64 throughout.

Each step of a case is cut into as many sub-steps as it needs by itself, so that its numbers do not depend on the other
cases. What leaves in the sub-steps is counted, and ``uneven`` takes what that is beyond the trapezoid of the ordinates.
"""

import numpy as np
from numba import njit

#: Courant number of the plane, sub-steps of a store in units of the time in which it would empty, and the most of both.
COURANT, SHARE, MOST = 0.9, 0.1, 20_000


@njit(cache=True, nogil=True)
def kinematic_plane_kernel(excess, step, alpha, power, length, width, depths, out, uneven):
    """Flow off a plane: conservative upwind scheme, q = alpha h^power.

    ``excess`` (case, up to steps) m in each step; ``depths`` (case, cell) m, the start state, becomes the end state;
    ``out`` (case, steps + 1) m3/s off the whole ``width`` (m); ``uneven`` (case, steps) m3.
    """
    cells = depths.shape[1]
    dx = length / cells
    flow = np.zeros(cells)
    for case in range(depths.shape[0]):
        h = depths[case]
        out[case, 0] = width * alpha * h[cells - 1] ** power
        for j in range(out.shape[1] - 1):
            rain = excess[case, j] / step if j < excess.shape[1] else 0.0
            deepest = 0.0
            for cell in range(cells):
                deepest = max(deepest, h[cell])
            fastest = power * alpha * (deepest + rain * step) ** (power - 1.0)
            substeps = int(min(max(np.ceil(step * fastest / (COURANT * dx)), 1.0), MOST))
            dt, left = step / substeps, 0.0
            if deepest == 0.0 and rain == 0.0:
                substeps = 0
            for _ in range(substeps):
                for cell in range(cells):
                    flow[cell] = alpha * h[cell] ** power
                above = 0.0
                for cell in range(cells):
                    h[cell] = max(h[cell] + dt * (rain - (flow[cell] - above) / dx), 0.0)
                    above = flow[cell]
                left += dt * above * width
            out[case, j + 1] = width * alpha * h[cells - 1] ** power
            uneven[case, j] = left - 0.5 * step * (out[case, j] + out[case, j + 1])


@njit(cache=True, nogil=True)
def nonlinear_storage_kernel(excess, step, coefficient, power, held, out, uneven):
    """Flow through stores in series, S = B Q^m, each with an equal part of the excess.

    ``excess`` (case, up to steps) m3 in each step; ``held`` (case, store) m3, the start state, becomes the end state;
    ``out`` (case, steps + 1) m3/s; ``uneven`` (case, steps) m3. In a sub-step S2 + h Q(S2)/2 = S1 + h (I - Q1/2), by
    Newton's method from above, which does not overshoot: Q rises ever faster with S.
    """
    stores, exponent = held.shape[1], 1.0 / power
    for case in range(held.shape[0]):
        s = held[case]
        out[case, 0] = (max(s[stores - 1], 0.0) / coefficient) ** exponent
        for j in range(out.shape[1] - 1):
            given = excess[case, j] if j < excess.shape[1] else 0.0
            whole = given
            for store in range(stores):
                whole += s[store]
            most = exponent * (whole / coefficient) ** exponent / whole if whole > 0.0 else 0.0
            substeps = int(min(max(np.ceil(step * most / SHARE), 1.0), MOST))
            h, left = step / substeps, 0.0
            for _ in range(substeps):
                above = 0.0
                for store in range(stores):
                    before = (max(s[store], 0.0) / coefficient) ** exponent
                    wanted = s[store] + h * (given / (stores * step) + above - 0.5 * before)
                    new = max(s[store] + h * (given / (stores * step) + above), 0.0)
                    for _ in range(60):
                        after = (new / coefficient) ** exponent
                        off = new + 0.5 * h * after - wanted
                        slope = 1.0 + 0.5 * h * exponent * after / new if new > 0.0 else 1.0
                        moved = off / slope
                        new = max(new - moved, 0.0)
                        if abs(moved) <= 1e-14 * max(wanted, 1e-300):
                            break
                    # what left is what is gone, so that no water is lost to rounding
                    passed = s[store] + h * (given / (stores * step) + above) - new
                    s[store] = new
                    above = passed / h
                left += above * h
            out[case, j + 1] = (s[stores - 1] / coefficient) ** exponent
            uneven[case, j] = left - 0.5 * step * (out[case, j] + out[case, j + 1])
