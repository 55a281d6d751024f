"""Doubts that are accepted, and many of a kind told as one."""

import pytest

from tarnwater.errors import EditRefused
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.checks import check, check_results
from tarnwater.study.checks.acceptance import accept, doubt_again
from tarnwater.study.checks.findings import Finding, counted, grouped
from tarnwater.study.document import Study


def accepted(study, code):
    return [f for f in check(study) if f.code == code and f.severity == "accepted"]


@pytest.fixture(scope="module")
def doubted(demo_study):
    """The demo with a doubt about a typed area, whatever else it has."""
    study = edits.type_values(demo_study, [("hask", "area", "20 km2")])
    (finding,) = [f for f in check(study) if f.code == "area-typed-against-measured" and f.element == "hask"]
    return study, finding


def test_an_acceptance_keeps_code_place_figure_reason_who_and_when(doubted):
    study, finding = doubted
    study = accept(study, finding, "surveyed on foot", "accept it", by="E. M.", at="2026-11-26")
    (kept,) = study.accepted
    assert (kept.code, kept.element, kept.field) == ("area-typed-against-measured", "hask", "area")
    assert kept.figure == finding.text
    assert (kept.reason, kept.by, kept.at) == ("surveyed on foot", "E. M.", "2026-11-26")
    (told,) = accepted(study, "area-typed-against-measured")
    assert "Accepted (E. M., 2026-11-26): surveyed on foot" in told.told(study)


def test_it_lapses_when_its_element_changes_and_not_with_another_one(doubted):
    study, finding = doubted
    study = accept(study, finding, "surveyed", "accept it")
    other = edits.type_values(study, [("wimmer", "lag", "2 h")])
    assert accepted(other, "area-typed-against-measured")
    assert not accepted(edits.type_values(study, [("hask", "area", "21 km2")]), "area-typed-against-measured")


def test_a_doubt_of_the_rain_lapses_with_table_durations_and_pattern_not_with_a_figure(demo_study):
    short = demo_study.families["valley-storms"].model_copy(
        update={"durations": (900.0, 1800.0), "return_periods": (100.0,)}
    )
    study = edits.set_family(demo_study, "valley-storms", short)

    def ends(of):
        found = check_results(compute_cases(of, points=["pellowford-outlet"], conditions=["existing"]))
        return [f for f in found if f.code == "governing-at-end"]

    (finding,) = ends(study)
    study = accept(study, finding, "prescribed by the client", "accept it")
    assert [f.severity for f in ends(study)] == ["accepted"]
    figure = edits.type_values(study, [("hask", "surfaces/0/loss/curve_number", 85.0)])
    assert [f.severity for f in ends(figure)] == ["accepted"]
    for change in ({"durations": (900.0, 3600.0)}, {"name": "Other"}):
        changed = edits.set_family(study, "valley-storms", short.model_copy(update=change))
        assert [f.severity for f in ends(changed)] == ["doubt"]
    table = study.tables[short.table]
    more = table.model_copy(update={"depths": tuple(tuple(d * 1.1 for d in row) for row in table.depths)})
    assert [f.severity for f in ends(edits.set_table(study, short.table, more))] == ["doubt"]


def test_it_is_undoable_and_can_be_doubted_again(doubted):
    study, finding = doubted
    after = accept(study, finding, "surveyed", "accept it")
    (told,) = accepted(after, "area-typed-against-measured")
    assert doubt_again(after, told, "doubt it again") == study


@pytest.mark.parametrize(
    ("severity", "reason", "said"), [("stop", "x", "cannot be accepted"), ("doubt", " ", "reason")]
)
def test_only_doubts_are_accepted_and_only_for_a_reason(demo_study, severity, reason, said):
    with pytest.raises(EditRefused, match=said):
        accept(demo_study, Finding("any", severity, "told."), reason, "accept it")


def test_many_of_a_kind_are_one_and_limits_never():
    found = [Finding("lag-far", "doubt", f"{n}.", element=f"e{n}") for n in range(7)]
    over = [Finding("limit-exceeded", "doubt", f"{n}.", subject=str(n)) for n in range(7)]
    (one, *rest) = grouped([*found, *over])
    assert len(one.others) == 6
    assert len(rest) == 7
    assert "So 6 more: e1, e2, e3, e4, e5, e6." in one.told(Study())
    assert [one.walked(n).element for n in (0, 1, 7)] == ["e0", "e1", "e0"]
    assert counted([one, *rest]) == ["8 doubts"]


def test_depressions_are_told_inside_catchments_only_and_led_to(demo):
    study, _ = demo
    depression = study.terrain.depressions[0] if study.terrain.depressions else None
    assert depression is not None
    inside = [d for d in study.terrain.depressions if d.within]
    assert all(d.within in study.elements for d in inside)
    told = [f for f in check(study) if f.code == "depression-filled"]
    assert sum(1 + len(f.others) for f in told) == len(inside)
    assert all(f.at is not None and f.element for f in told)
    outside = depression.model_copy(update={"within": ""})
    terrain = study.terrain.model_copy(update={"depressions": (outside,)})
    bare = study.model_copy(update={"terrain": terrain})
    assert not [f for f in check(bare) if f.code == "depression-filled"]
