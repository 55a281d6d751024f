"""The devices of a pond together: what contains what, and their flows at a level."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.routing.works.device import Device
from tarnwater.routing.works.orifice import RoundOrifice
from tarnwater.routing.works.riser import Riser


class Outlets:
    """The open devices of a pond, each inside a riser or on its own.

    A device inside a riser feels the level there. That level, where what enters is what the outlet lets through, is
    found anew at every level of the pond, to any depth of nesting.
    """

    def __init__(self, devices: Sequence[Device]) -> None:
        self.devices = tuple(one for one in devices if not one.closed)

    @cached_property
    def outer(self) -> tuple[Device, ...]:
        """Devices that are inside no riser."""
        risers = {one.name for one in self.devices if isinstance(one, Riser)}
        return tuple(one for one in self.devices if not one.inside or one.inside not in risers)

    def inside(self, riser: Riser) -> list[Device]:
        """Devices that discharge into a riser."""
        return [one for one in self.devices if one.inside and one.inside == riser.name]

    @cached_property
    def invert(self) -> float:
        """The lowest level at which one of them lets water out, m; infinite without devices."""
        return min((self._opens(one) for one in self.outer), default=np.inf)

    def _opens(self, device: Device) -> float:
        """The level of a pond at which a device begins to let water out of it."""
        if not isinstance(device, Riser):
            return device.invert
        if device.outlet is None:
            return np.inf
        first = min([device.crest, *(self._opens(one) for one in self.inside(device))])
        return max(first, device.outlet.invert)

    @cached_property
    def bends(self) -> tuple[float, ...]:
        """Levels at which the flow of one of them is not smooth, m."""
        outlets = [one.outlet for one in self.devices if isinstance(one, Riser) and one.outlet is not None]
        return tuple(sorted({level for one in (*self.devices, *outlets) for level in one.bends}))

    def flow(self, device: Device, level: Floats, behind: Floats) -> Floats:
        """Flow (m3/s) out of the pond by one of the outer devices, at levels before and behind it (m)."""
        if isinstance(device, Riser):
            return self._leaves(device, self.level_inside(device, level, behind), behind)
        return device.flow(level, behind)

    def level_inside(self, riser: Riser, level: Floats, behind: Floats) -> Floats:
        """The level (m) inside a riser at which what enters is what leaves it."""
        outlet = riser.outlet
        floor = behind if outlet is None else np.maximum(behind, outlet.invert)
        low = np.minimum(floor, level)

        def gained(inside: Floats, level: Floats, behind: Floats) -> Floats:
            return self.enters(riser, level, inside) - self._leaves(riser, inside, behind)

        return _root(gained, low, np.asarray(level, float), level, behind)

    def enters(self, riser: Riser, level: Floats, inside: Floats) -> Floats:
        """Flow (m3/s) into a riser over its crest and by the devices inside it."""
        found = riser.flow(level, inside)
        for one in self.inside(riser):
            found = found + self.flow(one, level, inside)
        return found

    def _leaves(self, riser: Riser, inside: Floats, behind: Floats) -> Floats:
        """Flow (m3/s) through the outlet of a riser, and the plate over it."""
        outlet = riser.outlet
        if outlet is None:
            return np.zeros(np.shape(inside))
        if riser.plate.value is None:
            return outlet.flow(inside, behind)
        plate = RoundOrifice(bottom=outlet.invert, diameter=riser.plate.value)

        def gained(between: Floats, inside: Floats, behind: Floats) -> Floats:
            return plate.flow(inside, between) - outlet.flow(between, behind)

        low = np.minimum(np.maximum(behind, outlet.invert), inside)
        return outlet.flow(_root(gained, low, inside, inside, behind), behind)


def _root(gained: Callable[..., Floats], low: Floats, high: Floats, *given: Floats) -> Floats:
    """Levels between ``low`` and ``high`` at which nothing is gained.

    At ``low`` nothing leaves and at ``high`` nothing enters, so there is one between them.
    """
    from scipy.optimize import elementwise

    low, high, *rest = np.broadcast_arrays(low, high, *given)
    found = np.array(high, float)
    # between equal levels there is nothing to find
    apart = high > low
    if apart.any():
        some = [one[apart] for one in rest]
        tolerances = {"xatol": 0.0, "xrtol": 1e-15, "fatol": 0.0, "frtol": 0.0}
        root = elementwise.find_root(gained, (low[apart], high[apart]), args=tuple(some), tolerances=tolerances)
        # without a change of sign nothing enters: then the level inside stands at the lower end
        found[apart] = np.where(root.status == -1, low[apart], root.x)
    return found
