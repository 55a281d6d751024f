"""The demo study, built by the same edits as a person makes."""

from __future__ import annotations

import csv
from importlib import resources
from pathlib import Path
from typing import Any

import shapely

from tarnwater.formats.drawing import LAYER
from tarnwater.formats.gridded_rain import read_netcdf_frames
from tarnwater.formats.raster import read_elevation
from tarnwater.formats.records import propose, read_records
from tarnwater.formats.shapes import read_shapes
from tarnwater.formats.tables import read_depth_table
from tarnwater.formats.vector import read_vector
from tarnwater.network.elements import Confluence, Link, Pond, Reach
from tarnwater.parameters import Setting, Typed
from tarnwater.progress import Progress
from tarnwater.rain.areal import ArealReduction
from tarnwater.rain.patterns import AlternatingBlock, Huff
from tarnwater.rain.records.mending import Neighbour
from tarnwater.rain.storms import StormFamily
from tarnwater.routing.channels import Trapezoid
from tarnwater.routing.ponds.forms import Frustum
from tarnwater.routing.reaches import Muskingum
from tarnwater.routing.works import BroadWeir, RectangularOrifice, RoundOrifice, RoundPipe, RoundRiser
from tarnwater.runoff.baseflow import ConstantBaseflow
from tarnwater.runoff.timing import NrcsLag
from tarnwater.study import edits
from tarnwater.study.document import DesignPoint, Limit, Study, changed
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.cover import LEFT_OPEN, Holds, LandLayer
from tarnwater.study.document.map import Background
from tarnwater.study.document.rain import CatchmentRain
from tarnwater.study.document.works import ChannelWorks, CulvertWorks
from tarnwater.study.edits.channels import add_works
from tarnwater.study.edits.conditioning import condition_terrain
from tarnwater.study.edits.cover import layer_of_offer, offer_of, proposed_meaning, use_land, with_layer
from tarnwater.study.edits.delineation import delineate_into, outlets_named
from tarnwater.study.edits.ground import drawn_feature
from tarnwater.study.edits.in_conditions import lead_through_in
from tarnwater.study.edits.land_survey import survey_land, take_land, with_maps
from tarnwater.study.edits.map import add_background
from tarnwater.study.edits.outlines import Redrawn, measured, outlines_of, take_outlines
from tarnwater.study.edits.records import add_gauges, add_grid, mend_fault, set_catchment_rain, set_neighbours
from tarnwater.study.rain.records import faults_in
from tarnwater.terrain.cutting import parts_of
from tarnwater.terrain.drainage import Drainage
from tarnwater.terrain.features import GroundFeature

BY, AT = "E. Marsh", "2026-03-02T09:00:00Z"

#: Catchments by the name of their outlet, with its place in ``places.csv``.
CATCHMENTS = {
    "Sallow Tarn": "tarn outlet", "Sallow Head": "head", "Hask": "hask", "Mill Fold": "mid", "Wimmer": "wimmer",
    "Pellowford": "bridge",
}  # fmt: skip

#: What the codes of the county's cover mean; X9, spoil of the quarry, is in no list.
COVERS = {
    "HEA": "Brush, fair", "RGR": "Pasture or grassland, fair", "PAS": "Pasture or grassland, good",
    "PLA": "Woods, good", "VIL": "Residential 2000 m2 lots (25 % impervious)", "WAT": "Open water",
}  # fmt: skip

#: What the layers of the yard's drawing mean: the plot as the field that it is, and what is built on it.
FIELD = "Pasture or grassland, good"
BUILT = {"PAVING": "Paved surfaces and roofs", "SHEDS": "Paved surfaces and roofs", "TANK": "Open water"}

#: Corners of the field above the yard, from the bridge, m.
HILL_FIELD = ((480.0, 130.0), (740.0, 130.0), (740.0, 330.0), (480.0, 330.0))

RETURN_PERIODS = (2.0, 10.0, 30.0, 100.0, 200.0)
HOURS = (0.25, 0.5, 1.0, 2.0, 3.0, 6.0, 12.0, 24.0, 48.0)


def data_path(name: str) -> Path:
    """Path of a file of the demo's data."""
    return Path(str(resources.files("tarnwater.demo").joinpath("data", name)))


def places() -> dict[str, tuple[float, float]]:
    """Named places of the valley."""
    with data_path("places.csv").open(encoding="utf-8") as file:
        return {row["place"]: (float(row["x"]), float(row["y"])) for row in csv.DictReader(file)}


def build_demo(progress: Progress | None = None) -> tuple[Study, Blobs]:
    """Build the study from its data: six catchments, the yard and its pond, three conditions, two design points."""
    blobs = Blobs()
    study = Study(title="Pellow Beck (demo)", number="PB-1", author=BY, note="Invented from end to end.")
    study, drainage = _valley(study, blobs, progress)
    study = _rain(study)
    study = _yard(study, blobs, drainage)
    study = edits.add_condition(study, "Yard surfaced", parent="existing", note="Paved; a cut-off ditch round it")
    study = _land(study, blobs)
    study = _conditions_and_points(study)
    study = _pond(study)
    study = _records(study, blobs)
    picture = Background(name="Picture from the air", path=str(data_path("air.tif")), kind="picture", shown=False)
    study = add_background(study, picture)
    study = edits.set_step(study, 120.0, by=BY, at=AT, note="the yard's quick response")
    # without the outline that the village's land had before the yard was cut out of it
    text = study.as_line()
    return study, Blobs({digest: blob for digest, blob in blobs.items() if digest in text})


def _typed(value: Any, note: str) -> Setting[Any]:
    return Setting[Any](typed=Typed[Any](value=value, by=BY, at=AT, note=note))


def _valley(study: Study, blobs: Blobs, progress: Progress | None) -> tuple[Study, Drainage]:
    terrain = read_elevation(data_path("terrain.tif"))
    spots = places()
    study = _shaped_ground(study, spots["quarry"], blobs)
    conditioned = condition_terrain(
        terrain.grid,
        blobs,
        source="terrain.tif",
        repairs=terrain.notes,
        features=study.ground_features,
        progress=progress,
        stream_threshold=400_000.0,
        breach_depth=3.0,
        breach_length=100.0,
    )
    outlets = outlets_named([(name, *spots[place]) for name, place in CATCHMENTS.items()])
    study = delineate_into(study, conditioned, outlets, blobs)
    for key in outlets:
        study = edits.choose(study, key, "timing", NrcsLag())
        area = study.catchments[key].area.known / 1e6
        study = edits.choose(study, key, "baseflow", ConstantBaseflow(flow=round(0.03 * area, 3)))
    for key, element in study.elements.items():
        if isinstance(element, Reach):
            study = edits.choose(study, key, "method", Muskingum(weight=0.3, parts_at_step=180.0))
            study = edits.type_values(
                study, [(key, "celerity", 2.0)], by=BY, at=AT, note="floats timed on the beck, 2024"
            )
    return edits.rename_element(study, "pellowford-outlet", "Pellowford bridge"), conditioned.drainage


def _shaped_ground(study: Study, quarry: tuple[float, float], blobs: Blobs) -> Study:
    """What the terrain does not show: a culvert, a flood bank, a beck in its bed, a quarry that keeps its water."""
    features: dict[str, GroundFeature] = {}
    for kind, layer, name, values in (
        ("culvert", "culverts", "Coldgarth Road culvert", {}),
        ("wall", "flood banks", "Pellowford flood bank", {"height": 1.2}),
        ("burned-stream", "becks", "Wimmer Beck", {"depth": 1.0}),
    ):
        lines = read_vector(data_path("lines.gpkg"), layer)
        line = shapely.get_coordinates(lines.shapes[lines.fields["name"].index(name)])
        key, feature = drawn_feature(study, kind, line, blobs, name=name, **values)
        features[key] = feature
    key, feature = drawn_feature(study, "kept-depression", [quarry], blobs, name="Gaunt Quarry")
    return changed(study, ground_features=features | {key: feature})


def _rain(study: Study) -> Study:
    study = edits.set_table(study, "valley", read_depth_table(data_path("depths.csv"), series="annual maxima"))
    family = StormFamily(
        name="Valley storms",
        table="valley",
        return_periods=RETURN_PERIODS,
        durations=tuple(3600 * h for h in HOURS),
        pattern=Huff(quartile="second"),
        areal=ArealReduction(method="leclerc-schaake"),
    )
    study = edits.set_family(study, "valley-storms", family)
    nested = family.model_copy(update={"name": "Nested storms", "pattern": AlternatingBlock(), "counted": False})
    return edits.set_family(study, "nested-storms", nested)


def gauge_places() -> dict[str, tuple[float, float]]:
    """Places of the gauges."""
    with data_path("gauges.csv").open(encoding="utf-8") as file:
        return {row["gauge"]: (float(row["x"]), float(row["y"])) for row in csv.DictReader(file)}


def _records(study: Study, blobs: Blobs) -> Study:
    """The gauges, tips and frames, read as a person would, and mended as far as is certain."""
    spots = gauge_places()
    for name, file, reading in (
        ("Gaunt Ridge", "gaunt-ridge.csv", "dates with the year first, times in UTC at the end of the interval"),
        ("Pellowford", "pellowford.csv", "dates with the day first, times in UTC at the end of the interval"),
        ("Sallow Tarn", "sallow-tips.csv", "tips of 0.2 mm, times in UTC"),
    ):
        path = data_path(file)
        (raw,) = read_records(path, propose(path).reading).series.values()
        study = add_gauges(study, blobs, {name: raw}, name, source=file, reading=reading, places={name: spots[name]})
    frames = read_netcdf_frames(data_path("radar-2019.nc")).frames
    study = add_grid(study, blobs, "Radar of November 2019", frames, source="radar-2019.nc")
    ridge = Neighbour(weight=1.0, factor=0.83)
    study = set_neighbours(study, blobs, "pellowford", {"gaunt-ridge": ridge})
    study = mend_fault(study, blobs, "pellowford", "gap", "missing", by=BY, at=AT, note="years below 90 % are left out")
    study = mend_fault(study, blobs, "gaunt-ridge", "gap", "missing", by=BY, at=AT, note="logger failed")
    spike = next(f for f in faults_in(study, blobs, "pellowford") if f.kind == "spike")
    study = mend_fault(study, blobs, "pellowford", spike, "missing", by=BY, at=AT, note="no rain at the ridge")
    gauges = CatchmentRain(way="Thiessen", gauges=("gaunt-ridge", "pellowford"))
    return set_catchment_rain(study, blobs, gauges, "use both gauges")


def _yard(study: Study, blobs: Blobs, drainage: Drainage) -> Study:
    """Coldgarth timber yard and the field above it, which drains through an old ditch to the yard's outlet.

    Their land is cut out of the village's catchment.
    """
    x, y = places()["bridge"]
    plot = read_shapes(data_path("yard.dxf"), "PLOT", into=study.map_crs).shapes[0]
    field = shapely.Polygon([(x + across, y + up) for across, up in HILL_FIELD])
    rest = outlines_of(study, blobs)["pellowford"].difference(shapely.union(plot, field))
    drawn = Redrawn(
        {"coldgarth-yard": parts_of(plot), "hill-field": parts_of(field), "pellowford": parts_of(rest)},
        {"coldgarth-yard": "Coldgarth yard", "hill-field": "Hill field"},
    )
    study = take_outlines(study, measured(study, blobs, drawn, drainage), blobs, "draw the yard and the field above it")
    lags = ("coldgarth-yard", 720.0, "walked with a level"), ("hill-field", 900.0, "by eye")
    for key, lag, note in lags:
        study = edits.type_values(study, [(key, "lag", lag)], by=BY, at=AT, note=note)
    ditch = Reach(
        name="Old ditch", length=_typed(260.0, "measured on the layout drawing"), celerity=_typed(1.0, "by eye"),
        method=Muskingum(weight=0.2, parts_at_step=180.0), place=(x + 420, y + 90),
    )  # fmt: skip
    for element in (ditch, Confluence(name="Yard outlet", place=(x + 200, y + 100))):
        study = edits.add_element(study, element)
    for up, down in (
        ("coldgarth-yard", "yard-outlet"),
        ("hill-field", "old-ditch"),
        ("old-ditch", "yard-outlet"),
        ("yard-outlet", "pellowford-outlet"),
    ):
        study = edits.connect(study, up, down)
    return study


def _land(study: Study, blobs: Blobs) -> Study:
    """Cover and soils of the county, the yard's plot as it is, and in its condition what is built there."""
    layers: dict[str, LandLayer] = {}
    maps: tuple[tuple[str, Holds, str, dict[str, str], str, str], ...] = (
        ("cover.gpkg", "cover", "landuse", COVERS, "County cover", ""),
        ("soils.shp", "soil group", "HSG", {}, "County soils", ""),
        ("yard.dxf", "cover", LAYER, {"PLOT": FIELD}, "Yard as it is", ""),
        ("yard.dxf", "cover", LAYER, BUILT, "Yard built", "yard-surfaced"),
    )
    for file, holds, field, meanings, name, condition in maps:
        found = read_shapes(data_path(file), into=study.map_crs)
        offer = offer_of(found, field)
        means = {value: meanings.get(value) or proposed_meaning(value, holds) for value in offer.shapes}
        if file == "yard.dxf":
            means = {value: meaning or LEFT_OPEN for value, meaning in means.items()}
        made = layer_of_offer(
            offer, blobs, name=name, holds=holds, meanings=means, condition=condition, source=file
        )  # fmt: skip
        _, layers = with_layer(changed(study, land_layers=layers), made)
    rules = {"default_cover": "Pasture or grassland, fair", "default_soil": "C"}
    trial = with_maps(study, layers, rules=rules)
    found_land = survey_land(trial, blobs, list(study.catchments))
    study = take_land(trial, found_land, "bring in cover and soils", layers=layers, rules=rules)
    # a composite for the fields and the wide land of the valley, surfaces where paving and grass lie side by side
    return use_land(study, [*study.outlets, "hill-field"], "composite")


def _conditions_and_points(study: Study) -> Study:
    study = edits.leave_out(study, "Yard surfaced", "old-ditch")
    study = edits.change_link(
        study, "Yard surfaced", "hill-field-to-old-ditch", Link(up="hill-field", down="pellowford-outlet")
    )
    study = edits.set_design_point(study, "pellowford-outlet", DesignPoint())
    limits = tuple(Limit(return_period=t, of_condition="existing") for t in (2.0, 10.0, 100.0))
    return edits.set_design_point(study, "yard-outlet", DesignPoint(limits=limits))


def _pond(study: Study) -> Study:
    """The pond below the surfaced yard, in a condition of its own: a riser with two openings, and a spillway.

    At 1 in 100 the water stays below crest and spillway; at 1 in 200 the freeboard is kept.
    """
    x, y = places()["bridge"]
    pipe = RoundPipe(name="outlet pipe", bottom=89.9, outlet=89.6, length=18.0, diameter=0.75)
    pond = Pond(
        name="Coldgarth pond",
        place=(x + 260, y + 140),
        storage=(Frustum(name="basin", bottom=90.0, depth=2.1, length=44.0, width=26.0, side_slope=3.0),),
        devices=(
            RoundRiser(name="riser", crest=91.7, diameter=1.5, outlet=pipe),
            RoundOrifice(name="low opening", inside="riser", bottom=90.0, diameter=0.175),
            RectangularOrifice(name="high opening", inside="riser", bottom=91.1, width=0.8, height=0.35),
            BroadWeir(name="spillway", crest=91.7, length=5.0),
        ),
        freeboard=0.2,
    )
    ditch = ChannelWorks(
        name="Cut-off ditch", element="hill-field", slope=0.009, ground="Stiff clay",
        section=Trapezoid(bottom_width=0.5, side_slope=2.0, bank_height=0.6, roughness=0.025),
        grown=_typed(0.05, "grass"),
    )  # fmt: skip
    track = CulvertWorks(
        name="Track culvert", element="coldgarth-pond", road_length=8.0,
        barrel=RoundPipe(bottom=89.5, outlet=89.42, length=8.0, diameter=0.75),
        headwater=_typed(90.5, "half a metre below the track"), road_level=_typed(91.0, "surveyed"),
    )  # fmt: skip
    study = add_works(add_works(study, "channels", ditch), "culverts", track)
    study = edits.add_condition(study, "Yard with pond", parent="yard-surfaced", note="The pond below the yard")
    return lead_through_in(study, "yard-with-pond", "coldgarth-yard", pond, "coldgarth-pond")
