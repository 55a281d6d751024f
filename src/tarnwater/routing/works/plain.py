"""The flows of devices level by level in plain NumPy, for those that have no numbers."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.routing.works.device import Device
from tarnwater.routing.works.orifice import RoundOrifice
from tarnwater.routing.works.riser import Riser

if TYPE_CHECKING:
    from tarnwater.routing.works.outlets import Outlets


#: Room about a level inside, m, within which a rating may jump.
CLOSE = 2e-10


class PlainOutlets:
    """The devices of a pond up to a level (m); the level inside a riser is searched for at all levels together."""

    def __init__(self, outlets: Outlets, highest: float) -> None:
        self._outlets = outlets
        outer = [one.outlet for one in outlets.devices if isinstance(one, Riser) and one.outlet is not None]
        self._alone = {id(one): one.steady(highest) for one in (*outlets.devices, *outer)}

    def flow(self, device: Device, level: Floats, behind: Floats) -> Floats:
        """Flow (m3/s) by a device, at levels before and behind it (m)."""
        if isinstance(device, Riser):
            inside = self.level_inside(device, level, behind)
            return _between(self.enters(device, level, inside), partial(self.leaves, device), inside, behind)
        return self._alone[id(device)](level, behind)

    def level_inside(self, riser: Riser, level: Floats, behind: Floats) -> Floats:
        """The level (m) inside a riser at which what enters is what leaves it."""
        outlet = riser.outlet
        floor = behind if outlet is None else np.maximum(behind, outlet.invert)
        low = np.minimum(floor, level)

        def gained(inside: Floats, level: Floats, behind: Floats) -> Floats:
            return self.enters(riser, level, inside) - self.leaves(riser, inside, behind)

        return _root(gained, low, np.asarray(level, float), level, behind)

    def enters(self, riser: Riser, level: Floats, inside: Floats) -> Floats:
        """Flow (m3/s) into a riser over its crest and by the devices inside it."""
        found = self._alone[id(riser)](level, inside)
        for one in self._outlets.inside(riser):
            found = found + self.flow(one, level, inside)
        return found

    def leaves(self, riser: Riser, inside: Floats, behind: Floats) -> Floats:
        """Flow (m3/s) through the outlet of a riser, and the plate over it."""
        outlet = riser.outlet
        if outlet is None:
            return np.zeros(np.shape(inside))
        out = self._alone[id(outlet)]
        if riser.plate.value is None:
            return out(inside, behind)
        plate = RoundOrifice(bottom=outlet.invert, diameter=riser.plate.value)

        def gained(between: Floats, inside: Floats, behind: Floats) -> Floats:
            return plate.flow(inside, between) - out(between, behind)

        low = np.minimum(np.maximum(behind, outlet.invert), inside)
        found = _root(gained, low, inside, inside, behind)
        return _between(plate.flow(inside, found), out, found, behind)


def _between(entering: Floats, leaves: Callable[..., Floats], inside: Floats, behind: Floats) -> Floats:
    """What enters, which says which flow it is where the rating of an outlet jumps; else what leaves at the level."""
    found: Floats = np.clip(entering, leaves(inside - CLOSE, behind), leaves(inside + CLOSE, behind))
    return found


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
