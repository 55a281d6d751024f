"""The contract of a channel section, and the hydraulics of every section."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Method

#: Acceleration of gravity, m/s2.
GRAVITY = 9.81

SOURCE = "Chow (1959), Open-Channel Hydraulics; Manning (1891)"

#: Steps of a search by halving.
HALVINGS = 80


class Section(Method):
    """A cross-section of a channel; depths (m) are above its lowest point.

    Flow is by Manning's equation, Q = K √S, with the conveyance K of its parts added up.
    """

    kind: ClassVar[str] = "section"
    source: ClassVar[str] = SOURCE

    @property
    @abstractmethod
    def depth(self) -> float:
        """Depth up to which it is known, m: its banks, or the roof of a pipe. Above, its sides go straight up."""

    @property
    def closed(self) -> bool:
        """Whether it has a roof."""
        return False

    @abstractmethod
    def area(self, depth: Floats) -> Floats:
        """Area of the water at depths (m), m2."""

    @abstractmethod
    def wetted(self, depth: Floats) -> Floats:
        """Wetted perimeter at depths (m), m."""

    @abstractmethod
    def width(self, depth: Floats) -> Floats:
        """Width of the water surface at depths (m), m."""

    @abstractmethod
    def conveyance(self, depth: Floats) -> Floats:
        """K of Q = K √S at depths (m), m3/s."""

    @cached_property
    def full(self) -> FullSection:
        """Its figures when it is full to its banks, or its roof."""
        top = np.array(self.depth)
        return FullSection(float(self.area(top)), float(self.wetted(top)), float(self.conveyance(top)))

    def normal_flow(self, depth: Floats, slope: float) -> Floats:
        """Uniform flow (m3/s) at depths (m) on a slope."""
        found: Floats = self.conveyance(depth) * np.sqrt(slope)
        return found

    def normal_depth(self, flow: float, slope: float) -> float:
        """Depth (m) at which a flow (m3/s) is uniform on a slope: the lower one where a closed pipe has two.

        Infinite where a closed pipe cannot carry it.
        """
        if flow <= 0:
            return 0.0
        high = self.depth
        if self.closed:
            high = self._of_most_conveyance
            if float(self.normal_flow(np.array(high), slope)) < flow:
                return float("inf")
        while not self.closed and float(self.normal_flow(np.array(high), slope)) < flow:
            high *= 2
        return self._halved(lambda y: float(self.normal_flow(np.array(y), slope)) < flow, high)

    def second_normal_depth(self, flow: float, slope: float) -> float | None:
        """The greater depth (m) at which a closed pipe carries the same flow, near its roof; None without one."""
        if not self.closed or flow <= 0:
            return None
        top, most = self.depth, self._of_most_conveyance
        carried = float(self.normal_flow(np.array(top), slope))
        if not carried <= flow < float(self.normal_flow(np.array(most), slope)):
            return None
        return most + self._halved(lambda y: float(self.normal_flow(np.array(most + y), slope)) > flow, top - most)

    @cached_property
    def _of_most_conveyance(self) -> float:
        depths = np.linspace(0.5 * self.depth, self.depth, 4001)
        return float(depths[int(np.argmax(self.conveyance(depths)))])

    def critical_depth(self, flow: float) -> float:
        """Depth (m) of least specific energy of a flow (m3/s): of several critical depths that of the least energy."""
        if flow <= 0:
            return 0.0
        high = self.depth
        while not self.closed and self._froude_square(flow, high) > 1:
            high *= 2
        depths = np.linspace(0.0, high, 801)[1:]
        with np.errstate(divide="ignore", invalid="ignore"):
            energies = depths + (flow / self.area(depths)) ** 2 / (2 * GRAVITY)
        best = int(np.argmin(energies))
        low, top = depths[max(best - 1, 0)] if best else 0.0, depths[min(best + 1, len(depths) - 1)]
        return float(low) + self._halved(lambda y: self._froude_square(flow, float(low) + y) > 1, float(top - low))

    def _froude_square(self, flow: float, depth: float) -> float:
        area, width = float(self.area(np.array(depth))), float(self.width(np.array(depth)))
        return np.inf if area <= 0 else flow * flow * width / (GRAVITY * area**3)

    @staticmethod
    def _halved(below: Callable[[float], bool], high: float) -> float:
        """The value between 0 and ``high`` up to which a condition holds."""
        low, top = 0.0, high
        for _ in range(HALVINGS):
            middle = 0.5 * (low + top)
            low, top = (middle, top) if below(middle) else (low, middle)
        return 0.5 * (low + top)

    def at_flow(self, flow: float, slope: float) -> UniformFlow:
        """The figures of uniform flow (m3/s) on a slope."""
        depth = self.normal_depth(flow, slope)
        if not np.isfinite(depth):
            return UniformFlow(flow, depth, self.critical_depth(flow), np.nan, np.nan, np.nan, np.nan)
        area = float(self.area(np.array(depth)))
        width = float(self.width(np.array(depth)))
        velocity = flow / area if area > 0 else 0.0
        froude = velocity / np.sqrt(GRAVITY * area / width) if area > 0 and width > 0 else 0.0
        shear = 1000 * GRAVITY * area / float(self.wetted(np.array(depth))) * slope if area > 0 else 0.0
        return UniformFlow(flow, depth, self.critical_depth(flow), area, velocity, float(froude), shear)


@dataclass(frozen=True)
class FullSection:
    """A full section: its area (m2), wetted perimeter (m) and conveyance (m3/s)."""

    area: float
    wetted: float
    conveyance: float

    @property
    def radius(self) -> float:
        """Hydraulic radius, m."""
        return full_radius(self.area, self.wetted)

    @property
    def roughness(self) -> float:
        """The roughness with which its radius conveys what its parts convey together; its own where it has but one."""
        return full_roughness(self.area, self.radius, self.conveyance)


def full_radius(area: float, wetted: float) -> float:
    """R = A / P, in m."""
    return area / wetted


def full_roughness(area: float, radius: float, conveyance: float) -> float:
    """n = A R^(2/3) / K, from m2, m and m3/s."""
    return float(area * radius ** (2 / 3) / conveyance)


@dataclass(frozen=True)
class UniformFlow:
    """Uniform flow in a section: m3/s, m, m, m2, m/s, 1, and N/m2."""

    flow: float
    depth: float
    critical_depth: float
    area: float
    velocity: float
    froude: float
    shear: float
