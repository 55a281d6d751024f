"""A channel or a culvert to scale with its water, and how its depth grows with the flow."""

from __future__ import annotations

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.drawings import Drawing, Measure, Note, Outline, Place, Shape
from tarnwater.plots import Axis, Curve, Level, Mark, Plot, Role, round_above
from tarnwater.routing.channels import Section
from tarnwater.routing.channels.design import ChannelCheck
from tarnwater.study.answers.channel_table import ChannelRow, CulvertRow, road_of
from tarnwater.study.document import Study

#: Depths of an outline, and points of a capacity curve; the curve goes up to this share above the flow.
OUTLINE, POINTS, BEYOND = 60, 80, 1.4


def _half_widths(section: Section) -> tuple[Floats, Floats]:
    """Depths up to the banks and half the width of the surface there, m."""
    depths = np.linspace(0.0, section.depth, OUTLINE)
    return depths, section.width(np.minimum(depths, section.depth * (1 - 1e-12))) / 2


def channel_drawing(study: Study, row: ChannelRow) -> Drawing | None:
    """The section of a channel to scale, as wide at each depth as it is, with its water; None without a section."""
    section = row.section
    if section is None:
        return None
    system = study.units
    depths, half = _half_widths(section)
    left: list[Place] = [(-float(h), float(z)) for z, h in zip(depths, half, strict=True)]
    right: list[Place] = [(float(h), float(z)) for z, h in zip(depths, half, strict=True)]
    wide, high = float(max(half.max(), 1e-3)), section.depth
    ground = 0.25 * max(wide, high)
    shapes: list[Shape] = []
    edge = ((-wide - ground, high), *left[::-1], *right, (wide + ground, high))
    low = -0.55 * high
    if not section.closed:
        body = (*edge, (wide + ground, low), (-wide - ground, low))
        shapes.append(Outline(body, "loss", closed=True, filled=0.16, width=0.0))
    states: list[tuple[str, ChannelCheck | None, Role]] = [
        ("normal depth", row.bare, "water"),
        ("grown over", row.grown, "loss"),
    ]
    for name, check, role in states:
        if check is None or not np.isfinite(check.uniform.depth):
            continue
        y = min(check.uniform.depth, section.depth)
        at = float(section.width(np.array(min(y, section.depth * (1 - 1e-12))))) / 2
        if role == "water":
            wet = [p for p in left if p[1] < y] + [(-at, y), (at, y)] + [p for p in right if p[1] < y][::-1]
            shapes.append(Outline(tuple(wet), "water", closed=True, filled=0.3, width=0.0))
        shapes.append(Outline(((-at, y), (at, y)), role, width=1.8))
        told = f"{name} {units.show(check.uniform.depth, 'length', system)}"
        # the two are often close: the higher one is written higher
        lift = 0.1 * high if role == "loss" else -0.1 * high if row.grown is not None else 0.0
        shapes.append(Note((at + 0.08 * wide, y + lift), told, role))
    shapes.append(Outline(edge if not section.closed else (*left[::-1], *right), "ink", width=1.6))
    top = 2 * float(half[-1])
    up = high + 0.14 * max(high, 0.3 * wide)
    if top > 0 and not section.closed:
        shapes.append(Measure((-top / 2, up), (top / 2, up), units.show(top, "length", system)))
    if half[0] > 0:
        down = low * 0.75
        bottom = units.show(2 * float(half[0]), "length", system)
        shapes.append(Measure((-float(half[0]), down), (float(half[0]), down), bottom))
    side = -wide - 0.5 * ground
    shapes.append(Measure((side, 0.0), (side, high), units.show(high, "length", system)))
    bounds = (-wide - 1.3 * ground, low, wide + 1.3 * ground, high + 0.4 * max(high, 0.3 * wide))
    slope = "" if row.slope is None else f", slope {units.show(row.slope, 'slope', system)}"
    return Drawing(row.name, f"{section.title}{slope}, true to scale", bounds, tuple(shapes))


def capacity_plot(study: Study, row: ChannelRow) -> Plot | None:
    """Depth by uniform flow, bare and grown over, with the banks and the flow that governs; None without a section."""
    if row.section is None or row.slope is None:
        return None
    system, section = study.units, row.section
    flow = 0.0 if row.carried is None else row.carried.flow
    depths = np.linspace(0.0, section.depth, POINTS)
    states: list[tuple[str, Floats]] = [("bare", section.normal_flow(depths, row.slope))]
    if row.grown is not None and row.bare is not None:
        ratio = row.grown_ratio
        states.append(("grown over", states[0][1] * ratio))
    most = max(float(states[0][1].max()), BEYOND * flow)
    unit = units.display_unit("flow", most, system)
    length = units.display_unit("length", section.depth, system)
    factor, rise = units.factor_of(unit, "flow"), units.factor_of(length, "length")
    curves = [
        Curve(flows / factor, depths / rise, "water" if name == "bare" else "loss", name, width=2.0)
        for name, flows in states
    ]
    marks: tuple[Mark, ...] = ()
    if row.bare is not None and np.isfinite(row.bare.uniform.depth):
        depth = row.bare.uniform.depth
        text = f"{units.show(flow, 'flow', unit=unit)} at {units.show(depth, 'length', unit=length)}"
        marks = (Mark(flow / factor, depth / rise, text),)
    x = Axis("uniform flow", unit, low=0.0, high=round_above(most / factor))
    y = Axis("depth", length, low=0.0)
    return Plot("capacity", x, y, tuple(curves), marks=marks, levels=(Level(section.depth / rise, "banks", "quiet"),))


def channel_profile(study: Study, row: ChannelRow) -> Plot | None:
    """The ground along the line of a channel, its banks and its water, above its bed; None without a line."""
    if row.laid is None or row.section is None or row.banks is None:
        return None
    system = study.units
    along = np.array(row.laid.along)
    ground = np.array(row.laid.ground) - (row.banks - row.section.depth)
    far = units.display_unit("length", row.laid.length, system)
    high = units.display_unit("length", float(np.abs(ground).max()), system)
    factor, rise = units.factor_of(far, "length"), units.factor_of(high, "length")
    ends = along[[0, -1]] / factor

    def level(height: float, role: Role, name: str) -> Curve:
        return Curve(ends, np.full(2, height / rise), role, name, tagged=True)

    curves = [Curve(along / factor, ground / rise, "loss", "ground", width=1.8)]
    curves.append(level(row.section.depth, "quiet", "banks"))
    if row.bare is not None and np.isfinite(row.bare.uniform.depth):
        curves.append(level(row.bare.uniform.depth, "water", "water"))
    curves.append(level(0.0, "ink", "bed"))
    marks: tuple[Mark, ...] = ()
    if row.above_ground is not None:
        over, at = row.above_ground
        lowest = float(np.interp(at, along, ground))
        marks = (Mark(at / factor, lowest / rise, f"water {units.show(over, 'length', system)} above the ground"),)
    name = study.ground_features[row.laid.line].name
    low, most = min(float(ground.min()), 0.0), max(float(ground.max()), row.section.depth)
    room = 0.08 * (most - low)
    x, y = (
        Axis("from its upper end", far, low=0.0),
        Axis("above the bed", high, (low - room) / rise, (most + room) / rise),
    )
    return Plot(f"the ground along {name}", x, y, tuple(curves), marks=marks)


def culvert_drawing(study: Study, row: CulvertRow) -> Drawing | None:
    """A culvert along its length, with the water before and behind it and the road over it; heights are exaggerated."""
    works, system = row.works, study.units
    barrel, own = works.barrel, works.barrel.barrel
    level = barrel.bottom + own.height if row.check is None else row.check.level
    behind = barrel.outlet if works.tailwater.value is None else max(works.tailwater.value, barrel.outlet)
    road = road_of(works)
    crown = barrel.bottom + own.height
    top = max(level, crown, behind, *(() if road is None else (road.crest,))) + 0.15 * own.height
    low = min(barrel.bottom, barrel.outlet)
    height = top - low
    # along the barrel the drawing is as long as three of its heights
    along = 1 / max(units.round_up(barrel.length / (3.0 * height), (1, 1.5, 2, 2.5, 3, 4, 5, 8)), 1.0)
    a, b = 0.0, barrel.length * along
    # the words of the headwater stand over the pool before it
    before, after = a - 1.8 * height, b + height
    ground = low - 0.25 * height
    shapes: list[Shape] = []
    bank = road.crest if road is not None else crown + 0.4 * own.height
    fill = ((a - 0.5 * height, barrel.bottom), (a, bank), (b, bank), (b + 0.5 * height, barrel.outlet))
    body = ((before, barrel.bottom), *fill, (after, barrel.outlet), (after, ground), (before, ground))
    shapes.append(Outline(body, "loss", closed=True, filled=0.16, width=0.0))
    pool = ((before, barrel.bottom), (before, level), (a, level), (a, barrel.bottom))
    shapes.append(Outline(pool, "water", closed=True, filled=0.25, width=0.0))
    shapes.append(Outline(((before, level), (a, level)), "water", width=1.8))
    if behind > barrel.outlet:
        tail = ((b, barrel.outlet), (b, behind), (after, behind), (after, barrel.outlet))
        shapes.append(Outline(tail, "water", closed=True, filled=0.25, width=0.0))
        shapes.append(Outline(((b, behind), (after, behind)), "water", width=1.8))
    pipe = ((a, barrel.bottom), (b, barrel.outlet), (b, barrel.outlet + own.height), (a, crown))
    shapes.append(Outline(pipe, "paper", closed=True, filled=0.85, width=0.0))
    shapes.append(Outline(pipe, "ink", closed=True, width=1.6))
    shapes.append(Outline(((a, bank), (b, bank)), "ink", width=1.6))
    told = f"headwater {units.show(level, 'height', system, digits=5)}"
    allowed = works.headwater.value
    if allowed is not None and allowed >= level:
        # above the water they would stand on the line of what is allowed
        shapes.append(Note((before, 0.5 * (barrel.bottom + level)), told, "water"))
    else:
        shapes.append(Note((before, level), told, "water", above=True))
    if allowed is not None:
        shapes.append(Outline(((before, allowed), (a, allowed)), "limit", style="dashed"))
        words = f"allowed {units.show(allowed, 'height', system, digits=5)}"
        # beside the water its words would stand on those of the headwater
        shapes.append(Note((a + 0.05 * height, allowed), words, "limit", above=True))
    down = ground * 0.5 + low * 0.5
    shapes.append(Measure((a, down), (b, down), units.show(barrel.length, "length", system)))
    middle = ((a + b) / 2, (barrel.bottom + barrel.outlet + own.height) / 2)
    size = units.show(own.height, "length", system)
    shapes.append(Note(middle, f"{barrel.barrels} × {size}", side="middle"))
    told = f"lengths 1/{1 / along:g} of heights" if along < 1 else "true to scale"
    return Drawing(works.name, told, (before, ground, after, top + 0.2 * height), tuple(shapes))


def culvert_plot(study: Study, row: CulvertRow) -> Plot:
    """Headwater by flow under inlet and outlet control."""
    works, system = row.works, study.units
    barrel = works.barrel
    flow = row.carried.flow if row.carried is not None else max(row.full, 0.1)
    flows = np.linspace(0.0, BEYOND * flow, POINTS)[1:]
    tail = np.array([barrel.outlet if works.tailwater.value is None else max(works.tailwater.value, barrel.outlet)])
    by_inlet, by_outlet = barrel.headwaters_apart(flows, tail)
    unit = units.display_unit("flow", float(flows[-1]), system)
    height = units.units_of("height", system)[0]
    factor, rise = units.factor_of(unit, "flow"), units.factor_of(height, "height")
    curves = [
        Curve(flows / factor, by_inlet / rise, "ink", "by inlet", "dashed"),
        Curve(flows / factor, by_outlet[0] / rise, "loss", "by outlet", "dashdot"),
        Curve(flows / factor, np.maximum(by_inlet, by_outlet[0]) / rise, "water", "governs", width=2.2),
    ]
    levels = []
    if works.headwater.value is not None:
        levels.append(Level(works.headwater.value / rise, "allowed"))
    if works.road_level.value is not None:
        levels.append(Level(works.road_level.value / rise, "road", "quiet"))
    x = Axis("flow", unit, low=0.0, high=float(flows[-1]) / factor)
    highest = max(float(np.maximum(by_inlet, by_outlet[0])[-1]), *(level.y * rise for level in levels), 0.0)
    span = highest - barrel.bottom
    y = Axis("headwater", height, low=barrel.bottom / rise, high=(highest + 0.08 * span) / rise)
    return Plot("headwater by the flow of all barrels", x, y, tuple(curves), levels=tuple(levels))
