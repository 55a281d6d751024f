"""Cover and soil in a study: maps, surfaces, composites, conditions, reckonings, and what is kept."""

import numpy as np
import pytest
import shapely
from shapely.geometry import LineString, Point, Polygon, box

from tarnwater.cover import CoverClass, MixPart
from tarnwater.cover.land import CatchmentLand, LandPatch
from tarnwater.errors import EditRefused, StudyFileError, UnknownName
from tarnwater.formats.joining import joined, key_in_both, read_keyed_table
from tarnwater.formats.vector import layer_of
from tarnwater.network.elements import Catchment
from tarnwater.parameters import Setting, typed
from tarnwater.runoff.losses import CurveNumber
from tarnwater.study import edits
from tarnwater.study.answers.land import runoff_of_rain
from tarnwater.study.checks import check
from tarnwater.study.document import Study, changed
from tarnwater.study.document.blobs import Blobs
from tarnwater.study.document.conditions import resolve
from tarnwater.study.document.land_maps import stale
from tarnwater.study.edits.cover import (
    layer_of_offer,
    moved_layer,
    offer_of,
    proposed_attribute,
    proposed_meaning,
    remove_class,
    set_class,
    set_land,
    set_land_rules,
    use_land,
    with_layer,
)
from tarnwater.study.edits.land_by_numbers import class_by_numbers
from tarnwater.study.edits.land_survey import survey_land, take_land
from tarnwater.study.pictures.land import land_picture
from tarnwater.study.reckonings import explain_setting

EXACT = 1e-12  # areas of rectangles, with rounding
CRS = "EPSG:32630"
PASTURE, WOODS, PAVED = "Pasture or grassland, good", "Woods, good", "Paved surfaces and roofs"


def shapes(*pairs, field="code", name="map"):
    return layer_of(
        name, CRS, [shape for shape, _ in pairs], list(range(1, len(pairs) + 1)), {field: tuple(v for _, v in pairs)}
    )


def layer(blobs, pairs, meanings, holds="cover", condition="", name="map", order=()):
    offer = offer_of(shapes(*pairs), "code")
    return layer_of_offer(
        offer, blobs, name=name, holds=holds, meanings=meanings, condition=condition, order=order
    )  # fmt: skip


@pytest.fixture
def blobs():
    return Blobs()


@pytest.fixture
def field(blobs):
    """One catchment, a square of 1 ha, with its outline, and a developed condition."""
    square = box(0, 0, 100, 100)
    outline = blobs.add("geometry", shapely.to_wkb(shapely.MultiPolygon([square])))
    one = Catchment(
        name="Field", area=Setting[float](derived=square.area), outline=outline, lag=Setting[float](derived=900.0)
    )
    study = edits.add_draining(changed(Study(), crs=CRS), one, "field")
    return edits.add_condition(study, "Developed", parent="existing")


def taken(study, blobs, *layers, **fields):
    made = dict(study.land_layers)
    for one in layers:
        _, made = with_layer(changed(study, land_layers=made), one)
    trial = changed(study, land_layers=made)
    return take_land(trial, survey_land(trial, blobs, ["field"]), **fields)


@pytest.fixture
def covered(field, blobs):
    """West half pasture, east half woods; the north on group B, the south on group D."""
    cover = layer(
        blobs, [(box(0, 0, 50, 100), "P"), (box(50, 0, 100, 100), "W")], {"P": PASTURE, "W": WOODS}, name="cover"
    )
    soil = layer(
        blobs, [(box(0, 40, 100, 100), "B"), (box(0, 0, 100, 40), "D")], {"B": "B", "D": "D"}, "soil group", name="soil"
    )
    return taken(field, blobs, cover, soil)


def surfaces(study, condition="existing"):
    found = resolve(study, condition).elements["field"].surfaces
    return {one.name: (one.share.value, one.loss.curve_number.value) for one in found}


def covers(study):
    return {name.partition(" · ")[0]: share for name, (share, _) in surfaces(study).items()}


def test_maps_become_surfaces_one_for_each_cover_on_each_soil(covered):
    assert surfaces(covered) == {
        f"{PASTURE} · soil B": (pytest.approx(0.3, rel=EXACT), 61),
        f"{WOODS} · soil B": (pytest.approx(0.3, rel=EXACT), 55),
        f"{PASTURE} · soil D": (pytest.approx(0.2, rel=EXACT), 80),
        f"{WOODS} · soil D": (pytest.approx(0.2, rel=EXACT), 77),
    }
    by_hand = 0.3 * 61 + 0.3 * 55 + 0.2 * 80 + 0.2 * 77
    assert covered.catchments["field"].curve_number == pytest.approx(by_hand, rel=EXACT)


def test_a_composite_is_one_surface_with_the_same_number(covered):
    composite = use_land(covered, ["field"], "composite")
    assert surfaces(composite) == {"composite": (pytest.approx(1.0), pytest.approx(66.2, rel=EXACT))}
    assert use_land(composite, ["field"], "surfaces").as_line() == covered.as_line()


def test_both_weightings_of_a_rain_as_published():
    # 30 % of 98 and 70 % of 61: 50 mm of rain give 7.2 mm by the composite and 14.5 mm by parts
    yard = Catchment(name="Yard", area=Setting[float](derived=1000.0))
    study = edits.add_draining(Study(), yard, "yard")
    patches = LandPatch(number=98.0, share=0.3, label="paved"), LandPatch(number=61.0, label="grass")
    study = set_land(study, "yard", CatchmentLand(patches=patches, by_hand=True))
    found = runoff_of_rain(study, resolve(study, "existing"), "yard", 50.0)
    assert (round(found.by_number, 1), round(found.by_parts, 1)) == (7.2, 14.5)
    assert found.volume(found.by_parts) == pytest.approx(found.by_parts)


def test_a_layer_of_a_condition_lies_over_the_others_there_only(covered, blobs):
    yard = layer(blobs, [(box(0, 0, 50, 50), "Y")], {"Y": PAVED}, condition="developed", name="yard")
    study = taken(covered, blobs, yard)
    assert surfaces(study) == surfaces(covered)
    developed = surfaces(study, "developed")
    assert developed[f"{PAVED} · soil D"] == (pytest.approx(0.2, rel=EXACT), 98)
    assert developed[f"{PAVED} · soil B"] == (pytest.approx(0.05, rel=EXACT), 98)
    assert sum(share for share, _ in developed.values()) == pytest.approx(1.0, rel=EXACT)


def test_a_condition_below_inherits_the_land_of_its_parent(covered, blobs):
    study = edits.add_condition(covered, "Later", parent="developed")
    yard = layer(blobs, [(box(0, 0, 50, 50), "Y")], {"Y": PAVED}, condition="developed", name="yard")
    study = taken(study, blobs, yard)
    assert surfaces(study, "later") == surfaces(study, "developed")


def test_where_values_overlap_the_earlier_one_counts(field, blobs):
    pairs = [(box(0, 0, 100, 100), "P"), (box(0, 0, 50, 100), "W")]
    below = taken(field, blobs, layer(blobs, pairs, {"P": PASTURE, "W": WOODS}, order=("P", "W")))
    assert covers(below) == {PASTURE: 1.0}
    # without an order the smaller outline lies over the larger one
    above = taken(field, blobs, layer(blobs, pairs, {"P": PASTURE, "W": WOODS}))
    assert covers(above) == pytest.approx({PASTURE: 0.5, WOODS: 0.5})


def test_the_order_of_layers_is_their_priority(field, blobs):
    whole = layer(blobs, [(box(0, 0, 100, 100), "P")], {"P": PASTURE}, name="low")
    part = layer(blobs, [(box(0, 0, 50, 100), "W")], {"W": WOODS}, name="high")
    study = taken(field, blobs, whole, part)
    assert covers(study) == pytest.approx({PASTURE: 0.5, WOODS: 0.5})
    turned = changed(study, land_layers=moved_layer(study, "high", 1))
    turned = take_land(turned, survey_land(turned, blobs, ["field"]))
    assert covers(turned) == {PASTURE: 1.0}


def test_a_value_that_means_nothing_leaves_its_land_open(field, blobs):
    cover = layer(blobs, [(box(0, 0, 50, 100), "P"), (box(50, 0, 100, 100), "X9")], {"P": PASTURE})
    study = taken(field, blobs, cover)
    assert [one.value for one in study.land_layers["map"].unknown] == ["X9"]
    assert study.land_layers["map"].unknown[0].area == pytest.approx(5000.0)
    study = set_land_rules(study, default_cover=WOODS, default_soil="C")
    assert surfaces(study)[f"{WOODS} · soil C · cover and soil by default"] == (pytest.approx(0.5), 70)
    codes = {one.code for one in check(study)}
    assert {"land-unknown", "land-defaulted"} <= codes


def test_groups_and_textures_are_laid_together(field, blobs):
    cover = layer(blobs, [(box(0, 0, 100, 100), "P")], {"P": PASTURE})
    soil = layer(blobs, [(box(0, 0, 100, 50), "B")], {"B": "B"}, "soil group", name="soil")
    texture = layer(blobs, [(box(0, 0, 50, 100), "L")], {"L": "Loam"}, "soil texture", name="texture")
    study = set_land_rules(taken(field, blobs, cover, soil, texture), default_soil="C")
    rows = study.library.table(study.catchments["field"].land, None).rows
    assert {(row.soil, row.texture): row.area for row in rows} == pytest.approx(
        {("B", "Loam"): 2500.0, ("B", ""): 2500.0, ("C", "Loam"): 2500.0, ("C", ""): 2500.0}
    )


def test_a_class_is_copied_into_the_study_and_its_catchments_follow_it(covered):
    assert set(covered.cover_classes) == {PASTURE, WOODS}
    edited = set_class(covered, covered.cover_classes[WOODS].model_copy(update={"group_d": 79.0}), WOODS)
    assert surfaces(edited)[f"{WOODS} · soil D"][1] == 79.0
    assert "edited class Woods, good" in explain_setting(edited, "existing", "field", number_path(edited, "D")).origin


def number_path(study, soil, cover=WOODS):
    names = [one.name for one in study.catchments["field"].surfaces]
    return f"surfaces/{names.index(f'{cover} · soil {soil}')}/loss/curve_number"


def test_a_renamed_class_is_renamed_wherever_it_is_named(covered):
    path = number_path(covered, "D")
    typed = edits.type_values(covered, [("field", path, 82.0)])
    renamed = set_class(typed, typed.cover_classes[WOODS].model_copy(update={"name": "Plantation"}), WOODS)
    assert surfaces(renamed)["Plantation · soil D"] == (pytest.approx(0.2), 82.0)
    assert [one.means for one in renamed.land_layers["cover"].values if one.value == "W"] == ["Plantation"]
    assert WOODS not in renamed.cover_classes


def test_a_class_in_use_is_not_removed(covered):
    with pytest.raises(EditRefused, match="uses the class"):
        remove_class(covered, WOODS)
    own = set_class(covered, CoverClass(name="Moss", group_a=40))
    assert remove_class(own, "Moss").as_line() == covered.as_line()


def test_a_mix_hands_its_surfaces_to_the_catchment(field, blobs):
    estate = CoverClass(name="Estate", parts=(MixPart(cover=PAVED, share=0.4), MixPart(cover=PASTURE)))
    study = set_class(field, estate)
    cover = layer(blobs, [(box(0, 0, 100, 100), "E")], {"E": "Estate"})
    soil = layer(blobs, [(box(0, 0, 100, 100), "B")], {"B": "B"}, "soil group", name="soil")
    study = taken(study, blobs, cover, soil)
    assert surfaces(study) == {f"{PASTURE} · soil B": (pytest.approx(0.6), 61), f"{PAVED} · soil B": (0.4, 98)}


def test_typed_values_stay_when_the_land_is_measured_again(covered, blobs):
    typed = edits.type_values(covered, [("field", number_path(covered, "D"), 83.0)], note="seen on site")
    again = take_land(typed, survey_land(typed, blobs, ["field"]))
    assert surfaces(again)[f"{WOODS} · soil D"][1] == 83.0
    # and stay without land when their cover is gone
    layers = {"soil": typed.land_layers["soil"]}
    bare = changed(typed, land_layers=layers)
    bare = take_land(bare, survey_land(bare, blobs, ["field"]))
    assert surfaces(bare)[f"{WOODS} · soil D"] == (0.0, 83.0)


def test_a_share_typed_by_hand_ends_the_tie_to_the_map(covered):
    by_hand = edits.type_values(covered, [("field", "surfaces/0/share", 0.35)])
    assert by_hand.catchments["field"].land is None
    assert surfaces(by_hand)[f"{PASTURE} · soil B"] == (0.35, 61)
    before, after = covered.catchments["field"].weights, by_hand.catchments["field"].weights
    largest = max(range(1, len(before)), key=before.__getitem__)
    kept = [row for row in range(1, len(before)) if row != largest]
    assert [after[row] for row in kept] == [before[row] for row in kept]
    # the largest of the others takes the remainder, in the figure that is shown too
    assert after[largest] == by_hand.catchments["field"].surfaces[largest].share.derived
    assert sum(after) == pytest.approx(1, abs=1e-15)


def test_a_composite_keeps_its_number_when_it_is_changed_by_hand(covered):
    composite = use_land(covered, ["field"], "composite")
    by_hand = edits.type_values(composite, [("field", "surfaces/0/share", 0.9)])
    assert surfaces(by_hand) == {"composite": (0.9, pytest.approx(66.2))}


def test_a_number_typed_in_a_condition_holds_there_only(covered):
    path = number_path(covered, "D")
    study = edits.type_values(covered, [("field", path, 90.0)], condition="developed")
    assert surfaces(study, "developed")[f"{WOODS} · soil D"][1] == 90.0
    assert surfaces(study)[f"{WOODS} · soil D"][1] == 77


def test_every_reckoning_of_the_table_gives_its_result(covered):
    for path in ("land/curve_number", "land/coefficient/100", "land/runoff_by_rows", "land/runoff_by_number"):
        node = explain_setting(covered, "existing", "field", path)
        for one in node.walk():
            if one.value is not None:
                assert one.recomputed() == pytest.approx(one.value, rel=1e-12), one.title
    composite = use_land(covered, ["field"], "composite")
    node = explain_setting(composite, "existing", "field", "surfaces/0/loss/curve_number")
    assert node.recomputed() == pytest.approx(66.2)
    assert len(node.inputs) == 8


def test_land_by_hand_has_the_same_table_and_reckonings(field):
    patches = (
        LandPatch(cover=PASTURE, soil="B", area=4000.0), LandPatch(cover=WOODS, soil="C", share=0.2),
        LandPatch(number=88.0, label="yard"),
    )  # fmt: skip
    study = set_land(field, "field", CatchmentLand(patches=patches, by_hand=True))
    assert surfaces(study) == {
        f"{PASTURE} · soil B": (pytest.approx(0.4), 61), f"{WOODS} · soil C": (pytest.approx(0.2), 70),
        "yard": (pytest.approx(0.4), 88),
    }  # fmt: skip
    assert explain_setting(study, "existing", "field", "land/curve_number").value == pytest.approx(73.6)


def test_rows_by_hand_that_leave_land_over_are_a_doubt(field):
    patches = (LandPatch(cover=PASTURE, soil="B", area=4000.0),)
    study = set_land(field, "field", CatchmentLand(patches=patches, by_hand=True))
    assert "composite-area" in {one.code for one in check(study)}


def test_land_of_a_condition_by_hand(covered):
    patches = (LandPatch(cover=PAVED, soil="C"),)
    study = set_land(covered, "field", CatchmentLand(patches=patches, by_hand=True), condition="developed")
    assert surfaces(study, "developed") == {f"{PAVED} · soil C": (1.0, 98)}
    assert surfaces(study) == surfaces(covered)
    back = set_land(study, "field", None, condition="developed")
    assert surfaces(back, "developed") == surfaces(covered)


def test_a_changed_map_makes_the_land_of_its_catchments_a_doubt(covered, blobs):
    assert not list(stale(covered))
    cover = covered.land_layers["cover"]
    values = tuple(one.model_copy(update={"means": WOODS}) for one in cover.values)
    study = changed(covered, land_layers={**covered.land_layers, "cover": cover.model_copy(update={"values": values})})
    assert list(stale(study)) == ["field"]
    assert "land-stale" in {one.code for one in check(study)}
    again = take_land(study, survey_land(study, blobs, ["field"]))
    assert not list(stale(again))


def test_a_typed_area_that_differs_from_the_rows_is_a_doubt(covered):
    study = edits.type_values(covered, [("field", "area", 9000.0)])
    found = {one.code: one for one in check(study)}
    assert "1.000 ha" in found["land-area"].text
    assert "0.9000 ha" in found["land-area"].text


def test_a_class_without_a_number_for_the_soil_is_a_stop(covered):
    bare = set_class(covered, covered.cover_classes[WOODS].model_copy(update={"group_d": None}), WOODS)
    found = [one for one in check(bare) if one.code == "land-open"]
    assert "no curve number of Woods, good on soil group D" in found[0].text


def test_a_town_class_with_connected_land_beside_is_counted_twice(field, blobs):
    town = CoverClass(
        name="Town", group_a=70, group_b=80, group_c=85, group_d=90, impervious=0.4, connected=0.2
    )  # fmt: skip
    study = set_class(field, town)
    soil = layer(blobs, [(box(0, 0, 100, 100), "B")], {"B": "B"}, "soil group", name="soil")
    study = taken(study, blobs, layer(blobs, [(box(0, 0, 100, 100), "T")], {"T": "Town"}), soil)
    assert "impervious-twice" in {one.code for one in check(study)}


def test_the_study_with_its_land_comes_back_from_its_file(covered, blobs, tmp_path):
    from tarnwater.study.file import StudyFile

    path = tmp_path / "field.tarn.gpkg"
    with StudyFile.create(path, covered, blobs) as file:
        assert file.study.as_line() == covered.as_line()
    with StudyFile.open(path) as file:
        assert file.study.as_line() == covered.as_line()
        again = take_land(file.study, survey_land(file.study, file.blobs, ["field"]))
        assert again.as_line() == covered.as_line()


# what a file offers


def test_polygons_are_sorted_by_value_and_the_rest_is_left_out_with_its_place():
    bow = Polygon([(0, 0), (10, 10), (10, 0), (0, 10)])
    found = offer_of(
        shapes((box(0, 0, 10, 10), "P"), (LineString([(3, 4), (9, 9)]), "P"), (Point(7, 8), "W"), (bow, "B"),
               (Polygon([(5, 5), (6, 6), (5, 5)]), "S"), (box(20, 0, 30, 10), None)),
        "code",
    )  # fmt: skip
    assert dict(found.areas) == pytest.approx({"P": 100.0, "(no value)": 100.0, "B": 50.0})
    assert [(one.number, one.place) for one in found.rejected] == [(2, (3, 4)), (3, (7, 8)), (5, (5, 5))]
    assert any("crossed themselves, repaired: 1" in note for note in found.notes)


def test_a_field_with_too_many_values_tells_no_classes():
    many = shapes(*((box(n, 0, n + 1, 1), f"v{n}") for n in range(2001)))
    with pytest.raises(EditRefused, match="2,001 values"):
        offer_of(many, "code")


def test_the_field_is_proposed_whose_values_are_known():
    layer = layer_of(
        "map", CRS, [box(0, 0, 1, 1)] * 3, [1, 2, 3], {"sheet": ("S1", "S2", "S3"), "hsg": ("B", "C/D", "D")}
    )
    assert proposed_attribute(layer, "soil group") == "hsg"


def test_meanings_are_those_kept_then_those_of_the_words():
    assert proposed_meaning("RGR", "cover", {"rgr": WOODS}) == WOODS
    assert proposed_meaning("woods, GOOD", "cover") == WOODS
    assert proposed_meaning("RGR", "cover", {"RGR": "a class that is gone"}) == ""
    assert proposed_meaning("Group B", "soil group") == "B"
    assert proposed_meaning("silt LOAM", "soil texture") == "Silt loam"


def test_a_table_is_joined_by_the_key_that_both_have(tmp_path):
    path = tmp_path / "soils.csv"
    path.write_text("unit;group;note\n12;B;a\n7;C;b\n7;D;c\n")
    table = read_keyed_table(path)
    layer = layer_of("soil", CRS, [box(n, 0, n + 1, 1) for n in range(3)], [1, 2, 3], {"mu": (12.0, 7.0, 9.0)})
    assert key_in_both(layer, table) == ("mu", "unit")
    found = joined(layer, table, "mu", "unit")
    assert found.fields["group"] == ("B", "C", None)
    assert any("does not have: 9" in note for note in found.notes)
    assert any("stand twice in soils.csv" in note and "7" in note for note in found.notes)


def test_a_class_in_words():
    study = class_by_numbers(Study(), "Estate", {"parts": "Meadow 60%; Paved surfaces and roofs"})
    assert [(p.cover, p.share) for p in study.cover_classes["Estate"].parts] == [("Meadow", 0.6), (PAVED, None)]
    study = class_by_numbers(study, "meadow", {"group_b": "60", "coefficients": "2 0.1, 100 0.4"})
    assert study.cover_classes["Meadow"].group_b == 60
    assert study.cover_classes["Meadow"].coefficients == ((2, 0.1), (100, 0.4))
    with pytest.raises(UnknownName, match="group_e"):
        class_by_numbers(study, "Meadow", {"group_e": "5"})


def test_rules_that_name_nothing_known_are_refused():
    for rule in ({"default_cover": "Mud"}, {"default_soil": "E"}, {"default_texture": "Mud"}):
        with pytest.raises(UnknownName):
            set_land_rules(Study(), **rule)


def test_a_catchment_in_feet_has_its_areas_in_square_metres(blobs):
    square = box(0, 0, 1000, 1000)
    outline = blobs.add("geometry", shapely.to_wkb(shapely.MultiPolygon([square])))
    study = edits.add_draining(changed(Study(), crs="EPSG:2229"), Catchment(name="Field", outline=outline), "field")
    study = changed(study, land_layers={"map": layer(blobs, [(square, "P")], {"P": PASTURE})})
    found = survey_land(study, blobs, ["field"])
    us_survey_foot = 1200 / 3937
    assert sum(patch.area for patch in found.lands["field"]) == pytest.approx((1000 * us_survey_foot) ** 2, rel=EXACT)


def test_random_maps_add_up_to_their_catchment(field, blobs):
    rng = np.random.default_rng(5)
    places, radii = rng.uniform(0, 100, (40, 2)), rng.uniform(3, 30, 40)
    spots = [
        (Point(*place).buffer(r), v) for place, r, v in zip(places, radii, rng.choice(list("PW"), 40), strict=True)
    ]
    study = taken(field, blobs, layer(blobs, spots, {"P": PASTURE, "W": WOODS}))
    total = sum(patch.area for patch in study.catchments["field"].land.patches)
    assert total == pytest.approx(10_000.0, rel=1e-9)


def test_wet_land_is_noted_with_a_remedy_that_drains_it(field, blobs):
    cover = layer(blobs, [(box(0, 0, 100, 100), "P")], {"P": PASTURE})
    soil = layer(blobs, [(box(0, 0, 100, 100), "C/D")], {"C/D": "C/D"}, "soil group", name="soil")
    study = taken(field, blobs, cover, soil)
    assert surfaces(study) == {f"{PASTURE} · soil C/D": (1.0, 80)}
    found = next(one for one in check(study) if one.code == "land-dual")
    drained = found.remedies[0].edit(study)
    assert surfaces(drained) == {f"{PASTURE} · soil C/D": (1.0, 74)}


def test_a_catchment_beside_those_that_follow_the_maps_is_noted(covered, blobs):
    outline = covered.catchments["field"].outline
    study = edits.add_draining(covered, Catchment(name="Other", outline=outline), "other")
    assert [one.element for one in check(study) if one.code == "land-untaken"] == ["other"]


def test_without_any_map_left_the_catchments_keep_their_land_by_hand(covered, blobs):
    bare = changed(covered, land_layers={})
    study = take_land(covered, survey_land(bare, blobs, ["field"]), layers={})
    assert surfaces(study) == surfaces(covered)
    assert study.catchments["field"].land.by_hand


def test_a_number_typed_on_a_surface_is_that_of_its_row(covered):
    study = edits.type_values(covered, [("field", number_path(covered, "D"), 83.0)], by="mh")
    assert explain_setting(study, "existing", "field", "land/curve_number").value == pytest.approx(
        study.catchments["field"].curve_number
    )
    node = explain_setting(study, "existing", "field", "land/curve_number")
    assert any(one.value == 83.0 and "typed by mh" in one.origin for one in node.walk())


def test_what_an_edit_leaves_alone_stays_the_same_object(demo_study):
    """Findings and tables of cover and soil are found again by identity."""
    after = edits.type_values(demo_study, [("hask", "lag", 3000.0)])
    for name in ("cover_classes", "land_layers", "conditions", "outlets", "tables"):
        assert getattr(after, name) is getattr(demo_study, name), name
    assert after.catchments["mill-fold"] is demo_study.catchments["mill-fold"]


@pytest.mark.parametrize("antecedent", ["dry", "average", "wet"])
@pytest.mark.parametrize("rain", [0.0, 5.0, 60.0, 400.0])
@pytest.mark.parametrize("number", [30.0, 77.0, 100.0])
def test_the_runoff_of_a_rain_is_that_of_its_steps(antecedent, rain, number):
    loss = CurveNumber(antecedent=antecedent).refreshed({"curve_number": number})
    steps = loss.respond(np.array([[rain * 0.3, rain * 0.7]]), 3600.0).excess.sum()
    # sums of two steps round in the last bits
    assert loss.runoff_of(rain) == pytest.approx(steps, rel=1e-12, abs=1e-12)
    by_hand = loss.model_copy(update={"abstraction": typed(10.0)})
    assert by_hand.runoff_of(rain) == pytest.approx(by_hand.respond(np.array([[rain]]), 3600.0).excess.sum(), abs=1e-12)


def test_polygons_that_the_file_lost_stop_the_measurement_and_the_print_by_name(demo):
    """Measured without them, their land would get the default cover, and a curve number that looks right."""
    study, blobs = demo[:2]
    layer = study.land_layers["county-cover"]
    gone = next(one for one in layer.values if one.value == "HEA")
    left = Blobs({digest: blobs[digest] for digest in blobs if digest != gone.shapes})
    for act in (
        lambda: survey_land(study, left, ["hask"]),
        lambda: land_picture(study, left, "existing", "cover"),
    ):
        with pytest.raises(StudyFileError, match="value HEA of the map County cover: missing"):
            act()
    assert len(land_picture(study, left, "existing", "cover", whole=False))
    outline = study.catchments["hask"].outline
    left = Blobs({digest: blobs[digest] for digest in blobs if digest != outline})
    with pytest.raises(StudyFileError, match="the outline of Hask: missing"):
        survey_land(study, left, ["hask"])
