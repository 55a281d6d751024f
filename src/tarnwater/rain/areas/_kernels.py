"""Compiled loops over frames of rain. Their callers check the arguments."""

from numba import njit


@njit(cache=True, nogil=True)
def weighted_sums(starts, cells, shares, frames, found):
    """Sums of the cells of ``frames`` (frame, cell) by the rows of a sparse matrix, into ``found`` (frame, row).

    Few frames at a time stay in the cache of the processor while all catchments read them. Four sums run side by side,
    since each addition must wait for the one before it.
    """
    count = frames.shape[0]
    for first in range(0, count - count % 4, 4):
        a, b, c, d = frames[first], frames[first + 1], frames[first + 2], frames[first + 3]
        for row in range(starts.size - 1):
            sum_a = sum_b = sum_c = sum_d = 0.0
            for k in range(starts[row], starts[row + 1]):
                cell, share = cells[k], shares[k]
                sum_a += share * a[cell]
                sum_b += share * b[cell]
                sum_c += share * c[cell]
                sum_d += share * d[cell]
            found[first, row] = sum_a
            found[first + 1, row] = sum_b
            found[first + 2, row] = sum_c
            found[first + 3, row] = sum_d
    for frame in range(count - count % 4, count):
        own = frames[frame]
        for row in range(starts.size - 1):
            total = 0.0
            for k in range(starts[row], starts[row + 1]):
                total += shares[k] * own[cells[k]]
            found[frame, row] = total
