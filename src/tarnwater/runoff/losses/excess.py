"""What a loss method answers."""

from __future__ import annotations

from dataclasses import dataclass

from tarnwater.arrays import Floats


@dataclass(frozen=True, eq=False)
class Excess:
    """Excess rain and what it leaves behind.

    ``excess`` (case, step) mm runs off; ``loss`` (case,) mm stays in the ground, by an expression of
    its own, so that the balance can fail; ``stored`` (case,) mm stands on the surface at the end;
    ``state`` carries a run on.
    """

    excess: Floats
    loss: Floats
    stored: Floats
    state: Floats
