"""The devices of a pond as arrays for the compiled loop over levels."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from tarnwater.arrays import Floats, Integers
from tarnwater.routing.works.codes import NUMBERS, Coded
from tarnwater.routing.works.device import Device
from tarnwater.routing.works.orifice import COARSE, FINE, RoundOrifice, quadrature
from tarnwater.routing.works.riser import Riser

if TYPE_CHECKING:
    from tarnwater.routing.works.outlets import Outlets

#: Columns of the relations of a device: the first inside it, the next beside it, its outlet, and the plate over that.
FIRST, NEXT, OUTLET, PLATE = range(4)

#: Shares of the depth and weights of the quadratures over a round opening, the fine one first.
ANGLES = np.ascontiguousarray(np.hstack([quadrature(FINE), quadrature(COARSE)]))


class CompiledOutlets:
    """The devices of a pond as numbers, each with what is inside it, at some levels behind them (m).

    `rows` are the rows of the outer devices. `ready` is False if a device has no numbers.
    """

    def __init__(self, outlets: Outlets, behind: Floats, highest: float) -> None:
        self.ready = True
        self._coded: list[Coded] = []
        self._inverts: list[float] = []
        self._parts: list[list[int]] = []
        self._of: dict[int, int] = {}
        self._outlets, self._highest = outlets, highest
        self.rows = [self._add(one, behind) for one in outlets.outer]

    def _add(self, device: Device, behind: Floats | None) -> int:
        """The row of a device, with rows for what is inside it; behind that is the level inside, which may be any."""
        row = self._code(device, behind)
        self._of[id(device)] = row
        if not isinstance(device, Riser) or device.outlet is None:
            return row
        self._parts[row][OUTLET] = self._code(device.outlet, behind if device.plate.value is None else None)
        if device.plate.value is not None:
            plate = RoundOrifice(bottom=device.outlet.invert, diameter=device.plate.value)
            self._parts[row][PLATE] = self._code(plate, None)
        before = -1
        for one in self._outlets.inside(device):
            inner = self._add(one, None)
            if before == -1:
                self._parts[row][FIRST] = inner
            else:
                self._parts[before][NEXT] = inner
            before = inner
        return row

    def _code(self, device: Device, behind: Floats | None) -> int:
        coded = device.coded(behind, self._highest)
        self.ready = self.ready and coded is not None
        self._coded.append(coded or Coded(0, ()))
        self._inverts.append(device.invert)
        self._parts.append([-1] * 4)
        return len(self._coded) - 1

    def row_of(self, device: Device) -> int:
        """The row of a device of the pond."""
        return self._of[id(device)]

    def _arrays(self) -> tuple[Integers, Floats, Integers, Floats]:
        numbers, tables, place = np.zeros((len(self._coded), NUMBERS + 1)), [np.empty(0)], 0
        for row, one in enumerate(self._coded):
            numbers[row, : len(one.numbers)] = one.numbers
            if one.table.size:
                numbers[row, one.place] = place
                tables.append(one.table)
                place += one.table.size
        numbers[:, NUMBERS] = self._inverts
        codes = np.array([one.code for one in self._coded])
        return codes, numbers, np.array(self._parts).reshape(-1, 4), np.concatenate(tables)

    def flows(self, rows: list[int], level: Floats, behind: Floats) -> tuple[Floats, Floats]:
        """Flows (row, level) m3/s of devices by their rows, and levels (device, level) m inside the risers."""
        from tarnwater.routing.works import _kernels as kernels

        found, inside = np.zeros((len(rows), level.size)), np.empty((len(self._coded), level.size))
        if rows:
            kernels.outlet_flows(level, behind, np.array(rows), *self._arrays(), ANGLES, found, inside)
        return found, inside
