"""The devices of a pond together: what contains what, and their flows at a level."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.routing.works.compiled import CompiledOutlets
from tarnwater.routing.works.device import Device
from tarnwater.routing.works.plain import PlainOutlets
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

    def flows(self, level: Floats, behind: Floats) -> list[Floats]:
        """Flows (m3/s) out of the pond by each of the outer devices, at levels before and behind them (m)."""
        return self.solved(level, behind)[0]

    def levels_inside(self, level: Floats, behind: Floats) -> dict[str, Floats]:
        """Levels (m) inside each riser that lets water out, by its name, at levels before and behind the devices.

        Where a device has no numbers, of the outer risers only.
        """
        return self.solved(level, behind)[1]

    def solved(self, level: Floats, behind: Floats) -> tuple[list[Floats], dict[str, Floats]]:
        """Both: flows by the outer devices and levels inside the risers."""
        highest = _highest(level)
        risers = [one for one in self.devices if isinstance(one, Riser) and one.outlet is not None]
        compiled = CompiledOutlets(self, behind, highest)
        if compiled.ready:
            flows, inside = compiled.flows(compiled.rows, level, behind)
            return list(flows), {one.name: inside[compiled.row_of(one)] for one in risers}
        plain = PlainOutlets(self, highest)
        outer = [one for one in risers if one in self.outer]
        levels = {one.name: plain.level_inside(one, level, behind) for one in outer}
        return [plain.flow(one, level, behind) for one in self.outer], levels


def _highest(level: Floats) -> float:
    return float(level.max()) if level.size else 0.0
