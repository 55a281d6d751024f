"""Water behind the outlets of a pond."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.methods import Method, OneOf
from tarnwater.parameters import option, parameter, refuse_uneven

#: Below every outlet: a level that holds nothing back, m.
FAR_BELOW = -1e9


#: Most steps of a search for a level, and the difference (m) at which it ends.
SEARCHES, CLOSE = 80, 1e-10


class Tailwater(Method):
    """The level behind the outlets of a pond."""

    kind: ClassVar[str] = "tailwater"

    #: Whether it is the level of another element.
    of_element: ClassVar[bool] = False

    @property
    def feels(self) -> str:
        """Key of the element whose level it is; empty where it is none."""
        return ""

    @property
    def bends(self) -> tuple[float, ...]:
        """Levels (m) at which the outflow of a pond is not smooth because of it."""
        return ()

    def behind(self, level: Floats, leaves: Callable[[Floats], Floats]) -> Floats:
        """Levels behind (m) at levels of the pond (m); ``leaves`` gives the flow (m3/s) with levels behind."""
        return np.full(np.shape(level), FAR_BELOW)


class FreeOutfall(Tailwater):
    """Nothing holds the outflow back."""

    method: Literal["free"] = "free"

    title: ClassVar[str] = "free outfall"
    equation: ClassVar[str] = "no level behind the outlets"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "the same flows as with a level below every outlet"


class FixedTailwater(Tailwater):
    """One level, as of a lake."""

    method: Literal["fixed-level"] = "fixed-level"
    level: float = parameter("height", "level behind the outlets", label="tailwater level", symbol="zt", default=0.0)

    title: ClassVar[str] = "fixed tailwater"
    equation: ClassVar[str] = "h_behind = constant"
    source: ClassVar[str] = "typed"
    verified: ClassVar[str] = "no flow at equal levels; the drowned opening in closed form"

    @property
    def bends(self) -> tuple[float, ...]:
        """The level."""
        return (self.level,)

    def behind(self, level: Floats, leaves: Callable[[Floats], Floats]) -> Floats:
        """The level."""
        return np.full(np.shape(level), self.level)


class RatedTailwater(Tailwater):
    """A level that rises with what the pond lets through."""

    method: Literal["rated-level"] = "rated-level"
    flows: tuple[float, ...] = parameter("flow", "flows of the rating", label="flows", symbol="Q", least=0, most=1e6)
    levels: tuple[float, ...] = parameter("height", "levels at the flows", label="levels", symbol="z")

    title: ClassVar[str] = "tailwater by a rating"
    equation: ClassVar[str] = "h_behind linear in the flow between the entries"
    source: ClassVar[str] = "typed or measured"
    verified: ClassVar[str] = "flow and level fit each other at every level of the pond"

    @model_validator(mode="after")
    def _fits(self) -> Self:
        refuse_uneven("a tailwater rating", ("flows", "levels"), self.flows, self.levels)
        if list(self.levels) != sorted(self.levels):
            raise EditRefused("the tailwater falls with the flow.", remedy="Give levels that rise with the flow.")
        return self

    @property
    def bends(self) -> tuple[float, ...]:
        """The level without flow."""
        return (self.levels[0],)

    def behind(self, level: Floats, leaves: Callable[[Floats], Floats]) -> Floats:
        """The level that belongs to the flow which it lets through: the one rises, the other falls.

        All levels are searched for together, by secants between two bounds of which the one that stays counts half each
        time (the Illinois method), and by halves where these do not close in.
        """

        def gained(behind: Floats) -> Floats:
            found: Floats = np.interp(leaves(behind), self.flows, self.levels) - behind
            return found

        low, high = np.full(np.shape(level), self.levels[0]), np.full(np.shape(level), self.levels[-1])
        above, below = gained(low), gained(high)
        now, side = low, np.zeros(np.shape(level))
        for turn in range(SEARCHES):
            with np.errstate(divide="ignore", invalid="ignore"):
                now = (low * below - high * above) / (below - above)
            inside = (now > low) & (now < high) & (turn % 4 != 3)
            now = np.where(inside, now, 0.5 * (low + high))
            found = gained(now)
            rises = found > 0
            # a bound that stays twice in turn is pulled in
            below = np.where(rises & (side > 0), 0.5 * below, below)
            above = np.where(~rises & (side < 0), 0.5 * above, above)
            low, above = np.where(rises, now, low), np.where(rises, found, above)
            high, below = np.where(rises, high, now), np.where(rises, below, found)
            side = np.where(rises, 1, -1)
            if np.all((np.abs(found) <= CLOSE) | (high - low <= CLOSE)):
                break
        return now


class TailwaterBelow(Tailwater):
    """The level of the pond or of the reach below, computed together with it."""

    method: Literal["level-below"] = "level-below"
    element: str = option("key of the element whose level it is", label="level of")

    of_element: ClassVar[bool] = True
    title: ClassVar[str] = "level of the pond or reach below"
    equation: ClassVar[str] = "h_behind(t) = level of the pond or reach below"
    source: ClassVar[str] = "definition"
    verified: ClassVar[str] = "two ponds that even out, against SciPy's integration of both; no flow backwards"

    @property
    def feels(self) -> str:
        """The element."""
        return self.element


AnyTailwater = Annotated[Tailwater, OneOf(Tailwater)]
