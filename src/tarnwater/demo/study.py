"""The demo study, built by the same edits as a person makes."""

from __future__ import annotations

import csv
from importlib import resources
from pathlib import Path
from typing import Any

import shapely

from tarnwater.formats.raster import read_elevation
from tarnwater.formats.tables import read_depth_table
from tarnwater.formats.vector import read_vector
from tarnwater.network.elements import Catchment, Confluence, CoverReference, Link, Reach, Surface
from tarnwater.parameters import Setting, Typed
from tarnwater.progress import Progress
from tarnwater.rain.areal import ArealReduction
from tarnwater.rain.patterns import AlternatingBlock, Huff
from tarnwater.rain.storms import StormFamily
from tarnwater.routing.reaches import Muskingum
from tarnwater.runoff.baseflow import ConstantBaseflow
from tarnwater.runoff.losses import CurveNumber
from tarnwater.runoff.timing import NrcsLag
from tarnwater.study import edits
from tarnwater.study.document import DesignPoint, Limit, Study, changed
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.conditioning import condition_terrain
from tarnwater.study.edits.delineation import delineate_into, outlets_named
from tarnwater.study.edits.ground import drawn_feature
from tarnwater.terrain.features import GroundFeature

BY, AT = "E. Marsh", "2026-03-02T09:00:00Z"

#: Catchments by outlet: their name, the place in ``places.csv``, and covers on soil groups with shares.
CATCHMENTS: dict[str, tuple[str, list[tuple[str, str, float]]]] = {
    "Sallow Tarn": ("tarn outlet", [("Brush, fair", "C", 0.70), ("Pasture or grassland, fair", "C", 0.27),
                                    ("Open water", "D", 0.03)]),
    "Sallow Head": ("head", [("Brush, fair", "C", 0.62), ("Pasture or grassland, fair", "C", 0.30),
                             ("Woods, good", "B", 0.08)]),
    "Hask": ("hask", [("Brush, fair", "B", 0.35), ("Pasture or grassland, fair", "C", 0.45),
                      ("Woods, good", "B", 0.20)]),
    "Mill Fold": ("mid", [("Pasture or grassland, fair", "C", 0.55), ("Woods, good", "B", 0.30),
                          ("Brush, fair", "C", 0.15)]),
    "Wimmer": ("wimmer", [("Pasture or grassland, good", "C", 0.50), ("Woods, good", "B", 0.35),
                          ("Meadow", "B", 0.15)]),
    "Pellowford": ("bridge", [("Pasture or grassland, good", "C", 0.70), ("Woods, good", "B", 0.20),
                              ("Residential 1000 m2 lots (38 % impervious)", "C", 0.10)]),
}  # fmt: skip

RETURN_PERIODS = (2.0, 10.0, 30.0, 100.0, 200.0)
HOURS = (0.25, 0.5, 1.0, 2.0, 3.0, 6.0, 12.0, 24.0, 48.0)
FIELD = [("Pasture or grassland, good", "C", 1.0)]


def data_path(name: str) -> Path:
    """Path of a file of the demo's data."""
    return Path(str(resources.files("tarnwater.demo").joinpath("data", name)))


def places() -> dict[str, tuple[float, float]]:
    """Named places of the valley."""
    with data_path("places.csv").open(encoding="utf-8") as file:
        return {row["place"]: (float(row["x"]), float(row["y"])) for row in csv.DictReader(file)}


def build_demo(progress: Progress | None = None) -> tuple[Study, Blobs]:
    """Build the study from its data: six catchments, the yard, two conditions, two design points."""
    blobs = Blobs()
    study = Study(title="Pellow Beck (demo)", number="PB-1", author=BY, note="Invented from end to end.")
    study = _valley(study, blobs, progress)
    study = _rain(study)
    study = _yard(study)
    study = _conditions_and_points(study)
    return edits.set_step(study, 120.0, by=BY, at=AT, note="the yard's quick response"), blobs


def _typed(value: Any, note: str) -> Setting[Any]:
    return Setting[Any](typed=Typed[Any](value=value, by=BY, at=AT, note=note))


def _surfaces(covers: list[tuple[str, str, float]]) -> tuple[Surface, ...]:
    return tuple(
        Surface(name=title, share=share, cover=CoverReference(title=title, group=group), loss=CurveNumber())
        for title, group, share in covers
    )


def _valley(study: Study, blobs: Blobs, progress: Progress | None) -> Study:
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
    outlets = outlets_named([(name, *spots[place]) for name, (place, _) in CATCHMENTS.items()])
    study = delineate_into(study, conditioned, outlets, blobs)
    for key, (_, covers) in zip(outlets, CATCHMENTS.values(), strict=True):
        study = edits.choose(study, key, "surfaces", _surfaces(covers))
        study = edits.choose(study, key, "timing", NrcsLag())
        area = study.catchments[key].area.known / 1e6
        study = edits.choose(study, key, "baseflow", ConstantBaseflow(flow=round(0.03 * area, 3)))
    for key, element in study.elements.items():
        if isinstance(element, Reach):
            study = edits.choose(study, key, "method", Muskingum(weight=0.3, parts_at_step=180.0))
            study = edits.type_values(
                study, [(key, "celerity", 2.0)], by=BY, at=AT, note="floats timed on the beck, 2024"
            )
    return edits.rename_element(study, "pellowford-outlet", "Pellowford bridge")


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


def _yard(study: Study) -> Study:
    """Coldgarth timber yard and the field above it, which drains through an old ditch to the yard's outlet."""
    x, y = places()["bridge"]
    note = "measured on the layout drawing"
    yard = Catchment(
        name="Coldgarth yard", area=_typed(84_000.0, note), surfaces=_surfaces(FIELD),
        lag=_typed(720.0, "walked with a level"), place=(x + 320, y + 260),
    )  # fmt: skip
    field = Catchment(
        name="Hill field", area=_typed(52_000.0, note), surfaces=_surfaces(FIELD), lag=_typed(900.0, "by eye"),
        place=(x + 520, y + 420),
    )  # fmt: skip
    ditch = Reach(
        name="Old ditch", length=_typed(260.0, note), celerity=_typed(1.0, "by eye"),
        method=Muskingum(weight=0.2, parts_at_step=180.0), place=(x + 420, y + 330),
    )  # fmt: skip
    for element in (yard, field, ditch, Confluence(name="Yard outlet", place=(x + 200, y + 180))):
        study = edits.add_element(study, element)
    for up, down in (
        ("coldgarth-yard", "yard-outlet"),
        ("hill-field", "old-ditch"),
        ("old-ditch", "yard-outlet"),
        ("yard-outlet", "pellowford-outlet"),
    ):
        study = edits.connect(study, up, down)
    rest = study.catchments["pellowford"].area.known - 84_000.0 - 52_000.0
    why = "measured area less the yard and the field above it"
    return edits.type_values(study, [("pellowford", "area", rest)], by=BY, at=AT, note=why)


def _conditions_and_points(study: Study) -> Study:
    study = edits.add_condition(study, "Yard surfaced", parent="existing", note="Paved; a cut-off ditch round it")
    paved = (
        Surface(name="Paving", share=0.85, connected_impervious=True, loss=CurveNumber(),
                cover=CoverReference(title="Paved surfaces and roofs", group="C")),
        Surface(name="Verges", share=0.15, loss=CurveNumber(),
                cover=CoverReference(title="Pasture or grassland, good", group="C")),
    )  # fmt: skip
    study = edits.choose(
        study, "coldgarth-yard", "surfaces", paved, condition="Yard surfaced", by=BY, at=AT, note="layout of 2026"
    )
    study = edits.leave_out(study, "Yard surfaced", "old-ditch")
    study = edits.change_link(
        study, "Yard surfaced", "hill-field-to-old-ditch", Link(up="hill-field", down="pellowford-outlet")
    )
    study = edits.set_design_point(study, "pellowford-outlet", DesignPoint())
    limits = tuple(Limit(return_period=t, of_condition="existing") for t in (2.0, 10.0, 100.0))
    return edits.set_design_point(study, "yard-outlet", DesignPoint(limits=limits))
