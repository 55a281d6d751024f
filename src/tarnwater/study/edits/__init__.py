"""Edits: named functions from study to study.

Each is one act of a person, and one step of undo. All of them go through `tarnwater.study.document.changed`. The
template of `edit` becomes the label of the act.
"""

from tarnwater.study.edits.act import edit
from tarnwater.study.edits.conditions import add_condition, add_in_condition, change_link, leave_out, remove_condition
from tarnwater.study.edits.copies import another_like, duplicate, duplicate_of
from tarnwater.study.edits.names import names_that_follow, slug, unused_name
from tarnwater.study.edits.network import (
    add_draining,
    add_element,
    connect,
    disconnect,
    lead_through,
    remove_element,
    rename_element,
)
from tarnwater.study.edits.parts import add_part, remove_part
from tarnwater.study.edits.rain import (
    allow_extrapolation,
    change_family,
    readable_periods,
    remove_family,
    remove_storm,
    set_family,
    set_rain_table,
    set_series,
    set_storm,
    set_table,
)
from tarnwater.study.edits.tables import type_table
from tarnwater.study.edits.values import choose, read_value, type_values, with_entry_units
from tarnwater.study.edits.whole import (
    lock,
    set_design_point,
    set_design_points,
    set_entry_unit,
    set_limits_by_name,
    set_run,
    set_step,
    set_study,
    unlock,
)

__all__ = [
    "add_condition",
    "add_draining",
    "add_element",
    "add_in_condition",
    "add_part",
    "allow_extrapolation",
    "another_like",
    "change_family",
    "change_link",
    "choose",
    "connect",
    "disconnect",
    "duplicate",
    "duplicate_of",
    "edit",
    "lead_through",
    "leave_out",
    "lock",
    "names_that_follow",
    "read_value",
    "readable_periods",
    "remove_condition",
    "remove_element",
    "remove_family",
    "remove_part",
    "remove_storm",
    "rename_element",
    "set_design_point",
    "set_design_points",
    "set_entry_unit",
    "set_family",
    "set_limits_by_name",
    "set_rain_table",
    "set_run",
    "set_series",
    "set_step",
    "set_storm",
    "set_study",
    "set_table",
    "slug",
    "type_table",
    "type_values",
    "unlock",
    "unused_name",
    "with_entry_units",
]
