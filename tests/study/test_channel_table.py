"""Channels and culverts in a study: the flow that governs them, and what that makes of them."""

import pytest
from tests.study.test_sizing import bare, yard

from tarnwater.brief.channel_tables import channels_table, culverts_table
from tarnwater.errors import BadInput, EditRefused, UnknownName
from tarnwater.network.elements import Reach
from tarnwater.parameters import Setting, Typed
from tarnwater.routing.channels import Parabola, Pipe, Trapezoid
from tarnwater.routing.reaches import MuskingumCunge
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.answers.channel_table import channel_rows, culvert_rows
from tarnwater.study.document.works import ChannelWorks, CulvertWorks
from tarnwater.study.edits.channels import add_works, remove_works, set_works
from tarnwater.study.pictures.channel import capacity_plot, channel_drawing, culvert_drawing, culvert_plot


def with_ditch(study=None, **fields):
    return add_works(study or bare(), "channels", ChannelWorks(name="Ditch", element="yard", **fields))


def typed(value):
    return Setting[float](typed=Typed[float](value=value))


def test_a_ditch_carries_the_greatest_counted_flow_of_its_element():
    study = with_ditch()
    results = compute_cases(study)
    (row,) = channel_rows(study, results)
    greatest = max(case.peak("yard").ordinate for case in results.cases if case.standing == "counted")
    assert row.carried.flow == greatest
    assert row.bare.uniform.flow == greatest
    # uniform flow at that depth is the flow again
    section = study.channels["ditch"].section
    assert float(section.normal_flow(row.bare.uniform.depth, 0.005)) == pytest.approx(greatest, rel=1e-9)


def test_it_follows_when_the_flow_changes():
    study = with_ditch()
    less = edits.type_values(study, [("yard", "area", 4e4)])
    before, after = (channel_rows(one, compute_cases(one))[0] for one in (study, less))
    assert after.carried.flow < before.carried.flow
    assert after.bare.uniform.depth < before.bare.uniform.depth


def test_a_typed_flow_goes_before_that_of_an_element_and_needs_no_results():
    study = with_ditch(flow=typed(1.5))
    (row,) = channel_rows(study, None)
    assert (row.carried.flow, row.carried.case) == (1.5, None)
    assert channel_rows(with_ditch(), None)[0].verdict == "no flow"


def test_it_scours_spills_or_uses_its_freeboard():
    def verdict(**fields):
        return channel_rows(with_ditch(flow=typed(0.8), **fields), None)[0].verdict

    assert verdict() == "fits"
    assert verdict(slope=0.05, ground="Fine sand") == "scours"
    assert verdict(section=Trapezoid(bottom_width=0.3, bank_height=0.3)) == "spills"
    deep = channel_rows(with_ditch(flow=typed(0.8)), None)[0].bare.uniform.depth
    banks = Trapezoid(bottom_width=0.5, side_slope=2.0, bank_height=deep + 0.05)
    assert verdict(section=banks) == "freeboard"


def test_a_typed_velocity_goes_before_that_of_the_ground():
    works = ChannelWorks(name="Ditch", ground="Stiff clay", greatest_velocity=typed(0.3))
    assert works.allowed == 0.3
    assert ChannelWorks(name="Ditch", ground="Stiff clay", silty="silty").allowed > 1.14
    assert ChannelWorks(name="Ditch").allowed is None


def test_both_the_bare_and_the_grown_state_are_checked():
    (row,) = channel_rows(with_ditch(flow=typed(0.8), grown=typed(0.08)), None)
    assert row.grown.uniform.depth > row.bare.uniform.depth
    assert row.grown.uniform.velocity < row.bare.uniform.velocity
    table = channels_table(with_ditch(), [row])
    assert "depth grown" in [column.title for column in table.columns]


def test_reaches_stand_in_the_table_with_the_section_of_their_method():
    study = edits.lead_through(bare(), "yard", Reach(name="Beck reach", slope=typed(0.01), length=typed(300.0)))
    (plain,) = channel_rows(study, compute_cases(study))
    assert plain.verdict == "no section"
    assert not plain.designed
    study = edits.choose(study, "beck-reach", "method", MuskingumCunge(section=Trapezoid(bottom_width=1.0)))
    (row,) = channel_rows(study, compute_cases(study))
    assert row.verdict == "fits"
    assert row.slope == 0.01
    assert row.bare.uniform.flow == row.carried.flow


def test_values_are_set_by_path_and_cleared():
    study = set_works(with_ditch(), "channels", "ditch", (("section/bottom_width", 0.9), ("flow", 2.0)), by="E. Marsh")
    works = study.channels["ditch"]
    assert works.section.bottom_width == 0.9
    assert (works.flow.value, works.flow.typed.by) == (2.0, "E. Marsh")
    assert set_works(study, "channels", "ditch", (("flow", None),)).channels["ditch"].flow.value is None
    shaped = set_works(study, "channels", "ditch", (("section", Parabola()),))
    assert shaped.channels["ditch"].section == Parabola()
    label = set_works.label(study, "channels", "ditch", (("slope", 0.01),))
    assert label == "set bed slope of Ditch"
    assert remove_works(study, "channels", "ditch").channels == {}


@pytest.mark.parametrize(
    ("path", "value"), [("slope", -1.0), ("slope", 5.0), ("section/roughness", 0.0), ("ground", "cheese")]
)
def test_what_it_cannot_be_is_refused_with_its_name(path, value):
    with pytest.raises(BadInput) as told:
        set_works(with_ditch(), "channels", "ditch", ((path, value),))
    assert "Ditch" in str(told.value)


def test_two_of_one_name_and_none_of_a_name_are_refused():
    with pytest.raises(EditRefused, match="already a channel"):
        add_works(with_ditch(), "channels", ChannelWorks(name="ditch"))
    with pytest.raises(UnknownName):
        remove_works(bare(), "channels", "ditch")


def test_a_culvert_has_both_headwaters_and_says_when_it_stands_too_high():
    works = CulvertWorks(name="Road", element="yard", headwater=typed(0.4))
    study = add_works(bare(), "culverts", works)
    (row,) = culvert_rows(study, compute_cases(study))
    assert row.verdict == "too high"
    assert row.check.level == pytest.approx(max(row.check.by_inlet, row.check.by_outlet))
    higher = set_works(study, "culverts", "road", (("headwater", 50.0),))
    assert culvert_rows(higher, compute_cases(higher))[0].verdict == "fits"
    road = set_works(study, "culverts", "road", (("headwater", None), ("road_level", 0.6)))
    over = culvert_rows(road, compute_cases(road))[0]
    assert over.verdict == "over the road"
    assert over.check.through + over.check.over_road == pytest.approx(over.carried.flow, rel=1e-9)
    assert culvert_rows(study, None)[0].verdict == "no flow"
    table = culverts_table(study, [row])
    assert table.roles == ("limit",)


def test_drawings_and_curves_agree_with_the_table():
    study = with_ditch(flow=typed(0.8), grown=typed(0.06))
    (row,) = channel_rows(study, None)
    drawing = channel_drawing(study, row)
    told = [one.text for one in drawing.shapes if hasattr(one, "text")]
    assert any(text.startswith("normal depth ") for text in told)
    assert any(text.startswith("grown over ") for text in told)
    plot = capacity_plot(study, row)
    bare_curve = next(c for c in plot.curves if c.label == "bare")
    grown_curve = next(c for c in plot.curves if c.label == "grown over")
    assert grown_curve.x[-1] / bare_curve.x[-1] == pytest.approx(0.035 / 0.06)
    pipe = channel_rows(with_ditch(flow=typed(0.1), section=Pipe(diameter=0.6)), None)[0]
    assert channel_drawing(study, pipe) is not None
    works = add_works(bare(), "culverts", CulvertWorks(name="Road", flow=typed(0.5)))
    (culvert,) = culvert_rows(works, None)
    assert culvert_drawing(works, culvert).width > 0
    governs = next(c for c in culvert_plot(works, culvert).curves if c.label == "governs")
    assert all(b >= a - 1e-9 for a, b in zip(governs.y, governs.y[1:], strict=False))


def test_a_pond_beside_a_ditch_does_not_disturb_it():
    study = with_ditch(yard())
    assert channel_rows(study, compute_cases(study))[0].verdict in ("fits", "freeboard", "spills")


def doubts(study):
    from tarnwater.study.checks import check_results

    return {one.code: one for one in check_results(compute_cases(study))}


def test_a_channel_that_scours_spills_or_uses_its_freeboard_is_doubted():
    scours = doubts(with_ditch(flow=typed(0.8), slope=0.05, ground="Fine sand"))["channel-scours"]
    assert scours.text.startswith("Ditch: the water runs at ")
    assert "0.4600 m/s does not scour" in scours.text
    spills = doubts(with_ditch(flow=typed(0.8), section=Trapezoid(bottom_width=0.3, bank_height=0.3)))
    assert "its banks are at 0.3000 m" in spills["channel-spills"].text
    deep = channel_rows(with_ditch(flow=typed(0.8)), None)[0].bare.uniform.depth
    banks = Trapezoid(bottom_width=0.5, side_slope=2.0, bank_height=deep + 0.05)
    assert "shall be free" in doubts(with_ditch(flow=typed(0.8), section=banks))["channel-freeboard"].text
    assert not [code for code in doubts(with_ditch(flow=typed(0.8))) if code.startswith("channel")]


def test_a_culvert_that_backs_up_too_high_is_doubted():
    works = CulvertWorks(name="Road", element="yard", headwater=typed(0.4))
    found = doubts(add_works(bare(), "culverts", works))["culvert-too-high"]
    assert "0.40000 m is allowed" in found.text
