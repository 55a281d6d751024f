"""A surface: a part of a catchment with its own cover and losses."""

from __future__ import annotations

from pydantic import model_validator

from tarnwater.cover import find_cover
from tarnwater.cover.curve_numbers import SoilGroup
from tarnwater.errors import EditRefused
from tarnwater.parameters import Model, parameter
from tarnwater.runoff.losses import CurveNumber, LossMethod


class CoverReference(Model):
    """A cover class on a soil group, from which a curve number is derived."""

    title: str
    group: SoilGroup


class Surface(Model):
    """A part of a catchment with its own cover and losses.

    Its share of the catchment is its ``area`` (m2) or its ``share`` (0 to 1), whichever is given. A directly connected
    impervious surface is a separate surface.
    """

    name: str = ""
    share: float | None = parameter(
        "share", "share of the catchment", label="share of the catchment", symbol="w", least=0, most=1, default=None
    )
    area: float | None = parameter(
        "area", "area of the surface", label="surface area", symbol="A", least=0, default=None
    )
    loss: LossMethod = CurveNumber()
    cover: CoverReference | None = None
    connected_impervious: bool = False

    @model_validator(mode="after")
    def _one_measure(self) -> Surface:
        if (self.share is None) == (self.area is None):
            raise EditRefused(
                f"the surface “{self.name}” needs a share or an area, one of the two.",
                where=self.name,
                remedy="Give the one that is known.",
            )
        return self

    def refreshed(self) -> Surface:
        """A copy with its curve number from the table of covers, and with values derived from it."""
        number = find_cover(self.cover.title).number(self.cover.group) if self.cover else None
        return self.model_copy(update={"loss": self.loss.refreshed(number)})
