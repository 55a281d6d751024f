"""Depth tables, storm families and given storms."""

from __future__ import annotations

from tarnwater.errors import EditRefused, UnknownName
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.depths import Depths, Series
from tarnwater.rain.given import GivenStorm
from tarnwater.rain.storms import StormFamily
from tarnwater.study.document import Study, changed
from tarnwater.study.edits.act import edit
from tarnwater.study.edits.names import slug


@edit("set depth table {key}")
def set_table(study: Study, key: str, table: Depths) -> Study:
    """Add or replace a depth table."""
    return changed(study, tables=study.tables.with_entry(key, table))


@edit("{act}")
def set_depths(study: Study, key: str, depths: Depths, act: str) -> Study:
    """Add or replace depths of any kind, with a label for the change; the first ones of a study make a family."""
    study = set_table(study, key, depths)
    if study.families:
        return study
    family = StormFamily(table=key, return_periods=readable_periods(depths), durations=depths.own_durations)
    return set_family(study, slug("storms", study.families), family)


@edit("remove the depths {key}")
def remove_table(study: Study, key: str) -> Study:
    """Remove depths; refused while a family is made from them."""
    if key not in study.tables:
        raise UnknownName(key, study.tables, kind="depth table")
    if made := [family.name for family in study.families.values() if family.table == key]:
        raise EditRefused(
            f"{', '.join(made)} {'is' if len(made) == 1 else 'are'} made from them.",
            where=key,
            remedy="Let the families read another table first.",
        )
    return changed(study, tables=study.tables.without(key))


@edit("allow extrapolation of the depth table {key}")
def allow_extrapolation(study: Study, key: str, allowed: bool = True) -> Study:
    """Allow or forbid extrapolation of a depth table."""
    table = study.tables[key].model_copy(update={"extrapolate": allowed})
    return changed(study, tables=study.tables.with_entry(key, table))


@edit("set the series of the depth table {key}")
def set_series(study: Study, key: str, series: Series) -> Study:
    """Set whether a depth table is of annual maxima or of peaks over a threshold."""
    table = study.tables[key].model_copy(update={"series": series})
    return changed(study, tables=study.tables.with_entry(key, table))


@edit("set storm family {key}")
def set_family(study: Study, key: str, family: StormFamily) -> Study:
    """Add or replace a storm family."""
    return changed(study, families=study.families.with_entry(key, family))


@edit("{act}")
def change_family(study: Study, key: str, family: StormFamily, act: str) -> Study:
    """Set a storm family, with a label for the change."""
    return set_family(study, key, family)


@edit("{act}")
def set_rain_table(study: Study, key: str, table: DepthTable, act: str) -> Study:
    """Set a typed depth table. The first one of a study also makes a family of all its storms, which is kept complete.

    An equation that was fitted to the table before is fitted to this one.
    """
    before = study.tables.get(key)
    depths = table if before is None else before.with_typed(table)
    study = set_table(study, key, depths)
    if not study.families:
        family = StormFamily(table=key, return_periods=readable_periods(depths), durations=depths.own_durations)
        return set_family(study, slug("storms", study.families), family)
    for name, family in study.families.items():
        if family.table == key and before is not None and _holds_all(family, before):
            whole = {"return_periods": readable_periods(depths), "durations": depths.own_durations}
            study = set_family(study, name, family.model_copy(update=whole))
    return study


def readable_periods(table: Depths) -> tuple[float, ...]:
    """Return periods of the columns of a table if these can be read; otherwise those between annual maxima."""
    return tuple(t for t in table.own_periods if table.holds_period(t)) or table.annual_periods


def _holds_all(family: StormFamily, table: Depths) -> bool:
    return (family.return_periods, family.durations) == (readable_periods(table), table.own_durations)


@edit("remove storm family {key}")
def remove_family(study: Study, key: str) -> Study:
    """Remove a storm family."""
    if key not in study.families:
        raise UnknownName(key, study.families, kind="storm family")
    return changed(study, families=study.families.without(key))


@edit("set storm {storm}")
def set_storm(study: Study, key: str, storm: GivenStorm) -> Study:
    """Add or replace a storm whose rain is given, recorded or typed."""
    return changed(study, storms=study.storms.with_entry(key, storm))


@edit("remove storm {key}")
def remove_storm(study: Study, key: str) -> Study:
    """Remove a given storm; refused while others begin after it."""
    if key not in study.storms:
        raise UnknownName(key, study.storms, kind="storm")
    makers: list[StormFamily | GivenStorm] = [*study.families.values(), *study.storms.values()]
    if following := [one.name for one in makers if one.after == key]:
        raise EditRefused(
            f"{', '.join(following)} begin after it.",
            where=study.storms[key].name,
            remedy="Let them begin at rest first.",
        )
    return changed(study, storms=study.storms.without(key))
