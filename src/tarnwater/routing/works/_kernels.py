"""Compiled loops of outlet works. C-order float64 throughout."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def energy_upstream(energy, known, slopes, dx, bed, stations):
    """Energies (tail,) m at the inlet of a barrel, from those at its outlet, in steps of Heun's method.

    ``slopes`` (depth,) are the friction slopes at the energies ``known`` (depth,), which never fall; ``bed`` is the
    rise of the floor over a step ``dx`` (m). The energy never falls below the least known one.
    """
    found = np.empty_like(energy)
    for tail in range(energy.size):
        now = energy[tail]
        for _ in range(stations):
            here = _between(now, known, slopes)
            ahead = _between(now + here * dx - bed, known, slopes)
            now = max(now + 0.5 * (here + ahead) * dx - bed, known[0])
        found[tail] = now
    return found


@njit(cache=True, nogil=True)
def _between(x, known, values):
    """The value at ``x``, linear between the known ones, and the end ones beyond them."""
    # where several are known alike, as at critical depth, the last of them counts
    if x < known[0]:
        return values[0]
    if not x < known[-1]:
        return values[-1]
    low = np.searchsorted(known, x, side="right") - 1
    share = (x - known[low]) / (known[low + 1] - known[low])
    return values[low] + share * (values[low + 1] - values[low])
