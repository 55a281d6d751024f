"""The engine: one pass over the network computes a batch of cases.

Arrays are (case, step). The pass goes from group to group: most are one element, some are elements that feel each
other's level and are computed together. An element answers with a hydrograph for each link down; what enters and
leaves by links is booked here, from the very hydrographs that are handed on. Each element's result is kept under a
digest of its own settings, its rain and the digests of what drains into it, so that an edit recomputes only what
lies downstream of it.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
from collections.abc import Mapping, Sequence
from concurrent.futures import Executor, ThreadPoolExecutor, wait
from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from tarnwater import states
from tarnwater.arrays import Cases, Floats, Integers
from tarnwater.errors import ComputationFailed, TarnwaterError
from tarnwater.hydrograph import Hydrograph, add_up
from tarnwater.network.balance import Balance, whole_balance
from tarnwater.network.cache import ResultCache
from tarnwater.network.elements import Answer, Element, Situation
from tarnwater.network.graph import Network
from tarnwater.network.peaks import Peaks, find_floods, find_peaks
from tarnwater.progress import Progress
from tarnwater.rain.storms import Rain
from tarnwater.states import State
from tarnwater.units import show_duration

#: Below so many values to compute, starting threads costs more than it saves.
FEW_VALUES = 1_000_000

#: Share of its peak to which a flood must fall to have receded, unless told otherwise.
RECESSION_SHARE = 0.01

#: Values that differ by case: (element key, path of the field) to (case,) values.
CaseValues = Mapping[tuple[str, tuple[str | int, ...]], Floats]


@dataclass(frozen=True, eq=False)
class Summary:
    """What is always kept of an element: one value a case; flows in m3/s, volumes in m3, depths in mm.

    ``flood`` is the volume of the flood, less baseflow, until ``flood_end`` (s) when it has receded;
    ``passed`` that of the whole run, baseflow included.
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
    by_way: tuple[Peaks, ...]
    passed_by_way: tuple[Floats, ...]


@dataclass(frozen=True, eq=False)
class Response:
    """What an element answers to a batch.

    ``hydrograph`` is all that leaves it, and ``ways`` what goes by each link down, one where there is none.
    ``state`` carries a run on. ``rain_depth``, ``loss_depth`` and ``stored_depth`` (case,) mm are
    those of a catchment, 0 elsewhere. ``base`` (case,) m3/s is the constant flow in it, and ``bases`` in each of its
    ways. ``recession_share`` is the share of its peak to which a flood must fall to have receded. ``smooth`` says
    that an element has smoothed the flow. ``level`` m and ``storage`` m3 are (case, step + 1) where it has them.
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

    @cached_property
    def summary(self) -> Summary:
        """Peaks, volumes and the like of each case."""
        flow = self.flow
        flood_end, flood = find_floods(self.hydrograph, self.base, self.recession_share)
        peaks = find_peaks(flow, self.hydrograph.step, smooth=self.smooth)
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
            base=self.base,
            by_way=tuple(find_peaks(w.flow, w.step, smooth=self.smooth) for w in self.ways) if several else (peaks,),
            passed_by_way=tuple(way.total for way in self.ways) if several else (passed,),
        )

    @property
    def flow(self) -> Floats:
        """Flows at the ends of the steps, m3/s, (case, step + 1)."""
        return self.hydrograph.flow

    @cached_property
    def nbytes(self) -> int:
        """Size of the arrays."""
        beside = sum(w.nbytes for w in self.ways) if len(self.ways) > 1 else 0
        heights = sum(a.nbytes for a in (self.level, self.storage) if a is not None)
        return self.hydrograph.nbytes + beside + heights


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
    start: Mapping[str, State] = field(default_factory=dict)
    recession_share: float = RECESSION_SHARE

    def of(self, part: slice) -> Batch:
        """Some of its cases, as a batch of their own."""
        rain = self.rain.of(part) if isinstance(self.rain, Rain) else {k: r.of(part) for k, r in self.rain.items()}
        return replace(
            self,
            rain=rain,
            values={path: np.asarray(values)[part] for path, values in self.values.items()},
            start={key: states.cases_of(state, part) for key, state in self.start.items()},
        )

    def rain_on(self, key: str) -> Rain:
        """Rain on a catchment; `ComputationFailed` where it has none: missing rain is never zero."""
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
    def states(self) -> dict[str, State]:
        """End states by element, from which another batch may go on."""
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
    """Compute every element of a batch, from the hills down.

    Cases are shared out over ``threads`` of this process (as many as there are processors where that pays), or
    handed in as many parts to an ``executor``: one of processes, or of other machines. A part is a batch that
    pickles, and so is its answer; a case gives the same numbers to the last bit wherever it is computed, and in
    whatever company. Raises `ComputationFailed`, with the element's name, for what cannot be computed, and
    `Cancelled`.
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
    if executor is not None:
        computed = _compute_away(batch, parts, flows, found, executor, progress)
    elif len(parts) == 1:
        computed = [_compute_part(batch, parts[0], flows, found, progress)]
    else:
        with ThreadPoolExecutor(len(parts)) as pool:
            waiting = [pool.submit(_compute_part, batch, part, flows, found, progress) for part in parts]
            computed = [w.result() for w in waiting]
    for key in missing:
        whole = _concatenated([part[key] for part in computed], flows[key])
        smooth = batch.network.elements[key].smooths or any(found[up].smooth for up in batch.network.upstream[key])
        whole = found[key] = replace(whole, smooth=smooth, recession_share=batch.recession_share)
        if cache is not None:
            cache.put(keys[key], whole)
    return BatchResult(batch, {key: found[key] for key in batch.network.order})


#: Arrays of (case, step) that are held at once for each element, and of unit hydrographs for each catchment.
_ARRAYS, _TAILS = 2, 4

#: Bytes that are taken without asking what memory is free, which takes as long as a small batch.
ALWAYS_THERE = 32 << 20


def _refuse_too_large(batch: Batch) -> None:
    """Raise `ComputationFailed` for a batch that the memory of this machine does not hold."""
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


#: Time after which it is looked whether work elsewhere is still wanted, s.
LOOKS_AFTER = 0.05


def _compute_away(
    batch: Batch,
    parts: list[slice],
    flows: Mapping[str, Floats],
    found: Mapping[str, Response],
    executor: Executor,
    progress: Progress,
) -> list[dict[str, Response]]:
    """Responses of each part by an executor, their flows brought home into ``flows``."""
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
    """Responses of the elements of a batch that are not found yet; runs wherever an executor puts it."""
    missing = [key for key in batch.network.order if key not in found]
    flows = {key: np.empty((batch.cases, batch.steps + 1)) for key in missing}
    return _compute_part(batch, slice(0, batch.cases), flows, found, Progress())


#: Sweeps over elements that feel each other, and the change of a level (m) below which they stand.
MOST_SWEEPS, STANDS = 200, 1e-9


@dataclass(frozen=True, eq=False)
class _Pass:
    """One pass over some cases of a batch: what is found already, and the arrays that take the flows."""

    batch: Batch
    part: slice
    flows: Mapping[str, Floats]
    found: Mapping[str, Response]
    done: dict[str, Response] = field(default_factory=dict)

    @property
    def cases(self) -> int:
        found: int = self.part.stop - self.part.start
        return found

    def known(self, key: str) -> Response:
        """The response of an element that stands, for the cases of the pass."""
        if key not in self.done:
            found = self.found[key]
            self.done[key] = found if self.cases == self.batch.cases else _cases_of(found, self.part)
        return self.done[key]


def _compute_part(
    batch: Batch, part: slice, flows: Mapping[str, Floats], found: Mapping[str, Response], progress: Progress
) -> dict[str, Response]:
    """Responses of some cases of the elements that have an array in ``flows``, in its order."""
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

    Each is computed over the whole run with the levels of the others from the sweep before, until none changes:
    over a run of finite length this comes to rest, since a level acts on what follows it only. Each case stops
    by itself, so that its numbers do not hang on the cases beside it.
    """
    left = np.arange(run.cases)
    pieces: list[tuple[Integers, dict[str, Response]]] = []
    levels: dict[str, Floats] = {}
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
        left, levels = left[still], {key: level[still] for key, level in new.items()}
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


def _moved_to(response: Response, out: Floats) -> Response:
    """The same response with its flow in an array of its own."""
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

    ``together`` and ``levels`` are those of the elements computed with it, for the same cases.
    """
    batch, network = run.batch, run.batch.network
    element = network.elements[key]

    def known(up: str) -> Response:
        if up in together:
            return together[up]
        whole = run.known(up)
        return whole if isinstance(cases, slice) else _cases_of(whole, cases)

    def level(felt: str) -> Floats | None:
        # of an element computed together with it that of the sweep before, none in the first
        return levels.get(felt) if felt in network.group_of[key] else known(felt).level

    def of_run(values: State) -> State:
        return states.cases_of(states.cases_of(values, run.part), cases)

    try:
        above = [(known(link.up), network.way_number[name]) for name, link in network.inlets[key]]
        felt = {k: found for k in element.feels() if k in network.elements and (found := level(k)) is not None}
        rain = batch.rain_on(key).of(run.part).of(cases) if element.takes_rain else None
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
        )
        base = sum((up.bases[way] for up, way in above), np.zeros(len(out)))
        return _respond_to(element, situation, base)
    except TarnwaterError as error:
        if not error.where:
            error.where = element.name
        raise


def _respond_to(element: Element, situation: Situation, base: Floats) -> Response:
    """Response to a situation; cases whose parameters it does not take as arrays are computed in groups."""
    values, out = situation.values, situation.out
    if not values or element.takes(values):
        return _booked(element, situation, element.respond(situation), base)
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
        pieces.append(_respond_to(changed.refreshed(), some, base[cases]))
        order.append(cases)
    back = np.argsort(np.concatenate(order), kind="stable")
    whole = _cases_of(_concatenated(pieces, np.concatenate([p.flow for p in pieces])), back)
    return _moved_to(whole, out)


def _booked(element: Element, situation: Situation, answer: Answer, base: Floats) -> Response:
    """An answer with what came and went by links booked from the hydrographs that are handed on."""
    cases, downs, ways = situation.cases, situation.downs, answer.ways
    if len(ways) != max(len(downs), 1):
        raise RuntimeError(f"{element.name} answers with {len(ways)} hydrographs for {len(downs)} links")
    nothing = np.zeros(cases)
    hydrograph = ways[0]
    if len(ways) > 1:
        # the sum takes the array in which a way may lie
        ways = tuple(replace(w, flow=w.flow.copy()) if np.may_share_memory(w.flow, situation.out) else w for w in ways)
        hydrograph = add_up(list(ways), situation.out, situation.step)
    own = {name: getattr(answer, name) for name in ("rain", "baseflow", "start_storage", "end_storage", "losses")}
    balance = Balance(
        **{name: nothing if value is None else value for name, value in own.items()},
        inflow=sum((inflow.total for inflow in situation.inflows), nothing),
        # what an element lets in without being one that may is not counted: its balance does not close
        outside=answer.outside if element.lets_in and answer.outside is not None else nothing,
        outflow=sum((way.total for way in ways), nothing),
    )
    whole_base = base if answer.base is None else base + answer.base

    def depth(value: Floats | None) -> Floats:
        return nothing if value is None else value

    return Response(
        hydrograph,
        ways,
        balance,
        answer.state,
        depth(answer.rain_depth),
        depth(answer.loss_depth),
        depth(answer.stored_depth),
        whole_base,
        element.bases(whole_base, downs),
        answer.level,
        answer.storage,
    )


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
    )


def _concatenated(parts: list[Response], flow: Floats) -> Response:
    """Responses of some cases each put together; their flows lie in ``flow`` already."""
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
    )


def _hydrographs_joined(parts: list[Hydrograph], flow: Floats) -> Hydrograph:
    """Hydrographs of some cases each put together; their flows lie in ``flow`` already."""
    uneven = None
    if any(part.uneven is not None for part in parts):
        uneven = np.zeros((len(flow), flow.shape[1] - 1))
        bounds = np.cumsum([0, *(len(part.flow) for part in parts)])
        for part, rows in zip(parts, pairwise(bounds), strict=True):
            if part.uneven is not None:
                uneven[slice(*rows)] = part.uneven
    return Hydrograph(flow, parts[0].step, uneven)


def _digests(batch: Batch) -> dict[str, str]:
    """Digest of what makes each element's result: settings, rain, run, and the digests of what acts on it.

    Elements that feel each other share one digest of all that acts on any of them.
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
    """Enter what is said of one element: its settings, its links down, its rain, its values and its state."""
    element, downs = batch.network.elements[key], [link.down for _, link in batch.network.outlets[key]]
    sha.update(element.computed_text)
    if len(downs) > 1:
        sha.update(repr(downs).encode())
    if element.takes_rain:
        sha.update(batch.rain_on(key).digest)
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
