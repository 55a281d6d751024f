"""Routing by the kinematic wave in a section on a slope."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Asked, Derivation
from tarnwater.reckoning import Reckoning
from tarnwater.routing.reaches.channelled import ChannelRouting
from tarnwater.routing.reaches.routed import Routed

SOURCE = "Lighthill and Whitham (1955); scheme: van Leer (1979), Journal of Computational Physics 32"

#: Least number of parts that is derived.
FEWEST_PARTS = 20

_NOTHING = np.empty((0, 0))


class KinematicWave(ChannelRouting):
    """Uniform flow at every place: a wave keeps its peak and steepens until it breaks.

    The peak that is lost besides comes from the length of the parts, and is said.
    """

    method: Literal["kinematic-wave"] = "kinematic-wave"

    keeps_peaks: ClassVar[bool] = True
    parts_equation: ClassVar[str] = "N = max(20, 2 L / (c Δt)), rounded up"
    parts_source: ClassVar[str] = "at least two parts to the way of a wave in a step"
    title: ClassVar[str] = "kinematic wave"
    equation: ClassVar[str] = (
        "∂A/∂t + ∂Q/∂x = 0, Q = K(A) √S0; conservative upwind of second order, sub-steps by Courant"
    )
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "the exact solution by characteristics, to which halved parts converge; balance to 1e-9; cut runs"
    )

    def _longest_part(self) -> float:
        """Half of the way of a wave in a step, m; never more than a twentieth of the channel."""
        celerity, _ = self._at_reference()
        return min(0.5 * celerity * self.parts_at_step, self.channel_length.known / FEWEST_PARTS)

    def route(self, inflow: Hydrograph, state: Floats | None = None, out: Floats | None = None) -> Routed:
        """Route inflow; the state is the water in each part, and in one more below the foot, (case, part + 1) m3.

        Without a state the channel begins in steady flow with its first inflow.
        """
        from tarnwater.routing.reaches import _kernels as kernels

        cases, ordinates = inflow.flow.shape
        parts, table = self.parts.known, self.table
        dx = self.channel_length.known / parts
        flows, areas = np.concatenate([[0.0], table.flows]), np.concatenate([[0.0], table.areas])
        slopes = np.append(np.diff(flows) / np.diff(areas), table.celerities[-1])
        held = self._steady(inflow.flow[:, 0], flows, areas, slopes, parts + 1) if state is None else state / dx
        start = dx * held[:, :-1].sum(axis=1)
        flow, uneven = np.empty((cases, ordinates)), np.empty((cases, ordinates - 1))
        beyond = _NOTHING if inflow.uneven is None else np.ascontiguousarray(inflow.uneven)
        kernels.kinematic_wave_kernel(
            np.ascontiguousarray(inflow.flow), beyond, inflow.step, dx, flows, areas, slopes,
            np.maximum.accumulate(slopes), held, flow, uneven,
        )  # fmt: skip
        if out is not None:
            out[...] = flow
            flow = out
        return Routed(Hydrograph(flow, inflow.step, uneven), start, dx * held[:, :-1].sum(axis=1), dx * held)

    @staticmethod
    def _steady(flow: Floats, flows: Floats, areas: Floats, slopes: Floats, parts: int) -> Floats:
        """Areas (case, part) m2 of steady flow (case,) m3/s."""
        area = np.interp(flow, flows, areas) + np.maximum(flow - flows[-1], 0.0) / slopes[-1]
        return np.repeat(area[:, None], parts, axis=1)

    def routed(self, inflow: Reckoning, asked: Asked) -> Derivation:
        """The derivation of the outflow from inflow, length, slope, section and parts."""
        names = ("channel_length", "bed_slope", "parts")
        own = tuple(asked.own(name) for name in names)

        def route(into: Hydrograph, *values: Any) -> Hydrograph:
            return self.with_values(names, values).route(into).hydrograph

        return Derivation(self.equation, SOURCE, (inflow, *own), route)
