"""Drawings (DXF): outlines, lines, points and texts of their layers, with arcs, splines and blocks made straight."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tarnwater.errors import VectorError
from tarnwater.formats.opening import first_bytes
from tarnwater.formats.vector import ARC_STEP, OPEN, Rejected, Value, VectorLayer, layer_of
from tarnwater.units import FOOT, US_SURVEY_FOOT

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

#: Metres in one unit of a drawing, by the code of its header; other codes are no units of plans.
UNITS = {1: 0.0254, 2: FOOT, 4: 0.001, 5: 0.01, 6: 1.0, 7: 1000.0, 14: 0.1, 21: US_SURVEY_FOOT}

#: The fields of every layer.
LAYER, LABEL, COLOUR = "layer", "label", "colour"

#: Distance of the ends of an outline, as a share of its extent, that is closed without a word: rounding.
CLOSED = 1e-9

#: Blocks within blocks that are opened, at most.
DEEPEST = 16

#: Shapes of a drawing, at most.
MOST_SHAPES = 1_000_000


@dataclass
class _Found:
    """What was found in a drawing."""

    shapes: list[BaseGeometry] = field(default_factory=list)
    layers: list[str] = field(default_factory=list)
    colours: list[float] = field(default_factory=list)
    rows: list[int] = field(default_factory=list)
    texts: list[tuple[str, tuple[float, float]]] = field(default_factory=list)
    rejected: list[Rejected] = field(default_factory=list)
    made_straight: Counter[str] = field(default_factory=Counter)
    passed_over: Counter[str] = field(default_factory=Counter)
    opened: int = 0
    number: int = 0


def drawing_layers(path: Path) -> tuple[str, ...]:
    """Names of the layers of a drawing that hold something, sorted."""
    document, _ = _opened(path)
    return tuple(sorted({str(entity.dxf.layer) for entity in document.modelspace()}))


def read_drawing(path: Path, layers: tuple[str, ...] = (), *, crs: str = "", unit: float | None = None) -> VectorLayer:
    """Read the shapes of some layers of a drawing, or of all.

    Parameters
    ----------
    crs : its coordinate system, which a drawing does not state.
    unit : metres in one unit of the drawing; by default that of its header, or metres, which is said.

    Closed polylines, circles, ellipses and hatches are areas, other polylines, lines, arcs and splines are lines.
    A polyline whose end comes within a twentieth of its extent to its beginning is an outline left open: it is
    rejected, with its place. A text inside an outline is its ``label``; ``layer`` and ``colour`` are fields too. In the
    result, coordinates are in metres. Raises `VectorError` for a file that is missing, damaged, or no drawing.
    """
    document, mended = _opened(path)
    found = _Found()
    for entity in document.modelspace():
        if not layers or entity.dxf.layer in layers:
            _take(entity, found, 0)
    factor, said = _unit_of(document, unit)
    notes = [said, *([f"the drawing had {mended} faults, which were mended in reading"] if mended else [])]
    notes += _told(found)
    shapes = _scaled(found.shapes, factor)
    texts = [(text, (x * factor, y * factor)) for text, (x, y) in found.texts]
    labels = _labels(shapes, texts)
    columns: dict[str, tuple[Value, ...]] = {
        LAYER: tuple(found.layers), LABEL: tuple(labels), COLOUR: tuple(found.colours),
    }  # fmt: skip
    rejected = [
        Rejected(one.number, one.what, None if one.place is None else (one.place[0] * factor, one.place[1] * factor))
        for one in found.rejected
    ]
    return layer_of(path.stem, crs, shapes, found.rows, columns, notes, rejected)


def looks_like_drawing(start: bytes) -> bool:
    """Whether a file begins as a DXF text does: with a group code 0 or 999 in its first line."""
    first = start.lstrip(b"\xef\xbb\xbf").split(b"\n", 1)[0].strip()
    return first in (b"0", b"999")


def _opened(path: Path) -> tuple[Any, int]:
    """The drawing, and the number of faults in it that were mended."""
    from ezdxf import recover
    from ezdxf.lldxf.const import DXFError

    where = str(path)
    start = first_bytes(path, VectorError)
    if not looks_like_drawing(start):
        raise VectorError("the file does not begin as a DXF drawing.", where=where, remedy="Save it as DXF text.")
    what = "the drawing is damaged or cut short."
    if _last_word(path) != b"EOF":
        raise VectorError(what, where=where, remedy="Save it as DXF again.")
    try:
        document, audit = recover.readfile(path)
    except (DXFError, OSError, ValueError, KeyError, IndexError, AttributeError, TypeError) as error:
        raise VectorError(what, where=where, remedy="Save it as DXF again.") from error
    return document, len(audit.errors)


def _last_word(path: Path) -> bytes:
    with path.open("rb") as raw:
        raw.seek(max(path.stat().st_size - 256, 0))
        return (raw.read().split() or [b""])[-1]


def _unit_of(document: Any, given: float | None) -> tuple[float, str]:
    if given is not None:
        return given, f"one unit of the drawing was taken as {given:.10g} m, as asked"
    code = int(document.header.get("$INSUNITS", 0))
    if code in UNITS:
        return UNITS[code], f"the drawing states its unit: {UNITS[code]:.10g} m"
    return 1.0, "the drawing states no unit; metres were taken"


def _told(found: _Found) -> Iterator[str]:
    if found.opened:
        yield f"blocks that were opened: {found.opened}"
    for kind, count in sorted(found.made_straight.items()):
        yield f"{kind}, given chords of {ARC_STEP}°: {count}"
    for kind, count in sorted(found.passed_over.items()):
        yield f"objects passed over, {kind}: {count}"


def _take(entity: Any, found: _Found, depth: int) -> None:
    """Add what an entity shows."""
    kind = entity.dxftype()
    if kind == "INSERT":
        _take_block(entity, found, depth)
        return
    found.number += 1
    if found.number > MOST_SHAPES:
        raise VectorError("the drawing has more than 1,000,000 objects.", remedy="Choose some of its layers.")
    if kind in ("TEXT", "MTEXT", "ATTRIB"):
        place = entity.dxf.insert
        text = entity.plain_text() if kind == "MTEXT" else entity.dxf.text
        found.texts.append((" ".join(str(text).split()), (float(place.x), float(place.y))))
    elif kind == "POINT":
        from shapely.geometry import Point

        _keep(Point(entity.dxf.location.x, entity.dxf.location.y), entity, found)
    elif kind == "HATCH":
        _take_hatch(entity, found)
    elif kind in ("LINE", "LWPOLYLINE", "POLYLINE", "ARC", "CIRCLE", "ELLIPSE", "SPLINE"):
        _take_line(entity, kind, found)
    else:
        found.passed_over[kind] += 1


def _take_block(entity: Any, found: _Found, depth: int) -> None:
    from ezdxf.lldxf.const import DXFError

    if depth >= DEEPEST:
        found.passed_over["INSERT"] += 1
        return
    found.opened += 1
    for attribute in entity.attribs:
        _take(attribute, found, depth)
    try:
        parts = list(entity.virtual_entities())
    except (DXFError, ValueError, TypeError):
        found.passed_over["INSERT"] += 1
        return
    for part in parts:
        # what lies on layer 0 of a block lies on the layer of the block
        if part.dxf.layer == "0":
            part.dxf.layer = entity.dxf.layer
        _take(part, found, depth + 1)


def _take_hatch(entity: Any, found: _Found) -> None:
    """Add the outlines of a hatch as one area; those inside others are its holes."""
    from ezdxf.path import from_hatch_boundary_path
    from shapely.geometry import Polygon

    area = None
    for boundary in entity.paths:
        vertices = getattr(boundary, "vertices", None)
        if vertices is not None:
            points = _bulged([tuple(vertex[:3]) for vertex in vertices], closed=True)
        else:
            # arcs between edges come as cubic curves, which lie within 0.03 % of their radius
            points = _flat(from_hatch_boundary_path(boundary))
        if len(points) < 3:
            continue
        ring = Polygon(points)
        area = ring if area is None else area.symmetric_difference(ring) if area.is_valid and ring.is_valid else area
    if area is not None and not area.is_empty:
        _keep(area, entity, found)


def _take_line(entity: Any, kind: str, found: _Found) -> None:
    from shapely.geometry import LineString, Polygon

    points, closed, curved = _points_of(entity, kind)
    if curved:
        found.made_straight["arcs and splines"] += 1
    points = points[np.r_[True, (np.diff(points, axis=0) != 0).any(axis=1)]] if len(points) else points
    if len(points) < 2:
        found.rejected.append(Rejected(found.number, "has no length", _first(points)))
        return
    extent = float(np.ptp(points, axis=0).max())
    gap = float(np.hypot(*(points[0] - points[-1])))
    if len(points) > 2 and (closed or gap <= CLOSED * extent):
        _keep(Polygon(points), entity, found)
    elif kind != "LINE" and len(points) > 3 and gap <= NEARLY * extent:
        found.rejected.append(Rejected(found.number, f"{OPEN}, on the layer {entity.dxf.layer}", _first(points)))
    else:
        _keep(LineString(points), entity, found)


def _points_of(entity: Any, kind: str) -> tuple[np.ndarray, bool, bool]:
    """Points (points, 2) along an entity, whether it is closed, and whether it has curves."""
    step = math.radians(ARC_STEP)
    match kind:
        case "LINE":
            return _plane([entity.dxf.start, entity.dxf.end]), False, False
        case "CIRCLE" | "ARC":
            # the sagitta of a chord of the step
            sagitta = abs(entity.dxf.radius) * (1 - math.cos(step / 2))
            return _plane(entity.flattening(sagitta)), kind == "CIRCLE", True
        case "ELLIPSE":
            size = entity.dxf.major_axis.magnitude
            whole = abs(entity.dxf.end_param - entity.dxf.start_param) >= 2 * math.pi - 1e-9
            return _plane(entity.flattening(size * (1 - math.cos(step / 2)))), whole, True
        case "SPLINE":
            return _flat_spline(entity), bool(entity.closed), True
        case "LWPOLYLINE":
            vertices = [(x, y, bulge) for x, y, bulge in entity.get_points("xyb")]
            return _in_world(entity, vertices, bool(entity.closed))
        case _:
            places = [(v.dxf.location.x, v.dxf.location.y, v.dxf.get("bulge", 0.0)) for v in entity.vertices]
            if entity.is_2d_polyline:
                return _in_world(entity, places, bool(entity.is_closed))
            return np.array(places, float).reshape(-1, 3)[:, :2], bool(entity.is_closed), False


def _in_world(entity: Any, vertices: list[tuple[float, float, float]], closed: bool) -> tuple[np.ndarray, bool, bool]:
    """Points of a flat polyline, which may lie on its back: then east and west change sides."""
    points = _bulged(vertices, closed=closed)
    world = entity.ocs()
    if world.transform:
        points = _plane(world.points_to_wcs([(x, y, 0.0) for x, y in points.tolist()]))
    return points, closed, any(bulge for _, _, bulge in vertices)


def _bulged(vertices: list[tuple[float, float, float]], *, closed: bool) -> np.ndarray:
    """Points along vertices (x, y, bulge); a bulge, the tangent of a quarter of its angle, makes its side an arc."""
    points: list[tuple[float, float]] = []
    ends = [*vertices[1:], vertices[0]] if closed and vertices else vertices[1:]
    for (x, y, bulge), (x2, y2, _) in zip(vertices, ends, strict=False):
        points.append((x, y))
        chord = math.hypot(x2 - x, y2 - y)
        if not bulge or chord == 0:
            continue
        angle = 4 * math.atan(bulge)
        # the centre lies on the middle of the chord's normal
        away = (1 - bulge * bulge) / (4 * bulge)
        centre = (x + x2) / 2 - away * (y2 - y), (y + y2) / 2 + away * (x2 - x)
        begin, radius = math.atan2(y - centre[1], x - centre[0]), chord * (1 + bulge * bulge) / (4 * abs(bulge))
        pieces = max(math.ceil(abs(angle) / math.radians(ARC_STEP)), 1)
        for piece in range(1, pieces):
            turned = begin + angle * piece / pieces
            points.append((centre[0] + radius * math.cos(turned), centre[1] + radius * math.sin(turned)))
    if not closed and vertices:
        points.append(vertices[-1][:2])
    return np.array(points, float).reshape(-1, 2)


def _plane(points: Any) -> np.ndarray:
    return np.array([(p[0], p[1]) for p in points], float).reshape(-1, 2)


def _flat_spline(entity: Any) -> np.ndarray:
    controls = [*entity.control_points, *entity.fit_points]
    size = float(np.ptp(_plane(controls), axis=0).max()) if controls else 1.0
    return _plane(entity.flattening(max(size / 2 * (1 - math.cos(math.radians(ARC_STEP) / 2)), 1e-12), 16))


#: Ends of a polyline nearer to each other than this share of its extent were meant to meet.
NEARLY = 0.05


def _first(points: np.ndarray) -> tuple[float, float] | None:
    return (float(points[0, 0]), float(points[0, 1])) if len(points) else None


def _flat(path: Any) -> np.ndarray:
    """Points (points, 2) of a path; curves get chords that turn by less than the step of arcs."""
    size = max((math.hypot(p.x - path.start.x, p.y - path.start.y) for p in path.control_vertices()), default=0.0)
    # the sagitta of a chord of the step on a circle of half that size
    sagitta = max(size / 2 * (1 - math.cos(math.radians(ARC_STEP) / 2)), 1e-12)
    points = [(p.x, p.y) for p in path.flattening(sagitta, segments=16)]
    return np.array(points, float).reshape(-1, 2)


def _keep(shape: BaseGeometry, entity: Any, found: _Found) -> None:
    found.shapes.append(shape)
    found.rows.append(found.number)
    found.layers.append(str(entity.dxf.layer))
    found.colours.append(float(entity.dxf.get("color", 256)))


def _scaled(shapes: list[BaseGeometry], factor: float) -> list[BaseGeometry]:
    import shapely

    return shapes if factor == 1.0 else [shapely.transform(shape, lambda points: points * factor) for shape in shapes]


def _labels(shapes: list[BaseGeometry], texts: list[tuple[str, tuple[float, float]]]) -> list[str | None]:
    """For each shape the text inside it; of several areas around a text the smallest has it."""
    import shapely

    labels: list[str | None] = [None] * len(shapes)
    areas = np.array([i for i, s in enumerate(shapes) if s.geom_type in ("Polygon", "MultiPolygon")], int)
    if not len(areas) or not texts:
        return labels
    polygons = np.array([shapes[i] for i in areas], object)
    places = shapely.points([place for _, place in texts])
    which, holder = shapely.STRtree(polygons).query(places, predicate="within")
    size = shapely.area(polygons)
    best: dict[int, int] = {}
    for text, area in zip(which.tolist(), holder.tolist(), strict=True):
        if text not in best or size[area] < size[best[text]]:
            best[text] = area
    for text, area in sorted(best.items()):
        index = int(areas[area])
        labels[index] = texts[text][0] if labels[index] is None else f"{labels[index]} {texts[text][0]}"
    return labels
