"""How the excess of a surface runs off: with the catchment, or by itself."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, ClassVar, Literal, Self

from tarnwater.methods import Asked, Derivation, Doubtful, Method, Missing, OneOf
from tarnwater.parameters import Setting, parameter
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.timing import ByHand, DerivedTime, Measures, TimingMethod, lag_of_concentration, slope_in_use
from tarnwater.runoff.transforms import NrcsUnitHydrograph, TransformMethod


class SurfaceRoute(Method):
    """How the excess of a surface runs off. Its surroundings are the measures of the catchment and the step."""

    kind: ClassVar[str] = "way of runoff"

    #: Whether the surface has a timing and a transform of its own.
    apart: ClassVar[bool] = False

    def refreshed(self, around: Measures) -> Self:
        """A copy with its values derived again; ``around`` are the measures of the catchment for this surface."""
        return self


class WithCatchment(SurfaceRoute):
    """The excess runs off with that of the other surfaces, by the timing and the transform of the catchment."""

    method: Literal["with-catchment"] = "with-catchment"

    title: ClassVar[str] = "with the catchment"
    equation: ClassVar[str] = "its excess adds to that of the others"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "balances on random networks"


class ByItself(SurfaceRoute):
    """The excess runs off by a timing and a transform of its own, on the area of the surface."""

    method: Literal["by-itself"] = "by-itself"
    lag: Setting[float] = parameter(
        "time", "lag of the surface", label="lag of the surface", symbol="tL", above=0, most=366 * 86400,
        usual=(60, 5 * 86400), source="its timing", default=Setting[float](),
    )  # fmt: skip
    flow_length: Setting[float] = parameter(
        "length", "length of the flow over the surface", label="flow length of the surface", symbol="L", above=0,
        most=1e8, usual=(5, 2e5), source="that of the catchment", default=Setting[float](),
    )  # fmt: skip
    slope: Setting[float] = parameter(
        "slope", "slope of the flow over the surface", label="slope of the surface", symbol="S", least=0,
        usual=(1e-4, 1.0), source="that of the catchment", default=Setting[float](),
    )  # fmt: skip
    timing: TimingMethod = ByHand()
    transform: TransformMethod = NrcsUnitHydrograph()

    title: ClassVar[str] = "by itself"
    equation: ClassVar[str] = "its flow, by its own timing and transform, adds to that of the others"
    source: ClassVar[str] = "superposition"
    verified: ClassVar[str] = "two catchments in place of two surfaces; balances and cut runs on random networks"

    apart: ClassVar[bool] = True

    def measures(self, around: Measures) -> Measures:
        """The measures for its timing: its own length and slope, and the rest of the catchment."""
        slope = slope_in_use(self.slope)
        return replace(around, flow_length=self.flow_length.value, path_slope=slope, mean_slope=slope)

    def refreshed(self, around: Measures) -> Self:
        """A copy with its length, slope, lag and transform derived again."""
        length = self.flow_length.with_derived(around.flow_length)
        slope = self.slope.with_derived(around.path_slope)
        anew = self.model_copy(update={"flow_length": length, "slope": slope})
        timing = self.timing.refreshed(anew.measures(around))
        found = timing.derive(anew.measures(around))
        lag = self.lag.with_derived(None if found is None else _lag_of(found))
        transform = self.transform.refreshed(lag.value)
        return anew.model_copy(update={"timing": timing, "lag": lag, "transform": transform})

    @property
    def lag_used(self) -> float:
        """The lag for its transform, s; 0 where that needs none and there is none."""
        return self.lag.known if self.transform.needs_lag else self.lag.value or 0.0

    @property
    def delay(self) -> float | None:
        """Time (s) from rain to flow by which a step is judged."""
        return self.lag.value if self.transform.needs_lag else self.transform.delay

    def missing(self) -> list[Missing]:
        """Its lag, where its transform needs one, and what its methods lack."""
        found = [one.within("timing") for one in self.timing.missing()] if self.lag.typed is None else []
        found += [one.within("transform") for one in self.transform.missing()]
        if self.lag.value is None and self.transform.needs_lag:
            found.append(Missing("lag", "Type it, or choose a timing of the surface and give what it needs."))
        return found

    def doubts(self, around: Measures, area: float | None, steps: Sequence[float]) -> list[tuple[str, Doubtful]]:
        """Doubts of its timing and its transform, by their field."""
        timed = [] if self.lag.typed is not None else self.timing.doubts(self.measures(around))
        found = [("timing", one) for one in timed]
        if self.lag.value or not self.transform.needs_lag:
            found += [("transform", one) for one in self.transform.doubts(area, self.lag_used, list(steps))]
        return found

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """Length and slope of the catchment, and the lag by its timing."""
        if name == "flow_length":
            return Derivation("L = that of the catchment", "the catchment", (asked.around("flow_length"),), float)
        if name == "slope":
            return Derivation("S = that of the catchment", "the catchment", (asked.around("path_slope"),), float)
        if name != "lag":
            return None
        timed = self.timing.time(asked.within("timing"))
        if self.timing.leading == "lag":
            return timed
        concentration = Reckoning(
            f"time of concentration of a surface of {asked.owner}", timed.evaluate(*(i.value for i in timed.inputs)),
            "time", symbol="Tc", equation=timed.equation, source=timed.source, inputs=timed.inputs,
            evaluate=timed.evaluate,
        )  # fmt: skip
        return Derivation("tL = 0.6 Tc", timed.source, (concentration,), lag_of_concentration)


def _lag_of(found: DerivedTime) -> float:
    seconds = float(found.seconds)
    return seconds if found.leads == "lag" else lag_of_concentration(seconds)


#: A field that holds a way of runoff.
AnyRoute = Annotated[SurfaceRoute, OneOf(SurfaceRoute, usual="with-catchment")]
