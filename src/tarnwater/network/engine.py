"""The engine: one pass over the network computes a batch of cases.

Arrays are (case, step). The pass goes from group to group. Most groups are one element; elements that feel each
other's level are computed together. An element answers with a hydrograph for each link down; the flow by links is
booked here, from the very hydrographs that are passed on. The result of each element is cached under a digest of its
settings, its rain and the digests upstream, so that an edit only recomputes what is downstream.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
from collections.abc import Mapping, Sequence
from concurrent.futures import Executor, ThreadPoolExecutor, wait
from dataclasses import dataclass, field, fields, replace
from datetime import datetime
from functools import cached_property
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from tarnwater import states
from tarnwater.arrays import Cases, Floats, Integers
from tarnwater.errors import ComputationFailed, TarnwaterError
from tarnwater.hydrograph import Highest, Hydrograph, add_up
from tarnwater.network.balance import Balance, whole_balance
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Answer, Element, Situation
from tarnwater.network.graph import Network
from tarnwater.network.peaks import Peaks, find_floods, peaks_of
from tarnwater.progress import Progress
from tarnwater.rain.storms import Rain
from tarnwater.states import State
from tarnwater.units import show_duration

#: Number of values below which threads take more time than they save.
FEW_VALUES = 1_000_000

#: Number of cases below which a thread of its own takes more time than it saves.
FEW_CASES = 32

#: Share of its peak to which a flood must fall to have receded, unless told otherwise.
RECESSION_SHARE = 0.01

#: Values that differ by case: (element key, path of the field) to (case,) values.
CaseValues = Mapping[tuple[str, tuple[str | int, ...]], Floats]


@dataclass(frozen=True, eq=False)
class Summary:
    """Figures of an element that are always kept, one value for each case; flows in m3/s, volumes in m3, depths in mm.

    ``flood`` is the volume of the flood, less baseflow, until ``flood_end`` (s) when it has receded;
    ``passed`` is that of the whole run, with baseflow. ``base`` is the baseflow at the end of the run, and ``rise`` the
    greatest flow above the baseflow.
    """

    peaks: Peaks
    low: Floats
    last: Floats
    flood: Floats
    flood_end: Floats
    passed: Floats
    balance: Balance
    rain_depth: Floats
    loss_depth: Floats
    stored_depth: Floats
    base: Floats
    rise: Floats
    by_way: tuple[Peaks, ...]
    passed_by_way: tuple[Floats, ...]
    top: Highest | None = None
    spilled: Floats | None = None


@dataclass(frozen=True, eq=False)
class Response:
    """The response of an element to a batch.

    ``hydrograph`` is the total outflow, and ``ways`` the flow in each link down, or one if there is none. ``state`` is
    the end state. ``rain_depth``, ``loss_depth`` and ``stored_depth`` (case,) mm are those of a catchment, 0
    elsewhere. ``base`` m3/s is the flow from the ground in it, (case, step + 1) or (case, 1) where it is constant, and
    ``bases`` that in each of its ways. ``recession_share`` is the share of its peak to which a flood must fall to have
    receded. ``smooth`` is true if an element has smoothed the flow. ``level`` m and ``storage`` m3 are (case, step + 1)
    where it has them, ``top`` its highest level, and ``spilled`` (case,) m3 what flowed over it.
    """

    hydrograph: Hydrograph
    ways: tuple[Hydrograph, ...]
    balance: Balance
    state: State
    rain_depth: Floats
    loss_depth: Floats
    stored_depth: Floats
    base: Floats
    bases: tuple[Floats, ...]
    level: Floats | None = None
    storage: Floats | None = None
    recession_share: float = RECESSION_SHARE
    smooth: bool = False
    top: Highest | None = None
    spilled: Floats | None = None

    @cached_property
    def summary(self) -> Summary:
        """Peaks, volumes and other figures of each case."""
        flow = self.flow
        flood_end, flood = find_floods(self.hydrograph, self.base, self.recession_share)
        peaks = peaks_of(self.hydrograph, smooth=self.smooth)
        passed, several = self.hydrograph.total, len(self.ways) > 1
        return Summary(
            peaks=peaks,
            low=flow.min(axis=1),
            last=flow[:, -1].copy(),
            flood=flood,
            flood_end=flood_end,
            passed=passed,
            balance=self.balance,
            rain_depth=self.rain_depth,
            loss_depth=self.loss_depth,
            stored_depth=self.stored_depth,
            base=self.base[:, -1].copy(),
            rise=_greatest_above(flow, self.base),
            by_way=tuple(peaks_of(w, smooth=self.smooth) for w in self.ways) if several else (peaks,),
            passed_by_way=tuple(way.total for way in self.ways) if several else (passed,),
            top=self.top,
            spilled=self.spilled,
        )

    @property
    def flow(self) -> Floats:
        """Flows at the ends of the steps, m3/s, (case, step + 1)."""
        return self.hydrograph.flow

    @cached_property
    def nbytes(self) -> int:
        """Size of the arrays, bytes."""
        beside = sum(w.nbytes for w in self.ways) if len(self.ways) > 1 else 0
        heights = sum(a.nbytes for a in (self.level, self.storage) if a is not None)
        ground = sum(base.nbytes for base in self.bases if base.shape[1] > 1)
        return self.hydrograph.nbytes + beside + heights + ground


def _greatest_above(flow: Floats, base: Floats) -> Floats:
    """Greatest flow above the baseflow (case,) m3/s."""
    found: Floats = flow.max(axis=1) - base[:, 0] if base.shape[1] == 1 else (flow - base).max(axis=1)
    return found


@dataclass(frozen=True, eq=False)
class Batch:
    """Cases computed together: one network, one step, rain by catchment or for all.

    ``steps`` of ``step`` s are computed. ``values`` are parameters that differ by case; ``start``
    the start states, by element; ``recession_share`` says when a flood has receded. ``begins`` is the date at the
    start, if there is one.
    """

    network: Network
    rain: Rain | Mapping[str, Rain]
    step: float
    steps: int
    values: CaseValues = field(default_factory=dict)
    start: Mapping[str, State] = field(default_factory=dict)
    recession_share: float = RECESSION_SHARE
    begins: datetime | None = None

    def of(self, part: slice) -> Batch:
        """Some of its cases, as another batch."""
        rain = self.rain.of(part) if isinstance(self.rain, Rain) else {k: r.of(part) for k, r in self.rain.items()}
        return replace(
            self,
            rain=rain,
            values={path: np.asarray(values)[part] for path, values in self.values.items()},
            start={key: states.cases_of(state, part) for key, state in self.start.items()},
        )

    def rain_on(self, key: str) -> Rain:
        """Rain on a catchment; `ComputationFailed` if it has none: missing rain is never zero."""
        if isinstance(self.rain, Rain):
            return self.rain
        try:
            return self.rain[key]
        except KeyError as error:
            raise ComputationFailed(
                "the catchment has no rain.", remedy="Give it rain: missing rain is never taken as none."
            ) from error

    @property
    def cases(self) -> int:
        """Number of cases."""
        some = self.rain if isinstance(self.rain, Rain) else next(iter(self.rain.values()), None)
        return len(some.depths) if some is not None else 1


@dataclass(frozen=True, eq=False)
class BatchResult:
    """Responses by element key."""

    batch: Batch
    responses: Mapping[str, Response]

    @property
    def nbytes(self) -> int:
        """Size of the series, bytes."""
        return sum(response.nbytes for response in self.responses.values())

    @property
    def states(self) -> dict[str, State]:
        """End states by element, from which another batch may start."""
        return {key: response.state for key, response in self.responses.items()}

    @property
    def balance(self) -> Balance:
        """Balance of the whole network."""
        leaving = [self.responses[key].ways[way].total for key, way in self.batch.network.leaving]
        return whole_balance((r.balance for r in self.responses.values()), leaving)


def compute(
    batch: Batch,
    *,
    cache: ResultCache[Response] | None = None,
    progress: Progress | None = None,
    threads: int | None = None,
    executor: Executor | None = None,
) -> BatchResult:
    """Compute every element of a batch, from upstream to downstream.

    Cases are shared among ``threads`` of this process (as many as there are processors if that is faster), or sent in
    as many parts to an ``executor`` of processes or other machines. A part and its answer can be pickled. A case gives
    the same numbers to the last bit wherever it is computed and whatever the other cases are. Raises
    `ComputationFailed`, with the element's name, for what cannot be computed, and `Cancelled`.
    """
    progress = progress or Progress()
    _refuse_too_large(batch)
    keys = _digests(batch) if cache is not None else {}
    found = {} if cache is None else {k: r for k, d in keys.items() if (r := cache.get(d)) is not None}
    missing = [key for key in batch.network.order if key not in found]
    values = len(missing) * batch.cases * batch.steps
    threads = threads or _threads_for(batch.cases, values)
    # one block for all flows, so that the system uses large memory pages
    flows = dict(zip(missing, np.empty((len(missing), batch.cases, batch.steps + 1)), strict=True))
    parts = _shares(batch.cases, threads)
    if executor is not None:
        computed = _compute_away(batch, parts, flows, found, executor, progress)
    elif len(parts) == 1:
        computed = [_compute_part(batch, parts[0], flows, found, progress)]
    else:
        with ThreadPoolExecutor(len(parts)) as pool:
            waiting = [pool.submit(_compute_part, batch, part, flows, found, progress) for part in parts]
            computed = [w.result() for w in waiting]
    for key in missing:
        whole = found[key] = _concatenated([part[key] for part in computed], flows[key])
        if cache is not None:
            cache.put(keys[key], whole)
    return BatchResult(batch, {key: found[key] for key in batch.network.order})


def _threads_for(cases: int, values: int) -> int:
    """Threads that save time: each has cases enough to outweigh what the interpreter does for every element."""
    return 1 if values < FEW_VALUES else max(1, min(os.cpu_count() or 1, cases // FEW_CASES))


#: Arrays of (case, step) that are held at once for each element, and of unit hydrographs for each catchment.
_ARRAYS, _TAILS = 2, 4

#: Size up to which free memory is not checked, because the check takes as long as a small batch.
ALWAYS_THERE = 32 << 20


def _refuse_too_large(batch: Batch) -> None:
    """Raise `ComputationFailed` for a batch that is too large for the memory of this machine."""
    ordinates = batch.steps + 1
    values = _ARRAYS * len(batch.network.elements) * batch.cases * ordinates
    for element in batch.network.elements.values():
        length = element.ordinates(batch.step)
        values += batch.cases * length * _TAILS
        if length > MOST_ORDINATES:
            raise ComputationFailed(
                f"its response takes {length} steps of {show_duration(batch.step)}; the memory would not hold it.",
                where=element.name,
                remedy="Check its lag, or take a coarser step.",
            )
    if 8 * values <= ALWAYS_THERE:
        return
    there = memory_there()
    if 8 * values > there:
        raise ComputationFailed(
            f"{batch.cases} cases over {batch.steps} steps need {8 * values >> 20} MB of memory; {there >> 20} MB are "
            "free.",
            remedy="Take a coarser step, or ask for fewer cases at once.",
        )


#: Steps of a response beyond which it is not computed.
MOST_ORDINATES = 2_000_000


def memory_there() -> int:
    """Bytes of free memory, by the machine and by the limit of this program."""
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


#: Interval at which work elsewhere is checked for cancelling, s.
LOOKS_AFTER = 0.05


def _compute_away(
    batch: Batch,
    parts: list[slice],
    flows: Mapping[str, Floats],
    found: Mapping[str, Response],
    executor: Executor,
    progress: Progress,
) -> list[dict[str, Response]]:
    """Responses of each part by an executor, with their flows copied into ``flows``."""
    waiting = [
        executor.submit(_compute_alone, batch.of(part), {key: _cases_of(r, part) for key, r in found.items()})
        for part in parts
    ]
    home = []
    for number, (part, answer) in enumerate(zip(parts, waiting, strict=True)):
        try:
            progress.tell("computing", number / len(parts))
            while not answer.done():
                wait([answer], LOOKS_AFTER)
                progress.raise_if_cancelled()
            answers = answer.result()
        except BaseException:
            for one in waiting:
                one.cancel()
            raise
        home.append({key: _moved_to(answers[key], flows[key][part]) for key in flows})
    return home


def _compute_alone(batch: Batch, found: Mapping[str, Response]) -> dict[str, Response]:
    """Responses of the elements of a batch that are not yet known; an executor runs this anywhere."""
    missing = [key for key in batch.network.order if key not in found]
    flows = {key: np.empty((batch.cases, batch.steps + 1)) for key in missing}
    return _compute_part(batch, slice(0, batch.cases), flows, found, Progress())


#: Sweeps over elements that feel each other, and the change of a level (m) below which they have converged.
MOST_SWEEPS, STANDS = 200, 1e-9


@dataclass(frozen=True, eq=False)
class _Pass:
    """One pass over some cases of a batch: the known responses, and the arrays for the flows."""

    batch: Batch
    part: slice
    flows: Mapping[str, Floats]
    found: Mapping[str, Response]
    done: dict[str, Response] = field(default_factory=dict)

    @property
    def cases(self) -> int:
        found: int = self.part.stop - self.part.start
        return found

    @cached_property
    def rain(self) -> Rain | None:
        """The rain of the cases of the pass if it is the same on every catchment; otherwise None."""
        rain = self.batch.rain
        return rain.of(self.part) if isinstance(rain, Rain) else None

    def rain_on(self, key: str) -> Rain:
        """The rain on a catchment, for the cases of the pass."""
        return self.rain or self.batch.rain_on(key).of(self.part)

    def known(self, key: str) -> Response:
        """The known response of an element, for the cases of the pass."""
        if key not in self.done:
            found = self.found[key]
            self.done[key] = found if self.cases == self.batch.cases else _cases_of(found, self.part)
        return self.done[key]


def _compute_part(
    batch: Batch, part: slice, flows: Mapping[str, Floats], found: Mapping[str, Response], progress: Progress
) -> dict[str, Response]:
    """Responses of some cases for the elements that have an array in ``flows``, in its order."""
    run = _Pass(batch, part, flows, found)
    groups = [group for group in batch.network.groups if group[0] in flows]
    for number, group in enumerate(groups):
        progress.tell("computing", number / len(groups))
        if len(group) == 1:
            run.done[group[0]] = _respond(run, group[0], run.done, {}, slice(None), flows[group[0]][part])
        else:
            run.done.update(_respond_together(run, group, progress))
    return {key: run.done[key] for key in flows}


def _respond_together(run: _Pass, group: tuple[str, ...], progress: Progress) -> dict[str, Response]:
    """Responses of elements that feel each other.

    Each is computed over the whole run with assumed levels of the others, until the levels that result are those that
    were assumed. Each case stops by itself, so that its numbers do not depend on the other cases.
    """
    left = np.arange(run.cases)
    pieces: list[tuple[Integers, dict[str, Response]]] = []
    levels: dict[str, Floats] = {}
    search = _LevelSearch()
    for _ in range(MOST_SWEEPS):
        progress.raise_if_cancelled()
        answers: dict[str, Response] = {}
        for key in group:
            out = np.empty((len(left), run.batch.steps + 1))
            answers[key] = _respond(run, key, answers, levels, left, out)
        new = {key: answer.level for key, answer in answers.items() if answer.level is not None}
        moved = np.full(len(left), np.inf if not levels and new else 0.0)
        for key in levels:
            moved = np.maximum(moved, np.abs(new[key] - levels[key]).max(axis=1))
        still = moved > STANDS
        if not still.all():
            stand = np.flatnonzero(~still)
            pieces.append((left[stand], {key: _cases_of(answer, stand) for key, answer in answers.items()}))
        left, levels = left[still], search.next(levels, new, np.flatnonzero(still))
        if not len(left):
            break
    else:
        names = ", ".join(run.batch.network.elements[key].name for key in group)
        raise ComputationFailed("their levels do not come to rest.", where=names, remedy="Take a finer step.")
    back = np.argsort(np.concatenate([cases for cases, _ in pieces]), kind="stable")
    found = {}
    for key in group:
        parts = [answers[key] for _, answers in pieces]
        whole = _cases_of(_concatenated(parts, np.concatenate([p.flow for p in parts])), back)
        found[key] = _moved_to(whole, run.flows[key][run.part])
    return found


class _LevelSearch:
    """Levels to be assumed next: by the secant through the last two sweeps, at each time by itself.

    A level acts on what is computed of it at the same time and later, so times come right one after the other. Taking
    each result as it is would swing to and fro between two ponds that are all but level.
    """

    #: Change of a result with what was assumed, as far as it is believed.
    LEAST, MOST = -30.0, 0.5

    def __init__(self) -> None:
        self._before: dict[str, tuple[Floats, Floats, Floats]] = {}

    def next(self, assumed: Mapping[str, Floats], found: Mapping[str, Floats], cases: Cases) -> dict[str, Floats]:
        """Levels (case, step + 1) m of some of the cases, from those that were assumed and what came of them."""
        levels = {}
        for key, result in found.items():
            level = result
            if key in assumed:
                x, off = assumed[key], result - assumed[key]
                slope = np.full_like(x, -1.0)
                if key in self._before:
                    last, last_off, last_slope = self._before[key]
                    moved, turned = x - last, off - last_off
                    with np.errstate(divide="ignore", invalid="ignore"):
                        # where it hardly moved, the difference is rounding, and the slope found before holds
                        slope = np.where(np.abs(moved) > STANDS, turned / moved, last_slope)
                    slope = np.clip(slope, self.LEAST - 1, self.MOST - 1)
                    level = x - off / slope
                self._before[key] = x[cases], off[cases], slope[cases]
            levels[key] = level[cases]
        return levels


def _moved_to(response: Response, out: Floats) -> Response:
    """The response with its flow in another array."""
    out[...] = response.flow
    hydrograph = replace(response.hydrograph, flow=out)
    return replace(response, hydrograph=hydrograph, ways=(hydrograph,) if len(response.ways) == 1 else response.ways)


def _respond(
    run: _Pass,
    key: str,
    together: Mapping[str, Response],
    levels: Mapping[str, Floats],
    cases: Cases,
    out: Floats,
) -> Response:
    """Response of one element to some cases of a pass.

    ``together`` and ``levels`` are those of the elements that are computed with it, for the same cases.
    """
    batch, network = run.batch, run.batch.network
    element = network.elements[key]

    def known(up: str) -> Response:
        if up in together:
            return together[up]
        whole = run.known(up)
        return whole if isinstance(cases, slice) else _cases_of(whole, cases)

    def level(felt: str) -> Floats | None:
        # the level of an element computed together with it is that of the sweep before; none in the first sweep
        return levels.get(felt) if felt in network.group_of[key] else known(felt).level

    def of_run(values: State) -> State:
        return None if values is None else states.cases_of(states.cases_of(values, run.part), cases)

    try:
        above = [(known(link.up), network.way_number[name]) for name, link in network.inlets[key]]
        felt = {k: found for k in element.feels() if k in network.elements and (found := level(k)) is not None}
        rain = run.rain_on(key) if element.takes_rain else None
        if rain is not None and not isinstance(cases, slice):
            rain = rain.of(cases)
        situation = Situation(
            batch.step,
            batch.steps,
            len(out),
            rain,
            [up.ways[way] for up, way in above],
            tuple(link.down for _, link in network.outlets[key]),
            of_run(batch.start.get(key)),
            out,
            {path: of_run(np.asarray(v)) for (k, path), v in batch.values.items() if k == key},
            felt,
            batch.begins,
        )
        base = _added([up.bases[way] for up, way in above], np.zeros((len(out), 1)))
        smooth = element.smooths or any(up.smooth for up, _ in above)
        return _respond_to(element, situation, _Around(base, batch.recession_share, smooth))
    except TarnwaterError as error:
        if not error.where:
            error.where = element.name
        raise


@dataclass(frozen=True, eq=False)
class _Around:
    """What a response carries beside the answer of its element: inflow from the ground m3/s, and the two marks."""

    base: Floats
    recession_share: float
    smooth: bool


def _respond_to(element: Element, situation: Situation, around: _Around) -> Response:
    """Response to a situation; if it does not take parameters as arrays, cases are computed in groups."""
    values, out = situation.values, situation.out
    if not values or element.takes(values):
        return _booked(element, situation, element.respond(situation), around)
    rows, group = np.unique(np.column_stack(list(values.values())), axis=0, return_inverse=True)
    pieces, order = [], []
    for number, row in enumerate(rows):
        cases = np.flatnonzero(group.ravel() == number)
        changed: Any = element
        for path, value in zip(values, row, strict=True):
            changed = _with_value(changed, path, float(value))
        some = replace(
            situation,
            cases=len(cases),
            rain=None if situation.rain is None else situation.rain.of(cases),
            inflows=[inflow.of(cases) for inflow in situation.inflows],
            state=states.cases_of(situation.state, cases),
            out=np.empty((len(cases), out.shape[1])),
            values={},
            levels={key: level[cases] for key, level in situation.levels.items()},
        )
        pieces.append(_respond_to(changed.refreshed(), some, replace(around, base=around.base[cases])))
        order.append(cases)
    back = np.argsort(np.concatenate(order), kind="stable")
    whole = _cases_of(_concatenated(pieces, np.concatenate([p.flow for p in pieces])), back)
    return _moved_to(whole, out)


def _booked(element: Element, situation: Situation, answer: Answer, around: _Around) -> Response:
    """An answer with the flow by links booked from the hydrographs that are passed on."""
    cases, downs, ways = situation.cases, situation.downs, answer.ways
    if len(ways) != max(len(downs), 1):
        raise RuntimeError(f"{element.name} answers with {len(ways)} hydrographs for {len(downs)} links")
    nothing = np.zeros(cases)

    def given(value: Floats | None) -> Floats:
        return nothing if value is None else value

    hydrograph = answer.whole or ways[0]
    if len(ways) > 1:
        # the sum is written to the array that one of the ways may use
        ways = tuple(replace(w, flow=w.flow.copy()) if np.may_share_memory(w.flow, situation.out) else w for w in ways)
        added = add_up(list(ways), situation.out, situation.step)
        hydrograph = replace(added, highest=None if answer.whole is None else answer.whole.highest)
    balance = Balance(
        rain=given(answer.rain),
        inflow=_added([inflow.total for inflow in situation.inflows], nothing),
        # water let in by an element that may not do so is not counted, so that its balance does not close
        outside=given(answer.outside) if element.lets_in else nothing,
        baseflow=given(answer.baseflow),
        start_storage=given(answer.start_storage),
        outflow=_added([way.total for way in ways], nothing),
        end_storage=given(answer.end_storage),
        losses=given(answer.losses),
    )
    bases = element.bases(around.base if answer.base is None else around.base + answer.base, downs)
    return Response(
        hydrograph,
        ways,
        balance,
        answer.state,
        given(answer.rain_depth),
        given(answer.loss_depth),
        given(answer.stored_depth),
        _added(bases, np.zeros((cases, 1))),
        bases,
        answer.level,
        answer.storage,
        around.recession_share,
        around.smooth,
        answer.top,
        given(answer.spilled),
    )


def _added(parts: Sequence[Floats], nothing: Floats) -> Floats:
    """The sum of some arrays by case; ``nothing`` if there are none. Most elements have one inflow."""
    return parts[0] if len(parts) == 1 else sum(parts, nothing)


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


def _cases_of(response: Response, cases: Cases) -> Response:
    balance = Balance(**{f.name: getattr(response.balance, f.name)[cases] for f in fields(Balance)})
    state = states.cases_of(response.state, cases)
    hydrograph = response.hydrograph.of(cases)
    return replace(
        response,
        hydrograph=hydrograph,
        ways=(hydrograph,) if len(response.ways) == 1 else tuple(way.of(cases) for way in response.ways),
        balance=balance,
        state=state,
        rain_depth=response.rain_depth[cases],
        loss_depth=response.loss_depth[cases],
        stored_depth=response.stored_depth[cases],
        base=response.base[cases],
        bases=tuple(base[cases] for base in response.bases),
        level=None if response.level is None else response.level[cases],
        storage=None if response.storage is None else response.storage[cases],
        top=None if response.top is None else response.top.of(cases),
        spilled=None if response.spilled is None else response.spilled[cases],
    )


def _concatenated(parts: list[Response], flow: Floats) -> Response:
    """Responses of groups of cases joined; their flows are already in ``flow``."""
    first = parts[0]
    if len(parts) == 1:
        return first
    balance = Balance(**{f.name: np.concatenate([getattr(p.balance, f.name) for p in parts]) for f in fields(Balance)})
    hydrograph = _hydrographs_joined([p.hydrograph for p in parts], flow)
    ways: tuple[Hydrograph, ...] = (hydrograph,)
    if len(first.ways) > 1:
        each = [[p.ways[number] for p in parts] for number in range(len(first.ways))]
        ways = tuple(_hydrographs_joined(way, np.concatenate([w.flow for w in way])) for way in each)

    def heights(name: str) -> Floats | None:
        there = [getattr(p, name) for p in parts]
        return None if there[0] is None else np.concatenate(there)

    return Response(
        hydrograph,
        ways,
        balance,
        states.joined([p.state for p in parts], [len(p.flow) for p in parts]),
        np.concatenate([p.rain_depth for p in parts]),
        np.concatenate([p.loss_depth for p in parts]),
        np.concatenate([p.stored_depth for p in parts]),
        np.concatenate([p.base for p in parts]),
        tuple(np.concatenate([p.bases[number] for p in parts]) for number in range(len(first.bases))),
        heights("level"),
        heights("storage"),
        first.recession_share,
        first.smooth,
        _highest_joined([p.top for p in parts]),
        heights("spilled"),
    )


def _hydrographs_joined(parts: list[Hydrograph], flow: Floats) -> Hydrograph:
    """Hydrographs of groups of cases joined; their flows are already in ``flow``."""
    uneven = None
    if any(part.uneven is not None for part in parts):
        uneven = np.zeros((len(flow), flow.shape[1] - 1))
        bounds = np.cumsum([0, *(len(part.flow) for part in parts)])
        for part, rows in zip(parts, pairwise(bounds), strict=True):
            if part.uneven is not None:
                uneven[slice(*rows)] = part.uneven
    return Hydrograph(flow, parts[0].step, uneven, _highest_joined([part.highest for part in parts]))


def _highest_joined(parts: list[Highest | None]) -> Highest | None:
    there = [part for part in parts if part is not None]
    if len(there) < len(parts):
        return None
    return Highest(np.concatenate([p.values for p in there]), np.concatenate([p.times for p in there]))


def _digests(batch: Batch) -> dict[str, str]:
    """Digest of the inputs of each element's result: settings, rain, run, and the digests of what acts on it.

    Elements that feel each other have one digest of all that acts on any of them.
    """
    network = batch.network
    run = f"{batch.step!r} {batch.steps} {batch.cases} {batch.recession_share!r}".encode()
    digests: dict[str, str] = {}
    for group in network.groups:
        sha = hashlib.sha256(run)
        for key in group:
            _update_with_own(sha, batch, key)
            for name, link in network.inlets[key]:
                if link.up in digests:
                    sha.update(f"{digests[link.up]} {network.way_number[name]}".encode())
            for felt in network.elements[key].feels():
                sha.update(digests.get(felt, felt).encode())
        whole = sha.hexdigest()
        digests.update({key: whole if len(group) == 1 else f"{whole} {n}" for n, key in enumerate(group)})
    return digests


def _update_with_own(sha: hashlib._Hash, batch: Batch, key: str) -> None:
    """Add the inputs of one element to a digest: its settings, its links down, its rain, its values and its state."""
    element, downs = batch.network.elements[key], [link.down for _, link in batch.network.outlets[key]]
    sha.update(element.computed_text)
    if len(downs) > 1:
        sha.update(repr(downs).encode())
    if element.takes_rain:
        sha.update(batch.rain_on(key).digest)
    if element.by_date:
        sha.update(repr(batch.begins).encode())
    for (owner, path), values in batch.values.items():
        if owner == key:
            sha.update(repr(path).encode() + np.ascontiguousarray(values, float).tobytes())
    _update_with_state(sha, batch.start.get(key))


def _update_with_state(sha: hashlib._Hash, state: State) -> None:
    if isinstance(state, tuple):
        for part in state:
            _update_with_state(sha, part)
    elif state is not None:
        sha.update(np.ascontiguousarray(state).tobytes())
