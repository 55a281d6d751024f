"""Reach methods with one travel time."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Self

from tarnwater.methods import Asked, Derivation
from tarnwater.parameters import Setting, parameter
from tarnwater.routing.reaches.routing import Routing

SOURCE = "Chow, Maidment and Mays (1988), Applied Hydrology, Section 8.4"


class Delayed(Routing):
    """Routing with a travel time, typed or from the celerity of the flood wave."""

    travel_time: Setting[float] = parameter(
        "time",
        "travel time of the flood wave",
        label="travel time",
        symbol="K",
        least=0,
        most=366 * 86400,
        usual=(60, 2 * 86400),
        source=SOURCE,
        default=Setting[float](),
    )

    needs: ClassVar[Mapping[str, str]] = {"travel_time": "Type it, or the celerity of the flood wave with the length."}

    def refreshed(self, length: float | None, celerity: float | None, slope: float | None = None) -> Self:
        """A copy with K derived from length (m) and celerity (m/s)."""
        k = None if length is None or celerity is None else length / celerity
        if length == 0:
            k = 0.0
        return self.model_copy(update={"travel_time": self.travel_time.with_derived(k)})

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """Travel time from length and celerity."""
        if name != "travel_time":
            return None
        inputs = asked.around("length", "m"), asked.around("celerity", "m/s")
        return Derivation("K = L / c", "definition of celerity", inputs, lambda length, c: length / c)
