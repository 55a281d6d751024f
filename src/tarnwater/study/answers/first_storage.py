"""First estimates of the storage of ponds from the even rain of their catchments and the limit below."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from tarnwater.network.elements import Catchment, Element, OneStorm
from tarnwater.network.graph import Network
from tarnwater.rain.storms import Rain, StormFamily
from tarnwater.routing.first_storage import RELEASES, FirstStorage, Release, first_storage
from tarnwater.study.answers.case import CaseResult
from tarnwater.study.answers.results import Results
from tarnwater.study.document import Study

#: Depths of rain at which a loss is looked at, mm: one by which a share runs off gives the same share of both.
LOOKED_AT = (10.0, 90.0)


@dataclass(frozen=True, eq=False)
class FedByEvenRain:
    """What a pond takes in even rain: the area that runs off (m2), its time of concentration (s) and the rain.

    ``rate`` gives the mean rate (m/s) of a duration (s) of the design storm of a return period; ``bounds`` s are the
    durations that its table holds.
    """

    area: float
    concentration: float
    rate: Callable[[float], float]
    bounds: tuple[float, float]

    def estimate(self, allowed: float, release: Release) -> FirstStorage:
        """The greatest storage over durations with an allowed release, m3/s."""
        return first_storage(self.rate, self.area, self.concentration, allowed, release, self.bounds)


def fed_by_even_rain(
    study: Study, network: Network, pond: str, point: str, family: str, years: float
) -> FedByEvenRain | None:
    """What a pond takes in even rain; None unless all land above its point drains to it by the rational method."""
    above = [network.elements[key] for key in network.above([pond])]
    lands = [element for element in above if isinstance(element, Catchment)]
    beside = set(network.above([point])) - set(network.above([pond]))
    if not lands or any(network.elements[key].takes_rain or network.elements[key].lets_in for key in beside):
        return None
    if not all(land.transform.even_rain and land.concentration.value for land in lands):
        return None
    chosen, area = study.families[family], network.area_above(point)
    curve = chosen.curve(study.tables[chosen.table], years, area)
    storm = _storm_of(chosen, study, years, area)
    shares = [_share_of(land.in_storm(storm)) for land in lands]
    if any(share is None for share in shares):
        return None
    running = sum(land.area.known * (share or 0.0) for land, share in zip(lands, shares, strict=True))
    table = study.tables[chosen.table]
    return FedByEvenRain(
        running,
        max(land.concentration.known for land in lands),
        lambda duration: float(curve.depth(duration)) / 1000 / duration,
        (table.shortest, table.longest),
    )


def _storm_of(family: StormFamily, study: Study, years: float, area: float) -> OneStorm:
    depths = family.increments(study.tables[family.table], years, 3600.0, area=area, step=3600.0)
    return OneStorm(Rain(depths[None, :], 3600.0), years)


def _share_of(element: Element) -> float | None:
    """The share of rain that runs off a catchment; None where it depends on the depth."""
    assert isinstance(element, Catchment)
    found = []
    for depth in LOOKED_AT:
        runoff = (s.loss.runoff_of(depth) / depth for s in element.surfaces)
        found.append(sum(w * share for w, share in zip(element.weights, runoff, strict=True)))
    deep = any(surface.depression for surface in element.surfaces)
    return None if deep or abs(found[1] - found[0]) > 1e-9 else found[0]


@dataclass(frozen=True, eq=False)
class Estimates:
    """First estimates of a pond: by the release, with what it takes and what is allowed, m3/s."""

    fed: FedByEvenRain
    allowed: float
    by_release: dict[Release, FirstStorage]


def estimates_of(results: Results, case: CaseResult, pond: str) -> Estimates | None:
    """First estimates of the storage of a pond for the event of a case; None without a limit or another method."""
    storm, point = case.case.storm, case.case.point
    allowed = results.limit(point, case.case.event, case.case.condition)
    if allowed is None or storm.years is None or not case.network.elements[pond].has_level:
        return None
    fed = fed_by_even_rain(results.study, case.network, pond, point, storm.key, storm.years)
    if fed is None:
        return None
    return Estimates(fed, allowed, {release: fed.estimate(allowed, release) for release in RELEASES})


def critical_durations(
    study: Study, network: Network, point: str, family: str, years: float, allowed: float
) -> list[float]:
    """Durations (s) that need the greatest first storage in the ponds above a design point, by both releases."""
    found = []
    for key in network.above([point]):
        if not network.elements[key].has_level:
            continue
        fed = fed_by_even_rain(study, network, key, point, family, years)
        if fed is not None:
            estimates = [fed.estimate(allowed, release) for release in RELEASES]
            found += [one.duration for one in estimates if one.volume > 0]
    return found
