"""Unit hydrographs of a duration of their own."""

from __future__ import annotations

from collections.abc import Sequence

from tarnwater.methods import Cure, Doubtful
from tarnwater.runoff.transforms.transform import LinearTransform

#: A unit hydrograph scaled by more than this to hold one unit of water is doubted.
SCALE_DOUBT = 0.01


class FiniteTransform(LinearTransform):
    """A transform whose unit hydrograph is that of rain of a certain duration.

    Its ordinates are scaled to hold one unit of water, by one factor that is reported.
    """

    def scaled(self, area: float | None, lag: float, steps: Sequence[float]) -> list[Doubtful]:
        """A doubt where the ordinates at a step (s) are scaled by more than 1 %."""
        found = []
        for step in steps if area else ():
            scale = self.unit_hydrograph(area or 0.0, lag, step).scale
            if abs(scale - 1) > SCALE_DOUBT:
                told = f"the unit hydrograph was scaled by {scale:.4g} to hold one unit of water."
                found.append(Doubtful("unit-hydrograph-scaled", "doubt", told, (Cure("Take a finer step."),)))
        return found

    def doubts(self, area: float | None, lag: float, steps: Sequence[float]) -> list[Doubtful]:
        """A doubt where it is scaled."""
        return self.scaled(area, lag, steps)
