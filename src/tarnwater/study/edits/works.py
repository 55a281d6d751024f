"""Edits of the works of a pond: shaped by hand, copied from pond to pond."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from tarnwater.errors import EditRefused
from tarnwater.network.elements import Pond, Split
from tarnwater.routing.ponds import StorageForm
from tarnwater.routing.splits import InletRule
from tarnwater.routing.works import Device
from tarnwater.study.document import Study, changed
from tarnwater.study.document.conditions import resolve
from tarnwater.study.document.fields import description_at, value_at
from tarnwater.study.document.works import Adopted
from tarnwater.study.edits.act import edit, in_words
from tarnwater.study.edits.in_conditions import connect_in, lead_through_in
from tarnwater.study.edits.names import slug
from tarnwater.study.edits.network import connect, lead_through
from tarnwater.study.edits.parts import called
from tarnwater.study.edits.replacing import owner_in
from tarnwater.study.edits.values import choose, type_values


def pond_in(study: Study, element: str, condition: str) -> Pond:
    """A pond as it is in a condition, in all of them where none is given; `EditRefused` for another element."""
    found = owner_in(study, element, condition)
    if not isinstance(found, Pond):
        raise EditRefused("it is no pond.", where=study.name_of(element), remedy="Choose a pond.")
    return found


def _shaping(
    study: Study, element: str, values: Sequence[tuple[str, float]], inside: tuple[int, str] | None = None,
    condition: str = "", **_: Any,
) -> str:  # fmt: skip
    pond = pond_in(study, element, condition)
    where = f" in {in_words(study, condition)}" if condition else ""
    if inside is not None:
        number, riser = inside
        to = f"into {riser}" if riser else "out of its riser"
        return f"move {called(pond.devices[number])} of {pond.name} {to}{where}"
    path = values[0][0]
    described = description_at(pond, path)
    label = in_words(study, path) if described is None else described.label
    return f"set {label} of {called(value_at(pond, path.rpartition('/')[0]))}, {pond.name}{where}"


@edit(_shaping)
def shape_pond(
    study: Study,
    element: str,
    values: Sequence[tuple[str, float]],
    inside: tuple[int, str] | None = None,
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
    note: str = "",
) -> Study:
    """Set sizes and levels of a pond (path, number in the base unit), and what riser a device (its number) is inside.

    Both are one act, in all conditions or in one; a device is taken out of its riser by an empty name.
    """
    if values:
        typed = [(element, path, value) for path, value in values]
        study = type_values(study, typed, condition=condition, by=by, at=at, note=note)
    if inside is not None:
        number, riser = inside
        path = f"devices/{number}/inside"
        study = choose(study, element, path, riser, condition=condition, by=by, at=at, note=note)
    return study


def _copying(study: Study, element: str, source: str, condition: str = "", **_: Any) -> str:
    where = f" in {in_words(study, condition)}" if condition else ""
    return f"copy the works of {in_words(study, source)} to {in_words(study, element)}{where}"


@edit(_copying)
def copy_works(
    study: Study, element: str, source: Pond, *, condition: str = "", by: str = "", at: str = "", note: str = ""
) -> Study:
    """Give a pond the outlet works of another one, as high above its floor as they are there.

    Devices lead to the first element below; the devices that it had are replaced.
    """
    pond = pond_in(study, element, condition)
    if pond.store is None or source.store is None:
        lacking = pond if pond.store is None else source
        raise EditRefused("it has no storage, so that its floor is unknown.", where=lacking.name, remedy="Add storage.")
    rise = pond.store.floor - source.store.floor
    devices = tuple(raised_by(one, rise).model_copy(update={"leads_to": ""}) for one in source.devices)
    return choose(study, element, "devices", devices, condition=condition, by=by, at=at, note=note)


def raised_by(device: Device, rise: float) -> Device:
    """A device with all its levels higher by a rise, m."""
    update: dict[str, Any] = {}
    for name, described in device.quantities():
        value = getattr(device, name)
        if described.kind != "height":
            continue
        if isinstance(value, tuple):
            update[name] = tuple(one + rise for one in value)
        elif isinstance(value, float | int):
            # a level keeps the digits that it was typed with
            update[name] = round(value + rise, 9)
    inner = getattr(device, "outlet", None)
    if isinstance(inner, Device):
        update["outlet"] = raised_by(inner, rise)
    return device.model_copy(update=update)


def _taking(study: Study, element: str, name: str = "", condition: str = "", **_: Any) -> str:
    where = f" in {in_words(study, condition)}" if condition else ""
    return f"go back to {name or 'other works'} of {in_words(study, element)}{where}"


@edit(_taking)
def take_works(
    study: Study,
    element: str,
    storage: tuple[StorageForm, ...],
    devices: tuple[Device, ...],
    name: str = "",
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
    note: str = "",
) -> Study:
    """Give a pond storage and devices that it had before, in all conditions or in one."""
    pond = pond_in(study, element, condition)
    stamp = {"condition": condition, "by": by, "at": at, "note": note}
    if pond.storage != storage:
        study = choose(study, element, "storage", storage, **stamp)
    if pond.devices != devices:
        study = choose(study, element, "devices", devices, **stamp)
    return study


@edit("adopt {name} for {element}")
def adopt_works(
    study: Study, element: str, name: str, outcome: str, *, condition: str, by: str = "", at: str = "", note: str = ""
) -> Study:
    """Name the works that a pond has in a condition as those to be built; they take the place of others named so."""
    pond, key = pond_in(study, element, condition), study.condition_of(condition)
    made = Adopted(
        name=name, pond=element, condition=key, storage=pond.storage, devices=pond.devices, outcome=outcome, by=by,
        at=at, note=note,
    )  # fmt: skip
    return changed(study, adopted=study.adopted.with_entry(f"{element}/{key}", made))


@edit("adopt no works for {element}")
def release_works(study: Study, element: str, *, condition: str) -> Study:
    """Let no works of a pond be named as those to be built in a condition."""
    key = f"{element}/{study.condition_of(condition)}"
    return changed(study, adopted={k: one for k, one in study.adopted.items() if k != key})


def _letting_in(study: Study, element: str, condition: str = "", **_: Any) -> str:
    where = f" in {in_words(study, condition)}" if condition else ""
    return f"let only so much into {in_words(study, element)}{where}"


@edit(_letting_in)
def limit_inlet(study: Study, element: str, capacity: float, *, condition: str = "") -> Study:
    """Put an inlet before a pond that lets in so much at most (m3/s); the rest goes by to the element below.

    All that flows into the pond goes through the inlet. Raises `EditRefused` where nothing flows in, or nothing is
    below.
    """
    pond = pond_in(study, element, condition)
    homes = [key for key in study.conditions if element in resolve(study, key).elements]
    network = resolve(study, condition or homes[0])
    ups, downs = network.upstream.get(element, ()), network.downstream.get(element, ())
    if not ups or not downs:
        what = "nothing flows into it" if not ups else "nothing is below it that the rest could go to"
        raise EditRefused(f"{what}.", where=pond.name, remedy="Connect it first.")
    name = f"Inlet of {pond.name}"
    key = slug(name, study.all_elements)
    inlet = Split(name=name, rule=InletRule(capacity=capacity), diverts_to=downs[0], place=pond.place)
    if condition:
        study = lead_through_in(study, condition, ups[0], inlet, key)
        for up in ups[1:]:
            study = connect_in(study, condition, up, key)
        return connect_in(study, condition, key, downs[0])
    study = lead_through(study, ups[0], inlet, key)
    for up in ups[1:]:
        study = connect(study, up, key)
    return connect(study, key, downs[0])
