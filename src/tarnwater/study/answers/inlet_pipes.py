"""Small pipes for inlet areas: each catchment has one that carries its greatest flow full."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from tarnwater.errors import BadInput
from tarnwater.network.elements import Catchment
from tarnwater.routing.works import RoundPipe
from tarnwater.routing.works.culvert_design import pipe_running_full
from tarnwater.routing.works.made import MADE_PIPES
from tarnwater.study.answers.channel_table import Carried, carried_by
from tarnwater.study.answers.results import Results
from tarnwater.study.document import Study, checked
from tarnwater.study.document.works import CulvertWorks


@dataclass(frozen=True, eq=False)
class InletArea:
    """A catchment (``key``) that may have a pipe of its own, with its area (m2) and what governs its flow."""

    key: str
    name: str
    area: float | None
    carried: Carried | None


@dataclass(frozen=True)
class PipeRun:
    """How the pipes of inlet areas are laid: length (m), slope, roughness, and diameters that are made (m)."""

    length: float = 30.0
    slope: float = 0.01
    roughness: float = 0.013
    made: tuple[float, ...] = MADE_PIPES


def inlet_areas(study: Study, results: Results | None) -> list[InletArea]:
    """All catchments for which no pipe or culvert carries the flow yet."""
    taken = {works.element for works in study.culverts.values()}
    return [
        InletArea(key, one.name, one.area.value, carried_by(results, key))
        for key, one in study.all_elements.items()
        if isinstance(one, Catchment) and key not in taken
    ]


def inlet_pipes(study: Study, areas: Sequence[InletArea], run: PipeRun) -> list[CulvertWorks]:
    """A pipe for each inlet area: the smallest that carries its flow full, its lower end at zero.

    Raises `BadInput` for none, for an area whose flow is unknown, and where no pipe that is made carries one.
    """
    if not areas:
        raise BadInput("no inlet area is chosen.", where="pipes", remedy="Choose one or more catchments.")
    if run.slope <= 0 or run.length <= 0:
        lacking = "slope" if run.slope <= 0 else "length"
        raise BadInput(f"a pipe has a {lacking} above zero.", where=lacking, remedy="Type another.")
    if not run.made or min(run.made) <= 0:
        raise BadInput("no size is given.", where="sizes that are made", remedy="Write diameters, as 300 mm.")
    names = {one.name.casefold() for one in study.culverts.values()}
    return [_pipe_of(area, run, names) for area in areas]


def _pipe_of(area: InletArea, run: PipeRun, names: Collection[str]) -> CulvertWorks:
    if area.carried is None:
        raise BadInput("its flow is unknown.", where=area.name, remedy="Compute a storm through it first.")
    laid = checked(
        lambda: RoundPipe(bottom=run.slope * run.length, outlet=0.0, length=run.length, roughness=run.roughness),
        area.name,
    )
    try:
        pipe = pipe_running_full(laid, area.carried.flow, run.made)
        # a size from a list may be none that a pipe can have
        RoundPipe(**pipe.model_dump())
    except BadInput as error:
        error.where = area.name
        raise
    name = f"Pipe of {area.name}"
    if name.casefold() in names:
        name = next(f"{name} {n}" for n in range(2, len(names) + 3) if f"{name} {n}".casefold() not in names)
    return CulvertWorks(name=name, element=area.key, barrel=pipe)
