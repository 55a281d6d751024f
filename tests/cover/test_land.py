"""The table of cover and soil of a catchment, by hand."""

import pytest

from tarnwater.cover import CoverClass, MixPart
from tarnwater.cover.land import CatchmentLand, LandPatch, LandRules, land_table
from tarnwater.errors import EditRefused, UnknownName

MEADOW = CoverClass(name="Moor", group_a=30, group_b=58, group_c=71, group_d=78, coefficient=0.2)
YARD = CoverClass(name="Yard", group_a=60, group_b=70, group_c=80, group_d=85, connected=0.4, coefficient=0.8)
MIX = CoverClass(name="Edge", parts=(MixPart(cover="Moor", share=0.75), MixPart(cover="Yard")))
CLASSES = {"Moor": MEADOW, "Yard": YARD, "Edge": MIX}


def table(*patches, area=None, by_hand=False, **rules):
    return land_table(CatchmentLand(patches=patches, by_hand=by_hand), LandRules(**rules), CLASSES, area)


def rows_of(found):
    return {(row.title, row.soil): row.area for row in found.rows}


def test_each_cover_on_each_soil_is_a_row_and_the_composite_is_their_mean():
    found = table(LandPatch(cover="Moor", soil="B", area=600.0), LandPatch(cover="Moor", soil="D", area=400.0))
    assert rows_of(found) == {("Moor", "B"): 600.0, ("Moor", "D"): 400.0}
    assert found.curve_number == pytest.approx((600 * 58 + 400 * 78) / 1000, rel=1e-15)
    assert found.total == 1000.0


def test_connected_land_is_a_row_of_its_own_with_the_number_of_paving():
    found = table(LandPatch(cover="Yard", soil="C", area=1000.0))
    assert rows_of(found) == {("Yard", "C"): 600.0, ("Yard, connected impervious", "C"): 400.0}
    assert [row.number for row in found.rows] == [80.0, 98.0]
    assert found.impervious == pytest.approx(0.4)


def test_a_mix_hands_its_classes_to_the_table_and_like_rows_are_added():
    found = table(LandPatch(cover="Edge", soil="C", area=1000.0), LandPatch(cover="Moor", soil="C", area=250.0))
    assert rows_of(found) == pytest.approx(
        {("Moor", "C"): 1000.0, ("Yard", "C"): 150.0, ("Yard, connected impervious", "C"): 100.0}
    )


def test_land_that_no_map_tells_has_the_defaults_as_rows_of_its_own():
    found = table(
        LandPatch(cover="Moor", soil="B", area=900.0), LandPatch(soil="B", area=60.0), LandPatch(area=40.0),
        default_cover="Moor", default_soil="B",
    )  # fmt: skip
    assert [row.area for row in found.rows] == [900.0, 60.0, 40.0]
    assert [row.defaulted for row in found.rows] == [(), ("cover",), ("cover", "soil")]
    assert found.curve_number == pytest.approx(58)
    assert found.defaulted == 100.0


def test_without_defaults_the_open_land_leaves_no_composite():
    found = table(LandPatch(cover="Moor", soil="B", area=900.0), LandPatch(area=40.0))
    assert found.curve_number is None
    assert found.coefficient(10) is None


def test_wet_land_counts_as_group_d_unless_it_is_drained():
    patch = LandPatch(cover="Moor", soil="B/D", area=1.0)
    assert table(patch).curve_number == 78
    assert table(patch, drained=True).curve_number == 58


def test_the_coefficient_is_the_mean_for_its_return_period():
    found = table(LandPatch(cover="Moor", soil="B", area=750.0), LandPatch(cover="Yard", soil="B", area=250.0))
    assert found.coefficient(10) == pytest.approx(0.75 * 0.2 + 0.25 * 0.8)
    # 1 in 100: 0.2 x 1.25, and 0.8 x 1.25 = 1
    assert found.coefficient(100) == pytest.approx(0.75 * 0.25 + 0.25 * 1.0)


def test_rows_by_hand_in_areas_and_shares_and_the_remainder():
    found = table(
        LandPatch(cover="Moor", soil="B", area=200.0), LandPatch(cover="Yard", soil="B", share=0.25),
        LandPatch(number=65.0, label="gravel"), area=1000.0, by_hand=True,
    )  # fmt: skip
    assert [row.area for row in found.rows] == pytest.approx([200.0, 150.0, 100.0, 550.0])
    assert found.rows[-1].number == 65.0
    assert found.rows[-1].remainder
    assert found.remainder == 0.0


def test_too_little_and_too_much_by_hand_is_told():
    assert table(LandPatch(number=70, area=900.0), area=1000.0, by_hand=True).remainder == pytest.approx(100.0)
    over = table(LandPatch(number=70, area=900.0), LandPatch(number=80, share=0.2), area=1000.0, by_hand=True)
    assert over.remainder == pytest.approx(-100.0)


def test_two_remainders_and_a_row_with_two_extents_are_refused():
    with pytest.raises(EditRefused, match="two rows"):
        CatchmentLand(patches=(LandPatch(number=70), LandPatch(number=80)))
    with pytest.raises(EditRefused, match="not both"):
        LandPatch(number=70, area=1.0, share=0.1)


def test_an_unknown_class_or_texture_is_told():
    with pytest.raises(UnknownName, match="Mor"):
        table(LandPatch(cover="Mor", soil="B", area=1.0))
    with pytest.raises(UnknownName, match="texture"):
        table(LandPatch(cover="Moor", soil="B", texture="Mud", area=1.0))
