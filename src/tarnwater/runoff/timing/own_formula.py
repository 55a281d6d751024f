"""Timing by a person's own formula."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property, partial
from typing import ClassVar, Literal, get_args

from pydantic import model_validator

from tarnwater import units
from tarnwater.errors import OutOfRange
from tarnwater.formula import Formula
from tarnwater.methods import Asked, Cure, Derivation, Doubtful
from tarnwater.parameters import option
from tarnwater.runoff.timing.measures import DerivedTime, Measures
from tarnwater.runoff.timing.timing import Timing

#: Names of a formula: the measure that each stands for, and the unit of its number.
NAMES: Mapping[str, tuple[str, str]] = {
    "L": ("flow_length", "km"),
    "Lc": ("centroid_length", "km"),
    "S": ("path_slope", "m/m"),
    "Y": ("mean_slope", "m/m"),
    "A": ("area", "km²"),
    "CN": ("curve_number", ""),
}

#: Kinds of quantities of the measures.
KINDS = {"flow_length": "length", "centroid_length": "length", "path_slope": "slope", "mean_slope": "slope",
         "area": "area", "curve_number": "curve number"}  # fmt: skip

TimeUnit = Literal["h", "min"]
Gives = Literal["time of concentration", "lag"]


class OwnFormula(Timing):
    """A formula of L and Lc (km), S and Y (m/m), A (km2) and CN, which gives the time in a stated unit.

    It may use + - * / ^, brackets, numbers, and sqrt, ln, log10, exp, abs, min and max.
    """

    method: Literal["formula"] = "formula"
    formula: str = option("formula of L and Lc in km, S and Y in m/m, A in km², CN", label="formula", default=...)
    unit: str = option("unit of the formula", lambda: get_args(TimeUnit), default="h")
    gives: str = option("what the formula gives", lambda: get_args(Gives), default="time of concentration")
    reference: str = option("where the formula is from", label="its source")

    leads: ClassVar[Literal["lag", "concentration", ""]] = "concentration"
    title: ClassVar[str] = "own formula"
    equation: ClassVar[str] = "as typed, of L and Lc in km, S and Y in m/m, A in km², CN"
    source: ClassVar[str] = "a person"
    verified: ClassVar[str] = "published equations written as formulas; refusals of all that is no formula"

    @model_validator(mode="after")
    def _readable(self) -> OwnFormula:
        _ = self._read
        return self

    @cached_property
    def _read(self) -> Formula:
        return Formula(self.formula, tuple(NAMES))

    @property
    def leading(self) -> str:
        """The time that it gives."""
        return "lag" if self.gives == "lag" else "concentration"

    def derive(self, measures: Measures) -> DerivedTime | None:
        """The time in s, or None if a measure that it names is missing, or it has no time for the measures."""
        measured = [getattr(measures, NAMES[name][0]) for name in self._read.used]
        if not all(isinstance(one, int | float) for one in measured):
            return None
        try:
            return DerivedTime(self._from_measures(self._read.used, *measured), self.leading)
        except OutOfRange:
            return None

    def doubts(self, measures: Measures) -> list[Doubtful]:
        """A formula that has no time for the measures, with the reason."""
        measured = [getattr(measures, NAMES[name][0]) for name in self._read.used]
        if not all(isinstance(one, int | float) for one in measured):
            return []
        try:
            self._from_measures(self._read.used, *measured)
        except OutOfRange as error:
            return [Doubtful("formula-fails", "doubt", error.what, (Cure("Correct it, or type the time."),), "formula")]
        return []

    def time(self, asked: Asked) -> Derivation:
        """The derivation of the time from the measures that it names."""
        used = self._read.used
        inputs = tuple(asked.around(NAMES[name][0], NAMES[name][1], name) for name in used)
        return Derivation(
            f"{self.formula} {self.unit}", self.reference or self.source, inputs, partial(self._from_measures, used)
        )

    def _from_measures(self, used: list[str], *measured: float) -> float:
        """The time in s from measures in base units, as they are asked for."""
        values = {}
        for name, value in zip(used, measured, strict=True):
            field, unit = NAMES[name]
            values[name] = units.to_unit(value, unit, KINDS[field]) if unit else value
        seconds = self._read.evaluate(values) * units.factor_of(self.unit, "time")
        if seconds <= 0:
            raise OutOfRange(
                f"the formula gives a time of {seconds / 3600:.4g} h.", where="formula", remedy="Correct it."
            )
        return seconds
