"""The design rainfall service: the stand-in answers by the standard, and the client takes nothing that is wrong."""

import json
import socket
import time
from urllib.request import urlopen

import httpx
import numpy as np
import pytest
import shapely

from tarnwater.feeds.design_rain import averaged, collections_of, depths_at, depths_in_file
from tarnwater.feeds.design_rain import client as asking
from tarnwater.feeds.design_rain.client import ServiceError
from tarnwater.feeds.design_rain.server import CELL, DURATIONS, GROWTH, StandIn, depth_of
from tarnwater.progress import Progress

BOX = (-2.52, 54.03, -2.38, 54.14)


@pytest.fixture(scope="module")
def service():
    with StandIn() as running:
        yield running.url


def get(url):
    with urlopen(url) as answer:
        return json.load(answer), answer.headers["Content-Type"]


def test_the_stand_in_answers_by_the_standard(service):
    landing, _ = get(service)
    assert {link["rel"] for link in landing["links"]} >= {"self", "conformance", "data"}
    assert any("core" in one for one in get(f"{service}/conformance")[0]["conformsTo"])
    assert collections_of(service) == {"depths": "Depths by duration and return period (invented)"}
    items, kind = get(f"{service}/collections/depths/items?bbox=0,0,0.01,0.01&limit=10")
    assert kind == "application/geo+json"
    assert items["numberReturned"] == 10
    assert items["numberMatched"] == len(DURATIONS) * len(GROWTH)
    assert items["features"][0]["geometry"]["type"] == "Polygon"


@pytest.mark.parametrize(
    "query", ["bbox=1,2", "bbox=a,b,c,d", "bbox=5,0,1,1", "bbox=0,0,90,80", "bbox=0,0,1,1&limit=x"]
)
def test_the_stand_in_refuses_what_cannot_be_used(service, query):
    answer = httpx.get(f"{service}/collections/depths/items?{query}")
    assert answer.status_code == 400
    assert httpx.get(f"{service}/nothing").status_code == 404


def test_all_pages_are_read_and_a_cell_has_its_depths(service):
    answer = depths_at(service, "depths", BOX)
    # cells from -2.55 to -2.35 and from 54.00 to 54.15
    assert len(answer.cells) == 4 * 3
    cell = next(c for c in answer.cells if c.name == "-50.1081")
    assert cell.table.durations[0] == 900
    assert cell.table.depths[2][5] == depth_of(-50, 1081, 60, 100)
    assert cell.table.series == "annual maxima"


def test_a_polygon_has_the_mean_of_its_cells_by_area(service):
    answer = depths_at(service, "depths", BOX)
    west, south = -50 * CELL, 1081 * CELL
    place = shapely.box(west + 0.5 * CELL, south, west + 1.25 * CELL, south + CELL)
    found = averaged(answer, place)
    assert dict(zip(found.cells, found.shares, strict=True)) == pytest.approx({"-50.1081": 2 / 3, "-49.1081": 1 / 3})
    expected = (2 * depth_of(-50, 1081, 60, 100) + depth_of(-49, 1081, 60, 100)) / 3
    assert found.table.depths[2][5] == pytest.approx(expected)
    assert "mean of 2 cells by area" in found.table.source


def test_a_point_has_its_cell_and_one_on_an_edge_has_one(service):
    answer = depths_at(service, "depths", BOX)
    for place in (shapely.Point(-2.49, 54.06), shapely.Point(-50 * CELL, 1081 * CELL)):
        found = averaged(answer, place)
        assert found.shares.tolist() == [1]


def test_a_file_of_cells_gives_what_the_service_gives(service, tmp_path):
    items, _ = get(f"{service}/collections/depths/items?bbox={','.join(map(str, BOX))}&limit=100000")
    path = tmp_path / "cells.geojson"
    path.write_text(json.dumps(items))
    place = shapely.box(-2.49, 54.04, -2.42, 54.12)
    asked, read = averaged(depths_at(service, "depths", BOX), place), averaged(depths_in_file(path), place)
    assert read.table.depths == asked.table.depths
    assert (read.cells, read.shares.tolist()) == (asked.cells, asked.shares.tolist())
    assert read.table.source.startswith("cells.geojson, mean of")


@pytest.mark.parametrize(
    ("text", "words"),
    [(None, "cannot be read"), ("{", "no JSON"), ("[]", "no features"), ('{"features": []}', "no features"),
     ('{"features": [{"properties": {"duration_h": 1}}]}', "no return period")],
)  # fmt: skip
def test_a_file_that_holds_no_cells_is_refused(tmp_path, text, words):
    path = tmp_path / "cells.geojson"
    if text is not None:
        path.write_text(text)
    with pytest.raises(ServiceError, match=words):
        depths_in_file(path)


def test_a_place_beside_the_cells_is_refused(service):
    answer = depths_at(service, "depths", BOX)
    with pytest.raises(ServiceError, match="cover 0 % of the place"):
        averaged(answer, shapely.box(5, 5, 6, 6))


# a server that is not as it should be


def served(*pages, status=200, slow=0.0):
    """A transport that answers with pages of features, one after the other."""
    left = list(pages)

    def answer(request):
        if slow:
            raise httpx.ReadTimeout("slow", request=request)
        content = left.pop(0) if len(left) > 1 else left[0]
        return httpx.Response(status, content=content if isinstance(content, bytes) else json.dumps(content).encode())

    return httpx.MockTransport(answer)


def features(properties, count=1):
    ring = [[0, 0], [1, 0], [1, 1], [0, 1], [0, 0]]
    geometry = {"type": "Polygon", "coordinates": [ring]}
    return {"features": [{"type": "Feature", "geometry": geometry, "properties": properties}] * count}


GOOD = {"duration_min": 60, "return_period": 10, "depth_mm": 20.0}


def test_a_service_that_is_unreachable():
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    with pytest.raises(ServiceError, match="cannot be reached"):
        depths_at(f"http://127.0.0.1:{port}", "depths", BOX)


def test_a_service_that_is_slow(monkeypatch):
    with pytest.raises(ServiceError, match="did not answer within"):
        depths_at("http://slow.invalid", "depths", BOX, transport=served(b"", slow=1))
    # one that sends a drop now and then keeps no one waiting either
    monkeypatch.setattr(asking, "PATIENCE", 0.2)

    class Dripping(httpx.SyncByteStream):
        def __iter__(self):
            for _ in range(50):
                time.sleep(0.02)
                yield b" "

    dripping = httpx.MockTransport(lambda request: httpx.Response(200, stream=Dripping()))
    with pytest.raises(ServiceError, match="did not answer within"):
        depths_at("http://slow.invalid", "depths", BOX, transport=dripping)


@pytest.mark.parametrize(
    ("properties", "what"),
    [
        (
            {"duration_min": 60, "return_period": 10, "depth": 20.0, "depth_unit": "furlong"},
            "in furlong, which is none",
        ),
        ({"duration_min": 60, "return_period": 10, "depth": 20.0}, "in no unit"),
        ({"duration": 60, "return_period": 10, "depth_mm": 20.0, "duration_unit": "mm"}, "in mm, which is none"),
    ],
)
def test_a_service_that_is_wrong_in_its_units(properties, what):
    with pytest.raises(ServiceError, match=what):
        depths_at("http://odd.invalid", "depths", BOX, transport=served(features(properties)))


def test_units_beside_a_property_are_converted():
    given = {"duration_unit": "h", "return_period": 10, "unit": "in"}
    two = [{**given, "duration": d, "depth": v} for d, v in ((1, 1), (6, 2))]
    content = {"features": [one for p in two for one in features(p)["features"]]}
    with pytest.raises(ServiceError, match="none of time"):
        # one unit for all of them cannot be that of the duration
        depths_at("http://odd.invalid", "d", BOX, transport=served(features({**two[0], "duration_unit": ""})))
    (cell,) = depths_at("http://odd.invalid", "d", BOX, transport=served(content)).cells
    assert cell.table.durations == (3600, 21600)
    assert cell.table.depths == ((25.4,), (50.8,))


def test_a_service_that_is_empty():
    with pytest.raises(ServiceError, match="no depths there"):
        depths_at("http://empty.invalid", "depths", BOX, transport=served({"features": []}))
    with pytest.raises(ServiceError, match="no collections"):
        collections_of("http://empty.invalid", transport=served({"collections": []}))


@pytest.mark.parametrize(
    ("transport", "what"),
    [
        (served(b"<html>"), "no JSON"),
        (served(b"[1, 2]"), "no JSON object"),
        (served({"features": 3}), "no features"),
        (served({}, status=503), "answered 503"),
        (served({}, status=302), "answered 302"),
        (served(features({"depth_mm": 20.0})), "no duration"),
        (served(features({**GOOD, "depth_mm": -5})), "no depth"),
        (served(features({**GOOD, "depth_mm": float("nan")})), "no depth"),
        (served({"features": [{"properties": GOOD, "geometry": {"type": "Polygon"}}]}), "no polygon"),
        (served({"features": [{"geometry": None}]}), "no properties"),
        (served(features(GOOD)), "one duration"),
        (served({**features(GOOD), "links": [{"rel": "next", "href": "http://other.invalid/x"}]}), "another server"),
    ],
)
def test_answers_that_are_none(transport, what):
    with pytest.raises(ServiceError, match=what):
        depths_at("http://odd.invalid", "depths", BOX, transport=transport)


def test_an_answer_without_end_is_left(monkeypatch):
    monkeypatch.setattr(asking, "MOST_FEATURES", 50)
    again = {**features(GOOD, 20), "links": [{"rel": "next", "href": "/collections/depths/items?page=2"}]}
    with pytest.raises(ServiceError, match="more than 50 features"):
        depths_at("http://odd.invalid", "depths", BOX, transport=served(again))
    monkeypatch.setattr(asking, "MOST_BYTES", 100)
    with pytest.raises(ServiceError, match="too large"):
        depths_at("http://odd.invalid", "depths", BOX, transport=served(features(GOOD, 20)))


@pytest.mark.parametrize("url", ["", "depths", "ftp://host/x", "file:///etc/passwd", "http://"])
def test_addresses_that_are_none(url):
    with pytest.raises(ServiceError, match="no address"):
        depths_at(url, "depths", BOX)


def test_asking_can_be_cancelled(service):
    progress = Progress()
    progress.cancel()
    with pytest.raises(Exception, match="cancelled"):
        depths_at(service, "depths", BOX, progress=progress)


def test_the_invented_depths_rise_with_duration_and_period(service):
    (cell, *_) = depths_at(service, "depths", BOX).cells
    depths = np.array(cell.table.depths)
    assert (np.diff(depths, axis=0) > 0).all()
    assert (np.diff(depths, axis=1) > 0).all()
