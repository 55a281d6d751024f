"""The engine: one pass over the network computes a batch of cases.

Arrays are (case, step). Each element's result is kept under a digest of its own settings, its rain
and the digests of what drains into it, so that an edit recomputes only what lies downstream of it.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from tarnwater.errors import ComputationFailed, TarnwaterError
from tarnwater.hydrograph import Hydrograph, add_up
from tarnwater.network.balance import Balance, whole_balance
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Catchment, Inflow, Reach, _Element
from tarnwater.network.figures import Peak, find_floods, find_peaks
from tarnwater.network.graph import Network
from tarnwater.progress import Progress
from tarnwater.rain.storms import Rain
from tarnwater.runoff.transforms import UnitHydrograph, convolve
from tarnwater.runoff.transforms.convolution import stored_in
from tarnwater.units import show_duration

#: Below so many values to compute, starting threads costs more than it saves.
FEW_VALUES = 1_000_000

#: Share of its peak to which a flood must fall to have receded, unless told otherwise.
RECESSION_SHARE = 0.01

#: Values that differ by case: (element key, path of the field) to (case,) values.
CaseValues = Mapping[tuple[str, tuple[str | int, ...]], np.ndarray]


@dataclass(frozen=True, eq=False)
class Summary:
    """What is always kept of an element: one value a case; flows in m3/s, volumes in m3, depths in mm.

    ``flood`` is the volume of the flood, less baseflow, until ``flood_end`` (s) when it has receded;
    ``passed`` that of the whole run, baseflow included.
    """

    peaks: tuple[Peak, ...]
    low: np.ndarray
    last: np.ndarray
    flood: np.ndarray
    flood_end: np.ndarray
    passed: np.ndarray
    balance: Balance
    rain_depth: np.ndarray
    loss_depth: np.ndarray
    stored_depth: np.ndarray


@dataclass(frozen=True, eq=False)
class Response:
    """What an element answers to a batch.

    ``state`` carries a run on. ``rain_depth``, ``loss_depth`` and ``stored_depth`` (case,) mm are
    those of a catchment, 0 elsewhere. ``base`` (case,) m3/s is the constant flow from the ground in it, and
    ``recession_share`` the share of its peak to which a flood must fall to have receded. ``smooth`` says
    that a catchment or a reach has smoothed the flow.
    """

    hydrograph: Hydrograph
    balance: Balance
    state: Any
    rain_depth: np.ndarray
    loss_depth: np.ndarray
    stored_depth: np.ndarray
    base: np.ndarray
    recession_share: float = RECESSION_SHARE
    smooth: bool = False

    @cached_property
    def summary(self) -> Summary:
        """Peaks, volumes and the like of each case."""
        flow = self.flow
        flood_end, flood = find_floods(self.hydrograph, self.base, self.recession_share)
        return Summary(
            peaks=find_peaks(flow, self.hydrograph.step, smooth=self.smooth),
            low=flow.min(axis=1),
            last=flow[:, -1].copy(),
            flood=flood,
            flood_end=flood_end,
            passed=self.hydrograph.total,
            balance=self.balance,
            rain_depth=self.rain_depth,
            loss_depth=self.loss_depth,
            stored_depth=self.stored_depth,
        )

    @property
    def flow(self) -> np.ndarray:
        """Flows at the ends of the steps, m3/s, (case, step + 1)."""
        return self.hydrograph.flow

    @property
    def nbytes(self) -> int:
        """Size of the arrays."""
        return self.hydrograph.nbytes


@dataclass(frozen=True, eq=False)
class Batch:
    """Cases computed together: one network, one step, rain by catchment or for all.

    ``steps`` of ``step`` s are computed. ``values`` holds parameters that differ by case; ``start``
    the states a run goes on from, by element; ``recession_share`` says when a flood has receded.
    """

    network: Network
    rain: Rain | Mapping[str, Rain]
    step: float
    steps: int
    values: CaseValues = field(default_factory=dict)
    start: Mapping[str, Any] = field(default_factory=dict)
    recession_share: float = RECESSION_SHARE

    def rain_on(self, key: str) -> Rain:
        """Rain on a catchment; `ComputationFailed` where it has none: missing rain is never zero."""
        if isinstance(self.rain, Rain):
            return self.rain
        try:
            return self.rain[key]
        except KeyError:
            raise ComputationFailed(
                "the catchment has no rain.", remedy="Give it rain: missing rain is never taken as none."
            ) from None

    @property
    def cases(self) -> int:
        """How many cases there are."""
        some = self.rain if isinstance(self.rain, Rain) else next(iter(self.rain.values()), None)
        return len(some.depths) if some is not None else 1


@dataclass(frozen=True, eq=False)
class BatchResult:
    """Responses by element key."""

    batch: Batch
    responses: Mapping[str, Response]

    @property
    def nbytes(self) -> int:
        """Size of the series."""
        return sum(response.nbytes for response in self.responses.values())

    @property
    def states(self) -> dict[str, Any]:
        """End states by element, from which another batch may go on."""
        return {key: response.state for key, response in self.responses.items()}

    @property
    def balance(self) -> Balance:
        """Balance of the whole network."""
        ends = [self.responses[key].hydrograph.total for key in self.batch.network.ends if key in self.responses]
        return whole_balance((r.balance for r in self.responses.values()), ends)


def compute(
    batch: Batch,
    *,
    cache: ResultCache[Response] | None = None,
    progress: Progress | None = None,
    threads: int | None = None,
) -> BatchResult:
    """Compute every element of a batch, from the hills down.

    Cases are shared out over ``threads`` (as many as there are processors where that pays). Raises
    `ComputationFailed`, with the element's name, for what cannot be computed, and `Cancelled`.
    """
    progress = progress or Progress()
    _refuse_too_large(batch)
    keys = _digests(batch) if cache is not None else {}
    found = {} if cache is None else {k: r for k, d in keys.items() if (r := cache.get(d)) is not None}
    missing = [key for key in batch.network.order if key not in found]
    values = len(missing) * batch.cases * batch.steps
    threads = threads or (1 if values < FEW_VALUES else os.cpu_count()) or 1
    # one block for all flows: the system hands out large pages for it
    flows = dict(zip(missing, np.empty((len(missing), batch.cases, batch.steps + 1)), strict=True))
    parts = _shares(batch.cases, threads)
    if len(parts) == 1:
        computed = [_compute_part(batch, parts[0], flows, found, progress)]
    else:
        with ThreadPoolExecutor(len(parts)) as pool:
            waiting = [pool.submit(_compute_part, batch, part, flows, found, progress) for part in parts]
            computed = [w.result() for w in waiting]
    for key in missing:
        whole = _concatenated([part[key] for part in computed], flows[key])
        smooth = isinstance(batch.network.elements[key], Catchment | Reach) or any(
            found[up].smooth for up in batch.network.upstream[key]
        )
        whole = found[key] = replace(whole, smooth=smooth, recession_share=batch.recession_share)
        if cache is not None:
            cache.put(keys[key], whole)
    return BatchResult(batch, {key: found[key] for key in batch.network.order})


#: Arrays of (case, step) that are held at once for each element, and of unit hydrographs for each catchment.
_ARRAYS, _TAILS = 2, 4


def _refuse_too_large(batch: Batch) -> None:
    """Raise `ComputationFailed` for a batch that the memory of this machine does not hold."""
    ordinates = batch.steps + 1
    values = _ARRAYS * len(batch.network.elements) * batch.cases * ordinates
    for key, element in batch.network.elements.items():
        if isinstance(element, Catchment) and element.lag.value is not None:
            length = response_length(element, batch.step)
            values += batch.cases * length * _TAILS
            if length > MOST_ORDINATES:
                raise ComputationFailed(
                    f"its response takes {length} steps of {show_duration(batch.step)}; the memory would not hold it.",
                    where=batch.network.elements[key].name,
                    remedy="Check its lag, or take a coarser step.",
                )
    there = memory_there()
    if 8 * values > there:
        raise ComputationFailed(
            f"{batch.cases} cases over {batch.steps} steps need {8 * values >> 20} MB of memory; {there >> 20} MB are "
            "free.",
            remedy="Take a coarser step, or ask for fewer cases at once.",
        )


#: Steps of a response beyond which it is not computed.
MOST_ORDINATES = 2_000_000


def response_length(element: Catchment, step: float) -> int:
    """Steps that the response of a catchment takes at least, without making it."""
    return int(5 * element.lag.known / step)


def memory_there() -> int:
    """Bytes of memory that can still be had, by the machine and by the limit set for this program."""
    import resource

    free = os.sysconf("SC_AVPHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")
    with contextlib.suppress(OSError, ValueError):
        for line in Path("/proc/meminfo").read_text().splitlines():
            if line.startswith("MemAvailable:"):
                free = 1024 * int(line.split()[1])
    limit, _ = resource.getrlimit(resource.RLIMIT_AS)
    return free if limit == resource.RLIM_INFINITY else min(free, limit)


def _shares(cases: int, threads: int) -> list[slice]:
    count = max(1, min(threads, cases))
    bounds = [cases * i // count for i in range(count + 1)]
    return [slice(a, b) for a, b in pairwise(bounds)]


def _compute_part(
    batch: Batch, part: slice, flows: Mapping[str, np.ndarray], found: Mapping[str, Response], progress: Progress
) -> dict[str, Response]:
    """Responses of some cases of the elements that have an array in ``flows``, in its order."""
    network = batch.network
    done: dict[str, Response] = {}
    for number, (key, out) in enumerate(flows.items()):
        progress.tell("computing", number / len(flows))
        above = [done.get(up) or _cases_of(found[up], part) for up in network.upstream[key]]
        try:
            own = _respond(batch, key, part, [up.hydrograph for up in above], out[part])
            done[key] = replace(own, base=sum((up.base for up in above), own.base))
        except TarnwaterError as error:
            if not error.where:
                error.where = network.elements[key].name
            raise
    return done


def _respond(batch: Batch, key: str, part: slice, inflows: list[Hydrograph], out: np.ndarray) -> Response:
    """Response of one element, case by case alike or, where a parameter differs by case, in groups."""
    element, state = batch.network.elements[key], _cases_of_state(batch.start.get(key), part)
    own = {path: np.asarray(v)[part] for (k, path), v in batch.values.items() if k == key}
    rain = None
    if isinstance(element, Catchment):
        given = batch.rain_on(key)
        rain = given.of(part)
    if not own:
        return _respond_alike(batch, element, rain, inflows, state, out)
    rows, group = np.unique(np.column_stack(list(own.values())), axis=0, return_inverse=True)
    pieces, order = [], []
    for number, row in enumerate(rows):
        cases = np.flatnonzero(group.ravel() == number)
        changed: Any = element
        for path, value in zip(own, row, strict=True):
            changed = _with_value(changed, path, float(value))
        some_rain = None if rain is None else rain.of(cases)
        some_inflows, some_state = [i.of(cases) for i in inflows], _cases_of_state(state, cases)
        some_out = np.empty((len(cases), out.shape[1]))
        pieces.append(_respond_alike(batch, changed.refreshed(), some_rain, some_inflows, some_state, some_out))
        order.append(cases)
    back = np.argsort(np.concatenate(order), kind="stable")
    flows = np.concatenate([p.flow for p in pieces])
    whole = _cases_of(_concatenated(pieces, flows), back)
    out[...] = whole.flow
    return replace(whole, hydrograph=replace(whole.hydrograph, flow=out))


def _with_value(model: Any, path: Sequence[str | int], value: float) -> Any:
    """A copy of a model with a typed value at a path of field names and positions."""
    from tarnwater.parameters import Setting, typed

    head, rest = path[0], path[1:]
    if isinstance(head, int):
        return (*model[:head], _with_value(model[head], rest, value), *model[head + 1 :])
    old = getattr(model, head)
    if rest:
        new: Any = _with_value(old, rest, value)
    else:
        new = typed(value) if isinstance(old, Setting) else value
    return model.model_copy(update={head: new})


def _respond_alike(
    batch: Batch, element: _Element, rain: Rain | None, inflows: list[Hydrograph], state: Any, out: np.ndarray
) -> Response:
    match element:
        case Catchment():
            assert rain is not None
            return _catchment(element, rain, batch.step, batch.steps, state, out)
        case Reach():
            entering = inflows[0] if len(inflows) == 1 else add_up(inflows, out, batch.step)
            return _reach(element, entering, state, out)
        case Inflow():
            return _inflow(element, batch.step, state, out)
    joined = add_up(inflows, out, batch.step)
    total, nothing = joined.total, np.zeros(len(out))
    return Response(joined, Balance.of(len(out), inflow=total, outflow=total), None, nothing, nothing, nothing, nothing)


def catchment_excess(element: Catchment, rain: Rain, step: float, states: Any = None) -> tuple[Any, Any, Any, Any]:
    """Excess of a catchment at the step of the run, weighted over its surfaces.

    Losses run on the finer of the run's step and the rain's own. Returns the excess (case, step) mm,
    and loss and stored depth (case,) mm, and the states of the surfaces.
    """
    fine = rain.at_step(min(step, rain.step))
    excess: np.ndarray | float = 0.0
    loss, stored, after = np.zeros(len(fine.depths)), np.zeros(len(fine.depths)), []
    for number, (surface, weight) in enumerate(zip(element.surfaces, element.weights, strict=True)):
        answer = surface.loss.respond(fine.depths, None if states is None else states[number])
        excess = excess + weight * answer.excess if len(element.surfaces) > 1 else answer.excess
        loss += weight * answer.loss
        stored += weight * answer.stored
        after.append(answer.state)
    assert isinstance(excess, np.ndarray)
    return Rain(excess, fine.step).at_step(step).depths, loss, stored, tuple(after)


def unit_hydrograph_of(element: Catchment, step: float) -> UnitHydrograph:
    """Unit hydrograph of a catchment at a step."""
    return element.transform.unit_hydrograph(element.area.known, element.lag.known, step)


def _catchment(element: Catchment, rain: Rain, step: float, steps: int, state: Any, out: np.ndarray) -> Response:
    loss_states, tail = (None, None) if state is None else state
    excess, loss, stored, after = catchment_excess(element, rain, step, loss_states)
    cases = len(excess)
    if excess.shape[1] > steps:
        raise ComputationFailed("the storm is longer than the run.", remedy="Give the run a greater length.")
    runoff = convolve(excess, unit_hydrograph_of(element, step), steps, tail, out)
    base = element.baseflow.rate()
    if base:
        out += base
    to_volume = 0.001 * element.area.known
    rain_depth = rain.total
    balance = Balance.of(
        cases,
        rain=rain_depth * to_volume,
        ground=np.full(cases, base * step * steps),
        start_storage=np.zeros(cases) if tail is None else stored_in(tail),
        outflow=runoff.hydrograph.total,
        end_storage=stored_in(runoff.state) + stored * to_volume,
        losses=loss * to_volume,
    )
    return Response(runoff.hydrograph, balance, (after, runoff.state), rain_depth, loss, stored, np.full(cases, base))


def _reach(element: Reach, inflow: Hydrograph, state: Any, out: np.ndarray) -> Response:
    entered = inflow.total
    routed = element.method.route(inflow, state, out)
    if routed.hydrograph.flow is not out:
        out[...] = routed.hydrograph.flow
        routed = replace(routed, hydrograph=replace(routed.hydrograph, flow=out))
    cases = len(out)
    balance = Balance.of(
        cases,
        inflow=entered,
        start_storage=routed.start_stored,
        outflow=routed.hydrograph.total,
        end_storage=routed.stored,
    )
    nothing = np.zeros(cases)
    return Response(routed.hydrograph, balance, routed.state, nothing, nothing, nothing, nothing)


def _inflow(element: Inflow, step: float, state: Any, out: np.ndarray) -> Response:
    """The typed hydrograph; its state is the time of the run so far (case,), s."""
    cases, ordinates = out.shape
    times = (0.0 if state is None else float(state[0])) + np.arange(ordinates) * step
    known_t, known_q = np.array(element.times), np.array(element.flows)
    flow = np.interp(times, known_t, known_q, left=0.0, right=0.0)
    out[...] = flow
    uneven = np.diff(volume_until(known_t, known_q, times)) - 0.5 * step * (flow[1:] + flow[:-1])
    hydrograph = Hydrograph(out, step, np.tile(uneven, (cases, 1)))
    total, nothing = hydrograph.total, np.zeros(cases)
    balance = Balance.of(cases, inflow=total, outflow=total)
    return Response(hydrograph, balance, np.full(cases, times[-1]), nothing, nothing, nothing, nothing)


def volume_until(times: np.ndarray, flows: np.ndarray, until: np.ndarray) -> np.ndarray:
    """Exact volume in m3 of a straight-lined hydrograph up to each time (s); nothing outside it."""
    until = np.clip(until, times[0], times[-1])
    whole = np.concatenate([[0.0], np.cumsum(np.diff(times) * 0.5 * (flows[1:] + flows[:-1]))])
    piece = np.clip(np.searchsorted(times, until, side="right") - 1, 0, len(times) - 2)
    here = np.interp(until, times, flows)
    return whole[piece] + (until - times[piece]) * 0.5 * (flows[piece] + here)


def _cases_of(response: Response, cases: slice | np.ndarray) -> Response:
    balance = Balance(**{f.name: getattr(response.balance, f.name)[cases] for f in fields(Balance)})
    state = _cases_of_state(response.state, cases)
    return replace(
        response,
        hydrograph=response.hydrograph.of(cases),
        balance=balance,
        state=state,
        rain_depth=response.rain_depth[cases],
        loss_depth=response.loss_depth[cases],
        stored_depth=response.stored_depth[cases],
        base=response.base[cases],
    )


def _cases_of_state(state: Any, cases: slice | np.ndarray) -> Any:
    """The cases of a state: arrays by case, in tuples nested as the method likes."""
    if state is None:
        return None
    if isinstance(state, tuple):
        return tuple(_cases_of_state(part, cases) for part in state)
    return state[cases]


def _concatenated(parts: list[Response], flow: np.ndarray) -> Response:
    """Responses of some cases each put together; their flows lie in ``flow`` already."""
    first = parts[0]
    if len(parts) == 1:
        return first
    balance = Balance(**{f.name: np.concatenate([getattr(p.balance, f.name) for p in parts]) for f in fields(Balance)})
    uneven = None
    if any(p.hydrograph.uneven is not None for p in parts):
        uneven = np.zeros((len(flow), flow.shape[1] - 1))
        bounds = np.cumsum([0, *(len(p.flow) for p in parts)])
        for part, rows in zip(parts, pairwise(bounds), strict=True):
            if part.hydrograph.uneven is not None:
                uneven[slice(*rows)] = part.hydrograph.uneven
    return Response(
        Hydrograph(flow, first.hydrograph.step, uneven),
        balance,
        _concatenated_states([p.state for p in parts]),
        np.concatenate([p.rain_depth for p in parts]),
        np.concatenate([p.loss_depth for p in parts]),
        np.concatenate([p.stored_depth for p in parts]),
        np.concatenate([p.base for p in parts]),
    )


def _concatenated_states(states: list[Any]) -> Any:
    first = states[0]
    if first is None:
        return None
    if isinstance(first, tuple):
        return tuple(_concatenated_states([s[i] for s in states]) for i in range(len(first)))
    width = max((s.shape[1] for s in states if s.ndim > 1), default=0)
    return np.concatenate([np.pad(s, ((0, 0), (0, width - s.shape[1]))) if s.ndim > 1 else s for s in states])


def _digests(batch: Batch) -> dict[str, str]:
    """Digest of what makes each element's result: settings, rain, run, and the digests upstream."""
    run = f"{batch.step!r} {batch.steps} {batch.cases} {batch.recession_share!r}".encode()
    digests: dict[str, str] = {}
    for key in batch.network.order:
        element = batch.network.elements[key]
        sha = hashlib.sha256(run)
        sha.update(element.computed_text)
        if isinstance(element, Catchment):
            sha.update(batch.rain_on(key).digest)
        for (owner, path), values in batch.values.items():
            if owner == key:
                sha.update(repr(path).encode() + np.ascontiguousarray(values, float).tobytes())
        for up in batch.network.upstream[key]:
            sha.update(digests[up].encode())
        _update_with_state(sha, batch.start.get(key))
        digests[key] = sha.hexdigest()
    return digests


def _update_with_state(sha: Any, state: Any) -> None:
    if isinstance(state, tuple):
        for part in state:
            _update_with_state(sha, part)
    elif state is not None:
        sha.update(np.ascontiguousarray(state).tobytes())
