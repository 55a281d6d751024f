"""What every element of a network answers.

An element is one module with its model and its response. The engine asks nothing else of it than what
stands here, so a new element is one file and one line in ``__init__.py``.
"""

from __future__ import annotations

from abc import ABC
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Annotated, Any, ClassVar, Literal, Protocol, Self

from tarnwater.arrays import Floats
from tarnwater.hydrograph import Hydrograph, add_up
from tarnwater.methods import Asked, Derivation, Doubtful, Missing, OneOf
from tarnwater.parameters import Model, Name
from tarnwater.rain.storms import Rain
from tarnwater.reckoning import Reckoning
from tarnwater.states import State

#: Where a value read off the ground comes from.
MEASURED = "measured on the terrain"

#: Values by case of an element's parameters: path of the field to values (case,).
OwnValues = Mapping[tuple[str | int, ...], Floats]


#: Shapes by which elements are drawn.
Shape = Literal["valley", "dot", "end", "arrow", "bar"]


@dataclass(frozen=True, eq=False)
class Situation:
    """What an element answers to: some cases over some steps.

    Parameters
    ----------
    step, steps : s, and how many of them.
    cases : how many.
    rain : what falls on it; None for an element on which none is booked.
    inflows : what reaches it by each link, in the order of the links.
    downs : keys of the elements below, one for each link down.
    state : where a run goes on from; None at rest.
    out : (case, step + 1), takes the flow that leaves.
    values : parameters that differ by case, those that it said it takes.
    levels : (case, step + 1) m of the elements whose level it feels, by key; one that is not there yet is left out.
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

    @property
    def inflow(self) -> Hydrograph:
        """All that reaches it; of several inflows the sum lies in ``out``."""
        return self.inflows[0] if len(self.inflows) == 1 else self.joined

    @property
    def joined(self) -> Hydrograph:
        """The sum of what reaches it, written into ``out``."""
        return add_up(list(self.inflows), self.out, self.step)


@dataclass(frozen=True, eq=False)
class Answer:
    """What an element answers: a hydrograph for each link down, one where there is none.

    What came in by links and what left by them is booked by the engine from the hydrographs themselves.
    The rest is said here, each (case,) m3 or None for nothing: ``rain``, ``baseflow``, ``outside``
    (let in; counted only of an element that ``lets_in``), ``start_storage``, ``end_storage``, ``losses``. Depths
    (case,) mm are those of a catchment. ``base`` (case,) m3/s is the constant flow that it adds. ``level`` m and
    ``storage`` m3 are (case, step + 1) where it has them.
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


class AskedOfElement(Protocol):
    """What an element may ask while its flow is reckoned; every answer is a node of the reckoning."""

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
    def inflow(self) -> Reckoning:
        """All that reaches it."""

    @property
    def excess(self) -> Reckoning:
        """Excess rain on its surfaces."""

    def level(self, key: str) -> Reckoning:
        """Level of an element that it feels, as computed."""

    def method(self, path: str) -> Asked:
        """What one of its methods may ask, by the path of the method's field; its own parameters by an empty one."""


class Element(Model, ABC):
    """What all elements have; ``place`` is in the study's coordinates.

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

    #: How it is drawn where it has no shape on the map.
    shape: ClassVar[Shape] = "dot"

    #: Elements by tag.
    known: ClassVar[dict[str, type[Element]]] = {}

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs: Any) -> None:
        """Enter an element among its kind."""
        super().__pydantic_init_subclass__(**kwargs)
        if "kind" in cls.model_fields:
            Element.known[cls.tag()] = cls

    @classmethod
    def tag(cls) -> str:
        """The word by which a file names it."""
        return str(cls.model_fields["kind"].default)

    @cached_property
    def computed_text(self) -> bytes:
        """The settings that shape the element's response, as text for a digest."""
        return self.model_dump_json(exclude=_NOT_COMPUTED).encode()

    @property
    def drained(self) -> float:
        """Area that drains to it over its own surfaces, m2."""
        return 0.0

    @property
    def steady(self) -> float:
        """Constant flow that it adds from the ground, m3/s."""
        return 0.0

    def missing(self) -> list[Missing]:
        """What it cannot be computed without; nothing by default."""
        return []

    def refreshed(self) -> Self:
        """The same with its derived values made anew from its own fields; typed values stay."""
        return self

    def doubts(self, steps: Sequence[float]) -> list[tuple[str, Doubtful]]:
        """What its methods doubt of themselves at the steps (s) of the study, by the path of the method."""
        return []

    def feels(self) -> tuple[str, ...]:
        """Keys of the elements whose level it feels; none by default."""
        return ()

    def respond(self, situation: Situation) -> Answer:
        """Answer to a situation; by default what comes goes on."""
        return Answer((situation.joined,))

    def takes(self, values: OwnValues) -> bool:
        """Whether it takes these values by case as arrays; the engine groups the cases otherwise."""
        return False

    def bases(self, base: Floats, downs: Sequence[str]) -> tuple[Floats, ...]:
        """How the constant flow (case,) m3/s in it goes on by each link; one of several ways down must say."""
        if len(downs) > 1:
            raise NotImplementedError(f"{type(self).__name__} does not say how its baseflow parts")
        return (base,)

    def memory(self, step: float) -> float:
        """How long it may hold water back or let it in at a step (s), about, s."""
        return 0.0

    def ordinates(self, step: float) -> int:
        """Steps that its response takes at least, without making it."""
        return 0

    def let_in(self, until: float) -> float:
        """Volume that it lets in until a time (s), m3."""
        return 0.0

    def flow(self, asked: AskedOfElement) -> Derivation:
        """How the flow that leaves it follows, by the same functions; by default what comes goes on."""
        inflow = asked.inflow
        assert inflow.evaluate is not None
        return Derivation(inflow.equation, inflow.source, inflow.inputs, inflow.evaluate)

    def way(self, number: int, asked: AskedOfElement) -> Derivation:
        """How the flow into one of its links down follows; one of several ways down must say."""
        raise NotImplementedError(f"{type(self).__name__} does not say how its flow parts")


#: A field that holds an element of any kind.
AnyElement = Annotated[Element, OneOf(Element, called="element", tag="kind")]

#: What the engine does not look at.
_NOT_COMPUTED = {
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
}
