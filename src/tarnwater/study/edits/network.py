"""Edits of elements and links: add, remove, rename, connect."""

from __future__ import annotations

from functools import partial

from tarnwater.errors import EditRefused, NetworkError, UnknownName
from tarnwater.frozen import FrozenDict
from tarnwater.network.elements import Element, Link, Outfall
from tarnwater.network.graph import Network
from tarnwater.study.document import Study, changed
from tarnwater.study.document.fields import with_value
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.names import names_that_follow, slug
from tarnwater.study.edits.replacing import with_element_changed


@edit("add {element}")
def add_element(study: Study, element: Element, key: str | None = None) -> Study:
    """Add an element; its key is made from its name if none is given."""
    key = key or slug(element.name, study.all_elements)
    return changed(study, elements=study.elements.with_entry(key, element))


@edit("add {element}")
def add_draining(study: Study, element: Element, key: str | None = None, into: str = "") -> Study:
    """Add an element that drains into another (by key), or into the only outfall, which is made if there is none."""
    key = key or slug(element.name, study.all_elements)
    study = add_element(study, element, key)
    if element.is_end:
        return study
    if not into and not study.outfalls:
        study = add_element(study, Outfall(name="Outfall"), slug("outfall", study.all_elements))
    if not into and len(study.outfalls) == 1:
        into = next(iter(study.outfalls))
    return connect(study, key, into) if into else study


@edit("remove {element}")
def remove_element(study: Study, element: str) -> Study:
    """Remove an element with its links, its design point, and its settings in conditions."""
    if element not in study.elements:
        raise UnknownName(element, study.elements, kind="element")
    conditions = {
        key: c.model_copy(
            update={
                "settings": FrozenDict({p: t for p, t in c.settings.items() if p.split("/", 1)[0] != element}),
                "left_out": tuple(k for k in c.left_out if k != element),
                "links": FrozenDict({k: v for k, v in c.links.items() if v is None or element not in (v.up, v.down)}),
                "land": c.land.without(element),
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
    """Rename an element; links and conditions refer to its key.

    Reaches and outlets named after their ends are renamed too, others are not.
    """
    following = names_that_follow(study, element, name)
    study = with_element_changed(study, element, lambda old: with_value(old, "name", name))
    for key, followed in following.items():
        study = with_element_changed(study, key, partial(with_value, path="name", value=followed))
    outlet = study.outlets.get(element)
    if outlet is not None:
        # elements made on the map later use the new name too
        named = outlet.model_copy(update={"name": name})
        study = changed(study, outlets=study.outlets.with_entry(element, named))
    return study


@edit("connect {up} to {down}")
def connect(study: Study, up: str, down: str) -> Study:
    """Connect one element to another; loops are refused with the reason.

    If an element may only have one link down, its earlier link is removed.
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


@edit("insert {element} below {up}")
def lead_through(study: Study, up: str, element: Element, key: str | None = None) -> Study:
    """Insert an element below another one; it drains to where that one did."""
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
