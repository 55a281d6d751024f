"""What runs off a catchment: the excess of its surfaces, its direct runoff, and the flow from the ground."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from tarnwater.arrays import Floats
from tarnwater.errors import ComputationFailed
from tarnwater.hydrograph import Hydrograph, add_up
from tarnwater.network.elements.element import Answer, OwnValues, Situation
from tarnwater.rain.storms import Rain
from tarnwater.runoff.baseflow import FromGround, OverGround
from tarnwater.runoff.losses import Excess
from tarnwater.runoff.transforms import DirectRunoff, ExcessOnArea
from tarnwater.states import State

if TYPE_CHECKING:
    from tarnwater.network.elements.catchment import Catchment

#: Values by case of the surfaces of a catchment: position of the surface to parameters, each (case,).
BySurface = dict[int, dict[str, Floats]]


@dataclass(frozen=True, eq=False)
class CatchmentExcess:
    """Excess (case, step) mm of a catchment, its loss and surface storage (case,) mm, and its surfaces' states.

    ``together`` (case, step) mm is the part of the excess that runs off with the catchment, and ``apart`` that on each
    surface that runs off by itself, by its position, mm on its own area.
    """

    excess: Floats
    loss: Floats
    stored: Floats
    states: tuple[Any, ...]
    together: Floats
    apart: dict[int, Floats]


def excess_of(
    catchment: Catchment, rain: Rain, step: float, before: State = None, values: BySurface | None = None, steps: int = 0
) -> CatchmentExcess:
    """Excess of rain on it at the step (s) of the run, weighted over its surfaces.

    Losses run on the finer of the run's step and the rain's own. ``before`` are the states of the surfaces;
    ``values`` replace parameters of surfaces by arrays (case,). Losses that recover go on over the dry ``steps`` of
    the run after the rain.
    """
    fine = _rain_in_losses(catchment, rain, step, steps)
    together: Floats | float = 0.0
    loss, stored, after = np.zeros(len(fine.depths)), np.zeros(len(fine.depths)), []
    apart: dict[int, Floats] = {}
    answers = zip(catchment.surfaces, catchment.weights, _by_surface(catchment, fine, before, values), strict=True)
    for number, (surface, weight, answer) in enumerate(answers):
        if surface.route.apart:
            apart[number] = Rain(answer.excess, fine.step).at_step(step).depths
        else:
            together = together + weight * answer.excess if len(catchment.surfaces) > 1 else answer.excess
        loss += weight * answer.loss
        stored += weight * answer.stored
        after.append(answer.state)
    if not isinstance(together, np.ndarray):
        together = np.zeros_like(fine.depths)
    if fine.step != step:
        together = Rain(together, fine.step).at_step(step).depths
    excess = together
    for number, own in apart.items():
        excess = excess + catchment.weights[number] * own
    return CatchmentExcess(excess, loss, stored, tuple(after), together, apart)


def _rain_in_losses(catchment: Catchment, rain: Rain, step: float, steps: int) -> Rain:
    """Rain on the finer of the run's step (s) and its own, over the dry ``steps`` after it where losses recover."""
    fine = rain.at_step(min(step, rain.step))
    recovers = any(surface.loss.recovers for surface in catchment.surfaces)
    return fine.lasting(steps * step) if recovers else fine


def _by_surface(catchment: Catchment, fine: Rain, before: State, values: BySurface | None) -> Iterator[Excess]:
    """Excess, loss and storage of each surface, mm on it."""
    for number, surface in enumerate(catchment.surfaces):
        own = (values or {}).get(number, {})
        yield surface.respond(fine.depths, fine.step, None if before is None else before[number], **own)


def excess_by_surface(catchment: Catchment, rain: Rain, step: float, before: State = None) -> list[Floats]:
    """Part of each surface in the excess of the catchment, mm over all of it, (case, step) at a step (s)."""
    fine = _rain_in_losses(catchment, rain, step, 0)
    answers = zip(catchment.weights, _by_surface(catchment, fine, before, None), strict=True)
    return [Rain(weight * answer.excess, fine.step).at_step(step).depths for weight, answer in answers]


def infiltration_of(
    catchment: Catchment, rain: Rain, step: float, before: State = None, values: BySurface | None = None, steps: int = 0
) -> Floats:
    """Rain that neither runs off nor fills depressions, mm in each step (s) of the run, over its surfaces."""
    without = tuple(surface.model_copy(update={"depression": 0.0}) for surface in catchment.surfaces)
    bare = catchment.model_copy(update={"surfaces": without})
    ran_off = excess_of(bare, rain, step, before, values, steps).excess
    fallen = rain.at_step(step).depths
    entered: Floats = -ran_off
    entered[:, : fallen.shape[1]] += fallen
    return entered


def losses_in(state: State) -> State:
    """The states of its surfaces in a state of the catchment; None at rest."""
    return None if state is None else state[0]


def held_in(catchment: Catchment, state: State) -> Floats | float:
    """Water that its depressions hold in a state, mm of the catchment."""
    surfaces = losses_in(state)
    if surfaces is None:
        return 0.0
    parts = zip(catchment.surfaces, catchment.weights, surfaces, strict=True)
    found: Floats | float = sum((weight * surface.held_in(own) for surface, weight, own in parts), 0.0)
    return found


def respond(catchment: Catchment, situation: Situation) -> Answer:
    """Runoff of the rain on it, and baseflow; its state has those of losses, transform and baseflow."""
    rain, step, steps, out = situation.rain, situation.step, situation.steps, situation.out
    assert rain is not None
    values = _by_position(situation.values)
    lags = catchment.lags(values) if values else None
    _, before, base_before = (None, None, None) if situation.state is None else situation.state
    found = excess_of(catchment, rain, step, losses_in(situation.state), values, steps)
    if found.excess.shape[1] > steps:
        raise ComputationFailed("the storm is longer than the run.", remedy="Give the run a greater length.")
    area = catchment.area.known
    given = ExcessOnArea(found.together, area, step, steps, before, out)
    runoff = _run_off(catchment, given, found.apart, lags)
    to_volume, entered = 0.001 * area, None
    if catchment.baseflow.fed:
        entered = infiltration_of(catchment, rain, step, losses_in(situation.state), values, steps) * to_volume
    ground = catchment.baseflow.respond(
        OverGround(step, steps, runoff.hydrograph.flow, entered, situation.begins, base_before)
    )
    held = np.zeros(situation.cases)
    if before is not None:
        held = _in_transit(catchment, before) + held_in(catchment, situation.state) * to_volume
    return Answer(
        (_over(runoff.hydrograph, ground, out),),
        (found.states, runoff.state, ground.state),
        rain=rain.total * to_volume,
        baseflow=ground.volume,
        start_storage=_with(ground.start_stored, held),
        end_storage=_with(ground.stored, _in_transit(catchment, runoff.state) + found.stored * to_volume),
        losses=_less(found.loss * to_volume, ground.fed, runoff.made),
        rain_depth=rain.total,
        loss_depth=found.loss,
        # what depressions held before is no storage of this rain
        stored_depth=found.stored - held_in(catchment, situation.state),
        base=ground.flow,
    )


def _run_off(
    catchment: Catchment, given: ExcessOnArea, apart: Mapping[int, Floats], lags: Floats | None
) -> DirectRunoff:
    """Direct runoff of what runs off together and of each surface by itself, added up.

    With surfaces by themselves its state is a tuple: that of the catchment, and one for each of them.
    """
    if not apart:
        return _together(catchment, given, lags)
    own_area, cases = catchment.area.known, len(given.excess)
    before = (None,) * (1 + len(apart)) if given.state is None else given.state
    parts = [_together(catchment, replace(given, state=before[0], out=None), lags)] if catchment.runs_together else []
    ways = catchment.apart
    for (number, excess), state in zip(apart.items(), before[1:], strict=True):
        way, area = ways[number], own_area * catchment.weights[number]
        own = replace(given, excess=excess, area=area, state=state, out=None)
        parts.append(way.transform.respond(own, way.lag_used))
    out = np.empty((cases, given.steps + 1)) if given.out is None else given.out
    added = replace(add_up([part.hydrograph for part in parts], out, given.step), highest=None)
    states = tuple(part.state for part in parts)
    made = [part.made for part in parts if part.made is not None]
    whole = np.sum(made, axis=0) if made else None
    return DirectRunoff(added, states if catchment.runs_together else (None, *states), whole)


def _together(catchment: Catchment, given: ExcessOnArea, lags: Floats | None) -> DirectRunoff:
    """Direct runoff of the surfaces that run off with the catchment."""
    transform = catchment.transform
    return transform.respond(given, catchment.lag_used) if lags is None else transform.respond_each(given, lags)


def _in_transit(catchment: Catchment, state: State) -> Floats:
    """Water in the transforms in a state of the runoff, m3, (case,)."""
    if not catchment.apart:
        return catchment.transform.stored(state)
    first, *others = state
    ways = zip(catchment.apart.values(), others, strict=True)
    found = [way.transform.stored(own) for way, own in ways]
    return np.asarray(sum(found if first is None else [catchment.transform.stored(first), *found]))


def _over(direct: Hydrograph, ground: FromGround, out: Floats) -> Hydrograph:
    """Direct runoff with the flow from the ground, written into ``out``."""
    if ground.flow.shape[1] > 1 or ground.flow.any():
        np.add(direct.flow, ground.flow, out=out)
        direct = replace(direct, flow=out)
    if ground.uneven is None:
        return direct
    return replace(direct, uneven=ground.uneven if direct.uneven is None else direct.uneven + ground.uneven)


def _less(whole: Floats, *parts: Floats | None) -> Floats:
    for part in parts:
        whole = whole if part is None else whole - part
    return whole


def _with(stored: Floats | None, held: Floats) -> Floats:
    """Water held, with that in the ground, m3, (case,)."""
    return held if stored is None else held + stored


def _by_position(values: OwnValues) -> BySurface:
    """Values by case for each surface, by parameter."""
    found: BySurface = {}
    for path, own in values.items():
        found.setdefault(int(path[1]), {})[str(path[3])] = np.asarray(own, float)
    return found
