"""Asks a server of OGC API - Features (OGC 17-069r4) for the rain depths of cells about a place.

A feature is one depth of one cell: its polygon in longitude and latitude, and among its properties a duration, a return
period and a depth with their units. The names of the properties are recognised by their words.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import urljoin, urlparse

import numpy as np

from tarnwater import units
from tarnwater.arrays import Floats
from tarnwater.errors import BadInput, TarnwaterError, UnitError
from tarnwater.progress import Progress
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.depths import Series

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

#: Seconds that a server has for one answer.
PATIENCE = 15.0

#: Pages, features and bytes that are read of an answer.
MOST_PAGES, MOST_FEATURES, MOST_BYTES = 200, 200_000, 50_000_000

#: Features of one page that are asked for.
PAGE = 1000

#: Share of a catchment that must be covered by cells.
COVERED = 0.999

_DURATION = re.compile(r"dur", re.IGNORECASE)
_PERIOD = re.compile(r"return|period|\bari\b|frequency", re.IGNORECASE)
_DEPTH = re.compile(r"depth|rain|precip", re.IGNORECASE)
_UNIT_AT_END = re.compile(r"[_\s(\[](min|minutes|h|hours|s|d|days|mm|in|inch|cm|m|years|yr)[)\]]?$", re.IGNORECASE)


class ServiceError(BadInput):
    """A server that cannot be reached, is slow, or whose answer cannot be used."""


@dataclass(frozen=True, eq=False)
class Cell:
    """A cell of the grid of a server: its polygon in longitude and latitude, and its depths."""

    name: str
    shape: BaseGeometry
    table: DepthTable


@dataclass(frozen=True, eq=False)
class Answer:
    """What a server answered: the cells about the place that was asked for, and where they are from."""

    source: str
    url: str
    cells: tuple[Cell, ...]


@dataclass(frozen=True, eq=False)
class Averaged:
    """Depths of a place: the mean of cells by their shares (cell,) in its area, or the cell that holds a point."""

    table: DepthTable
    cells: tuple[str, ...]
    shares: Floats


def collections_of(url: str, *, transport: Any = None) -> dict[str, str]:
    """Titles of the collections of a server by their identifiers; `ServiceError` if it does not answer."""
    found = _get(_base(url) + "collections?f=json", None, transport)
    entries = found.get("collections")
    if not isinstance(entries, list) or not entries:
        raise ServiceError("the server lists no collections.", where=url, remedy="Check its address.")
    return {
        str(one["id"]): str(one.get("title") or one["id"])
        for one in entries
        if isinstance(one, Mapping) and "id" in one
    }


def depths_at(
    url: str,
    collection: str,
    bounds: tuple[float, float, float, float],
    *,
    progress: Progress | None = None,
    transport: Any = None,
) -> Answer:
    """Cells of a collection within bounds (west, south, east, north in degrees), page by page.

    Raises `ServiceError` for a server that is unreachable or slow, an answer without cells, one in unknown units, and
    one that is too large.
    """
    box = ",".join(f"{v:.8f}" for v in bounds)
    page: str | None = f"{_base(url)}collections/{collection}/items?f=json&limit={PAGE}&bbox={box}"
    features: list[Mapping[str, Any]] = []
    for number in range(MOST_PAGES):
        if page is None:
            break
        if progress is not None:
            progress.tell("asking the service", min(number / 10, 0.9))
        found = _get(page, progress, transport)
        part = found.get("features")
        if not isinstance(part, list):
            raise ServiceError("the answer holds no features.", where=url, remedy="Check its address and collection.")
        features += part
        if len(features) > MOST_FEATURES:
            raise ServiceError(
                f"the answer has more than {MOST_FEATURES:,} features.", where=url, remedy="Ask for a smaller place."
            )
        page = _next(page, found)
    if not features:
        raise ServiceError("the service has no depths there.", where=url, remedy="Ask for another place or collection.")
    return Answer(f"{collection} of {urlparse(url).netloc}", url, _cells_of(features, url))


def depths_in_file(path: Path) -> Answer:
    """Cells of a GeoJSON file (RFC 7946), as a server of OGC API - Features gives them.

    Raises `ServiceError` for a file that is no collection of features, or one whose depths cannot be used.
    """
    import json

    try:
        data = path.read_bytes()
    except OSError as error:
        what = f"the file cannot be read ({error.strerror})."
        raise ServiceError(what, where=path.name, remedy="Check its name and its rights.") from error
    if len(data) > MOST_BYTES:
        raise ServiceError("the file is too large.", where=path.name, remedy="Cut it to the catchments.")
    try:
        found = json.loads(data)
    except (ValueError, RecursionError) as error:
        raise ServiceError("the file is no JSON.", where=path.name, remedy="Give a GeoJSON file.") from error
    features = found.get("features") if isinstance(found, Mapping) else None
    if not isinstance(features, list) or not features or len(features) > MOST_FEATURES:
        raise ServiceError("the file holds no features.", where=path.name, remedy="Give a file of cells with depths.")
    return Answer(path.name, str(path), _cells_of(features, path.name))


def _base(url: str) -> str:
    parts = urlparse(url.strip())
    if parts.scheme not in ("http", "https") or not parts.netloc:
        raise ServiceError(f"“{url}” is no address of a server.", remedy="Write it as https://host/path.")
    return url.strip().rstrip("/") + "/"


def _next(page: str, found: Mapping[str, Any]) -> str | None:
    """The next page, on the same server."""
    links = found.get("links")
    for link in links if isinstance(links, list) else ():
        if isinstance(link, Mapping) and link.get("rel") == "next" and isinstance(link.get("href"), str):
            to = urljoin(page, link["href"])
            if urlparse(to).netloc != urlparse(page).netloc:
                remedy = "Ask that server itself, if it is trusted."
                raise ServiceError("the answer leads to another server.", where=page, remedy=remedy)
            return str(to)
    return None


def _get(url: str, progress: Progress | None, transport: Any) -> Mapping[str, Any]:
    """A JSON object from a server, within its time and size."""
    import json
    import time

    import httpx

    began, data = time.monotonic(), bytearray()
    where = urlparse(url).netloc
    try:
        with (
            httpx.Client(timeout=PATIENCE, follow_redirects=False, transport=transport) as client,
            client.stream("GET", url, headers={"Accept": "application/geo+json, application/json"}) as answer,
        ):
            if answer.status_code != 200:
                raise ServiceError(
                    f"the server answered {answer.status_code} {answer.reason_phrase}.", where=where,
                    remedy="Check its address, or ask later.",
                )  # fmt: skip
            for part in answer.iter_bytes():
                data += part
                if progress is not None:
                    progress.raise_if_cancelled()
                if len(data) > MOST_BYTES:
                    raise ServiceError("the answer is too large.", where=where, remedy="Ask for a smaller place.")
                if time.monotonic() - began > PATIENCE:
                    raise httpx.ReadTimeout("slow")
    except httpx.TimeoutException as error:
        raise ServiceError(
            f"the server did not answer within {PATIENCE:g} s.", where=where, remedy="Ask again later."
        ) from error
    except httpx.HTTPError as error:
        raise ServiceError(
            "the server cannot be reached.", where=where, remedy="Check the address and the connection."
        ) from error
    try:
        found = json.loads(bytes(data))
    except (ValueError, RecursionError) as error:
        raise ServiceError("the answer is no JSON.", where=where, remedy="Check the address.") from error
    if not isinstance(found, Mapping):
        raise ServiceError("the answer is no JSON object.", where=where, remedy="Check the address.")
    return found


# cells


def _cells_of(features: Sequence[Mapping[str, Any]], url: str) -> tuple[Cell, ...]:
    from shapely import from_wkb, normalize, to_wkb
    from shapely.geometry import shape

    depths: dict[bytes, dict[tuple[float, float], float]] = {}
    names: dict[bytes, str] = {}
    series: Series = "unstated"
    for feature in features:
        properties = feature.get("properties") if isinstance(feature, Mapping) else None
        if not isinstance(properties, Mapping):
            raise ServiceError("a feature has no properties.", where=url, remedy="Choose another collection.")
        duration, period, depth = _figures(properties, url)
        try:
            key = to_wkb(normalize(shape(feature["geometry"])))
        except Exception as error:
            raise ServiceError("a feature has no polygon.", where=url, remedy="Choose another collection.") from error
        own = depths.setdefault(key, {})
        own[duration, period] = depth
        names.setdefault(key, str(properties.get("cell") or properties.get("name") or f"cell {len(names) + 1}"))
        if "peaks" in str(properties.get("series", "")):
            series = "peaks over threshold"
        elif "annual" in str(properties.get("series", "")):
            series = "annual maxima"
    return tuple(Cell(names[key], from_wkb(key), _table_of(own, series, url)) for key, own in depths.items())


def _figures(properties: Mapping[str, Any], url: str) -> tuple[float, float, float]:
    """Duration (s), return period (years) and depth (mm) of a feature, by the names and units of its properties."""
    found: dict[str, float] = {}
    for name, value in properties.items():
        if isinstance(value, bool) or not isinstance(value, int | float):
            continue
        what = "time" if _DURATION.search(name) else "return period" if _PERIOD.search(name) else ""
        what = what or ("rain" if _DEPTH.search(name) else "")
        if what and what not in found:
            found[what] = units.convert(float(value), _unit_of(name, what, properties, url), what)
    for what, word in (("time", "duration"), ("return period", "return period"), ("rain", "depth")):
        if what not in found or not np.isfinite(found[what]) or found[what] <= 0:
            raise ServiceError(f"a feature has no {word}.", where=url, remedy="Choose another collection.")
    return found["time"], found["return period"], found["rain"]


def _unit_of(name: str, what: str, properties: Mapping[str, Any], url: str) -> str:
    """The unit of a property: at the end of its name, or in one of its own; a return period is in years."""
    if what == "return period":
        return "years"
    at_end = _UNIT_AT_END.search(name)
    beside = properties.get(f"{name}_unit") or properties.get(f"{name}_units") or properties.get("unit")
    unit = units.spelled(at_end[1].lower() if at_end else str(beside or ""))
    try:
        units.factor_of(unit, what)
    except UnitError as error:
        raise ServiceError(
            f"the service gives its {name} in {unit or 'no unit'}, which is none of {what}.", where=url,
            remedy="The depths are not taken; ask who runs it.",
        ) from error  # fmt: skip
    return unit


def _table_of(depths: Mapping[tuple[float, float], float], series: Series, url: str) -> DepthTable:
    durations = tuple(sorted({d for d, _ in depths}))
    periods = tuple(sorted({t for _, t in depths}))
    if len(depths) != len(durations) * len(periods):
        raise ServiceError("a cell lacks some of its depths.", where=url, remedy="Ask again, or who runs it.")
    try:
        return DepthTable(
            durations=durations,
            return_periods=periods,
            depths=tuple(tuple(depths[d, t] for t in periods) for d in durations),
            series=series,
        )
    except (ValueError, TarnwaterError) as error:
        what = f"the depths of a cell cannot be used: {error}"
        raise ServiceError(what, where=url, remedy="Ask who runs it.") from error


def averaged(
    answer: Answer, place: BaseGeometry, to_place: Callable[[BaseGeometry], BaseGeometry] = lambda shape: shape
) -> Averaged:
    """Depths of a polygon, weighted with the areas in which it meets the cells, or of a point.

    ``to_place`` brings the polygon of a cell into the coordinates of the place. Raises `ServiceError` where the cells
    do not cover the place, or have different durations.
    """
    import shapely

    shapes = np.array([to_place(cell.shape) for cell in answer.cells], object)
    if place.geom_type == "Point":
        shares = shapely.intersects(shapes, place).astype(float)
        # a point on the edge of cells has the first of them
        shares = np.where(np.cumsum(shares) == 1, shares, 0.0)
        covered = float(shares.sum())
    else:
        areas = shapely.area(shapely.intersection(shapes, place))
        covered = float(areas.sum() / place.area)
        shares = areas / areas.sum() if areas.sum() else areas
    if covered < COVERED:
        raise ServiceError(
            f"the cells of the answer cover {100 * covered:.4g} % of the place.", where=answer.source,
            remedy="Ask another service, or for another place.",
        )  # fmt: skip
    used = np.flatnonzero(shares > 0)
    tables = [answer.cells[n].table for n in used]
    first = tables[0]
    if any((t.durations, t.return_periods) != (first.durations, first.return_periods) for t in tables):
        raise ServiceError("the cells have different durations.", where=answer.source, remedy="Ask for one cell.")
    depths = np.tensordot(shares[used], np.array([t.depths for t in tables]), axes=1)
    source = f"{answer.source}, mean of {len(used)} cells by area" if len(used) > 1 else f"{answer.source}, one cell"
    table = first.model_copy(update={"depths": tuple(tuple(float(v) for v in row) for row in depths), "source": source})
    return Averaged(table, tuple(answer.cells[n].name for n in used), shares[used])
