"""A surface: a part of a catchment with its own cover and losses."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from pydantic import field_validator, model_validator

from tarnwater.arrays import Floats
from tarnwater.cover import find_cover
from tarnwater.cover.classes import Coefficients, CoverClass, coefficients_by_period, frequency_factor
from tarnwater.cover.soils import SoilGroup, soil_texture, soil_textures
from tarnwater.errors import EditRefused
from tarnwater.network.elements.surface_route import AnyRoute, WithCatchment
from tarnwater.parameters import Model, Setting, option, parameter, typed
from tarnwater.runoff.losses import CurveNumber, Excess, LossFit, LossMethod, NoLoss
from tarnwater.states import State


class CoverReference(Model):
    """A cover class on a soil group, from which a curve number is derived; an ``own`` one is a class of the study."""

    title: str
    group: SoilGroup
    own: bool = False


def impervious_land(share: float = 0.0) -> Surface:
    """Connected impervious land, of which all rain runs off, with a typed share."""
    return Surface(name="impervious", share=typed(share), connected_impervious=True, loss=NoLoss())


def coefficients_of(known: CoverClass) -> Coefficients:
    """Runoff coefficients of a class by return period, years."""
    return coefficients_by_period(known.coefficient_at, [period for period, _ in known.coefficients])


class Surface(Model):
    """A part of a catchment with its own cover and losses.

    Its share of the catchment is its ``area`` (m2) or its ``share`` (0 to 1), whichever is typed; one surface of a
    catchment may have neither and takes the remainder. A directly connected impervious surface is a separate surface.
    ``cover_number`` is the curve number that follows from the classes of the study, where it has the class of the
    cover, or the surface is made of several; ``cover_coefficients`` are its runoff coefficients by return period.
    """

    name: str = ""
    share: Setting[float] = parameter(
        "share",
        "share of the catchment",
        label="share of the catchment",
        symbol="w",
        least=0,
        most=1,
        source="typed; one surface without a share or an area takes the remainder",
        default=Setting[float](),
    )
    area: float | None = parameter(
        "area", "area of the surface", label="surface area", symbol="A", least=0, default=None
    )
    loss: LossMethod = CurveNumber()
    cover: CoverReference | None = None
    texture: str = option("soil texture", lambda: ("", *soil_textures()))
    depression: float = parameter(
        "rain",
        "depth that depressions hold, filled once",
        label="depression storage",
        symbol="d",
        least=0,
        most=500,
        usual=(0, 20),
        source="typed",
        default=0.0,
    )
    connected_impervious: bool = False
    route: AnyRoute = WithCatchment()
    fitted: LossFit | None = None
    cover_number: float | None = None
    cover_coefficients: Coefficients = ()

    @field_validator("texture")
    @classmethod
    def _known_texture(cls, texture: str) -> str:
        return texture and soil_texture(texture).name

    @model_validator(mode="after")
    def _one_measure(self) -> Surface:
        if self.share.typed is not None and self.area is not None:
            raise EditRefused(
                f"the surface “{self.name}” cannot have a share and an area.",
                where=self.name,
                remedy="Give the one that is known.",
            )
        return self

    @property
    def holding_fit(self) -> LossFit | None:
        """The fit of its loss to another, if its parameters are still those that were fitted."""
        return self.fitted if self.fitted is not None and self.fitted.holds_for(self.loss) else None

    @property
    def takes_remainder(self) -> bool:
        """Whether neither its share nor its area is typed."""
        return self.share.typed is None and self.area is None

    def refreshed(self) -> Surface:
        """A copy with its curve number from its cover, and with values derived from it."""
        return self.model_copy(update={"loss": self.loss.refreshed(self._ground)})

    def in_storm(self, years: float | None) -> Surface:
        """A copy as it is in a storm of a return period, years; None where that has none."""
        if not self.loss.period_name or years is None:
            return self
        loss = self.loss.at_return_period(years, frequency_factor(years))
        return self.model_copy(update={"loss": loss.refreshed(self._ground)})

    @property
    def _ground(self) -> dict[str, Any]:
        """Figures of its cover and of its soil texture, by the names under which losses know them."""
        number, coefficients = self.cover_number, self.cover_coefficients
        if self.cover is not None and not self.cover.own:
            known = find_cover(self.cover.title)
            number = known.number(self.cover.group) if number is None else number
            coefficients = coefficients or coefficients_of(known)
        found: dict[str, Any] = {"curve_number": number, "coefficients": coefficients}
        if self.texture:
            texture = soil_texture(self.texture)
            found |= {name: getattr(texture, name) for name in ("suction_head", "conductivity", "effective_porosity")}
        return found

    def respond(self, rain: Floats, step: float, state: State = None, **values: Floats) -> Excess:
        """Excess of rain (case, step) in mm in steps (s), after its loss and what fills its depressions.

        ``values`` replace parameters of its loss. The state is that of the loss, and what the depressions hold in mm.
        """
        lost, held = (None, None) if state is None else state
        answer = self.loss.respond(rain, step, lost, **values)
        held = np.zeros(len(rain)) if held is None else held.copy()
        if self.depression:
            from tarnwater.runoff.losses import _kernels as kernels

            kernels.fill_depressions(answer.excess, self.depression, held)
        return replace(answer, stored=answer.stored + held, state=(answer.state, held))

    @staticmethod
    def held_in(state: State) -> Floats:
        """What its depressions hold in a state, mm, (case,)."""
        held: Floats = state[1]
        return held
