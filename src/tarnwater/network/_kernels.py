"""Compiled loops over cases and steps. Their callers check the arguments. C-order float64 throughout."""

from numba import njit


@njit(cache=True, nogil=True)
def floods_kernel(flow, uneven, base, share, step, ends, volumes):
    """Step at which each flood has receded, and the volume by then, less baseflow.

    ``flow`` (case, step + 1) m3/s; ``uneven`` (case, step) m3 beyond the trapezoids, or empty; ``base`` (case,) m3/s.
    A flood ends at the first ordinate after the last one that exceeds ``share`` of its peak, both above the baseflow,
    or where the run ends. Sums go step by step, so that a longer run gives exactly the same figure.
    """
    for case in range(flow.shape[0]):
        own = flow[case]
        top = own[0]
        for j in range(1, own.size):
            top = max(top, own[j])
        line = base[case] + share * max(top - base[case], 0.0)
        end = own.size - 1
        while end > 0 and own[end] <= line:
            end -= 1
        end = min(end + 1, own.size - 1)
        volume = 0.0
        for j in range(end):
            volume += step * (0.5 * (own[j] + own[j + 1]) - base[case])
            if uneven.size:
                volume += uneven[case, j]
        ends[case] = end
        volumes[case] = volume
