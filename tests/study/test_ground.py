"""What the map shows of a study, as data; surveys of outlets; places without a map."""

import numpy as np
import pytest

from tarnwater.errors import Cancelled, OutletError
from tarnwater.network.elements import Catchment, Confluence, Outfall
from tarnwater.network.graph import Network
from tarnwater.progress import Progress
from tarnwater.study import edits
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.edits.delineation import outlets_named, survey, take_survey
from tarnwater.study.pictures.layout import neighbour, places
from tarnwater.study.pictures.map import (
    GroundPicture,
    catchment_at,
    outlines,
    path_of,
    picture_of,
    profile_plot,
    stream_field,
    terrain_digest,
)


@pytest.fixture(scope="module")
def drainage(demo):
    return terrain_of(*demo)


@pytest.fixture(scope="module")
def network(demo):
    return Network(demo[0].elements, demo[0].links)


@pytest.fixture(scope="module")
def picture(demo, drainage):
    return picture_of(drainage, stream_field(drainage).lines(demo[0].terrain.stream_threshold))


def test_a_picture_comes_back_from_its_file(picture, tmp_path):
    path = tmp_path / "folder" / "picture.npz"
    picture.save(path)
    again = GroundPicture.load(path)
    assert vars(again.extent) == vars(picture.extent)
    assert np.array_equal(again.light.levels[0], picture.light.levels[0])
    assert np.array_equal(again.streams.points, picture.streams.points)
    assert [p.name for p in path.parent.iterdir()] == ["picture.npz"]


@pytest.mark.parametrize("damage", ["missing", "cut", "other"])
def test_a_damaged_picture_is_as_good_as_none(picture, tmp_path, damage):
    path = tmp_path / "picture.npz"
    if damage != "missing":
        picture.save(path)
    if damage == "cut":
        path.write_bytes(path.read_bytes()[:1000])
    if damage == "other":
        np.savez(path, something=np.zeros(3))
    assert GroundPicture.load(path) is None


def test_the_digest_of_a_terrain_follows_its_grid_voids_and_threshold(demo):
    terrain = demo[0].terrain
    higher = terrain.model_copy(update={"stream_threshold": terrain.stream_threshold * 2})
    assert terrain_digest(higher, {}) != terrain_digest(terrain, {})
    assert terrain_digest(higher, {}, with_threshold=False) == terrain_digest(terrain, {}, with_threshold=False)
    other = terrain.model_copy(update={"grid": "x"})
    assert terrain_digest(other, {}, with_threshold=False) != terrain_digest(terrain, {}, with_threshold=False)


def test_a_place_lies_in_the_catchment_whose_outline_holds_it(demo, network):
    for key in ("hask", "mill-fold", "sallow-head"):
        assert catchment_at(network, demo[1], *demo[0].elements[key].place) == key
    assert catchment_at(network, demo[1], 0.0, 0.0) is None
    assert set(outlines(network, demo[1])) == {k for k, c in demo[0].catchments.items() if c.outline}


def test_the_profile_falls_along_its_length_with_the_points_its_slope_comes_from(demo, network, drainage):
    study, blobs = demo
    plot = profile_plot(study, network, blobs, drainage, "hask")
    hask = study.elements["hask"]
    assert plot.curves[-1].x[-1] * 1000 == pytest.approx(hask.flow_length.value, rel=1e-9)
    upper, lower = plot.marks
    measured = (upper.y - lower.y) / ((lower.x - upper.x) * 1000)
    assert (lower.x - upper.x) * 1000 == pytest.approx(0.75 * hask.flow_length.value, rel=1e-12)
    assert measured == pytest.approx(hask.slope_10_85.value, rel=1e-9)
    assert [c.label for c in plot.curves] == ["raw terrain", "conditioned ground"]
    assert (np.diff(plot.curves[-1].y) <= 0).all()
    assert profile_plot(study, network, blobs, drainage, "old-ditch") is None
    assert "Reach" in profile_plot(study, network, blobs, drainage, "hask-reach").title
    assert path_of(network, blobs, "hask").shape[1] == 2


def test_a_survey_is_taken_in_as_one_edit_and_what_was_typed_stays(demo, drainage):
    study, blobs = demo[0], Blobs(demo[1])
    study = edits.type_values(study, [("hask", "area", 5.5e6)])
    moved = dict(study.outlets)
    moved["hask"] = moved["hask"].model_copy(update={"asked": study.elements["hask-reach"].place})
    new = take_survey(study, survey(study.terrain, drainage, moved), blobs)
    hask = new.elements["hask"]
    assert hask.area.value == 5.5e6
    assert hask.area.derived > study.elements["hask"].area.derived
    assert new.elements["mill-fold"].area.value < study.elements["mill-fold"].area.value
    whole = sum(c.area.derived for c in new.catchments.values() if c.outline)
    assert whole == pytest.approx(sum(c.area.derived for c in study.catchments.values() if c.outline), rel=1e-12)


def test_a_survey_tells_its_progress_and_stops(demo, drainage):
    study, heard = demo[0], []
    survey(study.terrain, drainage, study.outlets, Progress(lambda stage, share: heard.append((stage, share))))
    assert [share for _, share in heard] == sorted(share for _, share in heard)
    assert [stage for stage, _ in heard][-len(study.outlets) :] == [f"tracing {o.name}" for o in study.outlets.values()]
    stopped = Progress()
    stopped.cancel()
    with pytest.raises(Cancelled):
        survey(study.terrain, drainage, study.outlets, stopped)


def test_an_outlet_that_is_gone_takes_what_came_with_it(demo, drainage):
    study, blobs = demo[0], Blobs(demo[1])
    fewer = study.outlets.without("hask")
    new = take_survey(study, survey(study.terrain, drainage, fewer), blobs)
    assert {k for k in study.elements if k not in new.elements} == {"hask", "hask-outlet", "hask-reach"}
    assert study.outlet_of("hask-reach") == "hask"
    assert study.outlet_of("coldgarth-yard") is None
    grown = new.elements["mill-fold"].area.value - study.elements["mill-fold"].area.value
    assert grown == pytest.approx(study.elements["hask"].area.value, rel=1e-12)


def test_an_outlet_off_the_streams_stops_the_survey_with_its_name(demo, drainage):
    highest = np.unravel_index(np.nanargmax(drainage.grid.heights), drainage.grid.shape)
    head = drainage.grid.centre(*highest)
    with pytest.raises(OutletError, match="Ridge"):
        survey(demo[0].terrain, drainage, outlets_named([("Ridge", *head)]))


def test_neighbours_go_with_the_water_against_it_and_beside_it(network):
    assert neighbour(network, "hask", "down") == "hask-outlet"
    assert neighbour(network, "hask-outlet", "up") == "hask"
    beside = network.upstream["mill-fold-outlet"]
    assert neighbour(network, beside[0], "right") == beside[1]
    assert neighbour(network, beside[0], "left") is None
    assert neighbour(network, network.ends[0], "down") is None


def test_elements_without_a_place_stand_above_what_they_drain_to(demo, network):
    found = places(network)
    assert all(found[k] == e.place for k, e in demo[0].elements.items() if e.place is not None)
    study = Study(title="bare")
    for element in (Outfall(name="End"), Confluence(name="Join"), Catchment(name="A"), Catchment(name="B")):
        study = edits.add_element(study, element)
    for up, down in (("a", "join"), ("b", "join"), ("join", "end")):
        study = edits.connect(study, up, down)
    found = places(Network(study.elements, study.links))
    assert len(set(found.values())) == 4
    assert found["a"][1] > found["join"][1] > found["end"][1]
