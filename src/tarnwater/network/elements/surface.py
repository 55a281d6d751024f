"""A surface: a part of a catchment with its own cover and losses."""

from __future__ import annotations

from pydantic import model_validator

from tarnwater.cover import find_cover
from tarnwater.cover.soils import SoilGroup
from tarnwater.errors import EditRefused
from tarnwater.parameters import Model, parameter
from tarnwater.runoff.losses import CurveNumber, LossMethod


class CoverReference(Model):
    """A cover class on a soil group, from which a curve number is derived; an ``own`` one is a class of the study."""

    title: str
    group: SoilGroup
    own: bool = False


class Surface(Model):
    """A part of a catchment with its own cover and losses.

    Its share of the catchment is its ``area`` (m2) or its ``share`` (0 to 1), whichever is given. A directly connected
    impervious surface is a separate surface. ``cover_number`` is the curve number that follows from the classes of the
    study, where it has the class of the cover, or the surface is made of several.
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
    texture: str = ""
    connected_impervious: bool = False
    cover_number: float | None = None

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
        """A copy with its curve number from its cover, and with values derived from it."""
        number = self.cover_number
        if number is None and self.cover is not None and not self.cover.own:
            number = find_cover(self.cover.title).number(self.cover.group)
        return self.model_copy(update={"loss": self.loss.refreshed(number)})
