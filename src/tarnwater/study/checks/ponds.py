"""Checks of ponds: where their water goes, and what became of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from functools import partial

import numpy as np

from tarnwater.network.elements import Pond, Split
from tarnwater.network.graph import Network
from tarnwater.routing.faces import Face, widest_row
from tarnwater.routing.ponds.forms import StageVolume
from tarnwater.routing.ponds.zones import drained_zones
from tarnwater.routing.works import Device, Riser
from tarnwater.routing.works.control import FREE, device_flows
from tarnwater.study import edits
from tarnwater.study.answers import CaseResult, Results
from tarnwater.study.answers.sizing import home_of
from tarnwater.study.checks.findings import Finding, Remedy
from tarnwater.study.document import Study
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.works import take_works
from tarnwater.units import System, show

#: Share of its free flow below which a device is called drowned.
DROWNED = 0.1

#: Share of its greatest area by which that of a table may go back and forth.
SWING = 0.25

#: How much of something a pond has in a case, and the words for it.
Measure = Callable[[CaseResult, str, Pond], float]
Words = Callable[[Pond, float, System], str]


def leads(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """Devices that lead to an element that is not below their pond, and tailwater of one that has no level."""
    for key, pond in network.elements.items():
        if not isinstance(pond, Pond):
            continue
        below = network.downstream[key]
        for number, device in enumerate(pond.devices):
            if device.leads_to and device.leads_to not in below:
                place = f"devices/{number}/leads_to"
                first = partial(edits.choose, element=key, field=place, value="")
                yield Finding(
                    "device-leads-nowhere",
                    "stop",
                    f"“{device.sign}” leads to “{study.name_of(device.leads_to)}”, which is not below the pond.",
                    (Remedy("Let it lead to the first element below.", first), Remedy("Connect the pond to it.")),
                    element=key,
                    field=place,
                )
        felt = pond.tailwater.feels
        if pond.tailwater.of_element and not _has_level(network, felt):
            named = f"“{study.name_of(felt)}” has no level" if felt else "no element is named whose level it is"
            yield Finding(
                "tailwater-without-level",
                "stop",
                f"the tailwater of the pond is unknown: {named}.",
                (Remedy("Name a pond with an outlet or a reach with section and bed level, or choose another."),),
                element=key,
                field="tailwater/element",
            )


def sizes(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """Devices larger than their pond or their riser, as by a slip of ten, and ponds that only overflow."""
    for key, pond in network.elements.items():
        if not isinstance(pond, Pond) or pond.passes or pond.store is None:
            continue
        if pond.outlets.invert >= pond.store.top:
            yield Finding(
                "pond-without-way-out", "doubt", "no outlet lies below its top, so that it only overflows.",
                (Remedy("Lower an outlet, or add one."),), element=key, field="devices",
            )  # fmt: skip
        faces = {device.name: device.face(pond.store.top) for device in pond.devices}
        for number, device in enumerate(pond.devices):
            face = faces[device.name]
            if device.closed or face is None or face.opens or not face.width:
                continue
            riser = faces.get(device.inside) if device.inside else None
            place = f"devices/{number}"
            if face.high - face.low > pond.store.top - pond.store.floor:
                yield _too_large(study, key, pond, place, device, face)
            elif riser is not None and riser.hollow and face.width > riser.width * (1 + 1e-9):
                wide, shaft = (show(w, "length", study.units) for w in (face.width, riser.width))
                yield Finding(
                    "opening-larger-than-riser", "doubt",
                    f"“{device.sign}” is {wide} wide, its riser “{device.inside}” {shaft}.",
                    (Remedy("Make it smaller, or the riser larger, or take it out of the riser."),),
                    element=key, field=f"{place}/{_size_of(device)}",
                )  # fmt: skip
        yield from _crowded(study, key, pond, faces)
        yield from _swings(study, key, pond)


def _crowded(study: Study, key: str, pond: Pond, faces: Mapping[str, Face | None]) -> Iterator[Finding]:
    """Risers round whose shaft the openings at one level have no room."""
    for number, riser in enumerate(pond.devices):
        if not isinstance(riser, Riser) or riser.closed:
            continue
        inside = [face for one in pond.devices
                  if one.inside == riser.name and not one.closed and (face := faces[one.name]) is not None]  # fmt: skip
        level, wide = widest_row(inside)
        if wide > riser.sides * (1 + 1e-9):
            told, round_it = (show(w, "length", study.units) for w in (wide, riser.sides))
            yield Finding(
                "openings-wider-than-riser", "doubt",
                f"at {show(level, 'height', study.units)} the openings of “{riser.sign}” take {told}; all its sides "
                f"have {round_it}.",
                (Remedy("Make them smaller, set them at different levels, or make the riser larger."),),
                element=key, field=f"devices/{number}",
            )  # fmt: skip


def _swings(study: Study, key: str, pond: Pond) -> Iterator[Finding]:
    """Tables of volumes whose area goes back and forth, as by a slip in one of them."""
    for number, part in enumerate(pond.storage):
        if isinstance(part, StageVolume) and part.swing > SWING:
            much = show(part.swing, "share", study.units, digits=3)
            yield Finding(
                "area-swings", "doubt",
                f"the area between the volumes of “{part.name or f'part {number + 1}'}” goes back and forth by {much} "
                "of the greatest.",
                (Remedy("Look for a slip in its levels and volumes; they are used as they are."),),
                element=key, field=f"storage/{number}",
            )  # fmt: skip


def _too_large(study: Study, key: str, pond: Pond, place: str, device: Device, face: Face) -> Finding:
    """A device higher than its pond is deep; a tenth of it is offered."""
    assert pond.store is not None
    name = _size_of(device)
    value = float(getattr(device, name))
    high, deep = (show(z, "length", study.units) for z in (face.high - face.low, pond.store.top - pond.store.floor))
    tenth = Remedy(
        f"Make it {show(value / 10, 'length', study.units)}, a tenth.",
        partial(edits.type_values, values=[(key, f"{place}/{name}", value / 10)]),
    )
    return Finding(
        "device-too-large", "doubt", f"“{device.sign}” is {high} high, the pond {deep} deep.",
        (tenth, Remedy("Check the value and its unit.")), element=key, field=f"{place}/{name}",
    )  # fmt: skip


def _size_of(device: Device) -> str:
    """The field of the height of a device, or of its diameter."""
    return next((name for name in ("diameter", "height", "width") if name in type(device).model_fields), "name")


def drowned(results: Results, search: object) -> Iterator[Finding]:
    """Devices in risers that hardly let anything through when the pond is highest, as the water in the riser is too."""
    for condition in dict.fromkeys(case.case.condition for case in results.cases):
        for key, pond in resolve(results.study, condition).elements.items():
            if not isinstance(pond, Pond) or pond.passes or not any(one.inside for one in pond.outlets.devices):
                continue
            own = [c for c in results.cases if c.case.condition == condition and key in c.network.elements]
            highest = max(own, key=lambda case: _top_of(case, key), default=None)
            if highest is not None and (pool := highest.pool(key)) is not None:
                yield from _drowned_at(results.study, condition, key, pond, pool.top)


def _top_of(case: CaseResult, key: str) -> float:
    pool = case.pool(key)
    return 0.0 if pool is None else pool.top


def _drowned_at(study: Study, condition: str, key: str, pond: Pond, top: float) -> Iterator[Finding]:
    level = np.array([top])
    behind = pond.behind(level)
    found = device_flows(pond.outlets, level, behind)
    for number, device in enumerate(pond.devices):
        flow = found.by_device.get(device.sign)
        if device.closed or not device.inside or flow is None:
            continue
        free = float(device.flow(level, np.full(1, FREE))[0])
        if free > 0 and flow[0] < DROWNED * free:
            inside = found.inside.get(device.inside)
            at = "" if inside is None else show(float(inside[0]), "height", study.units)
            share = show(float(flow[0] / free), "share", digits=2)
            yield Finding(
                "device-drowned",
                "doubt",
                f"“{device.sign}” lets {share} of its free flow through at the highest level: it discharges into "
                f"“{device.inside}”{at and f', where the water stands at {at}'}.",
                (Remedy("Make the outlet of the riser larger, or take the device out of the riser."),),
                element=key,
                condition=condition,
                field=f"devices/{number}/inside",
            )


def adopted(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """Works that differ from those that were adopted for the condition."""
    for one in study.adopted.values():
        pond = network.elements.get(one.pond)
        if one.condition != condition or not isinstance(pond, Pond):
            continue
        if pond.storage != one.storage or pond.devices != one.devices:
            back = partial(
                take_works, element=one.pond, storage=one.storage, devices=one.devices, name=one.name,
                condition=works_home(study, one.pond, condition),
            )  # fmt: skip
            yield Finding(
                "works-not-adopted", "doubt", f"its works differ from the adopted “{one.name}”: {one.outcome}.",
                (Remedy(f"Go back to “{one.name}”.", back), Remedy("Adopt the works as they are.")),
                element=one.pond, condition=condition, field="devices",
            )  # fmt: skip


def works_home(study: Study, pond: str, condition: str) -> str:
    """Where the works of a pond are typed for a condition: there, or for all conditions (empty)."""
    own = {home_of(study, pond, field, condition) for field in ("devices", "storage")}
    return condition if condition in own else ""


def _has_level(network: Network, key: str) -> bool:
    other = network.elements.get(key)
    return other is not None and not other.missing() and other.has_level


def ways_of_splits(study: Study, condition: str, network: Network) -> Iterator[Finding]:
    """Splits whose second way leads to an element that is not below them, or that have one way only."""
    for key, split in network.elements.items():
        if not isinstance(split, Split):
            continue
        below = network.downstream[key]
        if split.diverts_to and split.diverts_to not in below:
            clear = partial(edits.choose, element=key, field="diverts_to", value="")
            yield Finding(
                "split-leads-nowhere",
                "stop",
                f"its second way leads to “{study.name_of(split.diverts_to)}”, which is not below it.",
                (Remedy("Let the second way be the last link.", clear), Remedy("Connect the split to it.")),
                element=key,
                field="diverts_to",
            )
        elif len(below) == 1:
            yield Finding(
                "split-with-one-way",
                "note",
                "one element is below the split, so that all flow goes there.",
                (Remedy("Connect it to the element of the second way."),),
                element=key,
            )


def overflows(results: Results, search: object) -> Iterator[Finding]:
    """Ponds that flow over, told once for each condition with the worst case."""
    yield from _worst(results, "pond-overflows", _spilled, _overflow_words)


def freeboards(results: Results, search: object) -> Iterator[Finding]:
    """Ponds whose water rises into their freeboard, told once for each condition with the worst case."""
    yield from _worst(results, "freeboard-used", _into_freeboard, _freeboard_words)


def too_deep(results: Results, search: object) -> Iterator[Finding]:
    """Ponds whose water is deeper than it may be, told once for each condition with the worst case."""
    yield from _worst(results, "pond-too-deep", _beyond_depth, _depth_words)


def zones(results: Results, search: object) -> Iterator[Finding]:
    """Zones of ponds that drain too soon or too late, in each condition."""
    for condition in dict.fromkeys(case.case.condition for case in results.cases):
        for key, pond in resolve(results.study, condition).elements.items():
            if isinstance(pond, Pond) and not pond.passes and pond.zones:
                yield from _zones_of(results.study, condition, key, pond)


def _zones_of(study: Study, condition: str, key: str, pond: Pond) -> Iterator[Finding]:
    for number, one in enumerate(drained_zones(pond.rating(), pond.zones)):
        if one.keeps:
            continue
        name, time = one.zone.name or f"zone {number + 1}", show(one.time, "time", study.units, digits=3)
        never = one.time == float("inf")
        bound = one.zone.drains_within if one.late > 0 else one.zone.drains_after
        asked = show(bound.value, "time", study.units, digits=3)
        how = "never drains" if never else f"drains in {time}"
        least = "at most" if one.late > 0 else "at least"
        remedy = "Make the outlets at its foot larger." if one.late > 0 else "Make the outlets at its foot smaller."
        yield Finding(
            "zone-drains-late" if one.late > 0 else "zone-drains-soon",
            "doubt",
            f"{name} {how}; {least} {asked} is asked.",
            (Remedy(remedy),),
            element=key,
            condition=condition,
            field=f"zones/{number}",
        )


def _worst(results: Results, code: str, measure: Measure, words: Words) -> Iterator[Finding]:
    found: dict[tuple[str, str], tuple[float, CaseResult]] = {}
    for case in results.cases:
        for key, element in case.network.elements.items():
            if isinstance(element, Pond) and not element.passes:
                much = measure(case, key, element)
                at = case.case.condition, key
                if much > 0 and (at not in found or much > found[at][0]):
                    found[at] = much, case
    for (condition, key), (much, case) in found.items():
        pond = case.network.elements[key]
        assert isinstance(pond, Pond)
        told = words(pond, much, results.study.units)
        yield Finding(
            code,
            "doubt",
            f"{case.case.storm.words(results.study)}: {told}",
            (Remedy("Give it more storage or larger outlets, or a spillway."),),
            element=key,
            condition=condition,
            field="storage",
        )


def _spilled(case: CaseResult, key: str, pond: Pond) -> float:
    pool = case.pool(key)
    return 0.0 if pool is None else pool.spilled


def _overflow_words(pond: Pond, much: float, system: System) -> str:
    lost = ", which is lost" if pond.overflow == "lost" else ""
    return f"the pond flows over its top: {show(much, 'volume', system)}{lost}."


def _into_freeboard(case: CaseResult, key: str, pond: Pond) -> float:
    pool = case.pool(key)
    if pool is None or pond.store is None or pond.freeboard == 0:
        return 0.0
    return pool.top - (pond.store.top - pond.freeboard)


def _beyond_depth(case: CaseResult, key: str, pond: Pond) -> float:
    pool, most = case.pool(key), pond.greatest_depth.value
    return 0.0 if pool is None or most is None or pond.store is None else pool.top - pond.store.floor - most


def _depth_words(pond: Pond, much: float, system: System) -> str:
    return f"the water is {show(much, 'length', system, digits=3)} deeper than it may be."


def _freeboard_words(pond: Pond, much: float, system: System) -> str:
    return f"the water rises {show(much, 'height', system)} into the freeboard."


CHECKS = (leads, sizes, adopted, ways_of_splits)
OF_RESULTS = (overflows, freeboards, too_deep, zones, drowned)
