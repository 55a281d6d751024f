"""Every method of runoff and routing says its unit, range and source, and has a worked example or an exact case."""

import ast
from pathlib import Path

import pytest
from tests.study.test_every_union import METHODS, named

from tarnwater import units

HERE = Path(__file__).parent

#: Kinds of methods of rain have tables of their own.
OF_RAIN = {"Pattern", "Depths", "Equation", "Distribution"}
MEMBERS = [member for member in METHODS if member[0].kind.__name__ not in OF_RAIN]

LOSSES, RUNOFF, ROUTING, STUDY = "runoff/losses/", "runoff/", "routing/", "study/"
WORKED = {
    "Loss curve-number": "test_worked_examples.py::test_curve_number_runoff",
    "Loss green-ampt": "test_worked_examples.py::test_green_ampt_ponded_from_the_start",
    "Loss horton": LOSSES + "test_horton.py::test_under_ponding_it_is_the_closed_form",
    "Loss initial-constant":
        LOSSES + "test_deficits.py::test_the_constant_acts_in_the_rest_of_the_step_in_which_the_initial_is_met",
    "Loss none": STUDY + "test_bad_runoff.py::test_a_single_step_storm_is_the_unit_hydrograph",
    "Loss proportional": LOSSES + "test_fit.py::test_a_loss_fitted_to_its_own_kind_finds_its_parameters",
    "Loss initial-proportional": LOSSES + "test_deficits.py::test_a_share_runs_off_after_the_initial_loss",
    "Loss runoff-coefficient":
        STUDY + "test_values_in_storms.py::test_a_coefficient_grows_by_the_published_factors",
    "Timing bransby-williams":
        RUNOFF + "test_timing_equations.py::test_bransby_williams_equals_the_equation_in_miles",
    "Timing typed": STUDY + "test_rational_study.py::test_the_peak_is_c_i_a_at_the_time_of_concentration",
    "Timing snyder-lag": RUNOFF + "test_timing_equations.py::test_snyder_lag_equals_the_equation_in_miles",
    "Timing regional-lag":
        RUNOFF + "test_timing_equations.py::test_the_regional_form_without_a_slope_is_that_of_snyder",
    "Timing kinematic-time": STUDY + "test_values_in_storms.py::test_the_kinematic_equation_by_hand",
    "Timing kirpich": STUDY + "test_surface_routes.py::test_its_lag_follows_from_its_own_timing_length_and_slope",
    "Timing nrcs-lag": STUDY + "test_surface_routes.py::test_the_curve_number_of_its_timing_is_its_own",
    "Timing formula": RUNOFF + "test_timing_equations.py::test_an_own_formula_gives_a_time_or_a_lag_in_its_unit",
    "Timing segmental": RUNOFF + "test_timing_equations.py::test_each_segment_by_hand",
    "Transform cascade": RUNOFF + "test_instantaneous.py::test_a_cascade_is_the_gamma_distribution",
    "Transform clark": RUNOFF + "test_instantaneous.py::test_a_reservoir_fed_by_the_areas_by_a_fine_step_solution",
    "Transform kinematic-plane":
        RUNOFF + "test_other_transforms.py::test_the_rising_limb_and_the_equilibrium_of_a_plane_are_closed",
    "Transform nonlinear-storage": RUNOFF + "test_other_transforms.py::test_a_nonlinear_store_is_that_of_scipy",
    "Transform nrcs-unit-hydrograph":
        RUNOFF + "test_transforms.py::test_the_printed_table_integrates_to_a_factor_of_483",
    "Transform rational": RUNOFF + "test_rational.py::test_a_storm_of_the_time_of_concentration_is_the_triangle",
    "Transform snyder-unit-hydrograph":
        RUNOFF + "test_other_transforms.py::test_the_seven_points_are_those_of_the_equations",
    "Transform travel-time":
        RUNOFF + "test_travel_time_unit.py::test_without_storage_it_is_the_area_by_travel_time",
    "Transform triangular-unit-hydrograph":
        RUNOFF + "test_instantaneous.py::test_the_triangle_has_its_area_peak_and_base",
    "Transform typed-unit-hydrograph": "test_worked_examples.py::test_convolution",
    "SurfaceRoute with-catchment": STUDY + "test_surface_routes.py::test_with_the_catchment_nothing_changes",
    "SurfaceRoute by-itself":
        STUDY + "test_surface_routes.py::test_it_equals_two_catchments_in_the_place_of_two_surfaces",
    "Baseflow constant": "test_worked_examples.py::test_convolution",
    "Baseflow by month": RUNOFF + "test_baseflow.py::test_the_flow_of_a_month_changes_at_its_end",
    "Baseflow none": RUNOFF + "test_rational.py::test_without_excess_there_is_no_flow",
    "Baseflow recession":
        RUNOFF + "test_baseflow.py::test_the_recession_takes_over_where_the_flood_has_fallen_to_its_line",
    "Baseflow reservoir":
        RUNOFF + "test_baseflow.py::test_an_even_feed_raises_the_flow_to_it_as_the_exact_solution",
    "StorageForm chambers": ROUTING + "test_ponds.py::test_chambers_hold_their_pipes_and_the_voids_of_the_stone",
    "StorageForm contours": ROUTING + "test_ponds.py::test_the_volume_of_a_form_is_the_integral_of_its_area",
    "StorageForm frustum": ROUTING + "test_ponds.py::test_a_cone_a_wedge_and_a_pyramid_have_their_volumes",
    "StorageForm prism": ROUTING + "test_ponds.py::test_a_prism_drains_through_an_orifice_in_closed_form",
    "StorageForm stage-volume":
        ROUTING + "test_ponds.py::test_a_stage_volume_table_is_used_as_it_is_and_its_area_is_nowhere_below_zero",
    "Device typed-rating": ROUTING + "test_ponds.py::test_linear_storage_empties_like_the_exponential",
    "Device infiltration":
        ROUTING + "test_ponds.py::test_a_pond_soaks_away_in_closed_form_and_what_soaks_away_is_counted",
    "Device pump": ROUTING + "test_ponds.py::test_a_pump_runs_between_its_two_levels",
    "Device round-pipe": ROUTING + "test_works.py::test_a_full_barrel_follows_the_energy_equation",
    "Device box-culvert": ROUTING + "test_works.py::test_an_inlet_that_is_free_has_its_headwater_by_form_1",
    "Device round-orifice": ROUTING + "test_works.py::test_a_round_orifice_is_the_integral_over_its_opening",
    "Device rectangular-orifice":
        ROUTING + "test_works.py::test_a_rectangular_orifice_is_the_integral_over_its_opening",
    "Device sharp-weir": ROUTING + "test_works.py::test_a_sharp_weir_is_the_francis_formula",
    "Device broad-weir": ROUTING + "test_works.py::test_a_broad_weir_carries_its_critical_flow",
    "Device trapezoidal-weir": ROUTING + "test_works.py::test_a_trapezoidal_weir_is_a_rectangle_and_a_notch",
    "Device notch-weir": ROUTING + "test_works.py::test_a_right_angled_notch_has_its_published_rating",
    "Device round-riser": ROUTING + "test_works.py::test_the_flows_of_a_riser_balance_at_the_level_inside",
    "Device box-riser": ROUTING + "test_works.py::test_the_crest_of_a_riser_turns_from_weir_to_orifice",
    "Tailwater free": ROUTING + "test_works.py::test_under_a_great_head_an_orifice_follows_torricelli",
    "Tailwater fixed-level": ROUTING + "test_ponds.py::test_a_fixed_tailwater_holds_back_and_a_low_one_does_not",
    "Tailwater rated-level": ROUTING + "test_ponds.py::test_flow_and_level_of_a_rated_tailwater_fit_each_other",
    "Tailwater level-below": ROUTING + "test_ponds.py::test_two_ponds_even_out_as_by_scipy",
    "Section trapezoid": ROUTING + "test_sections.py::test_a_published_normal_depth",
    "Section parabola": ROUTING + "test_channel_design.py::test_a_parabola_has_the_area_and_the_arc_of_the_integrals",
    "Section circle": ROUTING + "test_sections.py::test_a_full_pipe_and_its_greatest_conveyance",
    "Section surveyed": ROUTING + "test_sections.py::test_a_trapezoid_given_as_points_is_the_trapezoid",
    "Routing kinematic-wave":
        ROUTING + "test_channel_reaches.py::test_the_kinematic_wave_converges_to_the_characteristics",
    "Routing muskingum": "test_worked_examples.py::test_muskingum",
    "Routing muskingum-cunge": ROUTING + "test_channel_reaches.py::test_on_a_steep_bed_it_is_the_kinematic_wave",
    "Routing none": ROUTING + "test_muskingum.py::test_a_reach_without_routing_hands_its_flow_on",
    "Routing pure-lag":
        ROUTING + "test_pure_lag.py::test_between_the_steps_the_flow_and_the_volume_are_those_of_the_shifted_inflow",
    "Routing storage-discharge":
        ROUTING + "test_channel_reaches.py::test_linear_storage_empties_like_the_exponential",
    "SplitRule share": ROUTING + "test_splits.py::test_a_rule_says_what_goes_the_second_way",
    "SplitRule threshold": ROUTING + "test_splits.py::test_a_rule_says_what_goes_the_second_way",
    "SplitRule inlet": ROUTING + "test_splits.py::test_a_rule_says_what_goes_the_second_way",
    "Zone zone-by-depth": ROUTING + "test_zones.py::test_a_linear_tank_drains_by_the_logarithm",
    "Zone zone-by-volume": ROUTING + "test_zones.py::test_zones_stand_on_each_other_and_hold_what_was_typed",
    "SplitRule rating": ROUTING + "test_splits.py::test_a_rule_says_what_goes_the_second_way",
}  # fmt: skip


def names_in(file):
    return {node.name for node in ast.walk(ast.parse((HERE / file).read_text())) if isinstance(node, ast.FunctionDef)}


@pytest.mark.parametrize("member", MEMBERS, ids=named)
def test_it_says_what_it_is_and_where_it_is_worked(member):
    method = member[0].kind.known[member[1]]
    assert method.title
    assert method.equation
    assert method.source
    assert method.verified
    for name, described in method.quantities():
        assert described.meaning, name
        # a kind that does not exist is refused
        assert units.kind(described.kind) is not None, name
        bounds = (described.least, described.above, described.most, described.below)
        # levels and places across a section are of any height
        assert described.kind == "height" or name == "stations" or any(b is not None for b in bounds), name
    file, _, test = WORKED[named(member)].partition("::")
    assert test in names_in(file)


def test_no_example_is_of_a_method_that_is_gone():
    assert set(WORKED) == {named(member) for member in MEMBERS}
