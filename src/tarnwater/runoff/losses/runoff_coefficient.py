"""A runoff coefficient that goes by the return period of the storm."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.methods import Asked, Derivation, Missing
from tarnwater.parameters import Setting, parameter
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.losses.excess import Excess
from tarnwater.runoff.losses.loss import Loss, by_case
from tarnwater.states import State

SOURCE = "ASCE and WPCF (1969), Manual of Practice 37, Chapter 3"

#: Return period, years, up to which a single coefficient holds as it is.
COMMON = 10.0


class RunoffCoefficient(Loss):
    """The loss of the rational method: a share of all rain runs off, a greater one in rarer storms.

    A coefficient holds up to 10 years and grows by a factor beyond; coefficients typed for return periods come before
    it, each up to its return period. A storm without a return period has that for 10 years.
    """

    method: Literal["runoff-coefficient"] = "runoff-coefficient"
    coefficient: Setting[float] = parameter(
        "factor", "share of the rain that runs off in storms up to 1 in 10", label="runoff coefficient, 1 in 10",
        symbol="C10", least=0, most=1, source=SOURCE, default=Setting[float](),
    )  # fmt: skip
    return_periods: tuple[float, ...] = parameter(
        "return period", "return period up to which a coefficient holds", label="return periods", symbol="T", above=1,
        most=1e9, source=SOURCE, default=(),
    )  # fmt: skip
    coefficients: tuple[float, ...] = parameter(
        "factor", "share of the rain that runs off up to a return period", label="runoff coefficients", symbol="CT",
        least=0, most=1, source=SOURCE, default=(),
    )  # fmt: skip
    factor: Setting[float] = parameter(
        "factor", "factor on the runoff coefficient for the return period of the storm",
        label="factor of the return period", symbol="Cf", least=1, most=2, source=SOURCE, default=Setting[float](),
    )  # fmt: skip
    used: Setting[float] = parameter(
        "factor", "runoff coefficient at the return period of the storm", label="runoff coefficient in use", symbol="C",
        least=0, most=1, source=SOURCE, default=Setting[float](),
    )  # fmt: skip
    years: float = COMMON
    of_cover: tuple[tuple[float, float], ...] = ()

    title: ClassVar[str] = "runoff coefficient by return period"
    equation: ClassVar[str] = "Pe = C P, C = min(1, Cf C10), or that typed for the return period"
    source: ClassVar[str] = SOURCE
    verified: ClassVar[str] = "the published factors; the tests that every loss passes"

    by_case: ClassVar[frozenset[str]] = frozenset({"used"})
    period_name: ClassVar[str] = "used"

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        periods, found = self.return_periods, self.coefficients
        rising = all(b > a for a, b in pairwise(periods)) and all(b >= a for a, b in pairwise(found))
        if len(periods) != len(found) or not rising:
            raise EditRefused(
                "runoff coefficients need a rising return period each, and do not fall for rarer storms; "
                f"{len(periods)} return periods and {len(found)} coefficients were given.",
                remedy="Give both columns in order.",
            )
        return self

    def missing(self) -> list[Missing]:
        """A coefficient, unless those of return periods are typed."""
        return [] if self.used.value is not None else [Missing("coefficient", "Type it, from 0 to 1.")]

    def at_return_period(self, years: float, factor: float) -> Self:
        """A copy for storms of a return period (years)."""
        return self.model_copy(update={"years": years, "factor": self.factor.with_derived(factor)})

    def refreshed(self, ground: Mapping[str, Any]) -> Self:
        """A copy with its coefficient from the cover, and with the one in use."""
        of_cover = ground.get("coefficients") or ()
        anew = self.model_copy(
            update={
                "of_cover": of_cover,
                "coefficient": self.coefficient.with_derived(_up_to(COMMON, of_cover)),
                "factor": self.factor.with_derived(self.factor.derived or 1.0),
            }
        )
        return anew.model_copy(update={"used": self.used.with_derived(anew._in_use)})

    @property
    def _in_use(self) -> float | None:
        """The coefficient for its return period; None where none is known."""
        if self.return_periods:
            return _up_to(self.years, tuple(zip(self.return_periods, self.coefficients, strict=True)))
        if self.coefficient.typed is None and self.factor.typed is None:
            return _up_to(self.years, self.of_cover)
        known = self.coefficient.value
        return None if known is None else min(self.factor.known * known, 1.0)

    def respond(self, rain: Floats, step: float, state: State = None, **values: Floats) -> Excess:
        """Excess of rain (case, step) in mm."""
        coefficient = by_case(self.used.known, values.get("used"), len(rain))
        nothing = np.zeros(len(rain))
        lost = ((1 - coefficient)[:, None] * rain).sum(axis=1)
        return Excess(coefficient[:, None] * rain, lost, nothing, nothing)

    def excess(self, rain: Reckoning, step: float, asked: Asked) -> Derivation:
        """The derivation of the excess from the rain and the coefficient in use."""
        return Derivation("Pe = C P", SOURCE, (rain, asked.own("used")), lambda depths, share: share * depths)

    def derivation(self, name: str, asked: Asked) -> Derivation | None:
        """The coefficients from the cover, the factor from the return period, and the one in use."""
        period = Reckoning(
            "return period of the storm", self.years, "return period", symbol="T",
            origin="the storm; 10 where it has none",
        )  # fmt: skip
        if name == "factor":
            known = self.factor.derived or 1.0
            return Derivation("Cf by T: 1 up to 10 years", SOURCE, (period,), lambda _: known)
        if name == "coefficient":
            pairs = self.of_cover
            return Derivation("C10 = that of its cover", SOURCE, (), lambda: _up_to(COMMON, pairs))
        if name != "used":
            return None
        if self.return_periods or (self.coefficient.typed is None and self.factor.typed is None):
            pairs = tuple(zip(self.return_periods, self.coefficients, strict=True)) or self.of_cover
            told = ", ".join(f"{share:g} up to 1 in {years:g}" for years, share in pairs)
            return Derivation(f"C by T: {told}", SOURCE, (period,), lambda years: _up_to(years, pairs))
        inputs = asked.own("factor"), asked.own("coefficient")
        return Derivation("C = min(1, Cf C10)", SOURCE, inputs, lambda factor, share: min(factor * share, 1.0))


def _up_to(years: float, pairs: tuple[tuple[float, float], ...]) -> float | None:
    """The value of the first return period that is not less; beyond the last that of the last."""
    above = (value for period, value in pairs if period >= years * (1 - 1e-9))
    return next(above, pairs[-1][1] if pairs else None)
