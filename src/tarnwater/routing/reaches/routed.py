"""The response of a reach method."""

from __future__ import annotations

from dataclasses import dataclass

from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph
from tarnwater.states import State


@dataclass(frozen=True, eq=False)
class Routed:
    """Outflow of a reach.

    ``start_stored`` and ``stored`` (case,) m3 in the reach before and after, read from the states;
    ``state`` is the end state.
    """

    hydrograph: Hydrograph
    start_stored: Floats
    stored: Floats
    state: State
