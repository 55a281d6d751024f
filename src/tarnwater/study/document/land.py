"""What a study holds of the ground: the terrain, what was found in it, and the outlets asked for on it."""

from __future__ import annotations

from tarnwater.parameters import Model, Name, parameter
from tarnwater.terrain.voids import VoidTreatment


class FoundDepression(Model):
    """A depression of the terrain that is a doubt: a lake, a pit, or a bank without its culvert.

    ``within`` is the catchment in which it lies, empty outside all of them, None before any was found.
    """

    area: float = parameter("area", "area under water", symbol="A", least=0)
    depth: float = parameter("length", "greatest depth", least=0)
    volume: float = parameter("volume", "volume that filling covers", least=0)
    level: float = parameter("height", "level to which it was filled")
    place: tuple[float, float]
    within: str | None = None


class FoundVoid(Model):
    """A hole of no-data in the ground, and what was made of it."""

    number: int
    area: float = parameter("area", "area without data", least=0)
    place: tuple[float, float]
    treatment: VoidTreatment


class FoundFill(Model):
    """A value that looks like a fill for no data and is not declared as one: how many cells hold it."""

    value: float
    cells: int
    at_edge: bool


class Outlet(Model):
    """A place where a catchment was asked for; the asked place stays and is always snapped from."""

    name: Name
    asked: tuple[float, float]
    place: tuple[float, float] | None = None
    moved: float = parameter("length", "distance from the asked place to the stream", least=0, default=0.0)
    area_before: float = parameter("area", "area draining to the asked place", least=0, default=0.0)
    area_after: float = parameter("area", "area draining to the outlet", least=0, default=0.0)
    accepted_as_is: bool = False


class Terrain(Model):
    """The elevation grid of a study, how it was conditioned, and what was found in it."""

    grid: str
    source: str
    crs: str
    rows: int
    columns: int
    cell_width: float = parameter("length", "width of a cell", above=0)
    cell_height: float = parameter("length", "height of a cell in plan", above=0)
    stream_threshold: float = parameter(
        "area", "area that makes a stream", above=0, usual=(1e3, 1e8), default=250_000.0
    )
    snap_radius: float = parameter("length", "how far an outlet may be moved to a stream", least=0, default=100.0)
    scale_factor: float = parameter("factor", "length on the map over length on the ground", above=0, default=1.0)
    depressions: tuple[FoundDepression, ...] = ()
    depressions_filled: int = 0
    voids: tuple[FoundVoid, ...] = ()
    fills: tuple[FoundFill, ...] = ()
    repairs: tuple[str, ...] = ()
