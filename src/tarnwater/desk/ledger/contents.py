"""The contents of the ledger for an element, made from the descriptions of its fields."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel

from tarnwater import units
from tarnwater.cover import GROUPS, cover_classes
from tarnwater.desk.desk import Desk
from tarnwater.methods import Method, kind_of
from tarnwater.network.elements import Catchment, CoverReference, Element
from tarnwater.parameters import Description, Setting
from tarnwater.study.answers.figures import figures_of
from tarnwater.study.document.fields import options_in, quantities_in, value_at
from tarnwater.study.edits.assignments import method_paths

Kind = Literal[
    "heading", "figure", "land", "setting", "choice", "cover", "group", "add surface", "add impervious",
    "remove part", "add part", "part land", "loss of all", "option", "table",
]  # fmt: skip

#: Figures of cover and soil, by what is asked of them.
LAND = {
    "land/curve_number": "its curve number",
    "land/coefficient": "its runoff coefficient, 1 in 10",
    "land/runoff_by_rows": "runoff of the typed rain by rows",
    "land/runoff_by_number": "and by its curve number",
}


@dataclass(frozen=True)
class Item:
    """One line of the ledger: its kind, its path or name, and its words."""

    kind: Kind
    key: str
    words: str = ""


def contents_of(desk: Desk, key: str) -> list[Item]:
    """Lines for an element: figures of the case in view first, then its settings and choices."""
    element = desk.elements[key]
    items: list[Item] = []
    case = desk.case_showing(key)
    if desk.results is not None and case is not None:
        items.append(Item("heading", "figures"))
        items += [Item("figure", name) for name, value, _ in figures_of(desk.results, case, key) if value is not None]
    below = {down: desk.study.name_of(down) for down in desk.network.downstream.get(key, ())}
    items += _of_land(element) + _fields(element, below)
    if isinstance(element, Catchment) and element.land is None:
        items.append(Item("add surface", "surfaces", "Add a surface"))
        if not any(surface.connected_impervious for surface in element.surfaces):
            items.append(Item("add impervious", "surfaces", "Add connected impervious land"))
    elif isinstance(element, Catchment):
        items.append(Item("part land", "surfaces", "Make the surfaces by hand"))
    items += [Item("add part", field, f"Add {word} …") for field, word in element.parts_to_add.items()]
    return items


def _of_land(element: Element) -> list[Item]:
    """Figures of cover and soil, where the surfaces follow from them."""
    if not isinstance(element, Catchment) or element.land is None:
        return []
    made = f"{len(element.surfaces)} SURFACES" if len(element.surfaces) > 1 else "ONE SURFACE"
    loss = [Item("loss of all", "surfaces/0/loss", "method")] if element.land.uses == "surfaces" else []
    return [
        Item("heading", "land", f"COVER AND SOIL · {made}"),
        *(Item("land", asked, words) for asked, words in LAND.items()),
        *loss,
    ]


def _is_in_table(element: Element, path: str) -> bool:
    """Whether a setting is that of a surface that the table of cover and soil shows: one of many, nothing typed."""
    parts = path.split("/")
    if parts[0] != "surfaces" or not isinstance(element, Catchment) or element.land is None:
        return False
    if element.land.uses == "composite":
        return False
    loss = element.surfaces[int(parts[1])].loss
    held = (getattr(loss, name) for name, _ in loss.quantities())
    return not any(isinstance(one, Setting) and one.typed is not None for one in held)


def _is_needless(element: Element, path: str, below: Mapping[str, str]) -> bool:
    """Whether an option says nothing: there is but one word for it, or it is that of an outlet inside its riser."""
    words = element.words_for(path, below)
    holder = path.split("/")
    outlet = len(holder) > 3 and holder[0] in element.parts
    return (words is not None and len(words) < 2 and not value_at(element, path)) or (
        outlet and holder[-1] in ("name", "inside", "leads_to", "state")
    )


def _fields(element: Element, below: Mapping[str, str]) -> list[Item]:
    groups: dict[str, list[Item]] = {}
    told: set[str] = set()
    for path, described, value in quantities_in(element):
        known = value.value if isinstance(value, Setting) else value
        if (known is None and described.told_when_known and not element.offers(path)) or _is_in_table(element, path):
            continue
        group = path.rsplit("/", 1)[0] if "/" in path else ""
        if group not in groups:
            heads = [Item("heading", group, _heading(group, element))]
            groups[group] = [*heads, *_group_choices(element, group, told)]
        if isinstance(known, int | float) or (known is None and isinstance(value, Setting)):
            groups[group].append(Item("setting", path))
        elif isinstance(known, tuple):
            _join_table(groups[group], group, described)
    for path, words in options_in(element):
        group = path.rpartition("/")[0]
        if group not in groups and group.partition("/")[0] != "surfaces":
            groups[group] = [Item("heading", group, _heading(group, element)), *_group_choices(element, group, told)]
        # a surface that the table of cover and soil shows has its texture from there
        if group in groups and not (path.endswith("/texture") and isinstance(element, Catchment) and element.land):
            if _is_needless(element, path, below):
                continue
            item = Item("option", path, words.label)
            if words.label == "name":
                # a part has its name under its heading, above its sizes
                first = next((n for n, one in enumerate(groups[group]) if one.kind in ("setting", "table")), None)
                groups[group].insert(len(groups[group]) if first is None else first, item)
            else:
                groups[group].append(item)
    items = []
    for group, own in groups.items():
        items += own
        loss = f"{group}/loss"
        if group.startswith("surfaces/") and group.count("/") == 1 and loss not in groups:
            # a loss without parameters has no rows, but another one may be chosen
            items += [Item("heading", loss, _heading(loss, element)), *_group_choices(element, loss, told)]
    for name in type(element).model_fields:
        if name not in told and len(alternatives(type(element), name)) > 1:
            items += [Item("heading", name, name.upper()), Item("choice", name, name)]
    return items


def _join_table(items: list[Item], group: str, described: Description) -> None:
    """Add a list of quantities to the table of its group: lists of one group belong together."""
    name = described.label or described.meaning
    for number, item in enumerate(items):
        if item.kind == "table":
            items[number] = Item("table", group, f"{item.words}, {name}")
            return
    items.append(Item("table", group, name))


def _group_choices(element: Element, group: str, told: set[str]) -> list[Item]:
    """Choices under a heading: the method of the group, the cover of a surface."""
    parts = group.split("/")
    items: list[Item] = []
    follows = isinstance(element, Catchment) and element.land is not None
    if parts[0] == "surfaces" and len(parts) == 2 and follows:
        told.add("surfaces")
    elif parts[0] == "surfaces" and len(parts) == 2:
        items += [Item("cover", f"{group}/cover", "cover"), Item("group", f"{group}/cover", "soil group")]
        if isinstance(element, Catchment) and len(element.surfaces) > 1:
            items.append(Item("remove part", group, "Remove this surface"))
        told.add("surfaces")
    elif parts[-1] and parts[0] != "surfaces":
        told.add(parts[0])
    if parts[0] in element.parts and len(parts) == 2:
        items.append(Item("choice", group, "form"))
        items.append(Item("remove part", group, f"Remove this {element.parts[parts[0]]}"))
    elif group:
        *owner, name = parts
        holder = value_at(element, "/".join(owner)) if owner else element
        if isinstance(holder, BaseModel) and len(alternatives(type(holder), name)) > 1:
            items.append(Item("choice", group, "method"))
    return items


def hint_of(element: Element, path: str, described: Description, unit: str) -> str:
    """A hint for a quantity: its meaning, unit, usual range, equation and source."""
    lines = [described.meaning, f"unit: {unit}" if unit else "without a unit"]
    if described.usual is not None:
        low, high = (units.show(bound, described.kind, unit=unit) for bound in described.usual)
        lines.append(f"usual range: {low} to {high}")
    if equation := _equation_of(element, path):
        lines.append(equation)
    if described.source:
        lines.append(f"source: {described.source}")
    return "\n".join(lines)


def _equation_of(element: Element, path: str) -> str:
    """The equation by which a quantity is derived, or of the method that it belongs to."""
    holder, _, name = path.rpartition("/")
    method = value_at(element, holder) if holder else None
    if method is None and isinstance(element, Catchment) and name in ("lag", "concentration"):
        method = element.timing
    return f"{method.title}: {method.equation}" if isinstance(method, Method) else ""


def alternatives_at(element: Element, path: str) -> list[type[Method]]:
    """Methods that a field or a part of an element may be; none where it holds no method."""
    kind = dict(method_paths(element)).get(path)
    return [] if kind is None else kind.choices()


def alternatives(model: type[BaseModel], field: str) -> list[type[Method]]:
    """Methods that a field may hold; none where it holds no method."""
    kind = kind_of(model.model_fields[field]) if field in model.model_fields else None
    return [] if kind is None else kind.choices()


def title_of(model: type[BaseModel]) -> str:
    """Name of a method."""
    return str(getattr(model, "title", model.__name__))


def cover_options() -> list[tuple[str, Any]]:
    """Covers of the table by title, and none."""
    return [("no cover: the curve number is typed", None), *((title, title) for title in cover_classes())]


def with_cover(present: CoverReference | None, *, title: Any = ..., group: Any = ...) -> CoverReference | None:
    """A cover with another title or soil group; the default group is C."""
    if title is None:
        return None
    name = present.title if title is ... and present is not None else title
    if name is ...:
        return None
    soil = group if group is not ... else present.group if present is not None else "C"
    return CoverReference(title=name, group=soil)


def _heading(group: str, element: Element) -> str:
    parts = group.split("/")
    if parts[0] == "surfaces" and len(parts) > 1 and isinstance(element, Catchment):
        name = element.surfaces[int(parts[1])].name or f"{int(parts[1]) + 1}"
        return f"surface {name}{': losses' if len(parts) > 2 else ''}".upper()
    if parts[0] in element.parts and len(parts) > 1:
        one = value_at(element, "/".join(parts[:2]))
        # a part that has no name is the only one of its kind, and its form stands in the next line
        name = (one.name or title_of(type(one))) if hasattr(one, "name") else ""
        words = f"{element.parts[parts[0]]} {name}".strip()
        return f"{words}{''.join(f': {p}' for p in parts[2:])}".upper()
    if parts[0] == "path_parts" and len(parts) > 1 and isinstance(element, Catchment):
        return f"FLOW PATH: {element.path_parts[int(parts[1])].kind}".upper()
    return (parts[-1] or element.tag()).upper()


__all__ = [
    "GROUPS",
    "Item",
    "alternatives",
    "alternatives_at",
    "contents_of",
    "cover_options",
    "hint_of",
    "title_of",
    "with_cover",
]
