"""What a loss method answers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True, eq=False)
class Excess:
    """Excess rain and what it leaves behind.

    ``excess`` (case, step) mm runs off; ``stored`` (case,) mm stands on the surface at the end;
    ``state`` carries a run on.
    """

    excess: np.ndarray
    stored: np.ndarray
    state: np.ndarray
