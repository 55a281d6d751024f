"""The barrel of a pipe or a culvert: its section, its critical depth, and the water surface along it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.routing.circle import chord, half_angle, segment
from tarnwater.routing.works.device import GRAVITY

#: Stations along a barrel, and depths at which its energy is tabled; finer ones change no level by 0.1 mm.
STATIONS, DEPTHS = 40, 128


@dataclass(frozen=True)
class Barrel:
    """One barrel: round, or a box where ``width`` is given; lengths in m, ``roughness`` by Manning.

    ``fall`` is the drop of its floor from inlet to outlet.
    """

    height: float
    width: float | None
    length: float
    fall: float
    roughness: float

    def area(self, depth: Floats) -> Floats:
        """Wetted area at depths, m2; full at and above its height."""
        y = np.clip(depth, 0.0, self.height)
        if self.width is not None:
            return self.width * y
        return segment(y, self.height)

    def wetted(self, depth: Floats) -> Floats:
        """Wetted perimeter at depths, m; with the roof where it is full."""
        y = np.clip(depth, 0.0, self.height)
        if self.width is not None:
            return self.width + 2 * y + self.width * (depth >= self.height)
        return self.height * half_angle(y, self.height)

    def surface(self, depth: Floats) -> Floats:
        """Width of the water surface at depths, m."""
        y = np.clip(depth, 0.0, self.height)
        if self.width is not None:
            return np.full(np.shape(y), self.width)
        return chord(y, self.height)

    @property
    def full(self) -> float:
        """Area of the full barrel, m2."""
        return float(self.area(np.array(self.height)))

    def critical(self, flow: Floats) -> Floats:
        """Critical depth of flows (m3/s): Q² T = g A³, at most its height."""
        from tarnwater.routing.works import _kernels as kernels

        flows = np.ascontiguousarray(flow, float)
        found = np.empty(flows.size)
        kernels.critical_depths(flows.ravel(), self.height, self.width or 0.0, found)
        return found.reshape(flows.shape)

    def velocity_head(self, flow: Floats, depth: Floats) -> Floats:
        """v²/2g of flows at depths, m; zero without flow."""
        area = self.area(depth)
        with np.errstate(divide="ignore", invalid="ignore"):
            found: Floats = np.where(flow > 0, (flow / area) ** 2 / (2 * GRAVITY), 0.0)
        return found

    def friction(self, flow: Floats, depth: Floats) -> Floats:
        """Friction slope of flows at depths, by Manning."""
        area = self.area(depth)
        with np.errstate(divide="ignore", invalid="ignore"):
            slope = (self.roughness * flow) ** 2 * self.wetted(depth) ** (4 / 3) / area ** (10 / 3)
        return np.where(flow > 0, slope, 0.0)

    def at_inlet(self, flow: Floats, tail: Floats) -> tuple[Floats, Floats]:
        """Energy and velocity head (tail, flow) m at the inlet, above its floor there.

        ``flow`` (flow,) m3/s, ``tail`` (tail,) m above the floor of the outlet. The water surface goes upstream from
        the greater of tailwater and critical depth, in the energy: dE/dx = S0 − Sf has no singularity where the flow is
        critical, and it goes on where the barrel runs full. On a slope steeper than critical the energy stays at its
        least, and the inlet governs.
        """
        from tarnwater.routing.works import _kernels as kernels

        critical = self.critical(flow)
        dx, bed = self.length / STATIONS, self.fall / STATIONS
        depths = critical[:, None] + (self.height - critical)[:, None] * np.linspace(0.0, 1.0, DEPTHS)
        head, slope = self.velocity_head(flow[:, None], depths), self.friction(flow[:, None], depths)
        # the wetted perimeter of the full box has its roof; below it the table has none
        energy = np.maximum.accumulate(depths + head, axis=1)
        begun = np.maximum(tail[:, None], critical)
        begun = begun + self.velocity_head(flow, begun)
        found = np.empty_like(begun), np.empty_like(begun)
        kernels.energies_upstream(begun, energy, slope, head, dx, bed, STATIONS, *found)
        return found
