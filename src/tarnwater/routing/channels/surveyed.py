"""A surveyed section of any number of points, with zones of roughness."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.parameters import option, parameter
from tarnwater.routing.channels.section import SOURCE, Section


class SurveyedSection(Section):
    """Points across the channel from one bank to the other; each stretch has the roughness of its first point.

    Water stands only where it is connected with the lowest point, unless it may stand everywhere. Each run of equal
    roughness carries by itself, and the conveyances are added; the line between two of them is not wetted. Above the
    lower of its ends the outermost sides go straight up.
    """

    method: Literal["surveyed"] = "surveyed"
    stations: tuple[float, ...] = parameter("length", "distances across", label="stations", symbol="x")
    heights: tuple[float, ...] = parameter("height", "heights of the ground", label="heights", symbol="z")
    roughness: tuple[float, ...] = parameter(
        "factor", "roughness from each point to the next", label="roughness", symbol="n", above=0, most=1,
        usual=(0.01, 0.2), source=SOURCE,
    )  # fmt: skip
    water: str = option(
        "where water stands", lambda: ("connected", "everywhere"), label="water stands", default="connected"
    )

    title: ClassVar[str] = "surveyed section"
    equation: ClassVar[str] = "K = Σ A R^(2/3) / n over the runs of equal roughness, Q = K √S"
    verified: ClassVar[str] = "a trapezoid given as points; two channels beside each other; Manning by inversion"

    @model_validator(mode="after")
    def _fits(self) -> Self:
        counts = {len(self.stations), len(self.heights), len(self.roughness)}
        if len(counts) > 1 or len(self.stations) < 3:
            raise EditRefused(
                f"a section needs at least three points, each with its height and roughness; {len(self.stations)}, "
                f"{len(self.heights)} and {len(self.roughness)} were given.",
                remedy="Give the points from bank to bank.",
            )
        if list(self.stations) != sorted(self.stations) or self.stations[0] == self.stations[-1]:
            raise EditRefused("the stations go back.", remedy="Give the points in the order in which they stand.")
        if max(self.heights) == min(self.heights):
            raise EditRefused("all points have one height.", remedy="Give the banks, too.")
        return self

    @property
    def depth(self) -> float:
        """Depth at which water reaches the lower of its ends."""
        return max(min(self.heights[0], self.heights[-1]) - min(self.heights), 1e-6)

    def _stretches(self, depth: float) -> tuple[Floats, Floats, Floats]:
        """Area, wetted perimeter and width of each stretch at one depth, (stretch,)."""
        x, z = np.array(self.stations), np.array(self.heights)
        level = float(z.min()) + depth
        low, high = np.minimum(z[:-1], z[1:]), np.maximum(z[:-1], z[1:])
        across = np.diff(x)
        with np.errstate(divide="ignore", invalid="ignore"):
            share = np.where(high > low, np.clip((level - low) / (high - low), 0.0, 1.0), (level >= low).astype(float))
        # a stretch that is wholly under water is a trapezoid, one partly a triangle
        width = across * share
        mean = np.where(share >= 1, level - (low + high) / 2, np.maximum(level - low, 0.0) / 2)
        wetted = np.hypot(across, high - low) * share
        area = width * np.maximum(mean, 0.0)
        if self.water == "connected":
            keep = self._connected(level, share)
            area, wetted, width = area * keep, wetted * keep, width * keep
        # above an end its side goes straight up
        wetted[0] += max(level - z[0], 0.0)
        wetted[-1] += max(level - z[-1], 0.0)
        return area, wetted, width

    def _connected(self, level: float, share: Floats) -> Floats:
        """1 for stretches of the pool over the lowest point, 0 for others."""
        z = np.array(self.heights)
        lowest = int(np.argmin(z))
        keep = np.zeros(len(share))
        for way in (range(lowest, len(share)), range(lowest - 1, -1, -1)):
            for number in way:
                if share[number] <= 0:
                    break
                keep[number] = 1.0
                ahead = z[number + 1] if number >= lowest else z[number]
                if ahead >= level:
                    break
        return keep

    def _at(self, depth: Floats, which: int) -> Floats:
        flat = np.atleast_1d(np.asarray(depth, float))
        found = np.array([self._stretches(float(y))[which].sum() if y > 0 else 0.0 for y in flat.ravel()])
        return found.reshape(np.shape(depth))

    def area(self, depth: Floats) -> Floats:
        """Area under water."""
        return self._at(depth, 0)

    def wetted(self, depth: Floats) -> Floats:
        """Ground under water."""
        return self._at(depth, 1)

    def width(self, depth: Floats) -> Floats:
        """Width of the water surface."""
        return self._at(depth, 2)

    def conveyance(self, depth: Floats) -> Floats:
        """Sum over the runs of equal roughness."""
        n = np.array(self.roughness[:-1])
        runs = np.concatenate([[0], np.cumsum(np.diff(n) != 0)])
        flat = np.atleast_1d(np.asarray(depth, float)).ravel()
        found = np.zeros(len(flat))
        for number, y in enumerate(flat):
            if y <= 0:
                continue
            area, wetted, _ = self._stretches(float(y))
            for run in range(int(runs[-1]) + 1):
                own = runs == run
                a, p = area[own].sum(), wetted[own].sum()
                if p > 0:
                    found[number] += a ** (5 / 3) / p ** (2 / 3) / n[own][0]
        return found.reshape(np.shape(depth))
