"""Sections of reaches cut from the terrain of a study, as one act."""

import pytest

from tarnwater.errors import EditRefused
from tarnwater.routing.channels import SurveyedSection
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.document.conditions import resolve
from tarnwater.study.edits.conditioning import terrain_of
from tarnwater.study.edits.history import History
from tarnwater.study.edits.sections import cut_section, section_by_numbers


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
    with pytest.raises(EditRefused, match="no reach"):
        cut_section(study, blobs, drainage, "hask", 40.0)
    bare = next(k for k, e in study.elements.items() if e.tag() == "reach" and e.path is None)
    with pytest.raises(EditRefused, match="no course"):
        cut_section(study, blobs, drainage, bare, 40.0)
    for width, share in ((0.0, 0.5), (40.0, 1.2)):
        with pytest.raises(EditRefused, match="width above zero"):
            cut_section(study, blobs, drainage, key, width, share)
