"""Storage with sloping sides on a rectangle."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

from tarnwater.arrays import Floats
from tarnwater.parameters import parameter
from tarnwater.routing.faces import Grip, widened
from tarnwater.routing.ponds.forms.form import StorageForm, pit_grips

SOURCE = "definition: the integral of the area of its rectangle over the depth"


class Frustum(StorageForm):
    """A pit with a rectangular floor and sides of one slope."""

    method: Literal["frustum"] = "frustum"
    bottom: float = parameter("height", "level of the floor", label="floor level", symbol="z0", default=0.0)
    depth: float = parameter(
        "length", "depth from floor to top", label="depth", symbol="H", above=0, most=500, usual=(0.2, 20), default=2.0
    )
    length: float = parameter(
        "length", "length of the floor", label="floor length", symbol="L", above=0, most=1e5, usual=(1, 2000),
        default=40.0,
    )  # fmt: skip
    width: float = parameter(
        "length", "width of the floor", label="floor width", symbol="B", above=0, most=1e5, usual=(1, 2000),
        default=20.0,
    )  # fmt: skip
    side_slope: float = parameter(
        "factor", "run of the sides over their rise", label="side slope, run over rise", symbol="m", least=0, most=50,
        usual=(0, 6), default=3.0,
    )  # fmt: skip

    title: ClassVar[str] = "frustum"
    equation: ClassVar[str] = "V = B L y + m (B + L) y² + 4 m² y³ / 3, y the depth"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "SciPy's integral of its area; a pyramid's volume"

    def with_plan(self, factor: float) -> Self:
        """A copy with length and width of the floor by the root of a factor; the sides keep their slope."""
        root = factor**0.5
        return self.model_copy(update={"length": self.length * root, "width": self.width * root})

    def across(self, levels: Floats) -> Floats:
        """Its length at levels."""
        return (self.length + 2 * self.side_slope * self.heights(levels)) * self.within(levels)

    def across_the_other_way(self, levels: Floats) -> Floats:
        """Its width at levels."""
        return (self.width + 2 * self.side_slope * self.heights(levels)) * self.within(levels)

    def grips(self) -> tuple[Grip, ...]:
        """Floor, top, length and side slope."""
        half, run = self.length / 2, self.side_slope * self.depth
        side = Grip("floor length", "across", (half, self.bottom), widened("length", self.length))
        slope = Grip(
            "side slope", "across", (half + run, self.bottom + self.depth),
            lambda way: {"side_slope": max(self.side_slope + way / self.depth, 0.0)},
        )  # fmt: skip
        return *pit_grips(self.bottom, self.depth, half, half + run), side, slope

    @property
    def floor(self) -> float:
        """Its floor."""
        return self.bottom

    @property
    def top(self) -> float:
        """Its upper edge."""
        return self.bottom + self.depth

    def area(self, levels: Floats) -> Floats:
        """Area of its rectangle."""
        wider = 2 * self.side_slope * self.heights(levels)
        return (self.length + wider) * (self.width + wider) * self.within(levels)

    def volume(self, levels: Floats) -> Floats:
        """The integral of its area."""
        y, m = self.heights(levels), self.side_slope
        return y * (self.width * self.length + y * (m * (self.width + self.length) + y * (4 * m * m / 3)))
