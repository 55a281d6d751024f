"""Compiled loop of the landscape evolution."""

from numba import njit


@njit(cache=True, nogil=True)
def incise(height, cells, below, factor):
    """One implicit step of stream power, from the outlets up (Braun and Willett 2013).

    ``cells`` are ordered so that each comes after the one ``below`` it; ``factor`` is
    K A^m dt / length of each.
    """
    for index in range(cells.size):
        cell = cells[index]
        down = below[index]
        if down >= 0:
            height[cell] = (height[cell] + factor[index] * height[down]) / (1.0 + factor[index])
