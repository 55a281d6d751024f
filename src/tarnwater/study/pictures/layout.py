"""Layout of the flow tree, and its small outlines."""

from __future__ import annotations

from typing import Literal

from tarnwater.network.elements import Catchment
from tarnwater.network.graph import Network
from tarnwater.study.document.blobs import Blobs


def tree_places(network: Network) -> dict[str, tuple[float, float]]:
    """Position of each element in the unit square: outfalls at the bottom, tributaries spread evenly above.

    Across, the heads of the tree are side by side in the order of the flow; down, an element is above all those to
    which it drains. An empty network has no positions.
    """
    order = network.order
    if not order:
        return {}
    depth: dict[str, int] = {}
    for key in reversed(order):
        depth[key] = 1 + max((depth[d] for d in network.downstream[key]), default=-1)
    across: dict[str, float] = {}
    for number, key in enumerate(_heads(network)):
        across[key] = float(number)
    for key in order:
        ups = network.upstream[key]
        if ups:
            across[key] = sum(across[u] + _aside(network, u, key) for u in ups) / len(ups)
    left, deepest = min(across.values()), max(depth.values()) or 1
    widest = max(across.values()) - left
    return {key: ((across[key] - left) / widest if widest else 0.5, 1 - depth[key] / deepest) for key in order}


def _aside(network: Network, up: str, down: str) -> float:
    """Sideways shift of an element that is one of several below another one, to avoid overlaps."""
    downs = network.downstream[up]
    return downs.index(down) - (len(downs) - 1) / 2


Way = Literal["up", "down", "left", "right"]


def neighbour(network: Network, key: str, way: Way) -> str | None:
    """The neighbour of an element: down with the flow, up against it, left and right what joins beside it."""
    downs, ups = network.downstream[key], network.upstream[key]
    if way == "down":
        return downs[0] if downs else None
    if way == "up":
        return ups[0] if ups else None
    beside = network.upstream[downs[0]] if downs else network.ends
    at = beside.index(key) + (1 if way == "right" else -1)
    return beside[at] if 0 <= at < len(beside) else None


#: Size of the plane on which a network without a map is laid out.
PLANE = (1000.0, 700.0)


def places(network: Network) -> dict[str, tuple[float, float]]:
    """Position of each element on the map: its own place, or one above the element to which it drains.

    Without any place, the flow tree is laid out on a plane, with the heads in the north.
    """
    known = {key: e.place for key, e in network.elements.items() if e.place is not None}
    tree = tree_places(network)
    if not known:
        return {key: (x * PLANE[0], (1 - y) * PLANE[1]) for key, (x, y) in tree.items()}
    across = [p[0] for p in known.values()]
    up = [p[1] for p in known.values()]
    step = max(max(across) - min(across), max(up) - min(up), 400.0) / 12
    found = dict(known)
    for number, key in enumerate(k for k in reversed(network.order) if k not in known):
        below = next((found[d] for d in network.downstream[key] if d in found), (min(across), max(up)))
        found[key] = (below[0] + step * (0.6 + 0.8 * (number % 3)), below[1] + step)
    return found


def _heads(network: Network) -> list[str]:
    """Elements into which nothing drains, in the order of the flow."""
    seen: dict[str, None] = {}
    waiting = list(reversed(network.ends))
    while waiting:
        key = waiting.pop()
        if key not in seen:
            seen[key] = None
            waiting.extend(reversed(network.upstream[key]))
    return [key for key in seen if not network.upstream[key]]


def outline_in_unit_square(element: Catchment, blobs: Blobs) -> list[tuple[float, float]] | None:
    """Simplified outline of a catchment in the unit square; None without a map."""
    held = blobs.held(element.outline)
    if held is None:
        return None
    from shapely import from_wkb

    shape = from_wkb(held)
    largest = max(shape.geoms, key=lambda part: part.area)
    west, south, east, north = largest.bounds
    size = max(east - west, north - south)
    coarse = largest.simplify(size / 40)
    return [((x - west) / size, (y - south) / size) for x, y in coarse.exterior.coords]
