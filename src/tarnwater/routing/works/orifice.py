"""Openings in a wall."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import parameter
from tarnwater.routing.circle import segment
from tarnwater.routing.faces import LEAST_STROKE, Face, box_face, raised, round_face
from tarnwater.routing.works.codes import RECTANGLE, ROUND, Coded
from tarnwater.routing.works.device import GRAVITY, Outlet

SOURCE = "Chow (1959), Open-Channel Hydraulics; the integral of √(2 g h) over the opening"

COEFFICIENT = {"least": 0.01, "most": 1.0, "usual": (0.5, 0.85)}


def quadrature(points: int) -> tuple[Floats, Floats]:
    """Shares of a depth and their weights for an integral over it by Gauss and Legendre, in the angle a of sin² a."""
    places, weights = np.polynomial.legendre.leggauss(points)
    angles = (places + 1) * (np.pi / 4)
    return np.sin(angles) ** 2, weights * (np.pi / 4) * np.sin(2 * angles)


#: Points of the quadrature over a round opening: as many as leave no error above 1e-9; where the integrand has no root
#: near its ends the fewer leave none above 1e-11.
FINE, COARSE = 48, 16
SHARES, SLOPES = quadrature(FINE)


class RoundOrifice(Outlet):
    """A circular opening, at every head by the exact integral over its wetted part."""

    method: Literal["round-orifice"] = "round-orifice"
    bottom: float = parameter("height", "level of the lowest point", label="invert", symbol="zi", default=0.0)
    diameter: float = parameter(
        "length", "diameter of the opening", label="diameter", symbol="d", above=0, most=20, usual=(0.02, 4),
        default=0.3,
    )  # fmt: skip
    coefficient: float = parameter(
        "factor", "coefficient of discharge", label="discharge coefficient", symbol="Cd", source=SOURCE, default=0.6,
        **COEFFICIENT,
    )  # fmt: skip

    title: ClassVar[str] = "round orifice"
    equation: ClassVar[str] = "Q = Cd ∫ b(z) √(2 g (h − z)) dz, drowned part with h − h_behind"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "SciPy's integral at every filling; Cd A √(2 g h) under great heads"

    @property
    def invert(self) -> float:
        """Its lowest point."""
        return self.bottom

    @property
    def bends(self) -> tuple[float, ...]:
        """Its lowest and its highest point."""
        return self.bottom, self.bottom + self.diameter

    def flow(self, level: Floats, behind: Floats) -> Floats:
        """Flow of the drowned part under the difference of levels, and of the free part by the integral."""
        base, top = self.bottom, self.bottom + self.diameter
        upper = np.clip(level, base, top)
        drowned = np.clip(np.minimum(behind, level), base, top)
        flow = segment(drowned - base, self.diameter) * np.sqrt(np.maximum(level - behind, 0.0))
        flow += self._free(level, drowned, upper)
        found: Floats = self.coefficient * np.sqrt(2 * GRAVITY) * flow
        return found

    @classmethod
    def drawn(cls, low: float, width: float, height: float) -> dict[str, float]:
        """Its invert, and its diameter where it has one."""
        return {"bottom": low} | ({"diameter": height} if height >= LEAST_STROKE else {})

    def face(self, top: float) -> Face:
        """A circle."""
        return round_face(self.bottom, self.diameter, raised(bottom=self.bottom))

    def coded(self, behind: Floats | None, highest: float) -> Coded:
        """Its lowest point, diameter and coefficient."""
        return Coded(ROUND, (self.bottom, self.diameter, self.coefficient))

    def _free(self, level: Floats, lower: Floats, upper: Floats) -> Floats:
        """∫ b(z) √(h − z) dz between two levels.

        Width and velocity both end like a square root. With z = lower + (upper − lower) sin² a both ends are smooth,
        and Gauss and Legendre's rule is as good as exact.
        """
        depth = upper - lower
        z = lower[..., None] + depth[..., None] * SHARES
        above, below = self.bottom + self.diameter - z, z - self.bottom
        width = 2 * np.sqrt(np.maximum(above * below, 0.0))
        velocity = np.sqrt(np.maximum(np.asarray(level)[..., None] - z, 0.0))
        found: Floats = depth * (SLOPES * width * velocity).sum(axis=-1)
        return found


class RectangularOrifice(Outlet):
    """A rectangular opening, at every head by the exact integral over its wetted part."""

    method: Literal["rectangular-orifice"] = "rectangular-orifice"
    bottom: float = parameter("height", "level of the lower edge", label="invert", symbol="zi", default=0.0)
    width: float = parameter(
        "length", "width of the opening", label="width", symbol="b", above=0, most=100, usual=(0.02, 10), default=0.3
    )
    height: float = parameter(
        "length", "height of the opening", label="height", symbol="a", above=0, most=100, usual=(0.02, 5), default=0.3
    )
    coefficient: float = parameter(
        "factor", "coefficient of discharge", label="discharge coefficient", symbol="Cd", source=SOURCE, default=0.6,
        **COEFFICIENT,
    )  # fmt: skip

    title: ClassVar[str] = "rectangular orifice"
    equation: ClassVar[str] = "Q = Cd b ∫ √(2 g (h − z)) dz, drowned part with h − h_behind"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "SciPy's integral at every filling; a prism that drains through it, in closed form"

    @property
    def invert(self) -> float:
        """Its lower edge."""
        return self.bottom

    @property
    def bends(self) -> tuple[float, ...]:
        """Its lower and its upper edge."""
        return self.bottom, self.bottom + self.height

    def flow(self, level: Floats, behind: Floats) -> Floats:
        """Flow of the drowned part under the difference of levels, and of the free part by the integral."""
        base, top = self.bottom, self.bottom + self.height
        upper = np.clip(level, base, top)
        drowned = np.clip(np.minimum(behind, level), base, top)
        flow = (drowned - base) * np.sqrt(np.maximum(level - behind, 0.0))
        # where the level is below the opening both heads are the same, and nothing flows
        flow += (np.maximum(level - drowned, 0.0) ** 1.5 - np.maximum(level - upper, 0.0) ** 1.5) / 1.5
        found: Floats = self.coefficient * self.width * np.sqrt(2 * GRAVITY) * flow
        return found

    @classmethod
    def drawn(cls, low: float, width: float, height: float) -> dict[str, float]:
        """Its invert, and its sides where they have a size."""
        sides = {"width": width, "height": height}
        return {"bottom": low} | {name: side for name, side in sides.items() if side >= LEAST_STROKE}

    def face(self, top: float) -> Face:
        """A rectangle."""
        return box_face(self.bottom, self.width, self.height, raised(bottom=self.bottom))

    def coded(self, behind: Floats | None, highest: float) -> Coded:
        """Its lower edge, size and coefficient."""
        return Coded(RECTANGLE, (self.bottom, self.width, self.height, self.coefficient))
