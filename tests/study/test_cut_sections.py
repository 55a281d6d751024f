"""Sections of reaches cut from the terrain of a study, as one act."""

import json

import pytest

from tarnwater.errors import EditRefused
from tarnwater.routing.channels import SurveyedSection
from tarnwater.runoff.timing import Segmental
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.document import study_from
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.edits.flow_paths import divide_flow_path
from tarnwater.study.edits.history import History
from tarnwater.study.edits.parts_by_numbers import add_part_by_numbers, remove_part_by_numbers
from tarnwater.study.edits.sections import cut_section, middle_of_channel, section_by_numbers
from tarnwater.study.reckonings import explain_setting


@pytest.fixture(scope="module")
def ground(demo):
    study, blobs = demo
    return (
        study,
        blobs,
        terrain_of(study, blobs),
        next(k for k, e in study.elements.items() if getattr(e, "path", None)),
    )


def test_a_reach_gets_the_section_and_is_routed_through_it(ground):
    study, blobs, drainage, key = ground
    history = History(study)
    after = history.do(cut_section, blobs, drainage, key, 40.0)
    method = after.elements[key].method
    assert method.tag() == "muskingum-cunge"
    assert isinstance(method.section, SurveyedSection)
    assert len(method.section.stations) >= 3
    assert method.section.stations[-1] == pytest.approx(40.0, abs=1e-3)
    results = compute_cases(after, return_periods=[100.0], durations=[12 * 3600.0])
    assert results.cases[0].run.balance.error[0] == pytest.approx(0.0, abs=1e-9)
    history.undo()
    assert history.study.as_text() == study.as_text()


def test_the_method_and_the_roughness_that_it_has_stay(ground):
    from tarnwater.routing.channels import Trapezoid
    from tarnwater.routing.reaches import KinematicWave

    study, blobs, drainage, key = ground
    wave = edits.choose(study, key, "method", KinematicWave(section=Trapezoid(roughness=0.05)))
    after = cut_section(wave, blobs, drainage, key, 40.0)
    assert after.elements[key].method.tag() == "kinematic-wave"
    assert set(after.elements[key].method.section.roughness) == {0.05}


def test_in_one_condition_only(ground):
    study, blobs, _, key = ground
    condition = list(study.conditions)[-1]
    name = study.elements[key].name
    after = section_by_numbers(study, blobs, name, 40.0, 0.3, condition=study.conditions[condition].name)
    assert resolve(after, condition).elements[key].method.tag() == "muskingum-cunge"
    assert after.elements[key].method.tag() == study.elements[key].method.tag()


def test_what_has_no_course_is_refused(ground):
    study, blobs, drainage, key = ground
    with pytest.raises(EditRefused, match="no reach and no catchment"):
        cut_section(study, blobs, drainage, "pellowford-outlet", 40.0)
    bare = next(k for k, e in study.elements.items() if e.tag() == "reach" and e.path is None)
    with pytest.raises(EditRefused, match="no course"):
        cut_section(study, blobs, drainage, bare, 40.0)
    for width, share in ((0.0, 0.5), (40.0, 1.2)):
        with pytest.raises(EditRefused, match="width above zero"):
            cut_section(study, blobs, drainage, key, width, share)


def test_the_channel_of_a_flow_path_gets_its_section_and_the_time_follows(ground):
    study, blobs, drainage, _ = ground
    study = divide_flow_path(study, "hask", blobs, drainage)
    timing = Segmental(sheet_roughness=0.15, two_year_rain=45.0, shallow_speed=2.1)
    study = edits.choose(study, "hask", "timing", timing)
    assert "channel_radius" in study.elements["hask"].timing.lacking()
    after = cut_section(study, blobs, drainage, "hask", 30.0)
    hask = after.elements["hask"]
    (section,) = hask.channel
    channel = hask.path_parts[2].length.value
    assert middle_of_channel(hask) == pytest.approx(1 - channel / 2 / hask.flow_length.value, rel=1e-12)
    assert hask.timing.channel_radius.value == pytest.approx(section.full.area / section.full.wetted, rel=1e-14)
    assert hask.concentration.value is not None
    # the reckoning goes from the time down to area and perimeter of the section, and gives its figures
    node = explain_setting(after, "existing", "hask", "timing/channel_roughness")
    n = next(one for one in node.inputs)
    assert [one.symbol for one in n.inputs] == ["A", "R", "K"]
    for one in (node, n, n.inputs[1]):
        assert one.evaluate(*(part.value for part in one.inputs)) == pytest.approx(one.value, rel=1e-14)
    # cut again with the roughness that it has
    rough = edits.type_table(after, "hask", "channel/0", {
        "stations": list(section.stations), "heights": list(section.heights),
        "roughness": [0.06] * len(section.stations),
    })  # fmt: skip
    again = cut_section(rough, blobs, drainage, "hask", 20.0)
    assert set(again.elements["hask"].channel[0].roughness) == {0.06}


def test_a_section_of_the_channel_is_added_by_name_written_read_and_removed(ground, tmp_path):
    study = edits.choose(ground[0], "hask", "timing", Segmental(channel_length=900.0))
    study = add_part_by_numbers(study, "Hask", "channel", "trapezoid", {"bottom_width": "1.5"})
    assert study.elements["hask"].timing.channel_radius.value is not None
    assert study_from(json.loads(study.as_text())).elements["hask"].channel == study.elements["hask"].channel
    bare = remove_part_by_numbers(study, "Hask", "channel.0")
    assert bare.elements["hask"].timing.channel_radius.value is None
