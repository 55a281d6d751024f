"""The water balance of a case, element by element and as a whole, in words."""

from __future__ import annotations

import numpy as np

from tarnwater import units
from tarnwater.network.balance import Balance
from tarnwater.study.answers.case import CaseResult
from tarnwater.study.document import Study

#: What comes in and what goes out, by the fields of a balance, as heads of columns.
HEADS = {
    "rain": "rain",
    "inflow": "from above",
    "outside": "let in",
    "baseflow": "from ground",
    "start_storage": "held before",
    "outflow": "left",
    "losses": "lost",
    "end_storage": "held after",
}


#: Share of the greatest volume below which one is rounding.
ROUNDING = 1e-12


def balance_table(study: Study, case: CaseResult) -> list[list[str]]:
    """Rows of the balance of all elements above the design point of a case, and of each; heads first.

    Volumes have one unit; the last column is what does not balance, as a share of all that came in.
    """
    whole = case.run.balance
    own = slice(case.index, case.index + 1)
    total = Balance(**{name: getattr(whole, name)[own] for name in Balance.__dataclass_fields__})
    named = [("all together", total), *((study.name_of(key), case.balance(key)) for key in case.network.order)]
    greatest = max(float(np.abs(getattr(balance, name)).max()) for _, balance in named for name in HEADS)
    unit = units.display_unit("volume", greatest, study.units)
    rows = [[f"in {unit}", *HEADS.values(), "error"]]
    for name, balance in named:
        held = (float(getattr(balance, field)[0]) for field in HEADS)
        volumes = [units.to_unit(v if abs(v) > ROUNDING * greatest else 0.0, unit, "volume") for v in held]
        rows.append([name, *(units.rounded(v) for v in volumes), f"{float(balance.error[0]):.0e}"])
    return rows
