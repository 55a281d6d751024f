"""Conditions: from differences to the network that the engine computes."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

from tarnwater.cover.land import CatchmentLand
from tarnwater.errors import BadInput, EditRefused
from tarnwater.frozen import FrozenDict
from tarnwater.network.elements import Catchment, Element, Library
from tarnwater.network.graph import Fault, Network
from tarnwater.network.memo import IdentityMemo, Memory
from tarnwater.parameters import Model
from tarnwater.study.document import Condition, Study, checked
from tarnwater.study.document.fields import with_value
from tarnwater.study.document.plain import plain_from_text


def lineage(study: Study, condition: str) -> list[Condition]:
    """A condition and its ancestors, the eldest first; `UnknownName` if it does not exist."""
    line = []
    key: str | None = study.condition_of(condition)
    while key is not None:
        line.append(study.conditions[key])
        key = study.conditions[key].parent
    return line[::-1]


def _by_element(condition: Condition) -> dict[str, dict[str, Any]]:
    found: dict[str, dict[str, Any]] = {}
    for path, typed in condition.settings.items():
        key, field = path.split("/", 1)
        found.setdefault(key, {})[field] = typed
    return found


#: Fields of an element that are the same in all conditions.
FIXED = frozenset(
    {
        "name", "kind", "place", "observed", "outline", "flow_path", "path", "cut_off", "total_area", "raw_slope",
        "land", "drawn", "path_drawn", "path_heights", "path_profile", "counts",
    }
)  # fmt: skip


def _with_land(owner: Element, land: CatchmentLand, library: Library, memory: Memory) -> Element:
    """A catchment with the land of a condition; the same object for the same parts."""
    if not isinstance(owner, Catchment):
        return owner
    memo: IdentityMemo[Element] = memory.of("land of conditions", 4096)
    parts = owner, land, library.classes, library.rules
    return memo.get(parts) or memo.put(parts, library.with_land(owner, land))


def _with_settings(
    owner: Element, key: str, settings: Mapping[str, Any], condition: str, library: Library, memory: Memory
) -> tuple[Element, tuple[Fault, ...]]:
    """An element with the settings of a condition, and those that cannot be applied to it.

    If the result is the same as before, the same object is returned, so that it is not computed again.
    """
    memo: IdentityMemo[tuple[Any, tuple[Fault, ...]]] = memory.of("elements changed by conditions", 4096)
    parts, also = (owner, library.classes, *settings.values()), (condition, *settings)
    known = memo.get(parts, also)
    if known is not None:
        return known
    changed, unmet = owner, []
    for field, typed in settings.items():
        try:
            if field.split("/")[0] in FIXED:
                raise EditRefused(f"the {field.split('/')[0]} is the same in all conditions.")
            changed = _with_value(changed, field, typed, library)
        except BadInput as error:
            what = f"{condition} sets {field} of {owner.name}, which cannot be: {error.what}"
            unmet.append(Fault("setting-unmet", what, "Clear it in that condition.", element=key))
    return memo.put(parts, (changed, tuple(unmet)), also)


def _with_value(owner: Element, field: str, typed: Any, library: Library) -> Element:
    """An element with a setting of a condition; surfaces that it names anew get the numbers of their covers."""
    new: Element = checked(partial(with_value, owner, field, typed))
    first, *rest = field.split("/")
    if isinstance(new, Catchment) and first == "surfaces" and (not rest or rest[-1] == "cover"):
        new = new.model_copy(update={"surfaces": library.looked_up(new.surfaces), "land": None})
    return new.refreshed()


def resolve(study: Study, condition: str) -> Network:
    """The network of a condition: the study's elements and links with each ancestor's differences.

    Elements come first, then those left out, then land, then settings, then links; a link to an element that is left
    out goes with it. Values derived from changed settings are derived again. Settings of an element that a condition
    leaves out are not used; one that cannot be applied is a fault of the network. As long as nothing of it changes, it
    is the same object.
    """
    memo: IdentityMemo[Network] = study.memory.of("networks of conditions", 256)
    line = lineage(study, condition)
    parts = study.elements, study.links, study.cover_classes, study.land_rules, *line
    return memo.get(parts) or memo.put(parts, _resolved(study, line))


def _resolved(study: Study, line: list[Condition]) -> Network:
    """The network of a line of conditions, the eldest first."""
    elements = dict(study.elements)
    links = dict(study.links)
    unmet: list[Fault] = []
    for one in line:
        elements.update(one.added)
        for key in one.left_out:
            elements.pop(key, None)
        links = {k: link for k, link in links.items() if link.up not in one.left_out and link.down not in one.left_out}
        for key, land in one.land.items():
            if key in elements:
                elements[key] = _with_land(elements[key], land, study.library, study.memory)
        for key, settings in _by_element(one).items():
            if key in elements:
                made = _with_settings(elements[key], key, settings, one.name, study.library, study.memory)
                elements[key], failed = made
                unmet += failed
        for key, link in one.links.items():
            if link is None:
                links.pop(key, None)
            else:
                links[key] = link
    return Network(elements, links, tuple(unmet))


def _comes_back(part: Model) -> bool:
    """Whether a study, or a part of one, can be read back unchanged."""
    line = part.model_dump_json(exclude_none=True)
    return type(part).model_validate(plain_from_text(line)).model_dump_json(exclude_none=True) == line


def _parts_unlike(study: Study, before: Study) -> list[Model] | None:
    """Elements, tables and other parts that differ from an earlier study; None if anything else differs."""
    parts: list[Model] = []
    for name in type(study).model_fields:
        own, other = getattr(study, name), getattr(before, name)
        if own is other:
            continue
        if not isinstance(own, FrozenDict):
            if own != other:
                return None
            continue
        if own.keys() != other.keys():
            return None
        unlike = [part for key, part in own.items() if part is not other[key]]
        if not all(isinstance(part, Model) for part in unlike):
            return None
        parts += unlike
    return parts


def refuse_what_cannot_be(study: Study, before: Study | None = None) -> None:
    """Raise `EditRefused` for a study that could not be read back unchanged.

    With the study ``before`` an edit, also for an edit that makes a setting of a condition invalid.
    """
    try:
        parts = None if before is None else _parts_unlike(study, before)
        same = _comes_back(study) if parts is None else all(_comes_back(part) for part in parts)
    except (ValueError, BadInput) as error:
        raise EditRefused(
            f"the study would hold a value that cannot be read again ({str(error)[:300]}); nothing was changed.",
            where=study.title,
        ) from error
    if not same:
        raise EditRefused("the study could not be read back as it is; nothing was changed.", where=study.title)
    if before is not None:
        known = {fault for key in before.conditions for fault in resolve(before, key).unmet}
        new = [fault for key in study.conditions for fault in resolve(study, key).unmet if fault not in known]
        if new:
            raise EditRefused(new[0].what, where=study.title, remedy="Clear that setting in its condition first.")
