"""A flood study in a script: a catchment, rain, a pond below it, two conditions, and the answers as labelled arrays.

Run it in an empty folder with ``python worked_script.py``; it writes ``field.tarn.json`` and ``field.nc`` there.
"""

from pathlib import Path

import tarnwater
from tarnwater.rain.depth_table import DepthTable
from tarnwater.rain.storms import StormFamily
from tarnwater.study import edits
from tarnwater.study.edits.parts_by_numbers import put_pond_by_numbers

HOUR = 3600.0

study = tarnwater.new(Path("field.tarn.json"), title="Field at Hask")

# land: a value has its unit, a number alone is in the base unit (m2, s, mm, m3/s)
study.add("catchment", "Hask", area="0.5 km2", curve_number=78, lag="30 min")

# rain: depths of two return periods, and storms of three durations
table = DepthTable(
    durations=(HOUR, 6 * HOUR, 24 * HOUR),
    return_periods=(10.0, 100.0),
    depths=((28.0, 43.0), (55.0, 88.0), (74.0, 120.0)),
    series="annual maxima",
)
study.edit(edits.set_table, "depths", table)
family = StormFamily(
    name="Design storms",
    table="depths",
    return_periods=(10.0, 100.0),
    durations=table.durations,
    pattern={"method": "huff"},
)
study.edit(edits.set_family, "design", family)

before = study.compute()
outfall = study.names[-1]
print(f"without a pond {before.peak(outfall, 100):.3f} m3/s at 1 in 100")

# a pond in a condition of its own
study.edit(edits.add_condition, "With a pond")

study.edit(put_pond_by_numbers, "Hask", "Mere", condition="With a pond")
study.add_part("Mere", "storage", "frustum", depth="2.5 m", length="80 m", width="50 m", condition="With a pond")
study.add_part("Mere", "devices", "round-orifice", name="low", diameter="450 mm", condition="With a pond")
study.add_part("Mere", "devices", "broad-weir", name="spillway", crest="2 m", condition="With a pond")

found = study.compute()
print(f"with a pond    {found.peak(outfall, 100, 'With a pond'):.3f} m3/s at 1 in 100")

# what would a wider outlet do? A draft is written nowhere
draft = study.draft()
draft.set("Mere", {"devices.low.diameter": "600 mm"}, condition="With a pond")
print(f"wider outlet   {draft.compute().peak(outfall, 100, 'With a pond'):.3f} m3/s at 1 in 100")

arrays = found.to_xarray()
mere = arrays.sel(element="Mere").where(arrays.condition == "With a pond", drop=True)
print(f"the pond rises to {float(mere.level.max()):.2f} m")
found.to_netcdf("field.nc")

print(found.explain(outfall, "peak", 100).splitlines()[0])
