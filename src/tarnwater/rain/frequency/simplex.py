"""The simplex search of Nelder and Mead (1965, Computer Journal 7) for many functions at once.

A bootstrap fits a thousand samples: one simplex for each moves in step with the others, so that all misfits are
computed together.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tarnwater.arrays import Floats, Integers

#: First step from the start along each axis.
FIRST = 0.1

#: Moves after which the search ends, and the spread of the misfits of a simplex at which it has.
MOST_MOVES, NEAR = 400, 1e-7


def least_of_each(
    misfit: Callable[[Floats, Integers], Floats], starts: Floats, between: Callable[[], None] = lambda: None
) -> Floats:
    """Points (m, p) at which the misfits of m functions are least, from starts (m, p).

    ``misfit`` gives the misfits (k,) of points (k, p) of the functions of some numbers (k,); ``between`` is called
    after each move, and may raise to stop.
    """
    count, width = starts.shape
    corners = np.repeat(starts[:, None, :], width + 1, axis=1)
    corners[:, np.arange(1, width + 1), np.arange(width)] += FIRST
    whole = np.arange(count)
    values = np.stack([misfit(corners[:, n], whole) for n in range(width + 1)], axis=1)
    for _ in range(MOST_MOVES):
        between()
        order = np.argsort(values, axis=1)
        corners, values = np.take_along_axis(corners, order[:, :, None], 1), np.take_along_axis(values, order, 1)
        moving = np.flatnonzero(values[:, -1] - values[:, 0] > NEAR)
        if not len(moving):
            break
        _move(misfit, corners, values, moving)
    return np.asarray(corners[np.arange(count), np.argmin(values, axis=1)])


def _move(misfit: Callable[[Floats, Integers], Floats], corners: Floats, values: Floats, moving: Integers) -> None:
    """Reflect, stretch, pull in or shrink the simplexes of some numbers, each as its own misfits say."""
    own, known = corners[moving], values[moving]
    middle = own[:, :-1].mean(axis=1)
    last = own[:, -1]
    mirrored = 2 * middle - last
    at_mirror = misfit(mirrored, moving)
    best, second, worst = known[:, 0], known[:, -2], known[:, -1]
    point, value = mirrored.copy(), at_mirror.copy()
    far = np.flatnonzero(at_mirror < best)
    if len(far):
        stretched = 3 * middle[far] - 2 * last[far]
        found = misfit(stretched, moving[far])
        better = found < at_mirror[far]
        point[far[better]], value[far[better]] = stretched[better], found[better]
    near = np.flatnonzero(at_mirror >= second)
    taken = np.ones(len(moving), bool)
    if len(near):
        outward = at_mirror[near] < worst[near]
        towards = np.where(outward[:, None], mirrored[near], last[near])
        pulled = 0.5 * (middle[near] + towards)
        found = misfit(pulled, moving[near])
        fits = found < np.minimum(at_mirror[near], worst[near])
        point[near], value[near] = pulled, found
        taken[near] = fits
    corners[moving[taken], -1], values[moving[taken], -1] = point[taken], value[taken]
    shrunk = moving[~taken]
    for n in range(1, corners.shape[1] if len(shrunk) else 0):
        corners[shrunk, n] = 0.5 * (corners[shrunk, n] + corners[shrunk, 0])
        values[shrunk, n] = misfit(corners[shrunk, n], shrunk)
