"""Compiled loops over cases and steps. Their callers check the arguments. C-order float64 throughout."""

from numba import njit


@njit(cache=True, nogil=True)
def floods_kernel(flow, uneven, base, share, step, ends, volumes):
    """Step at which each flood has receded, and the volume by then, less baseflow.

    ``flow`` (case, step + 1) m3/s; ``uneven`` (case, step) m3 beyond the trapezoids, or empty; ``base`` (case,
    step + 1 or 1) m3/s.
    A flood ends at the first ordinate after the last one that exceeds ``share`` of its peak, both above the baseflow,
    or where the run ends. Sums go step by step, so that a longer run gives exactly the same figure.
    """
    for case in range(flow.shape[0]):
        own, ground = flow[case], base[case]
        last = ground.size - 1
        rise = 0.0
        for j in range(own.size):
            rise = max(rise, own[j] - ground[min(j, last)])
        end = own.size - 1
        while end > 0 and own[end] <= ground[min(end, last)] + share * rise:
            end -= 1
        end = min(end + 1, own.size - 1)
        volume = 0.0
        for j in range(end):
            under = 0.5 * (ground[min(j, last)] + ground[min(j + 1, last)])
            volume += step * (0.5 * (own[j] + own[j + 1]) - under)
            if uneven.size:
                volume += uneven[case, j]
        ends[case] = end
        volumes[case] = volume
