"""What reach methods have in common that route through a section on a slope."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar, Self

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Asked, Derivation, Doubtful
from tarnwater.parameters import Setting, parameter
from tarnwater.routing.channels import AnySection, Trapezoid
from tarnwater.routing.reaches.routing import Routing

#: Depths of the table of uniform flow, the range of these in units of the depth of the section, and least celerity in
#: units of the velocity.
DEPTHS, SHALLOWEST, DEEPEST, LEAST = 640, 1e-3, 12.0, 0.3

#: Most parts that are derived.
MOST_PARTS = 300


@dataclass(frozen=True, eq=False)
class UniformTable:
    """Uniform flow of a section on a slope by rising flow: m3/s, m, m2, m/s, m/s and m, (entry,)."""

    flows: Floats
    depths: Floats
    areas: Floats
    velocities: Floats
    celerities: Floats
    widths: Floats


class ChannelRouting(Routing):
    """A section, a slope and a length, divided into parts that belong to the reach."""

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
        source="the reach, the reference flow and the step", default=Setting[int](),
    )  # fmt: skip
    parts_at_step: float = parameter(
        "time", "the step for which the number of parts was derived", label="step of the subreaches", above=0,
        source="the parts belong to the reach; they stay when the run's step changes", default=300.0,
    )  # fmt: skip

    columns: ClassVar[Mapping[str, str]] = {"bed_slope": "S0", "parts": "parts"}
    needs: ClassVar[Mapping[str, str]] = {
        "channel_length": "Type it, or the length of the reach.",
        "bed_slope": "Type a slope above zero, or that of the reach.",
    }

    #: Equation of the number of parts, and its source.
    parts_equation: ClassVar[str]
    parts_source: ClassVar[str]

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

    def _longest_part(self) -> float:
        """Longest part that its scheme takes well, m."""
        raise NotImplementedError

    def _proposed_parts(self) -> int:
        return int(min(max(np.ceil(self.channel_length.known / self._longest_part() - 1e-9), 1), MOST_PARTS))

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
        return UniformTable(
            flow, depths[rising], area, velocity, np.maximum(np.gradient(flow, area), LEAST * velocity), width
        )

    def depth_of(self, flow: Floats) -> Floats:
        """Depth of uniform flow, m, straight between the depths of the table and up to the last of them."""
        flows, depths = np.append(0.0, self.table.flows), np.append(0.0, self.table.depths)
        found: Floats = np.interp(flow, flows, depths)
        return found

    def _at_reference(self) -> tuple[float, float]:
        """Celerity (m/s) and Q / (B S0 c) (m) at the reference flow."""
        table, flow = self.table, self.reference_flow.known
        celerity = float(np.interp(flow, table.flows, table.celerities))
        width = float(np.interp(flow, table.flows, table.widths))
        return celerity, flow / (width * self.bed_slope.known * celerity)

    def memory(self) -> float:
        """Time in which a wave of a tenth of the reference flow goes through, s."""
        celerity = np.interp(0.1 * self.reference_flow.known, self.table.flows, self.table.celerities)
        return 1.5 * self.channel_length.known / float(celerity)

    def doubts(self, steps: Sequence[float]) -> list[Doubtful]:
        """A flow for which the parts were derived that a closed pipe cannot carry."""
        if self.missing() or not self.section.closed:
            return []
        most = float(self.table.flows[-1])
        full = float(self.section.normal_flow(np.array(self.section.depth), self.bed_slope.known))
        text = (
            "the pipe carries at most {0} without pressure; greater flows are routed as that one. From {1}, which it "
            "carries when full, up to that, it may run at two depths; the lower is taken."
        )
        return [Doubtful("pipe-carries-at-most", "note", text, figures=((most, "flow"), (full, "flow")))]

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

            return Derivation(self.parts_equation, self.parts_source, inputs, proposed)
        return None
