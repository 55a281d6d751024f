"""The terrain of a study, what was found in it, and its outlets."""

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
    """A void in the ground, and its treatment."""

    number: int
    area: float = parameter("area", "area without data", least=0)
    place: tuple[float, float]
    treatment: VoidTreatment


class FoundFill(Model):
    """A value that looks like a fill for no data and is not declared as one, with its number of cells."""

    value: float
    cells: int
    at_edge: bool


class GroundChange(Model):
    """One change that conditioning made to the ground: by a feature of a key, by breaching or by filling.

    ``most`` is the greatest change, positive where the ground was raised, at ``place``. ``water`` is the greatest
    depth of filled water that stands along a feature.
    """

    by: str
    count: int = 1
    area: float = parameter("area", "area that was changed", least=0, default=0.0)
    volume: float = parameter("volume", "volume added, negative where it was taken away", default=0.0)
    most: float = parameter("length", "greatest change of height", default=0.0)
    water: float = parameter("length", "greatest depth of filled water along it", least=0, default=0.0)
    place: tuple[float, float] | None = None
    notes: tuple[str, ...] = ()


class ClosedLand(Model):
    """The land that drains to a depression that keeps its water; ``outline`` is the digest of its geometry."""

    feature: str
    area: float = parameter("area", "area that drains to it", least=0)
    place: tuple[float, float]
    outline: str


class Outlet(Model):
    """An outlet: the place asked for is kept, and snapping always starts from it."""

    name: Name
    asked: tuple[float, float]
    place: tuple[float, float] | None = None
    moved: float = parameter("length", "distance from the asked place to the stream", least=0, default=0.0)
    area_before: float = parameter("area", "area draining to the asked place", least=0, default=0.0)
    area_after: float = parameter("area", "area draining to the outlet", least=0, default=0.0)
    accepted_as_is: bool = False


#: Changes that are by no feature.
BREACHING, FILLING = "breaching", "filling"


class Terrain(Model):
    """The elevation grid of a study, how it was conditioned, and what was found in it.

    Channels are cut where both limits of breaching are above zero.
    """

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
    breach_depth: float = parameter(
        "length", "greatest depth of a channel cut from a depression", least=0, most=100, usual=(0, 10), default=0.0
    )
    breach_length: float = parameter(
        "length", "greatest length of a channel cut from a depression", least=0, most=100_000, usual=(0, 2000),
        default=0.0,
    )  # fmt: skip
    changes: tuple[GroundChange, ...] = ()
    closed: tuple[ClosedLand, ...] = ()
    depressions: tuple[FoundDepression, ...] = ()
    depressions_filled: int = 0
    voids: tuple[FoundVoid, ...] = ()
    fills: tuple[FoundFill, ...] = ()
    repairs: tuple[str, ...] = ()

    @property
    def breaches(self) -> bool:
        """Whether channels are cut from depressions before the rest is filled."""
        return self.breach_depth > 0 and self.breach_length > 0
