"""Edits of what the map shows: backgrounds, and saved views."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from tarnwater.errors import EditRefused
from tarnwater.frozen import FrozenDict
from tarnwater.study.document import Study, changed
from tarnwater.study.document.map import Background, SavedView
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.names import slug


@edit("lay {background} under the map")
def add_background(study: Study, background: Background) -> Study:
    """Add a background under a new key."""
    taken = {one.name.casefold() for one in study.backgrounds.values()}
    name, number = background.name, 2
    while name.casefold() in taken:
        name, number = f"{background.name} {number}", number + 1
    key = slug(name, study.backgrounds)
    named = background.model_copy(update={"name": name})
    return changed(study, backgrounds=study.backgrounds.with_entry(key, named))


@edit(lambda study, key: f"take {study.backgrounds[key].name} from under the map")
def remove_background(study: Study, key: str) -> Study:
    """Remove a background; its file is not touched."""
    return changed(study, backgrounds=study.backgrounds.without(key))


@edit(lambda study, key, path: f"say where {study.backgrounds[key].name} is")
def relink_background(study: Study, key: str, path: str) -> Study:
    """Take a background from another file."""
    moved = study.backgrounds[key].model_copy(update={"path": path})
    return changed(study, backgrounds=study.backgrounds.with_entry(key, moved))


@edit("save the view {view}")
def save_view(study: Study, view: SavedView) -> Study:
    """Save a view of the map; one of the same name is replaced."""
    if not view.name.strip():
        raise EditRefused("a view needs a name.", remedy="Type one.")
    same = (key for key, one in study.map_views.items() if one.name.casefold() == view.name.casefold())
    key = next(same, None) or slug(view.name, study.map_views)
    return changed(study, map_views=study.map_views.with_entry(key, view))


@edit(lambda study, key: f"forget the view {study.map_views[key].name}")
def remove_view(study: Study, key: str) -> Study:
    """Remove a saved view."""
    return changed(study, map_views=study.map_views.without(key))


@edit("choose what the labels tell")
def set_label_fields(study: Study, fields: Sequence[str]) -> Study:
    """Choose the figures in the labels of the catchments, beside their names."""
    return changed(study, map_labels=study.map_labels.model_copy(update={"fields": tuple(fields)}))


@edit("move the label of {key}")
def move_label(study: Study, key: str, place: tuple[float, float]) -> Study:
    """Put the middle of the label of an element to a place on the map; it stays there."""
    labels = study.map_labels
    return changed(study, map_labels=labels.model_copy(update={"moved": labels.moved.with_entry(key, place)}))


@edit("put the labels back")
def put_labels_back(study: Study, keys: Sequence[str] = ()) -> Study:
    """Let the labels of some elements, or of all, find their places again."""
    labels = study.map_labels
    kept = {key: place for key, place in labels.moved.items() if keys and key not in keys}
    return changed(study, map_labels=labels.model_copy(update={"moved": FrozenDict(kept)}))


def path_for(study_file: Path, path: Path) -> str:
    """The path of a background as a study keeps it: relative if it lies in or below the folder of the study."""
    whole, folder = path.resolve(), study_file.resolve().parent
    return whole.relative_to(folder).as_posix() if whole.is_relative_to(folder) else str(whole)


def path_of_background(study_file: Path, background: Background) -> Path:
    """Where the file of a background is."""
    return study_file.resolve().parent / background.path
