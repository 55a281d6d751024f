"""Storage as a table of volumes."""

from __future__ import annotations

from itertools import pairwise
from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from tarnwater.arrays import Floats
from tarnwater.errors import EditRefused
from tarnwater.parameters import parameter, refuse_uneven
from tarnwater.routing.ponds.forms.form import StorageForm


class StageVolume(StorageForm):
    """Volumes at levels, used as they are: linear between the entries."""

    method: Literal["stage-volume"] = "stage-volume"
    levels: tuple[float, ...] = parameter("height", "levels of the table", label="levels", symbol="z")
    volumes: tuple[float, ...] = parameter(
        "volume", "volumes below the levels", label="volumes", symbol="V", least=0, most=1e13, usual=(0, 1e10)
    )
    #: Digest of the outline of its water at a level, where it was cut from the terrain.
    outline: str = ""
    outline_level: float | None = None

    title: ClassVar[str] = "stage-volume table"
    equation: ClassVar[str] = "V linear between the entries of the table"
    source: ClassVar[str] = "typed or surveyed"
    verified: ClassVar[str] = "its entries; the level pool of linear storage against the exponential"

    @model_validator(mode="after")
    def _fits(self) -> Self:
        refuse_uneven("a storage table", ("levels", "volumes"), self.levels, self.volumes, self.name)
        if any(high < low for low, high in pairwise(self.volumes)):
            raise EditRefused(
                "the volume falls while the level rises.", where=self.name, remedy="Correct the table: water adds up."
            )
        return self

    def with_plan(self, factor: float) -> Self:
        """A copy with a factor of each volume."""
        return self.model_copy(update={"volumes": tuple(volume * factor for volume in self.volumes), "outline": ""})

    @property
    def floor(self) -> float:
        """Its lowest level."""
        return self.levels[0]

    @property
    def top(self) -> float:
        """Its highest level."""
        return self.levels[-1]

    @property
    def outline_at_top(self) -> str:
        """Digest of the outline of its water at its top; empty where it was not cut from the terrain up to there."""
        return self.outline if self.outline_level == self.top else ""

    @property
    def bends(self) -> tuple[float, ...]:
        """Each entry."""
        return self.levels

    def volume(self, levels: Floats) -> Floats:
        """Volume between the entries, less the first."""
        return np.interp(levels, self.levels, self.volumes) - self.volumes[0]

    @property
    def swing(self) -> float:
        """By how much the area between its entries goes back and forth, as a share of the greatest.

        It is half of what all changes of the area exceed that from the lowest to the highest; zero where the area only
        grows, or only shrinks. A slip in one volume makes the area below it too great and that above too small.
        """
        areas = np.diff(self.volumes) / np.diff(self.levels)
        steps = np.abs(np.diff(areas)).sum() - abs(areas[-1] - areas[0])
        return float(0.5 * steps / areas.max()) if areas.max() > 0 else 0.0

    def area(self, levels: Floats) -> Floats:
        """A smooth area that is nowhere below zero, for display: the slope of a monotone curve through the table."""
        from scipy.interpolate import PchipInterpolator

        curve = PchipInterpolator(self.levels, self.volumes).derivative()
        found: Floats = np.maximum(curve(np.clip(levels, self.floor, self.top)), 0.0) * self.within(levels)
        return found
