"""A pipe or a culvert under a road: the headwater of a flow, and the size that keeps it below a level."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tarnwater.errors import BadInput
from tarnwater.routing.works.conduit import Conduit, RoundPipe
from tarnwater.routing.works.made import MADE_PIPES
from tarnwater.routing.works.weir import BroadWeir
from tarnwater.units import Quantity

#: Most barrels that are tried side by side.
MOST_BARRELS = 6

#: Share of a flow to which what passes is found.
CLOSE = 1e-10


@dataclass(frozen=True)
class CulvertCheck:
    """A culvert with a flow: what goes through and over the road (m3/s), and the levels before it (m).

    ``by_inlet`` and ``by_outlet`` are the headwaters of what goes through, of which the higher governs. ``velocity`` is
    that in the full barrel where it runs full, else at critical depth, m/s.
    """

    level: float
    by_inlet: float
    by_outlet: float
    through: float
    over_road: float
    velocity: float

    @property
    def control(self) -> str:
        """What governs the headwater."""
        return "inlet" if self.by_inlet >= self.by_outlet else "outlet"


def culvert_check(
    barrel: Conduit, flow: float, behind: float | None = None, road: BroadWeir | None = None
) -> CulvertCheck:
    """A culvert with a flow (m3/s), a level behind it (m; free without one) and a road over it.

    Where the headwater would be above the road, the flow is shared: both have one level before them.
    """
    from scipy.optimize import brentq

    tail = np.array([barrel.outlet if behind is None else max(behind, barrel.outlet)])
    through = flow
    level = _level_of(barrel, flow, tail)
    if road is not None and level > road.crest:

        def spare(part: float) -> float:
            return part + _over(road, _level_of(barrel, part, tail), tail) - flow

        through = float(brentq(spare, 0.0, flow, xtol=CLOSE * flow, rtol=CLOSE))
        level = _level_of(barrel, through, tail)
    by_inlet, by_outlet = barrel.headwaters_apart(np.array([through]), tail)
    own = barrel.barrel
    critical = float(own.critical(np.array([through / barrel.barrels]))[0])
    depth = own.height if level - barrel.bottom > 1.2 * own.height else max(critical, 1e-6)
    area = float(own.area(np.array([min(depth, own.height)]))[0])
    return CulvertCheck(
        level, float(by_inlet[0]), float(by_outlet[0, 0]), through, flow - through, through / barrel.barrels / area
    )


def _level_of(barrel: Conduit, flow: float, tail: np.ndarray) -> float:
    return float(barrel.headwaters(np.array([flow]), tail)[0, 0])


def _over(road: BroadWeir, level: float, tail: np.ndarray) -> float:
    return float(road.flow(np.array([level]), tail)[0])


def sized_culvert(
    barrel: Conduit, flow: float, allowed: float, behind: float | None = None, road: BroadWeir | None = None,
    made: Sequence[float] = MADE_PIPES,
) -> Conduit:  # fmt: skip
    """The smallest made size, with the fewest barrels, whose headwater stays at or below a level (m).

    A box keeps the ratio of its sides. Raises `BadInput` where none does, with the best that there is.
    """
    name = "diameter" if "diameter" in type(barrel).model_fields else "height"
    best: tuple[float, Conduit] | None = None
    for barrels in range(1, MOST_BARRELS + 1):
        for size in sorted(made):
            update: dict[str, float | int] = {name: size, "barrels": barrels}
            if name == "height":
                update["width"] = size * getattr(barrel, "width", size) / barrel.barrel.height
            tried = barrel.model_copy(update=update)
            level = culvert_check(tried, flow, behind, road).level
            if level <= allowed + 1e-9:
                return tried
            if best is None or level < best[0]:
                best = level, tried
    assert best is not None
    raise BadInput(
        f"no size that is made keeps {{}} below {{}}: {MOST_BARRELS} of the largest stand at {{}}.",
        values=(Quantity(flow, "flow", 4), Quantity(allowed, "height", 5), Quantity(best[0], "height", 5)),
        where=barrel.sign, remedy="Allow a higher headwater, lower the inlet, or let the road be flowed over.",
    )  # fmt: skip


def pipe_running_full(pipe: RoundPipe, flow: float, made: Sequence[float] = MADE_PIPES) -> RoundPipe:
    """The smallest made diameter of one pipe that carries a flow (m3/s) full on its own slope (`full_flow`).

    Raises `BadInput` for a pipe that does not fall, and where the largest carries less.
    """
    if pipe.barrel.fall <= 0:
        raise BadInput("the pipe does not fall.", where=pipe.sign, remedy="Give it a slope above zero.")
    for size in sorted(made):
        tried = pipe.model_copy(update={"diameter": size, "barrels": 1})
        if full_flow(tried) >= flow:
            return tried
    raise BadInput(
        "no pipe that is made carries {} full on its slope: the largest carries {}.",
        values=(Quantity(flow, "flow", 4), Quantity(full_flow(tried), "flow", 4)), where=pipe.sign,
        remedy="Give it more slope, or several barrels with an allowed headwater.",
    )  # fmt: skip


def full_flow(barrel: Conduit) -> float:
    """The flow of the full barrels on their own slope by Manning's equation, m3/s; none where they do not fall."""
    own = barrel.barrel
    if own.fall <= 0:
        return 0.0
    top = np.array([own.height])
    area = float(own.area(top)[0])
    wetted = np.pi * own.height if own.width is None else 2 * (own.height + own.width)
    radius = area / wetted
    return float(barrel.barrels * area * radius ** (2 / 3) * np.sqrt(own.fall / own.length) / own.roughness)


__all__ = ["CulvertCheck", "culvert_check", "full_flow", "pipe_running_full", "sized_culvert"]
