"""The response of a loss method."""

from __future__ import annotations

from dataclasses import dataclass

from tarnwater.arrays import Floats
from tarnwater.states import State


@dataclass(frozen=True, eq=False)
class Excess:
    """Excess rain, losses and storage.

    ``excess`` (case, step) mm runs off; ``loss`` (case,) mm stays in the ground, by a separate expression, so that the
    balance is a real check; ``stored`` (case,) mm is on the surface at the end; ``state`` is the end state.
    """

    excess: Floats
    loss: Floats
    stored: Floats
    state: State
