"""The area of a catchment by travel time, and the zones of equal time on the map."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.network.elements import Catchment
from tarnwater.network.graph import Network
from tarnwater.plots import Axis, Bars, Curve, Plot
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.travels import grid_of, travels_of
from tarnwater.terrain.drainage import Drainage

#: Bins of travel time where the study has no step yet, and the most of them that are drawn.
BINS, MOST_BINS = 40, 400

#: Cells of a side of the picture of zones, at most.
SIDE = 900


@dataclass(frozen=True, eq=False)
class TravelPicture:
    """Travel times drawn: the area by time, and the times (row, column) s on the map, NaN outside the catchment.

    ``box`` is west, south, east and north of the grid; ``width`` s is that of a bin, ``time_unit`` s that of the axis.
    """

    plot: Plot
    times: Floats
    box: tuple[float, float, float, float]
    width: float
    time_unit: float

    def zone_at(self, at: float) -> int:
        """The bin at a position on the axis of time."""
        return int(at * self.time_unit // self.width)


def travel_picture(study: Study, network: Network, blobs: Blobs, drainage: Drainage, key: str) -> TravelPicture | None:
    """Area of a catchment by the travel time of its water to where it leaves; None where no ground lies in it."""
    travels = travels_of(network, blobs, drainage, key)
    element = network.elements.get(key)
    if travels is None or not isinstance(element, Catchment):
        return None
    found = travels.found
    # a bin is as wide as a step of the run, or as some of them
    step = study.run.step.value or max(units.round_up(found.longest / BINS), 60.0)
    width = step * max(1, int(np.ceil(found.longest / (MOST_BINS * step))))
    areas, system = found.histogram(width), study.units
    unit, time_unit = units.display_unit("area", float(areas.max()), system), units.display_unit("time", found.longest)
    wide, high = width / units.factor_of(time_unit, "time"), units.factor_of(unit, "area")
    speed = units.show(found.rule.reference, "speed", system, digits=3)
    told = [units.show(t, "time", system) for t in (found.longest, found.mean)]
    title = (
        f"Travel times in {element.name} · longest {told[0]} · mean {told[1]} · Vm {speed}"
        f"{'' if travels.fitted_to is None else ', fitted to the lag'} · {100 * found.limited:.1f} % of the time at a "
        f"limit ({found.at_least} cells at the least velocity, {found.at_most} at the greatest)"
    )
    axes = Axis("travel time to where the water leaves", time_unit, low=0.0), Axis("area", unit, low=0.0)
    left = np.arange(len(areas), dtype=np.float64) * wide
    bars = Bars(left, wide, areas / high, "water", "area by travel time")
    read = Curve(left + 0.5 * wide, areas / high, "water", f"in {units.show_duration(width)}", width=0.8)
    grid, (top, first, foot, last), _ = grid_of(travels, SIDE)
    ground = drainage.grid
    west, east = ground.west + first * ground.width, ground.west + last * ground.width
    north, south = ground.north - top * ground.height, ground.north - foot * ground.height
    plot = Plot(title, *axes, curves=(read,), bars=(bars,))
    return TravelPicture(plot, grid, (west, south, east, north), width, units.factor_of(time_unit, "time"))
