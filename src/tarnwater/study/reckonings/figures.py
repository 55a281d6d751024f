"""Reckonings of the figures of a case: peak, volume, runoff, share, limit and the rest."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from tarnwater import units
from tarnwater.errors import UnknownName
from tarnwater.hydrograph import Hydrograph
from tarnwater.methods import Derivation
from tarnwater.network.elements import Catchment, Pond
from tarnwater.network.peaks import find_floods, peak_of
from tarnwater.reckoning import Reckoning
from tarnwater.routing.first_storage import RELEASES, SOURCE, Release, storage_needed
from tarnwater.study.answers.case import Pool
from tarnwater.study.answers.first_storage import estimates_of
from tarnwater.study.answers.storms import event_title
from tarnwater.study.reckonings.flows import Book
from tarnwater.study.reckonings.settings import followed

#: Builds the reckoning of a figure of an element.
Build = Callable[[Book, str], Reckoning]


def _peak(book: Book, key: str) -> Reckoning:
    flow = book.flow(key)
    return Reckoning(
        f"peak flow at {book.element(key).name}",
        book.case.figures(key).peak.ordinate,
        "flow",
        symbol="Qp",
        equation="Qp = max Q",
        source="highest computed ordinate",
        inputs=(flow,),
        evaluate=lambda q: peak_of(q).ordinate,
    )


def _fitted_peak(book: Book, key: str) -> Reckoning:
    peak = book.case.figures(key).peak
    if peak.fitted is None:
        raise UnknownName("fitted peak", _without("fitted peak"), kind="figure", where=book.element(key).name)
    return Reckoning(
        f"check of the peak at {book.element(key).name}",
        peak.fitted,
        "flow",
        symbol="Qf",
        equation="Qf = top of the parabola through the highest ordinate and its neighbours",
        source="a check of the step, for smooth responses; the peak is the highest ordinate",
        inputs=(book.flow(key),),
        evaluate=lambda q: peak_of(q).fitted,
    )


def _without(*names: str) -> list[str]:
    return [f for f in FIGURES if f not in names]


def _time(book: Book, key: str) -> Reckoning:
    return Reckoning(
        f"time of the peak at {book.element(key).name}",
        book.case.figures(key).peak.time,
        "time",
        symbol="tp",
        equation="tp = time of the highest ordinate",
        source="from the start of the rain",
        inputs=(book.flow(key),),
        evaluate=lambda q: peak_of(q).time,
    )


def _volume(book: Book, key: str) -> Reckoning:
    study, figures = book.study, book.case.figures(key)
    share = study.run.recession_share
    series = book.case.base(key)
    base = Reckoning(
        f"baseflow above {book.element(key).name}",
        float(series[0]) if len(series) == 1 else Hydrograph(series[None, :], book.case.step),
        "flow",
        symbol="Qb",
        origin="sum of the baseflow of the catchments above",
    )
    left = Reckoning("share of the peak at which it has receded", share, "share", symbol="r", origin="set for the run")

    def flood(flow: Hydrograph, ground: float | Hydrograph, least: float) -> float:
        under = ground.flow if isinstance(ground, Hydrograph) else np.array([[ground]])
        return float(find_floods(flow, under, least)[1][0])

    given = ""
    if figures.given_volume:
        given = f"; inflow elements above let in {units.show(figures.given_volume, 'volume', study.units)} by then"
    return Reckoning(
        f"volume of the flood at {book.element(key).name}",
        figures.volume,
        "volume",
        symbol="V",
        equation="V = Σ (volume of each step − Qb Δt) until Q − Qb stays below r of its peak",
        source=f"receded {units.show_duration(figures.receded)} after the start of the rain{given}",
        inputs=(book.flow(key), base, left),
        evaluate=flood,
    )


def _runoff_depth(book: Book, key: str) -> Reckoning:
    catchments = [k for k in book.network.order if k in book.network.above([key]) and book.is_catchment(k)]
    inputs = [book.area_above(key)]
    for number, k in enumerate(catchments, start=1):
        inputs += [
            book.setting(k, "area", "km²", symbol=f"A{number}"),
            replace(book.excess(k, book.catchment(k)), symbol=f"Pe{number}"),
        ]
    terms = " + ".join(f"A{n} Σ Pe{n}" for n in range(1, len(catchments) + 1))

    def depth(whole: float, *rest: Any) -> float:
        found: float = (
            sum(area * float(excess.sum()) for area, excess in zip(rest[::2], rest[1::2], strict=True)) / whole
        )
        return found

    return Reckoning(
        f"runoff depth above {book.element(key).name}",
        book.case.figures(key).runoff_depth,
        "rain",
        symbol="R",
        equation=f"R = ({terms}) / A",
        source="excess rain on the catchments above",
        inputs=tuple(inputs),
        evaluate=depth,
    )


def _share(book: Book, key: str) -> Reckoning:
    return Reckoning(
        f"share of the rain at {book.element(key).name}",
        book.case.figures(key).share_of_rain,
        "share",
        symbol="R/P",
        equation="R/P = R / P",
        source="definition",
        inputs=(replace(_runoff_depth(book, key), unit="mm"), replace(book.storm.depth_over(key), unit="mm")),
        evaluate=lambda r, p: r / p,
    )


def _per_area(book: Book, key: str) -> Reckoning:
    return Reckoning(
        f"peak per area at {book.element(key).name}",
        book.case.figures(key).per_area,
        "flow per area",
        symbol="q",
        equation="q = Qp / A",
        source="definition",
        inputs=(replace(_peak(book, key), unit="m³/s"), replace(book.area_above(key), unit="km²")),
        evaluate=lambda peak, area: peak / area,
    )


def _limit(book: Book, key: str) -> Reckoning:
    case = book.case.case
    event = case.event
    if book.results is None or (value := book.results.limit(key, event, case.condition)) is None:
        raise UnknownName("limit", _without("limit"), kind="figure", where=book.element(key).name)
    limit = book.results.limit_at(key, event)
    assert limit is not None
    node = Reckoning(f"limit at {book.element(key).name}, {event_title(book.study, event)}", value, "flow", symbol="Qa")
    if limit.flow is not None:
        return replace(node, origin="typed")
    other = book.results.governing(book.study.condition_of(limit.of_condition or ""), key, event)
    assert other is not None
    theirs = _peak(Book(book.study, other, book.results), key)
    share = Reckoning("allowed share", limit.share, "factor", symbol="s", origin="set at the design point")
    return replace(
        node,
        equation="Qa = s Qp",
        source=f"answer of {book.study.conditions[other.case.condition].name}",
        inputs=(share, theirs),
        evaluate=lambda s, q: s * q,
    )


def _of_catchment(method: str) -> Callable[[Book, str], Reckoning]:
    def build(book: Book, key: str) -> Reckoning:
        owner = book.element(key)
        if not isinstance(owner, Catchment):
            raise UnknownName(method, FIGURES, kind="figure", where=owner.name)
        found: Reckoning = getattr(book, method)(key, owner)
        return found

    return build


def _loss_depth(book: Book, key: str) -> Reckoning:
    owner = book.element(key)
    if not isinstance(owner, Catchment):
        raise UnknownName("loss", FIGURES, kind="figure", where=owner.name)
    value = book.case.loss_depth(key)
    return Reckoning(
        f"loss on {owner.name}",
        value,
        "rain",
        symbol="F",
        equation="F = Σ ΔP − Σ Pe",
        source="rain = loss + excess",
        inputs=(book.storm.rain_on(key), book.excess(key, owner)),
        evaluate=lambda rain, excess: float(rain.sum() - excess.sum()),
    )


#: Figures of ponds only.
OF_PONDS = (
    "highest level", "time of highest level", "most stored", "overflow",
    *(f"{what}, release {release}" for release in RELEASES for what in ("first storage", "critical duration")),
)  # fmt: skip


def _of_pond(title: str, symbol: str, kind: str, value: Callable[[Pool], float], derived: str) -> Build:
    """A figure of a pond: from its inflow and its rating, unless the run goes on from a state."""

    def build(book: Book, key: str) -> Reckoning:
        owner, pool = book.element(key), book.case.pool(key)
        if not isinstance(owner, Pond) or pool is None:
            raise UnknownName(title, _without(*OF_PONDS), kind="figure", where=owner.name)
        node = Reckoning(f"{title} of {owner.name}", value(pool), kind, symbol=symbol)
        if book.start_of(key) is not None:
            return replace(node, origin="found in the sub-steps of a run that goes on from a state")
        found: Derivation = getattr(owner, derived)(book.asked_of(key))
        return followed(node, found)

    return build


_highest_level = _of_pond("highest level", "zmax", "height", lambda pool: pool.top, "highest_level")


def _most_stored(book: Book, key: str) -> Reckoning:
    owner, level = book.element(key), _highest_level(book, key)
    assert isinstance(owner, Pond)
    return Reckoning(
        f"most stored in {owner.name}",
        owner.stored_at(level.value),
        "volume",
        symbol="Vmax",
        equation="Vmax = V(zmax), the parts of its storage added up",
        source="definition",
        inputs=(level,),
        evaluate=owner.stored_at,
    )


#: Figures of a computed case by the name under which they can be asked.
#: The storage under a trapezoid of even rain, by how the release is taken to run.
_STORAGE = {
    "rising": "V = Qi (|D − Tc| + m) − Qa (|D − Tc| + 2 m) / 2, m = min(D, Tc)",
    "constant": "V = (Qi − Qa) (|D − Tc| + m (1 − Qa/Qi)), m = min(D, Tc)",
}


def _first_storage(release: Release, *, duration: bool) -> Build:
    """The first storage of a pond by a release, or the duration that needs it."""
    what = "critical duration" if duration else "first storage"

    def build(book: Book, key: str) -> Reckoning:
        owner = book.element(key)
        found = None if book.results is None else estimates_of(book.results, book.case, key)
        if not isinstance(owner, Pond) or found is None:
            raise UnknownName(what, _without(*OF_PONDS), kind="figure", where=owner.name)
        estimate, fed = found.by_release[release], found.fed
        lengths = " to ".join(units.show_duration(bound) for bound in fed.bounds)
        critical = Reckoning(
            f"critical duration of {owner.name}, release {release}", estimate.duration, "time", symbol="D", unit="s",
            origin=f"the duration that needs the greatest storage, of all from {lengths}", source=SOURCE,
        )  # fmt: skip
        if duration:
            return critical
        peak = fed.area * fed.rate(estimate.duration) * min(1.0, estimate.duration / fed.concentration)
        inputs = (
            Reckoning("peak of the inflow in even rain", peak, "flow", symbol="Qi", unit="m³/s",
                      origin="Σ C A of the catchments above, the rain of the critical duration, min(1, D/Tc)"),
            critical,
            Reckoning("time of concentration", fed.concentration, "time", symbol="Tc", unit="s",
                      origin="the greatest of the catchments above"),
            Reckoning("allowed release", found.allowed, "flow", symbol="Qa", unit="m³/s",
                      origin="the limit at the design point"),
        )  # fmt: skip
        return Reckoning(
            f"first storage of {owner.name}, release {release}", estimate.volume, "volume", symbol="V",
            equation=_STORAGE[release], source=SOURCE, inputs=inputs,
            evaluate=partial(storage_needed, release=release),
        )  # fmt: skip

    return build


FIGURES: dict[str, Build] = {
    "peak": _peak,
    "fitted peak": _fitted_peak,
    "time of peak": _time,
    "volume": _volume,
    "runoff depth": _runoff_depth,
    "share of rain": _share,
    "peak per area": _per_area,
    "limit": _limit,
    **{f"first storage, release {release}": _first_storage(release, duration=False) for release in RELEASES},
    **{f"critical duration, release {release}": _first_storage(release, duration=True) for release in RELEASES},
    "highest level": _highest_level,
    "time of highest level": _of_pond(
        "time of highest level", "tmax", "time", lambda p: p.time, "time_of_highest_level"
    ),
    "most stored": _most_stored,
    "overflow": _of_pond("overflow", "Vo", "volume", lambda pool: pool.spilled, "overflowed"),
    "rain depth": lambda book, key: book.storm.depth_over(key),
    "rain": lambda book, key: book.storm.rain_over(key),
    "loss": _loss_depth,
    "excess": _of_catchment("excess"),
    "unit hydrograph": _of_catchment("unit"),
    "flow": lambda book, key: book.flow(key),
    "step": lambda book, key: book.step,
}
