"""Unit hydrographs from the travel times over the ground of a study, as one act."""

import numpy as np
import pytest

from tarnwater.errors import BadInput, EditRefused
from tarnwater.network.elements import Catchment
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.document import Study
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.edits.history import History
from tarnwater.study.edits.travel_times import measured_units, take_travel_times, travel_times_by_numbers
from tarnwater.study.pictures.travel import travel_picture


@pytest.fixture(scope="module")
def ground(demo):
    study, blobs = demo
    return study, blobs, terrain_of(study, blobs)


def test_one_act_measures_and_takes_them(ground):
    study, blobs, drainage = ground
    history = History(study)
    found = measured_units(study, blobs, drainage, [("", "hask"), ("", "wimmer")])
    after = history.do(take_travel_times, found)
    for key in ("hask", "wimmer"):
        element = after.elements[key]
        assert element.transform.tag() == "travel-time"
        # the reference velocity is fitted so that the mean travel time is the lag
        assert element.transform.delay == pytest.approx(element.lag.value, rel=2e-3)
        assert not element.missing()
        assert not [d for _, d in element.doubts([120.0]) if d.code == "travel-times-stale"]
    history.undo()
    assert history.study.as_text() == study.as_text()


def test_a_typed_velocity_holds_and_the_slower_the_later(ground):
    study, blobs, _ = ground
    slow = travel_times_by_numbers(study, blobs, ["Hask"], {"reference": "0.05 m/s"})
    fast = travel_times_by_numbers(study, blobs, ["Hask"], {"reference": "0.2 m/s", "storage": "10 min"})
    assert slow.elements["hask"].transform.reference.typed_value == 0.05
    assert fast.elements["hask"].transform.storage == 600.0
    assert slow.elements["hask"].transform.delay > fast.elements["hask"].transform.delay
    peaks = [
        compute_cases(s, points=["hask"], return_periods=[100.0], durations=[6 * 3600.0]).cases[0].peak("hask").ordinate
        for s in (slow, fast)
    ]
    assert peaks[0] < peaks[1]


def test_in_one_condition_the_others_stay(ground):
    study, blobs, _ = ground
    condition = list(study.conditions)[-1]
    after = travel_times_by_numbers(study, blobs, ["Hask"], {}, condition=study.conditions[condition].name)
    assert resolve(after, condition).elements["hask"].transform.tag() == "travel-time"
    assert after.elements["hask"].transform.tag() != "travel-time"


def test_the_zones_on_the_map_have_the_areas_of_the_histogram(ground):
    study, blobs, drainage = ground
    network = resolve(study, next(iter(study.conditions)))
    picture = travel_picture(study, network, blobs, drainage, "hask")
    inside = np.isfinite(picture.times)
    west, south, east, north = picture.box
    cell = (east - west) * (north - south) / picture.times.size
    assert inside.sum() * cell == pytest.approx(network.elements["hask"].area.value, rel=0.01)
    curve = picture.plot.curves[0]
    zone = int(np.argmax(curve.y))
    assert picture.zone_at(float(curve.x[zone])) == zone
    # cells of the map are in the bin of their centre, those of the histogram spread over all bins that they touch
    within = (picture.times[inside] // picture.width == zone).sum() * cell
    assert within == pytest.approx(float(curve.y[zone]) * 1e4, rel=0.15)


def test_limits_of_velocity_out_of_order_are_refused(ground):
    study, blobs, _ = ground
    with pytest.raises(EditRefused, match="not below the greatest"):
        travel_times_by_numbers(study, blobs, ["Hask"], {"slowest": "3 m/s"})


def test_a_catchment_without_ground_is_refused(ground):
    study, blobs, drainage = ground
    with_yard = edits.add_draining(study, Catchment(name="Elsewhere", area=1e4, lag=600.0).refreshed())
    with pytest.raises(EditRefused, match="no ground lies in it"):
        measured_units(with_yard, blobs, drainage, [("", "elsewhere")])


def test_a_study_without_outlines_is_refused():
    with pytest.raises(BadInput, match="no catchment has an outline"):
        travel_times_by_numbers(Study(title="Empty"), Blobs(), [], {})
