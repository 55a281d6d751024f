"""Reckonings of settings: typed by a person, derived from their sources, or set in the study."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from tarnwater.cover import find_cover
from tarnwater.cover.classes import HANDBOOK
from tarnwater.errors import UnknownName
from tarnwater.methods import Asked, Derivation, Method
from tarnwater.network.elements import Catchment, Element, Surface
from tarnwater.network.elements.flow_path import PathPart
from tarnwater.network.graph import Network
from tarnwater.parameters import Description, Setting
from tarnwater.reckoning import Reckoning
from tarnwater.routing.channels import full_radius, full_roughness
from tarnwater.runoff.losses import Loss
from tarnwater.runoff.timing import concentration_of_lag, lag_of_concentration, slope_in_use
from tarnwater.runoff.timing.measures import LEAST_SLOPE
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import lineage
from tarnwater.study.document.fields import description_at, value_at
from tarnwater.study.reckonings.land import LandReckonings, is_of_land, mark_of
from tarnwater.study.reckonings.measures import from_counts, path_length


class SettingReckonings:
    """Builds the reckonings of settings in one condition."""

    def __init__(self, study: Study, condition: str, network: Network) -> None:
        self.study = study
        self.condition = condition
        self.network = network

    def element(self, key: str) -> Element:
        """An element of the condition; `UnknownName` with the nearest."""
        if key not in self.network.elements:
            raise UnknownName(key, self.network.elements, kind="element of this condition")
        return self.network.elements[key]

    def catchment(self, key: str) -> Catchment:
        """A catchment of the condition; `UnknownName` for an element that is not one."""
        found = self.element(key)
        if not isinstance(found, Catchment):
            there = [k for k, element in self.network.elements.items() if isinstance(element, Catchment)]
            raise UnknownName(key, there, kind="catchment of this condition")
        return found

    def setting(self, key: str, path: str, unit: str = "", symbol: str = "", also: Iterable[str] = ()) -> Reckoning:
        """A setting: typed by a person, derived from its sources, or a default of the method."""
        owner = self.element(key)
        if is_of_land(owner, path):
            return LandReckonings(self, key).figure(path)
        value, description = value_at(owner, path), description_at(owner, path)
        if description is None:
            known = [name for name, _ in type(owner).quantities()] + list(also)
            raise UnknownName(path, known, kind="figure", where=owner.name)
        known_value = value.value if isinstance(value, Setting) else value
        node = Reckoning(
            title=f"{description.meaning} of {owner.name}",
            value=known_value,
            kind=description.kind,
            symbol=symbol or description.symbol,
            unit=unit,
            place=f"{key}/{path}",
        )
        if not isinstance(value, Setting):
            return replace(node, origin="set in the study", source=description.source)
        if value.typed is not None:
            return replace(node, origin=self.typed_by(key, path, value))
        if value.value is None:
            return replace(node, origin="missing")
        return self._derived(key, path, owner, description, node)

    def typed_by(self, key: str, path: str, value: Setting[Any]) -> str:
        """Who typed a value, when, for which condition, and why."""
        typed = value.typed
        assert typed is not None
        for condition in reversed(lineage(self.study, self.condition)):
            if f"{key}/{path}" in condition.settings:
                held = f", for the condition {condition.name}"
                break
        else:
            held = ""
        who = f" by {typed.by}" if typed.by else ""
        when = f" on {typed.at[:10]}" if typed.at else ""
        note = f": {typed.note}" if typed.note else ""
        return f"typed{who}{when}{held}{note}"

    def _derived(self, key: str, path: str, owner: Element, description: Description, node: Reckoning) -> Reckoning:
        holder_path, _, last = path.rpartition("/")
        holder = value_at(owner, holder_path) if holder_path else owner
        if isinstance(holder, Surface):
            return self.weight(key, self.catchment(key), int(holder_path.rpartition("/")[2]))
        if isinstance(holder, PathPart):
            return self._of_part(key, holder_path, holder, last, node)
        if isinstance(holder, Method):
            derivation = holder.derivation(last, self.asked(key, holder_path, node))
            if derivation is not None:
                return followed(node, derivation)
            if not isinstance(holder, Loss) or last != holder.number_name:
                raise NotImplementedError(f"{type(holder).__name__} does not say how its {last} follows")
            return self._number_of_cover(key, value_at(owner, holder_path.rpartition("/")[0]), node)
        match last:
            case "lag":
                return self._lag(key, self.catchment(key), node)
            case "concentration":
                return self._concentration(key, self.catchment(key), node)
        if last == "area" and isinstance(owner, Catchment) and owner.outline is None and owner.transform.own_area:
            typed = owner.transform
            told = Reckoning(
                f"{typed.title} of {owner.name}", owner.transform.own_area, "area", symbol="AU",
                origin="its volume over the depth of its rain", place=f"{key}/transform",
            )  # fmt: skip
            source = "the volume of a unit hydrograph is its depth of rain on the area"
            return followed(node, Derivation("A = AU", source, (told,), float))
        measured = replace(node, origin=self._measured(key, owner), source=_measure_source(last))
        if not isinstance(owner, Catchment):
            return measured
        counted = self._of_counts(key, owner, last, measured)
        return counted if counted.inputs else self._of_heights(key, owner, last, measured)

    def _of_part(self, key: str, path: str, part: PathPart, field: str, node: Reckoning) -> Reckoning:
        """A figure of a part of the flow path: its slope from its heights, the rest from the terrain."""
        if field != "slope":
            told = f"{part.kind} flow along the flow path of {self.element(key).name}"
            return replace(node, origin=told, source=part_source(field))
        names = ("head", "z1"), ("foot", "z2"), ("length", "L")
        inputs = tuple(self.setting(key, f"{path}/{name}", "m", symbol) for name, symbol in names)
        return replace(node, equation="S = (z1 − z2) / L", inputs=inputs, evaluate=_fall_over)

    def _number_of_cover(self, key: str, surface: Surface, node: Reckoning) -> Reckoning:
        """The curve number of a surface: of its class, of a row of cover and soil, or a composite of rows."""
        if surface.cover is not None and self.catchment(key).land is None:
            cover = find_cover(surface.cover.title, self.study.cover_classes)
            told = f"{mark_of(cover)} class {cover.name}, soil group {surface.cover.group}"
            return replace(node, origin=told, source=HANDBOOK)
        land = LandReckonings(self, key)
        row = land.row_named(surface.name)
        found = (
            land.number(row)
            if row is not None
            else land.curve_number(land.rows_of_composite(connected=surface.connected_impervious), node.title)
        )
        return replace(found, title=node.title, symbol=node.symbol, unit=node.unit, place=node.place)

    def _of_counts(self, key: str, owner: Catchment, field: str, node: Reckoning) -> Reckoning:
        """A measure from what was counted on the terrain, as far as that is known and still holds."""
        counts = owner.counts
        if counts is None or (field == "flow_length" and owner.path_drawn):
            return node
        path = node
        if field == "centroid_length":
            whole = counts.above_middle + (owner.centroid_length.derived or 0.0)
            longest = replace(
                node, title=f"length of the longest flow path of {owner.name}", value=whole, symbol="L",
                source=_measure_source("flow_length"), place=f"{key}/flow_length",
            )  # fmt: skip
            path = path_length(longest, counts)
        return from_counts(node, field, counts, path)

    def _of_heights(self, key: str, owner: Catchment, field: str, node: Reckoning) -> Reckoning:
        """A slope of the flow path from the heights along it, as far as these are known."""
        heights, length = owner.path_heights, owner.flow_length
        typed = owner.path_head.typed is not None or owner.path_foot.typed is not None
        if field == "path_slope" and (heights is None or typed):
            return self._of_typed_heights(key, owner, node)
        if heights is None or length.derived is None or field not in ("path_slope", "slope_10_85"):
            return node
        path = self._measured(key, owner)

        def height(symbol: str, where: str, value: float) -> Reckoning:
            return Reckoning(f"height of the conditioned ground {where}", value, "height", symbol=symbol, origin=path)

        along = Reckoning("length of the flow path", length.derived, "length", symbol="L", unit="m", origin=path)
        if field == "path_slope":
            ends = height("z1", "at the head", heights.head), height("z2", "at the outlet", heights.foot)
            return replace(node, equation="S = (z1 − z2) / L", inputs=(*ends, along), evaluate=_fall_over)
        points = (
            height("z85", "85 % of the length up", heights.at_85),
            height("z10", "10 % of the length up", heights.at_10),
        )
        return replace(
            node, equation="S1085 = (z85 − z10) / (0.75 L)", inputs=(*points, along), evaluate=_between_the_points
        )

    def _of_typed_heights(self, key: str, owner: Catchment, node: Reckoning) -> Reckoning:
        """The slope of a flow path from the heights at its ends, of which one at least was typed."""
        names = ("path_head", "z1"), ("path_foot", "z2"), ("flow_length", "L")
        inputs = tuple(self.setting(key, name, "m", symbol) for name, symbol in names)
        if any(one.value is None for one in inputs):
            return node
        return replace(node, equation="S = (z1 − z2) / L", inputs=inputs, evaluate=_fall_over, origin="", source="")

    def asked(self, key: str, path: str, node: Reckoning | None = None) -> Asked:
        """What a method at a path of an element may ask; numbers are in the unit of ``node`` if possible."""
        return _Asked(self, key, path, node)

    def around(self, key: str, name: str, unit: str, symbol: str) -> Reckoning:
        """A value of the surroundings of a method."""
        if name == "curve_number":
            return self.mean_curve_number(key, self.catchment(key))
        if name in ("path_slope", "mean_slope"):
            return self.slope(key, self.catchment(key), name, unit)
        if name in ("channel_radius", "channel_roughness"):
            return _of_channel(key, self.catchment(key), name, unit)
        return self.setting(key, name, unit, symbol)

    def around_surface(self, key: str, route: str, name: str, unit: str, symbol: str) -> Reckoning:
        """A value of the surroundings of a method of a surface that runs off by itself; ``route`` is its path."""
        owner, number = self.catchment(key), int(route.split("/")[1])
        if name in ("lag", "flow_length"):
            return self.setting(key, f"{route}/{name}", unit, symbol)
        if name in ("path_slope", "mean_slope"):
            return self.setting(key, f"{route}/slope", unit, symbol)
        if name == "curve_number" and owner.surfaces[number].loss.number is not None:
            return self.setting(key, f"surfaces/{number}/loss/{owner.surfaces[number].loss.number_name}")
        if name != "area":
            return self.around(key, name, unit, symbol)
        inputs = self.weight(key, owner, number), self.setting(key, "area", unit)
        title = f"area of {owner.surfaces[number].name or f'surface {number + 1}'}"
        return Reckoning(
            title, inputs[0].value * inputs[1].value, "area", symbol=symbol or "A", unit=unit,
            equation=f"A = {inputs[0].symbol} A", source="the share of the surface", inputs=inputs,
            evaluate=lambda share, whole: share * whole,
        )  # fmt: skip

    def _measured(self, key: str, owner: Element) -> str:
        terrain = self.study.terrain
        source = terrain.source if terrain else "a terrain"
        return f"measured on {source} ({terrain.crs}, cells of {terrain.cell_width:g} m)" if terrain else source

    def _lag(self, key: str, owner: Catchment, node: Reckoning) -> Reckoning:
        if owner.least_governs:
            both = self.setting(key, "concentration"), self.setting(key, "least_concentration")
            source = f"{owner.timing.source}; the least time of concentration governs"
            return followed(node, Derivation("tL = 0.6 max(Tc, Tc0)", source, both, _lag_of_greater))
        if owner.concentration.typed is not None or owner.timing.leading == "concentration":
            inputs = (self.setting(key, "concentration"),)
            return followed(node, Derivation("tL = 0.6 Tc", owner.timing.source, inputs, lag_of_concentration))
        return followed(node, owner.timing.time(self.asked(key, "timing", node)))

    def _concentration(self, key: str, owner: Catchment, node: Reckoning) -> Reckoning:
        if owner.timing.leading == "concentration" and owner.lag.typed is None:
            return followed(node, owner.timing.time(self.asked(key, "timing", node)))
        inputs = (self.setting(key, "lag"),)
        if owner.least_governs:
            # its own lag, before the least was taken
            own = lag_of_concentration(owner.concentration.known)
            lag = Reckoning(f"lag of {owner.name} by its equation", own, "time", symbol="tL")
            inputs = (followed(lag, owner.timing.time(self.asked(key, "timing", lag))),)
        return followed(node, Derivation("Tc = tL / 0.6", owner.timing.source, inputs, concentration_of_lag))

    def slope(self, key: str, owner: Catchment, field: str, unit: str) -> Reckoning:
        """A slope as used in an equation: a derived one below the least is raised to it."""
        setting = self.setting(key, field, unit)
        used = slope_in_use(getattr(owner, field))
        if used == setting.value:
            return setting
        return Reckoning(
            f"{setting.title}, raised",
            used,
            "slope",
            symbol=setting.symbol,
            equation=f"{setting.symbol} = 0.01 %, since the derived slope is below it",
            source="equations divide by the slope; a typed slope is taken as typed",
            inputs=(setting,),
            evaluate=lambda slope: max(slope, LEAST_SLOPE),
            unit=unit,
        )

    def mean_curve_number(self, key: str, owner: Catchment) -> Reckoning:
        """The area-weighted curve number of a catchment."""
        rows = owner.numbered
        inputs = []
        for row in rows:
            inputs.append(self.weight(key, owner, row))
            inputs.append(
                self.asked(key, f"surfaces/{row}/loss").own(owner.surfaces[row].loss.number_name, symbol=f"CN{row + 1}")
            )
        terms = " + ".join(f"w{r + 1} CN{r + 1}" for r in rows)
        below = " + ".join(f"w{r + 1}" for r in rows)

        def weighted(*values: float) -> float:
            shares, numbers = values[::2], values[1::2]
            return sum(w * n for w, n in zip(shares, numbers, strict=True)) / sum(shares)

        return Reckoning(
            title=f"area-weighted curve number of {owner.name}",
            value=owner.curve_number,
            kind="curve number",
            symbol="CN",
            equation=f"CN = ({terms}) / ({below})",
            source="NRCS National Engineering Handbook, Part 630, Chapter 10",
            inputs=tuple(inputs),
            evaluate=weighted,
        )

    def weight(self, key: str, owner: Catchment, row: int) -> Reckoning:
        """The share of a surface in its catchment: typed, of its area, or the remainder."""
        surface = owner.surfaces[row]
        share = Reckoning(
            title=f"share of {surface.name or f'surface {row + 1}'}",
            value=owner.weights[row],
            kind="share",
            symbol=f"w{row + 1}",
            place=f"{key}/surfaces/{row}/share",
        )
        if owner.land is not None:
            return replace(share, origin="its area over the sum of the table of cover and soil")
        if surface.share.typed is not None:
            return replace(share, origin=self.typed_by(key, f"surfaces/{row}/share", surface.share))
        if surface.area is not None:
            areas = self.setting(key, f"surfaces/{row}/area", symbol=f"A{row + 1}"), self.setting(key, "area")
            return replace(
                share, equation=f"w{row + 1} = A{row + 1} / A", inputs=areas, evaluate=lambda own, all: own / all
            )
        others = [self.weight(key, owner, other) for other in range(len(owner.surfaces)) if other != row]
        if not others:
            return replace(share, origin="the only surface")
        return replace(
            share,
            equation=f"w{row + 1} = {' − '.join(['1', *(one.symbol for one in others)])}",
            inputs=tuple(others),
            evaluate=lambda *given: 1 - sum(given),
        )


def _lag_of_greater(concentration: float, least: float) -> float:
    return lag_of_concentration(max(concentration, least))


class _Asked:
    """What a method at a path of an element may ask."""

    def __init__(self, book: SettingReckonings, key: str, path: str, node: Reckoning | None) -> None:
        self._book, self._key, self._path, self._node = book, key, path, node
        self.owner: str = book.element(key).name

    def own(self, name: str, unit: str = "", symbol: str = "") -> Reckoning:
        """A parameter of the method, or of the element if the path is empty."""
        return self._book.setting(self._key, f"{self._path}/{name}".lstrip("/"), unit, symbol)

    def around(self, name: str, unit: str = "", symbol: str = "") -> Reckoning:
        """A value of the element, or the step of the run; of a surface by itself its own where it has one."""
        holder = self._path.rpartition("/")[0]
        found = (
            self._book.around_surface(self._key, holder, name, unit, symbol)
            if holder.endswith("/route")
            else self._book.around(self._key, name, unit, symbol)
        )
        alike = not unit and self._node is not None and self._node.kind == found.kind
        return replace(found, unit=self._node.unit) if alike and self._node is not None else found

    def within(self, field: str) -> Asked:
        """What a method in one of its fields may ask."""
        return _Asked(self._book, self._key, f"{self._path}/{field}".lstrip("/"), self._node)


def followed(node: Reckoning, derivation: Derivation) -> Reckoning:
    """A node from a derivation."""
    return replace(
        node,
        equation=derivation.equation,
        source=derivation.source,
        inputs=derivation.inputs,
        evaluate=derivation.evaluate,
    )


def _of_channel(key: str, owner: Catchment, name: str, unit: str) -> Reckoning:
    """The hydraulic radius or the roughness of the channel of a flow path when full, from its section."""
    section, place = owner.channel[0], f"{key}/channel/0"
    full, told = section.full, f"{section.title} of the channel of {owner.name}, full"

    def of_section(title: str, value: float, kind: str, symbol: str, number_unit: str) -> Reckoning:
        return Reckoning(
            title, value, kind, symbol=symbol, unit=number_unit, origin=told, place=place, source=section.equation
        )

    area = of_section("area of the full section", full.area, "area", "A", "m²")
    wetted = of_section("wetted perimeter of the full section", full.wetted, "length", "P", "m")
    radius = Reckoning(
        "hydraulic radius of the full section", full.radius, "length", symbol="R", unit=unit or "m",
        equation="R = A / P", source=section.source, inputs=(area, wetted), evaluate=full_radius,
    )  # fmt: skip
    if name == "channel_radius":
        return radius
    conveyance = of_section("conveyance of the full section", full.conveyance, "flow", "K", "m³/s")
    inputs = area, replace(radius, unit="m"), conveyance
    return Reckoning(
        "roughness of the full section", full.roughness, "factor", symbol="n", equation="n = A R^(2/3) / K",
        source=section.source, inputs=inputs, evaluate=full_roughness,
    )  # fmt: skip


def part_source(field: str) -> str:
    """From what a length or a height of a part of the flow path is taken."""
    if field == "length":
        return "sheet flow up to 30.48 m, a channel from the first cell of a stream down, shallow flow between"
    return "the conditioned terrain"


def _fall_over(head: float, foot: float, length: float) -> float:
    return max((head - foot) / length, 0.0)


def _between_the_points(high: float, low: float, length: float) -> float:
    return (high - low) / (0.75 * length)


def _measure_source(field: str) -> str:
    return {
        "area": "cells that drain to the outlet times the area of a cell",
        "mean_slope": "Horn (1981), mean over the cells of the raw terrain",
        "flow_length": "longest path along the flow, from cell centre to cell centre",
        "path_slope": "fall on the conditioned terrain over the length",
        "slope_10_85": "(z85 − z10) / (0.75 L) on the conditioned terrain",
        "perimeter": "edges of the cells between inside and outside, or the outline that was given",
        "relief": "highest less lowest ground of the raw terrain",
        "centroid_length": "up the longest flow path to its place nearest to the middle of the catchment",
        "drainage_density": "length of the streams in it, from cell centre to cell centre, over its area",
        "length": "path along the flow between outlets",
        "slope": "fall on the conditioned terrain over the length",
    }.get(field, "")
