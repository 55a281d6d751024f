"""From a terrain and outlets to catchments, reaches and links in a study.

Delineating again keeps typed values: elements are found by the key of their outlet, and only their derived values are
replaced.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from tarnwater.network.elements import Catchment, Confluence, Link, Outfall, PathHeights, Reach
from tarnwater.progress import Progress
from tarnwater.study.document import FoundDepression, Outlet, Study, Terrain, changed
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.land_maps import following
from tarnwater.study.document.works import Laid
from tarnwater.study.edits import remove_element, slug
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.channels import channels_on, with_laid
from tarnwater.study.edits.conditioning import ConditionedTerrain
from tarnwater.study.edits.in_conditions import remove_many
from tarnwater.study.edits.land_survey import FoundLand, survey_land, with_found_land
from tarnwater.terrain.areas import AreaOnGround, areas_on_ground
from tarnwater.terrain.catchments import Catchments, delineate
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.features import GroundFeature
from tarnwater.terrain.measures import Measures, Profile, channel_length, measure, profile_along, thinned_profile
from tarnwater.terrain.outlets import Snapped, snap


@dataclass(frozen=True, eq=False)
class Land:
    """Survey of one outlet: its local catchment, if it has one, and its course down.

    ``local_area`` m2 is 0 if another outlet on the same cell has the catchment; then there is no ``centre`` and no
    ``outline`` (WKB). ``channel`` is the length of its longest path that is a stream, m. ``downstream`` is the index
    of the next outlet on the ``course`` down, -1 if there is none.
    """

    measures: Measures
    local_area: float
    centre: tuple[float, float] | None
    outline: bytes | None
    cut_off: bool
    course: Profile
    downstream: int
    channel: float | None = None

    @classmethod
    def of(cls, catchments: Catchments, index: int, measures: Measures, threshold: float | None = None) -> Land:
        """Trace the catchment of an outlet and its course down."""
        from shapely import to_wkb

        area = catchments.local_area(index)
        return cls(
            measures=measures,
            local_area=area,
            centre=catchments.centre(index) if area else None,
            outline=to_wkb(catchments.outline(index)) if area else None,
            cut_off=catchments.is_cut_off(index),
            course=profile_along(catchments.drainage, catchments.path_down(index)),
            downstream=catchments.downstream[index],
            channel=channel_length(catchments.drainage, measures.longest_path.line, threshold) if area else None,
        )


@dataclass(frozen=True, eq=False)
class Survey:
    """Survey of some outlets, each snapped to its stream; ``lands`` are in their order.

    ``cover`` is the cover and soil of the catchments, where these follow the maps; ``drawn`` has those with outlines of
    their own, measured again, ``laid`` the ground along the lines of channels.
    """

    record: Terrain
    outlets: Mapping[str, Outlet]
    lands: tuple[Land, ...]
    cover: FoundLand | None = None
    drawn: Mapping[str, AreaOnGround] = field(default_factory=dict)
    laid: Mapping[str, Laid] = field(default_factory=dict)


def survey(
    record: Terrain, drainage: Drainage, outlets: Mapping[str, Outlet], progress: Progress | None = None
) -> Survey:
    """Snap outlets to the streams, trace their catchments and measure them.

    It does all the work, so that entering the survey takes no time. `OutletError` if an outlet is not on a stream.
    """
    progress = progress or Progress()
    snapped = {
        key: snap(
            drainage,
            *outlet.asked,
            threshold=record.stream_threshold,
            radius=record.snap_radius,
            name=outlet.name,
            accept=outlet.accepted_as_is,
        )
        for key, outlet in outlets.items()
    }
    progress.tell("finding the catchments", 0.1)
    catchments = delineate(drainage, list(snapped.values()))
    progress.tell("measuring the catchments", 0.2)
    measured = measure(catchments, record.stream_threshold)
    lands = []
    for index, (key, measures) in enumerate(zip(outlets, measured, strict=True)):
        progress.tell(f"tracing {outlets[key].name}", 0.5 + 0.5 * index / len(outlets))
        lands.append(Land.of(catchments, index, measures, record.stream_threshold))
    record = record.model_copy(update={"depressions": _within(record, catchments, list(outlets))})
    placed = {key: _placed(outlet, snapped[key]) for key, outlet in outlets.items()}
    return Survey(record, placed, tuple(lands))


def _within(record: Terrain, catchments: Catchments, keys: list[str]) -> tuple[FoundDepression, ...]:
    """Depressions with the catchments in which they lie; these are unknown if there is no outlet."""
    if not keys:
        return tuple(d.model_copy(update={"within": None}) for d in record.depressions)
    grid = catchments.drainage.grid
    found = []
    for one in record.depressions:
        label = int(catchments.labels[grid.cell_at(*one.place)])
        found.append(one.model_copy(update={"within": keys[label - 1] if label else ""}))
    return tuple(found)


def on_its_cell(drainage: Drainage, outlet: Outlet) -> Snapped:
    """An outlet that has been surveyed, on its cell."""
    place = outlet.place or outlet.asked
    row, column = drainage.grid.cell_at(*place)
    return Snapped(outlet.asked, place, row, column, outlet.moved, outlet.area_before, outlet.area_after)


def catchments_of(study: Study, drainage: Drainage) -> Catchments | None:
    """The catchments of the study's outlets on its terrain; None without outlets."""
    return delineate(drainage, [on_its_cell(drainage, o) for o in study.outlets.values()]) if study.outlets else None


def delineate_into(study: Study, terrain: ConditionedTerrain, outlets: Mapping[str, Outlet], blobs: Blobs) -> Study:
    """Survey outlets on a terrain and enter the result into a study."""
    found = survey(terrain.record, terrain.drainage, outlets)
    found = completed(study, found, terrain.drainage, blobs, features=terrain.features)
    return take_survey(study, found, blobs, features=terrain.features)


def completed(
    study: Study,
    found: Survey,
    drainage: Drainage,
    blobs: Blobs,
    progress: Progress | None = None,
    features: Mapping[str, GroundFeature] | None = None,
) -> Survey:
    """A survey with the measures of drawn catchments, and with cover and soil, if the study follows its maps."""
    chosen = study.ground_features if features is None else features
    laid = channels_on(study, drainage.grid, blobs, chosen)
    found = replace(found, drawn=_measured_again(study, found, drainage, blobs), laid=laid)
    if not study.land_layers or not following(study):
        return found
    # the catchments as they will be; their shapes are stored once, whether the survey is entered or not
    trial = take_survey(changed(study, locked=False), found, blobs, features=features)
    return replace(found, cover=survey_land(trial, blobs, following(trial, study), progress))


@edit("{act}")
def take_survey(
    study: Study,
    found: Survey,
    blobs: Blobs,
    act: str = "delineate the catchments",
    also_remove: Sequence[tuple[str, str]] = (),
    features: Mapping[str, GroundFeature] | None = None,
) -> Study:
    """Enter a survey into a study: its catchments, connected.

    Each outlet gets a catchment, a node (a confluence, or an outfall if nothing is below), and a reach to the next
    outlet down, which the runoff of the catchment that it crosses joins at its foot. Elements of an outlet that no
    longer exists are removed, and so are those in ``also_remove`` (condition, empty for all of them, and key).
    ``features`` are those of the ground with which it was conditioned, if they are others.
    """
    for gone in study.outlets.keys() - found.outlets.keys():
        study = _without_outlet(study, gone)
    keys = list(found.outlets)
    elements: dict[str, Any] = dict(study.elements)
    links = dict(study.links)
    for (key, outlet), land in zip(found.outlets.items(), found.lands, strict=True):
        name, below = outlet.name, land.downstream
        if land.local_area > 0:
            elements[key] = _catchment(study, key, name, land, blobs)
            links[f"{key}-runoff"] = Link(up=key, down=f"{key}-outlet")
        elements[f"{key}-outlet"] = _node(study, key, outlet, end=below < 0)
        for stale in (f"{key}-reach-in", f"{key}-reach-out"):
            links.pop(stale, None)
        if below < 0:
            elements.pop(f"{key}-reach", None)
            continue
        between = f"{name} to {found.outlets[keys[below]].name}"
        elements[f"{key}-reach"] = _reach(study, f"{key}-reach", between, land.course, blobs)
        links[f"{key}-reach-in"] = Link(up=f"{key}-outlet", down=f"{key}-reach")
        links[f"{key}-reach-out"] = Link(up=f"{key}-reach", down=f"{keys[below]}-outlet")
    shaped = study.ground_features if features is None else features
    study = changed(
        study,
        terrain=found.record,
        outlets=found.outlets,
        elements=elements,
        links=links,
        ground_features=shaped,
        channels=with_laid(study, found.laid),
    )
    drawn = {
        key: one.model_copy(update=on_ground(one, on, blobs)).refreshed()
        for key, on in found.drawn.items()
        if isinstance(one := study.elements.get(key), Catchment)
    }
    study = changed(study, elements={**study.elements, **drawn}) if drawn else study
    if found.cover is not None:
        elements, conditions = with_found_land(study, found.cover)
        study = changed(study, elements=elements, conditions=conditions)
    return remove_many(study, also_remove)


def _measured_again(study: Study, found: Survey, drainage: Drainage, blobs: Blobs) -> dict[str, AreaOnGround]:
    """Measures of the catchments whose outlines were drawn or imported, on the terrain as it is now."""
    own = {key: one for key, one in study.catchments.items() if one.drawn or key not in study.outlets}
    shapes = {key: shape for key, one in own.items() if (shape := blobs.shape(one.outline)) is not None}
    if not shapes:
        return {}
    on = areas_on_ground(drainage, list(shapes.values()), threshold=found.record.stream_threshold)
    return dict(zip(shapes, on, strict=True))


def outlets_named(places: list[tuple[str, float, float]]) -> dict[str, Outlet]:
    """Outlets by key from names and asked places."""
    outlets: dict[str, Outlet] = {}
    for name, x, y in places:
        outlets[slug(name, outlets)] = Outlet(name=name, asked=(x, y))
    return outlets


def _without_outlet(study: Study, key: str) -> Study:
    for element in (key, f"{key}-outlet", f"{key}-reach"):
        if element in study.elements:
            study = remove_element(study, element)
    return changed(study, outlets=study.outlets.without(key))


def _placed(outlet: Outlet, snapped: Snapped) -> Outlet:
    return outlet.model_copy(
        update={
            "place": snapped.place,
            "moved": snapped.moved,
            "area_before": snapped.area_before,
            "area_after": snapped.area_after,
        }
    )


def _catchment(study: Study, key: str, name: str, land: Land, blobs: Blobs) -> Catchment:
    old = study.elements.get(key)
    kept = old if isinstance(old, Catchment) else Catchment(name=name)
    if kept.drawn:
        return kept.model_copy(update={"total_area": land.measures.total_area})
    assert land.outline is not None
    measures, path = land.measures, land.measures.longest_path
    derived = {
        "area": measures.area,
        "flow_length": path.length or None,
        "path_slope": max(path.slope, 0.0),
        "slope_10_85": path.slope_10_85,
        "mean_slope": measures.mean_slope,
        "perimeter": measures.counts.perimeter,
        "relief": measures.counts.relief,
        "centroid_length": measures.centroid_length,
        "drainage_density": measures.counts.drainage_density,
    }
    along = {
        "flow_path": line_blob(path.line, blobs),
        "path_heights": heights_of(path),
        "raw_slope": path.on_raw_ground.slope_10_85,
        **parts_along(kept, path, land.channel),
    }
    if kept.path_drawn:
        along = {}
        derived = {name: value for name, value in derived.items() if name not in OF_PATH}
    update: dict[str, Any] = {name: getattr(kept, name).with_derived(value) for name, value in derived.items()}
    update |= {
        "place": land.centre,
        "outline": blobs.add("geometry", land.outline),
        "total_area": measures.total_area,
        "cut_off": land.cut_off,
        "counts": measures.counts,
        **along,
    }
    return kept.model_copy(update=update).refreshed()


#: Measures of the flow path.
OF_PATH = frozenset({"flow_length", "path_slope", "slope_10_85"})


def on_ground(old: Catchment, on: AreaOnGround, blobs: Blobs) -> dict[str, Any]:
    """What a catchment with an outline of its own has from the terrain; its flow path too, unless that was drawn."""
    path = on.longest_path if on.longest_path is not None and on.longest_path.length > 0 else None
    lies = on.outlet is not None
    derived = {
        "mean_slope": on.mean_slope if lies else None,
        "relief": on.counts.relief if lies else None,
        "drainage_density": on.counts.drainage_density,
        "centroid_length": on.centroid_length if path is not None else None,
        "flow_length": None if path is None else path.length,
        "path_slope": None if path is None else max(path.slope, 0.0),
        "slope_10_85": None if path is None else path.slope_10_85,
    }
    kept = {name: value for name, value in derived.items() if not (old.path_drawn and name in OF_PATH)}
    update: dict[str, Any] = {name: getattr(old, name).with_derived(value) for name, value in kept.items()}
    update["counts"] = on.counts
    if not old.path_drawn:
        update |= {
            "flow_path": None if path is None else line_blob(path.line, blobs),
            "path_heights": None if path is None else heights_of(path),
            "raw_slope": None if path is None else path.on_raw_ground.slope_10_85,
            **({} if path is None else parts_along(old, path, on.channel)),
        }
    return update


def _node(study: Study, key: str, outlet: Outlet, *, end: bool) -> Confluence | Outfall:
    old = study.elements.get(f"{key}-outlet")
    kind: type[Confluence] | type[Outfall] = Outfall if end else Confluence
    if old is None:
        return kind(name=f"{outlet.name} outlet", place=outlet.place)
    return kind(name=old.name, note=old.note, observed=old.observed, place=outlet.place)


def _reach(study: Study, key: str, name: str, path: Profile, blobs: Blobs) -> Reach:
    old = study.elements.get(key)
    kept = old if isinstance(old, Reach) else Reach(name=name)
    update: dict[str, Any] = {
        "length": kept.length.with_derived(path.length),
        "slope": kept.slope.with_derived(path.slope if path.length else None),
        "raw_slope": path.on_raw_ground.slope if path.length else None,
        "path": line_blob(path.line, blobs),
        "place": tuple(float(v) for v in path.line[len(path.line) // 2]),
    }
    return kept.model_copy(update=update).refreshed()


def parts_along(old: Catchment, path: Profile, channel: float | None) -> dict[str, Any]:
    """The profile and the channel of a flow path that is divided into parts; nothing for one that is not."""
    if not old.path_parts:
        return {}
    parts = (
        part.model_copy(update={"length": part.length.with_derived(channel)}) if part.kind == "channel" else part
        for part in old.path_parts
    )
    return {"path_parts": tuple(parts), "path_profile": thinned_profile(path)}


def heights_of(path: Profile) -> PathHeights | None:
    """Heights along a flow path; None for a single cell."""
    if not path.length:
        return None
    return PathHeights(
        head=float(path.height[0]), foot=float(path.height[-1]), at_10=path.height_at(0.10), at_85=path.height_at(0.85)
    )


def line_blob(line: np.ndarray, blobs: Blobs) -> str | None:
    """Digest of a line (points, 2) that is kept among the blobs; None for a single point."""
    from shapely import LineString, to_wkb

    return blobs.add("geometry", to_wkb(LineString(line))) if len(line) > 1 else None
