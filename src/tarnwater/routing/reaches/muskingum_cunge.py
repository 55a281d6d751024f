"""Muskingum-Cunge routing with parameters that follow the flow (Cunge 1969; Todini 2007)."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Asked, Derivation
from tarnwater.reckoning import Reckoning
from tarnwater.routing.reaches.channelled import ChannelRouting
from tarnwater.routing.reaches.routed import Routed

SOURCE = "Cunge (1969); Ponce and Yevjevich (1978); Todini (2007), Hydrology and Earth System Sciences 11"

#: Most sub-steps of a step.
MOST_SUBSTEPS = 200

_NOTHING = np.empty((0, 0))

#: Flows of the nodes (case, part + 1) m3/s, and the two coefficients of the parts (case, part).
Held = tuple[Floats, Floats, Floats]


class MuskingumCunge(ChannelRouting):
    """A section, a slope and a length: celerity and attenuation follow from the flow at each time and place."""

    method: Literal["muskingum-cunge"] = "muskingum-cunge"
    parts_equation: ClassVar[str] = "N = L / [(c Δt + Qr / (B S0 c)) / 2], rounded up"
    parts_source: ClassVar[str] = "Ponce and Yevjevich (1978)"
    title: ClassVar[str] = "Muskingum-Cunge"
    equation: ClassVar[str] = (
        "S = Δt [(1 − D) I + (1 + D) O] / (2 C), C = V Δt/Δx, D = Q / (β B S0 c Δx), at the mean flow"
    )
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "volume to 1e-9; a fine kinematic solution on a steep bed; the celerity of uniform flow; balance and cut runs"
    )

    def _longest_part(self) -> float:
        """Half of the way of a wave in a step and of the length over which it spreads, m."""
        celerity, spread = self._at_reference()
        return 0.5 * (celerity * self.parts_at_step + spread)

    def substeps(self, step: float) -> int:
        """Sub-steps of a step (s), so that a wave of the reference flow goes through about one part in each."""
        celerity, _ = self._at_reference()
        wanted = step * celerity * self.parts.known / self.channel_length.known
        return int(min(max(np.ceil(wanted - 1e-9), 1), MOST_SUBSTEPS))

    def route(self, inflow: Hydrograph, state: Held | None = None, out: Floats | None = None) -> Routed:
        """Route inflow; without a state the channel begins in steady flow with its first inflow."""
        from tarnwater.routing.reaches import _kernels as kernels

        cases, ordinates = inflow.flow.shape
        parts, step, substeps = self.parts.known, inflow.step, self.substeps(inflow.step)
        dx, slope, table = self.channel_length.known / parts, self.bed_slope.known, self.table
        tables = table.flows, table.velocities, table.celerities, table.widths
        nodes = np.repeat(inflow.flow[:, :1], parts + 1, axis=1) if state is None else state[0].copy()
        courants, spreads = np.empty((cases, parts)), np.empty((cases, parts))
        if state is None:
            kernels.coefficients_kernel(nodes[:, :-1].copy(), step / substeps, dx, slope, *tables, courants, spreads)
        else:
            # the first coefficient goes with the sub-step, which another run may have cut in another way
            courants, spreads = state[1] * (step / substeps), state[2].copy()
        start = self._stored(nodes, courants, spreads, step / substeps)
        flow, uneven = np.empty((cases, ordinates)), np.empty((cases, ordinates - 1))
        beyond = _NOTHING if inflow.uneven is None else np.ascontiguousarray(inflow.uneven)
        kernels.muskingum_cunge_kernel(
            np.ascontiguousarray(inflow.flow), beyond, step, substeps, dx, slope, *tables, nodes, courants, spreads,
            flow,
            uneven,
        )  # fmt: skip
        if out is not None:
            out[...] = flow
            flow = out
        stored = self._stored(nodes, courants, spreads, step / substeps)
        held = nodes, courants / (step / substeps), spreads
        return Routed(Hydrograph(flow, step, uneven), start, stored, held)

    @staticmethod
    def _stored(nodes: Floats, courants: Floats, spreads: Floats, h: float) -> Floats:
        """Water in the channel, m3, (case,)."""
        parts = h * ((1 - spreads) * nodes[:, :-1] + (1 + spreads) * nodes[:, 1:]) / (2 * courants)
        found: Floats = parts.sum(axis=1)
        return found

    def routed(self, inflow: Reckoning, asked: Asked) -> Derivation:
        """The derivation of the outflow from inflow, length, slope, section and parts."""
        names = ("channel_length", "bed_slope", "reference_flow", "parts")
        own = tuple(asked.own(name) for name in names)

        def route(into: Hydrograph, *values: Any) -> Hydrograph:
            return self.with_values(names, values).route(into).hydrograph

        return Derivation(self.equation, SOURCE, (inflow, *own), route)
