"""Reckonings of storms: a design storm from its table, a given storm from its own steps."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.clock import show_moment
from tarnwater.rain.readings import Term
from tarnwater.rain.storms import Rain
from tarnwater.reckoning import Reckoning
from tarnwater.study.answers.storms import DesignStorm, StormByKey
from tarnwater.study.reckonings.case import CaseReckonings


class StormReckonings(ABC):
    """Reckonings of the storm of a case."""

    @abstractmethod
    def depth_over(self, key: str) -> Reckoning:
        """Its depth over the land above an element."""

    @abstractmethod
    def rain_over(self, key: str) -> Reckoning:
        """Its rain over the land above an element, in each step."""

    @abstractmethod
    def rain_on(self, key: str) -> Reckoning:
        """Its rain on a catchment, in each step."""


class DesignReckonings(StormReckonings):
    """Reckonings of a design storm, which is made for its design point and is the same everywhere."""

    def __init__(self, book: CaseReckonings, storm: DesignStorm) -> None:
        self._book, self._storm = book, storm
        self._family = book.study.families[storm.key]
        self._point = book.case.case.point

    def depth_over(self, key: str) -> Reckoning:
        """Its depth over the area that drains to its design point, for any element."""
        return self.storm_depth

    def rain_over(self, key: str) -> Reckoning:
        """Its rain, for any element."""
        return self.rain

    def rain_on(self, key: str) -> Reckoning:
        """Its rain, for any catchment."""
        return self.rain

    @cached_property
    def depth_at_point(self) -> Reckoning:
        """The depth of the storm at a point, read from its table between the entries around it."""
        storm = self._storm
        family = self._family
        table = self._book.study.tables[family.table]
        read = table.reading(storm.duration, storm.return_period)
        origin = f"depth table “{family.table}”" + (f": {table.source}" if table.source else "")
        node = Reckoning(
            title=f"depth at a point, {storm.words(self._book.study)}",
            value=float(table.depth(storm.duration, storm.return_period)),
            kind="rain",
            symbol="P0",
            place=f"tables/{family.table}",
        )
        if not read.equation:
            return replace(node, origin=f"{origin}, as tabled")
        source = f"{read.source}; {origin}" if read.source else origin
        inputs = tuple(_of_term(term, origin) for term in read.terms)
        return replace(node, equation=read.equation, source=source, inputs=inputs, evaluate=read.evaluate)

    @cached_property
    def storm_depth(self) -> Reckoning:
        """The depth of the storm over the area draining to its design point."""
        storm, family, point = self._storm, self._family, self._book.case.case.point
        at_point = self.depth_at_point
        area = self._book.area_above(point)
        how = family.areal.reading(area.value, storm.duration)
        duration = Reckoning(
            "duration of the storm", storm.duration, "time", symbol="t", origin="storm family", unit="h"
        )
        factor = Reckoning(
            title=f"areal reduction for {self._book.element(point).name}",
            value=self._book.case.areal_factor,
            kind="factor",
            symbol="f",
            equation=how.equation,
            source=how.source,
            # a typed curve is read from its shares, which were chosen by area and duration
            inputs=tuple(_of_term(term, "typed curve") for term in how.terms) or (area, duration),
            evaluate=how.evaluate or family.areal.factor,
        )
        return Reckoning(
            title="depth of the storm",
            value=self._book.case.rain_depth(point),
            kind="rain",
            symbol="P",
            equation="P = f P0" if family.climate == 1 else "P = c f P0",
            source="areal reduction of a point depth" if family.climate == 1 else "climate factor, areal reduction",
            inputs=(*self._climate, factor, at_point),
            evaluate=lambda *terms: math.prod(terms),
        )

    @property
    def _climate(self) -> tuple[Reckoning, ...]:
        """The climate factor of its family, where it has one."""
        factor, place = self._family.climate, f"families/{self._storm.key}"
        node = Reckoning("climate factor", factor, "factor", symbol="c", origin="storm family", place=place)
        return () if factor == 1 else (node,)

    @cached_property
    def rain(self) -> Reckoning:
        """The rain of the storm in each of its steps."""
        storm = self._storm
        family = self._family
        table = self._book.study.tables[family.table]
        depth, step, area = self.storm_depth, self._book.step, self._book.area_above(self._point)
        reduced = family.areal.reduces(area.value) and family.pattern.nested

        def spread(total: float, dt: float, over: float) -> Floats:
            own = family.increments(table, storm.return_period, storm.duration, area=over, step=dt, member=storm.member)
            own = family.laid(own, dt)
            rain = np.zeros(len(self._book.case.rain_over(self._point)))
            rain[: len(own)] = own
            return rain

        how = "each duration reduced by its own factor before the blocks are made; " if reduced else ""
        return Reckoning(
            title="rain of the storm",
            value=self._book.case.rain_over(self._point),
            kind="rain",
            symbol="ΔP",
            equation=family.pattern.equation,
            source=f"{how}{family.pattern.source}",
            inputs=(depth, step, area),
            evaluate=spread,
        )


class GivenReckonings(StormReckonings):
    """Reckonings of a storm whose rain is given in steps."""

    def __init__(self, book: CaseReckonings, storm: StormByKey) -> None:
        self._book = book
        self._storm, self._place = storm.given(book.study), storm.place

    def depth_over(self, key: str) -> Reckoning:
        """The depth of its rain over the land above an element."""
        return Reckoning(
            title=f"depth of “{self._storm.name}” over {self._book.element(key).name}",
            value=self._book.case.rain_depth(key),
            kind="rain",
            symbol="P",
            equation="P = Σ ΔP",
            source="sum over the steps of the storm",
            inputs=(self.rain_over(key),),
            evaluate=lambda rain: float(rain.sum()),
        )

    def rain_over(self, key: str) -> Reckoning:
        """Its mean over the catchments above an element."""
        areas = self._book.case.areas_rained_on(key)
        if self._storm.even or not areas:
            return self.rain_on(key)
        inputs = [self._book.area_above(key)]
        for number, catchment in enumerate(areas, start=1):
            inputs.append(self._book.setting(catchment, "area", "km²", symbol=f"A{number}"))
            inputs.append(replace(self.rain_on(catchment), symbol=f"ΔP{number}"))

        def mean(whole: float, *rest: Any) -> Floats:
            parts = [area / whole * rain for area, rain in zip(rest[::2], rest[1::2], strict=True)]
            found: Floats = np.sum(parts, axis=0)
            return found

        terms = " + ".join(f"A{n} ΔP{n}" for n in range(1, len(areas) + 1))
        return Reckoning(
            title=f"mean rain over {self._book.element(key).name}",
            value=self._book.case.rain_over(key),
            kind="rain",
            symbol="ΔP",
            equation=f"ΔP = ({terms}) / A",
            source="mean over the catchments above, by area",
            inputs=tuple(inputs),
            evaluate=mean,
        )

    def rain_on(self, key: str) -> Reckoning:
        """Its rain on a catchment, spread over the steps of the run."""
        own = self._storm.step
        value = self._book.case.rain_over(key) if self._storm.even else self._book.case.rain_on(key)

        def laid(depths: Floats, before: float, step: float) -> Floats:
            rain = Rain(depths[None, :], before).spread_over(step).depths[0]
            return np.pad(rain, (0, len(value) - len(rain)))

        return Reckoning(
            title=f"rain on {self._book.element(key).name} in steps of the run",
            value=value,
            kind="rain",
            symbol="ΔP",
            equation="ΔP = ΔP0 laid over the steps of the run",
            source="evenly within each step in which it is given, so that its depth is kept",
            inputs=(
                self._given(key),
                Reckoning("step of the rain", own, "time", symbol="Δt0", origin=self._origin, place=self._place),
                self._book.step,
            ),
            evaluate=laid,
        )

    def _given(self, key: str) -> Reckoning:
        depths = np.array(self._storm.depths_on(key), float)
        title = f"rain of “{self._storm.name}” in steps of {units.show_duration(self._storm.step)}"
        return Reckoning(title, depths, "rain", symbol="ΔP0", origin=self._origin, place=self._place)

    @property
    def _origin(self) -> str:
        when = "" if self._storm.begins is None else f" from {show_moment(self._storm.begins)}"
        source = f": {self._storm.source}" if self._storm.source else ""
        return f"{self._storm.tag()}{when}{source}"


def _of_term(term: Term, origin: str) -> Reckoning:
    """A figure that a depth is read from, with what it follows from."""
    node = Reckoning(term.title, term.value, term.kind, symbol=term.symbol, unit=term.unit)
    if term.reading is None:
        return replace(node, origin=origin)
    read = term.reading
    inputs = tuple(_of_term(inner, origin) for inner in read.terms)
    return replace(node, equation=read.equation, source=read.source, inputs=inputs, evaluate=read.evaluate)
