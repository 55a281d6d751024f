"""What a reach method answers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True, eq=False)
class Routed:
    """Outflow of a reach.

    ``flow`` (case, step + 1) m3/s, ``volume`` (case, step) m3, counted inside any sub-steps;
    ``start_stored`` and ``stored`` (case,) m3 in the reach before and after, read from the states;
    ``state`` carries a run on.
    """

    flow: np.ndarray
    volume: np.ndarray
    start_stored: np.ndarray
    stored: np.ndarray
    state: np.ndarray
