"""Sections of one shape and one roughness."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.parameters import parameter
from tarnwater.routing.channels.section import SOURCE, Section
from tarnwater.routing.circle import chord, half_angle, segment


class OfOneRoughness(Section):
    """A section with one roughness all round."""

    roughness: float = parameter(
        "factor", "Manning's roughness", label="roughness", symbol="n", above=0, most=1, usual=(0.01, 0.15),
        source=SOURCE, default=0.035,
    )  # fmt: skip

    def conveyance(self, depth: Floats) -> Floats:
        """A R^(2/3) / n."""
        area, wetted = self.area(depth), self.wetted(depth)
        with np.errstate(divide="ignore", invalid="ignore"):
            found: Floats = np.where(wetted > 0, area ** (5 / 3) / wetted ** (2 / 3), 0.0) / self.roughness
        return found


class Trapezoid(OfOneRoughness):
    """A trapezoid; without a bottom width a triangle, with upright sides a rectangle."""

    method: Literal["trapezoid"] = "trapezoid"
    bottom_width: float = parameter(
        "length",
        "width of the bottom",
        label="bottom width",
        symbol="b",
        least=0,
        most=1e4,
        usual=(0.2, 200),
        default=2.0,
    )
    side_slope: float = parameter(
        "factor", "run of the sides over their rise", label="side slope, run over rise", symbol="m", least=0, most=100,
        usual=(0, 6), default=1.5,
    )  # fmt: skip
    bank_height: float = parameter(
        "length", "height of the banks above the bottom", label="bank height", symbol="H", above=0, most=200,
        usual=(0.2, 15), default=2.0,
    )  # fmt: skip

    columns: ClassVar[Mapping[str, str]] = {"bottom_width": "width", "roughness": "n"}
    title: ClassVar[str] = "trapezoid"
    equation: ClassVar[str] = "A = (b + m y) y, P = b + 2 y √(1 + m²), Q = A R^(2/3) √S / n"
    verified: ClassVar[str] = "a published normal depth; Manning by inversion; the closed critical depth of a rectangle"

    @property
    def depth(self) -> float:
        """The height of its banks."""
        return self.bank_height

    def area(self, depth: Floats) -> Floats:
        """(b + m y) y."""
        y = np.maximum(depth, 0.0)
        return (self.bottom_width + self.side_slope * y) * y

    def wetted(self, depth: Floats) -> Floats:
        """b + 2 y √(1 + m²)."""
        found: Floats = self.bottom_width + 2 * np.maximum(depth, 0.0) * np.sqrt(1 + self.side_slope**2)
        return found

    def width(self, depth: Floats) -> Floats:
        """b + 2 m y."""
        return self.bottom_width + 2 * self.side_slope * np.maximum(depth, 0.0)


class Parabola(OfOneRoughness):
    """A parabola, the shape that a grassed waterway takes."""

    method: Literal["parabola"] = "parabola"
    top_width: float = parameter(
        "length", "width between the banks", label="top width", symbol="T", above=0, most=1e4, usual=(0.5, 100),
        default=4.0,
    )  # fmt: skip
    bank_height: float = parameter(
        "length", "height of the banks above the lowest point", label="bank height", symbol="H", above=0, most=200,
        usual=(0.2, 10), default=0.8,
    )  # fmt: skip

    columns: ClassVar[Mapping[str, str]] = {"top_width": "width", "roughness": "n"}
    title: ClassVar[str] = "parabola"
    equation: ClassVar[str] = (
        "t = T √(y / H), A = 2 t y / 3, P = t/2 (√(1 + x²) + ln(x + √(1 + x²)) / x), x = 4 y / t; Q = A R^(2/3) √S / n"
    )
    verified: ClassVar[str] = "SciPy's integrals of its width and of its arc; the closed critical depth"

    @property
    def depth(self) -> float:
        """The height of its banks."""
        return self.bank_height

    def area(self, depth: Floats) -> Floats:
        """2 t y / 3."""
        return 2 / 3 * self.width(depth) * np.maximum(depth, 0.0)

    def wetted(self, depth: Floats) -> Floats:
        """The arc of the parabola."""
        y, top = np.maximum(depth, 0.0), self.width(depth)
        with np.errstate(divide="ignore", invalid="ignore"):
            x = 4 * y / top
            found: Floats = np.where(y > 0, top / 2 * (np.sqrt(1 + x * x) + np.arcsinh(x) / x), 0.0)
        return found

    def width(self, depth: Floats) -> Floats:
        """T √(y / H)."""
        found: Floats = self.top_width * np.sqrt(np.maximum(depth, 0.0) / self.bank_height)
        return found


class Pipe(OfOneRoughness):
    """A round pipe."""

    method: Literal["circle"] = "circle"
    diameter: float = parameter(
        "length", "inside diameter", label="diameter", symbol="D", above=0, most=50, usual=(0.15, 6), default=1.0
    )

    columns: ClassVar[Mapping[str, str]] = {"diameter": "D", "roughness": "n"}
    title: ClassVar[str] = "circle"
    equation: ClassVar[str] = "A = D² (a − sin a cos a) / 4, P = D a, cos a = 1 − 2 y / D"
    verified: ClassVar[str] = "the full pipe; its greatest conveyance at 0.938 D; the two depths of one flow near full"

    @property
    def depth(self) -> float:
        """Its diameter."""
        return self.diameter

    @property
    def closed(self) -> bool:
        """It has a roof."""
        return True

    def area(self, depth: Floats) -> Floats:
        """Segment of the circle."""
        return segment(depth, self.diameter)

    def wetted(self, depth: Floats) -> Floats:
        """Arc of the circle."""
        return self.diameter * half_angle(depth, self.diameter)

    def width(self, depth: Floats) -> Floats:
        """Chord of the circle."""
        return chord(depth, self.diameter)
