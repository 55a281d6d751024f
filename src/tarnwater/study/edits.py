"""Edits: named functions from study to study.

Each is one act a person would name, and one step of undo. All of them go through
`tarnwater.study.document.changed`. The template given to `edit` becomes the label of the act.
"""

from __future__ import annotations

import functools
import inspect
import re
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from string import Formatter
from typing import Any, TypeVar

from tarnwater import units
from tarnwater.errors import BadInput, EditRefused, NetworkError, UnknownName
from tarnwater.frozen import FrozenDict
from tarnwater.network.elements import Element, Link, Outfall, Reach
from tarnwater.network.graph import Network
from tarnwater.parameters import Setting, Typed
from tarnwater.rain.depth_table import DepthTable, Series
from tarnwater.rain.given import GivenStorm
from tarnwater.rain.storms import StormFamily
from tarnwater.study.conditions import FIXED, resolve
from tarnwater.study.document import Condition, DesignPoint, RunSettings, Study, changed, checked
from tarnwater.study.fields import description_at, value_at, with_value

F = TypeVar("F", bound=Callable[..., Study])


def edit(template: str | Callable[..., str]) -> Callable[[F], F]:
    """Mark a function as an edit; ``template`` names its arguments in braces, or makes the words of the act of them."""

    def mark(function: F) -> F:
        signature = inspect.signature(function)

        @functools.wraps(function)
        def run(study: Study, *args: Any, **kwargs: Any) -> Study:
            return function(study, *args, **kwargs)

        def label(study: Study, *args: Any, **kwargs: Any) -> str:
            bound = signature.bind(study, *args, **kwargs)
            bound.apply_defaults()
            if not isinstance(template, str):
                return template(**bound.arguments)
            named = {field for _, field, _, _ in Formatter().parse(template) if field}
            # an act is said in words already; they may hold units with a stroke
            words = {n: v if n == "act" else _in_words(study, v) for n, v in bound.arguments.items() if n in named}
            words["count"] = str(len(bound.arguments.get("values", ())))
            return template.format_map(words)

        run.label = label  # type: ignore[attr-defined]
        return run  # type: ignore[return-value]

    return mark


def _in_words(study: Study, value: Any) -> str:
    if isinstance(value, str):
        return study.name_of(value) if value in study.all_elements else value.replace("_", " ").split("/")[-1]
    return str(getattr(value, "name", value))


def slug(name: str, taken: Mapping[str, Any]) -> str:
    """A short key for a name, not among those taken."""
    base = re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-") or "element"
    key, number = base, 2
    while key in taken:
        key, number = f"{base}-{number}", number + 1
    return key


def unused_name(study: Study, kind: str) -> str:
    """A name for a new element of a kind that neither an element nor an outlet bears: ``Catchment 2``."""
    taken = {e.name for e in study.all_elements.values()} | {o.name for o in study.outlets.values()}
    return next(f"{kind} {n}" for n in range(1, len(taken) + 2) if f"{kind} {n}" not in taken)


def read_value(element: Any, field: str, text: str | float, unit: str = "") -> float:
    """A typed number in the base unit of a field, checked against its range.

    Text may carry its unit; without one it is in ``unit``, or in the base unit.
    """
    description = description_at(element, field)
    where = f"{element.name}, {field.split('/')[-1].replace('_', ' ')}"
    if description is None:
        raise EditRefused("the field holds no quantity.", where=where, remedy="Choose another field.")
    try:
        value = units.parse(text, description.kind, default=unit or None) if isinstance(text, str) else float(text)
    except BadInput as error:
        error.where = where
        raise
    description.check(value, where)
    return value


@edit("add {element}")
def add_element(study: Study, element: Element, key: str | None = None) -> Study:
    """Add an element; its key is made from its name where none is given."""
    key = key or slug(element.name, study.all_elements)
    return changed(study, elements=study.elements.with_entry(key, element))


@edit("add {element}")
def add_draining(study: Study, element: Element, key: str | None = None, into: str = "") -> Study:
    """Add an element that drains into another (by key), or into the one outfall, made where there is none."""
    key = key or slug(element.name, study.all_elements)
    study = add_element(study, element, key)
    if isinstance(element, Outfall):
        return study
    if not into and not study.outfalls:
        study = add_element(study, Outfall(name="Outfall"), slug("outfall", study.all_elements))
    if not into and len(study.outfalls) == 1:
        into = next(iter(study.outfalls))
    return connect(study, key, into) if into else study


@edit("remove {element}")
def remove_element(study: Study, element: str) -> Study:
    """Remove an element with its links, its design point, and what conditions say of it."""
    if element not in study.elements:
        raise UnknownName(element, study.elements, kind="element")
    conditions = {
        key: c.model_copy(
            update={
                "settings": FrozenDict({p: t for p, t in c.settings.items() if p.split("/", 1)[0] != element}),
                "left_out": tuple(k for k in c.left_out if k != element),
                "links": FrozenDict({k: v for k, v in c.links.items() if v is None or element not in (v.up, v.down)}),
            }
        )
        for key, c in study.conditions.items()
    }
    kept = {k: link for k, link in study.links.items() if element not in (link.up, link.down)}
    return changed(
        study,
        elements=study.elements.without(element),
        links=kept,
        design_points=study.design_points.without(element),
        conditions=conditions,
    )


@edit("rename {element} to {name}")
def rename_element(study: Study, element: str, name: str) -> Study:
    """Give an element another name; links and conditions hold to its key.

    Reaches and outlets that are named by their ends follow, those that were named otherwise stay.
    """
    following = names_that_follow(study, element, name)
    study = _replaced(study, element, lambda old: with_value(old, "name", name))
    for key, followed in following.items():
        study = _replaced(study, key, partial(with_value, path="name", value=followed))
    outlet = study.outlets.get(element)
    if outlet is not None:
        # what is made on the map from now on is named by the new name too
        named = outlet.model_copy(update={"name": name})
        study = changed(study, outlets=study.outlets.with_entry(element, named))
    return study


def names_that_follow(study: Study, element: str, name: str) -> dict[str, str]:
    """New names, by key, of what is named by an element that gets another name.

    The node of an outlet is ``X outlet`` of its catchment, a reach ``X to Y`` of those at its ends.
    """
    old, taken = study.name_of(element), {e.name for e in study.all_elements.values()}
    found: dict[str, str] = {}
    for key, other in study.all_elements.items():
        wanted = other.name
        if isinstance(other, Reach):
            up, parted, down = other.name.partition(" to ")
            if parted and old in (up, down):
                wanted = " to ".join(name if end == old else end for end in (up, down))
        elif key == f"{element}-outlet" and other.name == f"{old} outlet":
            wanted = f"{name} outlet"
        if wanted != other.name and wanted not in taken:
            found[key] = wanted
            taken.add(wanted)
    return found


@edit("connect {up} to {down}")
def connect(study: Study, up: str, down: str) -> Study:
    """Let one element drain into another; loops are refused with the reason.

    An element that may have only one link down gives up the one it had.
    """
    for key in (up, down):
        if key not in study.elements:
            raise UnknownName(key, study.elements, kind="element")
    if study.elements[up].is_end:
        raise EditRefused("an outfall is an end; nothing drains on from it.", where=study.name_of(up))
    links = {k: link for k, link in study.links.items() if link.up != up or study.elements[up].several_down}
    if any((link.up, link.down) == (up, down) for link in links.values()):
        return study
    links[slug(f"{up} to {down}", links)] = Link(up=up, down=down)
    network = Network(study.elements, links)
    try:
        _ = network.order
    except NetworkError as error:
        raise EditRefused(error.what, where=f"{study.name_of(up)} to {study.name_of(down)}") from error
    return changed(study, links=links)


@edit("lead {up} through {element}")
def lead_through(study: Study, up: str, element: Element, key: str | None = None) -> Study:
    """Add an element into which another drains; it drains on to where that one did."""
    key = key or slug(element.name, study.all_elements)
    way, beyond = next(((k, link.down) for k, link in study.links.items() if link.up == up), ("", None))
    if way:
        study = changed(study, links=study.links.without(way))
    study = connect(add_element(study, element, key), up, key)
    return connect(study, key, beyond) if beyond is not None else study


@edit("disconnect {link}")
def disconnect(study: Study, link: str) -> Study:
    """Remove a link."""
    if link not in study.links:
        raise UnknownName(link, study.links, kind="link")
    return changed(study, links=study.links.without(link))


def _typing(study: Study, values: Sequence[tuple[str, str, Any]], condition: str = "", **_: Any) -> str:
    """What typing is called: of one value what it is of, of several how many there are."""
    act = "type" if any(value is not None for *_, value in values) else "clear"
    where = f" in {_in_words(study, condition)}" if condition else ""
    if len(values) != 1:
        return f"{act} {len(values)} values{where}"
    ((element, field, _value),) = values
    return f"{act} {_in_words(study, field)} of {_in_words(study, element)}{where}"


@edit(_typing)
def type_values(
    study: Study,
    values: Sequence[tuple[str, str, str | float | None]],
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
    note: str = "",
    units: Mapping[str, str] | None = None,
) -> Study:
    """Type values, each an element, a field and its text or number, as one act; one that is refused refuses all.

    Text may carry its unit; None clears a typed value, so that the derived one counts again. They count in all
    conditions, or in the one named and those that inherit from it. ``units`` fixes the units of entry of quantities
    typed for the first time.
    """
    stamp = {"by": by, "at": at, "note": note}
    typed = _typed_in(study, condition, values, stamp) if condition else _typed_for_all(study, values, stamp)
    return with_entry_units(typed, units)


def _typed_for_all(study: Study, values: Sequence[tuple[str, str, Any]], stamp: Mapping[str, str]) -> Study:
    elements: dict[str, Element] = {}
    for element, field, value in values:
        owner = elements.get(element) or _known(study, element)
        is_setting = isinstance(value_at(owner, field), Setting)
        if value is not None:
            number = _read_whole(owner, field, value)
            new: Any = Typed[Any](value=number, **stamp) if is_setting else number
        elif is_setting:
            new = None
        else:
            # it holds a number in any case: there is nothing to clear
            continue
        elements[element] = checked(partial(with_value, owner, field, new), owner.name)
    return _with_elements(study, elements)


def _typed_in(study: Study, condition: str, values: Sequence[tuple[str, str, Any]], stamp: Mapping[str, str]) -> Study:
    there = resolve(study, condition).elements
    settings = study.conditions[study.condition_of(condition)].settings
    for element, field, value in values:
        if value is None:
            settings = settings.without(f"{element}/{field}")
            continue
        owner = there.get(element) or _known(study, element)
        _refuse_fixed(owner, field)
        typed = _for_condition(owner, field, _read_whole(owner, field, value), stamp)
        settings = settings.with_entry(f"{element}/{field}", typed)
    return _with_condition(study, condition, settings=settings)


def _refuse_fixed(owner: Element, field: str) -> None:
    """Raise `EditRefused` for a field that no condition has for itself."""
    first = field.split("/")[0]
    if first in FIXED:
        what = f"the {first.replace('_', ' ')} is the same in all conditions."
        raise EditRefused(what, where=owner.name, remedy="Change it for all of them.")


def _for_condition(owner: Element, field: str, value: Any, stamp: Mapping[str, str]) -> Typed[Any]:
    """A value as a condition holds it, checked on the element that it is of."""
    typed = Typed[Any](value=value, **stamp)
    checked(lambda: with_value(owner, field, typed), owner.name)
    return typed


def _read_whole(owner: Element, field: str, value: str | float) -> float | int:
    """A typed number in the base unit of its field, a whole one where it counts something."""
    number = read_value(owner, field, value)
    description = description_at(owner, field)
    if description is None or description.kind != "count":
        return number
    if number != int(number):
        raise EditRefused(f"{description.meaning} must be a whole number.", where=owner.name, remedy="Type one.")
    return int(number)


def with_entry_units(study: Study, units: Mapping[str, str] | None) -> Study:
    """A study with the units of entry of some quantities fixed, where they are not yet."""
    kept = {f"{study.units} {quantity}": unit for quantity, unit in (units or {}).items()}
    new = FrozenDict({**kept, **study.entry_units})
    return study if new == study.entry_units else changed(study, entry_units=new)


def _choosing(study: Study, element: str, field: str, condition: str = "", **_: Any) -> str:
    where = f" in {_in_words(study, condition)}" if condition else ""
    return f"choose {_in_words(study, field)} of {_in_words(study, element)}{where}"


@edit(_choosing)
def choose(
    study: Study,
    element: str,
    field: str,
    value: Any,
    *,
    condition: str = "",
    by: str = "",
    at: str = "",
    note: str = "",
) -> Study:
    """Set a field that is no typed quantity: a method, surfaces, a note; for all conditions, or the one named."""
    if not condition:
        return _replaced(study, element, lambda old: with_value(old, field, value))
    owner = resolve(study, condition).elements.get(element) or _known(study, element)
    _refuse_fixed(owner, field)
    typed = _for_condition(owner, field, value, {"by": by, "at": at, "note": note})
    one = study.conditions[study.condition_of(condition)]
    return _with_condition(study, condition, settings=one.settings.with_entry(f"{element}/{field}", typed))


@edit("clear {field} of {element} in {condition}")
def give_back_in_condition(study: Study, condition: str, element: str, field: str) -> Study:
    """Let a condition inherit a value again."""
    one = study.conditions[study.condition_of(condition)]
    return _with_condition(study, condition, settings=one.settings.without(f"{element}/{field}"))


@edit("add condition {name}")
def add_condition(study: Study, name: str, parent: str | None = None, note: str = "") -> Study:
    """Add a condition that differs from its parent in nothing yet."""
    parent = None if parent is None else study.condition_of(parent)
    if name.casefold() in (c.name.casefold() for c in study.conditions.values()):
        raise EditRefused("there is a condition of that name.", where=name, remedy="Choose another name.")
    key = slug(name, study.conditions)
    condition = checked(lambda: Condition(name=name, parent=parent, note=note), name)
    return changed(study, conditions=study.conditions.with_entry(key, condition))


@edit("remove condition {condition}")
def remove_condition(study: Study, condition: str) -> Study:
    """Remove a condition; the last one, and one that others inherit from or are limited by, stays."""
    key = study.condition_of(condition)
    heirs = [c.name for c in study.conditions.values() if c.parent == key]
    limited = [k for k, p in study.design_points.items() if any(limit.of_condition == key for limit in p.limits)]
    what = ""
    if len(study.conditions) == 1:
        what, remedy = "a study has at least one condition.", "Add another one first."
    elif heirs:
        what, remedy = f"{heirs[0]} inherits from it.", f"Remove {heirs[0]} first."
    elif limited:
        what, remedy = f"limits at {study.name_of(limited[0])} refer to it.", "Change those limits first."
    if what:
        raise EditRefused(f"the condition cannot be removed: {what}", where=study.conditions[key].name, remedy=remedy)
    return changed(study, conditions=study.conditions.without(key))


@edit("leave out {element} in {condition}")
def leave_out(study: Study, condition: str, element: str) -> Study:
    """Leave an element out in a condition."""
    if element not in study.all_elements:
        raise UnknownName(element, study.all_elements, kind="element")
    one = study.conditions[study.condition_of(condition)]
    return _with_condition(study, condition, left_out=tuple(dict.fromkeys((*one.left_out, element))))


@edit("add {element} in {condition}")
def add_in_condition(study: Study, condition: str, element: Element, key: str | None = None) -> Study:
    """Add an element in a condition only."""
    key = key or slug(element.name, study.all_elements)
    one = study.conditions[study.condition_of(condition)]
    return _with_condition(study, condition, added=one.added.with_entry(key, element))


@edit("change link {link} in {condition}")
def change_link(study: Study, condition: str, link: str, to: Link | None) -> Study:
    """Replace, add or (None) remove a link in a condition."""
    one = study.conditions[study.condition_of(condition)]
    return _with_condition(study, condition, links=one.links.with_entry(link, to))


@edit("set depth table {key}")
def set_table(study: Study, key: str, table: DepthTable) -> Study:
    """Add or replace a depth table."""
    return changed(study, tables=study.tables.with_entry(key, table))


@edit("allow extrapolation of the depth table {key}")
def allow_extrapolation(study: Study, key: str, allowed: bool = True) -> Study:
    """Let a depth table be read beyond its entries, or no longer."""
    table = study.tables[key].model_copy(update={"extrapolate": allowed})
    return changed(study, tables=study.tables.with_entry(key, table))


@edit("say of which series the depth table {key} is")
def set_series(study: Study, key: str, series: Series) -> Study:
    """Say whether a depth table is of annual maxima or of peaks over a threshold."""
    table = study.tables[key].model_copy(update={"series": series})
    return changed(study, tables=study.tables.with_entry(key, table))


@edit("set storm family {key}")
def set_family(study: Study, key: str, family: StormFamily) -> Study:
    """Add or replace a storm family."""
    return changed(study, families=study.families.with_entry(key, family))


@edit("{act}")
def change_family(study: Study, key: str, family: StormFamily, act: str) -> Study:
    """Set a storm family under words that say what was changed."""
    return set_family(study, key, family)


@edit("{act}")
def set_rain_table(study: Study, key: str, table: DepthTable, act: str) -> Study:
    """Set a depth table; the study's first one comes with a family of all its storms, which goes on holding all."""
    before = study.tables.get(key)
    study = set_table(study, key, table)
    if not study.families:
        family = StormFamily(table=key, return_periods=readable_periods(table), durations=table.durations)
        return set_family(study, slug("storms", study.families), family)
    for name, family in study.families.items():
        if family.table == key and before is not None and _holds_all(family, before):
            whole = {"return_periods": readable_periods(table), "durations": table.durations}
            study = set_family(study, name, family.model_copy(update=whole))
    return study


def readable_periods(table: DepthTable) -> tuple[float, ...]:
    """Return periods of a table's columns that can be read as they stand; else what they are between annual maxima."""
    return tuple(t for t in table.return_periods if table.holds_period(t)) or table.annual_periods


def _holds_all(family: StormFamily, table: DepthTable) -> bool:
    return (family.return_periods, family.durations) == (readable_periods(table), table.durations)


@edit("remove storm family {key}")
def remove_family(study: Study, key: str) -> Study:
    """Remove a storm family."""
    if key not in study.families:
        raise UnknownName(key, study.families, kind="storm family")
    return changed(study, families=study.families.without(key))


@edit("set storm {storm}")
def set_storm(study: Study, key: str, storm: GivenStorm) -> Study:
    """Add or replace a storm whose rain is given, recorded or typed."""
    return changed(study, storms=study.storms.with_entry(key, storm))


@edit("remove storm {key}")
def remove_storm(study: Study, key: str) -> Study:
    """Remove a given storm; refused while others begin after it."""
    if key not in study.storms:
        raise UnknownName(key, study.storms, kind="storm")
    makers: list[StormFamily | GivenStorm] = [*study.families.values(), *study.storms.values()]
    if following := [one.name for one in makers if one.after == key]:
        raise EditRefused(
            f"{', '.join(following)} begin after it.",
            where=study.storms[key].name,
            remedy="Let them begin at rest first.",
        )
    return changed(study, storms=study.storms.without(key))


@edit("set design point {element}")
def set_design_point(study: Study, element: str, point: DesignPoint | None) -> Study:
    """Make an element a design point, change its limits, or (None) make it none."""
    points = study.design_points
    new = points.without(element) if point is None else points.with_entry(element, point)
    return changed(study, design_points=new)


@edit("set {count} design points")
def set_design_points(study: Study, values: Sequence[str], point: DesignPoint | None) -> Study:
    """Make many elements design points, or (None) none, as one act; those that are points keep their limits."""
    points = study.design_points
    for element in values:
        new = None if point is None else points.get(element, point)
        points = points.without(element) if new is None else points.with_entry(element, new)
    return changed(study, design_points=points)


@edit("set the run")
def set_run(study: Study, run: RunSettings) -> Study:
    """Change how cases are run."""
    return changed(study, run=run)


@edit("set the step to {step} s")
def set_step(study: Study, step: float, *, by: str = "", at: str = "", note: str = "") -> Study:
    """Type the step of the run, s."""
    typed = Typed[float](value=step, by=by, at=at, note=note)
    return changed(study, run=checked(lambda: with_value(study.run, "step", typed), "run"))


@edit("set {field} of the study")
def set_study(study: Study, field: str, value: Any) -> Study:
    """Change the title, number, author, checker, note or units."""
    known = ("title", "number", "author", "checker", "note", "units")
    if field not in known:
        raise UnknownName(field, known, kind="field of the study")
    return changed(study, **{field: value})


@edit("type {quantity} in {unit}")
def set_entry_unit(study: Study, quantity: str, kind: str, unit: str) -> Study:
    """Fix the unit in which a quantity is shown and typed, in the present system of units."""
    units.factor_of(unit, kind)
    return changed(study, entry_units=study.entry_units.with_entry(f"{study.units} {quantity}", unit))


@edit("lock the study")
def lock(study: Study) -> Study:
    """Lock the study: every edit but unlocking is refused."""
    return changed(study, locked=True)


@edit("unlock the study")
def unlock(study: Study) -> Study:
    """Unlock the study."""
    return changed(study, locked=False)


def _known(study: Study, key: str) -> Any:
    """An element, also one that only a condition has."""
    if key not in study.all_elements:
        raise UnknownName(key, study.all_elements, kind="element")
    return study.all_elements[key]


def _replaced(study: Study, key: str, change: Callable[[Any], Any]) -> Study:
    """A study with another element in the place of one."""
    old = _known(study, key)
    return _with_elements(study, {key: checked(lambda: change(old), old.name)})


def _with_elements(study: Study, elements: Mapping[str, Element]) -> Study:
    """A study with other elements in the place of some, also of those that only a condition has."""
    own = {key: element for key, element in elements.items() if key in study.elements}
    conditions = {}
    for name, condition in study.conditions.items():
        if here := {key: e for key, e in elements.items() if key in condition.added and key not in own}:
            conditions[name] = condition.model_copy(update={"added": FrozenDict({**condition.added, **here})})
    fields: dict[str, Any] = {"elements": {**study.elements, **own}} if own else {}
    if conditions:
        fields["conditions"] = {**study.conditions, **conditions}
    return changed(study, **fields)


def _with_condition(study: Study, condition: str, **fields: Any) -> Study:
    key = study.condition_of(condition)
    old = study.conditions[key]
    data = {name: getattr(old, name) for name in Condition.model_fields} | fields
    new = checked(lambda: Condition(**data), old.name)
    return changed(study, conditions=study.conditions.with_entry(key, new))
