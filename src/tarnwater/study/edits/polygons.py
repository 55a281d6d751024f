"""Polygons from outside become catchments: what their fields mean, which are left out, and where each drains."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from tarnwater import units
from tarnwater.errors import EditRefused
from tarnwater.formats.vector import Rejected, Value, VectorLayer
from tarnwater.network.elements import Catchment, Confluence, Link, Outfall, Reach
from tarnwater.network.elements.element import Element
from tarnwater.progress import Progress
from tarnwater.study.document import Study, changed
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.delineation import line_blob, on_ground
from tarnwater.study.edits.names import slug
from tarnwater.study.edits.values import type_values
from tarnwater.terrain.areas import AreaOnGround, areas_on_ground
from tarnwater.terrain.boundaries import Fault, faults_between, without_faults
from tarnwater.terrain.drainage import Drainage

if TYPE_CHECKING:
    from shapely.geometry import MultiPolygon
    from shapely.geometry.base import BaseGeometry

#: Where the catchments drain: into the ones named by a field, all into one outfall, each into its own, or as the
#: terrain leads.
Drains = Literal["named", "one outfall", "an outfall each", "terrain"]

#: Polygons of less than this area, m2, or thinner than this, m, are slivers.
SLIVER_AREA, SLIVER_WIDTH = 1.0, 0.01

#: Least share of an area that must drain to its outlet by the terrain without a note.
MOSTLY = 0.95


@dataclass(frozen=True)
class Fields:
    """Fields of a layer that hold the name, curve number, area and downstream name; empty ones are not used.

    ``area_unit`` is the unit of the area field.
    """

    name: str = ""
    curve_number: str = ""
    area: str = ""
    area_unit: str = "m²"
    downstream: str = ""


@dataclass(frozen=True, eq=False)
class Candidate:
    """A polygon that can become a catchment: its row, name, shape, area m2, perimeter m, and what its fields say."""

    number: int
    name: str
    shape: MultiPolygon
    area: float
    perimeter: float
    curve_number: float | None = None
    stated_area: float | None = None
    downstream: str = ""

    @property
    def place(self) -> tuple[float, float]:
        """A place inside it."""
        inside = self.shape.representative_point()
        return float(inside.x), float(inside.y)


@dataclass(frozen=True, eq=False)
class Offer:
    """What a layer offers: polygons that can become catchments, rows that are left out, notes, gaps and overlaps."""

    candidates: tuple[Candidate, ...]
    rejected: tuple[Rejected, ...]
    notes: tuple[str, ...]
    faults: tuple[Fault, ...] = ()


def proposed_fields(layer: VectorLayer) -> Fields:
    """Fields by their usual names."""

    def first(pattern: str) -> str:
        return next((name for name in layer.fields if re.fullmatch(pattern, name, re.IGNORECASE)), "")

    return Fields(
        name=first(r"name|title|label|id|catchment|subcatchment|basin"),
        curve_number=first(r"cn|cn2|curve_?n(umber|o)?"),
        area="",
        downstream=first(r"down(stream)?(_?name|_?id)?|drains_?to|outlet|to"),
    )


def offer(study: Study, layer: VectorLayer, fields: Fields, metres: float = 1.0, *, mend_up_to: float = 0.0) -> Offer:
    """Look at the polygons of a layer in the study's coordinate system; ``metres`` are those in one of its units.

    Left out, each with its place: what is no polygon, crosses itself, has no area, or is there already. Values that
    cannot be read are told, and so are gaps and overlaps, those up to ``mend_up_to`` m2 mended.
    """
    taken = {e.name.casefold() for e in study.all_elements.values()}
    found: list[Candidate] = []
    left = list(layer.rejected)
    notes = list(layer.notes)
    seen: dict[bytes, int] = {}
    for index, shape in enumerate(layer.shapes):
        number = layer.numbers[index]
        fault = _fault(shape, metres)
        if fault is not None:
            left.append(Rejected(number, *fault))
            continue
        twin = seen.setdefault(_print_of(shape), number)
        if twin != number:
            left.append(Rejected(number, f"is the same as row {twin}", _inside(shape)))
            continue
        name = _free_name(layer.value(fields.name, index), number, taken)
        taken.add(name.casefold())
        values = _Row(layer, index, name, notes)
        found.append(
            Candidate(
                number=number,
                name=name,
                shape=_as_parts(shape),
                area=float(shape.area) * metres**2,
                perimeter=float(shape.length) * metres,
                curve_number=values.curve_number(fields.curve_number),
                stated_area=values.area(fields.area, fields.area_unit),
                downstream=values.text(fields.downstream),
            )
        )
    if mend_up_to > 0:
        before = found
        found, closed = _repaired(found, left, mend_up_to, metres)
        notes += [f"mended: {words_of_fault(fault, before, study.units, metres)}" for fault in closed]
    faults = tuple(faults_between([one.shape for one in found]))
    notes += [words_of_fault(fault, found, study.units, metres) for fault in faults]
    return Offer(tuple(found), tuple(left), tuple(notes), faults)


@dataclass
class _Row:
    """Values of one row; those that cannot be read are told and left out."""

    layer: VectorLayer
    index: int
    name: str
    notes: list[str]

    def text(self, name: str) -> str:
        """A text."""
        value = self.layer.value(name, self.index) if name else None
        return "" if value is None else _as_text(value)

    def number(self, name: str) -> float | None:
        """A number."""
        value = self.layer.value(name, self.index) if name else None
        if value is None or (isinstance(value, str) and not value.strip()):
            return None
        try:
            return float(value)
        except ValueError:
            self._tell(name, f"“{value}” is no number")
            return None

    def curve_number(self, name: str) -> float | None:
        """A curve number, above 0 and up to 100."""
        number = self.number(name)
        if number is not None and not 0 < number <= 100:
            self._tell(name, f"{number:g} is no curve number")
            return None
        return number

    def area(self, name: str, unit: str) -> float | None:
        """An area, m2."""
        number = self.number(name)
        if number is None:
            return None
        if not 0 < number < 1e13:
            self._tell(name, f"{number:g} is no area")
            return None
        return units.convert(number, unit, "area")

    def _tell(self, name: str, what: str) -> None:
        number = self.layer.numbers[self.index]
        self.notes.append(f"row {number}, {self.name}: {what}, the field {name} was not used")


def _as_text(value: Value) -> str:
    return f"{value:g}" if isinstance(value, float) and not isinstance(value, bool) else str(value).strip()


def _free_name(value: Value, number: int, taken: set[str]) -> str:
    """The name in a row, or its number, with another number behind it where it is taken."""
    stem = "" if value is None else _as_text(value)
    stem = " ".join(stem.split())[:80] or f"Catchment {number}"
    name, count = stem, 2
    while name.casefold() in taken:
        name, count = f"{stem} {count}", count + 1
    return name


def _inside(shape: BaseGeometry) -> tuple[float, float]:
    x, y = shape.representative_point().coords[0][:2]
    return float(x), float(y)


def _fault(shape: BaseGeometry, metres: float) -> tuple[str, tuple[float, float]] | None:
    """Why a shape cannot be a catchment, and where; None if it can."""
    import shapely

    if shape.geom_type not in ("Polygon", "MultiPolygon"):
        start = shapely.get_coordinates(shape)[0]
        what = "is a line, which encloses no area" if "Line" in shape.geom_type else "is no area"
        return what, (float(start[0]), float(start[1]))
    reason = shapely.is_valid_reason(shape)
    if reason != "Valid Geometry":
        at = re.search(r"\[(\S+) (\S+)\]", reason)
        start = shapely.get_coordinates(shape)[0]
        place = (float(at[1]), float(at[2])) if at else (float(start[0]), float(start[1]))
        what = (
            "has an outline that crosses itself"
            if "ntersection" in reason
            else f"is no polygon ({reason.split('[')[0].lower()})"
        )
        return what, place
    area, edge = shape.area * metres**2, shape.length * metres
    if area < SLIVER_AREA or (edge > 0 and 2 * area / edge < SLIVER_WIDTH):
        return "is a sliver without area", _inside(shape)
    return None


def _print_of(shape: BaseGeometry) -> bytes:
    """Bytes that are the same for shapes with the same outline, wherever it begins and whichever way it turns."""
    import shapely

    found: bytes = shapely.to_wkb(shapely.normalize(shapely.set_precision(shape, 1e-6, mode="pointwise")))
    return found


def _as_parts(shape: BaseGeometry) -> MultiPolygon:
    from shapely.geometry import MultiPolygon

    return shape if isinstance(shape, MultiPolygon) else MultiPolygon([shape])


def _repaired(
    found: list[Candidate], left: list[Rejected], up_to: float, metres: float
) -> tuple[list[Candidate], list[Fault]]:
    """The candidates with gaps and overlaps up to an area, m2, closed; one of which nothing is left is rejected."""
    shapes, closed = without_faults([one.shape for one in found], up_to / metres**2)
    kept = []
    for one, shape in zip(found, shapes, strict=True):
        if shape.is_empty:
            left.append(Rejected(one.number, "lies wholly in areas above it", one.place))
        else:
            area, edge = float(shape.area) * metres**2, float(shape.length) * metres
            kept.append(replace(one, shape=_as_parts(shape), area=area, perimeter=edge))
    return kept, closed


def words_of_fault(fault: Fault, found: Sequence[Candidate], system: units.System, metres: float) -> str:
    """A gap or overlap in words, with its area and the areas it lies between."""
    area = units.show(fault.area * metres**2, "area", system)
    names = [found[index].name for index in fault.between if index < len(found)]
    if fault.kind == "overlap":
        return f"{names[0]} and {names[1]} overlap by {area}"
    return f"a gap of {area} between {', '.join(names[:-1])} and {names[-1]}"


@dataclass(frozen=True, eq=False)
class Plan:
    """Catchments to make, and for each the position of the one it drains into, -1 for an outfall.

    ``ground`` has where each lies on the terrain, if there is one; ``notes`` say what is doubtful.
    """

    candidates: tuple[Candidate, ...]
    downstream: tuple[int, ...]
    one_outfall: bool = False
    ground: tuple[AreaOnGround, ...] = ()
    notes: tuple[str, ...] = field(default=())

    def target(self, index: int) -> str:
        """What a catchment drains into, in words."""
        below = self.downstream[index]
        if below >= 0:
            return self.candidates[below].name
        return "one outfall" if self.one_outfall else "its own outfall"


def plan(
    candidates: Sequence[Candidate],
    drains: Drains,
    drainage: Drainage | None = None,
    progress: Progress | None = None,
    *,
    threshold: float | None = None,
) -> Plan:
    """Plan where each candidate drains, and measure it on the terrain if there is one.

    ``threshold`` m2 is the area that makes a stream.

    Raises `EditRefused` for drainage by the terrain without a terrain, and for named ones that run in a circle.
    """
    shapes = [one.shape for one in candidates]
    ground = (
        tuple(areas_on_ground(drainage, shapes, progress, threshold=threshold))
        if drainage is not None and shapes
        else ()
    )
    notes: list[str] = []
    downstream = [-1] * len(candidates)
    if drains == "terrain":
        if drainage is None:
            raise EditRefused("there is no terrain.", remedy="Open one first, or choose another way of draining.")
        # no circle can come of it: down its way every outlet has more land above it than the one before
        downstream = [one.downstream for one in ground]
    elif drains == "named":
        downstream = _named(candidates, notes)
    for one, on in zip(candidates, ground, strict=False):
        if on.outlet is None:
            notes.append(f"{one.name} lies beside the terrain and is not measured on it")
        elif on.covered < 1 - 0.5 * (1 - MOSTLY):
            notes.append(f"{100 * (1 - on.covered):.0f} % of {one.name} lie beside the terrain")
        if on.outlet is not None and on.drains < MOSTLY:
            notes.append(
                f"by the terrain {100 * (1 - on.drains):.0f} % of {one.name} drain elsewhere than to its outlet"
            )
    _refuse_circles(candidates, downstream)
    return Plan(tuple(candidates), tuple(downstream), drains == "one outfall", ground, tuple(notes))


def _named(candidates: Sequence[Candidate], notes: list[str]) -> list[int]:
    known = {one.name.casefold(): index for index, one in enumerate(candidates)}
    downstream = []
    for one in candidates:
        below = known.get(one.downstream.casefold(), -1) if one.downstream else -1
        if one.downstream and below < 0:
            notes.append(f"{one.name} is to drain into “{one.downstream}”, which is not there; it gets an outfall")
        downstream.append(below)
    return downstream


def _refuse_circles(candidates: Sequence[Candidate], downstream: Sequence[int]) -> None:
    for start in range(len(candidates)):
        passed = [start]
        while (below := downstream[passed[-1]]) >= 0:
            if below in passed:
                ring = " → ".join(candidates[i].name for i in [*passed[passed.index(below) :], below])
                raise EditRefused(f"these drain in a circle: {ring}.", remedy="Correct the downstream names.")
            passed.append(below)


@edit("import the catchments of {source}")
def take_polygons(
    study: Study, made: Plan, blobs: Blobs, source: str, *, crs: str = "", by: str = "", at: str = ""
) -> Study:
    """Make a catchment of each polygon, connected as planned, in one act.

    Each gets a node at its outlet, a confluence or an outfall; between nodes there is a reach along the terrain, or a
    link where there is no terrain. Stated areas and curve numbers are typed, with the source as their note.
    """
    from shapely import to_wkb

    if not made.candidates:
        raise EditRefused("there is no polygon to import.", where=source, remedy="Choose another layer or file.")
    keys = _keys(study, made)
    elements: dict[str, Element] = dict(study.elements)
    links = dict(study.links)
    common = ""
    if made.one_outfall:
        name = _free_name("Outfall", 0, {e.name.casefold() for e in study.all_elements.values()})
        common = slug(name, {**study.all_elements, **dict.fromkeys(keys)})
        lowest = max(range(len(keys)), key=lambda i: made.candidates[i].area)
        elements[common] = Outfall(name=name, place=_node_place(made, lowest))
    for index, (key, one) in enumerate(zip(keys, made.candidates, strict=True)):
        elements[key] = _catchment(one, made, index, blobs.add("geometry", to_wkb(one.shape)), blobs)
        if common:
            links[f"{key}-runoff"] = Link(up=key, down=common)
            continue
        node = Outfall if made.downstream[index] < 0 else Confluence
        elements[f"{key}-outlet"] = node(name=f"{one.name} outlet", place=_node_place(made, index))
        links[f"{key}-runoff"] = Link(up=key, down=f"{key}-outlet")
        if made.downstream[index] >= 0:
            _lead_on(made, keys, index, elements, links, blobs)
    study = changed(study, elements=elements, links=links, crs=study.crs or crs)
    return _typed(study, keys, made, source, by, at)


def _keys(study: Study, made: Plan) -> list[str]:
    keys: list[str] = []
    for one in made.candidates:
        known = {**study.all_elements, **study.outlets, **dict.fromkeys(keys)}
        keys.append(slug(one.name, known))
    return keys


def _catchment(one: Candidate, made: Plan, index: int, outline: str, blobs: Blobs) -> Catchment:
    catchment = Catchment(name=one.name)
    update: dict[str, Any] = {
        "area": catchment.area.with_derived(one.area),
        "perimeter": catchment.perimeter.with_derived(one.perimeter),
        "outline": outline,
        "place": one.place,
        "drawn": True,
    }
    if made.ground:
        update |= on_ground(catchment, made.ground[index], blobs)
    return catchment.model_copy(update=update).refreshed()


def _node_place(made: Plan, index: int) -> tuple[float, float]:
    """The outlet on the terrain, or the lowest place of the outline on the page: its southern end."""
    if made.ground and (outlet := made.ground[index].outlet) is not None:
        return outlet
    import shapely

    points = shapely.get_coordinates(made.candidates[index].shape)
    south = points[int(np.argmin(points[:, 1]))]
    return float(south[0]), float(south[1])


def _lead_on(
    made: Plan,
    keys: Sequence[str],
    index: int,
    elements: dict[str, Element],
    links: dict[str, Link],
    blobs: Blobs,
) -> None:
    """Lead the water of a node to the next one: along the terrain by a reach, otherwise by a link."""
    key, below = keys[index], keys[made.downstream[index]]
    on = made.ground[index] if made.ground else None
    if on is None or on.course is None or on.downstream != made.downstream[index]:
        links[f"{key}-on"] = Link(up=f"{key}-outlet", down=f"{below}-outlet")
        return
    course = on.course
    reach = Reach(name=f"{made.candidates[index].name} to {made.candidates[made.downstream[index]].name}")
    elements[f"{key}-reach"] = reach.model_copy(
        update={
            "length": reach.length.with_derived(course.length),
            "slope": reach.slope.with_derived(course.slope),
            "raw_slope": course.on_raw_ground.slope,
            "path": line_blob(course.line, blobs),
            "place": tuple(float(v) for v in course.line[len(course.line) // 2]),
        }
    ).refreshed()
    links[f"{key}-reach-in"] = Link(up=f"{key}-outlet", down=f"{key}-reach")
    links[f"{key}-reach-out"] = Link(up=f"{key}-reach", down=f"{below}-outlet")


def _typed(study: Study, keys: Sequence[str], made: Plan, source: str, by: str, at: str) -> Study:
    values: list[tuple[str, str, Any]] = []
    for key, one in zip(keys, made.candidates, strict=True):
        if one.stated_area is not None:
            values.append((key, "area", one.stated_area))
        if one.curve_number is not None:
            values.append((key, "surfaces/0/loss/curve_number", one.curve_number))
    return type_values(study, values, by=by, at=at, note=f"stated in {source}") if values else study
