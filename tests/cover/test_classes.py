"""Classes of cover: the program's table, coefficients by return period, mixes, soil groups."""

import math

import pytest

from tarnwater.cover import (
    CoverClass,
    MixPart,
    composite,
    cover_classes,
    find_cover,
    group_of,
    shares_of,
    soil_group_in,
    soil_textures,
)
from tarnwater.cover.classes import unmixed
from tarnwater.errors import BadInput, EditRefused, UnknownName


def test_numbers_rise_from_soil_group_a_to_d():
    for cover in cover_classes().values():
        assert list(cover.numbers) == sorted(cover.numbers)
        assert all(30 <= n <= 100 for n in cover.numbers)
        assert 0 <= cover.impervious <= 1


@pytest.mark.parametrize(
    ("title", "group", "number"),
    [("Pasture or grassland, good", "C", 74), ("Woods, poor", "A", 45), ("Paved surfaces and roofs", "D", 98)],
)
def test_a_class_is_found_by_its_title_whatever_its_case(title, group, number):
    assert find_cover(title.upper()).number(group) == number


def test_an_unknown_class_brings_the_nearest():
    with pytest.raises(UnknownName, match="Did you mean “Woods, good”"):
        find_cover("Wods, good")


def test_urban_classes_say_how_much_impervious_land_they_hold():
    assert find_cover("Residential 1000 m2 lots (38 % impervious)").impervious == 0.38


def test_a_class_of_the_study_goes_before_that_of_the_program():
    own = {"Meadow": CoverClass(name="Meadow", group_a=33)}
    assert find_cover("Meadow", own).group_a == 33
    assert find_cover("Woods, good", own).group_a == 30


def test_no_area_has_no_composite():
    assert math.isnan(composite([], []))


def test_land_that_is_the_same_on_every_soil_needs_no_soil_group():
    assert find_cover("Paved surfaces and roofs").number(None) == 98
    assert find_cover("Meadow").number(None) is None


def test_a_single_coefficient_rises_for_rare_storms_and_stays_at_most_1():
    lawn = CoverClass(name="Lawn", coefficient=0.2)
    assert [lawn.coefficient_at(t) for t in (2, 10, 25, 50, 100)] == pytest.approx([0.2, 0.2, 0.22, 0.24, 0.25])
    assert CoverClass(name="Roof", coefficient=0.9).coefficient_at(100) == 1.0
    assert CoverClass(name="Bare").coefficient_at(10) is None


def test_typed_coefficients_go_by_return_period_without_a_factor():
    lawn = CoverClass(name="Lawn", coefficient=0.2, coefficients=((2, 0.1), (10, 0.3), (100, 0.5)))
    assert [lawn.coefficient_at(t) for t in (2, 5, 10, 11, 100, 500)] == [0.1, 0.3, 0.3, 0.5, 0.5, 0.5]


@pytest.mark.parametrize("pairs", [((10, 0.3), (2, 0.1)), ((2, 0.5), (10, 0.3)), ((1, 0.2),), ((2, 1.2),)])
def test_coefficients_that_fall_or_cannot_be_are_refused(pairs):
    with pytest.raises(ValueError, match="coefficients"):
        CoverClass(name="Lawn", coefficients=pairs)


def test_a_mix_hands_out_its_parts_and_one_takes_the_remainder():
    mixed = CoverClass(
        name="Estate", parts=(MixPart(cover="Paved surfaces and roofs", share=0.3), MixPart(cover="Meadow"))
    )
    outer = CoverClass(name="Town", parts=(MixPart(cover="Estate", share=0.5), MixPart(cover="Open water", share=0.5)))
    library = {"Estate": mixed, "Town": outer}
    found = {one.name: share for one, share in unmixed("Town", library)}
    assert found == pytest.approx({"Paved surfaces and roofs": 0.15, "Meadow": 0.35, "Open water": 0.5})


@pytest.mark.parametrize("shares", [(0.6, 0.6), (0.3, 0.3), (None, None), (1.2, None)])
def test_shares_of_a_mix_that_do_not_make_a_whole_are_refused(shares):
    with pytest.raises((BadInput, ValueError)):
        shares_of([MixPart(cover="Meadow", share=s) for s in shares])


def test_a_mix_that_holds_itself_is_refused():
    mixed = CoverClass(name="Estate", parts=(MixPart(cover="Estate", share=1),))
    with pytest.raises(EditRefused, match="holds itself"):
        list(unmixed("Estate", {"Estate": mixed}))


def test_a_mix_with_numbers_of_its_own_is_refused():
    with pytest.raises(EditRefused, match="numbers of its own"):
        CoverClass(name="Estate", group_a=50, parts=(MixPart(cover="Meadow", share=1),))


@pytest.mark.parametrize(
    ("text", "group"),
    [("B", "B"), (" c ", "C"), ("Group D", "D"), ("hydrologic soil group a", "A"), ("C/D", "C/D"), ("bd", "B/D"),
     ("D/B", ""), ("E", ""), ("", ""), ("Bog", "")],
)  # fmt: skip
def test_soil_groups_are_read_from_the_words_people_use(text, group):
    assert soil_group_in(text) == group


def test_a_dual_group_counts_by_its_drainage():
    assert group_of("B/D", drained=True) == "B"
    assert group_of("B/D", drained=False) == "D"


def test_textures_are_those_of_the_publication():
    loam = soil_textures()["Silt loam"]
    assert (loam.porosity, loam.effective_porosity, loam.suction_head, loam.conductivity) == (0.501, 0.486, 166.8, 6.5)
    assert len(soil_textures()) == 11
