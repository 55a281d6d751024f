"""A cascade of equal linear reservoirs."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.methods import Asked, Derivation
from tarnwater.parameters import Setting, parameter
from tarnwater.runoff.transforms.instantaneous import LEFT_OUT, InstantaneousTransform, value_of

SOURCE = "Nash (1957), IAHS Publication 45"


def storage_of(lag: float, count: float) -> float:
    """Storage coefficient of each reservoir, any unit of time: the response peaks at (n - 1) K, which is the lag.

    A single reservoir peaks at once; its coefficient is the lag.
    """
    return lag / (count - 1) if count > 1 else lag


class Cascade(InstantaneousTransform):
    """Equal linear reservoirs one after another; their number may be a fraction.

    The storage coefficient follows from the lag, so that the response peaks after it.
    """

    method: Literal["cascade"] = "cascade"
    count: float = parameter(
        "factor", "number of reservoirs", label="number of reservoirs", symbol="n", least=1, most=100, usual=(1, 10),
        source=SOURCE, default=3.0,
    )  # fmt: skip
    storage: Setting[float] = parameter(
        "time", "storage coefficient of each reservoir", label="storage coefficient", symbol="K", above=0,
        most=366 * 86400, usual=(60, 10 * 86400), source=SOURCE, default=Setting[float](),
    )  # fmt: skip

    curve: ClassVar[str] = "gamma distribution"
    title: ClassVar[str] = "cascade of linear reservoirs"
    equation: ClassVar[str] = "S(t) = P(n, t / K), P the incomplete gamma function; K = tL / (n − 1)"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "the gamma distribution of SciPy; reservoirs in series by a fine-step solution"

    def refreshed(self, lag: float | None) -> Cascade:
        """A copy with its storage coefficient derived from the lag (s)."""
        storage = self.storage.with_derived(None if lag is None else storage_of(lag, self.count))
        return self if storage is self.storage else self.model_copy(update={"storage": storage})

    def _storage(self, lag: float) -> float:
        return value_of(self.storage, storage_of(lag, self.count))

    def left(self, times: Floats, lag: float) -> Floats:
        """S of times (s), the gamma distribution."""
        from scipy import special

        found: Floats = special.gammainc(self.count, np.maximum(times, 0.0) / self._storage(lag))
        return found

    def length(self, lag: float) -> float:
        """The time by which all but a millionth has left, s."""
        from scipy import special

        return float(special.gammainccinv(self.count, LEFT_OUT)) * self._storage(lag)

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """The derivation of its storage coefficient from the lag."""
        if name != "storage":
            return None
        equation = "K = tL / (n − 1)" if self.count > 1 else "K = tL"
        return Derivation(equation, SOURCE, (asked.around("lag"), asked.own("count")), storage_of)
