"""Muskingum-Cunge routing with parameters that follow the flow (Cunge 1969; Todini 2007)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, ClassVar, Literal, Self

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Asked, Derivation, Doubtful
from tarnwater.parameters import Setting, parameter
from tarnwater.reckoning import Reckoning
from tarnwater.routing.channels import AnySection, Trapezoid
from tarnwater.routing.reaches.routed import Routed
from tarnwater.routing.reaches.routing import Routing

SOURCE = "Cunge (1969); Ponce and Yevjevich (1978); Todini (2007), Hydrology and Earth System Sciences 11"

#: Depths of the table of uniform flow, the range of these in units of the depth of the section, and least celerity in
#: units of the velocity.
DEPTHS, SHALLOWEST, DEEPEST, LEAST = 160, 1e-3, 12.0, 0.3

#: Most sub-steps of a step, and most parts that are derived.
MOST_SUBSTEPS, MOST_PARTS = 200, 300

_NOTHING = np.empty((0, 0))

#: Flows of the nodes (case, part + 1) m3/s, and the two coefficients of the parts (case, part).
Held = tuple[Floats, Floats, Floats]


@dataclass(frozen=True, eq=False)
class UniformTable:
    """Uniform flow of a section on a slope by rising flow: m3/s, m/s, m/s and m, (entry,)."""

    flows: Floats
    velocities: Floats
    celerities: Floats
    widths: Floats


class MuskingumCunge(Routing):
    """A section, a slope and a length: celerity and attenuation follow from the flow at each time and place."""

    method: Literal["muskingum-cunge"] = "muskingum-cunge"
    section: AnySection = Trapezoid()
    channel_length: Setting[float] = parameter(
        "length", "length of the channel", label="channel length", symbol="L", above=0, most=1e7, usual=(10, 1e6),
        source="the reach", default=Setting[float](),
    )  # fmt: skip
    bed_slope: Setting[float] = parameter(
        "slope", "slope of its bed", label="bed slope", symbol="S0", above=0, most=1, usual=(1e-5, 0.1),
        source="the reach", default=Setting[float](),
    )  # fmt: skip
    reference_flow: Setting[float] = parameter(
        "flow", "flow for which the parts are derived", label="reference flow", symbol="Qr", above=0, most=1e6,
        source="uniform flow at half the depth of the section", default=Setting[float](),
    )  # fmt: skip
    parts: Setting[int] = parameter(
        "count", "parts of the channel", label="number of subreaches", symbol="N", least=1, most=1000,
        source="Ponce and Yevjevich (1978): parts of at most (c Δt + Q / (B S0 c)) / 2", default=Setting[int](),
    )  # fmt: skip
    parts_at_step: float = parameter(
        "time", "the step for which the number of parts was derived", label="step of the subreaches", above=0,
        source="the parts belong to the reach; they stay when the run's step changes", default=300.0,
    )  # fmt: skip

    columns: ClassVar[Mapping[str, str]] = {"bed_slope": "S0", "parts": "parts"}
    title: ClassVar[str] = "Muskingum-Cunge"
    equation: ClassVar[str] = (
        "S = Δt [(1 − D) I + (1 + D) O] / (2 C), C = V Δt/Δx, D = Q / (β B S0 c Δx), at the mean flow"
    )
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = (
        "volume to 1e-9; a fine kinematic solution on a steep bed; the celerity of uniform flow; balance and cut runs"
    )
    needs: ClassVar[Mapping[str, str]] = {
        "channel_length": "Type it, or the length of the reach.",
        "bed_slope": "Type a slope above zero, or that of the reach.",
    }

    def refreshed(self, length: float | None, celerity: float | None, slope: float | None = None) -> Self:
        """A copy with length and slope of its reach, and with its parts."""
        anew = self.model_copy(
            update={
                "channel_length": self.channel_length.with_derived(length or None),
                "bed_slope": self.bed_slope.with_derived(slope if slope and slope > 0 else None),
            }
        )
        if anew.channel_length.value is None or anew.bed_slope.value is None:
            return anew
        half = float(self.section.normal_flow(np.array(0.5 * self.section.depth), anew.bed_slope.value))
        anew = anew.model_copy(update={"reference_flow": self.reference_flow.with_derived(half)})
        return anew.model_copy(update={"parts": self.parts.with_derived(anew._proposed_parts())})

    def _at_reference(self) -> tuple[float, float]:
        """Celerity (m/s) and Q / (B S0 c) (m) at the reference flow."""
        table, flow = self.table, self.reference_flow.known
        celerity = float(np.interp(flow, table.flows, table.celerities))
        width = float(np.interp(flow, table.flows, table.widths))
        return celerity, flow / (width * self.bed_slope.known * celerity)

    def _proposed_parts(self) -> int:
        celerity, spread = self._at_reference()
        longest = 0.5 * (celerity * self.parts_at_step + spread)
        return int(min(max(np.ceil(self.channel_length.known / longest - 1e-9), 1), MOST_PARTS))

    @cached_property
    def table(self) -> UniformTable:
        """Uniform flow by rising flow; a closed pipe ends where it carries most."""
        section, slope = self.section, self.bed_slope.known
        deepest = section.depth * (0.93 if section.closed else DEEPEST)
        depths = np.geomspace(SHALLOWEST * section.depth, deepest, DEPTHS)
        area, flow = section.area(depths), section.normal_flow(depths, slope)
        rising = np.concatenate([[True], flow[1:] > np.maximum.accumulate(flow)[:-1]])
        area, flow, width = area[rising], flow[rising], section.width(depths)[rising]
        velocity = flow / area
        return UniformTable(flow, velocity, np.maximum(np.gradient(flow, area), LEAST * velocity), width)

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

    def memory(self) -> float:
        """Time in which a wave of a tenth of the reference flow goes through, s."""
        celerity = np.interp(0.1 * self.reference_flow.known, self.table.flows, self.table.celerities)
        return 1.5 * self.channel_length.known / float(celerity)

    def doubts(self, steps: Sequence[float]) -> list[Doubtful]:
        """A flow for which the parts were derived that a closed pipe cannot carry."""
        if self.missing() or not self.section.closed:
            return []
        most = float(self.table.flows[-1])
        text = "the pipe carries at most {0} without pressure; greater flows are routed as that one."
        return [Doubtful("pipe-carries-at-most", "note", text, figures=((most, "flow"),))]

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """Length and slope of the reach, the reference flow of the section, and the parts by the criterion."""
        if name in ("channel_length", "bed_slope"):
            around = asked.around("length", "m") if name == "channel_length" else asked.around("slope")
            symbol = "L" if name == "channel_length" else "S0"
            return Derivation(f"{symbol} = that of the reach", "the reach", (around,), float)
        if name == "reference_flow":
            slope = asked.own("bed_slope")
            half = 0.5 * self.section.depth
            return Derivation(
                "Qr = K(H/2) √S0", "Manning (1891)", (slope,),
                lambda s: float(self.section.normal_flow(np.array(half), s)),
            )  # fmt: skip
        if name == "parts":
            names = ("channel_length", "bed_slope", "reference_flow", "parts_at_step")
            inputs = tuple(asked.own(one) for one in names)

            def proposed(length: float, slope: float, flow: float, step: float) -> int:
                typed = {"channel_length": length, "bed_slope": slope, "reference_flow": flow, "parts_at_step": step}
                return self.with_values(tuple(typed), tuple(typed.values()))._proposed_parts()

            return Derivation("N = L / [(c Δt + Qr / (B S0 c)) / 2], rounded up", SOURCE, inputs, proposed)
        return None

    def routed(self, inflow: Reckoning, asked: Asked) -> Derivation:
        """The derivation of the outflow from inflow, length, slope, section and parts."""
        names = ("channel_length", "bed_slope", "reference_flow", "parts")
        own = tuple(asked.own(name) for name in names)

        def route(into: Hydrograph, *values: Any) -> Hydrograph:
            return self.with_values(names, values).route(into).hydrograph

        return Derivation(self.equation, SOURCE, (inflow, *own), route)
