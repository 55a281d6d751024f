"""Areal reduction: rain over an area is less deep than at a point."""

from __future__ import annotations

from typing import Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import Model, parameter

SOURCE = "Leclerc and Schaake (1972), MIT Department of Civil Engineering Report 142"

#: Area (m2) from which point depths without areal reduction are doubted.
LARGE_AREA = 25e6


def areal_factor(area: float, duration: float | Floats) -> Floats:
    """Share of the point depth over an area (m2) in durations (s).

    1 - exp(-1.1 t^0.25) + exp(-1.1 t^0.25 - 0.00386 A), t in h and A in km2; 1 over no area.
    """
    spread = 1.1 * (np.asarray(duration, float) / 3600) ** 0.25
    return 1 - np.exp(-spread) + np.exp(-spread - 0.00386 * area / 1e6)


class ArealReduction(Model):
    """The areal reduction of storms made for a design point, for the area that drains there; not the default."""

    method: Literal["none", "leclerc-schaake"] = "none"
    least_area: float = parameter(
        "area", "area up to which the point depth holds", symbol="A0", least=0, source=SOURCE, default=1e6
    )

    @property
    def chosen(self) -> bool:
        """Whether any reduction is chosen."""
        return self.method != "none"

    def reduces(self, area: float) -> bool:
        """Whether depths over an area (m2) are less than those at a point."""
        return self.chosen and area > self.least_area

    def factors(self, area: float, durations: float | Floats) -> Floats:
        """Share of the point depth, 0 to 1, for an area (m2) and durations (s), of their shape."""
        return areal_factor(area, durations) if self.reduces(area) else np.ones(np.shape(durations))

    def factor(self, area: float, duration: float) -> float:
        """Share of the point depth, 0 to 1, for an area (m2) and one duration (s)."""
        return float(self.factors(area, duration))
