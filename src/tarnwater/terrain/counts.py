"""What is counted of an area on a terrain."""

from __future__ import annotations

from tarnwater.parameters import Model


class Counts(Model):
    """What was counted of an area on the terrain, from which its measures follow.

    ``cells`` of ``cell_width`` by ``cell_height`` m; ``edges`` between inside and outside, as long as the width and as
    the height of a cell, None for an outline that was given; ``steps`` of the longest path over the width, over the
    height and from corner to corner; ``highest`` and ``lowest`` raw ground, m; ``streams``, their length in m, None
    without a threshold; ``above_middle``, the length of the path from its head to its place nearest to the middle, m.
    """

    cells: int
    cell_width: float
    cell_height: float
    edges: tuple[int, int] | None = None
    steps: tuple[int, int, int]
    highest: float
    lowest: float
    streams: float | None = None
    above_middle: float

    @property
    def area(self) -> float:
        """Area of the cells, m2."""
        return self.cells * (self.cell_width * self.cell_height)

    @property
    def perimeter(self) -> float | None:
        """Length of the edges, m; None for an outline that was given."""
        return None if self.edges is None else self.edges[0] * self.cell_width + self.edges[1] * self.cell_height

    @property
    def relief(self) -> float:
        """Highest less lowest ground, m."""
        return self.highest - self.lowest

    @property
    def drainage_density(self) -> float | None:
        """Length of the streams over the area, m/m2; None where one of them is not known."""
        return None if self.streams is None or not self.cells else self.streams / self.area
