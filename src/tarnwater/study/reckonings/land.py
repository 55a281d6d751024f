"""Reckonings of cover and soil: areas of rows, their numbers, composites, and the runoff of a rain."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Protocol

import numpy as np

from tarnwater.cover import cover_classes
from tarnwater.cover.classes import COMMON, HANDBOOK, IMPERVIOUS_NUMBER, CoverClass, frequency_factor
from tarnwater.cover.land import LandRow, LandTable
from tarnwater.errors import EditRefused, UnknownName
from tarnwater.methods import Asked
from tarnwater.network.elements import Catchment, Element
from tarnwater.parameters import Setting
from tarnwater.reckoning import Reckoning
from tarnwater.runoff.losses import DAY, Loss
from tarnwater.study.answers.land import LAND_FIGURES, RainRunoff, runoff_of_rain, table_of, with_number
from tarnwater.study.document import Study
from tarnwater.study.document.land_maps import layers_in

COMPOSITE_SOURCE = "NRCS National Engineering Handbook, Part 630, Chapter 10"
COEFFICIENT_SOURCE = "area-weighted mean, ASCE/WPCF (1969)"


class Book(Protocol):
    """What is asked while cover and soil are explained."""

    study: Study
    condition: str
    network: Any

    def catchment(self, key: str) -> Catchment:
        """A catchment of the condition."""

    def setting(self, key: str, path: str, unit: str = "", symbol: str = "") -> Reckoning:
        """A setting of an element."""


class LandReckonings:
    """Builds the reckonings of the cover and soil of one catchment in one condition."""

    def __init__(self, book: Book, key: str) -> None:
        self._book, self._study, self._condition, self._key = book, book.study, book.condition, key
        self._network = book.network
        self._owner = book.catchment(key)
        table = table_of(self._study, self._owner)
        if table is None:
            raise EditRefused(
                "its surfaces are made by hand; it has no table of cover and soil.",
                where=self._owner.name,
                remedy="Ask for its curve_number, or give it cover and soil.",
            )
        self._table: LandTable = table

    def figure(self, path: str) -> Reckoning:
        """One of `LAND_FIGURES`; ``land/coefficient/100`` is the coefficient for 1 in 100 years."""
        name, _, period = path.removeprefix("land/").partition("/")
        match name:
            case "curve_number":
                return self.curve_number(self._table.rows)
            case "coefficient":
                return self.coefficient(float(period) if period else COMMON)
            case "runoff_by_rows":
                return self.runoff_by_rows()
            case "runoff_by_number":
                return self.runoff_by_number()
        raise UnknownName(path, LAND_FIGURES, kind="figure", where=self._owner.name)

    def curve_number(self, rows: tuple[LandRow, ...], title: str = "") -> Reckoning:
        """The area-weighted curve number of some rows."""
        inputs = []
        for number, row in enumerate(rows, 1):
            inputs += [self._area(row, f"A{number}"), self.number(row, f"CN{number}")]
        node = Reckoning(
            title or f"composite curve number of {self._owner.name}",
            self._table.number_of(rows),
            "curve number",
            symbol="CN",
            equation=_weighting("CN", len(rows)),
            source=COMPOSITE_SOURCE,
            inputs=tuple(inputs),
            evaluate=_weighted,
            place=f"{self._key}/land",
        )
        return _if_known(node)

    def coefficient(self, return_period: float) -> Reckoning:
        """The area-weighted runoff coefficient for a return period, years."""
        rows, inputs = self._table.rows, []
        for number, row in enumerate(rows, 1):
            inputs += [self._area(row, f"A{number}"), self._coefficient(row, f"C{number}", return_period)]
        node = Reckoning(
            f"composite runoff coefficient of {self._owner.name}, 1 in {return_period:g} years",
            self._table.coefficient(return_period),
            "factor",
            symbol="C",
            equation=_weighting("C", len(rows)),
            source=COEFFICIENT_SOURCE,
            inputs=tuple(inputs),
            evaluate=_weighted,
            place=f"{self._key}/land",
        )
        return _if_known(node)

    def runoff_by_rows(self) -> Reckoning:
        """Runoff depth of the typed rain: that of each row, weighted by its area."""
        found, inputs = self._runoff(), []
        for number, (row, depth) in enumerate(zip(self._table.rows, found.parts, strict=True), 1):
            title = f"runoff of {row.name}"
            inputs += [self._area(row, f"A{number}"), self._runoff_from(self.number(row), depth, title, f"Q{number}")]
        node = Reckoning(
            f"runoff of {self._owner.name}, weighted by rows",
            found.by_parts,
            "rain",
            symbol="Q",
            equation=_weighting("Q", len(self._table.rows)),
            source=COMPOSITE_SOURCE,
            inputs=tuple(inputs),
            evaluate=_weighted,
        )
        return _if_known(node)

    def runoff_by_number(self) -> Reckoning:
        """Runoff depth of the typed rain from the composite curve number."""
        title = f"runoff of {self._owner.name} from its composite curve number"
        return self._runoff_from(self.curve_number(self._table.rows), self._runoff().by_number, title, "Q")

    def _runoff_from(self, number: Reckoning, depth: float | None, title: str, symbol: str) -> Reckoning:
        """The runoff of the typed rain by the loss in use, with another curve number."""
        loss = with_number(self._owner.surfaces[0].loss, number.value)
        if loss.missing():
            return Reckoning(title, None, "rain", symbol=symbol, origin="missing: it has no curve number")
        rain = Reckoning("rain", self._study.land_rules.rain, "rain", symbol="P", origin="typed")
        derived = loss.excess(rain, DAY, _OfLoss(self._owner.name, loss, number))
        return Reckoning(
            title,
            depth,
            "rain",
            symbol=symbol,
            equation=derived.equation,
            source=derived.source,
            inputs=derived.inputs,
            evaluate=lambda fallen, *rest: float(derived.evaluate(np.array([fallen]), *rest)[0]),
        )

    def number(self, row: LandRow, symbol: str = "CN") -> Reckoning:
        """The curve number of a row."""
        node = Reckoning(f"curve number of {row.name}", row.number, "curve number", symbol=symbol)
        if row.number_typed:
            number = next(n for n, one in enumerate(self._owner.surfaces) if one.name == row.name)
            loss = self._owner.surfaces[number].loss
            return self._book.setting(self._key, f"surfaces/{number}/loss/{loss.number_name}", symbol=symbol)
        return _with_origin(node, *self._origin_of_number(row))

    def row_named(self, name: str) -> LandRow | None:
        """The row of which a surface was made."""
        return next((row for row in self._table.rows if row.name == name), None)

    def rows_of_composite(self, *, connected: bool) -> tuple[LandRow, ...]:
        """The rows that a composite surface is made of."""
        return tuple(row for row in self._table.rows if row.connected == connected)

    def _origin_of_number(self, row: LandRow) -> tuple[str, str]:
        if row.connected:
            return f"directly connected impervious land: {IMPERVIOUS_NUMBER:g}", HANDBOOK
        if row.cover is None or row.number != row.cover.number(row.group):
            return "typed in the table of cover and soil", ""
        group = f"soil group {row.group}" if row.group is not None else "any soil"
        if row.group is not None and row.group != row.soil:
            group += f", since {row.soil} is {'drained' if self._study.land_rules.drained else 'not drained'}"
        default = f", the default {' and '.join(row.defaulted)}" if row.defaulted else ""
        return f"{mark_of(row.cover)} class {row.cover.name}, {group}{default}", HANDBOOK

    def _area(self, row: LandRow, symbol: str) -> Reckoning:
        land = self._owner.land
        if land is not None and land.by_hand:
            origin = "typed in the table of cover and soil"
        else:
            maps = ", ".join(layer.name for layer in layers_in(self._study, self._layered_in()))
            origin = f"overlay of its outline with {maps or 'the maps'}"
        return Reckoning(f"area of {row.name}", row.area, "area", symbol=symbol, unit="m²", origin=origin)

    def _layered_in(self) -> str:
        """The condition from which its land comes; empty for that of the study."""
        here: str | None = self._condition
        while here is not None:
            if self._key in self._study.conditions[here].land:
                return here
            here = self._study.conditions[here].parent
        return ""

    def _coefficient(self, row: LandRow, symbol: str, return_period: float) -> Reckoning:
        value = row.coefficient(return_period)
        node = Reckoning(f"runoff coefficient of {row.name}", value, "factor", symbol=symbol)
        if row.typed_coefficient is not None or row.cover is None:
            return _with_origin(node, "typed in the table of cover and soil", "")
        cover, factor = row.cover, frequency_factor(return_period)
        if cover.coefficients or cover.coefficient is None or factor == 1:
            told = f"{mark_of(cover)} class {cover.name}, 1 in {return_period:g} years"
            return _with_origin(node, told, "ASCE/WPCF (1969)" if mark_of(cover) == "shipped" else "")
        common = Reckoning(
            f"runoff coefficient of {cover.name} up to 10 years", cover.coefficient, "factor", symbol="C10",
            origin=f"{mark_of(cover)} class {cover.name}", source="ASCE/WPCF (1969)",
        )  # fmt: skip
        rare = Reckoning(
            f"factor of rare storms, 1 in {return_period:g} years", factor, "factor", symbol="Cf",
            source="standard textbooks, state drainage manuals",
        )  # fmt: skip
        return Reckoning(
            node.title, value, "factor", symbol=symbol, equation="C = min(Cf C10, 1)", inputs=(common, rare),
            evaluate=lambda c, f: min(c * f, 1.0),
        )  # fmt: skip

    def _runoff(self) -> RainRunoff:
        return runoff_of_rain(self._study, self._network, self._key, self._study.land_rules.rain)


class _OfLoss:
    """What a loss that is no part of an element may ask: its own parameters, and a curve number with its reckoning."""

    def __init__(self, owner: str, loss: Loss, number: Reckoning) -> None:
        self.owner, self._loss, self._number = owner, loss, number

    def own(self, name: str, unit: str = "", symbol: str = "") -> Reckoning:
        """A parameter of the loss."""
        if name == self._loss.number_name:
            return replace(self._number, symbol=symbol or "CN", unit=unit)
        described, held = dict(self._loss.quantities())[name], getattr(self._loss, name)
        value = held.value if isinstance(held, Setting) else held
        node = Reckoning(
            described.meaning, value, described.kind, symbol=symbol or described.symbol, unit=unit,
            origin="" if isinstance(held, Setting) else "set in the study", source=described.source,
        )  # fmt: skip
        derivation = self._loss.derivation(name, self) if isinstance(held, Setting) else None
        if derivation is None:
            return node
        return replace(
            node, equation=derivation.equation, source=derivation.source, inputs=derivation.inputs,
            evaluate=derivation.evaluate,
        )  # fmt: skip

    def around(self, name: str, unit: str = "", symbol: str = "") -> Reckoning:
        """A loss asks nothing of its surroundings here."""
        raise UnknownName(name, (), kind="value of the surroundings", where=self.owner)

    def within(self, field: str) -> Asked:
        """A loss holds no other method."""
        raise UnknownName(field, (), kind="method", where=self.owner)


def mark_of(cover: CoverClass) -> str:
    """Whether a class is one that comes with the program: "shipped", "edited" or "own".

    >>> mark_of(cover_classes()["Meadow"]), mark_of(CoverClass(name="Meadow")), mark_of(CoverClass(name="Moss"))
    ('shipped', 'edited', 'own')
    """
    known = cover_classes().get(cover.name)
    return "own" if known is None else "shipped" if known == cover else "edited"


def is_of_land(owner: Element, path: str) -> bool:
    """Whether a path names a figure of the cover and soil of an element."""
    return isinstance(owner, Catchment) and path.startswith("land/")


def _with_origin(node: Reckoning, origin: str, source: str) -> Reckoning:
    return replace(node, origin=origin, source=source)


def _if_known(node: Reckoning) -> Reckoning:
    """A weighted figure, or only what is missing where a row has none."""
    if node.value is not None:
        return node
    lacking = [one.title for one in node.inputs if one.value is None]
    told = f"missing: {', '.join(lacking[:4])}{' …' if len(lacking) > 4 else ''}" if lacking else "missing"
    return replace(node, equation="", inputs=(), evaluate=None, origin=told)


def _weighting(symbol: str, count: int) -> str:
    terms = " + ".join(f"A{n} {symbol}{n}" for n in range(1, count + 1))
    below = " + ".join(f"A{n}" for n in range(1, count + 1))
    return f"{symbol} = ({terms}) / ({below})"


def _weighted(*values: float) -> float:
    areas, numbers = values[::2], values[1::2]
    return sum(a * n for a, n in zip(areas, numbers, strict=True)) / sum(areas)
