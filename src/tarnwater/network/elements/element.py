"""The contract of an element of a network.

An element is one module with its model and its response. The engine uses only this contract, so a new element is one
file and one line in ``__init__.py``.
"""

from __future__ import annotations

from abc import ABC
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property
from typing import Annotated, Any, ClassVar, Literal, Protocol, Self

from tarnwater.arrays import Floats
from tarnwater.errors import UnknownName
from tarnwater.hydrograph import Highest, Hydrograph, add_up
from tarnwater.methods import Asked, Derivation, Doubtful, Missing, OneOf
from tarnwater.parameters import Model, Name
from tarnwater.rain.storms import Rain
from tarnwater.reckoning import Reckoning
from tarnwater.states import State

#: Source of a value measured on the terrain.
MEASURED = "measured on the terrain"

#: Values by case of an element's parameters: path of the field to values (case,).
OwnValues = Mapping[tuple[str | int, ...], Floats]


#: Shapes by which elements are drawn.
Shape = Literal["valley", "dot", "end", "arrow", "bar", "pool", "fork"]


@dataclass(frozen=True, eq=False)
class Situation:
    """The input of an element: some cases over some steps.

    Parameters
    ----------
    step, steps : s, and how many of them.
    cases : how many.
    rain : rain on it; None for an element without rain.
    inflows : inflow by each link, in the order of the links.
    downs : keys of the elements below, one for each link down.
    state : the start state; None at rest.
    out : (case, step + 1), array for the outflow.
    values : parameters that differ by case, among those that it takes.
    levels : (case, step + 1) m of the elements whose level it feels, by key; a level not yet known is left out.
    begins : date at the start; None if there is none.
    """

    step: float
    steps: int
    cases: int
    rain: Rain | None
    inflows: Sequence[Hydrograph]
    downs: tuple[str, ...]
    state: State
    out: Floats
    values: OwnValues = field(default_factory=dict)
    levels: Mapping[str, Floats] = field(default_factory=dict)
    begins: datetime | None = None

    @property
    def inflow(self) -> Hydrograph:
        """The total inflow; with several inflows the sum is in ``out``."""
        return self.inflows[0] if len(self.inflows) == 1 else self.joined

    @property
    def joined(self) -> Hydrograph:
        """The total inflow, written into ``out``."""
        return add_up(list(self.inflows), self.out, self.step)


@dataclass(frozen=True, eq=False)
class OneStorm:
    """The storm of one case on an element: its rain, and its return period in years where it has one."""

    rain: Rain
    years: float | None


@dataclass(frozen=True, eq=False)
class Answer:
    """The response of an element: a hydrograph for each link down, or one if there is none.

    The engine books the flow in and out by links from the hydrographs themselves.
    The other volumes are given here, each (case,) m3 or None for zero: ``rain``, ``baseflow``, ``outside``
    (let in; only counted for an element that ``lets_in``), ``start_storage``, ``end_storage``, ``losses``. Depths
    (case,) mm are those of a catchment, ``stored_depth`` what its surfaces hold more than before. ``base`` m3/s is the
    flow from the ground that it adds, (case, step + 1) or (case, 1) where it is constant. ``level`` m and ``storage``
    m3 are (case, step + 1) where it has them, ``top`` its highest level and ``spilled`` (case,) m3 what flowed over its
    top. ``whole`` is its flow where that is more than what its links take; of several links its highest flow only.
    """

    ways: tuple[Hydrograph, ...]
    state: State = None
    rain: Floats | None = None
    baseflow: Floats | None = None
    outside: Floats | None = None
    start_storage: Floats | None = None
    end_storage: Floats | None = None
    losses: Floats | None = None
    rain_depth: Floats | None = None
    loss_depth: Floats | None = None
    stored_depth: Floats | None = None
    base: Floats | None = None
    level: Floats | None = None
    storage: Floats | None = None
    top: Highest | None = None
    spilled: Floats | None = None
    whole: Hydrograph | None = None


class AskedOfElement(Protocol):
    """What an element may ask while its flow is explained; every answer is a node of the reckoning."""

    @property
    def key(self) -> str:
        """Key of the element."""

    @property
    def owner(self) -> str:
        """Its name."""

    @property
    def step(self) -> float:
        """Step of the run, s."""

    @property
    def steps(self) -> int:
        """How many steps there are."""

    @property
    def downs(self) -> tuple[str, ...]:
        """Keys of the elements below, one for each link down."""

    @property
    def inflow(self) -> Reckoning:
        """The total inflow."""

    @property
    def excess(self) -> Reckoning:
        """Excess rain on its surfaces."""

    def excess_on(self, rows: Sequence[int]) -> Reckoning:
        """Excess rain on some of its surfaces, by position, as a depth over all of it."""

    def excess_of(self, row: int) -> Reckoning:
        """Excess rain on one of its surfaces, as a depth on that."""

    @property
    def infiltration(self) -> Reckoning:
        """Rain on it that neither runs off nor fills depressions."""

    @property
    def area(self) -> Reckoning:
        """Its area, m2."""

    @property
    def begins(self) -> datetime | None:
        """Date at the start of the run; None if there is none."""

    def level(self, key: str) -> Reckoning:
        """Level of an element that it feels, as computed."""

    def method(self, path: str) -> Asked:
        """What one of its methods may ask, by the path of its field; an empty path means its own parameters."""


class Element(Model, ABC):
    """The base class of elements; ``place`` is in the coordinates of the study.

    A subclass has a field ``kind`` with its tag.
    """

    name: Name
    note: str = ""
    place: tuple[float, float] | None = None
    observed: tuple[str, ...] = ()

    #: Whether it may have more than one link down.
    several_down: ClassVar[bool] = False
    #: Whether it is an end of the network, with no link down.
    is_end: ClassVar[bool] = False
    #: Whether rain falls on it.
    takes_rain: ClassVar[bool] = False
    #: Whether it may let in water that came neither by a link nor as rain nor from the ground.
    lets_in: ClassVar[bool] = False
    #: Whether it smooths its flow, so that a parabola may be drawn through the peak.
    smooths: ClassVar[bool] = False

    #: Fields that it has from the terrain or the map.
    mapped: ClassVar[tuple[str, ...]] = ()

    #: Fields with several methods, and the word for one of them.
    parts: ClassVar[Mapping[str, str]] = {}

    #: How it is drawn where it has no shape on the map.
    shape: ClassVar[Shape] = "dot"

    #: Elements by tag.
    known: ClassVar[dict[str, type[Element]]] = {}

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs: Any) -> None:
        """Register an element."""
        super().__pydantic_init_subclass__(**kwargs)
        if "kind" in cls.model_fields:
            Element.known[cls.tag()] = cls

    @classmethod
    def tag(cls) -> str:
        """The tag by which a file names it."""
        return str(cls.model_fields["kind"].default)

    @classmethod
    def of_tag(cls, tag: str) -> type[Element]:
        """The element of a tag; `UnknownName` with the nearest."""
        if tag not in Element.known:
            raise UnknownName(tag, Element.known, kind="kind of element")
        return Element.known[tag]

    @property
    def aliases(self) -> Mapping[str, str]:
        """Other names of its quantities, with their paths; none by default."""
        return {}

    def with_room_for(self, name: str) -> Self:
        """A copy with the part in which a quantity of another name is typed; itself where it needs none, by default."""
        return self

    def offers(self, name: str) -> bool:
        """Whether a figure that is shown where it is known is offered to be typed; no by default."""
        return False

    def words_for(self, path: str, below: Mapping[str, str]) -> Mapping[str, str] | None:
        """What an option at a path may be, with the words for each; None where it does not depend on the element.

        ``below`` are the elements below it, key to name.
        """
        return None

    @property
    def parts_to_add(self) -> Mapping[str, str]:
        """The fields of `parts` to which one may be added, with their words."""
        return self.parts

    def fitted_in(self, field: str, part: Any) -> Any:
        """A new part of one of its fields, placed among those it has; as it is by default."""
        return part

    def assigned(self, path: str) -> Self:
        """A copy after a value was set at a path by hand; itself by default."""
        return self

    @cached_property
    def computed_text(self) -> bytes:
        """The settings that shape the element's response, as text for a digest."""
        return self.model_dump_json(exclude=_NOT_COMPUTED).encode()

    @property
    def drained(self) -> float:
        """Area that drains to it over its own surfaces, m2."""
        return 0.0

    def missing(self) -> list[Missing]:
        """What it lacks to be computed; nothing by default."""
        return []

    def refreshed(self) -> Self:
        """A copy with its values derived again from its own fields; typed values stay."""
        return self

    def doubts(self, steps: Sequence[float]) -> list[tuple[str, Doubtful]]:
        """Doubts of its methods at the steps (s) of the study, by the path of the method."""
        return []

    @property
    def storm_duration(self) -> float | None:
        """Duration (s) of even rain that its method is made for; None for others."""
        return None

    @property
    def by_storm(self) -> bool:
        """Whether some of its values follow from the storm; no by default."""
        return False

    def in_storm(self, storm: OneStorm) -> Self:
        """A copy with its values in a storm; itself by default."""
        return self

    def storm_values(self, storm: OneStorm) -> Mapping[tuple[str | int, ...], float]:
        """The values that its copy in a storm has of its own, by path; none by default."""
        return {}

    @property
    def has_level(self) -> bool:
        """Whether it answers with a level that others may feel; no by default."""
        return False

    def feels(self) -> tuple[str, ...]:
        """Keys of the elements whose level it feels; none by default."""
        return ()

    def respond(self, situation: Situation) -> Answer:
        """Answer to a situation; by default the inflow passes on."""
        return Answer((situation.joined,))

    def takes(self, values: OwnValues) -> bool:
        """Whether it takes these values by case as arrays; otherwise the engine groups the cases."""
        return False

    @property
    def by_date(self) -> bool:
        """Whether its response depends on the date of the storm; no by default."""
        return False

    def bases(self, base: Floats, downs: Sequence[str]) -> tuple[Floats, ...]:
        """Flow from the ground in each link down, m3/s, of ``base`` (case, any): what of each would pass if it lasted.

        An element with several links must override this.
        """
        if len(downs) > 1:
            raise NotImplementedError(f"{type(self).__name__} does not say how its baseflow parts")
        return (base,)

    def memory(self, step: float) -> float:
        """Longest time for which it delays water or lets it in, about, s, at a step (s)."""
        return 0.0

    def ordinates(self, step: float) -> int:
        """Least number of steps of its response, without computing it."""
        return 0

    def let_in(self, until: float, begins: datetime | None = None) -> float:
        """Volume that it lets in until a time (s) of a run that begins at a date, m3."""
        return 0.0

    def flow(self, asked: AskedOfElement) -> Derivation:
        """The derivation of its outflow, by the same functions; by default the inflow passes on."""
        inflow = asked.inflow
        assert inflow.evaluate is not None
        return Derivation(inflow.equation, inflow.source, inflow.inputs, inflow.evaluate)

    def way(self, number: int, asked: AskedOfElement) -> Derivation:
        """The derivation of the flow in one of its links down; an element with several links must override this."""
        raise NotImplementedError(f"{type(self).__name__} does not say how its flow parts")


#: A field that holds an element of any kind.
AnyElement = Annotated[Element, OneOf(Element, called="element", tag="kind")]

#: Fields that the engine does not use.
_NOT_COMPUTED = {
    "land",
    "drawn",
    "path_drawn",
    "path_parts",
    "path_profile",
    "channel",
    "name",
    "note",
    "place",
    "observed",
    "outline",
    "flow_path",
    "path",
    "cut_off",
    "total_area",
    "raw_slope",
    "zones",
    "freeboard",
    "greatest_depth",
}
