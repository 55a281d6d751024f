"""Compiled loops over cases and steps; the fronts check, these trust. C-order float64 throughout."""

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
def convolve_kernel(excess, unit, out):
    """Add excess (case, step) through unit ordinates (1 or case, length) to out (case, step + length - 1)."""
    cases, steps = excess.shape
    length = unit.shape[1]
    for case in range(cases):
        ordinates = unit[case if unit.shape[0] > 1 else 0]
        flow = out[case]
        for step in range(steps):
            depth = excess[case, step]
            if depth != 0.0:
                for k in range(length):
                    flow[step + k] += depth * ordinates[k]
