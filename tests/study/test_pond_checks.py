"""Doubts of ponds and their works, each with its remedy; and each bad input told by what, where and what to do."""

import pytest
from tests.study.test_sizing import HOUR, bare, pond_of, yard

from tarnwater.brief.pond_tables import recovered_words
from tarnwater.errors import BadInput, EditRefused
from tarnwater.network.elements import Pond
from tarnwater.parameters import Setting, Typed
from tarnwater.routing.channels import SurveyedSection
from tarnwater.routing.ponds import FixedTailwater, StageVolume
from tarnwater.routing.ponds.zones import ZoneByDepth
from tarnwater.routing.works import BroadWeir, Pump, RoundOrifice, RoundPipe, RoundRiser
from tarnwater.study import edits
from tarnwater.study.answers import compute_cases
from tarnwater.study.answers.sizing import KeepLimits, Sizing
from tarnwater.study.checks import check, check_results
from tarnwater.study.checks.mending import mend


def with_devices(*devices, study=None):
    return edits.choose(study or yard(), "pond", "devices", devices)


def riser(pipe=0.4, **own):
    return RoundRiser(
        name="riser", crest=1.4, diameter=1.0, outlet=RoundPipe(bottom=0.0, outlet=-0.2, diameter=pipe), **own
    )


def found(study, code):
    return [one for one in check(study) if one.code == code]


def found_in_results(study, code):
    return [one for one in check_results(compute_cases(study)) if one.code == code]


def typed(value):
    return Setting[float](typed=Typed[float](value=value))


# doubts, each with its remedy


def test_a_size_ten_times_off_is_doubted_and_a_tenth_of_it_is_offered():
    study = with_devices(RoundOrifice(name="opening", diameter=3.0), BroadWeir(name="spillway", crest=1.7))
    (one,) = found(study, "device-too-large")
    assert one.text == "“opening” is 3.000 m high, the pond 2.000 m deep."
    mended = mend(study, one, one.remedies[0], "a tenth")
    assert mended.elements["pond"].devices[0].diameter == pytest.approx(0.3)
    assert not found(mended, "device-too-large")


def test_an_opening_larger_than_its_riser_is_doubted():
    study = with_devices(riser(), RoundOrifice(name="wide", inside="riser", diameter=1.2))
    (one,) = found(study, "opening-larger-than-riser")
    assert "1.200 m wide, its riser “riser” 1.000 m" in one.text
    assert one.field == "devices/1/diameter"
    fits = with_devices(riser(), RoundOrifice(name="wide", inside="riser", diameter=1.0))
    assert not found(fits, "opening-larger-than-riser")


def test_a_slip_in_a_table_of_volumes_is_doubted():
    def pit(middle):
        table = StageVolume(name="pit", levels=(0.0, 0.5, 1.0, 1.5, 2.0), volumes=(0.0, 200.0, middle, 700.0, 1000.0))
        return edits.choose(yard(), "pond", "storage", (table,))

    (one,) = found(pit(620.0), "area-swings")
    # 400, 840, 160 and 600 m2
    assert one.text == "the area between the volumes of “pit” goes back and forth by 81.0 % of the greatest."
    assert not found(pit(440.0), "area-swings")
    told = recovered_words(pit(620.0).elements["pond"])
    assert "“pit” is recovered from its volumes, and goes back and forth by 81.0 % of the greatest" in told
    assert recovered_words(pit(400.0).elements["pond"]) == (
        "the area of “pit” is recovered from its volumes; the volumes are used as they are."
    )
    assert recovered_words(yard().elements["pond"]) == ""


def test_openings_at_one_level_that_are_wider_together_than_their_riser_are_doubted():
    def around(*bottoms):
        return with_devices(
            riser(), *(RoundOrifice(name=f"{n}", inside="riser", diameter=0.4, bottom=z) for n, z in enumerate(bottoms))
        )

    eight = around(0.1, 0.1, 0.1, 0.1, 0.2, 0.2, 0.2, 0.3)
    (one,) = found(eight, "openings-wider-than-riser")
    # eight of 0.4 m at 0.3 m; a circle of 1 m is 3.142 m round
    assert one.text == "at 0.3000 m the openings of “riser” take 3.200 m; all its sides have 3.142 m."
    assert not found(around(0.1, 0.1, 0.1, 0.1, 0.2, 0.2, 0.2, 0.6), "openings-wider-than-riser")
    closed = edits.choose(eight, "pond", "devices/8/state", "closed")
    assert not found(closed, "openings-wider-than-riser")


def test_an_outlet_that_empties_nothing_is_doubted():
    study = with_devices(BroadWeir(name="spillway", crest=2.0))
    (one,) = found(study, "pond-without-way-out")
    assert "only overflows" in one.text
    assert not found(yard(), "pond-without-way-out")


def test_a_drowned_device_is_doubted_with_the_level_that_drowns_it():
    low = RoundOrifice(name="low", inside="riser", bottom=0.0, diameter=0.9)
    study = with_devices(riser(pipe=0.1), low, BroadWeir(name="spillway", crest=1.8))
    (one,) = found_in_results(study, "device-drowned")
    assert "“low” lets" in one.text
    assert "discharges into “riser”, where the water stands at" in one.text
    assert not found_in_results(yard(), "device-drowned")


def test_water_that_is_too_deep_is_doubted():
    study = edits.type_values(yard(), [("pond", "greatest_depth", 0.2)])
    (one,) = found_in_results(study, "pond-too-deep")
    assert "deeper than it may be" in one.text
    assert not found_in_results(edits.type_values(yard(), [("pond", "greatest_depth", 2.0)]), "pond-too-deep")


def test_zones_that_drain_too_soon_or_too_late_are_doubted():
    zone = ZoneByDepth(name="live storage", depth=1.0, drains_after=typed(1000 * HOUR))
    (soon,) = found_in_results(edits.add_part(yard(), "pond", "zones", zone), "zone-drains-soon")
    assert "live storage drains in" in soon.text
    assert "at least" in soon.text
    zone = ZoneByDepth(name="live storage", depth=1.0, drains_within=typed(60.0))
    (late,) = found_in_results(edits.add_part(yard(), "pond", "zones", zone), "zone-drains-late")
    assert "at most" in late.text
    sill = with_devices(BroadWeir(name="spillway", crest=1.5), study=edits.add_part(yard(), "pond", "zones", zone))
    (never,) = found_in_results(sill, "zone-drains-late")
    assert "never drains" in never.text


# bad input


def test_stage_tables_that_fall():
    with pytest.raises(BadInput, match="falls"):
        StageVolume(name="pit", levels=(0.0, 1.0, 2.0), volumes=(0.0, 300.0, 200.0))


def test_stage_tables_that_repeat():
    with pytest.raises(BadInput):
        StageVolume(name="pit", levels=(0.0, 1.0, 1.0), volumes=(0.0, 100.0, 200.0))


def test_stage_tables_that_start_above_zero_volume():
    # what lies below the first level is no water of this pond: its volumes count from there
    part = StageVolume(name="pit", levels=(5.0, 6.0), volumes=(100.0, 300.0))
    assert float(part.volume(part.levels[0])) == 0.0
    assert float(part.volume(6.0)) == 200.0


def test_a_section_of_two_points():
    with pytest.raises(BadInput):
        SurveyedSection(stations=(0.0, 5.0), heights=(1.0, 0.0), roughness=(0.03, 0.03))


def test_a_riser_without_an_outlet_pipe():
    study = with_devices(RoundRiser(name="riser", crest=1.0), RoundOrifice(name="low", inside="riser"))
    (stop,) = found(study, "missing-value")
    assert stop.severity == "stop"
    assert "the riser “riser” has no outlet pipe. “low” discharge into it." in stop.text


def test_containment_in_a_circle():
    one = riser(inside="other")
    other = RoundRiser(name="other", inside="riser", crest=1.0, outlet=RoundPipe())
    with pytest.raises(EditRefused, match="would be inside itself"):
        with_devices(one, other)


def test_a_pump_whose_start_lies_under_its_stop():
    with pytest.raises(BadInput):
        Pump(name="pump", starts=0.2, stops=1.0)


def test_a_tailwater_above_the_top():
    study = edits.choose(yard(), "pond", "tailwater", FixedTailwater(level=9.0))
    results = compute_cases(study)
    # nothing leaves by the devices: what the pond cannot hold flows over its top, and that is said
    for case in results.cases:
        assert (case.pool("pond").spilled > 0) == (case.peak("pond").ordinate > 0)
    study = edits.type_values(study, [("pond", "storage/0/length", 5.0)])
    results = compute_cases(study)
    assert [one for one in check_results(results) if one.code == "pond-overflows"]


def test_a_pond_with_no_way_out():
    study = with_devices(RoundOrifice(name="opening", state="closed"))
    (note,) = found(study, "pond-passes")
    assert "all outlets of the pond are closed; it passes its inflow on." in note.text


def test_storage_of_1_m3_under_a_flow_of_100_m3_s():
    from tarnwater.routing.ponds import Prism

    pond = Pond(name="Pond", storage=(Prism(depth=1.0, plan_area=1.0),), devices=(BroadWeir(name="weir", crest=0.5),))
    study = edits.type_values(edits.lead_through(bare(), "yard", pond), [("yard", "area", 4e7)])
    results = compute_cases(study)
    assert max(case.peak("yard").ordinate for case in results.cases) > 100
    for case in results.cases:
        balance = case.balance("pond")
        # a thousandth of a millionth of what flowed
        error = balance.inflow + balance.start_storage - balance.outflow - balance.end_storage - balance.losses
        assert abs(float(error[0])) <= 1e-9 * float(balance.inflow[0])
        assert case.pool("pond").spilled > 0


def test_a_limit_below_the_baseflow():
    from tarnwater.runoff.baseflow import ConstantBaseflow

    study = edits.choose(yard(), "yard", "baseflow", ConstantBaseflow(flow=0.5))
    with pytest.raises(BadInput, match="no size from"):
        Sizing(study, "pond", "devices/0/diameter", "beck", next(iter(study.conditions))).solve(KeepLimits(), 0.05, 2.0)


def test_a_target_that_cannot_be_reached_says_which_bound_stops_it_and_what_would_free_it():
    study = yard(limit=0.001)
    with pytest.raises(BadInput) as told:
        Sizing(study, "pond", "devices/0/diameter", "beck", next(iter(study.conditions))).solve(KeepLimits(), 0.2, 1.0)
    told.value.in_units("SI")
    assert "no size from 0.2 m to 1 m keeps it: with 0.2 m, the nearest" in str(told.value)
    assert "The least size stops it: allow a smaller one." in str(told.value)


def test_a_pond_of_the_tests_is_sound():
    assert not pond_of().missing()
